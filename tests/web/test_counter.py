"""What a buyer meets: pages, their headers, the counter's API, and gateway messages."""

from __future__ import annotations

import json
import re
from typing import Any

import pytest

from skurrow.service.payments import gateways
from skurrow.web.counter.given import PayRequest
from tests.service.counter.test_selling import story
from tests.service.orders.test_settling import about, open_attempt, secret_of, signed
from tests.web.conftest import Web
from tests.web.test_desk import buy


async def boot(web: Web, path: str) -> Any:
    """What the server has written into a page."""
    page = await web.counter.get(path)
    found = re.search(r'<script type="application/json" id="boot">(.*?)</script>', page.text, re.S)
    assert found, page.text[:300]
    return json.loads(found[1])


async def test_the_checkout_page_holds_all_it_needs_and_may_be_framed_by_the_site_only(web: Web) -> None:
    page = await web.counter.get("/buy/ostrel-kit")
    policy = page.headers["content-security-policy"]
    assert "frame-ancestors http://ostrel.localhost:8403 http://localhost:8400" in policy
    assert "frame-src http://cards.localhost:8401;" in policy
    assert "script-src 'self'" in policy
    assert page.headers["cache-control"] == "no-store"
    assert "set-cookie" not in page.headers
    data = await boot(web, "/buy/ostrel-kit")
    assert data["counter"]["heading"] == "Your Coptic stitch kit"
    assert {"code": "NL", "name": "Netherlands"} in data["counter"]["countries"]
    assert web.shop.cards.test.key not in page.text


@pytest.mark.parametrize("path", ["/buy/nothing", "/buy/%00", "/buy/" + "x" * 300, "/thanks/nothing"])
async def test_an_unknown_address_is_a_proper_page_with_404(web: Web, path: str) -> None:
    page = await web.counter.get(path)
    assert page.status_code == 404
    assert page.headers["content-type"].startswith("text/html")
    assert '"page": "unknown"' in page.text


async def test_text_of_the_business_cannot_become_script(web: Web) -> None:
    await web.sign_in()
    kit = (await web.desk.get("/desk/api/sites/ostrel/parts/checkout/kit")).json()["part"]
    nasty = "</script><script>alert(1)</script>"
    edit = {"seen": kit["change"], "body": {**kit["body"], "heading": nasty}}
    assert (await web.desk.put("/desk/api/sites/ostrel/parts/checkout/kit", json=edit)).status_code == 200
    page = await web.counter.get("/buy/ostrel-kit")
    assert "<script>alert" not in page.text
    assert (await boot(web, "/buy/ostrel-kit"))["counter"]["heading"] == nasty
    placements = (await web.desk.get("/desk/api/sites/ostrel/placements")).json()
    assert "<script>alert" not in placements[0]["snippet"]


async def test_a_sale_over_http_and_its_confirmation(web: Web) -> None:
    paid = (await buy(web)).json()
    assert paid["state"] == "paid"
    page = await boot(web, paid["confirmation"])
    assert (page["amount"], page["quote"]["due_today"], page["paid_by"]) == ("48.00", "48.00", "card ending in 1409")
    assert page["site_url"] == "http://ostrel.localhost:8403"


async def test_a_refusal_says_why_in_plain_words(web: Web) -> None:
    answer = (await buy(web, number="9200246810122406")).json()
    assert (answer["state"], answer["confirmation"]) == ("refused", None)
    assert answer["message"] == "The bank says there is not enough money in the account. Try another card."


@pytest.mark.parametrize(
    ("changes", "path"),
    [
        ({"email": "nobody"}, "email"),
        ({"name": ""}, "name"),
        ({"name": "A\u0000"}, "name"),
        ({"address": {"street": "A\u0000"}}, "address.street"),
        ({"deliver_to": {"country": "NL", "name": "A\u0001"}}, "deliver_to.name"),
        ({"company": "A\u0000"}, "company"),
        ({"tax_number": "A\u0000"}, "tax_number"),
        ({"country": "XX"}, "country"),
        ({"token": ""}, "token"),
        ({"amount": "1.00"}, "amount"),
        ({"visit": "x" * 2000}, "visit"),
    ],
)
async def test_wrong_fields_are_named_and_nothing_is_charged(web: Web, changes: dict[str, Any], path: str) -> None:
    visit = (await boot(web, "/buy/ostrel-kit"))["counter"]["visit"]
    payment = {
        "visit": visit,
        "email": "a@example.org",
        "name": "A",
        "country": "NL",
        "expected": "48.00",
        "variant": "moss",
        "delivery": "collect",
        "token": "t",
    }
    answer = await web.counter.post("/counter/api/pay", json={**payment, **changes})
    assert answer.status_code == 422
    assert [e["path"] for e in answer.json()["errors"]] == [path]
    assert (await web.counter.post("/counter/api/progress", json={"visit": visit})).json()["state"] == "none"


async def test_a_visit_that_is_not_ours_gets_nothing(web: Web) -> None:
    for path, more in (("quote", {"country": "NL"}), ("progress", {}), ("resume", {"fresh": "x"})):
        answer = await web.counter.post(f"/counter/api/{path}", json={"visit": "forged", **more})
        assert answer.status_code == 404, path


async def test_messages_of_the_gateway_are_taken_once_verified(web: Web) -> None:
    key = await open_attempt(web.shop)
    connection, secret = await secret_of(web.shop)
    headers, body = signed(secret, about(key))
    path = f"/gateway-events/{connection}"
    assert (await web.counter.post(path, content=body)).status_code == 400
    assert (await web.counter.post(path, content=body + b" ", headers=headers)).status_code == 400
    assert (
        await web.counter.post("/gateway-events/01900000-0000-7000-8000-000000000000", content=body, headers=headers)
    ).status_code == 404
    assert (await web.counter.post(path, content=body, headers=headers)).status_code == 202
    assert (await story(web.shop)).order.state == "open", "stored first, handled by the worker"


async def test_a_closed_shop_says_so(web: Web) -> None:
    from skurrow.store.database import run, site_transaction

    async with site_transaction(web.shop.context.pool, web.shop.site_id) as db:
        await run(db, "update connections set replaced_at = now()")
    assert await gateways.connected(web.shop.context, web.shop.site_id) == []
    page = await web.counter.get("/buy/ostrel-kit")
    assert page.status_code == 503
    assert "cannot take payments at the moment" in page.text


def test_what_is_typed_is_kept_without_blanks() -> None:
    pressed = {"visit": "v", "email": "ada@example.org", "name": "Ada", "country": "NL", "expected": "48.00"}
    typed = {"address": {"street": "  Brink 3 ", "city": " "}, "company": "  ", "tax_number": "", "lives_here": True}
    kept = PayRequest.model_validate({**pressed, **typed, "deliver_to": {"country": "BE", "name": " Bo "}})
    assert kept.kept("DE", "nl").model_dump(exclude_defaults=True) == {
        **{"email": "ada@example.org", "name": "Ada", "country": "NL", "language": "nl"},
        "address": {"street": "Brink 3"},
        "deliver_to": {"country": "BE", "name": "Bo"},
        "evidence": {"declared": "NL", "connection": "DE", "confirmed": True},
    }
