"""The tape: what one buyer pays, line by line, each with its reasons in words.

Every row has a key that stays while the thing it stands for does, so that two tapes can be laid over each other
and what an edit has changed can be marked.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from itertools import islice
from typing import Literal

from skurrow.core.durations import day_words
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.money import amount_writer, format_amount
from skurrow.core.order import Buyer, Customer, Item, Order, OwnDiscount, QuoteRefused
from skurrow.core.payments.costs import Tariff, cost
from skurrow.core.payments.ways import Sale, Usable, offers
from skurrow.core.problems import Problem
from skurrow.core.quote.delivery_choices import way_chosen, ways_of
from skurrow.core.quote.quote import quote
from skurrow.core.quote.written import NO_TAX, Line, Quote
from skurrow.core.rhythm import ENDLESS
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
class Toll:
    """A connected gateway and what it takes."""

    usable: Usable
    tariff: Tariff


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a tape is made out for: a price, how many, in which variant, the coupons brought along, and the way of
    delivery (None: the first that can be chosen). `own_discount` is what the checkout takes off."""

    price: str
    quantity: int = 1
    variant: str | None = None
    chosen: str | None = None
    coupons: tuple[str, ...] = ()
    delivery: str | None = None
    own_discount: OwnDiscount | None = None


def wanted_of(priced: PricedProduct, currency: str, quantity: int | None = None, variant: str | None = None) -> Wanted:
    """The least that a buyer can want of a price; where they choose the amount, what is suggested."""
    chosen = None
    if priced.chosen is not None:
        chosen = format_amount((priced.chosen.suggested or priced.chosen.minimum)[currency], currency)
    return Wanted(priced.price.id, quantity or priced.price.at_counter.min, variant, chosen)


def tape(
    edition: Edition,
    wanted: Wanted,
    currency: str,
    buyer: Buyer,
    at: datetime,
    tolls: Sequence[Toll] = (),
    card_abroad: bool = False,
    pays_with: str | None = None,
    customer: Customer | None = None,
) -> Tape:
    """What is wanted costs a buyer at an instant, in rows: today's, and the later charges by day.

    What is kept is reckoned for the gateway that the buyer `pays_with`, or the first of the connected ones that they
    could pay with; of the `customer` counts what they have bought before.
    """
    item = Item(
        price=wanted.price,
        quantity=wanted.quantity,
        variant=wanted.variant,
        chosen=wanted.chosen,
        own_discount=wanted.own_discount,
    )
    try:
        ways = ways_of(edition, [edition.prices[wanted.price]], buyer)
        way = way_chosen(ways, wanted.delivery)
        order = Order(
            at=at,
            currency=currency,
            items=[item],
            coupons=list(wanted.coupons),
            buyer=buyer,
            delivery=way,
            customer=customer,
        )
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
    notes = [note.text for note in quoted.notes]
    if tolls and quoted.due_today:
        collected = any(one.id == way and one.method.pick_up for one in ways)
        sale = Sale(buyer.country, currency, quoted.due_today, False, collected)
        more, note = _fee_rows(edition, quoted, tolls, sale, card_abroad, pays_with)
        rows += more
        notes += note
    rows += _later_rows(quoted)
    told = {reason for row in rows for reason in row.reasons}
    return Tape(currency, tuple(rows), tuple(note for note in notes if note not in told), ())


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
    label = line_label(line.name, line.item.quantity)
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
        label = tax_label(tax.name, tax.rate, tax.place, tax.treatment, quoted.included)
        key = f"tax {tax.place} {tax.name} {tax.treatment}"
        rows.append(TapeRow(key, "tax", label, money(tax.amount), (tax.reason[1],)))
    return rows


def line_label(name: str, quantity: int) -> str:
    """A line by its name, with how many where it is not one."""
    return name if quantity == 1 else f"{quantity} × {name}"


def tax_label(name: str, rate: Decimal, place: str, treatment: str, included: bool) -> str:
    """A tax by its name, rate and place; where there is none, by how that comes."""
    if name == NO_TAX:
        return f"{NO_TAX}, {place}: {treatment.replace('_', ' ')}"
    return f"{name} {(rate * 100).normalize():f} % {place}, {'included' if included else 'on top'}"


def _fee_rows(
    edition: Edition, quoted: Quote, tolls: Sequence[Toll], sale: Sale, abroad: bool, pays_with: str | None
) -> tuple[list[TapeRow], list[str]]:
    """What the gateway takes of the charge that the buyer chooses, or meets first, and what is left of it after tax;
    with a note where theirs cannot be paid with, or none of the connected ones."""
    offered = offers(edition, [toll.usable for toll in tolls], sale)
    fitting = [one for one in offered if one.why_not is None]
    if not fitting:
        why = " ".join(f"{one.label}: {one.why_not}" for one in offered)
        return [], [sentence("nobody_can_pay", why=why)]
    offer = next((one for one in fitting if one.gateway == pays_with), fitting[0])
    notes = []
    if pays_with is not None and offer.gateway != pays_with:
        theirs = next((one for one in offered if one.gateway == pays_with), None)
        why = theirs.why_not if theirs is not None and theirs.why_not else sentence("way_not_connected")
        notes = [sentence("way_not_theirs", way=theirs.label if theirs else pays_with, why=why)]
    tariff = next(toll.tariff for toll in tolls if toll.usable.gateway == offer.gateway)
    taken, money = cost(tariff, quoted.due_today, quoted.currency, abroad), amount_writer(quoted.currency)
    rows = []
    if taken.takes:
        label = f"{offer.label} fee {tariff.percent} % + {tariff.fixed}"
        parts = [
            (taken.cross_border, tariff.cross_border, "fee_abroad"),
            (taken.conversion, tariff.conversion, "fee_conversion"),
        ]
        more = [sentence(code, percent=str(percent), amount=money(part)) for part, percent, code in parts if part]
        rows.append(TapeRow("fee", "fee", label, money(taken.takes), (sentence("fee"), *more)))
    keeps = quoted.due_today - taken.takes - quoted.tax_total
    rows.append(TapeRow("keep", "keep", "You keep", money(keeps), (sentence("keep"),)))
    return rows, notes
