"""Subscriptions lived through under the calendar, against the stand-in gateway."""

from __future__ import annotations

from datetime import date

import pytest

from skurrow.service.changes import agreeing, proposing, running
from skurrow.service.subscriptions import subscription_books
from tests.conftest import Shop
from tests.service.living import buy, happened, life, move, noon, own_cards, paid, start_on, subscription

cards = own_cards


async def test_a_month_later_it_is_charged_again(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 31))
    assert (await buy(shop, "parcel-month")).progress.state == "paid"
    row = await subscription(shop)
    assert await move(shop, to=noon(date(2027, 5, 1))) == 3
    assert await paid(shop, row.id) == [
        ("2027-01-31", "24.00"),
        ("2027-02-28", "24.00"),
        ("2027-03-31", "24.00"),
        ("2027-04-30", "24.00"),
    ]
    assert await happened(shop, row.id) == ["begun", "charged", "charged", "charged"]
    found = await life(shop)
    assert (found.state, found.next_on, found.period) == ("active", date(2027, 5, 31), 5)


async def test_a_trial_keeps_the_card_and_charges_it_when_it_ends(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    assert (await buy(shop, "bench-month", checkout="evening", delivery=None)).progress.state == "paid"
    row = await subscription(shop)
    assert (row.state, row.card_ending, row.next_on) == ("trial", "1409", date(2027, 1, 20))
    await move(shop, to=noon(date(2027, 3, 1)))
    assert await paid(shop, row.id) == [("2027-01-20", "15.00"), ("2027-02-20", "15.00")]
    assert await happened(shop, row.id) == ["begun", "trial_ends", "charged", "charged"]


async def test_a_failing_card_is_tried_again_and_given_up_after_the_days_of_grace(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    await buy(shop, "parcel-month", "fails_later")
    row = await subscription(shop)
    await move(shop, to=noon(date(2027, 3, 12)))
    assert (await life(shop)).state == "failing"
    story = await subscription_books.story(shop.context, shop.site_id, await subscription(shop))
    assert [str(one.on) for one in story.coming[:3]] == ["2027-03-13", "2027-04-10", "2027-05-10"], (
        "tried again, then on"
    )
    await move(shop, to=noon(date(2027, 4, 1)))
    assert await happened(shop, row.id) == ["begun", "charged", *["charge_failed"] * 4, "ended"]
    found = await life(shop)
    assert (found.state, found.end_reason, found.ended_on) == ("ended", "unpaid", date(2027, 3, 24))
    assert [amount for _, amount in await paid(shop, row.id)] == ["24.00", "24.00"]


async def test_a_card_that_fails_once_goes_on_in_its_old_rhythm(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    await buy(shop, "parcel-month", "fails_once")
    row = await subscription(shop)
    await move(shop, to=noon(date(2027, 5, 1)))
    assert [day for day, _ in await paid(shop, row.id)] == ["2027-01-10", "2027-02-10", "2027-03-13", "2027-04-10"]


async def test_a_charge_that_the_buyer_has_to_approve_is_refused_when_they_do_not(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    await buy(shop, "parcel-month", "approval_later")
    row = await subscription(shop)
    await move(shop, to=noon(date(2027, 2, 10)))
    assert (await life(shop)).charging
    await move(shop, to=noon(date(2027, 2, 18)))
    assert await happened(shop, row.id) == ["begun", "approval_asked", "charge_failed", "approval_asked"]


@pytest.mark.parametrize("card", ["cut", "no_answer"])
async def test_whatever_the_line_does_nobody_is_charged_twice(shop: Shop, card: str) -> None:
    await start_on(shop, date(2027, 1, 10))
    await buy(shop, "parcel-month", card)


async def test_churn_counts_what_was_paid_for_and_ended(shop: Shop) -> None:
    """One stays, one fails and is given up, one ends in its trial, one pays after its trial, ends, and begins again."""
    await start_on(shop, date(2027, 1, 10))
    stays, fails, tries, returns = (f"{name}@standin.example" for name in ("stays", "fails", "tries", "returns"))
    await buy(shop, "parcel-month", email=stays)
    await buy(shop, "parcel-month", "fails_later", email=fails)
    for email in (tries, returns):
        await buy(shop, "bench-month", checkout="evening", delivery=None, email=email)
    await running.cancel(shop.context, shop.site_id, await subscription(shop, tries))
    await move(shop, to=noon(date(2027, 2, 2)))
    await running.cancel(shop.context, shop.site_id, await subscription(shop, returns))
    await move(shop, to=noon(date(2027, 4, 2)))
    ended = await subscription(shop, returns)
    shown = await proposing.propose(shop.context, shop.site_id, ended, kind="restart")
    assert shown.token is not None
    await agreeing.agree(shop.context, shop.site_id, ended, shown.token)
    found = await subscription_books.foresee(shop.context, shop.site_id, "test")
    counted = [(one.month.month, one.before, one.began, one.ended, one.share) for one in found.churn[-4:]]
    assert counted == [(1, 0, 3, 0, None), (2, 3, 0, 1, "33.3"), (3, 2, 0, 1, "50.0"), (4, 1, 1, 0, "0.0")]
