"""What all stand-in gateways have in common: merchants and keys, books, refunds, disputes, signed events, and faults.

Each gateway is a process of its own that adds how money comes in. They can be told to misbehave, and to take another
date for today.
"""

from __future__ import annotations

import argparse
import asyncio
import base64
import contextlib
import hashlib
import json
import os
import random
import re
import secrets
from collections.abc import AsyncIterator, Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any, NoReturn
from urllib.parse import parse_qs, urlencode

import httpx
import uvicorn
from fastapi import Depends, FastAPI, HTTPException, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from fastapi.security import HTTPBasic, HTTPBasicCredentials
from jinja2 import Environment, FileSystemLoader, select_autoescape
from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, ValidationError
from standardwebhooks import Webhook

from skurrow.standin.books import Books, public_charge, public_refund

PAGES = Path(__file__).parent / "pages"
AMOUNT = re.compile(r"(0|[1-9][0-9]{0,9})(\.[0-9]{1,3})?")
_TEMPLATES = Environment(loader=FileSystemLoader(PAGES), autoescape=select_autoescape(["html"]))
DAY = 86400.0


class Body(BaseModel):
    """What is sent to a gateway; names that it does not know are refused."""

    model_config = ConfigDict(extra="forbid")


class MoneyBody(Body):
    """An amount ("48.00") in a currency, and a text for the buyer's statement."""

    amount: Annotated[str, Field(pattern=AMOUNT.pattern)]
    currency: str
    text: str = ""


class SourceBody(MoneyBody):
    """A charge of what a token stands for, which may be kept on file; or of what is on file. Nothing is charged where
    something is only to be kept."""

    token: str | None = None
    on_file: str | None = None
    keep: bool = False


class RefundBody(Body):
    """A refund of part or all of a charge."""

    amount: Annotated[str, Field(pattern=AMOUNT.pattern)]


class DecisionBody(Body):
    """How a dispute is decided, for the merchant."""

    outcome: Annotated[str, Field(pattern="^(won|lost)$")]


class AddressBody(Body):
    """Where events are to be sent."""

    url: Annotated[str, Field(pattern=r"^https?://", max_length=500)]


class CalendarBody(Body):
    """The instant that it is to be now; never an earlier one than it is."""

    at: AwareDatetime


_Share = Annotated[float, Field(ge=0, le=1)]


class FaultsBody(Body):
    """How a merchant's mode is to misbehave, each as a share of requests (or of events) by a `seed`.

    `error`: answered with 503, nothing done. `lost`: the connection is cut before anything is done. `cut`: it is done,
    and the connection cut before the answer. `slow`: answered after up to `seconds`. Events come `twice`, `late` (by up
    to `seconds`), or are `forgotten`; they are always sent in a random order while anything is set.
    """

    seed: int = 0
    error: _Share = 0
    lost: _Share = 0
    cut: _Share = 0
    slow: _Share = 0
    seconds: Annotated[float, Field(ge=0, le=60)] = 1
    twice: _Share = 0
    late: _Share = 0
    forgotten: _Share = 0


class Faults:
    """The faults of one merchant and mode, decided one after the other by chance."""

    def __init__(self, how: FaultsBody) -> None:
        self.how, self._chance = how, random.Random(how.seed)

    def has(self, share: float) -> bool:
        """Whether this time it happens."""
        return self._chance.random() < share

    def pause(self) -> float:
        """Seconds of a delay."""
        return self._chance.random() * self.how.seconds

    def shuffle(self, events: list[dict[str, Any]]) -> None:
        """Brings events into a random order."""
        self._chance.shuffle(events)

    async def before(self, request: Request) -> None:
        """What goes wrong before anything is done."""
        if self.has(self.how.slow):
            await asyncio.sleep(self.pause())
        if self.has(self.how.lost):
            await cut_off(request)
            raise HTTPException(504, "Nobody is listening any more.")
        if self.has(self.how.error):
            raise HTTPException(503, "Something is wrong here. Nothing was done.")

    async def after(self, request: Request) -> None:
        """What goes wrong once everything is done."""
        if self.has(self.how.cut):
            await cut_off(request)


def _caller(request: Request, given: Annotated[HTTPBasicCredentials, Depends(HTTPBasic())]) -> tuple[str, str]:
    """The merchant and mode that a key belongs to."""
    for mode, key in request.app.state.merchants.get(given.username, {}).items():
        if secrets.compare_digest(given.password.encode(), key.encode()):
            return given.username, mode
    granted: tuple[str, str] | None = request.app.state.books.granted(given.password)
    if granted is not None and granted[0] == given.username:
        return granted
    raise HTTPException(401, "The merchant and the key do not belong together.", {"WWW-Authenticate": "Basic"})


Caller = Annotated[tuple[str, str], Depends(_caller)]


@dataclass(frozen=True)
class About:
    """What a gateway says about itself: its name, the currencies it takes, what a charge costs, within which amounts,
    and what it can do. `statement` is how many characters a buyer's statement shows."""

    name: str
    currencies: tuple[str, ...]
    fees: dict[str, str]
    smallest: dict[str, str]
    largest: dict[str, str]
    can: tuple[str, ...] = ("charge", "refund", "refund_in_part")
    statement: int = 22


@dataclass
class Service:
    """A stand-in gateway: `merchants` maps each merchant to their keys by mode. A charge waits `approval_seconds` for
    its buyer; a slow answer takes `slow_seconds`. `clients` are programs that merchants may let in, with the addresses
    where they may be answered."""

    about: About
    books: Books
    merchants: dict[str, dict[str, str]]
    slow_seconds: float = 6.0
    approval_seconds: float = 900.0
    clients: dict[str, list[str]] = field(default_factory=lambda: json.loads(os.environ.get("STANDIN_CLIENTS", "{}")))
    refund_behaviour: Callable[[dict[str, Any]], str] = lambda _: "approved"
    ripen: Callable[[dict[str, Any]], None] = lambda _: None
    front: Callable[[], dict[str, Any]] = dict
    faults: dict[tuple[str, str], Faults] = field(default_factory=dict)

    def troubles(self, who: tuple[str, str]) -> Faults:
        """How it misbehaves for a merchant's mode at present."""
        return self.faults.get(who) or Faults(FaultsBody())

    def render(self, template: str, status: int = 200, **values: Any) -> HTMLResponse:
        """One of its pages."""
        page = _TEMPLATES.get_template(template).render(about=self.about, **values)
        return HTMLResponse(page, status, {"Cache-Control": "no-store", "Referrer-Policy": "no-referrer"})

    def wanted(self, body: MoneyBody) -> dict[str, Any]:
        """What is asked to be charged, if the amount can be; raises the answer otherwise."""
        if body.currency not in self.about.currencies:
            raise HTTPException(422, f"The currency {body.currency} is not taken.")
        if len(body.text) > self.about.statement:
            raise HTTPException(422, f"The text has more than {self.about.statement} characters.")
        smallest, largest = self.about.smallest[body.currency], self.about.largest[body.currency]
        if getattr(body, "keep", False) and thousandths(body.amount) == 0:
            return body.model_dump()
        if not thousandths(smallest) <= thousandths(body.amount) <= thousandths(largest):
            raise HTTPException(422, f"An amount is at least {smallest} and at most {largest} {body.currency}.")
        return body.model_dump()

    def to_approve(self, approval: str) -> dict[str, Any] | None:
        """The charge that waits, or waited, for its buyer here."""
        self.books.end_late_approvals(self.approval_seconds)
        return self.books.charge_to_approve(approval)

    def decide(self, charge: dict[str, Any], reason: str | None) -> None:
        """The buyer has said yes (no reason) or no to a charge that waits."""
        if charge["outcome"] == "pending":
            outcome = "approved" if reason is None else "refused"
            self.books.finish_charge((charge["merchant"], charge["mode"]), charge["key"], outcome, reason)

    def make_app(self) -> FastAPI:
        """The gateway's API and front page, as far as they are alike everywhere."""
        books = self.books

        @contextlib.asynccontextmanager
        async def lifespan(_: FastAPI) -> AsyncIterator[None]:
            working = asyncio.create_task(self._work())
            yield
            working.cancel()

        app = FastAPI(title=self.about.name, lifespan=lifespan, docs_url=None, redoc_url=None)
        app.state.merchants = self.merchants
        app.state.books = books
        self._add_authorisation(app)

        @app.put("/faults")
        def misbehave(body: FaultsBody, who: Caller) -> FaultsBody:
            self.faults[who] = Faults(body)
            return body

        @app.put("/calendar")
        def move(body: CalendarBody, who: Caller) -> dict[str, str]:
            """Moves the calendar; what falls due by then has happened when this is answered."""
            books.move_to(who, body.at.timestamp())
            books.end_late_approvals(self.approval_seconds)
            while ripe := books.ripe():
                for charge in ripe:
                    self.ripen(charge)
            return {"at": datetime.fromtimestamp(books.now(who), UTC).isoformat(timespec="seconds")}

        @app.delete("/calendar")
        def move_back(who: Caller) -> dict[str, str]:
            books.move_back(who)
            return {"at": datetime.fromtimestamp(books.now(who), UTC).isoformat(timespec="seconds")}

        @app.post("/settings/{merchant}/{mode}")
        async def settings(merchant: str, mode: str, request: Request) -> Response:
            """The same from the front page, whose forms carry the key."""
            given = {name: values[-1] for name, values in parse_qs((await request.body()).decode()).items()}
            key = self.merchants.get(merchant, {}).get(mode, "")
            if not key or not secrets.compare_digest(given.pop("key", "").encode(), key.encode()):
                raise HTTPException(401, "The merchant and the key do not belong together.")
            who = merchant, mode
            if "days" in given:
                days = given["days"] if given["days"].isdigit() else "1"
                books.move_to(who, books.now(who) + min(int(days), 400) * DAY)
            else:
                try:
                    self.faults[who] = Faults(FaultsBody.model_validate(given))
                except ValidationError as error:
                    problem = error.errors()[0]
                    raise HTTPException(422, f"{problem['loc'][0]}: {problem['msg']}") from None
            return RedirectResponse("/", 303)

        @app.get("/account")
        def account(who: Caller) -> dict[str, Any]:
            return {
                "merchant": who[0],
                "mode": who[1],
                "can": list(self.about.can),
                "currencies": list(self.about.currencies),
                "fees": self.about.fees,
                "smallest": self.about.smallest,
                "largest": self.about.largest,
                "statement": self.about.statement,
                "pays_out": True,
            }

        @app.put("/events-address")
        def register(body: AddressBody, who: Caller) -> dict[str, str]:
            return books.set_address(who, body.url)

        @app.get("/charges")
        def list_charges(who: Caller) -> list[dict[str, Any]]:
            return [public_charge(charge) for charge in books.charges(who)]

        @app.get("/entries")
        async def entries(
            since: datetime, until: datetime, who: Caller, request: Request, skip: int = 0
        ) -> dict[str, Any]:
            """Movements of money from an instant until before another one, the first ones first, 500 at a time."""
            await self.troubles(who).before(request)
            return {"entries": books.entries(who, since.timestamp(), until.timestamp(), skip, 500)}

        @app.get("/charges/{key}")
        async def look_up(key: str, who: Caller, request: Request) -> dict[str, Any]:
            await self.troubles(who).before(request)
            books.end_late_approvals(self.approval_seconds)
            charge = books.charge(who, key)
            if charge is None:
                raise HTTPException(404, "There is no charge with this key.")
            return public_charge(charge)

        @app.delete("/charges/{key}")
        async def give_up(key: str, who: Caller, request: Request) -> dict[str, Any]:
            """Gives up a charge that waits for its buyer or its day; says what became of it."""
            await self.troubles(who).before(request)
            charge = books.give_up(who, key)
            if charge is None:
                raise HTTPException(404, "There is no charge with this key.")
            await self.troubles(who).after(request)
            return public_charge(charge)

        @app.get("/tokens/{token}")
        def seen(token: str, who: Caller) -> dict[str, Any]:
            """The card or account that a token stands for, as far as a merchant may know it."""
            found = books.token(who, token)
            if found is None:
                raise HTTPException(404, "There is no such token.")
            return found

        @app.put("/charges/{key}/refunds/{refund_key}")
        async def refund(key: str, refund_key: str, body: RefundBody, who: Caller, request: Request) -> dict[str, Any]:
            await self.troubles(who).before(request)
            charge = books.charge(who, key)
            if charge is None or charge["outcome"] != "approved":
                raise HTTPException(404, "There is no approved charge with this key.")
            earlier = books.refunds(who, key)
            for one in earlier:
                if one["key"] == refund_key:
                    if one["amount"] != body.amount:
                        raise HTTPException(409, "This key was used for a refund of another amount.")
                    return public_refund(one, charge)
            gone = sum(thousandths(one["amount"]) for one in earlier if one["outcome"] == "made")
            if not 0 < thousandths(body.amount) <= thousandths(charge["amount"]) - gone:
                raise HTTPException(422, "A refund is above 0 and at most what is left of the charge.")
            behaviour = self.refund_behaviour(charge)
            if behaviour == "no_answer" and books.first_time(who, refund_key):
                await never_answer(request)
            made = books.add_refund(who, charge, refund_key, body.amount, refused=behaviour == "no_refund")
            if behaviour == "slow":
                await asyncio.sleep(self.slow_seconds)
            if behaviour == "cut":
                await cut_off(request)
            await self.troubles(who).after(request)
            return made

        @app.get("/charges/{key}/refunds/{refund_key}")
        def look_up_refund(key: str, refund_key: str, who: Caller) -> dict[str, Any]:
            charge = books.charge(who, key)
            found = [one for one in books.refunds(who, key) if one["key"] == refund_key]
            if charge is None or not found:
                raise HTTPException(404, "There is no refund with this key.")
            return public_refund(found[0], charge)

        @app.get("/records/{charge}")
        def record(charge: str) -> HTMLResponse:
            """The record of a charge, for people of the merchant; its name cannot be guessed."""
            found = books.record(charge)
            return self.render("record.html", 200 if found else 404, record=found)

        @app.get("/disputes")
        def disputes(who: Caller) -> list[dict[str, Any]]:
            return books.disputes(who)

        @app.put("/disputes/{dispute}")
        def decide_dispute(dispute: str, body: DecisionBody, who: Caller) -> dict[str, Any]:
            """Decides an open dispute, as the bank would."""
            found = books.decide_dispute(who, dispute, body.outcome)
            if found is None:
                raise HTTPException(404, "There is no open dispute of this name.")
            return found

        @app.get("/")
        def front() -> HTMLResponse:
            accounts = [
                {
                    "merchant": merchant,
                    "mode": mode,
                    "key": key,
                    "now": datetime.fromtimestamp(books.now((merchant, mode)), UTC).strftime("%d %B %Y, %H:%M UTC"),
                    "faults": self.troubles((merchant, mode)).how.model_dump(),
                }
                for merchant, keys in self.merchants.items()
                for mode, key in keys.items()
            ]
            return self.render("front.html", accounts=accounts, **self.front())

        @app.get("/health")
        def health() -> dict[str, str]:
            return {"state": "answering"}

        return app

    def _add_authorisation(self, app: FastAPI) -> None:
        """The code flow of OAuth 2.0 (RFC 6749 section 4.1) with PKCE (RFC 7636, S256 only)."""

        def asked(query: Mapping[str, str]) -> tuple[str, str, str, str]:
            """Client, redirect, challenge and mode; what is wrong with the first two is never sent anywhere."""
            client, redirect = query.get("client_id", ""), query.get("redirect_uri", "")
            if redirect not in self.clients.get(client, ()):
                raise HTTPException(400, "This program is not known here, or wants to be answered somewhere else.")
            challenge, mode = query.get("code_challenge", ""), query.get("mode", "test")
            fits = query.get("response_type") == "code" and query.get("code_challenge_method") == "S256"
            if not fits or not re.fullmatch(r"[A-Za-z0-9_-]{43}", challenge) or mode not in ("test", "live"):
                raise HTTPException(400, "The program asks in a way that is not understood here.")
            return client, redirect, challenge, mode

        @app.get("/authorize")
        def ask_merchant(request: Request) -> HTMLResponse:
            client, _, _, mode = asked(request.query_params)
            return self.render("authorize.html", client=client, mode=mode, merchants=list(self.merchants))

        @app.post("/authorize")
        async def answer(request: Request) -> Response:
            client, redirect, challenge, mode = asked(request.query_params)
            given = parse_qs((await request.body()).decode())
            merchant = given.get("merchant", [""])[-1]
            told = {"state": request.query_params.get("state", "")}
            if given.get("answer", [""])[-1] != "allow" or mode not in self.merchants.get(merchant, {}):
                told["error"] = "access_denied"
            else:
                told["code"] = self.books.new_code(client, redirect, challenge, (merchant, mode))
            return RedirectResponse(f"{redirect}?{urlencode(told)}", 303)

        @app.post("/token")
        async def trade(request: Request) -> JSONResponse:
            given = {name: values[-1] for name, values in parse_qs((await request.body()).decode()).items()}
            verifier = given.get("code_verifier", "")
            challenge = base64.urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=").decode()
            traded = None
            if given.get("grant_type") == "authorization_code" and 43 <= len(verifier) <= 128:
                code, client, redirect = (given.get(name, "") for name in ("code", "client_id", "redirect_uri"))
                traded = self.books.trade_code(code, client, redirect, challenge)
            if traded is None:
                return JSONResponse({"error": "invalid_grant"}, 400, {"Cache-Control": "no-store"})
            token, whose = traded
            body = {"access_token": token, "token_type": "basic", "merchant": whose["merchant"], "mode": whose["mode"]}
            return JSONResponse(body, headers={"Cache-Control": "no-store"})

    async def _work(self) -> None:
        """Lets what is due happen, and sends events again and again until they are taken."""
        async with httpx.AsyncClient(timeout=5) as client:
            while True:
                for charge in self.books.ripe():
                    self.ripen(charge)
                due = self.books.events_to_send()
                for wrong in self.faults.values():
                    wrong.shuffle(due)
                for event in due:
                    await self._send(client, event)
                await asyncio.sleep(0.2)

    async def _send(self, client: httpx.AsyncClient, event: dict[str, Any]) -> None:
        delivered = False
        wrong = self.troubles((event["merchant"], event["mode"]))
        if event["tries"] == 0 and wrong.has(wrong.how.forgotten):
            self.books.event_tried(event["id"], True)
            return
        if event["tries"] == 0 and wrong.has(wrong.how.late):
            self.books.put_off(event["id"], wrong.pause())
            return
        stamp = datetime.now(UTC)
        headers = {
            "content-type": "application/json",
            "webhook-id": event["id"],
            "webhook-timestamp": str(int(stamp.timestamp())),
            "webhook-signature": Webhook(event["secret"]).sign(event["id"], stamp, event["body"]),
        }
        for _ in range(2 if wrong.has(wrong.how.twice) else 1):
            with contextlib.suppress(httpx.HTTPError):
                answer = await client.post(event["url"], content=event["body"], headers=headers)
                delivered = answer.is_success
        self.books.event_tried(event["id"], delivered)


def repeated(known: dict[str, Any], wanted: dict[str, Any]) -> dict[str, Any]:
    """The answer to a charge that is sent again; another request under its key, or one at work, is refused."""
    if json.loads(known["request"]) != wanted:
        raise HTTPException(409, "This key was used for another charge.")
    if known["outcome"] == "pending" and not known["approval"] and not known["due"]:
        raise HTTPException(425, "The charge with this key is being worked on.")
    return public_charge(known)


def source_of(service: Service, who: tuple[str, str], body: SourceBody, key: str) -> dict[str, Any]:
    """What is to be charged; raises the answer where it is not known, or both or neither is named."""
    if (body.token is None) == (body.on_file is None):
        raise HTTPException(422, "A charge is either of a token or of what is on file.")
    if body.on_file is not None:
        found = service.books.kept(who, body.on_file)
        if found is None:
            raise HTTPException(410, "Nothing is on file under this name.")
        return found
    found = service.books.use_token(who, body.token or "", key)
    if found is None:
        raise HTTPException(410, "The token is unknown, too old, or was used for another charge.")
    return found


def field_problem(name: str, message: str) -> JSONResponse:
    """What is wrong with a field of a frame."""
    return JSONResponse({"field": name, "message": message}, status_code=422)


def frame_settings(service: Service, merchant: str, mode: str, parent: str, colour: str) -> dict[str, Any]:
    """What a frame of fields is told; raises the answer where it is asked for wrongly."""
    if mode not in service.merchants.get(merchant, {}):
        raise HTTPException(404, "There is no such merchant.")
    if not re.fullmatch(r"https?://[A-Za-z0-9.:-]+", parent) or not re.fullmatch(r"#[0-9A-Fa-f]{6}", colour):
        raise HTTPException(422, "The parent is an origin and the colour six hexadecimal digits.")
    return {"merchant": merchant, "mode": mode, "parent": parent}


def thousandths(amount: str) -> int:
    """A decimal text as a whole number of thousandths."""
    whole, _, decimals = amount.partition(".")
    return int(whole) * 1000 + int(decimals.ljust(3, "0"))


async def never_answer(request: Request) -> NoReturn:
    """Holds the request until the caller gives up."""
    while not await request.is_disconnected():
        await asyncio.sleep(0.1)
    raise HTTPException(504, "Never sent: nobody is listening any more.")


async def cut_off(request: Request) -> None:
    """Closes the connection without an answer (uvicorn keeps its transport beside `receive`)."""
    cycle = getattr(request.receive, "__self__", None)
    transport = getattr(cycle, "transport", None)
    if transport is None:
        raise RuntimeError("the server does not let its connections be cut")
    transport.abort()


def run(description: str, make_app: Callable[[Books, dict[str, dict[str, str]], float], FastAPI]) -> None:
    """Runs a gateway; merchants and keys come from STANDIN_MERCHANTS (JSON)."""
    parser = argparse.ArgumentParser(description=description)
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--file", type=Path, required=True, help="where it keeps its books")
    parser.add_argument("--slow-seconds", type=float, default=6.0)
    arguments = parser.parse_args()
    merchants = json.loads(os.environ["STANDIN_MERCHANTS"])
    app = make_app(Books(arguments.file), merchants, arguments.slow_seconds)
    uvicorn.run(app, host="127.0.0.1", port=arguments.port, log_level="warning", access_log=False)
