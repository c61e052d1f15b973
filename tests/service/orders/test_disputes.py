"""Disputes: told by the gateway in any order and any number of times, recorded once, and in the books of both sides."""

from __future__ import annotations

import uuid
from typing import Any

import pytest

from skurrow.core.payments.refunds import Asked
from skurrow.service.orders import books, gateway_events, refunds
from skurrow.service.refusals import Conflict
from tests.conftest import Shop
from tests.gateway.test_standin_cards import NUMBERS
from tests.service.orders.test_settling import secret_of, signed
from tests.service.papers.test_papers import COLLECT
from tests.service.payments.test_reconciling import at_gateway, attention, compared
from tests.service.tax.test_tax import buy

pytestmark = pytest.mark.usefixtures("connected_now")


async def disputed(shop: Shop) -> tuple[str, dict[str, Any]]:
    """An order whose buyer has disputed it, and the dispute as the gateway knows it."""
    await buy(shop, expected="48.00", choice=COLLECT, token=await shop.cards.token(NUMBERS["disputed"]))
    (order,) = (await books.page(shop.context, shop.site_id, "test", None, "")).orders
    (attempt,) = (await books.story(shop.context, shop.site_id, "test", order.code)).attempts
    async with at_gateway(shop) as api:
        found = [one for one in (await api.get("/disputes")).json() if one["charge"] == str(attempt.id)]
    assert len(found) == 1
    return order.code, found[0]


async def decided(shop: Shop, dispute: dict[str, Any], outcome: str) -> dict[str, Any]:
    async with at_gateway(shop) as api:
        answer = (await api.put(f"/disputes/{dispute['id']}", json={"outcome": outcome})).raise_for_status()
        assert (await api.put(f"/disputes/{dispute['id']}", json={"outcome": "won"})).status_code == 404, "once"
        found: dict[str, Any] = answer.json()
        return found


async def told(shop: Shop, *states: dict[str, Any]) -> None:
    connection, secret = await secret_of(shop)
    for state in states:
        kind = "dispute.opened" if state["outcome"] == "open" else f"dispute.{state['outcome']}"
        body = {"type": kind, "data": {"key": state["charge"], "dispute": state}}
        await gateway_events.receive_event(shop.context, connection, *signed(secret, body, uuid.uuid4().hex))
        assert await gateway_events.handle_events(shop.context) == 1, "in this order"


async def recorded(shop: Shop, code: str) -> tuple[list[str], list[str]]:
    story = await books.story(shop.context, shop.site_id, "test", code)
    events = [event.kind for event in story.events if event.kind.startswith("dispute.")]
    return [one.state for one in story.disputes], events


async def test_a_dispute_is_opened_and_won_and_meanwhile_nothing_is_given_back(shop: Shop) -> None:
    code, opened = await disputed(shop)
    await told(shop, opened, opened)
    assert await recorded(shop, code) == (["open"], ["dispute.opened"])
    assert await attention(shop, "orders") == 1
    asked = [Asked(0, "48.00")]
    with pytest.raises(Conflict, match="disputed this charge at their bank"):
        await refunds.refund(shop.context, shop.site_id, None, "test", code, uuid.uuid4(), asked, "48.00")
    await told(shop, await decided(shop, opened, "won"), opened)
    assert await recorded(shop, code) == (["won"], ["dispute.opened", "dispute.won"])
    assert await attention(shop, "orders") == 0
    row = await refunds.refund(shop.context, shop.site_id, None, "test", code, uuid.uuid4(), asked, "48.00")
    assert row.state == "made"


async def test_a_lost_dispute_is_known_even_if_its_beginning_comes_last_and_both_books_have_it(shop: Shop) -> None:
    code, opened = await disputed(shop)
    lost = await decided(shop, opened, "lost")
    assert [one["code"] for one in (await compared(shop)).differences] == ["only_there"], "nobody has told us yet"
    await told(shop, lost, opened, lost)
    assert await recorded(shop, code) == (["lost"], ["dispute.lost"])
    found = await compared(shop)
    assert (found.entries, found.differences) == (2, [])
    with pytest.raises(Conflict, match="disputed this charge at their bank"):
        await refunds.refund(shop.context, shop.site_id, None, "test", code, uuid.uuid4(), [Asked(0, "1.00")], "1.00")


async def test_a_dispute_of_nobody_we_know_is_put_aside(shop: Shop) -> None:
    _, opened = await disputed(shop)
    await told(shop, {**opened, "charge": str(uuid.uuid4())})
    (order,) = (await books.page(shop.context, shop.site_id, "test", None, "")).orders
    assert await recorded(shop, order.code) == ([], [])
