"""The desk's rooms over HTTP: tapes, review and release, sessions, the second step, invitations, what happens live."""

from __future__ import annotations

import asyncio
import json
import re
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

import pyotp
import pytest

from skurrow.core.countries import COUNTRIES, EU
from skurrow.run.demo import EMAIL
from skurrow.run.installation import ROOT
from skurrow.store.database import run, siteless_transaction
from skurrow.web.desk import live
from tests.conftest import PASSWORD
from tests.service.living import buy, own_cards
from tests.web.conftest import Web
from tests.web.test_counter import boot
from tests.web.test_reach import invited, member

SITE = "/desk/api/sites/ostrel"
cards = own_cards


async def kit(web: Web) -> dict[str, Any]:
    found: dict[str, Any] = (await web.desk.get(f"{SITE}/parts/product/coptic-kit")).json()["part"]
    return found


async def edit(web: Web, **changes: Any) -> int:
    part = await kit(web)
    body = {"seen": part["change"], "body": {**part["body"], **changes}}
    return int((await web.desk.put(f"{SITE}/parts/product/coptic-kit", json=body)).json()["change"])


async def test_a_tape_carries_all_that_the_desk_shows(web: Web) -> None:
    await web.sign_in()
    part = await kit(web)
    body = {**part["body"], "prices": [{**part["body"]["prices"][0], "amount": {"EUR": "50.00"}}]}
    wanted = {
        "about": {"kind": "product", "id": "coptic-kit"},
        "quantity": 2,
        "buyers": [{"id": "utrecht"}, {"id": "kyoto", "currency": "GBP"}],
        "unsaved": {"kind": "product", "id": "coptic-kit", "body": body},
    }
    made = (await web.desk.post(f"{SITE}/tapes", json=wanted)).json()
    assert (made["price"], made["quantity"], made["smallest"], made["largest"]) == ("kit", 2, 1, 10)
    first, second = made["tapes"]
    assert [(row["kind"], row["amount"]) for row in first["rows"]][:4] == [
        ("line", "100.00"),
        ("delivery", "0.00"),
        ("tax", "17.36"),
        ("due", "100.00"),
    ]
    assert all(row["reasons"] for row in first["rows"] if row["kind"] in {"line", "tax", "fee"})
    assert (second["country"], second["currency"], second["mode"]) == ("JP", "GBP", "test")
    assert {one["currency"]: one["converted"] for one in made["prices"][0]["amounts"]} == {
        **{"EUR": False, "GBP": True, "USD": True, "JPY": True}
    }


async def test_beside_an_order_is_the_tape_of_it_as_it_was_sold_and_beside_a_subscription_its_next_charge(
    web: Web,
) -> None:
    await web.sign_in()
    assert (await buy(web.shop, "parcel-month", coupons=("PARCEL3",))).progress.state == "paid"
    (sold,) = (await web.desk.get(f"{SITE}/books/test/orders")).json()["orders"]
    (club,) = (await web.desk.get(f"{SITE}/books/test/subscriptions")).json()["subscriptions"]
    part = (await web.desk.get(f"{SITE}/parts/product/paper-parcel")).json()["part"]
    prices = [
        {**one, "amount": {"EUR": "99.00"}} if one["id"] == "parcel-month" else one for one in part["body"]["prices"]
    ]
    dearer = {"seen": part["change"], "body": {**part["body"], "prices": prices}}
    assert (await web.desk.put(f"{SITE}/parts/product/paper-parcel", json=dearer)).status_code == 200
    tape = (await web.desk.get(f"{SITE}/books/test/orders/{sold['code']}/tape")).json()
    assert (tape["name"], tape["mode"], tape["currency"]) == ("Maud Terlinden", "test", "EUR")
    amounts = {
        kind: [row["amount"] for row in tape["rows"] if row["kind"] == kind] for kind in ("line", "discount", "due")
    }
    assert amounts == {"line": ["24.00"], "discount": ["-12.00"], "due": [sold["amount"]]}
    assert all(row["reasons"] for row in tape["rows"] if row["kind"] in {"line", "discount", "tax", "later"})
    coming = (await web.desk.get(f"{SITE}/books/test/subscriptions/{club['code']}/tape")).json()
    shown = (await web.desk.get(f"{SITE}/books/test/subscriptions/{club['code']}")).json()["coming"][0]
    assert [row["amount"] for row in coming["rows"] if row["kind"] == "due"] == [shown["total"]] == ["12.00"]
    base = f"{SITE}/books/test/subscriptions/{club['code']}"
    assert (await web.desk.post(f"{base}/cancellation", json={"when": "at_once"})).status_code == 200
    assert (await web.desk.get(f"{base}/tape")).json() is None
    assert (await web.desk.get(f"{SITE}/books/live/orders/{sold['code']}/tape")).status_code == 404
    assert (await web.desk.get(f"{SITE}/books/live/subscriptions/{club['code']}/tape")).status_code == 404


@pytest.mark.parametrize(
    ("wanted", "path"),
    [
        ({"buyers": []}, "buyers"),
        ({"buyers": [{"id": "utrecht"}] * 9}, "buyers"),
        ({"buyers": [{"id": "utrecht", "card": "gold"}]}, "buyers[0].card"),
        ({"buyers": [{"id": "utrecht", "country": "XX"}]}, "country"),
        ({"buyers": [{"id": "utrecht", "on": "soon"}]}, "buyers[0].on"),
        ({"buyers": [{"id": "utrecht"}], "quantity": 0}, "quantity"),
        ({"buyers": [{"id": "utrecht"}], "about": {"kind": "order", "id": "x"}}, "about.kind"),
    ],
)
async def test_a_wrong_question_names_its_field(web: Web, wanted: dict[str, Any], path: str) -> None:
    await web.sign_in()
    answer = await web.desk.post(f"{SITE}/tapes", json=wanted)
    assert answer.status_code == 422
    assert [one["path"] for one in answer.json()["errors"]] == [path]


async def test_a_release_is_reviewed_made_and_gone_back_to(web: Web) -> None:
    await web.sign_in()
    first = (await web.desk.get(f"{SITE}/review")).json()
    assert {part["state"] for part in first["parts"]} == {"new"}
    made = await web.desk.post(f"{SITE}/releases", json={"seen": first["change"], "note": " The first "})
    assert (made.status_code, made.json()["release"]["note"], made.json()["changed"]) == (201, "The first", 0)
    change = await edit(web, name="Renamed")
    review = (await web.desk.get(f"{SITE}/review")).json()
    assert [(p["id"], p["state"], p["differences"]) for p in review["parts"]] == [
        ("coptic-kit", "changed", [{"what": "name", "before": "Coptic stitch kit", "after": "Renamed"}])
    ]
    assert review["buyers"][0]["effects"][0]["what"] == "what is bought"
    stale = await web.desk.post(f"{SITE}/releases", json={"seen": change - 1})
    assert stale.status_code == 409
    assert (await web.desk.post(f"{SITE}/releases", json={"seen": change})).json()["release"]["number"] == 2
    back = (await web.desk.get(f"{SITE}/review", params={"release": 1})).json()
    assert back["parts"][0]["differences"][0]["after"] == "Coptic stitch kit"
    again = await web.desk.post(f"{SITE}/releases/1/again", json={"seen": 2})
    assert (again.status_code, again.json()["release"]["number"], again.json()["changed"]) == (201, 3, 1)
    assert [one["number"] for one in (await web.desk.get(f"{SITE}/releases")).json()] == [3, 2, 1]
    touched = await web.desk.post(f"{SITE}/draft/back", json={"release": 1, "seen": change})
    assert touched.json() == {"parts": 1}
    edits = (await web.desk.get(f"{SITE}/edits")).json()
    assert (edits[0]["name"], edits[0]["by"]) == ("Coptic stitch kit", "Noor Vermaat")
    assert (await web.desk.get(f"{SITE}/review", params={"release": 9})).status_code == 404


async def test_a_preview_opens_filled_in_and_only_where_it_was_asked_for(web: Web) -> None:
    await web.sign_in()
    wanted = {"checkout": "kit", "buyer": {"id": "london"}}
    address = (await web.desk.post(f"{SITE}/previews", json=wanted)).json()["address"]
    assert address.startswith("http://counter.localhost:8400/preview/")
    path = address.removeprefix("http://counter.localhost:8400")
    data = await boot(web, path)
    assert data["counter"]["filled"] == {
        "email": "alma@standin.example",
        "name": "Alma Whitlow",
        "country": "GB",
        "region": None,
        "postal_code": "E1 6AN",
        "tax_number": None,
        "way": None,
    }
    assert "card=approved" in data["counter"]["pay"][0]["fields_address"]
    page = await web.counter.get(path)
    assert "frame-ancestors http://localhost:8400" in page.headers["content-security-policy"]
    assert (await web.counter.get("/preview/forged")).status_code == 404
    missing = await web.desk.post(f"{SITE}/previews", json={**wanted, "checkout": "gone"})
    assert missing.status_code == 404


async def test_a_part_is_archived_and_what_is_sold_is_not(web: Web) -> None:
    await web.sign_in()
    used = await web.desk.delete(f"{SITE}/parts/product/coptic-kit", params={"seen": 1})
    assert (used.status_code, used.json()["errors"][0]["code"]) == (422, "in_use")
    gone = await web.desk.delete(f"{SITE}/parts/product/marbling-papers", params={"seen": 1})
    assert (gone.status_code, gone.json()["body"]) == (200, None)
    assert (await web.desk.get(f"{SITE}/parts/product/marbling-papers")).status_code == 404
    again = await web.desk.delete(f"{SITE}/parts/product/marbling-papers", params={"seen": 1})
    assert (again.status_code, again.json()) == (200, gone.json()), "asked twice, archived once"


async def test_the_jump_box_finds_and_an_empty_one_finds_nothing(web: Web) -> None:
    await web.sign_in()
    found = (await web.desk.get(f"{SITE}/jump", params={"q": "KIT"})).json()
    assert {"product", "checkout", "price"} <= {one["kind"] for one in found}
    assert (await web.desk.get(f"{SITE}/jump", params={"q": ""})).json() == []
    assert (await web.desk.get(f"{SITE}/jump", params={"q": "x" * 300})).status_code == 422


async def test_the_second_step_over_http(web: Web) -> None:
    await web.sign_in()
    offer = (await web.desk.post("/desk/api/two-step")).json()
    assert offer["picture"].startswith("data:image/svg+xml")
    totp = pyotp.TOTP(offer["key"])
    wrong = await web.desk.put("/desk/api/two-step", json={"sealed": offer["sealed"], "code": "000000"})
    assert wrong.json()["errors"][0]["path"] == "code"
    on = await web.desk.put("/desk/api/two-step", json={"sealed": offer["sealed"], "code": totp.now()})
    codes = on.json()["codes"]
    assert (await web.desk.get("/desk/api/me")).json()["two_step"] is True

    await web.desk.delete("/desk/api/session")
    login = {"email": EMAIL, "password": PASSWORD}
    asked = await web.desk.post("/desk/api/session", json=login)
    assert (asked.status_code, asked.json()["type"]) == (401, "urn:skurrow:second-step")
    assert "set-cookie" not in asked.headers
    assert (await web.desk.post("/desk/api/session", json={**login, "code": codes[0]})).status_code == 204
    refused = await web.desk.post("/desk/api/two-step/off", json={"password": "wrong"})
    assert refused.json()["errors"][0]["path"] == "password"
    assert (await web.desk.post("/desk/api/two-step/off", json={"password": PASSWORD})).status_code == 204
    assert (await web.desk.get("/desk/api/me")).json()["two_step"] is False


async def test_sessions_are_told_apart_and_ended(web: Web) -> None:
    async with member(web, "onlooker", web.shop.site_id, "elsewhere") as client:
        (mine,) = (await client.get("/desk/api/sessions")).json()
        assert (mine["this"], "httpx" in mine["agent"]) == (True, True)
        assert "token" not in mine
        await client.delete(f"/desk/api/sessions/{mine['id']}")
        assert (await client.get("/desk/api/me")).status_code == 401


async def test_an_invitation_is_followed_by_somebody_new(web: Web) -> None:
    await invited(web)
    path = "/desk/api/invitations/t0ken"
    shown = (await web.desk.get(path)).json()
    assert shown == {
        **{"site": "ostrel", "site_name": "Ostrel Bindery", "email": "new@people.example.org"},
        **{"role": "owner", "known": False},
    }
    short = await web.desk.post(path, json={"name": " ", "password": "short"})
    assert [one["path"] for one in short.json()["errors"]] == ["name", "password"]
    done = await web.desk.post(path, json={"name": "New", "password": "long enough to keep"})
    assert (done.status_code, "skurrow_desk=" in done.headers["set-cookie"]) == (204, True)
    me = (await web.desk.get("/desk/api/me")).json()
    assert (me["name"], [one["role"] for one in me["sites"]]) == ("New", ["owner"])
    assert (await web.desk.get(path)).status_code == 404


async def test_a_new_site_names_the_field_that_is_wrong(web: Web) -> None:
    await web.sign_in()
    site = {"name": "Shop", "url": "https://shop.example", "country": "NL", "currency": "EUR", "time_zone": "Nowhere"}
    wrong = await web.desk.post("/desk/api/sites", json=site)
    assert [one["path"] for one in wrong.json()["errors"]] == ["time_zone"]
    made = await web.desk.post("/desk/api/sites", json={**site, "time_zone": "Europe/Amsterdam"})
    assert made.json() == {"code": "shop-example"}
    empty = (await web.desk.get("/desk/api/sites/shop-example")).json()
    assert (empty["name"], empty["role"], empty["release"]) == ("Shop", "developer", None)
    none = await web.desk.post("/desk/api/sites/shop-example/tapes", json={"buyers": [{"id": "real"}]})
    assert none.json() is None


@asynccontextmanager
async def following(web: Web) -> AsyncIterator[asyncio.Queue[Any]]:
    """The live view as a browser gets it: each event's data, and None at the end."""
    heard: asyncio.Queue[Any] = asyncio.Queue()
    left = asyncio.Event()
    headers = [(b"host", b"localhost:8400"), (b"cookie", f"skurrow_desk={web.desk.cookies['skurrow_desk']}".encode())]
    scope: dict[str, Any] = {
        "type": "http",
        "asgi": {"version": "3.0"},
        "http_version": "1.1",
        "method": "GET",
        "scheme": "http",
    }
    scope |= {"path": f"{SITE}/live", "raw_path": f"{SITE}/live".encode(), "query_string": b"", "headers": headers}
    scope |= {"client": ("127.0.0.1", 1), "server": ("localhost", 8400)}
    asked = iter([{"type": "http.request", "body": b"", "more_body": False}])

    async def receive() -> dict[str, Any]:
        for message in asked:
            return message
        await left.wait()
        return {"type": "http.disconnect"}

    async def send(message: Any) -> None:
        for line in message.get("body", b"").decode().splitlines():
            if line.startswith("data:"):
                heard.put_nowait(json.loads(line.removeprefix("data:")))

    task = asyncio.create_task(web.app(scope, receive, send))
    task.add_done_callback(lambda _: heard.put_nowait(None))
    try:
        yield heard
    finally:
        left.set()
        task.cancel()


async def test_what_happens_arrives_and_ends_with_the_session(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(live, "CHECK_SECONDS", 0.3)
    await web.sign_in()
    async with following(web) as heard:
        assert (await asyncio.wait_for(heard.get(), 10))["kind"] == "connected"
        await asyncio.sleep(0.7)  # looked at twice, and still welcome
        change = await edit(web, name="Renamed")
        while (told := await asyncio.wait_for(heard.get(), 10))["kind"] == "missed":
            pass
        assert told == {
            **{"kind": "draft", "part": "product", "id": "coptic-kit"},
            **{"change": change, "by": "Noor Vermaat"},
        }
        async with siteless_transaction(web.shop.context.pool) as db:
            await run(db, "delete from sessions")
        assert await asyncio.wait_for(heard.get(), 10) is None


def test_the_desk_knows_the_same_countries_and_members_of_the_union_as_the_core() -> None:
    written = (ROOT / "ui" / "src" / "kit" / "format" / "countries.ts").read_text("utf-8")
    codes = re.search(r'const CODES =\s*"([A-Z ]+)"', written)
    members = re.search(r'export const EU =\s*"([A-Z ]+)"', written)
    assert codes
    assert members
    assert set(codes[1].split()) == COUNTRIES
    assert set(members[1].split()) == EU
