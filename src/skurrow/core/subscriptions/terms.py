"""What a subscription was promised, and what each of its charges comes to.

A subscription keeps its unit price, currency, whether tax is included, its rhythm and its coupons as they were when it
was bought. Tax and delivery are reckoned anew at each charge, under the configuration of that day; a set of instalments
keeps the tax of its first payment, for it is supplied with that (a service is not).

Charges are numbered from 0 and counted from a day, as `skurrow.core.rhythm` counts them. Terms that are *counted anew*
from a later day lose the starts and the charges of coupons that are used up.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from skurrow.core.durations import NOTHING, Duration, first_instant, later, parse_duration
from skurrow.core.edition import Edition, PricedProduct, priced
from skurrow.core.money import amount_writer
from skurrow.core.order import Buyer, Item, Order
from skurrow.core.quote.charges import DAYS_SHOWN, MONTHS_SHOWN, Charges, DayCharge, DueLine
from skurrow.core.quote.discounts import Charged, Cuts, Discount
from skurrow.core.quote.taxing import SUPPLIED_IN_TIME, Taxed, Taxing
from skurrow.core.quote.written import Line, Quote, tax_lines
from skurrow.core.rhythm import ENDLESS, Rhythm
from skurrow.core.site.products import Ends, Price, Product
from skurrow.core.tax.deciding import What
from skurrow.core.words import sentence

NO_ENDS = Ends()


class _Kept(BaseModel):
    model_config = ConfigDict(frozen=True)


class Promise(_Kept):
    """A discount as it was promised: for the next `charges` of the subscription (None: all of them), a share (a ratio
    of whole numbers) or an `amount` off each, in minor units."""

    coupon: str | None
    label: str
    words: str
    charges: int | None
    ratio: tuple[int, int] | None = None
    amount: int = 0

    def after(self, n: int) -> Promise | None:
        """What is left of it after `n` charges; None when it is used up."""
        if self.charges is None:
            return self
        return self.model_copy(update={"charges": self.charges - n}) if self.charges > n else None


class Terms(_Kept):
    """What one line of an order was promised. Amounts are of one piece, in minor units of `currency`; durations are
    ISO 8601; `starts` counts different first payments, each `start` long; with `free` the start is a trial. With
    `each_by_itself` each payment of a set is supplied, and documented, by itself."""

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


class Reckoning:
    """The charges of some terms, counted from a day, for a buyer, under an edition. Raises KeyError where the edition
    lacks the product or the currency."""

    def __init__(self, edition: Edition, terms: Terms, buyer: Buyer, counted_from: date) -> None:
        if terms.currency not in edition.currencies:
            raise KeyError(terms.currency)
        self.edition, self.terms = edition, terms
        product, price = _as_sold(edition, terms)
        self._priced = _promised(edition, product, price, terms)
        rhythm = self._priced.rhythm
        self.line = Charged(
            self._priced, terms.quantity, terms.unit * terms.quantity, terms.start_unit * terms.quantity,
            counted_from, not rhythm.free,
        )  # fmt: skip
        self.item = Item(price=terms.price, quantity=terms.quantity, variant=terms.variant)
        zone = edition.site.site.zone
        order = Order(
            at=first_instant(counted_from, zone),
            currency=terms.currency,
            items=[self.item],
            delivery=terms.delivery,
            buyer=buyer,
        )
        self.discounts = [_discount(one) for one in terms.promises]
        method = None
        if terms.delivery is not None and product.kind == "goods":
            to = buyer.parcels_go_to
            in_zone = edition.zones.of(to.country, to.region, to.postal_code)
            methods = in_zone.methods if in_zone is not None else ()
            chosen = next((one for one in methods if one.id == terms.delivery), None)
            # The way that was chosen may be gone: then the first that there is; and none where nothing goes any more.
            chosen = chosen or next((one for one in methods if not one.method.pick_up), None)
            method = None if chosen is None or chosen.method.pick_up else chosen
        taxing = Taxing(edition, order, [self.line], method, counted_from)
        taxing.included = terms.included
        taxing.discounts = self.discounts
        self._charges = Charges([self.line], self.discounts, taxing)

    def on(self, n: int) -> DayCharge:
        """What charge `n` comes to. Raises ValueError after the last one."""
        day = self.line.priced.rhythm.day(self.line.counted_from, n)
        if day is None:
            raise ValueError(f"there is no charge {n}")
        return self._charges.on(day, [(0, n)])

    def following(self, n: int, until: date | None = None) -> Iterator[DayCharge]:
        """The charges from number `n` on, up to and including a day."""
        for k, day in self.line.priced.rhythm.days(self.line.counted_from, n):
            if until is not None and day > until:
                return
            yield self._charges.on(day, [(0, k)])

    def quote(self, n: int, payments: int = 1, on: date | None = None) -> Quote:
        """Charge `n` as a quote whose today is its day (or another one, `on`), with what comes after it; several
        payments of a set of instalments may be made at once."""
        charge = self.on(n)
        today = on or charge.on
        (part,) = charge.due
        if payments > 1:
            part, sent = _together([self.on(n + k).due[0] for k in range(payments)]), charge.sent
            sent_total, sent_tax = (sent.total, sent.tax) if sent is not None else (0, 0)
            charge = DayCharge(today, (part,), part.taxed.tax + sent_tax, part.taxed.total + sent_total, sent)
        shown: list[DayCharge] = []
        horizon = _horizon(today)
        for one in self.following(n + payments, horizon):
            if len(shown) == DAYS_SHOWN:
                break
            shown.append(one)
        line = Line(
            self.item,
            self.terms.name,
            self.line,
            part.subtotal // self.terms.quantity,
            part.subtotal,
            part.cuts,
            part.left,
            part.taxed,
            (("promised", sentence("promised")),),
        )
        return Quote(
            currency=self.terms.currency,
            today=today,
            lines=(line,),
            taxes=tax_lines([part.taxed, *(charge.sent.parts if charge.sent else ())]),
            due_today=charge.total,
            tax_total=charge.tax,
            later=tuple(shown),
            discounts=tuple(self.discounts),
            notes=(),
            sent=charge.sent,
            included=self.terms.included,
        )

    def supplied_as(self, n: int) -> dict[str, Any] | None:
        """How the first payment of a set of instalments is documented and reported: as the whole set, with what is
        still due of it. For a later one nothing is: `{"lines": [], "taxes": []}`. None for what is no such set: a
        service or an event is supplied payment by payment."""
        rhythm = self.terms.rhythm
        if self.terms.kind != "instalments" or self.terms.each_by_itself or self._priced.what.kind == "service":
            return None
        first = rhythm.first_of_set(n)
        if first != n:
            return {"lines": [], "taxes": [], "delivery": None}
        count = rhythm.first_set if n == 0 else rhythm.payments
        money = amount_writer(self.terms.currency)
        still_due = [
            {"on": one.on.isoformat(), "amount": money(one.total)} for one in (self.on(n + k) for k in range(1, count))
        ]
        return {**self.quote(n, count).as_json(), "later": [], "still_due": still_due}


# -- within -----------------------------------------------------------------------------------------------


def _horizon(today: date) -> date:
    try:
        return later(today, MONTHS_SHOWN, 0)
    except OverflowError:
        return date.max


def _together(parts: list[DueLine]) -> DueLine:
    """Several payments of a set, which are all taxed alike, as one."""
    cuts: Cuts = [cut for part in parts for cut in part.cuts]
    first, taxes = parts[0].taxed, [sum(levied) for levied in zip(*(part.taxed.taxes for part in parts), strict=True)]
    taxed = Taxed(
        sum(part.taxed.untaxed for part in parts),
        sum(part.taxed.total for part in parts),
        sum(part.taxed.tax for part in parts),
        taxes,
        first.ruling,
    )
    subtotal, left = sum(part.subtotal for part in parts), sum(part.left for part in parts)
    return DueLine(parts[0].line, parts[0].n, subtotal, cuts, left, taxed)


def _promises(quote: Quote, line: int) -> Iterator[Promise]:
    for one in quote.discounts:
        if line not in one.spans:
            continue
        span = one.spans[line]
        amount = one.anew or (one.shares or {}).get(line, 0)
        if one.ratio is None and not amount:
            continue
        charges = None if span == ENDLESS else span
        yield Promise(
            coupon=one.coupon, label=one.label, words=one.words, charges=charges, ratio=one.ratio, amount=amount
        )


def _discount(one: Promise) -> Discount:
    spans = {0: ENDLESS if one.charges is None else one.charges}
    return Discount(one.coupon, one.label, one.words, spans, one.ratio, None, one.amount)


def _as_sold(edition: Edition, terms: Terms) -> tuple[Product, Price]:
    """The product of the terms and their price, if the edition has it still. Raises KeyError without the product."""
    product = edition.product(terms.product)
    if product is None:
        raise KeyError(terms.product)
    found = next((one for one in product.prices if one.id == terms.price), None)
    return product, found or product.prices[0]


def _promised(edition: Edition, product: Product, price: Price, terms: Terms) -> PricedProduct:
    """The price as the terms promise it, whatever the owner charges now."""
    if price.id in edition.prices:
        like = edition.prices[price.id]
    else:
        like = next(one for one in priced(edition.site, product) if one.price.id == price.id)
    return PricedProduct(
        product=product,
        price=like.price,
        amounts={terms.currency: terms.unit},
        converted=frozenset(),
        what=What.of(product),
        rhythm=terms.rhythm,
        starts={terms.currency: terms.start_unit} if terms.starts else {},
        variants={},
        chosen=None,
    )
