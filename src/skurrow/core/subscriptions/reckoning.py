"""What each charge of a subscription comes to, by its terms.

Tax and delivery are reckoned anew at each charge, under the configuration of that day; a set of instalments keeps the
tax of its first payment, for it is supplied with that (a service is not).

Plans that were ordered together share what was promised to them together: on a day on which several are charged, a
coupon of an amount is shared over them, and the delivery of one parcel goes with the first of them. What a quote said
of that day is what they come to, each its own part.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any, NamedTuple

from skurrow.core.delivery.methods import PricedMethod
from skurrow.core.durations import first_instant, later
from skurrow.core.edition import Edition, PricedProduct, priced
from skurrow.core.money import amount_writer
from skurrow.core.order import Buyer, Item, Order
from skurrow.core.quote.charges import DAYS_SHOWN, MONTHS_SHOWN, Charges, DayCharge
from skurrow.core.quote.discounts import Charged, Discount, due_on
from skurrow.core.quote.sets import as_one
from skurrow.core.quote.taxing import Taxing
from skurrow.core.quote.written import Line, Quote, tax_lines
from skurrow.core.rhythm import ENDLESS
from skurrow.core.site.products import Price, Product
from skurrow.core.subscriptions.terms import Promise, Terms
from skurrow.core.tax.deciding import What
from skurrow.core.words import sentence


class Beside(NamedTuple):
    """Another plan of the same order, under the edition that serves it: charged by these terms, counted from a day, up
    to and without the day `before` (None: as long as it lasts). `same_place`: its parcels go to the same place."""

    edition: Edition
    terms: Terms
    counted_from: date
    since: date
    before: date | None
    same_place: bool

    def is_charged(self, day: date) -> bool:
        """Whether its charges fall into this stretch of its life on a day."""
        return self.since <= day and (self.before is None or day < self.before)


class Reckoning:
    """The charges of some terms, counted from a day, for a buyer, under an edition, `beside` other plans of the same
    order. Raises KeyError where the edition lacks the product or the currency."""

    def __init__(
        self, edition: Edition, terms: Terms, buyer: Buyer, counted_from: date, beside: Sequence[Beside] = ()
    ) -> None:
        if terms.currency not in edition.currencies:
            raise KeyError(terms.currency)
        self.edition, self.terms = edition, terms
        self.line = _line(edition, terms, counted_from)
        self.item = Item(price=terms.price, quantity=terms.quantity, variant=terms.variant)
        self.discounts = [_discount([(0, one)]) for one in terms.promises]
        # All plans by their place in the order, this one's stretch of life without a `Beside`.
        plans: list[tuple[Terms, Beside | None]] = [(terms, None), *((one.terms, one) for one in beside)]
        plans.sort(key=lambda one: one[0].line)
        self._beside = [one for _, one in plans]
        self._own = self._beside.index(None)
        self._lines = [
            self.line if one is None else _line(one.edition, one.terms, one.counted_from) for one in self._beside
        ]
        found = _together([plan for plan, _ in plans])
        self._own_cuts = _own_cuts(found, terms)
        discounts = [_discount(promised) for promised in found]
        ways = (
            [terms.delivery]
            if self.line.priced.what.kind == "goods"
            else [plan.delivery for plan, one in plans if one is not None and one.same_place]
        )
        way = next((one for one in ways if one is not None), None)
        order = Order(
            at=first_instant(counted_from, edition.site.site.zone),
            currency=terms.currency,
            items=[self.item],
            delivery=way,
            buyer=buyer,
        )
        taxing = Taxing(edition, order, self._lines, _method(edition, way, buyer), counted_from)
        taxing.included = terms.included
        taxing.discounts = discounts
        if beside:
            taxing.due = self._due
        for i, (plan, one) in enumerate(plans):
            taxing.goods[i] &= plan.delivery == way and (one is None or one.same_place)
        taxing.sends = taxing.method is not None and any(taxing.goods)
        self._taxing = taxing
        self._charges = Charges(self._lines, discounts, taxing)

    def on(self, n: int) -> DayCharge:
        """What charge `n` comes to. Raises ValueError after the last one."""
        day = self.line.priced.rhythm.day(self.line.counted_from, n)
        if day is None:
            raise ValueError(f"there is no charge {n}")
        return self._charge(day, n)

    def following(self, n: int, until: date | None = None) -> Iterator[DayCharge]:
        """The charges from number `n` on, up to and including a day."""
        for k, day in self.line.priced.rhythm.days(self.line.counted_from, n):
            if until is not None and day > until:
                return
            yield self._charge(day, k)

    def _charge(self, day: date, n: int) -> DayCharge:
        """Its own part of all that is charged on a day; what is sent goes with the first of those it is sent with."""
        if len(self._lines) == 1:
            return self._charges.on(day, [(0, n)])
        due = self._due(day)
        whole = self._charges.on(day, due)
        mine = next(part for part in whole.due if part.line == self._own)
        part = mine._replace(line=0, cuts=[(self._own_cuts[k], cut) for k, cut in mine.cuts])
        sent = whole.sent if self._taxing.carrier(due) == self._own else None
        total, tax = (sent.total, sent.tax) if sent is not None else (0, 0)
        return DayCharge(day, (part,), part.taxed.tax + tax, part.taxed.total + total, sent)

    def _due(self, day: date) -> list[tuple[int, int]]:
        """All plans that are charged on a day, each with the number of its charge."""
        return [(i, n) for i, n in due_on(self._lines, day) if (one := self._beside[i]) is None or one.is_charged(day)]

    def quote(self, n: int, payments: int = 1, on: date | None = None) -> Quote:
        """Charge `n` as a quote whose today is its day (or another one, `on`), with what comes after it; several
        payments of a set of instalments may be made at once."""
        charge = self.on(n)
        today = on or charge.on
        (part,) = charge.due
        if payments > 1:
            part, sent = as_one([self.on(n + k).due[0] for k in range(payments)]), charge.sent
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
        if self.terms.kind != "instalments" or self.terms.each_by_itself or self.line.priced.what.kind == "service":
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


def _line(edition: Edition, terms: Terms, counted_from: date) -> Charged:
    """What the terms say as a line of an order. Raises KeyError where the edition lacks the product."""
    priced_ = _promised(edition, *_as_sold(edition, terms), terms)
    quantity = terms.quantity
    return Charged(
        priced_, quantity, terms.unit * quantity, terms.start_unit * quantity, counted_from, not priced_.rhythm.free
    )


def _method(edition: Edition, way: str | None, buyer: Buyer) -> PricedMethod | None:
    """How parcels of a charge are sent: in the way that was chosen or, where it is gone, the first that there is; not
    at all where nothing goes any more, or they are picked up."""
    if way is None:
        return None
    to = buyer.parcels_go_to
    zone = edition.zones.of(to.country, to.region, to.postal_code)
    methods = zone.methods if zone is not None else ()
    chosen = next((one for one in methods if one.id == way), None)
    chosen = chosen or next((one for one in methods if not one.method.pick_up), None)
    return None if chosen is None or chosen.method.pick_up else chosen


def _together(plans: Sequence[Terms]) -> list[list[tuple[int, Promise]]]:
    """The promises of all plans in the order in which they are taken off, each with its lines: a coupon that was
    promised to several of them is one."""
    found: dict[tuple[int, str | int], list[tuple[int, Promise]]] = {}
    for i, terms in enumerate(plans):
        for k, one in enumerate(terms.promises):
            key = (one.place, one.coupon if one.shared and one.coupon is not None else (i << 16) + k)
            found.setdefault(key, []).append((i, one))
    return [found[key] for key in sorted(found, key=lambda key: key[0])]


def _own_cuts(found: Sequence[Sequence[tuple[int, Promise]]], terms: Terms) -> dict[int, int]:
    """Which of the terms' own promises each of those of all plans is."""
    own = {id(one): n for n, one in enumerate(terms.promises)}
    return {k: own[id(one)] for k, promised in enumerate(found) for _, one in promised if id(one) in own}


def _discount(promised: Sequence[tuple[int, Promise]]) -> Discount:
    spans = {i: ENDLESS if one.charges is None else one.charges for i, one in promised}
    _, one = promised[0]
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
