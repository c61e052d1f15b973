"""Signing in, and connecting gateways: what must not work, and what must not be readable."""

from __future__ import annotations

import asyncio
from datetime import timedelta

import psycopg
import pytest

from skurrow.core.problems import InvalidInput
from skurrow.gateway.protocol import Credentials
from skurrow.run.demo import EMAIL
from skurrow.service.limits import SIGN_IN, SIGN_IN_ADDRESS
from skurrow.service.payments import gateways
from skurrow.service.people import sign_in
from skurrow.service.people.sign_in import Where
from skurrow.service.refusals import NotFound, TooMany
from tests.conftest import PASSWORD, Shop, strict


async def test_a_session_is_its_owners_until_it_ends(shop: Shop) -> None:
    token = await sign_in.sign_in(shop.context, EMAIL.upper(), PASSWORD, Where("a"))
    assert token
    found = await sign_in.who_is(shop.context, token)
    assert found is not None
    assert (found[0].email, [m.code for m in found[1]]) == (EMAIL, ["ostrel"])
    assert await sign_in.who_is(shop.context, token + "x") is None
    shop.clock.ahead = sign_in.SESSION_LIFE + timedelta(seconds=1)
    assert await sign_in.who_is(shop.context, token) is None
    shop.clock.ahead = timedelta(0)
    await sign_in.sign_out(shop.context, token)
    assert await sign_in.who_is(shop.context, token) is None


async def test_neither_token_nor_password_lies_in_the_database(shop: Shop) -> None:
    token = await sign_in.sign_in(shop.context, EMAIL, PASSWORD, Where("a"))
    with psycopg.connect(shop.database.superuser) as db:
        people = str(db.execute("select * from people").fetchall())
        sessions = str(db.execute("select * from sessions").fetchall())
    assert PASSWORD not in people
    assert "$argon2id$" in people
    assert str(token) not in sessions


async def test_failures_are_limited_by_email_and_address(shop: Shop) -> None:
    strict(shop.context)
    for _ in range(SIGN_IN.most):
        assert await sign_in.sign_in(shop.context, EMAIL, "wrong", Where("a")) is None
    with pytest.raises(TooMany):
        await sign_in.sign_in(shop.context, EMAIL, PASSWORD, Where("a"))
    assert await sign_in.sign_in(shop.context, EMAIL, PASSWORD, Where("b")), "another address is not shut out"
    shop.clock.ahead = SIGN_IN.within + timedelta(minutes=2)
    assert await sign_in.sign_in(shop.context, EMAIL, PASSWORD, Where("a"))


async def test_tries_at_once_are_limited_too(shop: Shop) -> None:
    strict(shop.context)
    tries = (sign_in.sign_in(shop.context, EMAIL, f"wrong{n}", Where("a")) for n in range(20))
    results = await asyncio.gather(*tries, return_exceptions=True)
    assert sum(result is None for result in results) == SIGN_IN.most
    assert sum(isinstance(result, TooMany) for result in results) == 20 - SIGN_IN.most


async def test_an_address_cannot_try_many_emails(shop: Shop) -> None:
    strict(shop.context)
    for n in range(SIGN_IN_ADDRESS.most):
        assert await sign_in.sign_in(shop.context, f"nobody{n}@example.org", "wrong", Where("a")) is None
    with pytest.raises(TooMany):
        await sign_in.sign_in(shop.context, EMAIL, PASSWORD, Where("a"))


@pytest.mark.parametrize(
    ("merchant", "key", "says"),
    [("ostrel", "wrong", "does not know this merchant"), ("nobody", "test", "does not know this merchant")],
)
async def test_wrong_keys_are_told_at_the_field(shop: Shop, merchant: str, key: str, says: str) -> None:
    with pytest.raises(InvalidInput, match=says) as caught:
        await gateways.connect(shop.context, shop.site_id, "standin-cards", "test", Credentials(merchant, key))
    assert caught.value.problems[0].where == "key"


async def test_a_key_of_the_other_mode_is_refused(shop: Shop) -> None:
    with pytest.raises(InvalidInput, match="key for test mode"):
        await gateways.connect(shop.context, shop.site_id, "standin-cards", "live", shop.cards.test)
    assert [row.mode for row in await gateways.connected(shop.context, shop.site_id)] == ["test"]


async def test_a_gateway_that_does_not_exist_is_not_found(shop: Shop) -> None:
    with pytest.raises(NotFound):
        await gateways.connect(shop.context, shop.site_id, "other", "test", shop.cards.test)


async def test_keys_are_sealed_and_a_new_connection_takes_the_place_of_the_old(shop: Shop) -> None:
    (old,) = await gateways.connected(shop.context, shop.site_id)
    new = await gateways.connect(shop.context, shop.site_id, "standin-cards", "test", shop.cards.test)
    assert [row.id for row in await gateways.connected(shop.context, shop.site_id)] == [new.id]
    assert old.id != new.id
    with psycopg.connect(shop.database.superuser) as db:
        rows = db.execute("select row_to_json(c)::text from connections c").fetchall()
    assert len(rows) == 2
    for (text,) in rows:
        assert shop.cards.test.key not in text
        assert "whsec" not in text
    assert shop.cards.test.key not in repr(new) + repr(shop.cards.test)


async def test_asking_says_whether_it_answers_and_renews_the_events_address(shop: Shop) -> None:
    from dataclasses import replace

    (row,) = await gateways.connected(shop.context, shop.site_id)
    shop.context.settings = replace(shop.context.settings, events_url="http://127.0.0.1:10")
    answer = await gateways.ask(shop.context, shop.site_id, row.id)
    assert (answer.problem, answer.account and answer.account.merchant) == (None, "ostrel")
    (renewed,) = await gateways.connected(shop.context, shop.site_id)
    assert renewed.events_url.startswith("http://127.0.0.1:10/")
    with pytest.raises(NotFound):
        await gateways.ask(shop.context, shop.site_id, shop.context.new_id())
