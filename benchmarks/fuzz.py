"""The whole API asked at random, from its own description: no answer is an error of ours, and none is of a form or a
status that the description does not name.

Asked by a stranger, by a buyer with a visit of a working shop, by a customer who is signed in, and at the desk in each
role.
"""

from __future__ import annotations

import asyncio
import os
import random
import re
import shutil
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import httpx
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from schemathesis.checks import not_a_server_error
from schemathesis.core.failures import Failure, FailureGroup
from schemathesis.core.result import Ok
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from skurrow.core.quote.kept import KeptBuyer
from skurrow.run.cluster import FAST_AND_FORGETFUL
from skurrow.run.demo import EMAIL
from skurrow.run.installation import ROOT, Installation, start_postgres
from skurrow.run.ports import Ports, any_free
from skurrow.run.processes import Part, stop_all
from skurrow.service.account import signing_in
from skurrow.service.context import Context, Settings, open_context
from skurrow.service.counter import opening, paying
from skurrow.service.counter.payment import Payment
from skurrow.service.counter.visit import Choice, read_visit
from skurrow.service.people import sign_in
from skurrow.service.people.sign_in import Where, hash_password
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.people import members, people
from skurrow.store.people.people import Person
from skurrow.web.app import make_app

CHECKS: list[Any] = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
]
_LEFT_OUT = (("DELETE", "/desk/api/session"), ("GET", "/desk/api/sites/{site}/live"))
"""What would sign us out, and what never ends."""

WORDS = "three plain words"


@dataclass
class Asker:
    """Who asks: which paths, with which cookies, and what is put in place of what chance makes of some fields."""

    name: str
    paths: re.Pattern[str]
    cookies: dict[str, str] = field(default_factory=dict)
    known: dict[str, list[str]] = field(default_factory=dict)


def run(examples: int, chance: int, say: Callable[[str], None]) -> int:
    """Asks each operation so often; 0 if nothing was found."""
    folder = ROOT / ".skurrow" / f"fuzz-{os.getpid()}"
    ports = Ports(*(any_free() for _ in vars(Ports())))
    installation = Installation(folder, ports, server_options=tuple(FAST_AND_FORGETFUL), leeway=1_000_000)
    loop = asyncio.new_event_loop()
    parts: list[Part] = []
    try:
        loop.run_until_complete(_begin(installation, parts))
        askers = loop.run_until_complete(_askers(installation))
        found = _ask_all(installation, askers, examples, chance, say)
    finally:
        loop.run_until_complete(stop_all(parts))
        loop.close()
        installation.remove()
        shutil.rmtree(folder, ignore_errors=True)
    for words in found:
        say(words)
    return 1 if found else 0


async def _begin(installation: Installation, parts: list[Part]) -> None:
    parts.append(await start_postgres(installation))
    for part in (installation.cards(), installation.numbers(), installation.web()):
        parts.append(part)
        await part.start()
        if part.name == "cards":
            await part.wait_until_healthy()
            await installation.load_demo(["standin-cards"])
    await parts[-1].wait_until_healthy()


async def _askers(installation: Installation) -> list[Asker]:
    async with open_context(Settings.from_environment(installation.environment)) as context:
        await context.pool.wait()
        async with siteless_transaction(context.pool) as db:
            developer = await people.person_by_email(db, EMAIL)
            assert developer is not None
            (site,) = await people.memberships(db, developer.id)
        customer = await _customer(installation, context)
        known = {"visit": [await _visit(context)], "fresh": [await _visit(context)], "way": ["standin-cards"]}
        desk = [await _member(context, site.site_id, role) for role in ("onlooker", "owner")]
        desk.append(await sign_in.begin_session(context, developer.id, ""))
    counter, of_desk = re.compile(r"^/counter/"), re.compile(r"^/desk/api/")
    of_account = re.compile(r"^/counter/api/account")
    at_site = {
        "site": [site.code],
        "mode": ["test", "live"],
        "kind": ["product", "checkout"],
        "adapter": ["standin-cards"],
    }
    return [
        Asker("a stranger", re.compile(r"^/(counter|desk|gateway-events)")),
        Asker("a buyer", counter, {}, known),
        Asker(
            "a customer",
            of_account,
            {"skurrow_account_ostrel_test": customer},
            {"code": ["ostrel"]},
        ),
        *(
            Asker(f"the {role}", of_desk, {"skurrow_desk": session}, at_site)
            for role, session in zip(("onlooker", "owner", "developer"), desk, strict=True)
        ),
    ]


async def _visit(context: Context) -> str:
    return (await opening.open_counter(context, "ostrel-kit")).visit


async def _member(context: Context, site_id: Any, role: str) -> str:
    person = Person(context.new_id(), f"{role}@mail.example.org", role.title(), hash_password(WORDS))
    async with site_transaction(context.pool, site_id) as db:
        await people.add_person(db, person, context.now())
        await members.add_member(db, site_id, person.id, role)
    return await sign_in.begin_session(context, person.id, "")


async def _customer(installation: Installation, context: Context) -> str:
    """The session of somebody who has a subscription."""
    async with httpx.AsyncClient() as client:
        body = {"merchant": "ostrel", "mode": "test", "number": "9100246810121409", "expires": "2039-12", "code": "123"}
        token = (await client.post(f"http://127.0.0.1:{installation.ports.cards}/tokens", json=body)).json()["token"]
    counter = await opening.open_counter(context, "ostrel-club")
    choice = Choice(price="parcel-month", delivery="collect")
    email = "maud@standin.example"
    payment = Payment(KeptBuyer(email=email, name="Maud", country="NL"), token, "24.00", choice)
    assert (await paying.pay(context, read_visit(context, counter.visit), payment)).state == "paid"
    at = await signing_in.shop(context, "ostrel", True)
    await signing_in.set_password(context, signing_in.Customer(at.site_id, at.code, at.mode, email), "x", WORDS)
    return (await signing_in.enter_with_password(context, at, email, WORDS, Where("127.0.0.1"))).session


def _ask_all(
    installation: Installation, askers: list[Asker], examples: int, chance: int, say: Callable[[str], None]
) -> list[str]:
    document = make_app(Settings.from_environment(installation.environment)).openapi()
    schema = schemathesis.openapi.from_dict(document)
    operations = [result.ok() for result in schema.get_all_operations() if isinstance(result, Ok)]
    found: dict[str, str] = {}
    for asker in askers:
        seen: Counter[int] = Counter()
        with httpx.Client(base_url=f"http://127.0.0.1:{installation.ports.web}", timeout=30) as client:
            for operation in operations:
                if asker.paths.match(operation.path) and (operation.method.upper(), operation.path) not in _LEFT_OUT:
                    _ask_one(installation, client, asker, operation, examples, chance, seen, found)
        answers = ", ".join(f"{status}: {n}" for status, n in sorted(seen.items()))
        say(f"{asker.name}: {seen.total()} requests ({answers}), {len(found)} findings so far")
    return list(found.values())


def _ask_one(
    installation: Installation,
    client: httpx.Client,
    asker: Asker,
    operation: Any,
    examples: int,
    chance: int,
    seen: Counter[int],
    found: dict[str, str],
) -> None:
    at_counter = operation.path.startswith("/counter")
    url = installation.counter_url if at_counter else installation.desk_url
    dice = random.Random(f"{chance} {asker.name} {operation.label}")
    headers = {"host": url.removeprefix("http://"), "origin": url}
    if asker.cookies:
        headers["cookie"] = "; ".join(f"{name}={value}" for name, value in asker.cookies.items())

    @seed(chance)
    @settings(
        max_examples=examples, deadline=None, database=None, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=operation.as_strategy())
    def ask(case: Any) -> None:
        for name in list(case.path_parameters):
            if name in asker.known and dice.random() < 0.8:
                case.path_parameters[name] = dice.choice(asker.known[name])
        if isinstance(case.body, dict):
            for name in case.body.keys() & asker.known.keys():
                case.body[name] = dice.choice(asker.known[name])
        if "/account/" in operation.path:
            case.query = {**(case.query or {}), "test": "true"}
        sent = case.as_transport_kwargs(base_url=str(client.base_url), headers=headers)
        sent = {
            name: sent[name]
            for name in ("method", "url", "params", "json", "content", "data", "files")
            if sent.get(name) is not None
        }
        sent_headers = dict(case.headers or {}) | headers
        try:
            request = client.build_request(**_as_httpx(sent), headers=sent_headers)
            request.read()
        except (AttributeError, TypeError, ValueError, UnicodeError, httpx.InvalidURL):
            return  # what cannot even be written down as a request
        response = client.send(request)
        seen[response.status_code] += 1
        try:
            case.validate_response(response, checks=CHECKS)
        except (Failure, FailureGroup) as failure:
            what = str(failure).strip().splitlines()
            key = f"{operation.label} {response.status_code} {what[0] if what else ''}"
            found.setdefault(key, f"{asker.name}: {operation.label} → {response.status_code}: {' '.join(what)[:600]}")

    ask()


def _as_httpx(sent: dict[str, Any]) -> dict[str, Any]:
    """The same for httpx, which calls raw bytes the content."""
    if isinstance(sent.get("data"), bytes | str):
        sent["content"] = sent.pop("data")
    return sent
