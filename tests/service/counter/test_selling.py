"""Paying once, whatever happens on the way; and who meets which configuration."""

from __future__ import annotations

import asyncio
from collections import Counter
from datetime import timedelta
from typing import Any

import pytest

from skurrow.core.problems import InvalidInput
from skurrow.service.counter import confirmation, opening, paying, pricing, returning
from skurrow.service.counter.progress import Progress, progress_of
from skurrow.service.counter.progress import progress as progress_now
from skurrow.service.counter.visit import VISIT_LIFE, Choice, Visit, pass_token, read_visit
from skurrow.service.draft import configuration, going_live, releases
from skurrow.service.orders import asking, books
from skurrow.service.payments import gateways
from skurrow.service.refusals import Closed, Conflict, NotFound, TooMany
from skurrow.store.book import Book
from skurrow.store.database import run, site_transaction
from skurrow.store.orders import attempts, orders
from skurrow.store.orders.attempts import AttemptRow
from tests.conftest import IN_NL, Shop, eventually
from tests.gateway.test_standin_cards import NUMBERS
from tests.payments import payment_of


async def opened(shop: Shop, code: str = "ostrel-kit", test_pass: str | None = None) -> Visit:
    counter = await opening.open_counter(shop.context, code, test_pass)
    return read_visit(shop.context, counter.visit)


MOSS = Choice(variant="moss", delivery="collect")


async def pay(shop: Shop, visit: Visit, behaviour: str = "approved", **changes: Any) -> Progress:
    token = await shop.cards.token(NUMBERS[behaviour], visit.mode)
    typed = {"email": "jo@example.org", "token": token, "expected": "48.00", "choice": MOSS, "name": "Jo", **changes}
    return await paying.pay(shop.context, visit, payment_of(country="NL", **typed))


async def story(shop: Shop, mode: Any = "test") -> books.OrderStory:
    (order,) = (await books.page(shop.context, shop.site_id, mode, None, "")).orders
    return await books.story(shop.context, shop.site_id, mode, order.code)


async def charges_at_gateway(shop: Shop, told: books.OrderStory) -> list[str]:
    keys = {str(attempt.id) for attempt in told.attempts}
    return [c["outcome"] for c in await shop.cards.charges() if c["key"] in keys]


async def attempts_of(shop: Shop, visit: Visit) -> list[AttemptRow]:
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        book = Book(db, shop.site_id, visit.mode)
        order = await orders.order_of_visit(book, visit.id)
        return await attempts.attempts_of(book, order.id) if order else []


async def edit_price(shop: Shop, amount: str) -> None:
    kit = (await configuration.draft(shop.context, shop.site_id)).parts["product", "coptic-kit"]
    price = {**kit.body["prices"][0], "amount": {"EUR": amount}}
    body = {**kit.body, "prices": [price]}
    await configuration.edit_part(shop.context, shop.site_id, None, "product", kit.part_id, kit.change, body)


async def released(shop: Shop) -> int:
    state = await configuration.site_state(shop.context, shop.site_id)
    return (await releases.release(shop.context, shop.site_id, None, state.row.head_change)).number


async def go_live(shop: Shop) -> None:
    await gateways.connect(shop.context, shop.site_id, "standin-cards", "live", shop.cards.live)
    await going_live.go_live(shop.context, shop.site_id, {"hand_over"})


async def buy_for_real(shop: Shop) -> Visit:
    """A shop that has gone live, and a real buyer who has paid."""
    await released(shop)
    await go_live(shop)
    visit = await opened(shop)
    assert (visit.mode, (await pay(shop, visit)).state) == ("live", "paid")
    return visit


async def test_a_sale_is_one_order_one_attempt_one_charge(shop: Shop) -> None:
    visit = await opened(shop)
    assert (await progress_now(shop.context, visit)).state == "none"
    done = await pay(shop, visit)
    assert done.state == "paid"
    told = await story(shop)
    assert (told.order.total, told.order.currency, told.order.mode) == (4800, "EUR", "test")
    assert told.order.quote["due_today"] == "48.00"
    assert [(a.state, a.amount, a.sealed_token) for a in told.attempts] == [("paid", 4800, None)]
    assert [(c.amount, c.card_ending) for c in told.charges] == [(4800, "1409")]
    assert [e.kind for e in told.events] == ["order.placed", "charge.attempted", "charge.made", "order.paid"]
    found = await confirmation.confirmation(shop.context, str(done.confirmation))
    assert (found.order.code, found.shop.name) == (told.order.code, "Ostrel Bindery")
    assert found.paid_by == "card ending in 1409"


@pytest.mark.parametrize("reason", ["no_funds", "lost", "expired"])
async def test_a_refused_card_can_be_followed_by_another(shop: Shop, reason: str) -> None:
    visit = await opened(shop)
    assert await pay(shop, visit, reason) == Progress("refused", reason)
    assert (await progress_now(shop.context, visit)).state == "refused"
    assert (await pay(shop, visit, name="Jo Other")).state == "paid"
    told = await story(shop)
    assert [a.state for a in told.attempts] == ["refused", "paid"]
    assert told.order.buyer["name"] == "Jo Other"
    assert len(told.charges) == 1


async def test_many_presses_at_once_charge_once(shop: Shop) -> None:
    visit = await opened(shop)
    results = await asyncio.gather(*(pay(shop, visit) for _ in range(50)))
    assert Counter(r.state for r in results).keys() <= {"paid", "pending"}
    told = await story(shop)
    assert (told.order.state, len(told.attempts), len(told.charges)) == ("paid", 1, 1)
    assert await charges_at_gateway(shop, told) == ["approved"]
    assert (await pay(shop, visit)).state == "paid", "and once more afterwards changes nothing"
    assert len((await story(shop)).attempts) == 1


async def test_while_an_attempt_is_open_no_second_one_begins(shop: Shop) -> None:
    visit = await opened(shop)
    slow = asyncio.create_task(pay(shop, visit, "slow"))
    await eventually(lambda: attempts_of(shop, visit))
    assert (await pay(shop, visit, "approved")).state == "pending"
    assert (await slow).state == "paid"
    assert len((await story(shop)).attempts) == 1


async def test_an_order_paid_between_two_looks_is_paid_and_never_refused(shop: Shop) -> None:
    visit = await opened(shop)
    assert (await pay(shop, visit, "cut")).state == "pending"
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        as_it_was = await orders.order_of_visit(Book(db, shop.site_id, visit.mode), visit.id)
    assert as_it_was is not None
    assert as_it_was.state == "open"
    await asking.recover(shop.context)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        assert (await progress_of(shop.context, db, visit, as_it_was)).state == "paid"


@pytest.mark.parametrize("behaviour", ["no_answer", "cut"])
async def test_what_nobody_answered_is_settled_by_recovery(shop: Shop, behaviour: str) -> None:
    visit = await opened(shop)
    assert (await pay(shop, visit, behaviour)).state == "pending"
    open_one = (await story(shop)).attempts[0]
    assert open_one.state == "open"
    assert open_one.sealed_token, "kept, so that the same key can be sent again"
    assert shop.context.vault.open(open_one.sealed_token) not in str(open_one)
    assert (await pay(shop, visit, "approved")).state == "pending", "another press meanwhile charges nothing"
    assert await asking.recover(shop.context) == 1
    told = await story(shop)
    assert (told.order.state, [a.state for a in told.attempts], len(told.charges)) == ("paid", ["paid"], 1)
    assert await charges_at_gateway(shop, told) == ["approved"]
    assert await asking.recover(shop.context) == 0


async def test_what_is_sent_again_is_the_same_to_the_letter(shop: Shop) -> None:
    for behaviour in ("approved", "no_answer"):
        await pay(shop, await opened(shop), behaviour)
    await asking.recover(shop.context)
    page = await books.page(shop.context, shop.site_id, "test", None, "")
    told = [await books.story(shop.context, shop.site_id, "test", order.code) for order in page.orders]
    keys = {str(one.attempts[0].id) for one in told}
    assert [one.order.state for one in told] == ["paid", "paid"]
    assert [c["text"] for c in await shop.cards.charges() if c["key"] in keys] == ["Ostrel Bindery"] * 2


async def test_a_process_that_died_after_sending_is_followed_by_recovery(shop: Shop) -> None:
    visit = await opened(shop)
    dying = asyncio.create_task(pay(shop, visit, "slow"))
    await eventually(lambda: attempts_of(shop, visit))
    await asyncio.sleep(0.5)
    dying.cancel()
    with pytest.raises(asyncio.CancelledError):
        await dying
    assert await asking.recover(shop.context) == 0, "not before the answer could still come"
    shop.clock.ahead = shop.context.settings.first_ask

    async def settled() -> bool:
        await asking.recover(shop.context)
        shop.clock.ahead += timedelta(minutes=1)
        return (await progress_now(shop.context, visit)).state == "paid"

    await eventually(settled)
    assert await charges_at_gateway(shop, await story(shop)) == ["approved"]


async def test_two_recoveries_at_once_settle_once(shop: Shop) -> None:
    visits = [await opened(shop) for _ in range(6)]
    for visit in visits:
        await pay(shop, visit, "cut")
    counts = await asyncio.gather(*(asking.recover(shop.context) for _ in range(4)))
    assert sum(counts) == 6
    for visit in visits:
        assert (await progress_now(shop.context, visit)).state == "paid"


async def test_an_amount_that_was_not_shown_is_not_charged(shop: Shop) -> None:
    visit = await opened(shop)
    with pytest.raises(Conflict, match=r"48\.00 EUR now"):
        await pay(shop, visit, expected="47.00")
    assert (await books.page(shop.context, shop.site_id, "test", None, "")).orders == []


async def test_a_key_that_is_no_longer_accepted_charges_nothing_and_says_so(shop: Shop) -> None:
    visit = await opened(shop)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await run(db, "update connections set sealed_key = %(key)s", {"key": shop.context.vault.seal("revoked")})
    assert await pay(shop, visit) == Progress("refused", "not_accepted")
    told = await story(shop)
    assert (told.order.state, [a.state for a in told.attempts]) == ("open", ["refused"])
    assert await charges_at_gateway(shop, told) == []


async def test_cards_cannot_be_tried_without_end(shop: Shop) -> None:
    visit = await opened(shop)
    for _ in range(paying.MOST_ATTEMPTS):
        assert (await pay(shop, visit, "lost")).state == "refused"
    with pytest.raises(TooMany):
        await pay(shop, visit)


async def test_a_visit_is_ours_and_does_not_last_for_ever(shop: Shop) -> None:
    counter = await opening.open_counter(shop.context, "ostrel-kit")
    for forged in ("", "x", counter.visit[:-2], counter.visit + "A", shop.context.signer.sign("confirmation", {})):
        with pytest.raises(NotFound):
            read_visit(shop.context, forged)
    shop.clock.ahead = VISIT_LIFE + timedelta(minutes=1)
    with pytest.raises(NotFound, match="over"):
        read_visit(shop.context, counter.visit)


async def test_a_confirmation_needs_its_token_and_a_paid_order(shop: Shop) -> None:
    visit = await opened(shop)
    await pay(shop, visit, "lost")
    order = (await story(shop)).order
    unpaid = shop.context.signer.sign("confirmation", {"s": str(shop.site_id), "m": "test", "o": str(order.id)})
    for token in (unpaid, "x", ""):
        with pytest.raises(NotFound):
            await confirmation.confirmation(shop.context, token)


async def test_an_unknown_address_leads_nowhere(shop: Shop) -> None:
    with pytest.raises(NotFound):
        await opened(shop, "nothing")


async def test_going_live_needs_a_live_gateway_and_a_release(shop: Shop) -> None:
    with pytest.raises(InvalidInput) as caught:
        await going_live.go_live(shop.context, shop.site_id, {"hand_over"})
    assert [p.where for p in caught.value.problems] == ["gateway", "release"]
    await released(shop)
    await go_live(shop)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await run(db, "update connections set replaced_at = now() where mode = 'live'")
    with pytest.raises(Closed, match="cannot take payments"):
        await opened(shop)  # a live site never falls back to test


async def test_live_buyers_meet_the_last_release_and_never_the_draft(shop: Shop) -> None:
    assert await released(shop) == 1
    await go_live(shop)
    await edit_price(shop, "52.00")
    live = await opened(shop)
    assert (live.mode, live.release) == ("live", 1)
    assert (await pricing.quote_visit(shop.context, live, IN_NL, MOSS)).quote.due_today == 4800
    assert (await pay(shop, live)).state == "paid"
    told = await story(shop, "live")
    assert (told.order.release, told.order.total, told.charges[0].mode) == (1, 4800, "live")
    assert (await books.page(shop.context, shop.site_id, "test", None, "")).orders == []
    test = await opened(shop, test_pass=pass_token(shop.context, shop.site_id, 0))
    assert (test.mode, test.release) == ("test", None)
    assert (await pricing.quote_visit(shop.context, test, IN_NL, MOSS)).quote.due_today == 5200


async def test_a_buyer_under_way_keeps_the_release_they_began_with(shop: Shop) -> None:
    await released(shop)
    await go_live(shop)
    before = await opening.open_counter(shop.context, "ostrel-kit")
    await edit_price(shop, "52.00")
    assert await released(shop) == 2
    after = await opening.open_counter(shop.context, "ostrel-kit")
    counter, progress = await returning.resume(shop.context, before.visit, after.visit)
    visit = read_visit(shop.context, counter.visit)
    assert (visit.release, progress.state) == (1, "none")
    assert (await pay(shop, visit)).state == "paid"
    assert (await story(shop, "live")).order.release == 1
    assert (await pricing.quote_visit(shop.context, await opened(shop), IN_NL, MOSS)).quote.due_today == 5200


async def test_a_test_buyer_who_ordered_nothing_meets_the_newest_draft(shop: Shop) -> None:
    before = await opening.open_counter(shop.context, "ostrel-kit")
    await edit_price(shop, "52.00")
    after = await opening.open_counter(shop.context, "ostrel-kit")
    counter, _ = await returning.resume(shop.context, before.visit, after.visit)
    assert counter.visit == after.visit
    for kept in ("", "forged", (await opening.open_counter(shop.context, "ostrel-press")).visit):
        assert (await returning.resume(shop.context, kept, after.visit))[0].visit == after.visit


async def test_a_test_pass_of_another_site_is_none(shop: Shop) -> None:
    await released(shop)
    await go_live(shop)
    for wrong in ("x", pass_token(shop.context, shop.context.new_id(), 0)):
        assert (await opened(shop, test_pass=wrong)).mode == "live"


async def test_whoever_comes_by_the_link_of_an_archived_checkout_reads_that_it_is_not_sold_any_more(shop: Shop) -> None:
    state = await configuration.draft(shop.context, shop.site_id)
    seen = state.parts["checkout", "kit"].change
    await configuration.edit_part(shop.context, shop.site_id, None, "checkout", "kit", seen, None)
    with pytest.raises(Closed, match="not sold here any more") as closed:
        await opening.open_counter(shop.context, "ostrel-kit")
    assert closed.value.shop is not None, "and finds the way back to the shop"
    with pytest.raises(NotFound):
        await opening.open_counter(shop.context, "ostrel-nothing")
