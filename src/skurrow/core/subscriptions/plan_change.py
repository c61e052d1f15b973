"""Changing plan along a product's ladder: what is credited, what is due now, and when the next charge falls.

Up takes effect now: the unused part of what was paid is credited, and the new price is charged at once; its period
begins then. Down takes effect when the paid time ends, and costs nothing before. In a free trial nothing is charged,
and the trial's end stays. A credit that is larger than the charge stays as balance.

The figures of the trade (common practice): new price 288.00, unused time worth 61.20, due now 226.80.
"""

from __future__ import annotations

from datetime import UTC, date, datetime
from fractions import Fraction
from typing import Annotated, Any, Literal, NamedTuple

from pydantic import AfterValidator, AwareDatetime, BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from skurrow.core.bounds import MOST_PIECES, day, instant_within
from skurrow.core.durations import first_instant
from skurrow.core.edition import Edition
from skurrow.core.money import AmountError, amount_writer, divide_half_up, parse_amount
from skurrow.core.order import Address, Buyer, QuoteRefused, read_instant
from skurrow.core.problems import Path, Problem, problems_of
from skurrow.core.rhythm import Rhythm
from skurrow.core.site.products import Product
from skurrow.core.site.values import AmountText, Day
from skurrow.core.subscriptions.reckoning import Reckoning
from skurrow.core.subscriptions.terms import Terms, terms_for

Direction = Literal["up", "down"]
When = Literal["now", "paid_time_ends"]


class Span(NamedTuple):
    """The time that was paid for: from an instant to the first instant of a day, with its local days."""

    start: datetime
    end: datetime
    first_day: date
    last_day: date


class Credit(NamedTuple):
    """What unused time is worth, in minor units, and the tax in it."""

    amount: int
    tax: int


class Step(NamedTuple):
    """What a change comes to, in minor units: `charge` with its `charge_tax` is that of the new price; `due` is paid
    now and `balance` left over. `next_on` is the day of the next charge."""

    when: When
    credit: Credit
    charge: int
    charge_tax: int
    due: int
    balance: int
    next_on: date


def direction(product: Product, from_: str, to: str) -> Direction | None:
    """Which way a change leads along a product's ladder; None where there is no such way."""
    ladder = product.ladder or []
    if from_ not in ladder or to not in ladder or from_ == to:
        return None
    return "up" if ladder.index(to) > ladder.index(from_) else "down"


def unused_share(span: Span, at: datetime, zone_day: date, by: Literal["seconds", "days"]) -> Fraction:
    """Which share of a paid time is not used yet at an instant, from 0 to 1: in UTC seconds or, by days, in whole local
    days of which the present one (`zone_day`) counts as used."""
    if by == "days":
        left, whole = (span.last_day - zone_day).days - 1, (span.last_day - span.first_day).days
    else:
        left, whole = _microseconds(span.end, at), _microseconds(span.end, span.start)
    if whole <= 0:
        return Fraction(0)
    return min(Fraction(1), max(Fraction(0), Fraction(left, whole)))


def credit_for(paid: int, paid_tax: int, share: Fraction) -> Credit:
    """What the unused share of what was paid is worth, rounded half up, and the same share of its tax.

    >>> credit_for(7200, 1250, Fraction(1, 3))
    Credit(amount=2400, tax=417)
    """
    parts = [divide_half_up(amount * share.numerator, share.denominator) for amount in (paid, paid_tax)]
    return Credit(*parts)


def at_most(credit: Credit, left: int) -> Credit:
    """A credit of no more than is left of what was paid, with its share of the tax: the rest was given back before.

    >>> at_most(Credit(2400, 417), 1200)
    Credit(amount=1200, tax=209)
    """
    if credit.amount <= left:
        return credit
    return Credit(left, divide_half_up(credit.tax * left, credit.amount))


def step(
    way: Direction, span: Span, credit: Credit, charge: tuple[int, int], next_on: date, trial: bool = False
) -> Step:
    """The outcome of a change, from what the new price charges now (with its tax) and the day of its next charge."""
    when: When = "now" if way == "up" else "paid_time_ends"
    if trial or way == "down":
        return Step(when, Credit(0, 0), 0, 0, 0, 0, span.last_day)
    amount, tax = charge
    return Step(when, credit, amount, tax, max(0, amount - credit.amount), max(0, credit.amount - amount), next_on)


# -- the contract -----------------------------------------------------------------------------------------


def _day_or_instant(value: object) -> object:
    if isinstance(value, str) and "T" not in value:
        found = day(value)
        if found is None:
            raise ValueError(f'"{value[:40]}" is no day; write it as in "2026-11-24", or an instant')
        return found
    return read_instant(value)


def _within(moment: datetime | date) -> datetime | date:
    return instant_within(moment) if isinstance(moment, datetime) else moment


Moment = Annotated[AwareDatetime | Day, BeforeValidator(_day_or_instant), AfterValidator(_within)]


class Change(BaseModel):
    """A change of plan to be computed. `trial` says whether the paid time is a free trial; without it, it is one where
    nothing was paid and the price begins with one. `delivery`, `quantity` and `variant` are as in an order."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    from_: str = Field(alias="from")
    to: str
    period_start: Moment
    period_end: Moment
    paid: AmountText
    paid_tax: AmountText
    at: Annotated[AwareDatetime, BeforeValidator(read_instant), AfterValidator(instant_within)]
    currency: str
    buyer: Buyer
    quantity: Annotated[int, Field(strict=True, ge=1, le=MOST_PIECES)] = 1
    variant: str | None = None
    delivery: str | None = None
    trial: bool | None = None


_NAMES = {
    "": [field.alias or name for name, field in Change.model_fields.items()],
    "buyer": list(Buyer.model_fields),
    "deliver_to": list(Address.model_fields),
}


def read_change(data: Any) -> Change:
    """A change from plain data; raises QuoteRefused with every problem."""
    try:
        return Change.model_validate(data)
    except ValidationError as error:
        raise QuoteRefused(problems_of(error, _NAMES)) from None


def change(edition: Edition, asked: Change) -> dict[str, Any]:
    """What a change of plan comes to, in the shape of the contract. Raises QuoteRefused with every problem."""
    problems: list[Problem] = []
    if asked.currency not in edition.currencies:
        remedy = "Choose one of " + ", ".join(edition.currencies)
        problems.append(Problem(("currency",), f"The site does not sell in {asked.currency}", remedy, "unknown"))
        raise QuoteRefused(problems)
    for name, price in (("from", asked.from_), ("to", asked.to)):
        if price not in edition.prices:
            message, remedy = f"There is no price “{price}”", "Choose one of the site's prices"
            problems.append(Problem((name,), message, remedy, "unknown"))
    paid, paid_tax = (_amount(asked, name, problems) for name in ("paid", "paid_tax"))
    if paid_tax > paid:
        problems.append(Problem(("paid_tax",), "The tax is above what was paid", "Write the tax in it"))
    span = _span(edition, asked)
    if not span.start <= asked.at <= span.end:
        message = "The change does not lie within the paid time"
        problems.append(Problem(("at",), message, "Write an instant from period_start to period_end"))
    if span.start >= span.end:
        problems.append(Problem(("period_end",), "The paid time ends before it begins", "Write a later day"))
    if problems:
        raise QuoteRefused(problems)
    product = edition.prices[asked.from_].product
    way = direction(product, asked.from_, asked.to)
    if way is None:
        raise QuoteRefused([Problem(("to",), _no_way(product, asked), "Choose another step of its ladder", "ladder")])
    rules, today = edition.site.subscriptions, asked.at.astimezone(edition.site.site.zone).date()
    trial = asked.trial if asked.trial is not None else paid == 0 and edition.prices[asked.from_].rhythm.free
    reckoned = _reckoned(edition, asked, today)
    first = reckoned.on(0)
    credit = credit_for(paid, paid_tax, unused_share(span, asked.at, today, rules.unused))
    found = step(way, span, credit, (first.total, first.tax), next_after(reckoned.terms.rhythm, today), trial)
    return as_json(found, asked.currency)


def as_json(found: Step, currency: str) -> dict[str, Any]:
    """A change in the shape of the contract: `net` and `tax` are those of the new charge less those of the credit."""
    money, (credit, credit_tax) = amount_writer(currency), found.credit
    tax = found.charge_tax - credit_tax
    return {
        "when": found.when,
        "credit": money(credit),
        "charge": money(found.charge),
        "net": money(found.charge - credit - tax),
        "tax": money(tax),
        "due": money(found.due),
        "balance": money(found.balance),
        "next_on": found.next_on.isoformat(),
    }


def span_of(edition: Edition, start: datetime, until: date) -> Span:
    """The paid time from an instant up to a day."""
    zone = edition.site.site.zone
    return Span(start, first_instant(until, zone), start.astimezone(zone).date(), until)


def next_after(rhythm: Rhythm, today: date) -> date:
    """The day of the charge after the one made today."""
    return rhythm.day(today, 1) or date.max


# -- within -----------------------------------------------------------------------------------------------


def _microseconds(end: datetime, start: datetime) -> int:
    return (end.astimezone(UTC) - start.astimezone(UTC)) // (datetime.resolution)


def _amount(asked: Change, name: str, problems: list[Problem]) -> int:
    here: Path = (name,)
    try:
        return parse_amount(getattr(asked, name), asked.currency)
    except AmountError as error:
        message, _, remedy = str(error).partition("; ")
        problems.append(Problem(here, message, remedy.capitalize() or "Write a smaller amount"))
        return 0


def _span(edition: Edition, asked: Change) -> Span:
    zone = edition.site.site.zone
    ends = []
    for moment in (asked.period_start, asked.period_end):
        if isinstance(moment, datetime):
            ends.append((moment.astimezone(UTC), moment.astimezone(zone).date()))
        else:
            ends.append((first_instant(moment, zone), moment))
    (start, first_day), (end, last_day) = ends
    return Span(start, end, first_day, last_day)


def _no_way(product: Product, asked: Change) -> str:
    if not product.ladder:
        return f"“{product.name}” has no ladder to change along"
    if asked.from_ == asked.to:
        return f"“{asked.to}” is the plan already"
    missing = next((name for name in (asked.from_, asked.to) if name not in product.ladder), asked.to)
    return f"“{missing}” is no step of the ladder of “{product.name}”"


def _reckoned(edition: Edition, asked: Change, today: date) -> Reckoning:
    priced = edition.prices[asked.from_]
    like = Terms(
        product=priced.product.id,
        price=asked.from_,
        name=priced.product.name,
        variant=asked.variant,
        kind="recurring",
        every=priced.price.every or "P1M",
        unit=priced.amounts[asked.currency],
        currency=asked.currency,
        included=edition.tax_included(asked.currency),
        delivery=asked.delivery if priced.what.kind == "goods" else None,
    )
    problems = []
    if asked.variant is not None and asked.variant not in priced.variants:
        message = f"“{priced.product.name}” has no variant “{asked.variant}”"
        problems.append(Problem(("variant",), message, "Leave it out", "unknown"))
    to = asked.buyer.parcels_go_to
    zone = edition.zones.of(to.country, to.region, to.postal_code)
    if like.delivery is not None and (zone is None or zone.method(like.delivery) is None):
        message = f"There is no way of delivery called “{like.delivery}” to this address"
        problems.append(Problem(("delivery",), message, "Leave it out where it is picked up", "unknown"))
    if problems:
        raise QuoteRefused(problems)
    return Reckoning(edition, terms_for(edition, asked.to, like, asked.quantity), asked.buyer, today)
