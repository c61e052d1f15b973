"""The tape: what one buyer pays, line by line, each with its reasons in words.

Every row has a key that stays while the thing it stands for does, so that two tapes can be laid over each other
and what an edit has changed can be marked.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from itertools import islice
from typing import Literal

from skurrow.core.durations import day_words
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.money import AmountError, amount_writer, divide_half_up, format_amount, parse_amount
from skurrow.core.order import Buyer, Item, Order, QuoteRefused
from skurrow.core.problems import Problem
from skurrow.core.quote import NO_TAX, Line, Quote, quote
from skurrow.core.rhythm import ENDLESS
from skurrow.core.ways import way_chosen, ways_of
from skurrow.core.words import sentence

RowKind = Literal["line", "discount", "delivery", "untaxed", "tax", "due", "later", "fee", "keep"]


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


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a tape is made out for: a price, how many, in which variant, the coupons brought along, and the way of
    delivery (None: the first that can be chosen)."""

    price: str
    quantity: int = 1
    variant: str | None = None
    chosen: str | None = None
    coupons: tuple[str, ...] = ()
    delivery: str | None = None


def wanted_of(priced: PricedProduct, currency: str, quantity: int | None = None, variant: str | None = None) -> Wanted:
    """The least that a buyer can want of a price; where they choose the amount, what is suggested."""
    chosen = None
    if priced.chosen is not None:
        chosen = format_amount((priced.chosen.suggested or priced.chosen.minimum)[currency], currency)
    return Wanted(priced.price.id, quantity or priced.price.at_counter.min, variant, chosen)


def tape(edition: Edition, wanted: Wanted, currency: str, buyer: Buyer, at: datetime, fee: Fee | None) -> Tape:
    """What is wanted costs a buyer at an instant, in rows: today's, and the later charges by day."""
    item = Item(price=wanted.price, quantity=wanted.quantity, variant=wanted.variant, chosen=wanted.chosen)
    try:
        way = way_chosen(ways_of(edition, [edition.prices[wanted.price]], buyer), wanted.delivery)
        order = Order(at=at, currency=currency, items=[item], coupons=list(wanted.coupons), buyer=buyer, delivery=way)
        quoted = quote(edition, order)
    except QuoteRefused as refused:
        return Tape(currency, (), (), tuple(refused.problems))
    rows = [_line_row(line, quoted) for line in quoted.lines]
    rows += _discount_rows(quoted)
    if quoted.sent is not None:
        sent = quoted.sent
        reasons = tuple(dict.fromkeys(part.ruling.reason[1] for part in sent.parts))
        rows.append(
            TapeRow("delivery", "delivery", sent.method.method.name, amount_writer(currency)(sent.amount), reasons)
        )
    if quoted.untaxed_total:
        off = amount_writer(currency)(-quoted.untaxed_total)
        label = f"{edition.site.site.country} tax comes off"
        rows.append(TapeRow("untaxed", "untaxed", label, off, (sentence("untaxed_off"),)))
    rows += _tax_rows(quoted)
    rows.append(TapeRow("due", "due", "Due today", amount_writer(currency)(quoted.due_today)))
    if fee is not None and currency == edition.base and quoted.due_today:
        rows += _fee_rows(quoted, fee)
    rows += _later_rows(quoted)
    told = {reason for row in rows for reason in row.reasons}
    return Tape(currency, tuple(rows), tuple(note.text for note in quoted.notes if note.text not in told), ())


@dataclass(frozen=True, slots=True)
class Future:
    """The first charges of a price, the earliest first: days in words with amounts; `more` says how it goes on."""

    days: tuple[tuple[str, str], ...]
    more: str


def future(edition: Edition, priced: PricedProduct, currency: str, at: datetime, most: int = 4) -> Future:
    """What a price is charged from an instant on, without discounts."""
    today = at.astimezone(edition.site.site.zone).date()
    rhythm, money = priced.rhythm, amount_writer(currency)
    days = [
        (day_words(day), money(priced.starts[currency] if n < rhythm.starts else priced.amounts[currency]))
        for n, day in islice(rhythm.days(today, 0), most)
    ]
    left = rhythm.count - len(days)
    more = "" if left <= 0 else "and so on" if rhythm.count == ENDLESS else f"and {left} more"
    return Future(tuple(days), more)


def _line_row(line: Line, quoted: Quote) -> TapeRow:
    label = line.name if line.item.quantity == 1 else f"{line.item.quantity} × {line.name}"
    cut = [f"{discount.label}: " for discount in quoted.discounts]
    reasons = tuple(text for code, text in line.reasons if not text.startswith(tuple(cut)))
    return TapeRow(f"line {line.item.price}", "line", label, amount_writer(quoted.currency)(line.subtotal), reasons)


def _discount_rows(quoted: Quote) -> list[TapeRow]:
    """What each discount takes off today; one that counts later only says so."""
    money, rows = amount_writer(quoted.currency), []
    for k, discount in enumerate(quoted.discounts):
        cut = quoted.taken_by(k)
        reason = sentence("discount_row", words=discount.words)
        later = sum(1 for day in quoted.later for part in day.due if any(which == k for which, _ in part.cuts))
        if later:
            reason = sentence("discount_row_later", words=discount.words, n=str(later))
        rows.append(TapeRow(f"discount {discount.coupon}", "discount", discount.label, money(-cut), (reason,)))
    return rows


def _later_rows(quoted: Quote) -> list[TapeRow]:
    money = amount_writer(quoted.currency)
    return [
        TapeRow(
            f"later {n}",
            "later",
            day_words(day.on),
            money(day.total),
            (*(text for _, text in quoted.reasons_of(day)), sentence("tax_in_it", tax=money(day.tax))),
        )
        for n, day in enumerate(quoted.later)
    ]


def _tax_rows(quoted: Quote) -> list[TapeRow]:
    money = amount_writer(quoted.currency)
    rows = []
    for tax in quoted.taxes:
        percent = f"{(tax.rate * 100).normalize():f}"
        how = ", included" if quoted.included else ", on top"
        label = f"{tax.name} {percent} % {tax.place}{how}"
        if tax.name == NO_TAX:
            label = f"{NO_TAX}, {tax.place}: {tax.treatment.replace('_', ' ')}"
        key = f"tax {tax.place} {tax.name} {tax.treatment}"
        rows.append(TapeRow(key, "tax", label, money(tax.amount), (tax.reason[1],)))
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
