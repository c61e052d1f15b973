"""The stand-in card gateway: a small, simulated payment service on its own origin.

It has an HTTP API with a key for each mode, card fields in a frame that turn into a one-time token, and signed
events (Standard Webhooks). Its cards begin with 9, so that they cannot be anyone's; each behaves in its own way.
Run it with `python -m skurrow.standin.cards --help`.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import json
import os
import random
import re
import secrets
from collections.abc import AsyncIterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any, NoReturn

import httpx
import uvicorn
from fastapi import Depends, FastAPI, HTTPException, Request
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse
from fastapi.security import HTTPBasic, HTTPBasicCredentials
from jinja2 import Environment, FileSystemLoader, select_autoescape
from pydantic import BaseModel, ConfigDict, Field
from standardwebhooks import Webhook
from stdnum import luhn

from skurrow.standin.cards_store import CardsStore, public_charge, public_refund


@dataclass(frozen=True)
class Card:
    """A test card: its number, what it is called and how it behaves."""

    number: str
    name: str
    behaviour: str
    story: str


CARDS = (
    Card("9100246810121409", "Approved", "approved", "Every charge is approved."),
    Card("9150246810121614", "Asks the bank", "approval", "The buyer approves the charge on a page of the bank."),
    Card("9200246810122406", "No funds", "no_funds", "Refused: not enough money in the account."),
    Card("9300246810123403", "Lost", "lost", "Refused: the card was reported lost."),
    Card("9400246810124400", "Expired", "expired", "Refused: the bank says that the card has expired."),
    Card("9500246810125406", "Slow", "slow", "Approved, but the answer takes a while."),
    Card("9600246810126403", "No answer", "no_answer",
         "The first request is never answered and does nothing; the same one sent again is approved."),
    Card("9700246810127400", "Cut off", "cut", "Approved, but the connection is cut before the answer arrives."),
    Card("9850246810128505", "Disputes", "disputed",
         "Approved; the buyer then disputes the charge at their bank."),
    Card("9800246810128407", "Takes nothing back", "no_refund", "Approved; every refund of it is refused."),
)  # fmt: skip

_REFUSED = {"no_funds", "lost", "expired", "unknown_card"}
_BEHAVIOUR = {card.number: card.behaviour for card in CARDS}
_BY_ENDING = {card.number[-4:]: card.behaviour for card in CARDS}
"""A charge keeps the last four digits of its card; refunds behave as the card does."""
_CURRENCIES = ["EUR", "GBP", "USD", "JPY"]
_AMOUNT = re.compile(r"(0|[1-9][0-9]{0,9})(\.[0-9]{1,3})?")
_PAGES = Environment(loader=FileSystemLoader(Path(__file__).parent / "pages"), autoescape=select_autoescape(["html"]))


class _Body(BaseModel):
    model_config = ConfigDict(extra="forbid")


class ChargeBody(_Body):
    """A charge: an amount ("48.00"), a currency, the token of a card, a text for the statement."""

    amount: Annotated[str, Field(pattern=_AMOUNT.pattern)]
    currency: str
    token: str
    text: Annotated[str, Field(max_length=22)] = ""


class RefundBody(_Body):
    """A refund of part or all of a charge."""

    amount: Annotated[str, Field(pattern=_AMOUNT.pattern)]


class DecisionBody(_Body):
    """How a dispute is decided, for the merchant."""

    outcome: Annotated[str, Field(pattern="^(won|lost)$")]


class AddressBody(_Body):
    """Where events are to be sent."""

    url: Annotated[str, Field(pattern=r"^https?://", max_length=500)]


_Share = Annotated[float, Field(ge=0, le=1)]


class FaultsBody(_Body):
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
            await _cut(request)
            raise HTTPException(504, "Nobody is listening any more.")
        if self.has(self.how.error):
            raise HTTPException(503, "Something is wrong here. Nothing was done.")

    async def after(self, request: Request) -> None:
        """What goes wrong once everything is done."""
        if self.has(self.how.cut):
            await _cut(request)


class TokenBody(_Body):
    """What was typed into the card fields."""

    merchant: str
    mode: str
    number: Annotated[str, Field(max_length=30)]
    expires: Annotated[str, Field(pattern=r"^[0-9]{4}-(0[1-9]|1[0-2])$")]
    code: Annotated[str, Field(pattern=r"^[0-9]{3,4}$")]


def _caller(request: Request, given: Annotated[HTTPBasicCredentials, Depends(HTTPBasic())]) -> tuple[str, str]:
    """The merchant and mode that a key belongs to."""
    for mode, key in request.app.state.merchants.get(given.username, {}).items():
        if secrets.compare_digest(given.password.encode(), key.encode()):
            return given.username, mode
    raise HTTPException(401, "The merchant and the key do not belong together.", {"WWW-Authenticate": "Basic"})


Caller = Annotated[tuple[str, str], Depends(_caller)]


def make_app(
    store: CardsStore,
    merchants: dict[str, dict[str, str]],
    slow_seconds: float = 6.0,
    approval_seconds: float = 900.0,
) -> FastAPI:
    """The gateway; `merchants` maps each merchant to their keys by mode. A charge waits `approval_seconds` for its
    buyer's approval."""

    @contextlib.asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        sending = asyncio.create_task(_send_events(store, faults))
        yield
        sending.cancel()

    app = FastAPI(title="Stand-in Cards", lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.merchants = merchants
    faults: dict[tuple[str, str], Faults] = {}

    def troubles(who: tuple[str, str]) -> Faults:
        return faults.get(who) or Faults(FaultsBody())

    @app.put("/faults")
    def misbehave(body: FaultsBody, who: Caller) -> FaultsBody:
        faults[who] = Faults(body)
        return body

    @app.get("/account")
    def account(who: Caller) -> dict[str, Any]:
        return {
            "merchant": who[0],
            "mode": who[1],
            "can": ["charge", "refund", "refund_in_part"],
            "currencies": _CURRENCIES,
            "fee": {"percent": "2.9", "fixed": "0.30"},
        }

    @app.put("/events-address")
    def register(body: AddressBody, who: Caller) -> dict[str, str]:
        return store.set_address(who, body.url)

    @app.get("/charges")
    def list_charges(who: Caller) -> list[dict[str, Any]]:
        return [public_charge(charge) for charge in store.charges(who)]

    @app.get("/entries")
    async def entries(since: datetime, until: datetime, who: Caller, request: Request, skip: int = 0) -> dict[str, Any]:
        """Movements of money from an instant until before another one, the first ones first, 500 at a time."""
        await troubles(who).before(request)
        return {"entries": store.entries(who, since.timestamp(), until.timestamp(), skip, 500)}

    @app.get("/charges/{key}")
    async def look_up(key: str, who: Caller, request: Request) -> dict[str, Any]:
        await troubles(who).before(request)
        store.end_late_approvals(approval_seconds)
        charge = store.charge(who, key)
        if charge is None:
            raise HTTPException(404, "There is no charge with this key.")
        return public_charge(charge)

    @app.put("/charges/{key}")
    async def make_charge(key: str, body: ChargeBody, who: Caller, request: Request) -> dict[str, Any]:
        wanted = body.model_dump()
        if body.currency not in _CURRENCIES:
            raise HTTPException(422, f"The currency {body.currency} is not taken.")
        await troubles(who).before(request)
        known = store.charge(who, key)
        if known is not None:
            return _repeated(known, wanted)
        card = store.use_token(who, body.token, key)
        if card is None:
            raise HTTPException(410, "The token is unknown, too old, or was used for another charge.")
        if card["behaviour"] == "no_answer" and store.first_time(who, key):
            await _never_answer(request)
        if card["behaviour"] == "approval":
            return public_charge(store.begin_approval(who, key, wanted, card))
        store.begin_charge(who, key, wanted, card)
        if card["behaviour"] == "slow":
            await asyncio.sleep(slow_seconds)
        refused = card["behaviour"] in _REFUSED
        charge = store.finish_charge(
            who, key, "refused" if refused else "approved", card["behaviour"] if refused else None
        )
        if card["behaviour"] == "cut":
            await _cut(request)
        if card["behaviour"] == "disputed":
            store.open_dispute(who, charge)
        await troubles(who).after(request)
        return public_charge(charge)

    @app.put("/charges/{key}/refunds/{refund_key}")
    async def refund(key: str, refund_key: str, body: RefundBody, who: Caller, request: Request) -> dict[str, Any]:
        await troubles(who).before(request)
        charge = store.charge(who, key)
        if charge is None or charge["outcome"] != "approved":
            raise HTTPException(404, "There is no approved charge with this key.")
        earlier = store.refunds(who, key)
        for one in earlier:
            if one["key"] == refund_key:
                if one["amount"] != body.amount:
                    raise HTTPException(409, "This key was used for a refund of another amount.")
                return public_refund(one, charge)
        left = _number(charge["amount"]) - sum(_number(one["amount"]) for one in earlier if one["outcome"] == "made")
        if not 0 < _number(body.amount) <= left:
            raise HTTPException(422, "A refund is above 0 and at most what is left of the charge.")
        behaviour = _BY_ENDING.get(charge["ending"])
        if behaviour == "no_answer" and store.first_time(who, refund_key):
            await _never_answer(request)
        made = store.add_refund(who, charge, refund_key, body.amount, refused=behaviour == "no_refund")
        if behaviour == "slow":
            await asyncio.sleep(slow_seconds)
        if behaviour == "cut":
            await _cut(request)
        await troubles(who).after(request)
        return made

    @app.get("/charges/{key}/refunds/{refund_key}")
    def look_up_refund(key: str, refund_key: str, who: Caller) -> dict[str, Any]:
        charge = store.charge(who, key)
        found = [one for one in store.refunds(who, key) if one["key"] == refund_key]
        if charge is None or not found:
            raise HTTPException(404, "There is no refund with this key.")
        return public_refund(found[0], charge)

    @app.get("/approvals/{approval}")
    def approval_page(approval: str, done: str = "") -> HTMLResponse:
        store.end_late_approvals(approval_seconds)
        charge = store.charge_to_approve(approval)
        page = _PAGES.get_template("approval.html").render(charge=charge, approval=approval)
        return HTMLResponse(page, 200 if charge else 404, {"Cache-Control": "no-store"})

    @app.post("/approvals/{approval}")
    async def decide(approval: str, request: Request) -> HTMLResponse:
        store.end_late_approvals(approval_seconds)
        answer = (await request.body()).decode()
        charge = store.charge_to_approve(approval)
        if charge is not None and charge["outcome"] == "pending":
            yes = answer == "answer=approve"
            who = charge["merchant"], charge["mode"]
            store.finish_charge(who, charge["key"], "approved" if yes else "refused", None if yes else "not_approved")
            charge = store.charge_to_approve(approval)
        page = _PAGES.get_template("approval.html").render(charge=charge, approval=approval)
        return HTMLResponse(page, 200 if charge else 404, {"Cache-Control": "no-store"})

    @app.get("/disputes")
    def disputes(who: Caller) -> list[dict[str, Any]]:
        return store.disputes(who)

    @app.put("/disputes/{dispute}")
    def decide_dispute(dispute: str, body: DecisionBody, who: Caller) -> dict[str, Any]:
        """Decides an open dispute, as the bank would."""
        found = store.decide_dispute(who, dispute, body.outcome)
        if found is None:
            raise HTTPException(404, "There is no open dispute of this name.")
        return found

    @app.get("/fields")
    def fields(merchant: str, mode: str, parent: str, colour: str = "#2F4858", card: str | None = None) -> HTMLResponse:
        if merchant not in merchants or mode not in merchants[merchant]:
            raise HTTPException(404, "There is no such merchant.")
        if not re.fullmatch(r"https?://[A-Za-z0-9.:-]+", parent) or not re.fullmatch(r"#[0-9A-Fa-f]{6}", colour):
            raise HTTPException(422, "The parent is an origin and the colour six hexadecimal digits.")
        settings = {"merchant": merchant, "mode": mode, "parent": parent}
        filled = next((one for one in CARDS if one.behaviour == card), None) if mode == "test" else None
        if filled is not None:
            spaced = " ".join(re.findall("....", filled.number))
            settings["filled"] = json.dumps([spaced, f"12 / {(datetime.now(UTC).year + 3) % 100}", "123"])
        page = _PAGES.get_template("fields.html").render(colour=colour, settings=settings)
        return HTMLResponse(page, headers={"Cache-Control": "no-store", "Referrer-Policy": "no-referrer"})

    @app.get("/fields.js")
    def fields_script() -> FileResponse:
        return FileResponse(Path(__file__).parent / "pages" / "fields.js", media_type="text/javascript")

    @app.post("/tokens")
    def tokenise(body: TokenBody) -> JSONResponse:
        if body.mode not in merchants.get(body.merchant, {}):
            raise HTTPException(404, "There is no such merchant.")
        number = body.number.replace(" ", "")
        if not number.startswith("9") or not luhn.is_valid(number) or len(number) != 16:
            return _field_problem("number", "This is not a stand-in card number.")
        if body.expires < datetime.now(UTC).strftime("%Y-%m"):
            return _field_problem("expires", "The card has expired.")
        behaviour = _BEHAVIOUR.get(number, "unknown_card")
        token = store.new_token((body.merchant, body.mode), behaviour, number[-4:], body.expires)
        return JSONResponse({"token": token, "card": {"ending": number[-4:], "expires": body.expires}})

    @app.get("/")
    def front(request: Request) -> HTMLResponse:
        page = _PAGES.get_template("cards.html")
        spaced = [(card, " ".join(re.findall("....", card.number))) for card in CARDS]
        return HTMLResponse(page.render(cards=spaced, merchants=merchants, year=datetime.now(UTC).year + 3))

    @app.get("/health")
    def health() -> dict[str, str]:
        return {"state": "answering"}

    return app


def _repeated(known: dict[str, Any], wanted: dict[str, Any]) -> dict[str, Any]:
    if json.loads(known["request"]) != wanted:
        raise HTTPException(409, "This key was used for another charge.")
    if known["outcome"] == "pending" and not known["approval"]:
        raise HTTPException(425, "The charge with this key is being worked on.")
    return public_charge(known)


def _field_problem(field: str, message: str) -> JSONResponse:
    return JSONResponse({"field": field, "message": message}, status_code=422)


def _number(amount: str) -> int:
    whole, _, decimals = amount.partition(".")
    return int(whole) * 1000 + int(decimals.ljust(3, "0"))


async def _never_answer(request: Request) -> NoReturn:
    """Holds the request until the caller gives up."""
    while not await request.is_disconnected():
        await asyncio.sleep(0.1)
    raise HTTPException(504, "Never sent: nobody is listening any more.")


async def _cut(request: Request) -> None:
    """Closes the connection without an answer (uvicorn keeps its transport beside `receive`)."""
    cycle = getattr(request.receive, "__self__", None)
    transport = getattr(cycle, "transport", None)
    if transport is None:
        raise RuntimeError("the server does not let its connections be cut")
    transport.abort()


async def _send_events(store: CardsStore, faults: dict[tuple[str, str], Faults]) -> None:
    """Sends what is due, again and again until it is taken."""
    async with httpx.AsyncClient(timeout=5) as client:
        while True:
            due = store.events_to_send()
            for wrong in faults.values():
                wrong.shuffle(due)
            for event in due:
                delivered = False
                wrong = faults.get((event["merchant"], event["mode"])) or Faults(FaultsBody())
                if event["tries"] == 0 and wrong.has(wrong.how.forgotten):
                    store.event_tried(event["id"], True)
                    continue
                if event["tries"] == 0 and wrong.has(wrong.how.late):
                    store.put_off(event["id"], wrong.pause())
                    continue
                stamp = datetime.now(UTC)
                signature = Webhook(event["secret"]).sign(event["id"], stamp, event["body"])
                headers = {
                    "content-type": "application/json",
                    "webhook-id": event["id"],
                    "webhook-timestamp": str(int(stamp.timestamp())),
                    "webhook-signature": signature,
                }
                for _ in range(2 if wrong.has(wrong.how.twice) else 1):
                    with contextlib.suppress(httpx.HTTPError):
                        answer = await client.post(event["url"], content=event["body"], headers=headers)
                        delivered = answer.is_success
                store.event_tried(event["id"], delivered)
            await asyncio.sleep(0.2)


def main() -> None:
    """Runs the gateway; merchants and keys come from STANDIN_CARDS_MERCHANTS (JSON)."""
    parser = argparse.ArgumentParser(description="The stand-in card gateway.")
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--file", type=Path, required=True, help="where it keeps its books")
    parser.add_argument("--slow-seconds", type=float, default=6.0)
    parser.add_argument("--approval-seconds", type=float, default=900.0)
    arguments = parser.parse_args()
    merchants = json.loads(os.environ["STANDIN_CARDS_MERCHANTS"])
    app = make_app(CardsStore(arguments.file), merchants, arguments.slow_seconds, arguments.approval_seconds)
    uvicorn.run(app, host="127.0.0.1", port=arguments.port, log_level="warning", access_log=False)


if __name__ == "__main__":
    main()
