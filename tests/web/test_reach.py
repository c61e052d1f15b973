"""Who reaches what at the desk: every endpoint, as a stranger, as somebody of another site, and in every role."""

from __future__ import annotations

import json
import re
from collections.abc import AsyncIterator, Iterator
from contextlib import asynccontextmanager
from dataclasses import dataclass, replace
from typing import Any
from uuid import uuid4

import httpx
import psycopg
import pytest
from psycopg import sql

from skurrow.service.changes import acting, running
from skurrow.service.people.members import INVITATION_LIFE
from skurrow.service.people.sign_in import hash_password, hash_token
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.draft import sites
from skurrow.store.people import members, people
from skurrow.store.people.members import Invitation
from skurrow.store.people.people import Person
from tests.conftest import PASSWORD
from tests.service import living
from tests.service.statements import camt
from tests.store.test_separation import SITE_TABLES, picture
from tests.web.conftest import ORIGIN, Web
from tests.web.test_desk import buy

BASE = "/desk/api/sites/{site}"
NOWHERE = "01900000-0000-7000-8000-000000000000"
KIT = {"id": "coptic-kit", "name": "Reached", "kind": "goods"}
KIT["prices"] = [{"id": "kit", "kind": "once", "amount": {"EUR": "1.00"}}]  # type: ignore[assignment]

ORDER = f"{BASE}/books/{{mode}}/orders/{{code}}"
SUBSCRIPTION = f"{BASE}/books/{{mode}}/subscriptions/{{subscription}}"
BACK = {"parts": [{"line": 0, "amount": "1.00"}]}
BODIES: dict[tuple[str, str], dict[str, Any]] = {
    ("POST", f"{BASE}/draft/back"): {"release": 1, "seen": 1},
    ("POST", f"{BASE}/gateways/{{adapter}}/connections"): {"mode": "test", "merchant": "ostrel", "key": "k"},
    ("POST", f"{BASE}/invitations"): {"email": "friend@mail.example.org", "role": "owner"},
    ("PUT", f"{BASE}/members/{{member}}"): {"role": "onlooker"},
    ("PUT", f"{BASE}/parts/{{kind}}/{{part_id}}"): {"seen": 1, "body": KIT},
    ("POST", f"{BASE}/parts/{{kind}}/{{part_id}}/copy"): {},
    ("POST", f"{BASE}/parts/{{kind}}/{{part_id}}/move"): {"after": None},
    ("POST", f"{BASE}/books/{{mode}}/give-backs/{{row}}"): {"state": "done"},
    ("POST", f"{BASE}/mails/{{kind}}/trial"): {"buyer": "utrecht"},
    ("POST", f"{BASE}/pictures"): {},
    ("POST", f"{BASE}/products.csv"): {"text": "product_id,price_id\nkit,kit\n", "seen": 1},
    ("POST", f"{BASE}/site-file"): {"text": "format: skurrow-site/1", "seen": 1},
    ("POST", f"{BASE}/stock/{{product_id}}"): {"mode": "test", "seen": 40, "counted": 39},
    ("POST", f"{BASE}/previews"): {"checkout": "kit", "buyer": {"id": "utrecht"}},
    ("POST", f"{BASE}/releases"): {"seen": 1},
    ("POST", f"{BASE}/releases/{{number}}/again"): {"seen": 1},
    ("POST", f"{BASE}/parcels"): {"price": "kit", "country": "NL", "currency": "EUR"},
    ("POST", f"{BASE}/tapes"): {"buyers": [{"id": "real"}]},
    ("POST", f"{ORDER}/refund-preview"): BACK,
    ("POST", f"{ORDER}/refunds"): {**BACK, "asked_as": NOWHERE, "expected": "2.00"},
    ("POST", f"{BASE}/gateways/{{adapter}}/authorisations"): {"mode": "test"},
    ("POST", f"{ORDER}/by-hand"): {"paid": True},
    ("POST", f"{ORDER}/sent"): {"asked_as": str(uuid4())},
    ("POST", f"{ORDER}/held"): {"state": "passed"},
    ("POST", f"{BASE}/books/{{mode}}/statements"): {},
    ("POST", f"{BASE}/books/{{mode}}/transfers/{{transfer}}/decision"): {"decision": "done"},
    ("POST", f"{SUBSCRIPTION}/proposal"): {"price": "parcel-year"},
    ("POST", f"{SUBSCRIPTION}/agree"): {"token": "x"},
    ("POST", f"{SUBSCRIPTION}/cancellation"): {},
    ("POST", f"{SUBSCRIPTION}/pause"): {},
    ("POST", f"{BASE}/calendar"): {"leap": "day"},
    ("POST", f"{BASE}/books/{{mode}}/members.csv"): {"text": "email"},
    ("PUT", f"{BASE}/selling"): {"state": "opened"},
    ("PUT", f"{BASE}/stopped/{{kind}}/{{part_id}}"): {"words": "x" * 301},
    ("POST", f"{BASE}/aside/{{what}}/{{row}}"): {},
    ("POST", f"{BASE}/test-pass-withdrawals"): {},
    ("POST", f"{BASE}/live-buyers"): {"seen": []},
    ("PUT", f"{BASE}/everybody-tries"): {"everybody": True},
    ("PUT", f"{BASE}/archived"): {"archived": True},
    ("POST", f"{BASE}/deletion"): {"name": "Ostrel Bindery"},
    ("POST", f"{BASE}/parts/{{kind}}/{{part_id}}/taken-back"): {"change": 1},
}
"""A body that is right for every endpoint of a site that takes one."""

SELLING = {
    ("POST", f"{ORDER}/refunds"): 409,
    ("POST", f"{ORDER}/by-hand"): 409,
    ("POST", f"{ORDER}/sent"): 409,
    ("POST", f"{ORDER}/held"): 409,
    ("POST", f"{BASE}/books/{{mode}}/statements"): 409,
    ("POST", f"{BASE}/books/{{mode}}/transfers/{{transfer}}/decision"): 404,
    ("POST", f"{SUBSCRIPTION}/proposal"): 409,
    ("POST", f"{SUBSCRIPTION}/agree"): 404,
    ("POST", f"{SUBSCRIPTION}/cancellation"): 409,
    ("DELETE", f"{SUBSCRIPTION}/cancellation"): 409,
    ("POST", f"{SUBSCRIPTION}/pause"): 409,
    ("DELETE", f"{SUBSCRIPTION}/pause"): 409,
    ("PUT", f"{BASE}/selling"): 200,
    ("PUT", f"{BASE}/stopped/{{kind}}/{{part_id}}"): 422,
    ("POST", f"{BASE}/books/{{mode}}/give-backs/{{row}}"): 404,
    ("DELETE", f"{BASE}/stopped/{{kind}}/{{part_id}}"): 200,
    ("POST", f"{BASE}/aside/{{what}}/{{row}}"): 404,
}
"""What an owner may do, too; what is asked for here is refused for what it is about."""

READING = {
    ("POST", f"{ORDER}/refund-preview"),
    ("POST", f"{BASE}/parcels"),
    ("POST", f"{BASE}/tapes"),
    ("POST", f"{BASE}/previews"),
    ("POST", f"{BASE}/connections/{{connection}}/questions"),
}
"""What every member may do though it is no GET: it changes nothing that others see."""

OPEN = {("POST", "/desk/api/session"), ("DELETE", "/desk/api/session"), ("GET", "/desk/api/invitations/{token}")}
OPEN |= {("POST", "/desk/api/invitations/{token}")}
OPEN |= {("POST", "/desk/api/password-links"), ("POST", "/desk/api/password-resets")}
"""What is answered without signing in."""


def operations(web: Web) -> Iterator[tuple[str, str]]:
    """Every method and path of the desk, as the application itself lists them."""
    for path, methods in web.app.openapi()["paths"].items():
        if path.startswith("/desk/api/"):
            yield from ((method.upper(), path) for method in methods)


def at_sites(web: Web) -> list[tuple[str, str]]:
    """Those of a site; the one that never ends is left to a test of its own."""
    found = [one for one in operations(web) if "{site}" in one[1]]
    asking = {one for one in found if one[0] in {"POST", "PUT"}}
    without_body = {one for one in asking if one[1].endswith(("/questions", "/comparisons"))}
    assert asking - without_body == BODIES.keys(), "every endpoint has its body here"
    return [one for one in found if not one[1].endswith("/live")]


@dataclass
class Ids:
    """What there is at a site to be named in a path."""

    site: str
    mode: str = "test"
    code: str = "X"
    connection: str = NOWHERE
    invitation: str = NOWHERE
    member: str = NOWHERE
    kind: str = "product"
    part_id: str = "coptic-kit"
    product_id: str = "coptic-kit"
    adapter: str = "standin-cards"
    number: str = "1"
    paper: str = ""
    token: str = "x"
    session: str = NOWHERE
    transfer: str = NOWHERE
    what: str = "mail"
    row: str = NOWHERE
    subscription: str = "X"


async def ask(desk: httpx.AsyncClient, method: str, path: str, ids: Ids) -> httpx.Response:
    """Asks an endpoint what it would be asked for."""
    address = re.sub(r"\{(\w+)\}", lambda found: str(getattr(ids, found[1])), path)
    params = {"seen": "1"} if (method, path) == ("DELETE", f"{BASE}/parts/{{kind}}/{{part_id}}") else None
    if "/tax-report" in path or path.endswith("/one-stop-shop.csv"):
        params = {"mode": "test", "first": "2026-01-01", "last": "2026-12-31"}
    if path.endswith("/sample-paper.pdf"):
        params = {"kind": "receipt"}
    if path.endswith("/paper.{kind}"):
        address, params = address.replace("paper.product", "paper.pdf"), {"number": ids.paper}
    if "/mails/{kind}" in path:
        address, params = address.replace("/mails/product", "/mails/order_paid"), {"buyer": "utrecht"}
    if path.endswith("/pictures"):
        return await desk.post(address, files={"picture": ("kit.png", picture())})
    if path.endswith("/statements"):
        return await desk.post(address, content=camt([("1.00", "a", "A")]))
    body = BODIES.get((method, path))
    return await desk.request(method, address, params=params, json=body)


@asynccontextmanager
async def member(web: Web, role: str, site_id: Any, name: str) -> AsyncIterator[httpx.AsyncClient]:
    """A new person's own client, signed in, who is a member of a site."""
    context = web.shop.context
    person = Person(context.new_id(), f"{name}@people.example.org", name, hash_password(PASSWORD))
    async with siteless_transaction(context.pool) as db:
        await people.add_person(db, person, context.now())
    async with site_transaction(context.pool, site_id) as db:
        await members.add_member(db, site_id, person.id, role)
    client = httpx.AsyncClient(transport=web.desk._transport, base_url="http://localhost:8400", headers=ORIGIN)
    answer = await client.post("/desk/api/session", json={"email": person.email, "password": PASSWORD})
    assert answer.status_code == 204
    yield client


async def invited(web: Web, token: str = "t0ken") -> Invitation:
    """An open invitation to the demo's site."""
    context, now = web.shop.context, web.shop.clock()
    made = Invitation(
        context.new_id(), web.shop.site_id, "new@people.example.org", "owner", now, now + INVITATION_LIFE, None
    )
    async with site_transaction(context.pool, web.shop.site_id) as db:
        await members.add_invitation(db, made, hash_token(token), web.shop.person_id)
    return made


@pytest.fixture
async def own_ids(web: Web) -> Ids:
    """What the demo's site has of everything: an order, a subscription that is over, a connection, a release …"""
    await web.sign_in()
    await living.buy(web.shop, "parcel-month")
    over = await living.subscription(web.shop)
    await running.cancel(web.shop.context, web.shop.site_id, over, ending=acting.Ending(when="at_once"))
    order = (await buy(web)).json()
    assert order["state"] == "paid"
    await web.desk.post(f"{BASE.format(site='ostrel')}/releases", json={"seen": 1})
    code = (await web.desk.get("/desk/api/sites/ostrel/books/test/orders")).json()["orders"][0]["code"]
    connection = (await web.desk.get("/desk/api/sites/ostrel/gateways")).json()[0]["connections"][0]["id"]
    invitation = await invited(web)
    (paper,) = (await web.desk.get(f"/desk/api/sites/ostrel/books/test/orders/{code}")).json()["papers"]
    member = str(web.shop.person_id)
    found = Ids("ostrel", code=code, connection=connection, invitation=str(invitation.id), member=member)
    return replace(found, paper=paper["number"], subscription=over.code)


@pytest.fixture
async def neighbour(web: Web) -> AsyncIterator[httpx.AsyncClient]:
    """A developer of another site, signed in."""
    context = web.shop.context
    other = context.new_id()
    async with site_transaction(context.pool, other) as db:
        await sites.add_site(db, other, "empty", context.now())
    async with member(web, "developer", other, "neighbour") as client:
        site = {"name": "Next door", "url": "https://next.example", "country": "NL", "currency": "EUR"}
        made = await client.post("/desk/api/sites", json={**site, "time_zone": "Europe/Amsterdam"})
        assert made.json() == {"code": "next-example"}
        yield client


def everything(web: Web) -> dict[str, list[str]]:
    """Every row of the demo's site, as the superuser sees it."""
    with psycopg.connect(web.shop.database.superuser) as db:
        found = {}
        for table in SITE_TABLES:
            key = "id" if table == "sites" else "site_id"
            query = sql.SQL("select to_jsonb(t) from {} t where {} = %s").format(*map(sql.Identifier, (table, key)))
            found[table] = sorted(json.dumps(row[0]) for row in db.execute(query, (web.shop.site_id,)))
        return found


async def test_nothing_of_the_desk_is_answered_without_signing_in(web: Web, own_ids: Ids) -> None:
    await web.desk.delete("/desk/api/session")
    before = everything(web)
    for method, path in set(operations(web)) - OPEN:
        assert (await ask(web.desk, method, path, own_ids)).status_code == 401, (method, path)
    assert everything(web) == before
    assert (await ask(web.desk, "GET", "/desk/api/invitations/{token}", own_ids)).status_code == 404


async def test_another_site_does_not_exist_whatever_is_asked(
    web: Web, own_ids: Ids, neighbour: httpx.AsyncClient
) -> None:
    before = everything(web)
    for method, path in at_sites(web):
        answer = await ask(neighbour, method, path, own_ids)
        assert answer.status_code == 404, (method, path)
        assert "Coptic" not in answer.text
    assert (await neighbour.get("/desk/api/sites/ostrel/live")).status_code == 404
    assert everything(web) == before


async def test_what_another_site_has_cannot_be_reached_through_ones_own(
    web: Web, own_ids: Ids, neighbour: httpx.AsyncClient
) -> None:
    before = everything(web)
    own_ids.site = "next-example"
    ending: tuple[str, ...] = (
        "/orders/{code}",
        "/questions",
        "/invitations/{invitation}",
        "/members/{member}",
        "/parts/{kind}/{part_id}",
    )
    ending += ("/previews", "/trial", "/paper.{kind}", "/refundable", "/refunds", "/refund-preview")
    for method, path in at_sites(web):
        answer = await ask(neighbour, method, path, own_ids)
        assert "Coptic" not in answer.text, (method, path)
        assert own_ids.code not in answer.text, (method, path)
        if path.endswith(ending):
            assert answer.status_code in {404, 409, 422}, (method, path, answer.text)
    assert everything(web) == before


async def test_anothers_session_cannot_be_ended(web: Web, neighbour: httpx.AsyncClient) -> None:
    await web.sign_in()
    (mine,) = (await web.desk.get("/desk/api/sessions")).json()
    assert (await neighbour.delete(f"/desk/api/sessions/{mine['id']}")).status_code == 404
    assert (await web.desk.get("/desk/api/me")).status_code == 200


@pytest.mark.parametrize("role", ["owner", "onlooker"])
async def test_whoever_is_no_developer_changes_nothing_of_the_configuration(web: Web, own_ids: Ids, role: str) -> None:
    async with member(web, role, web.shop.site_id, role) as client:
        before = everything(web)
        for method, path in at_sites(web):
            answer = await ask(client, method, path, own_ids)
            if method == "GET" or (method, path) in READING:
                expected = 303 if path.endswith("/walk") else 200
                assert answer.status_code == expected, (method, path, answer.text)
            elif role == "owner" and (method, path) in SELLING:
                assert answer.status_code == SELLING[method, path], (method, path, answer.text)
            else:
                assert answer.status_code == 403, (method, path, answer.text)
                assert answer.json()["detail"], path
        assert everything(web) == before


async def test_an_owner_changes_wording_and_nothing_else(web: Web, own_ids: Ids) -> None:
    kit = f"{BASE.format(site='ostrel')}/parts/product/coptic-kit"
    async with member(web, "owner", web.shop.site_id, "owner") as client:
        body = (await client.get(kit)).json()["part"]["body"]
        worded = {**body, "name": "Coptic kit", "prices": [{**body["prices"][0], "label": "The kit"}]}
        assert (await client.put(kit, json={"seen": 1, "body": worded})).status_code == 200
        dearer = {**worded, "prices": [{**worded["prices"][0], "amount": {"EUR": "1.00"}}]}
        refused = await client.put(kit, json={"seen": 2, "body": dearer})
        assert refused.status_code == 403
        assert "price kit, EUR" in refused.json()["detail"]


async def test_everybody_may_leave_but_the_last_developer(web: Web, own_ids: Ids) -> None:
    async with member(web, "onlooker", web.shop.site_id, "leaving") as client:
        team = (await client.get("/desk/api/sites/ostrel/members")).json()["members"]
        (me,) = [one for one in team if one["you"]]
        assert (await client.delete(f"/desk/api/sites/ostrel/members/{me['id']}")).status_code == 204
        assert (await client.get("/desk/api/sites/ostrel")).status_code == 404
    last = await web.desk.delete(f"/desk/api/sites/ostrel/members/{own_ids.member}")
    assert (last.status_code, last.json()["errors"][0]["code"]) == (422, "last_developer")
