"""Charges that the buyer approves first, on a page of the gateway's: they wait, and are decided once."""

from __future__ import annotations

import httpx
import pytest

from skurrow.service.counter import paying, progress
from skurrow.service.counter.progress import Progress
from skurrow.service.counter.visit import Visit
from skurrow.service.orders import asking, attempts
from tests.conftest import Shop, eventually
from tests.gateway.test_standin_cards import NUMBERS
from tests.payments import payment_of
from tests.service.counter.test_selling import charges_at_gateway, opened, story
from tests.service.papers.test_papers import COLLECT


async def begun(shop: Shop) -> tuple[Visit, Progress]:
    visit = await opened(shop)
    return visit, await pressed(shop, visit)


async def pressed(shop: Shop, visit: Visit) -> Progress:
    token = await shop.cards.token(NUMBERS["approval"])
    return await paying.pay(shop.context, visit, payment_of("a@example.org", "A", "NL", token, "48.00", COLLECT))


async def decide(shop: Shop, address: str | None, answer: str) -> None:
    assert address is not None
    path = address.removeprefix("http://cards.localhost:8401")
    async with httpx.AsyncClient(base_url=shop.cards.url) as buyer:
        (await buyer.post(path, content=f"answer={answer}")).raise_for_status()


async def settled(shop: Shop, visit: Visit, state: str) -> None:
    async def is_so() -> bool:
        shop.clock.ahead += attempts.APPROVING
        await asking.recover(shop.context)
        return (await progress.progress(shop.context, visit)).state == state

    await eventually(is_so)


async def test_nothing_moves_before_it_is_approved_and_then_once(shop: Shop) -> None:
    visit, waiting = await begun(shop)
    assert waiting.state == "pending"
    assert waiting.approve_at
    assert await pressed(shop, visit) == waiting, "another press asks nothing new"
    shop.clock.ahead += 3 * attempts.APPROVING
    await asking.recover(shop.context)
    assert (await progress.progress(shop.context, visit)) == waiting, "it waits for as long as the gateway does"
    assert await charges_at_gateway(shop, await story(shop)) == ["pending"]
    await decide(shop, waiting.approve_at, "approve")
    await settled(shop, visit, "paid")
    told = await story(shop)
    assert [attempt.state for attempt in told.attempts] == ["paid"]
    assert told.attempts[0].approve_at is None
    assert [charge.amount for charge in told.charges] == [4800]


async def test_what_is_not_approved_is_refused_and_another_card_pays(shop: Shop) -> None:
    visit, waiting = await begun(shop)
    await decide(shop, waiting.approve_at, "refuse")
    await settled(shop, visit, "refused")
    assert (await progress.progress(shop.context, visit)).reason == "not_approved"
    token = await shop.cards.token()
    again = await paying.pay(shop.context, visit, payment_of("a@example.org", "A", "NL", token, "48.00", COLLECT))
    assert again.state == "paid"


async def test_a_decision_is_made_once(shop: Shop) -> None:
    visit, waiting = await begun(shop)
    for answer in ("refuse", "approve"):
        await decide(shop, waiting.approve_at, answer)
    await settled(shop, visit, "refused")
    with pytest.raises(httpx.HTTPStatusError):
        await decide(shop, "http://cards.localhost:8401/approvals/of-nobody", "approve")
