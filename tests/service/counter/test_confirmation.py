"""What of a confirmation is personal: shown to the browser that bought, for a day, and to whoever holds a key of it."""

from __future__ import annotations

from datetime import timedelta

import pytest

from skurrow.service.codes import KEY_LIFE, confirmation_key, confirmation_token
from skurrow.service.counter import confirmation
from skurrow.service.counter.visit import signed
from skurrow.service.papers import papers
from skurrow.service.refusals import NotFound
from tests.conftest import Shop
from tests.service.counter.test_selling import opened, pay, story


async def test_the_browser_that_bought_sees_it_for_a_day_and_a_key_for_as_long_as_it_lasts(shop: Shop) -> None:
    visit, other = await opened(shop), await opened(shop)
    await pay(shop, visit)
    order, context = (await story(shop)).order, shop.context
    token = confirmation_token(context, shop.site_id, "test", order.id)
    mine, theirs = signed(context, visit), signed(context, other)
    mailed, short = confirmation_key(context, order.id), confirmation_key(context, order.id, KEY_LIFE)

    async def seen(visit: str | None = None, key: str | None = None) -> bool:
        found = await confirmation.personal(context, token, visit, key)
        assert found is None or (found.name, found.email) == ("Jo", "jo@example.org")
        return found is not None

    assert [await seen(mine), await seen(None, mailed), await seen(None, short)] == [True] * 3
    await pay(shop, other)
    keys = ("", "x", f"{mailed}x", token, mine, confirmation_key(context, context.new_id()))
    assert [await seen(None, key) for key in keys] == [False] * len(keys)
    assert [await seen(theirs), await seen("x"), await seen()] == [False] * 3
    shop.clock.ahead += KEY_LIFE + timedelta(minutes=1)
    assert [await seen(mine), await seen(None, mailed), await seen(None, short)] == [False, True, False]


async def test_a_paper_opens_with_a_key_of_its_order_alone(shop: Shop) -> None:
    await pay(shop, await opened(shop))
    order, context = (await story(shop)).order, shop.context
    token = confirmation_token(context, shop.site_id, "test", order.id)
    (paper,) = await papers.of_order(context, shop.site_id, "test", order.id)
    key = confirmation_key(context, order.id)
    assert await confirmation.paper_of(context, token, paper.number, key) == (shop.site_id, paper)
    for number, given in ((paper.number, None), (paper.number, "x"), ("TEST-R-1999-00001", key)):
        with pytest.raises(NotFound):
            await confirmation.paper_of(context, token, number, given)
