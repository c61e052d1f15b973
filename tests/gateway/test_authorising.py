"""Being let in at a gateway's own site: OAuth 2.0 with a code and PKCE, at the stand-ins and through our desk."""

from __future__ import annotations

import base64
import hashlib
import re
from datetime import timedelta
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest

from skurrow.gateway import standin
from skurrow.gateway.protocol import Credentials, NotAccepted, Reach
from skurrow.service.payments import authorising, gateways
from skurrow.service.refusals import NotFound
from tests.conftest import Cards, Shop

VERIFIER = "dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk"
CHALLENGE = "E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM"


def answered_at(cards: Cards) -> str:
    return f"{cards.installation.desk_url}{authorising.ANSWERED_AT}"


async def let_in(address: str, cards: Cards, answer: str = "allow") -> dict[str, list[str]]:
    """What a merchant's answer sends back."""
    path = address.removeprefix("http://cards.localhost:8401")
    async with httpx.AsyncClient(base_url=cards.url) as browser:
        assert "Let skurrow in?" in (await browser.get(path)).text
        sent = await browser.post(path, data={"merchant": "ostrel", "answer": answer})
    assert sent.status_code == 303
    back = urlsplit(sent.headers["location"])
    assert f"{back.scheme}://{back.netloc}{back.path}" == answered_at(cards)
    return parse_qs(back.query)


def test_the_challenge_is_that_of_the_standard() -> None:
    """Source: RFC 7636, appendix B."""
    digest = hashlib.sha256(VERIFIER.encode()).digest()
    assert base64.urlsafe_b64encode(digest).rstrip(b"=").decode() == CHALLENGE


def address(cards: Cards, **changes: str) -> str:
    reach = Reach(cards.url, "http://cards.localhost:8401")
    found = standin.authorisation_address(reach, "test", answered_at(cards), "the state", CHALLENGE)
    for name, value in changes.items():
        found = re.sub(rf"{name}=[^&]*", f"{name}={value}", found)
    return found


async def traded(cards: Cards, code: str, verifier: str = VERIFIER, where: str = "") -> Credentials:
    async with httpx.AsyncClient() as client:
        reach = Reach(cards.url, "http://cards.localhost:8401")
        return await standin.trade_code(client, reach, code, where or answered_at(cards), verifier)


async def test_a_code_is_traded_once_for_a_key_of_its_own(cards: Cards) -> None:
    told = await let_in(address(cards), cards)
    assert told["state"] == ["the state"]
    (code,) = told["code"]
    found = await traded(cards, code)
    assert found.merchant == "ostrel"
    assert found.key not in (cards.test.key, cards.live.key)
    async with httpx.AsyncClient(base_url=cards.url, auth=(found.merchant, found.key)) as api:
        assert (await api.get("/account")).json()["mode"] == "test"
        with pytest.raises(NotAccepted):
            await traded(cards, code)
        assert (await api.get("/account")).status_code == 401, "a code that is traded twice takes its key back"


@pytest.mark.parametrize("wrong", ["code", "verifier", "where"])
async def test_a_code_is_worth_nothing_to_anybody_else(cards: Cards, wrong: str) -> None:
    (code,) = (await let_in(address(cards), cards))["code"]
    with pytest.raises(NotAccepted):
        await traded(
            cards,
            "guessed" if wrong == "code" else code,
            "x" * 43 if wrong == "verifier" else VERIFIER,
            "https://elsewhere.example/" if wrong == "where" else "",
        )


@pytest.mark.parametrize(
    "changes",
    [
        {"client_id": "stranger"},
        {"redirect_uri": "https%3A%2F%2Felsewhere.example"},
        {"code_challenge_method": "plain"},
        {"code_challenge": "short"},
        {"response_type": "token"},
    ],
)
async def test_who_asks_wrongly_is_not_answered_elsewhere(cards: Cards, changes: dict[str, str]) -> None:
    async with httpx.AsyncClient(base_url=cards.url) as browser:
        answer = await browser.get(address(cards, **changes).removeprefix("http://cards.localhost:8401"))
    assert answer.status_code == 400
    assert "location" not in answer.headers


def at_desk(shop: Shop) -> None:
    """Has the demo's desk stand where the gateway answers to."""
    object.__setattr__(shop.context.settings, "desk_url", shop.cards.installation.desk_url)


async def test_one_press_connects_a_gateway(shop: Shop) -> None:
    at_desk(shop)
    begun = authorising.begin(shop.context, shop.site_id, shop.person_id, "standin-cards", "test")
    told = await let_in(begun, shop.cards)
    before = {row.id for row in await gateways.connected(shop.context, shop.site_id)}
    found = authorising.read(shop.context, shop.person_id, told["state"][0])
    await authorising.finish(shop.context, found, told["code"][0])
    (row,) = await gateways.connected(shop.context, shop.site_id)
    assert row.id not in before
    assert (row.mode, row.merchant) == ("test", "ostrel")
    answer = await gateways.ask(shop.context, shop.site_id, row.id)
    assert answer.account is not None
    with pytest.raises(NotAccepted):
        await authorising.finish(shop.context, found, told["code"][0])


async def test_an_answer_serves_who_began_it_and_for_ten_minutes(shop: Shop) -> None:
    at_desk(shop)
    begun = authorising.begin(shop.context, shop.site_id, shop.person_id, "standin-cards", "test")
    (state,) = parse_qs(urlsplit(begun).query)["state"]
    assert authorising.read(shop.context, shop.person_id, state).adapter == "standin-cards"
    with pytest.raises(NotFound):
        authorising.read(shop.context, shop.site_id, state)
    for wrong in ("x", state[:-2] + "zz"):
        with pytest.raises(NotFound):
            authorising.read(shop.context, shop.person_id, wrong)
    shop.clock.ahead += timedelta(minutes=11)
    with pytest.raises(NotFound, match="too late"):
        authorising.read(shop.context, shop.person_id, state)
    with pytest.raises(NotFound):
        authorising.begin(shop.context, shop.site_id, shop.person_id, "transfer", "test")


async def test_the_secret_of_a_code_is_not_to_be_read_from_what_the_browser_carries(shop: Shop) -> None:
    begun = authorising.begin(shop.context, shop.site_id, shop.person_id, "standin-cards", "live")
    query = parse_qs(urlsplit(begun).query)
    (state,), (challenge,) = query["state"], query["code_challenge"]
    verifier = authorising.read(shop.context, shop.person_id, state).verifier
    digest = hashlib.sha256(verifier.encode()).digest()
    assert base64.urlsafe_b64encode(digest).rstrip(b"=").decode() == challenge
    assert verifier not in state
    data = shop.context.signer.read("authorisation", state)
    assert data is not None
    assert verifier not in str(data)
