"""The stand-in direct debit: a charge is accepted at once and confirmed, or returned, days later.

Its accounts are made up: they have the form of an IBAN of the user-assigned country code XX, which ISO 3166-1 leaves
to anyone and no bank uses. Run it with `python -m skurrow.standin.debit --help`.
"""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import FastAPI, HTTPException, Request
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse
from pydantic import Field
from stdnum.iso7064 import mod_97_10

from skurrow.standin.books import Books, public_charge
from skurrow.standin.service import (
    DAY,
    PAGES,
    About,
    Body,
    Caller,
    Service,
    SourceBody,
    field_problem,
    frame_settings,
    repeated,
    run,
    source_of,
    thousandths,
)

CONFIRMED_AFTER = 2 * DAY
RETURNED_AFTER = 5 * DAY


@dataclass(frozen=True)
class BankAccount:
    """A test account: its number, and what becomes of a charge."""

    number: str
    name: str
    behaviour: str
    story: str


def _number(rest: str) -> str:
    return f"XX{mod_97_10.calc_check_digits(rest + 'XX')}{rest}"


ACCOUNTS = (
    BankAccount(_number("STAND100020003001"), "Confirmed", "confirmed", "Confirmed after two days."),
    BankAccount(_number("STAND100020003002"), "Returned", "returned", "Returned after two days: nothing moves."),
    BankAccount(_number("STAND100020003003"), "Returned later", "returned_late",
                "Confirmed after two days; five days after that the bank takes it back."),
    BankAccount(_number("STAND100020003004"), "Closed", "closed", "Refused at once: the account is closed."),
    BankAccount(_number("STAND100020003005"), "Returned from the second renewal on", "returned_again",
                "Confirmed; every charge without the buyer from the second one on is returned after two days."),
)  # fmt: skip
_BY_NUMBER = {account.number: account for account in ACCOUNTS}
ABOUT = About(
    name="Stand-in Direct Debit",
    currencies=("EUR",),
    fees={"percent": "0.8", "fixed": "0.20", "monthly": "9.00", "cross_border": "0", "conversion": "0"},
    smallest={"EUR": "1.00"},
    largest={"EUR": "5000.00"},
    can=("charge", "refund", "refund_in_part", "later", "keep"),
    statement=35,
)


class TokenBody(Body):
    """What was typed: the account, whose it is, and that they agree to be charged."""

    merchant: str
    mode: str
    number: Annotated[str, Field(max_length=60)]
    holder: Annotated[str, Field(max_length=120)]
    agreed: bool


def _front() -> dict[str, Any]:
    spaced = [(one.name, " ".join(re.findall(".{1,4}", one.number)), one.story) for one in ACCOUNTS]
    hint = "Any name goes with each. Move the calendar below to live through the days that follow."
    warning = "Never type a real account number."
    return {"title": "Accounts, by how they behave", "hint": hint, "warning": warning, "instruments": spaced}


def make_app(books: Books, merchants: dict[str, dict[str, str]], slow_seconds: float = 6.0) -> FastAPI:
    """The gateway; `merchants` maps each merchant to their keys by mode."""

    def ripen(charge: dict[str, Any]) -> None:
        who, key, fate = (charge["merchant"], charge["mode"]), charge["key"], charge["fate"]
        if fate == "returned":
            books.finish_charge(who, key, "refused", "returned")
        elif fate == "take_back":
            books.fall_due(who, key, None, None)
            dispute = books.open_dispute(who, charge, "returned")
            if dispute is not None:
                books.decide_dispute(who, dispute, "lost")
        else:
            books.finish_charge(who, key, "approved", None)
            if fate == "returned_late":
                books.fall_due(who, key, charge["due"] + RETURNED_AFTER, "take_back")

    service = Service(ABOUT, books, merchants, slow_seconds, ripen=ripen, front=_front)
    app = service.make_app()

    @app.put("/charges/{key}")
    async def accept_charge(key: str, body: SourceBody, who: Caller, request: Request) -> dict[str, Any]:
        wanted = service.wanted(body)
        await service.troubles(who).before(request)
        known = books.charge(who, key)
        if known is not None:
            return repeated(known, wanted)
        account = source_of(service, who, body, key)
        fate = account["behaviour"]
        if fate == "returned_again":
            fate = "returned" if account.get("charges", 0) > 1 else "confirmed"
        books.begin_charge(who, key, wanted, account, books.now(who) + CONFIRMED_AFTER, fate)
        if account["behaviour"] == "closed":
            books.finish_charge(who, key, "refused", "closed")
        elif thousandths(body.amount) == 0:  # the agreement alone
            books.finish_charge(who, key, "approved", None)
        charge = books.charge(who, key)
        assert charge is not None
        await service.troubles(who).after(request)
        return public_charge(charge)

    @app.get("/fields")
    def fields(merchant: str, mode: str, parent: str, colour: str = "#2F4858", card: str | None = None) -> HTMLResponse:
        settings = frame_settings(service, merchant, mode, parent, colour)
        if mode == "test" and card is not None:
            settings["filled"] = json.dumps([" ".join(re.findall(".{1,4}", ACCOUNTS[0].number)), "Test Buyer"])
        return service.render("debit_fields.html", colour=colour, settings=settings, merchant=merchant)

    @app.get("/fields.js")
    def fields_script() -> FileResponse:
        return FileResponse(PAGES / "debit_fields.js", media_type="text/javascript")

    @app.post("/tokens")
    def tokenise(body: TokenBody) -> JSONResponse:
        if body.mode not in merchants.get(body.merchant, {}):
            raise HTTPException(404, "There is no such merchant.")
        number = re.sub(r"[\s-]", "", body.number).upper()
        account = _BY_NUMBER.get(number)
        if account is None:
            return field_problem("number", "This is not a stand-in account; they begin with XX.")
        if not body.holder.strip():
            return field_problem("holder", "Type whose account it is.")
        if not body.agreed:
            return field_problem("agreed", "Without your agreement nothing can be charged.")
        token = books.new_token((body.merchant, body.mode), number, account.behaviour, "NL")
        return JSONResponse({"token": token, "account": {"ending": number[-4:]}})

    return app


if __name__ == "__main__":
    run("The stand-in direct debit.", make_app)
