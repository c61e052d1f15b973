"""What a subscription was promised: its unit price, currency, whether tax is included, its rhythm and its coupons as
they were when it was bought.

Charges are numbered from 0 and counted from a day, as `skurrow.core.rhythm` counts them. Terms that are *counted anew*
from a later day lose the starts and the charges of coupons that are used up.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Literal

from pydantic import BaseModel, ConfigDict

from skurrow.core.durations import NOTHING, Duration, parse_duration
from skurrow.core.edition import Edition
from skurrow.core.money import share
from skurrow.core.quote.taxing import SUPPLIED_IN_TIME, is_sent
from skurrow.core.quote.written import Line, Quote
from skurrow.core.rhythm import ENDLESS, Rhythm
from skurrow.core.site.products import Ends

NO_ENDS = Ends()


class _Kept(BaseModel):
    model_config = ConfigDict(frozen=True)


class Promise(_Kept):
    """A discount as it was promised: for the next `charges` of the subscription (None: all of them), a share (a ratio
    of whole numbers) or an `amount` off each, in minor units. An amount that is `shared` is that off all plans of the
    order which are charged on a day, its own `part` where all of them are. `place` is its number in the order in which
    the order's discounts are taken."""

    coupon: str | None
    label: str
    words: str
    charges: int | None
    ratio: tuple[int, int] | None = None
    amount: int = 0
    shared: bool = False
    part: int = 0
    place: int = 0

    def after(self, n: int) -> Promise | None:
        """What is left of it after `n` charges; None when it is used up."""
        if self.charges is None:
            return self
        return self.model_copy(update={"charges": self.charges - n}) if self.charges > n else None


class Terms(_Kept):
    """What one line of an order was promised. Amounts are of one piece, in minor units of `currency`; durations are
    ISO 8601; `starts` counts different first payments, each `start` long; with `free` the start is a trial. With
    `each_by_itself` each payment of a set is supplied, and documented, by itself. It was `line` of its order, which
    began so many `plans`."""

    product: str
    price: str
    name: str
    variant: str | None = None
    kind: Literal["recurring", "instalments"]
    every: str
    payments: int = 1
    again: str | None = None
    start: str | None = None
    starts: int = 0
    free: bool = False
    unit: int
    start_unit: int = 0
    quantity: int = 1
    currency: str
    included: bool
    delivery: str | None = None
    ends: Ends = NO_ENDS
    promises: tuple[Promise, ...] = ()
    each_by_itself: bool = False
    line: int = 0
    plans: int = 1

    @property
    def rhythm(self) -> Rhythm:
        """When it is charged."""
        return Rhythm(
            kind=self.kind,
            every=parse_duration(self.every),
            payments=self.payments,
            again=parse_duration(self.again) if self.again else None,
            start=parse_duration(self.start) if self.start else NOTHING,
            starts=self.starts,
            free=self.free,
        )

    @property
    def length(self) -> Duration:
        """How long a regular period is."""
        return parse_duration(self.every)

    @property
    def endless(self) -> bool:
        """Whether it goes on until somebody ends it."""
        return self.kind == "recurring" or self.again is not None

    def counted_anew(self, n: int) -> Terms:
        """The terms of charge `n` and all that follow it, to be counted from another day."""
        starts = max(0, self.starts - n)
        promises = tuple(left for one in self.promises if (left := one.after(n)) is not None)
        return self.model_copy(
            update={"starts": starts, "start": self.start if starts else None, "free": False, "promises": promises}
        )


def begins_plan(line: Line) -> bool:
    """Whether a line of a quote is charged again later."""
    return line.charged.priced.rhythm.kind in ("recurring", "instalments")


def terms_of(edition: Edition, quote: Quote, line: int, delivery: str | None) -> Terms:
    """What a line of a quote promises, under the edition that it was made under."""
    found = quote.lines[line]
    charged, priced_ = found.charged, found.charged.priced
    price, rhythm = priced_.price, priced_.rhythm
    assert rhythm.kind in ("recurring", "instalments")
    start = price.start
    return Terms(
        product=priced_.product.id,
        price=price.id,
        name=found.name,
        variant=found.item.variant,
        kind=rhythm.kind,
        every=price.every or "",
        payments=price.payments or 1,
        again=price.again,
        start=None if start is None else start.free or start.for_,
        starts=rhythm.starts,
        free=rhythm.free,
        unit=charged.regular // charged.quantity,
        start_unit=charged.start // charged.quantity,
        quantity=charged.quantity,
        currency=quote.currency,
        included=quote.included,
        delivery=delivery if priced_.what.kind == "goods" else None,
        ends=price.ends or NO_ENDS,
        promises=tuple(_promises(quote, line)),
        each_by_itself=rhythm.kind == "instalments" and priced_.what.kind in SUPPLIED_IN_TIME,
        line=line,
        plans=sum(map(begins_plan, quote.lines)),
    )


def terms_for(edition: Edition, price: str, like: Terms, quantity: int) -> Terms:
    """What another price of the same product promises whoever changes to it today: its regular amount, without a start,
    and what is left of the promises that hold for the product. Raises KeyError for a price that there is not."""
    there = edition.prices[price]
    unit = there.amounts[like.currency]
    if like.variant in there.variants:
        unit = there.variants[like.variant][like.currency]
    return like.model_copy(
        update={
            "price": price,
            "every": there.price.every or "",
            "unit": unit,
            "start_unit": 0,
            "start": None,
            "starts": 0,
            "free": False,
            "quantity": quantity,
            "included": edition.tax_included(like.currency),
            "ends": there.price.ends or NO_ENDS,
        }
    )


def promised_later(quote: Quote, line: int) -> Iterator[tuple[date, int]]:
    """A line's own part, in minor units, of what a quote says is charged later; what is sent goes with the first line
    that it is sent with."""
    for day in quote.later:
        mine = next((part for part in day.due if part.line == line), None)
        if mine is None:
            continue
        carrier = next((part.line for part in day.due if is_sent(quote.lines[part.line].charged, part.n)), None)
        yield day.on, mine.taxed.total + (day.sent.total if day.sent is not None and carrier == line else 0)


# -- within -----------------------------------------------------------------------------------------------


def _promises(quote: Quote, line: int) -> Iterator[Promise]:
    for place, one in enumerate(quote.discounts):
        if line not in one.spans:
            continue
        span = one.spans[line]
        amount = one.anew or (one.shares or {}).get(line, 0)
        if one.ratio is None and not amount:
            continue
        charges = None if span == ENDLESS else span
        over = [i for i in one.spans if begins_plan(quote.lines[i])]
        values = [quote.lines[i].charged.regular for i in over]
        whole = min(one.anew, sum(values))
        yield Promise(
            coupon=one.coupon,
            label=one.label,
            words=one.words,
            charges=charges,
            ratio=one.ratio,
            amount=amount,
            shared=bool(one.anew),
            part=share(whole, values)[over.index(line)] if whole else 0,
            place=place,
        )
