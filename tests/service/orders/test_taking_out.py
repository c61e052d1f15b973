"""Taking one sale out of the test book: it goes with all that hangs on it, and nothing else does."""

from __future__ import annotations

import uuid
from datetime import timedelta
from typing import Any

import psycopg
import pytest

from skurrow.core.payments.refunds import Asked
from skurrow.service.counter.paying import pay
from skurrow.service.counter.visit import Choice
from skurrow.service.orders import books, refunds, taking_out
from skurrow.service.payments import gateways, reconciling
from skurrow.service.refusals import Conflict, NotFound
from tests.conftest import Shop
from tests.gateway.test_standin_cards import NUMBERS
from tests.payments import payment_of
from tests.service.counter.test_selling import buy_for_real, opened
from tests.service.living import buy as subscribe
from tests.service.living import move, own_cards, subscription
from tests.service.orders.test_clearing import rows
from tests.service.tax.test_tax import buy

cards = own_cards

COUPON = Choice(variant="moss", delivery="collect", coupons=("BIND10",))


async def newest(shop: Shop, mode: Any = "test") -> str:
    return (await books.page(shop.context, shop.site_id, mode, None, "")).orders[0].code


async def take(shop: Shop, code: str) -> int:
    return await taking_out.take_out(shop.context, shop.site_id, code, shop.person_id)


def counted(shop: Shop) -> tuple[Any, ...]:
    """What is left of the kits, and how often their coupon was used."""
    with psycopg.connect(shop.database.superuser) as db:
        found = db.execute(
            "select (select remaining from stock_levels where product_id = 'coptic-kit' and mode = 'test'),"
            " (select sum(taken) from coupon_counts where mode = 'test')"
        ).fetchone()
    assert found is not None
    return found


async def test_a_sale_goes_with_all_of_it_and_the_one_beside_it_stays(shop: Shop) -> None:
    await buy(shop, expected="43.20", choice=COUPON)
    before = rows(shop, "test")
    await buy(shop, expected="43.20", choice=COUPON, email="other@example.org")
    code = await newest(shop)
    back = [Asked(0, "10.00", put_back=1)]
    await refunds.refund(shop.context, shop.site_id, None, "test", code, uuid.uuid4(), back, "10.00")
    assert counted(shop) == (39, 4), "one of two pieces came back"
    assert await take(shop, code) == 1
    assert counted(shop) == (39, 2)
    with pytest.raises(NotFound):
        await take(shop, code)
    after = rows(shop, "test")
    unused = {"coupon_counts", "number_series"}  # a customer's count is nothing now, and numbers are given once
    assert {name: found for name, found in after.items() if name not in unused} == {
        name: found for name, found in before.items() if name not in unused
    }


@pytest.mark.usefixtures("connected_now")
async def test_the_gateways_record_of_it_is_no_difference(shop: Shop) -> None:
    await buy(shop, expected="48.00", choice=Choice(variant="moss", delivery="collect"))
    code = await newest(shop)
    await refunds.refund(shop.context, shop.site_id, None, "test", code, uuid.uuid4(), [Asked(0, "8.00")], "8.00")
    await take(shop, code)
    (connection,) = await gateways.connected(shop.context, shop.site_id)
    shop.clock.ahead += timedelta(minutes=2)
    found = await reconciling.compare(shop.context, shop.site_id, connection.id)
    assert (found.entries, found.differences) == (2, [])


async def test_what_it_began_goes_with_it_and_not_a_charge_by_itself(shop: Shop) -> None:
    await subscribe(shop, "parcel-month")
    first = await newest(shop)
    await move(shop, "month")
    renewal = await newest(shop)
    assert renewal != first
    with pytest.raises(Conflict, match="goes with the order"):
        await take(shop, renewal)
    assert await take(shop, first) == 2
    with pytest.raises(IndexError):
        await subscription(shop)
    assert all(
        not found for name, found in rows(shop, "test").items() if name not in ("coupon_counts", "number_series")
    )


async def test_what_is_being_paid_stays_and_live_sales_are_not_even_found(shop: Shop) -> None:
    visit = await opened(shop)
    token = await shop.cards.token(NUMBERS["cut"])
    cut = payment_of("a@example.org", "A", "NL", token, "48.00", Choice(variant="moss", delivery="collect"))
    assert (await pay(shop.context, visit, cut)).state == "pending"
    with pytest.raises(Conflict, match="still open"):
        await take(shop, await newest(shop))
    await buy_for_real(shop)
    with pytest.raises(NotFound):
        await take(shop, await newest(shop, "live"))
