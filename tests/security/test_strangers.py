"""What a stranger sends: to every changing endpoint from another page, slowly, in halves, from too many connections."""

from __future__ import annotations

import asyncio
import contextlib
import json
import time
from collections.abc import AsyncIterator
from typing import Any

import httpx
import pytest
from fastapi.routing import APIRoute, iter_route_contexts

from skurrow.run.ports import any_free
from skurrow.store.database import siteless_transaction, value
from skurrow.web import server
from skurrow.web.routes import BoundedRoute
from tests.conftest import Shop, settings_for
from tests.web.conftest import Web
from tests.web.test_counter import boot

FAIR = {
    **{"email": "jo@example.org", "name": "Jo", "country": "NL", "expected": "48.00"},
    **{"variant": "moss", "delivery": "collect"},
}
OTHERS = ("http://evil.example", "http://counter.localhost:8400", "http://ostrel.localhost:8403", "null", None)


async def test_no_other_page_changes_anything(web: Web) -> None:
    """Every changing endpoint of the desk and of the account page, with the cookies of whoever is signed in."""
    await web.sign_in()
    asked = 0
    for path, operations in web.app.openapi()["paths"].items():
        signed_in = path.startswith(("/desk/api/", "/counter/api/account/", "/counter/api/renewal"))
        for method in operations if signed_in else ():
            if method == "get":
                continue
            client = web.desk if path.startswith("/desk") else web.counter
            for origin in OTHERS:
                if path.startswith("/counter") and origin == "http://counter.localhost:8400":
                    continue
                headers = {} if origin is None else {"origin": origin}
                request = client.build_request(method.upper(), path.replace("{site}", "ostrel"), json={})
                request.headers.pop("origin", None)
                request.headers.update(headers)
                assert (await client.send(request)).status_code == 403, (method, path, origin)
                asked += 1
    assert asked > 200


async def test_whatever_is_read_as_json_is_read_within_bounds(web: Web) -> None:
    routes = [each.original_route for each in iter_route_contexts(web.app.routes)]
    reading = [each for each in routes if isinstance(each, APIRoute) and each.body_field is not None]
    assert len(reading) > 50
    assert all(isinstance(each, BoundedRoute) for each in reading)
    for body in (
        "[" * 20_000,
        '{"a":' * 900 + "1" + "}" * 900,
        "9" * 5000,
        '{"visit": "\\ud800"}',
        '{"country": 1e999}',
    ):
        answer = await web.counter.post(
            "/counter/api/quote", content=body, headers={"content-type": "application/json"}
        )
        assert answer.status_code == 422, body[:20]
        assert answer.headers["content-type"] == "application/problem+json"
    pay = {"visit": "x", "country": "\ud800", "email": "a@b.example", "name": "Jo", "expected": "1.00"}
    content = json.dumps(pay)
    typed = {"content-type": "application/json"}
    answer = await web.counter.post("/counter/api/pay", content=content, headers=typed)
    assert answer.status_code == 422


async def test_what_is_altered_on_the_way_charges_nothing(web: Web) -> None:
    """Amounts, prices, currencies, tokens and modes, as somebody alters them who knows what the counter sends."""
    visit, later = [(await boot(web, f"/buy/ostrel-{one}"))["counter"]["visit"] for one in ("kit", "marbling")]
    seal = visit.rsplit(".", 1)
    fair = {**FAIR, "visit": visit, "token": await web.shop.cards.token("9100246810121409")}
    altered: list[dict[str, Any]] = [
        *({"expected": one} for one in ("0.00", "0.01", "-48.00", "4.80", "96.00", "4800", "４８.00")),
        *({"price": one} for one in ("marbling-whole", "nothing", "../coptic-kit", "")),
        *({"token": one} for one in ("../account", "x" * 500, "a/b", "%2e%2e", "tok en", "tok?amount=1")),
        *({"visit": one} for one in (seal[0] + "A." + seal[-1], visit[:-1], later[: len(later) // 2] + visit, "", "x")),
        *({one: "x"} for one in ("mode", "amount", "currency", "site", "total", "order", "release")),
        *({"quantity": one} for one in (0, -1, 10**9, 1.5, "²")),
        *({"variant": one} for one in ("none", "", None)),
        *({"coupons": [one]} for one in ("NO-SUCH", "'; drop table orders --")),
    ]
    for change in altered:
        answer = await web.counter.post("/counter/api/pay", json={**fair, **change})
        assert 400 <= answer.status_code < 500, (change, answer.text)
    assert (await web.counter.post("/counter/api/progress", json={"visit": visit})).json()["state"] == "none"
    async with siteless_transaction(web.shop.context.pool) as db:
        assert await value(db, "select count(*) from attempts") == 0
    assert (await web.counter.post("/counter/api/pay", json=fair)).json()["state"] == "paid", "unaltered it is paid"


@pytest.fixture
async def served(shop: Shop, monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest) -> AsyncIterator[int]:
    """The application behind its real server, which takes few connections; with as much patience as a test asks for."""
    patience = getattr(request, "param", server.HEAD_SECONDS)
    monkeypatch.setattr(server, "HEAD_SECONDS", patience)
    monkeypatch.setattr(server, "BODY_SECONDS", patience)
    monkeypatch.setattr(server, "MOST_OF_ONE", 20)
    port = any_free()
    running = server.server(settings_for(shop.database, shop.cards), port)
    serving = asyncio.create_task(running.serve())
    while not running.started:
        await asyncio.sleep(0.02)
    yield port
    running.should_exit = True
    await serving


async def _said(reader: asyncio.StreamReader) -> bytes:
    with contextlib.suppress(ConnectionError, asyncio.IncompleteReadError):
        return await asyncio.wait_for(reader.read(200), 5)
    return b""


@pytest.mark.parametrize("served", [0.6], indirect=True)
@pytest.mark.parametrize(
    ("sent", "status"),
    [
        (b"", 408),
        (b"GET /health HTTP/1.1\r\nhost: x", 408),
        (b"POST /counter/api/quote HTTP/1.1\r\nhost: counter.localhost:8400\r\ncontent-length: 100\r\n\r\n{", 408),
        (b"GET /health HTTP/1.1\r\nx: " + b"a" * 200_000, 431),
        (b"\x00\x01\x02 nonsense\r\n\r\n", 400),
    ],
)
async def test_half_requests_and_large_heads_are_hung_up_on(served: int, sent: bytes, status: int) -> None:
    reader, writer = await asyncio.open_connection("127.0.0.1", served)
    began = time.monotonic()
    writer.write(sent)
    with contextlib.suppress(ConnectionError):
        await writer.drain()
    answer = await _said(reader)
    assert answer.startswith(f"HTTP/1.1 {status}".encode()), answer
    assert time.monotonic() - began < 4
    writer.close()


async def test_one_address_has_so_many_connections_and_they_come_back(served: int) -> None:
    many = [await asyncio.open_connection("127.0.0.1", served) for _ in range(server.MOST_OF_ONE)]
    reader, writer = await asyncio.open_connection("127.0.0.1", served)
    assert (await _said(reader)).startswith(b"HTTP/1.1 503")
    writer.close()
    for _, one in many:
        one.close()
    async with httpx.AsyncClient() as client:
        for _ in range(100):
            with contextlib.suppress(httpx.HTTPError):
                if (await client.get(f"http://127.0.0.1:{served}/health")).is_success:
                    break
            await asyncio.sleep(0.05)
        answer = await client.get(f"http://127.0.0.1:{served}/health")
    assert answer.status_code == 200
    assert "server" not in answer.headers


async def test_a_slow_body_that_arrives_in_time_is_read(served: int) -> None:
    body = b'{"visit": "x", "country": "NL"}'
    reader, writer = await asyncio.open_connection("127.0.0.1", served)
    head = f"POST /counter/api/quote HTTP/1.1\r\nhost: counter.localhost:8400\r\ncontent-length: {len(body)}\r\n"
    writer.write(f"{head}content-type: application/json\r\n\r\n".encode())
    for byte in (body[:10], body[10:]):
        await asyncio.sleep(0.1)
        writer.write(byte)
        await writer.drain()
    assert (await _said(reader)).startswith(b"HTTP/1.1 404"), "the visit is not known"
    writer.close()


async def test_a_payload_in_a_name_is_text_wherever_it_is_shown(web: Web) -> None:
    payload = "</script><script>alert(1)</script>\"'><img src=x onerror=alert(1)>"
    await web.sign_in()
    part: Any = (await web.desk.get("/desk/api/sites/ostrel/parts/site/-")).json()["part"]
    body = {**part["body"], "name": payload[:120]}
    stored = await web.desk.put("/desk/api/sites/ostrel/parts/site/-", json={"seen": part["change"], "body": body})
    assert stored.status_code == 200, stored.text
    for path in ("/buy/ostrel-kit", "/account/ostrel"):
        page = await web.counter.get(path)
        assert "<script>alert" not in page.text
        assert "<img src=x" not in page.text.replace("\\u003c", "\\")
        assert "script-src 'self';" in page.headers["content-security-policy"]
