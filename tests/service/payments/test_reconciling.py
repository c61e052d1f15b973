"""Comparing our books with the gateway's: what differs is found, in both directions, and nothing else is."""

from __future__ import annotations

import uuid
from datetime import timedelta
from typing import Any

import httpx
import psycopg
import pytest

from skurrow.core.payments.refunds import Asked
from skurrow.service.counter import opening, paying
from skurrow.service.draft import configuration
from skurrow.service.orders import books, gateway_events, refunds
from skurrow.service.payments import gateways, reconciling
from skurrow.service.refusals import Closed, Conflict, NotFound
from skurrow.store.payments.reconciliations import ReconciliationRow
from tests.conftest import Shop
from tests.gateway.test_standin_cards import NUMBERS
from tests.payments import payment_of
from tests.service.counter.test_selling import opened
from tests.service.orders.test_settling import secret_of, signed
from tests.service.papers.test_papers import COLLECT
from tests.service.tax.test_tax import buy

pytestmark = pytest.mark.usefixtures("connected_now")


async def compared(shop: Shop) -> ReconciliationRow:
    (connection,) = await gateways.connected(shop.context, shop.site_id)
    shop.clock.ahead += timedelta(minutes=2)
    return await reconciling.compare(shop.context, shop.site_id, connection.id)


def differences(found: ReconciliationRow) -> list[tuple[Any, ...]]:
    return [(one["code"], one["kind"], one["ours"], one["theirs"]) for one in found.differences]


async def bought(shop: Shop) -> str:
    await buy(shop, expected="48.00", choice=COLLECT)
    return (await books.page(shop.context, shop.site_id, "test", None, "")).orders[0].code


def at_gateway(shop: Shop) -> httpx.AsyncClient:
    return httpx.AsyncClient(base_url=shop.cards.url, auth=(shop.cards.test.merchant, shop.cards.test.key))


async def attention(shop: Shop, stage: str) -> int:
    state = await configuration.site_state(shop.context, shop.site_id)
    return next(one.attention for one in state.stages if one.stage == stage)


def spoil(shop: Shop, *statements: str) -> None:
    with psycopg.connect(shop.database.superuser) as db:
        db.execute("set session_replication_role = replica")  # no triggers, no foreign keys: as a disk would do it
        for statement in statements:
            db.execute(statement.encode())


async def test_charges_and_refunds_agree(shop: Shop) -> None:
    code = await bought(shop)
    await refunds.refund(shop.context, shop.site_id, None, "test", code, uuid.uuid4(), [Asked(0, "8.00")], "8.00")
    found = await compared(shop)
    assert (found.entries, found.differences) == (2, [])
    (connection,) = await gateways.connected(shop.context, shop.site_id)
    assert await reconciling.last(shop.context, shop.site_id, connection.id) == found


async def test_whatever_differs_is_found(shop: Shop) -> None:
    await bought(shop)
    await bought(shop)
    async with at_gateway(shop) as api:
        token = await shop.cards.token()
        made = await api.put(f"/charges/{uuid.uuid4()}", json={"amount": "5.00", "currency": "EUR", "token": token})
        assert made.is_success
    assert await attention(shop, "payments") == 0
    assert differences(await compared(shop)) == [("only_there", "charge", None, 500)]
    assert await attention(shop, "payments") == 1, "the work order says so until it is gone"
    spoil(shop, "update charges set amount = 4700 where id = (select min(id::text)::uuid from charges)")
    assert sorted(differences(await compared(shop))) == [
        ("amount", "charge", 4700, 4800),
        ("only_there", "charge", None, 500),
    ]
    spoil(shop, "update attempts set id = gen_random_uuid()", "update charges set attempt_id = gen_random_uuid()")
    found = sorted(differences(await compared(shop)), key=str)
    assert [one[0] for one in found] == ["only_here", "only_here", "only_there", "only_there", "only_there"]


async def test_what_is_still_asked_about_is_no_difference(shop: Shop) -> None:
    visit = await opened(shop)
    payment = payment_of("a@example.org", "A", "NL", await shop.cards.token(NUMBERS["cut"]), "48.00", COLLECT)
    assert (await paying.pay(shop.context, visit, payment)).state == "pending"
    found = await compared(shop)
    assert (found.entries, found.differences) == (1, [])


async def test_a_cleared_test_book_is_not_compared_with_what_was_before(shop: Shop) -> None:
    await bought(shop)
    shop.clock.ahead += timedelta(minutes=3)
    await books.clear_test_book(shop.context, shop.site_id, shop.person_id)
    found = await compared(shop)
    assert (found.entries, found.differences) == (0, [])


async def test_every_night_and_at_no_other_time(shop: Shop) -> None:
    await bought(shop)
    shop.clock.ahead += timedelta(minutes=2)
    assert await reconciling.compare_due(shop.context) == 1
    assert await reconciling.compare_due(shop.context) == 0
    shop.clock.ahead += timedelta(days=1, hours=3)
    assert await reconciling.compare_due(shop.context) == 1


async def test_a_gateway_that_does_not_answer_is_asked_again_in_an_hour(shop: Shop) -> None:
    async with at_gateway(shop) as api:
        (await api.put("/faults", json={"lost": 1})).raise_for_status()
        try:
            with pytest.raises(Conflict, match="does not answer"):
                await compared(shop)
            assert await reconciling.compare_due(shop.context) == 1
        finally:
            (await api.put("/faults", json={})).raise_for_status()
    assert await reconciling.compare_due(shop.context) == 0
    shop.clock.ahead += timedelta(hours=1, minutes=1)
    assert await reconciling.compare_due(shop.context) == 1


async def test_money_given_back_at_the_gateway_itself_is_written_down_for_a_person(shop: Shop) -> None:
    await bought(shop)
    (order,) = (await books.page(shop.context, shop.site_id, "test", None, "")).orders
    story = await books.story(shop.context, shop.site_id, "test", order.code)
    async with at_gateway(shop) as api:
        path = f"/charges/{story.charges[0].attempt_id}/refunds/{uuid.uuid4()}"
        (await api.put(path, json={"amount": "8.00"})).raise_for_status()
        charge = (await api.get(f"/charges/{story.charges[0].attempt_id}")).json()
        refund = (await api.get(path)).json()
    (connection,) = await gateways.connected(shop.context, shop.site_id)
    message = {"type": "charge.refunded", "data": {**charge, "refund": refund}}
    _, secret = await secret_of(shop)
    for name in ("msg_1", "msg_1", "msg_2"):
        await gateway_events.receive_event(shop.context, connection.id, *signed(secret, message, name))
        await gateway_events.handle_events(shop.context)
    told = await books.story(shop.context, shop.site_id, "test", order.code)
    wrong = [event.body["why"] for event in told.events if event.kind == "charge.contradicted"]
    assert wrong == ["money was given back at the gateway itself"]
    assert differences(await compared(shop)) == [("only_there", "refund", None, 800)]


async def test_a_disconnected_gateway_still_gives_back_and_takes_no_more(shop: Shop) -> None:
    code = await bought(shop)
    (connection,) = await gateways.connected(shop.context, shop.site_id)
    await gateways.disconnect(shop.context, shop.site_id, connection.id)
    with pytest.raises(NotFound):
        await gateways.disconnect(shop.context, shop.site_id, connection.id)
    with pytest.raises(Closed):
        await opening.open_counter(shop.context, "ostrel-kit")
    row = await refunds.refund(
        shop.context, shop.site_id, None, "test", code, uuid.uuid4(), [Asked(0, "48.00")], "48.00"
    )
    assert row.state == "made"
