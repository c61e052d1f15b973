"""The stand-in wallet: the buyer leaves for its page, approves or cancels there and is sent back, or never returns.

Run it with `python -m skurrow.standin.wallet --help`.
"""

from __future__ import annotations

import json
from typing import Annotated, Any
from urllib.parse import parse_qs

from fastapi import FastAPI, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import Field

from skurrow.standin.books import Books, public_charge
from skurrow.standin.service import About, Caller, MoneyBody, Service, repeated, run

ABOUT = About(
    name="Stand-in Wallet",
    currencies=("EUR", "GBP", "USD"),
    fees={"percent": "2.5", "fixed": "0.35", "monthly": "0.00", "cross_border": "2", "conversion": "3"},
    smallest={"EUR": "1.00", "GBP": "1.00", "USD": "1.00"},
    largest={"EUR": "8000.00", "GBP": "8000.00", "USD": "8000.00"},
    can=("charge", "refund", "refund_in_part", "off_site"),
    statement=18,
)
_ANSWERS: dict[str, str | None] = {"pay": None, "pay_and_stay": None, "empty": "no_funds", "cancel": "not_approved"}
_NO_CARD = {"ending": "", "expires": ""}


class ChargeBody(MoneyBody):
    """A charge that the buyer approves at the wallet; afterwards they are sent back to `return_to`."""

    return_to: Annotated[str, Field(pattern=r"^https?://", max_length=2000)]


def _front() -> dict[str, Any]:
    stories = [
        ("Pay", "", "The charge is approved, and the buyer is sent back."),
        ("Pay, but do not go back", "", "The charge is approved; the buyer never comes back."),
        ("Pay with an empty wallet", "", "Refused: not enough money."),
        ("Cancel", "", "Nothing is charged, and the buyer is sent back."),
        ("Close the window", "", "The charge waits for 15 minutes, then it is refused."),
    ]
    return {"title": "What a buyer can do", "hint": "There is nothing to type.", "warning": "", "instruments": stories}


def make_app(books: Books, merchants: dict[str, dict[str, str]], slow_seconds: float = 6.0) -> FastAPI:
    """The wallet; `merchants` maps each merchant to their keys by mode."""
    service = Service(ABOUT, books, merchants, slow_seconds, front=_front)
    app = service.make_app()

    @app.put("/charges/{key}")
    async def begin_charge(key: str, body: ChargeBody, who: Caller, request: Request) -> dict[str, Any]:
        wanted = service.wanted(body)
        await service.troubles(who).before(request)
        known = books.charge(who, key)
        if known is not None:
            return repeated(known, wanted)
        charge = books.begin_approval(who, key, wanted, _NO_CARD)
        await service.troubles(who).after(request)
        return public_charge(charge)

    @app.get("/approvals/{approval}")
    def page(approval: str) -> Response:
        charge = service.to_approve(approval)
        back = json.loads(charge["request"])["return_to"] if charge else None
        return service.render("wallet.html", 200 if charge else 404, charge=charge, back=back)

    @app.post("/approvals/{approval}")
    async def decide(approval: str, request: Request) -> Response:
        charge = service.to_approve(approval)
        answer = parse_qs((await request.body()).decode()).get("answer", ["cancel"])[-1]
        if charge is not None:
            service.decide(charge, _ANSWERS.get(answer, "not_approved"))
        if charge is None or answer == "pay_and_stay":
            return page(approval)
        return RedirectResponse(json.loads(charge["request"])["return_to"], 303)

    return app


if __name__ == "__main__":
    run("The stand-in wallet.", make_app)
