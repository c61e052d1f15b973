"""Members moved over from elsewhere, and the calendar that is moved; both go when the test book is cleared."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from skurrow.core.problems import InvalidInput
from skurrow.gateway.protocol import ChargeRequest
from skurrow.service.changes import moving
from skurrow.service.orders import books
from skurrow.service.payments.gateways import connections_for, gateway_of
from skurrow.service.refusals import Conflict
from skurrow.service.subscriptions import moving_over
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from tests.conftest import Shop
from tests.service.living import (
    all_orders,
    buy,
    happened,
    life,
    move,
    noon,
    own_cards,
    paid,
    start_on,
    subscription,
    sync,
    today,
)

cards = own_cards

HEAD = "email,name,country,price,next_on,amount,gateway,on_file,card_ending,card_expires,company,tax_number\n"
OLD = "old@members.example.org"


async def moved(shop: Shop, *rows: str, dry: bool = False, head: str = HEAD) -> moving_over.MovedOver:
    text = head + "\n".join(rows) + "\n"
    return await moving_over.move_over(shop.context, shop.site_id, "test", text, shop.person_id, dry)


async def on_file(shop: Shop) -> str:
    """A card that the gateway keeps from before."""
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        (row,) = await connections_for(Book(db, shop.site_id, "test"))
    request = ChargeRequest(shop.context.new_id(), 0, "EUR", await shop.cards.token(), keep=True)
    answer = await gateway_of(shop.context, row).charge(request)
    return answer.kept.token  # type: ignore[union-attr]


async def test_a_member_goes_on_at_the_old_amount_with_the_card_that_is_kept(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    kept = await on_file(shop)
    row = f"{OLD},Old Member,NL,parcel-month,2027-01-31,21.00,standin-cards,{kept},1409,2039-12,,"
    shown = await moved(shop, row, dry=True)
    assert (shown.done, shown.problems, len(shown.members)) == (False, [], 1)
    with pytest.raises(IndexError):
        await subscription(shop, OLD)
    assert (await moved(shop, row)).done
    found = await subscription(shop, OLD)
    assert (found.state, found.next_on, found.order_id) == ("active", date(2027, 1, 31), None)
    assert await all_orders(shop, found.id) == [], "nothing was charged"
    await move(shop, to=noon(date(2027, 4, 1)))
    assert await paid(shop, found.id) == [("2027-01-31", "21.00"), ("2027-02-28", "21.00"), ("2027-03-31", "21.00")]
    assert (await happened(shop, found.id))[0] == "moved_over"
    again = await moved(shop, row.replace("2027-01-31", "2027-06-01"))
    assert [(one.row, one.column) for one in again.problems] == [(2, "email")]


async def test_who_comes_without_a_card_is_asked_for_one(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    assert (await moved(shop, f"{OLD},Old Member,NL,parcel-month,2027-01-31,,,,,,,")).done
    found = await subscription(shop, OLD)
    await move(shop, to=noon(date(2027, 2, 1)))
    assert ((await life(shop, OLD)).state, await happened(shop, found.id)) == (
        "failing", ["moved_over", "charge_failed"]
    )  # fmt: skip


async def test_all_that_is_wrong_is_told_and_nothing_begins(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    good = "new@members.example.org,New,NL,parcel-month,2027-02-01,,,,,,,"
    told = await moved(
        shop,
        good,
        "no-email,,XX,kit,yesterday,,,,,,,",
        f"{OLD},Old,NL,parcel-month,2027-01-10,1.005,standin-wallet,x,,2039-13,,",
        "new@members.example.org,New,NL,parcel-month,2027-03-01,,,,,,,",
    )
    assert [(one.row, one.column) for one in told.problems] == [
        *((3, name) for name in ("country", "email", "name", "next_on", "price")),
        *((4, name) for name in ("amount", "card_expires", "next_on")),
        (5, "email"),
    ]
    assert not told.done
    with pytest.raises(IndexError):
        await subscription(shop, "new@members.example.org")
    for head, column in (("email,name\n", "country"), (HEAD.replace("amount", "sum"), "sum")):
        assert column in [one.column for one in (await moved(shop, good, head=head)).problems]
    (unknown,) = (await moved(shop, good.replace(",,,,,,,", ",,standin-wallet,x,,,,"))).problems
    assert unknown.column == "gateway"


# -- the calendar -----------------------------------------------------------------------------------------


async def test_the_calendar_moves_by_a_day_a_month_or_to_what_is_due(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 31))
    assert await today(shop) == date(2027, 1, 31)
    with pytest.raises(Conflict, match="Nothing is due"):
        await moving.move(shop.context, shop.site_id, None, "next")
    await move(shop, "month")
    assert await today(shop) == date(2027, 2, 28)
    await buy(shop, "parcel-month")
    assert (await subscription(shop)).next_on == date(2027, 3, 28), "it is bought on the calendar's day"
    await move(shop, "next")
    assert (await today(shop), len(await paid(shop, (await subscription(shop)).id))) == (date(2027, 3, 28), 2)
    await move(shop, "day")
    assert await today(shop) == date(2027, 3, 29)
    with pytest.raises(InvalidInput, match="never goes back"):
        await moving.move(shop.context, shop.site_id, None, to=noon(date(2027, 3, 1)))
    with pytest.raises(InvalidInput, match="20 years"):
        await moving.move(shop.context, shop.site_id, None, to=noon(date(2057, 3, 1)))


async def test_it_never_renews_by_the_clock(shop: Shop) -> None:
    await buy(shop, "parcel-month")
    shop.clock.ahead += timedelta(days=70)
    from skurrow.service.changes import renewing

    assert await renewing.renew(shop.context) == 0
    assert len(await paid(shop, (await subscription(shop)).id)) == 1


async def test_it_can_be_stopped_and_another_worker_goes_on(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    for n in range(3):
        await buy(shop, "parcel-month", email=f"{n}@standin.example")
    await moving.move(shop.context, shop.site_id, None, to=noon(date(2028, 1, 11)))
    with pytest.raises(Conflict, match="being moved"):
        await moving.move(shop.context, shop.site_id, None, "day")
    for _ in range(5):
        await moving._step(shop.context, shop.site_id)
    shown = await moving.shown(shop.context, shop.site_id)
    assert shown.moving
    assert shown.done >= 2
    await moving.stop(shop.context, shop.site_id)
    assert await today(shop) == shown.at.astimezone(noon(date(2027, 1, 1)).tzinfo).date()
    await moving.move(shop.context, shop.site_id, None, to=noon(date(2028, 1, 11)))
    assert await moving.go_on(shop.context) == 1
    for n in range(3):
        assert len(await paid(shop, (await subscription(shop, f"{n}@standin.example")).id)) == 13


async def test_clearing_the_test_book_takes_subscriptions_and_the_calendar_with_it(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    await buy(shop, "parcel-month")
    await move(shop, to=noon(date(2027, 6, 1)))
    await books.clear_test_book(shop.context, shop.site_id, shop.person_id)
    with pytest.raises(IndexError):
        await subscription(shop)
    shown = await moving.shown(shop.context, shop.site_id)
    assert (shown.by_clock, shown.next_at, await today(shop)) == (True, None, date(2027, 1, 10))
    await sync(shop)
    await buy(shop, "parcel-month")
    assert (await subscription(shop)).next_on == date(2027, 2, 10)
