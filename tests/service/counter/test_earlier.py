"""A price that came down: buyers read what it was, reckoned from the releases that they met."""

from __future__ import annotations

from datetime import timedelta

from skurrow.service.counter import opening
from tests.conftest import Shop
from tests.service.counter.test_selling import go_live, released
from tests.service.living import edit


async def before(shop: Shop, currency: str | None = None) -> dict[str, str]:
    return (await opening.open_counter(shop.context, "ostrel-kit", currency=currency)).before


async def test_what_a_price_was_stands_beside_it_for_thirty_days_in_each_currency(shop: Shop) -> None:
    await released(shop)
    await go_live(shop)
    assert await before(shop) == {}
    shop.clock.ahead += timedelta(days=40)
    await edit(shop, "checkout", "kit", discount={"percent": "10"})
    assert await before(shop) == {}, "nobody has met it yet"
    await released(shop)
    assert await before(shop) == {"kit": "48.00"}
    assert await before(shop, "GBP") == {"kit": "42.00"}
    shop.clock.ahead += timedelta(days=29)
    await edit(shop, "checkout", "kit", heading="Another heading")
    await released(shop)
    assert await before(shop) == {"kit": "48.00"}, "another release of the same price changes nothing"
    shop.clock.ahead += timedelta(days=2)
    assert await before(shop) == {}


async def test_before_anything_was_sold_for_real_nothing_came_down(shop: Shop) -> None:
    await released(shop)
    await edit(shop, "checkout", "kit", discount={"percent": "10"})
    await released(shop)
    assert await before(shop) == {}, "it is not live"
    await go_live(shop)
    assert await before(shop) == {}, "nobody could pay the price before"
    shop.clock.ahead += timedelta(days=3)
    await edit(shop, "checkout", "kit", discount={"percent": "20"})
    await released(shop)
    assert await before(shop) == {"kit": "43.20"}
