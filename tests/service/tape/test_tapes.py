"""What stands beside a tape goes by the same calendar as the tape."""

from __future__ import annotations

from datetime import date

from skurrow.core.durations import day_words
from skurrow.service import calendars
from skurrow.service.tape.tapes import MadeOutTo, Tapes, Tried, tapes
from tests.conftest import Shop
from tests.service.living import move, noon, own_cards, start_on

cards = own_cards


async def made(shop: Shop, about: tuple[str, str]) -> Tapes:
    found = await tapes(shop.context, shop.site_id, about, Tried(), [MadeOutTo("utrecht")], None)
    assert found is not None
    return found


async def test_after_a_month_the_first_charge_beside_is_the_day_of_the_tape(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    for day in (date(2027, 1, 10), date(2027, 2, 11)):
        if day > date(2027, 1, 10):
            await move(shop, to=noon(day))
        found = await made(shop, ("product", "paper-parcel"))
        assert found.tapes[0].on == day
        # The counter asks by itself, in one statement, and must come to the same day.
        assert (await calendars.of_site(shop.context, shop.site_id, "test")).book_now().date() == day
        assert await calendars.of_site(shop.context, shop.site_id, "live") is shop.context
        assert found.beside.futures["parcel-month"].days[0][0] == day_words(day)


async def test_a_coupon_that_is_over_in_the_test_book_takes_nothing_off_there(shop: Shop) -> None:
    await start_on(shop, date(2027, 12, 1))
    assert [one.why_not for one in (await made(shop, ("coupon", "BIND10"))).beside.costs] == [None]
    await move(shop, to=noon(date(2028, 1, 2)))
    (cost,) = (await made(shop, ("coupon", "BIND10"))).beside.costs
    assert (cost.first, cost.year) == (0, 0)
    assert cost.why_not
