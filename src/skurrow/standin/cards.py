"""The stand-in card gateway: a small, simulated payment service on its own origin.

It has card fields in a frame that turn into a one-time token, and pages on which a buyer approves a charge. Its cards
begin with 9, so that they cannot be anyone's; each behaves in its own way.
Run it with `python -m skurrow.standin.cards --help`.
"""

from __future__ import annotations

import asyncio
import json
import re
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import FastAPI, HTTPException, Request
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, Response
from pydantic import Field
from stdnum import luhn

from skurrow.standin.books import Books, public_charge
from skurrow.standin.service import (
    PAGES,
    About,
    Body,
    Caller,
    Service,
    SourceBody,
    cut_off,
    field_problem,
    frame_settings,
    never_answer,
    repeated,
    run,
    source_of,
)


@dataclass(frozen=True)
class Card:
    """A test card: its number, what it is called, how it behaves, and the country of its bank."""

    number: str
    name: str
    behaviour: str
    story: str
    country: str = "NL"


CARDS = (
    Card("9100246810121409", "Approved", "approved", "Every charge is approved."),
    Card("9110246810121605", "From elsewhere", "elsewhere", "Approved; the card is from the United States.", "US"),
    Card("9150246810121614", "Asks the bank", "approval", "The buyer approves the charge on a page of the bank."),
    Card("9200246810122406", "No funds", "no_funds", "Refused: not enough money in the account."),
    Card("9300246810123403", "Lost", "lost", "Refused: the card was reported lost."),
    Card("9400246810124400", "Expired", "expired", "Refused: the bank says that the card has expired."),
    Card("9500246810125406", "Slow", "slow", "Approved, but the answer takes a while."),
    Card("9600246810126403", "No answer", "no_answer",
         "The first request is never answered and does nothing; the same one sent again is approved."),
    Card("9700246810127400", "Cut off", "cut", "Approved, but the connection is cut before the answer arrives."),
    Card("9120246810121207", "Fails once", "fails_once",
         "Approved, but the second charge without the buyer is refused, once."),
    Card("9130246810121304", "Fails from the second renewal on", "fails_later",
         "Approved, but every charge without the buyer from the second one on is refused."),
    Card("9160246810121604", "Asks the bank again", "approval_later",
         "Approved; each charge without the buyer waits a week for their approval."),
    Card("9850246810128505", "Disputes", "disputed",
         "Approved; the buyer then disputes the charge at their bank."),
    Card("9800246810128407", "Takes nothing back", "no_refund", "Approved; every refund of it is refused."),
)  # fmt: skip

ABOUT = About(
    name="Stand-in Cards",
    currencies=("EUR", "GBP", "USD", "JPY"),
    fees={"percent": "2.9", "fixed": "0.30", "monthly": "0.00", "cross_border": "1.5", "conversion": "1"},
    smallest={"EUR": "0.50", "GBP": "0.30", "USD": "0.50", "JPY": "50"},
    largest={"EUR": "50000.00", "GBP": "50000.00", "USD": "50000.00", "JPY": "5000000"},
    can=("charge", "refund", "refund_in_part", "approval", "keep"),
)
_REFUSED = {"no_funds", "lost", "expired", "unknown_card"}
_SECOND = 2
FILLED_YEARS = 8
"""How far ahead the cards that are filled in by themselves expire: renewals are lived through for years."""
_BY_NUMBER = {card.number: card for card in CARDS}
_BY_ENDING = {card.number[-4:]: card.behaviour for card in CARDS}
"""A charge keeps the last four digits of its card; refunds behave as the card does."""


class TokenBody(Body):
    """What was typed into the card fields."""

    merchant: str
    mode: str
    number: Annotated[str, Field(max_length=30)]
    expires: Annotated[str, Field(pattern=r"^[0-9]{4}-(0[1-9]|1[0-2])$")]
    code: Annotated[str, Field(pattern=r"^[0-9]{3,4}$")]


def _front() -> dict[str, Any]:
    spaced = [(card.name, " ".join(re.findall("....", card.number)), card.story) for card in CARDS]
    year = datetime.now(UTC).year + 3
    hint = f"Any month to come (12 / {year % 100}) and any three digits as security code go with each."
    warning = "Never type a real card number."
    return {"title": "Cards, by how they behave", "hint": hint, "warning": warning, "instruments": spaced}


def _why_refused(card: dict[str, Any], month: str) -> str | None:
    """Why a charge of a card is refused in a month; of one on file it counts which charge it is."""
    behaviour, number = card["behaviour"], card.get("charges", 0)
    if behaviour in _REFUSED:
        return str(behaviour)
    if card["expires"] < month:
        return "expired"
    if (behaviour == "fails_once" and number == _SECOND) or (behaviour == "fails_later" and number >= _SECOND):
        return "no_funds"
    return None


def _month(at: float) -> str:
    return datetime.fromtimestamp(at, UTC).strftime("%Y-%m")


def make_app(books: Books, merchants: dict[str, dict[str, str]], slow_seconds: float = 6.0) -> FastAPI:
    """The gateway; `merchants` maps each merchant to their keys by mode."""
    service = Service(
        ABOUT,
        books,
        merchants,
        slow_seconds,
        refund_behaviour=lambda charge: _BY_ENDING.get(charge["ending"], "approved"),
        front=_front,
    )
    app = service.make_app()

    @app.put("/charges/{key}")
    async def make_charge(key: str, body: SourceBody, who: Caller, request: Request) -> dict[str, Any]:
        wanted = service.wanted(body)
        await service.troubles(who).before(request)
        known = books.charge(who, key)
        if known is not None:
            return repeated(known, wanted)
        card = source_of(service, who, body, key)
        if card["behaviour"] == "no_answer" and body.on_file is None and books.first_time(who, key):
            await never_answer(request)
        asks = "approval" if body.on_file is None else "approval_later"
        if card["behaviour"] == asks:
            return public_charge(books.begin_approval(who, key, wanted, card))
        books.begin_charge(who, key, wanted, card)
        if card["behaviour"] == "slow":
            await asyncio.sleep(slow_seconds)
        reason = _why_refused(card, _month(books.now(who)))
        charge = books.finish_charge(who, key, "approved" if reason is None else "refused", reason)
        if card["behaviour"] == "cut":
            await cut_off(request)
        if card["behaviour"] == "disputed":
            books.open_dispute(who, charge)
        await service.troubles(who).after(request)
        return public_charge(charge)

    @app.get("/approvals/{approval}")
    def approval_page(approval: str) -> HTMLResponse:
        charge = service.to_approve(approval)
        return service.render("approval.html", 200 if charge else 404, charge=charge)

    @app.post("/approvals/{approval}")
    async def decide(approval: str, request: Request) -> HTMLResponse:
        charge = service.to_approve(approval)
        if charge is not None:
            service.decide(charge, None if await request.body() == b"answer=approve" else "not_approved")
        return approval_page(approval)

    @app.get("/fields")
    def fields(merchant: str, mode: str, parent: str, colour: str = "#2F4858", card: str | None = None) -> HTMLResponse:
        settings = frame_settings(service, merchant, mode, parent, colour)
        filled = next((one for one in CARDS if one.behaviour == card), None) if mode == "test" else None
        if filled is not None:
            spaced = " ".join(re.findall("....", filled.number))
            settings["filled"] = json.dumps([spaced, f"12 / {(datetime.now(UTC).year + FILLED_YEARS) % 100}", "123"])
        return service.render("fields.html", colour=colour, settings=settings)

    @app.get("/fields.js")
    def fields_script() -> FileResponse:
        return FileResponse(PAGES / "fields.js", media_type="text/javascript")

    @app.api_route("/pay", methods=["GET", "HEAD"])
    def method(request: Request) -> Response:
        """The payment method that browsers know this gateway by (W3C Payment Method Identifiers)."""
        link = f'<{request.base_url}payment-method.json>; rel="payment-method-manifest"'
        return Response("A payment method of the browser's own window.", headers={"Link": link})

    @app.get("/payment-method.json")
    def method_manifest(request: Request) -> dict[str, list[str]]:
        """W3C Payment Method Manifest: our own application pays by it, and no other."""
        return {"default_applications": [f"{request.base_url}pay-app.json"], "supported_origins": []}

    @app.get("/pay-app.json")
    def application() -> JSONResponse:
        """W3C Web Application Manifest of the application that the browser's window opens."""
        manifest = {
            "name": ABOUT.name,
            "short_name": "Cards",
            "icons": [{"src": "/icon.png", "sizes": "48x48", "type": "image/png"}],
            "serviceworker": {"src": "/pay-worker.js", "scope": "/", "use_cache": False},
        }
        return JSONResponse(manifest, media_type="application/manifest+json")

    @app.get("/icon.png")
    def icon() -> FileResponse:
        return FileResponse(PAGES / "icon.png", media_type="image/png")

    @app.get("/pay-worker.js")
    def worker() -> FileResponse:
        return FileResponse(PAGES / "pay_worker.js", media_type="text/javascript")

    @app.get("/pay-window.js")
    def window_script() -> FileResponse:
        return FileResponse(PAGES / "pay_window.js", media_type="text/javascript")

    @app.get("/pay-window")
    def window() -> HTMLResponse:
        expires = f"{datetime.now(UTC).year + 3}-12"
        return service.render("pay_window.html", cards=[(card.name, card.number, expires) for card in CARDS])

    @app.post("/tokens")
    def tokenise(body: TokenBody) -> JSONResponse:
        if body.mode not in merchants.get(body.merchant, {}):
            raise HTTPException(404, "There is no such merchant.")
        number = body.number.replace(" ", "")
        if not number.startswith("9") or not luhn.is_valid(number) or len(number) != 16:
            return field_problem("number", "This is not a stand-in card number.")
        if body.expires < datetime.now(UTC).strftime("%Y-%m"):
            return field_problem("expires", "The card has expired.")
        card = _BY_NUMBER.get(number) or Card(number, "", "unknown_card", "")
        token = books.new_token((body.merchant, body.mode), number, card.behaviour, card.country, body.expires)
        return JSONResponse({"token": token, "card": {"ending": number[-4:], "expires": body.expires}})

    return app


if __name__ == "__main__":
    run("The stand-in card gateway.", make_app)
