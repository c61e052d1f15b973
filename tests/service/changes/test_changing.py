"""Changing plan, how many, pausing, cancelling, paying off: what was shown is what is charged, and the books add up."""

from __future__ import annotations

import random
import uuid
from dataclasses import replace
from datetime import date, datetime, timedelta
from fractions import Fraction

import pytest

from skurrow.core.durations import first_instant
from skurrow.core.money import format_amount
from skurrow.core.payments.refunds import Asked
from skurrow.core.problems import InvalidInput
from skurrow.core.subscriptions.life import Life, NotNow
from skurrow.core.subscriptions.plan_change import Credit
from skurrow.service.changes import acting, agreeing, proposing, running
from skurrow.service.orders import books, refunds
from skurrow.service.papers import papers
from skurrow.service.refusals import Conflict
from skurrow.service.subscriptions import subscription_books
from skurrow.store.book import Book
from skurrow.store.database import site_transaction, value
from skurrow.store.subscriptions import credits, subscriptions
from tests.conftest import Shop
from tests.service.living import (
    ZONE,
    all_orders,
    buy,
    edit,
    happened,
    life,
    move,
    noon,
    own_cards,
    paid,
    start_on,
    subscription,
    today,
)

cards = own_cards


async def to(shop: Shop, price: str | None = None, quantity: int | None = None) -> proposing.Proposal:
    return await proposing.propose(shop.context, shop.site_id, await subscription(shop), price, quantity)


async def agreed(shop: Shop, proposal: proposing.Proposal) -> acting.Done:
    return await agreeing.agree(shop.context, shop.site_id, await subscription(shop), proposal.token)


async def test_up_the_ladder_credits_what_is_unused_and_charges_the_rest(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    await move(shop, to=noon(date(2027, 4, 16)))
    shown = await to(shop, "parcel-year")
    credit = shown.step.credit.amount
    assert (shown.step.when, shown.step.charge, shown.due) == ("now", 24000, 24000 - credit)
    assert credit in (1179, 1180), "14.5 of 29.5 days are unused, a few seconds aside"
    assert (await agreed(shop, shown)).state == "now"
    row, found = await subscription(shop), await life(shop)
    assert await paid(shop, row.id) == [
        ("2027-04-01", "24.00"),
        ("2027-04-16", format_amount(shown.due, "EUR")),
    ]
    assert (found.terms.price, found.next_on, found.balance) == ("parcel-year", date(2028, 4, 16), 0)
    assert await happened(shop, row.id) == ["begun", "changed"]
    begun, changed = await all_orders(shop, row.id)
    assert changed.from_balance == credit
    documents = [
        [(one.kind, one.total) for one in await papers.of_order(shop.context, shop.site_id, "test", order.id)]
        for order in (begun, changed)
    ]
    assert documents == [
        [("receipt", "24.00"), ("credit_note", format_amount(credit, "EUR"))],
        [("receipt", "240.00")],
    ]


async def test_down_the_ladder_waits_for_the_paid_time_to_end_and_can_be_taken_back(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-quarter")
    shown = await to(shop, "parcel-month")
    assert (shown.step.when, shown.due, shown.step.next_on) == ("paid_time_ends", 0, date(2027, 7, 1))
    assert (await agreed(shop, shown)).state == "later"
    await running.take_back(shop.context, shop.site_id, await subscription(shop))
    await agreed(shop, await to(shop, "parcel-month"))
    await move(shop, to=noon(date(2027, 8, 2)))
    row = await subscription(shop)
    assert await paid(shop, row.id) == [("2027-04-01", "66.00"), ("2027-07-01", "24.00"), ("2027-08-01", "24.00")]


async def test_what_was_shown_is_charged_even_if_the_price_changes_in_between(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    shown = await to(shop, "parcel-year")
    state = await subscription(shop)
    await raise_the_year(shop)
    assert (await to(shop, "parcel-year")).step.charge == 30000
    await agreeing.agree(shop.context, shop.site_id, state, shown.token)
    assert (await life(shop)).terms.unit == 24000


async def raise_the_year(shop: Shop) -> None:
    from skurrow.service.draft import configuration

    body = dict((await configuration.draft(shop.context, shop.site_id)).parts["product", "paper-parcel"].body or {})
    prices = [{**one, "amount": {"EUR": "300.00"}} if one["id"] == "parcel-year" else one for one in body["prices"]]
    await edit(shop, "product", "paper-parcel", prices=prices)


async def test_what_was_shown_counts_once_and_not_after_something_else_has_happened(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    shown = await to(shop, "parcel-quarter")
    await agreed(shop, shown)
    with pytest.raises(Conflict, match="changed since"):
        await agreed(shop, shown)


async def test_in_a_trial_nothing_is_charged_and_its_end_stays(shop: Shop) -> None:
    await edit(shop, "product", "evening-bench", ladder=["bench-month", "bench-year"])
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "bench-month", checkout="evening", delivery=None)
    shown = await to(shop, "bench-year")
    assert (shown.step.when, shown.due, shown.step.charge, shown.step.next_on) == ("now", 0, 0, date(2027, 4, 11))
    assert (await agreed(shop, shown)).state == "now"
    await move(shop, to=noon(date(2027, 5, 20)))
    assert await paid(shop, (await subscription(shop)).id) == [("2027-04-11", "150.00")]


async def test_a_credit_that_is_larger_stays_and_pays_the_next_renewals(shop: Shop) -> None:
    await edit(shop, "product", "paper-parcel", ladder=["parcel-year", "parcel-quarter", "parcel-month"])
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-year")
    shown = await to(shop, "parcel-month")
    assert shown.step.when == "now"
    assert shown.due == 0
    assert (await agreed(shop, shown)).state == "now"
    balance = (await life(shop)).balance
    assert balance == shown.balance == shown.step.credit.amount - 2400
    await move(shop, to=noon(date(2027, 6, 2)))
    assert (await life(shop)).balance == balance - 4800
    row = await subscription(shop)
    assert [amount for _, amount in await paid(shop, row.id)] == ["240.00", "0.00", "0.00", "0.00"]
    for order in (await all_orders(shop, row.id))[1:]:
        (receipt,) = await papers.of_order(shop.context, shop.site_id, "test", order.id)
        assert (receipt.total, receipt.payment and receipt.payment.way) == ("24.00", "24.00 EUR of the balance")


async def test_more_is_charged_now_and_fewer_later(shop: Shop) -> None:
    body = [{"id": "parcel-month", "kind": "recurring", "every": "P1M", "amount": {"EUR": "24.00"}}]
    body[0]["quantity"] = {"min": 1, "max": 5}
    await edit(shop, "checkout", "club", prices=["parcel-month"])
    await edit(shop, "product", "paper-parcel", prices=body, ladder=None)
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    shown = await to(shop, quantity=3)
    assert (shown.step.charge, shown.step.when) == (7200, "now")
    await agreed(shop, shown)
    assert (await life(shop)).terms.quantity == 3
    shown = await to(shop, quantity=2)
    assert (shown.step.when, shown.due) == ("paid_time_ends", 0)
    await agreed(shop, shown)
    await move(shop, to=noon(date(2027, 5, 2)))
    assert (await paid(shop, (await subscription(shop)).id))[-1] == ("2027-05-01", "48.00")


async def test_cancelled_it_goes_on_until_the_paid_time_ends(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    row = await running.cancel(
        shop.context, shop.site_id, await subscription(shop), ending=acting.Ending("Too much paper")
    )
    assert (row.state, row.next_on) == ("active", None)
    await move(shop, to=noon(date(2027, 6, 2)))
    found = await life(shop)
    assert (found.state, found.ended_on, len(await paid(shop, row.id))) == ("ended", date(2027, 5, 1), 1)
    shown = await proposing.propose(shop.context, shop.site_id, await subscription(shop), kind="restart")
    assert shown.due == 2400
    assert (await agreed(shop, shown)).state == "now"
    assert (await life(shop)).next_on == date(2027, 7, 2)


async def test_at_once_with_the_unused_part_given_back_if_the_price_says_so(shop: Shop) -> None:
    prices = [
        {"id": "parcel-month", "kind": "recurring", "every": "P1M", "amount": {"EUR": "24.00"},
         "ends": {"when": "at_once", "unused": "given_back"}}
    ]  # fmt: skip
    await edit(shop, "checkout", "club", prices=["parcel-month"])
    await edit(shop, "product", "paper-parcel", prices=prices, ladder=None)
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    await move(shop, to=noon(date(2027, 4, 16)))
    shown = await agreeing.would_give_back(shop.context, shop.site_id, await subscription(shop))
    assert shown.money in (1179, 1180), "14.5 of 29.5 days are unused, a few seconds aside"
    assert shown.rest == 0
    ending = acting.Ending(shown_at=shown.at)
    row = await running.cancel(shop.context, shop.site_id, await subscription(shop), ending=ending)
    assert row.state == "ended"
    (order,) = await all_orders(shop, row.id)
    amount = format_amount(shown.money, "EUR")
    told = (await subscription_books.story(shop.context, shop.site_id, row)).events[-1]
    assert (told.kind, told.body["amount"], told.body["currency"]) == ("ended", amount, "EUR")
    assert f"€{amount}, the unused part of what was paid, is given back" in await last_mail(shop, "subscription")
    assert f"gives you €{amount} back" in await last_mail(shop, "order")
    story = await books.story(shop.context, shop.site_id, "test", order.code)
    (refund,) = story.refunds
    assert refund.state == "made"
    assert refund.amount == shown.money
    with pytest.raises(NotNow):
        await running.cancel(shop.context, shop.site_id, row)


async def last_mail(shop: Shop, about: str = "") -> str:
    query = "select sealed_text from mails where key like %(about)s order by id desc limit 1"
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        sealed = await value(db, query, {"about": f"{about}%"})
    return shop.context.vault.open(sealed)


async def test_what_a_change_showed_takes_the_place_of_what_was_promised(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    await move(shop, to=noon(date(2027, 5, 16)))
    await agreed(shop, await to(shop, "parcel-year"))
    await move(shop, to=noon(date(2028, 5, 17)))
    story = await subscription_books.story(shop.context, shop.site_id, await subscription(shop))
    kept = [(one.on, one.total) for one in story.promised if not one.replaced and one.came is not None]
    assert kept == [(date(2027, 5, 1), 2400), (date(2028, 5, 16), 24000)]
    assert all(one.came.total + one.came.from_balance == one.total for one in story.promised if one.came)
    gone = [one for one in story.promised if one.replaced]
    assert gone
    assert all(one.on > date(2027, 5, 16) and one.total == 2400 and one.came is None for one in gone)


async def test_what_was_promised_holds_again_when_an_end_is_taken_back(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    promised = (await subscription_books.story(shop.context, shop.site_id, await subscription(shop))).promised
    await running.cancel(shop.context, shop.site_id, await subscription(shop))
    ending = (await subscription_books.story(shop.context, shop.site_id, await subscription(shop))).promised
    assert all(one.replaced for one in ending)
    await running.take_back(shop.context, shop.site_id, await subscription(shop))
    again = (await subscription_books.story(shop.context, shop.site_id, await subscription(shop))).promised
    assert again == promised
    assert not any(one.replaced for one in again)


async def _refunds(shop: Shop, code: str) -> list[int]:
    return [one.amount for one in (await books.story(shop.context, shop.site_id, "test", code)).refunds]


async def test_nothing_is_given_back_while_the_charge_of_a_change_is_under_way(shop: Shop) -> None:
    """Its unused part would be credited to the change, and be given back as well."""
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month", "approval_later")
    await move(shop, to=noon(date(2027, 4, 16)))
    assert (await agreed(shop, await to(shop, "parcel-year"))).state == "pending"
    row = await subscription(shop)
    with pytest.raises(NotNow, match="under way"):
        await running.cancel(shop.context, shop.site_id, row, ending=acting.Ending(when="at_once", unused="given_back"))
    (begun, _) = await all_orders(shop, row.id)
    assert await _refunds(shop, begun.code) == []
    assert (await life(shop)).state == "active"


async def test_what_was_paid_with_a_balance_goes_back_to_it(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-quarter")
    await agreed(shop, await to(shop, "parcel-year"))
    row = await subscription(shop)
    (begun, changed) = await all_orders(shop, row.id)
    await running.cancel(shop.context, shop.site_id, row, ending=acting.Ending(when="at_once", unused="given_back"))
    (made,) = await _refunds(shop, changed.code)
    found = await life(shop)
    assert (made, found.state) == (changed.total, "ended")
    assert 24000 - 5 <= made + found.balance <= 24000, "all but some seconds of a year"
    notes = await papers.of_order(shop.context, shop.site_id, "test", changed.id)
    credited = [one.total for one in notes if one.kind == "credit_note"]
    assert sorted(credited) == sorted([format_amount(made, "EUR"), format_amount(found.balance, "EUR")])
    assert await _refunds(shop, begun.code) == []


async def test_what_was_given_back_is_not_credited_as_well(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    before = await to(shop, "parcel-year")
    (order,) = await all_orders(shop, (await subscription(shop)).id)
    asked = [Asked(0, "20.00")]
    await refunds.refund(shop.context, shop.site_id, None, "test", order.code, uuid.uuid4(), asked, "20.00")
    with pytest.raises(Conflict, match="another amount now"):
        await agreed(shop, before)
    after = await to(shop, "parcel-year")
    assert (after.step.credit, after.due) == (Credit(400, 70), 23600)


async def test_a_new_address_between_showing_and_agreeing_shows_it_again(shop: Shop) -> None:
    """Tax and post are others there: what was shown would not be what is charged."""
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month", delivery="post")
    shown = await to(shop, "parcel-year")
    row = await subscription(shop)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await subscriptions.save_subscription(db, shop.site_id, replace(row, buyer={**row.buyer, "country": "DE"}))
    with pytest.raises(Conflict, match="another amount now"):
        await agreed(shop, shown)
    assert len(await all_orders(shop, row.id)) == 1


async def test_no_more_is_given_back_than_was_charged(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-quarter")
    await agreed(shop, await to(shop, "parcel-year"))
    (_, changed) = await all_orders(shop, (await subscription(shop)).id)
    with pytest.raises(InvalidInput, match="the rest was paid with the customer's balance"):
        await refunds.reckon(shop.context, shop.site_id, "test", changed.code, [Asked(0, "240.00")])
    whole = format_amount(changed.total, "EUR")
    made = await refunds.refund(
        shop.context, shop.site_id, None, "test", changed.code, uuid.uuid4(), [Asked(0, whole)], whole
    )
    assert made.state == "made"


async def test_a_held_order_that_is_given_back_ends_what_it_began(shop: Shop) -> None:
    await edit(shop, "payments", "payments", guards=[{"above": {"EUR": "10.00"}, "then": "hold"}])
    await buy(shop, "parcel-month")
    row = await subscription(shop)
    (order,) = await all_orders(shop, row.id)
    await books.decide_review(shop.context, shop.site_id, "test", order.code, "given_back", shop.person_id)
    found = await life(shop)
    assert (found.state, found.end_reason) == ("ended", "refunded")
    assert (await happened(shop, row.id))[-1] == "ended"


async def test_a_pause_charges_nothing_until_it_is_over_and_then_counts_anew(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    await running.pause(shop.context, shop.site_id, await subscription(shop), date(2027, 8, 20))
    await move(shop, to=noon(date(2027, 9, 21)))
    row = await subscription(shop)
    assert [day for day, _ in await paid(shop, row.id)] == ["2027-04-01", "2027-08-20", "2027-09-20"]
    assert await happened(shop, row.id) == ["begun", "will_pause", "paused", "resumed", "charged", "charged"]
    await running.pause(shop.context, shop.site_id, row, None)
    await move(shop, to=noon(date(2027, 11, 5)))
    assert (await life(shop)).state == "paused"
    await running.resume(shop.context, shop.site_id, await subscription(shop))
    assert (await paid(shop, row.id))[-1] == ("2027-11-05", "24.00")
    assert (await life(shop)).next_on == date(2027, 12, 5)


async def test_instalments_end_by_themselves_or_are_paid_off_early_under_one_invoice(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 31))
    await buy(shop, "press-4", checkout="press")
    await move(shop, to=noon(date(2027, 3, 1)))
    shown = await proposing.propose(shop.context, shop.site_id, await subscription(shop), kind="pay_off")
    assert (shown.due, shown.step.when) == (22400, "now")
    assert (await agreed(shop, shown)).state == "now"
    row, found = await subscription(shop), await life(shop)
    assert (found.state, found.ended_on) == ("completed", date(2027, 3, 1))
    assert [amount for _, amount in await paid(shop, row.id)] == ["112.00", "112.00", "224.00"]
    whole = [await papers.of_order(shop.context, shop.site_id, "test", o.id) for o in await all_orders(shop, row.id)]
    assert [[one.total for one in papers_] for papers_ in whole] == [["448.00"], [], []]
    (invoice,) = whole[0]
    assert [(str(one.on), one.amount) for one in invoice.still_due] == [
        ("2027-02-28", "112.00"), ("2027-03-31", "112.00"), ("2027-04-30", "112.00")
    ]  # fmt: skip


async def test_who_is_failing_pausing_or_leaving_does_not_change_plan(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    row = await running.cancel(shop.context, shop.site_id, await subscription(shop))
    with pytest.raises(NotNow, match="Take that back first"):
        await to(shop, "parcel-year")
    row = await running.take_back(shop.context, shop.site_id, row)
    await running.pause(shop.context, shop.site_id, row, None)
    with pytest.raises(NotNow, match="paused"):
        await to(shop, "parcel-year")


async def test_money_paid_is_service_given_and_what_is_left(shop: Shop) -> None:
    """Money in minus money out equals what the periods came to, less credits, plus the balance."""
    await start_on(shop, date(2027, 1, 31))
    await buy(shop, "parcel-month")
    for day, price in ((date(2027, 2, 10), "parcel-quarter"), (date(2027, 3, 3), "parcel-year")):
        await move(shop, to=noon(day))
        await agreed(shop, await to(shop, price))
    await agreed(shop, await to(shop, "parcel-month"))
    await move(shop, to=noon(date(2028, 5, 1)))
    row = await subscription(shop)
    orders = [one for one in await all_orders(shop, row.id) if one.state == "paid"]
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        credited = await credits.credited(Book(db, shop.site_id, "test"), row.id)
    money = sum(one.total for one in orders)
    service = sum(one.total + one.from_balance for one in orders) - credited
    assert money == service + (await life(shop)).balance


# -- whatever is asked, the sums add up -------------------------------------------------------------------


async def _ask(shop: Shop, dice: random.Random) -> None:
    """Something that a customer might ask for; what is not possible at the moment is refused."""
    row = await subscription(shop)
    what = dice.choice(
        ["parcel-month", "parcel-quarter", "parcel-year"] * 2 + ["cancel", "take_back", "pause", "resume"]
    )
    if row.state == "ended":
        what = "restart"
    try:
        if what == "cancel":
            await running.cancel(shop.context, shop.site_id, row)
        elif what == "take_back":
            await running.take_back(shop.context, shop.site_id, row)
        elif what == "pause":
            await running.pause(shop.context, shop.site_id, row, None)
        elif what == "resume":
            await running.resume(shop.context, shop.site_id, row)
        elif what == "restart":
            await agreed(shop, await proposing.propose(shop.context, shop.site_id, row, kind="restart"))
        else:
            await agreed(shop, await to(shop, what))
    except (NotNow, InvalidInput):
        return


@pytest.mark.parametrize("seed", range(6))
async def test_whatever_is_asked_credits_and_charges_add_up(shop: Shop, seed: int) -> None:
    """Money in equals the service of all paid time that stood, plus the balance; each credit is the unused share."""
    dice = random.Random(seed)
    await start_on(shop, dice.choice([date(2027, 1, 31), date(2028, 2, 29), date(2027, 12, 31), date(2027, 3, 27)]))
    await buy(shop, dice.choice(["parcel-month", "parcel-quarter"]))
    row = await subscription(shop)
    before: dict[int, Life] = {}
    for _ in range(16):
        await move(shop, to=noon(await today(shop)) + dice.choice([1, 6, 20, 45, 100]) * timedelta(days=1))
        stood = await life(shop)
        before[stood.period] = stood
        await _ask(shop, dice)
    paid_orders = [one for one in await all_orders(shop, row.id) if one.state == "paid"]
    assert [one.period or 1 for one in paid_orders] == list(range(1, len(paid_orders) + 1)), "every period once"
    money_in = sum(one.total for one in paid_orders)
    from_balance, credited, service = 0, 0, Fraction(0)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        for order in paid_orders:
            gross = order.total + order.from_balance
            made = sum(one.amount for one in await credits.credits_of(Book(db, shop.site_id, "test"), order.id))
            used = Fraction(1)
            if made:
                stood = before[(order.period or 1) + 1]
                over = first_instant(stood.until, ZONE)
                (following,) = [one for one in paid_orders if one.period == (order.period or 1) + 1]
                left = over - datetime.fromisoformat(following.wanted["at"])
                share = Fraction(left // timedelta(microseconds=1), (over - stood.since) // timedelta(microseconds=1))
                assert made == int(gross * share + Fraction(1, 2)), "the unused share, rounded half up"
                used = 1 - share
            from_balance, credited, service = from_balance + order.from_balance, credited + made, service + gross * used
    balance = (await life(shop)).balance
    assert balance == credited - from_balance >= 0
    roundings = sum(one.kind == "change" for one in paid_orders)
    assert abs(money_in - service - balance) <= Fraction(roundings, 2)
    assert {"renewal", "change", "restart"} & {one.kind for one in paid_orders}, "something has happened"
