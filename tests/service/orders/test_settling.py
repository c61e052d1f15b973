"""Messages from gateways: verified, in any order, any number of times; and books that contradict each other."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

import pytest
from standardwebhooks import Webhook

from skurrow.gateway.protocol import Approved, ForgedEvent, Refused
from skurrow.service.orders import asking, gateway_events, settling
from skurrow.service.payments import gateways
from skurrow.service.refusals import NotFound
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts
from tests.conftest import Shop
from tests.service.counter.test_selling import opened, pay, story


async def secret_of(shop: Shop) -> tuple[UUID, str]:
    (row,) = await gateways.connected(shop.context, shop.site_id)
    return row.id, shop.context.vault.open(row.sealed_event_secret)


def signed(
    secret: str, body: dict[str, Any], message: str = "m1", at: datetime | None = None
) -> tuple[dict[str, str], bytes]:
    stamp, text = at or datetime.now(UTC), json.dumps(body)
    signature = Webhook(secret).sign(message, stamp, text)
    headers = {"webhook-id": message, "webhook-timestamp": str(int(stamp.timestamp())), "webhook-signature": signature}
    return headers, text.encode()


def about(key: str, outcome: str = "approved", amount: str = "48.00") -> dict[str, Any]:
    data = {
        "id": f"ref-{key}",
        "key": key,
        "outcome": outcome,
        "reason": None if outcome == "approved" else "no_funds",
        "amount": amount,
        "currency": "EUR",
        "card": {"ending": "1409", "expires": "2031-12"},
        "at": "2026-11-24T10:00:00Z",
    }
    return {"type": f"charge.{outcome}", "timestamp": "2026-11-24T10:00:00Z", "data": data}


async def open_attempt(shop: Shop) -> str:
    await pay(shop, await opened(shop), "no_answer")
    return str((await story(shop)).attempts[0].id)


async def test_a_message_settles_an_open_attempt_once(shop: Shop) -> None:
    key = await open_attempt(shop)
    connection, secret = await secret_of(shop)
    for message in ("m1", "m1", "m2"):
        headers, body = signed(secret, about(key), message)
        await gateway_events.receive_event(shop.context, connection, headers, body)
    assert await gateway_events.handle_events(shop.context) == 2, "the one that came twice is stored once"
    told = await story(shop)
    assert (told.order.state, len(told.charges)) == ("paid", 1)
    assert await gateway_events.handle_events(shop.context) == 0


@pytest.mark.parametrize("wrong", ["secret", "body", "stale", "future", "id", "none"])
async def test_a_forged_altered_or_stale_message_changes_nothing(shop: Shop, wrong: str) -> None:
    key = await open_attempt(shop)
    connection, secret = await secret_of(shop)
    shift = {"stale": -timedelta(minutes=10), "future": timedelta(minutes=10)}.get(wrong, timedelta(0))
    used = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw" if wrong == "secret" else secret
    headers, body = signed(used, about(key), at=datetime.now(UTC) + shift)
    if wrong == "body":
        body = body.replace(b"approved", b"refused_")
    if wrong == "id":
        headers["webhook-id"] = "m2"
    if wrong == "none":
        headers = {}
    with pytest.raises(ForgedEvent):
        await gateway_events.receive_event(shop.context, connection, headers, body)
    assert await gateway_events.handle_events(shop.context) == 0
    assert (await story(shop)).order.state == "open"


async def test_a_message_for_nobody_is_not_taken(shop: Shop) -> None:
    with pytest.raises(NotFound):
        await gateway_events.receive_event(shop.context, shop.context.new_id(), {}, b"")


@pytest.mark.parametrize(
    "body",
    [
        {"type": "charge.approved", "data": {"key": "of another system"}},
        {"type": "charge.approved"},
        {"type": "weather.changed", "data": {}},
        {"type": "charge.approved", "data": {"key": "01900000-0000-7000-8000-000000000000"}},
        {},
    ],
)
async def test_messages_that_say_nothing_to_us_are_put_aside(shop: Shop, body: dict[str, Any]) -> None:
    connection, secret = await secret_of(shop)
    await gateway_events.receive_event(shop.context, connection, *signed(secret, body))
    assert await gateway_events.handle_events(shop.context) == 1
    assert await gateway_events.handle_events(shop.context) == 0


async def test_a_late_refusal_of_a_paid_charge_is_written_down_for_a_person(shop: Shop) -> None:
    await pay(shop, await opened(shop))
    key = str((await story(shop)).attempts[0].id)
    connection, secret = await secret_of(shop)
    for message in ("m1", "m2"):
        await gateway_events.receive_event(shop.context, connection, *signed(secret, about(key, "refused"), message))
    await gateway_events.handle_events(shop.context)
    told = await story(shop)
    assert told.order.state == "paid"
    assert [e.kind for e in told.events].count("charge.contradicted") == 1


async def test_a_charge_after_a_refusal_or_of_another_amount_contradicts_our_books(shop: Shop) -> None:
    await pay(shop, await opened(shop), "lost")
    told = await story(shop)
    approved = Approved("ref", 4800, "EUR", datetime.now(UTC))
    assert await settling.settle(shop.context, shop.site_id, told.attempts[0].id, approved) == "contradicted"
    assert (await story(shop)).order.state == "open"


async def test_another_amount_is_never_booked(shop: Shop) -> None:
    key = UUID(await open_attempt(shop))
    for wrong in (Approved("ref", 4700, "EUR", datetime.now(UTC)), Approved("ref", 4800, "GBP", datetime.now(UTC))):
        assert await settling.settle(shop.context, shop.site_id, key, wrong) == "contradicted"
    told = await story(shop)
    assert (told.order.state, told.attempts[0].state, told.charges) == ("open", "open", [])


async def test_settling_again_is_harmless(shop: Shop) -> None:
    key = UUID(await open_attempt(shop))
    approved = Approved("ref", 4800, "EUR", datetime.now(UTC))
    done = [await settling.settle(shop.context, shop.site_id, key, approved) for _ in range(3)]
    assert done == ["paid", "settled before", "settled before"]
    assert await settling.settle(shop.context, shop.site_id, shop.context.new_id(), Refused("lost")) == "unknown"


async def test_a_gateway_that_stays_silent_is_asked_again_and_again_later(shop: Shop, unused_address: str) -> None:
    await open_attempt(shop)
    reach = shop.context.settings.gateways["standin-cards"]
    silent = {"standin-cards": replace(reach, api=unused_address)}
    shop.context.settings = replace(shop.context.settings, gateways=silent)
    waits = []
    for _ in range(4):
        assert await asking.recover(shop.context) == 1
        assert await asking.recover(shop.context) == 0, "not again at once"
        attempt = (await story(shop)).attempts[0]
        waits.append(attempt.ask_at - shop.clock())
        shop.clock.ahead += waits[-1] + timedelta(seconds=1)
    assert attempt.state == "open"
    assert waits == sorted(waits)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        assert (await attempts.attempts_of(Book(db, shop.site_id, "test"), attempt.order_id))[0].asks == 4


@pytest.fixture
def unused_address() -> str:
    from skurrow.run.ports import any_free

    return f"http://127.0.0.1:{any_free()}"
