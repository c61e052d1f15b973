"""The desk's API: who may ask, what is answered, and how errors read."""

from __future__ import annotations

import httpx
import pytest

from skurrow.run.demo import EMAIL
from skurrow.run.installation import ROOT
from skurrow.service.limits import SIGN_IN
from skurrow.web.guards import LARGEST_BODY
from skurrow.web.openapi import document
from tests.conftest import strict
from tests.web.conftest import Web

SITE = "/desk/api/sites/ostrel"


def test_the_client_is_generated_from_the_api_as_it_is() -> None:
    kept = (ROOT / "ui/src/api/generated/openapi.json").read_text()
    assert kept == document(), "run ./test --update-client"


async def test_signing_in_and_out(web: Web) -> None:
    assert (await web.desk.get("/desk/api/me")).status_code == 401
    wrong = await web.desk.post("/desk/api/session", json={"email": EMAIL, "password": "wrong"})
    assert (wrong.status_code, wrong.headers["content-type"]) == (401, "application/problem+json")
    answer = await web.desk.post("/desk/api/session", json={"email": EMAIL, "password": "linen-and-thread"})
    cookie = answer.headers["set-cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=lax" in cookie
    assert "Path=/desk/api" in cookie
    me = (await web.desk.get("/desk/api/me")).json()
    assert me == {
        **{"name": "Noor Vermaat", "email": EMAIL, "two_step": False},
        "sites": [{"code": "ostrel", "name": "Ostrel Bindery", "role": "developer", "archived": False}],
    }
    await web.desk.delete("/desk/api/session")
    assert (await web.desk.get("/desk/api/me")).status_code == 401


async def test_too_many_failures_say_when_to_come_back(web: Web) -> None:
    strict(web.app.state.context)
    for _ in range(SIGN_IN.most):
        await web.desk.post("/desk/api/session", json={"email": EMAIL, "password": "wrong"})
    answer = await web.desk.post("/desk/api/session", json={"email": EMAIL, "password": "wrong"})
    assert (answer.status_code, answer.headers["retry-after"]) == (429, "900")


@pytest.mark.parametrize("origin", [None, "http://ostrel.localhost:8403", "http://counter.localhost:8400", "null"])
async def test_other_pages_cannot_act_for_the_desk(web: Web, origin: str | None) -> None:
    await web.sign_in()
    web.desk.headers.pop("origin")
    headers = {} if origin is None else {"origin": origin}
    answer = await web.desk.post(f"{SITE}/releases", json={"seen": 1}, headers=headers)
    assert answer.status_code == 403
    assert (await web.desk.get(SITE)).json()["release"] is None


async def test_desk_and_counter_stand_on_hosts_of_their_own(web: Web) -> None:
    for path in ("/", "/desk/api/me", "/s/ostrel/orders"):
        assert (await web.counter.get(path)).status_code == 404
    for path in ("/buy/ostrel-kit", "/thanks/x", "/embed.js", "/counter/api/quote"):
        assert (await web.desk.get(path)).status_code == 404
    evil = httpx.AsyncClient(transport=web.desk._transport, base_url="http://evil.example")
    assert (await evil.get("/")).status_code == 404
    page = await web.desk.get("/s/ostrel/orders")
    assert "frame-ancestors 'none'" in page.headers["content-security-policy"]


async def test_an_edit_is_answered_with_its_change_and_a_slower_one_with_theirs(web: Web) -> None:
    await web.sign_in()
    kit = (await web.desk.get(f"{SITE}/parts/product/coptic-kit")).json()["part"]
    first = await web.desk.put(
        f"{SITE}/parts/product/coptic-kit", json={"seen": 1, "body": {**kit["body"], "name": "Theirs"}}
    )
    assert (first.status_code, first.json()["change"]) == (200, 2)
    second = await web.desk.put(
        f"{SITE}/parts/product/coptic-kit", json={"seen": 1, "body": {**kit["body"], "name": "Mine"}}
    )
    assert second.status_code == 409
    clash = second.json()["current"]
    assert (clash["current"]["body"]["name"], clash["by"]) == ("Theirs", "Noor Vermaat")
    assert clash["rows"] == [
        {"what": "name", "before": "Coptic stitch kit", "mine": "Mine", "theirs": "Theirs", "clash": True}
    ]
    assert clash["both"]["name"] == "Mine"


@pytest.mark.parametrize(
    ("part", "body"),
    [("site/-", [{}]), ("tax/0", []), ("product/coptic-kit", [{}]), ("checkout/kit", [[]]), ("currencies/-", {})],
)
async def test_a_part_of_the_wrong_shape_is_refused_in_words(web: Web, part: str, body: object) -> None:
    await web.sign_in()
    answer = await web.desk.put(f"{SITE}/parts/{part}", json={"seen": 2, "body": body})
    assert answer.status_code == 422
    assert all(one["path"].startswith("body") and one["remedy"] for one in answer.json()["errors"])


async def test_errors_name_the_field_and_the_remedy(web: Web) -> None:
    await web.sign_in()
    kit = (await web.desk.get(f"{SITE}/parts/product/coptic-kit")).json()["part"]
    price = {**kit["body"]["prices"][0], "amount": {"EUR": "48.000"}}
    answer = await web.desk.put(
        f"{SITE}/parts/product/coptic-kit", json={"seen": 1, "body": {**kit["body"], "prices": [price]}}
    )
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    assert answer.json()["errors"] == [
        {
            "path": "prices[0].amount.EUR",
            "message": "EUR has 2 decimals, 48.000 has 3",
            "remedy": "Write fewer",
            "code": "invalid",
        }
    ]


@pytest.mark.parametrize("content", [b"{", b"[]", b'{"seen": "x"}', b'{"seen": 1, "body": {}, "more": 1}'])
async def test_malformed_requests_are_refused_in_words(web: Web, content: bytes) -> None:
    await web.sign_in()
    headers = {"content-type": "application/json"}
    answer = await web.desk.put(f"{SITE}/parts/product/coptic-kit", content=content, headers=headers)
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["remedy"]


async def test_large_requests_are_refused(web: Web) -> None:
    await web.sign_in()
    answer = await web.desk.put(f"{SITE}/parts/product/x", content=b" " * (LARGEST_BODY + 1))
    assert answer.status_code == 413


async def test_a_book_is_paged_and_searched(web: Web) -> None:
    await web.sign_in()
    for n in range(32):
        await buy(web, f"buyer{n}@example.org")
    first = (await web.desk.get(f"{SITE}/books/test/orders")).json()
    assert [o["email"] for o in first["orders"]][:2] == ["buyer31@example.org", "buyer30@example.org"]
    assert len(first["orders"]) == 30
    second = (await web.desk.get(f"{SITE}/books/test/orders", params={"before": first["next"]})).json()
    assert [o["email"] for o in second["orders"]] == ["buyer1@example.org", "buyer0@example.org"]
    assert second["next"] is None
    found = (await web.desk.get(f"{SITE}/books/test/orders", params={"search": "BUYER17"})).json()
    assert [o["email"] for o in found["orders"]] == ["buyer17@example.org"]
    code = found["orders"][0]["code"]
    assert (await web.desk.get(f"{SITE}/books/test/orders", params={"search": code.lower()})).json()["orders"]
    assert (await web.desk.get(f"{SITE}/books/test/orders/{code}")).json()["charges"][0]["amount"] == "48.00"
    assert (await web.desk.get(f"{SITE}/books/live/orders/{code}")).status_code == 404
    assert (await web.desk.get(f"{SITE}/books/live/orders")).json()["orders"] == []


async def test_no_key_is_ever_shown(web: Web) -> None:
    await web.sign_in()
    body = {"mode": "live", "merchant": "ostrel", "key": web.shop.cards.live.key}
    made = await web.desk.post(f"{SITE}/gateways/standin-cards/connections", json=body)
    shown = await web.desk.get(f"{SITE}/gateways")
    assert made.status_code == 201
    for text in (made.text, shown.text):
        assert web.shop.cards.live.key not in text
        assert web.shop.cards.test.key not in text
        assert "whsec" not in text
    fees = shown.json()[0]["connections"][0]["fees"]
    assert (fees["percent"], fees["fixed"], fees["own"]) == ("2.9", "0.30", "EUR")


async def buy(web: Web, email: str = "jo@example.org", number: str = "9100246810121409") -> httpx.Response:
    """Buys the kit as the counter's page does."""
    from tests.web.test_counter import boot

    visit = (await boot(web, "/buy/ostrel-kit"))["counter"]["visit"]
    payment = {
        "visit": visit,
        "email": email,
        "name": "Jo",
        "country": "NL",
        "expected": "48.00",
        "variant": "moss",
        "delivery": "collect",
    }
    return await web.counter.post("/counter/api/pay", json={**payment, "token": await web.shop.cards.token(number)})
