"""A paper as data: an invoice, a receipt or a credit note, kept as it was given out."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from skurrow.core.money import MINOR_UNITS

DIGITS = 5
"""Numbers of a series are written with at least so many digits."""

PaperKind = Literal["invoice", "receipt", "credit_note"]
KINDS: tuple[PaperKind, ...] = ("invoice", "receipt", "credit_note")


class _Kept(BaseModel):
    model_config = ConfigDict(frozen=True)


class Party(_Kept):
    """A seller or a buyer; `person` is who bought for a business. `vat_id` is a well-formed tax number with its
    country before it."""

    name: str
    person: str | None = None
    street: str | None = None
    postal_code: str | None = None
    city: str | None = None
    region: str | None = None
    country: str
    email: str | None = None
    tax_number: str | None = None
    vat_id: str | None = None


class Part(_Kept):
    """An amount with its tax: how it is taxed, at the `rate` of all its taxes together."""

    net: str
    tax: str
    total: str
    place: str
    treatment: str
    rate: str


class PaperLine(Part):
    """One thing sold. `unit` and `discount` are as priced, `untaxed` the home tax that came off, `kind` of what;
    `refund_until` is the last day on which the shop takes it back by its promise."""

    name: str
    kind: str
    quantity: int
    unit: str
    discount: str
    untaxed: str
    refund_until: date | None = None


class PaperDiscount(_Kept):
    """What a coupon took off in all, as priced; the lines have their parts of it. `words` is its rule."""

    name: str
    words: str
    amount: str


class PaperDelivery(_Kept):
    """What sending it cost, by rates."""

    name: str
    amount: str
    untaxed: str
    parts: tuple[Part, ...]


class PaperTax(_Kept):
    """One tax of a place at a rate, or what bears none."""

    place: str
    name: str
    rate: str
    treatment: str
    base: str
    amount: str


class Payment(_Kept):
    """How it was paid."""

    on: date
    way: str
    reference: str


class StillDue(_Kept):
    """A payment of a set of instalments that is still to be made."""

    on: date
    amount: str


class InNational(_Kept):
    """The tax in the currency in which the seller declares it, at the official `rate` (units of `currency` for one of
    the paper's) of a day, from `source`."""

    currency: str
    rate: str
    on: date
    source: str
    tax_total: str


class Paper(_Kept):
    """A paper as it was given out. A credit note `corrects` another one; its amounts are what was given back. That of a
    set of instalments is for all of it: its `payment` is the first, the others are `still_due`. `logo` is the name of a
    picture, which never means another."""

    format: Literal["skurrow-paper/1"] = "skurrow-paper/1"
    kind: PaperKind
    number: str
    mode: Literal["test", "live"]
    issued_on: date
    order: str
    corrects: str | None = None
    currency: str
    tax_included: bool
    seller: Party
    other_tax_numbers: tuple[str, ...] = ()
    buyer: Party
    sent_to: str | None
    lines: tuple[PaperLine, ...]
    delivery: PaperDelivery | None
    taxes: tuple[PaperTax, ...]
    discount_total: str
    discounts: tuple[PaperDiscount, ...] = ()
    untaxed_total: str
    net_total: str
    tax_total: str
    total: str
    payment: Payment | None
    still_due: tuple[StillDue, ...] = ()
    sentences: tuple[str, ...]
    text: str
    national: InNational | None = None
    logo: str | None = None


@dataclass(frozen=True, slots=True)
class Sold:
    """A sale to be documented: the order's code, its buyer and quote as they are kept, and the day it was paid."""

    code: str
    mode: Literal["test", "live"]
    buyer: Mapping[str, Any]
    quote: Mapping[str, Any]
    on: date
    payment: Payment | None


def left_to_pay(paper: Paper) -> str:
    """What of a paper is still to be paid, as a decimal text."""
    if paper.payment is None:
        return paper.total
    return sum_of(paper.currency, (one.amount for one in paper.still_due))


def prepaid(paper: Paper) -> str:
    """What of a paper was paid when it was given out, as a decimal text."""
    return f"{Decimal(paper.total) - Decimal(left_to_pay(paper)):.{MINOR_UNITS[paper.currency]}f}"


def sum_of(currency: str, amounts: Iterable[str]) -> str:
    return f"{sum(map(Decimal, amounts), Decimal(0)):.{MINOR_UNITS[currency]}f}"
