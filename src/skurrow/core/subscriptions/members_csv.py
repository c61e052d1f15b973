"""Members that are moved over from elsewhere, as CSV (RFC 4180): a subscription a row, first charged on a day to come.

Columns: `email`, `name`, `country`, `price`, `next_on` are needed. `amount` is what they have always paid, where that
is not the price's; `currency`, `quantity`, `region`, `postal_code`, `street`, `city`, `company`, `tax_number`,
`delivery` are as in an order; `gateway` with `on_file`, `card_ending` and `card_expires` ("2029-04") is the card that
the gateway keeps.

>>> rows, problems = read("email,name,country,price,next_on\\njo@example.org,Jo,NL,month,2027-03-01\\n")
>>> rows[0].cells["price"], problems
('month', [])
"""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

from skurrow.core.bounds import MOST_PIECES, coming, day, digits, unfit
from skurrow.core.countries import COUNTRIES
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.mailboxes import mailbox
from skurrow.core.money import AmountError, format_amount, parse_amount
from skurrow.core.subscriptions.terms import NO_ENDS, Terms
from skurrow.core.typed_amounts import as_amount

NEEDED = ("email", "name", "country", "price", "next_on")
MAY_HAVE = (
    *("amount", "currency", "quantity", "region", "postal_code", "street", "city", "company", "tax_number"),
    *("delivery", "gateway", "on_file", "card_ending", "card_expires"),
)
MOST_ROWS = 20_000
_MONTH = re.compile(r"20[0-9]{2}-(0[1-9]|1[0-2])")
_EMAIL = re.compile(r"[^@\s]+@[^@\s]+\.[^@\s]+")


@dataclass(frozen=True, slots=True)
class RowProblem:
    """What is wrong in a row (the first below the heading is 2, as a spreadsheet counts) and a column."""

    row: int
    column: str
    message: str
    remedy: str


class Row(NamedTuple):
    """A row with its number and its cells that are not empty."""

    row: int
    cells: dict[str, str]


@dataclass(frozen=True, slots=True)
class Member:
    """A row understood: the terms of the subscription that it begins, and the day of its first charge."""

    row: int
    terms: Terms
    next_on: date
    cells: dict[str, str]


def read(text: str) -> tuple[list[Row], list[RowProblem]]:
    """The rows of a file, or what is wrong with its heading."""
    reader = csv.reader(io.StringIO(text.removeprefix("\ufeff")))
    try:
        heading = [name.strip().casefold() for name in next(reader, [])]
        lines = list(reader)
    except csv.Error as error:
        return [], [RowProblem(1, "", f"This is no CSV: {error}", "Save it as CSV once more")]
    problems = [
        RowProblem(1, name, f"The column {name} is missing", "Add it") for name in NEEDED if name not in heading
    ]
    for name in heading:
        if name not in (*NEEDED, *MAY_HAVE):
            known = ", ".join((*NEEDED, *MAY_HAVE))
            problems.append(RowProblem(1, name, f"There is no column “{name}”", f"Use some of {known}"))
    if len(lines) > MOST_ROWS:
        problems.append(RowProblem(1, "", f"There are more than {MOST_ROWS} rows", "Move them over in parts"))
    if problems:
        return [], problems
    rows = []
    for number, line in enumerate(lines, 2):
        cells = {name: cell.strip() for name, cell in zip(heading, line, strict=False) if cell.strip()}
        if cells:
            rows.append(Row(number, cells))
    return rows, []


def understand(edition: Edition, rows: list[Row], today: date) -> tuple[list[Member], list[RowProblem]]:
    """What each row begins, or everything that is wrong with it."""
    found, problems = [], []
    seen: dict[tuple[str, str], int] = {}
    for row in rows:
        wrong = list(_wrong(edition, row, today))
        email, price = mailbox(row.cells.get("email", "")), row.cells.get("price", "")
        before = seen.setdefault((email, price), row.row)
        if before != row.row:
            message = f"Row {before} moves the same customer with the same price"
            wrong.append(RowProblem(row.row, "email", message, "Leave one of them out"))
        if wrong:
            problems += wrong
        else:
            found.append(_member(edition, row))
    return found, problems


# -- within -----------------------------------------------------------------------------------------------


def _wrong(edition: Edition, row: Row, today: date) -> list[RowProblem]:
    cells, problems = row.cells, []

    def add(column: str, message: str, remedy: str) -> None:
        problems.append(RowProblem(row.row, column, message, remedy))

    for name, text in cells.items():
        if unfit(text):
            add(name, "holds a character that cannot be kept", "Remove it")
    for name in NEEDED:
        if name not in cells:
            add(name, "is missing", "Fill it in")
    if "email" in cells and not _EMAIL.fullmatch(cells["email"]):
        add("email", f"“{cells['email']}” is no email address", "Write it as in name@example.org")
    if "country" in cells and cells["country"] not in COUNTRIES:
        add("country", f"“{cells['country']}” is no country", "Write two capital letters of ISO 3166-1, as in NL")
    priced = edition.prices.get(cells.get("price", ""))
    if "price" in cells and (priced is None or priced.rhythm.kind != "recurring"):
        add("price", f"There is no recurring price “{cells['price']}”", "Name one of the site's recurring prices")
    if "next_on" in cells:
        next_on = day(cells["next_on"])
        if next_on is None:
            add("next_on", f"“{cells['next_on']}” is no day", "Write it as in 2027-03-01")
        elif not coming(next_on, today):
            remedy = "Write the day of the next charge, after today and within ten years"
            add("next_on", f"{cells['next_on']} is not to come", remedy)
    currency = cells.get("currency", edition.base)
    if currency not in edition.currencies:
        add("currency", f"The site does not sell in {currency}", "Choose one of " + ", ".join(edition.currencies))
    elif "amount" in cells:
        try:
            parse_amount(as_amount(cells["amount"], currency), currency)
        except AmountError as error:
            message, _, remedy = str(error).partition("; ")
            add("amount", message, remedy.capitalize() or "Write a smaller amount")
    if not 1 <= (digits(cells.get("quantity", "1"), 6) or 0) <= MOST_PIECES:
        add("quantity", f"is no number from 1 to {MOST_PIECES}", "Correct it")
    if "card_expires" in cells and not _MONTH.fullmatch(cells["card_expires"]):
        add("card_expires", f"“{cells['card_expires']}” is no month", "Write it as in 2029-04")
    if ("on_file" in cells) != ("gateway" in cells):
        missing = "gateway" if "on_file" in cells else "on_file"
        add(missing, "A card that is kept needs both, the gateway and its name there", "Fill it in, or neither")
    return problems


def _member(edition: Edition, row: Row) -> Member:
    cells = row.cells
    priced: PricedProduct = edition.prices[cells["price"]]
    currency = cells.get("currency", edition.base)
    unit = (
        parse_amount(as_amount(cells["amount"], currency), currency) if "amount" in cells else priced.amounts[currency]
    )
    terms = Terms(
        product=priced.product.id,
        price=priced.price.id,
        name=priced.product.name,
        kind="recurring",
        every=priced.price.every or "P1M",
        unit=unit,
        quantity=int(cells.get("quantity", "1")),
        currency=currency,
        included=edition.tax_included(currency),
        delivery=cells.get("delivery") if priced.what.kind == "goods" else None,
        ends=priced.price.ends or NO_ENDS,
    )
    return Member(row.row, terms, date.fromisoformat(cells["next_on"]), cells)


def told(member: Member) -> str:
    """What a row does, in words.

    >>> rows, _ = read("email,name,country,price,next_on\\n")
    >>> rows
    []
    """
    amount = format_amount(member.terms.unit * member.terms.quantity, member.terms.currency)
    card = "with a card" if "on_file" in member.cells else "without a card"
    return f"{member.terms.name}: {amount} {member.terms.currency} on {member.next_on.isoformat()}, {card}"
