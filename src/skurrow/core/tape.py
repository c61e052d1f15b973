"""The tape: what one buyer pays, line by line, each with its reasons in words.

Every row has a key that stays while the thing it stands for does, so that two tapes can be laid over each other
and what an edit has changed can be marked.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Literal

from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.money import AmountError, amount_writer, divide_half_up, parse_amount
from skurrow.core.problems import Problem
from skurrow.core.quote import Buyer, Item, Line, Order, Quote, QuoteRefused, quote
from skurrow.core.words import sentence

RowKind = Literal["line", "tax", "due", "fee", "keep"]


@dataclass(frozen=True, slots=True)
class TapeRow:
    """One row: a label, an amount in the tape's currency as a text, and why it is so."""

    key: str
    kind: RowKind
    label: str
    amount: str
    reasons: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Tape:
    """The rows for one buyer; or, where nothing can be sold to them, the problems."""

    currency: str
    rows: tuple[TapeRow, ...]
    notes: tuple[str, ...]
    problems: tuple[Problem, ...]


@dataclass(frozen=True, slots=True)
class Fee:
    """What a gateway takes of a charge in the base currency: a share in percent and a fixed amount, as texts."""

    percent: str
    fixed: str


def tape(
    edition: Edition, price: str, quantity: int, currency: str, buyer: Buyer, at: datetime, fee: Fee | None
) -> Tape:
    """What `quantity` of a price costs a buyer at an instant, in rows."""
    order = Order(at=at, currency=currency, items=[Item(price=price, quantity=quantity)], buyer=buyer)
    try:
        quoted = quote(edition, order)
    except QuoteRefused as refused:
        return Tape(currency, (), (), tuple(refused.problems))
    rows = [_line_row(edition, line, quoted.currency) for line in quoted.lines]
    rows += _tax_rows(quoted)
    rows.append(TapeRow("due", "due", "Due today", amount_writer(currency)(quoted.due_today)))
    if fee is not None and currency == edition.base:
        rows += _fee_rows(quoted, fee)
    told = {reason for row in rows for reason in row.reasons}
    return Tape(currency, tuple(rows), tuple(text for _, text in quoted.notes if text not in told), ())


def _line_row(edition: Edition, line: Line, currency: str) -> TapeRow:
    money = amount_writer(currency)
    reasons = [_amount_reason(edition, edition.prices[line.price], currency)]
    if line.quantity > 1:
        reasons.append(sentence("times", quantity=str(line.quantity), unit=money(line.unit), total=money(line.total)))
    label = line.name if line.quantity == 1 else f"{line.quantity} × {line.name}"
    return TapeRow(f"line {line.price}", "line", label, money(line.total), tuple(reasons))


def _amount_reason(edition: Edition, priced: PricedProduct, currency: str) -> str:
    """Where the amount of one unit comes from: written by the owner, or converted step by step."""
    if currency not in priced.converted:
        return sentence("own_amount", currency=currency)
    known = next(one for one in edition.site.currencies if one.code == currency)
    base = edition.base
    plain = Decimal(priced.price.amount[base]) * (known.rate or 0)
    steps = sentence("converted_step", base=base, amount=priced.price.amount[base], rate=str(known.rate))
    steps += f" = {plain.normalize():f}"
    if known.round_to is not None:
        steps += sentence("rounded_step", to=str(known.round_to))
    if known.less:
        steps += sentence("less_step", less=str(known.less))
    return f"{steps}, {currency} {amount_writer(currency)(priced.amounts[currency])}."


def _tax_rows(quoted: Quote) -> list[TapeRow]:
    money = amount_writer(quoted.currency)
    rows = []
    for tax in quoted.taxes:
        percent = f"{(tax.rate * 100).normalize():f}"
        label = f"{tax.name} {percent} % {tax.place}, included"
        rows.append(TapeRow(f"tax {tax.place} {tax.name}", "tax", label, money(tax.amount), (tax.reason[1],)))
    return rows


def _fee_rows(quoted: Quote, fee: Fee) -> list[TapeRow]:
    """What the gateway takes of the charge, rounded half up, and what is left of it after tax."""
    numerator, denominator = (Decimal(fee.percent) * quoted.due_today).as_integer_ratio()
    try:
        fixed = parse_amount(fee.fixed, quoted.currency)
    except AmountError:
        return []
    money, takes = amount_writer(quoted.currency), divide_half_up(numerator, denominator * 100) + fixed
    keeps = quoted.due_today - takes - quoted.tax_total
    return [
        TapeRow("fee", "fee", f"Card fee {fee.percent} % + {fee.fixed}", money(takes), (sentence("fee"),)),
        TapeRow("keep", "keep", "You keep", money(keeps), (sentence("keep"),)),
    ]
