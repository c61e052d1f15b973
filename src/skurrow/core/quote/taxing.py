"""The taxes in one charge: of each line, and of the delivery that goes along.

Included amounts stay what they are whatever the buyer's rate; where no tax is due the home tax comes off them. On top,
each tax is rounded. With rounding by rate the sum of a rate is rounded, delivery with it, and shared over its lines.
Sources: HMRC VAT Notice 700 §17.5 and EN 16931 on rounding (from memory).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from fractions import Fraction
from functools import partial
from typing import NamedTuple

from skurrow.core.delivery.methods import Parcel, PricedMethod
from skurrow.core.edition import Edition
from skurrow.core.money import MINOR_UNITS, divide_half_up, share
from skurrow.core.order import Order
from skurrow.core.quote.discounts import Charged, Discount, Due, due_on, take_off
from skurrow.core.tax.deciding import Ruling

SUPPLIED_IN_TIME = ("service", "event")
"""Kinds whose instalments are each taxed on their own day; of anything else the set is supplied with its first one."""


class Taxed(NamedTuple):
    """An amount with its tax, in minor units: `untaxed` is the home tax that came off, `taxes` is by levy."""

    untaxed: int
    total: int
    tax: int
    taxes: Sequence[int]
    ruling: Ruling


class Sent(NamedTuple):
    """The delivery of one charge: what it costs as priced, and its parts, each taxed as the goods that it carries."""

    method: PricedMethod
    amount: int
    parts: tuple[Taxed, ...]

    @property
    def untaxed(self) -> int:
        """The home tax that came off."""
        return sum([part.untaxed for part in self.parts])

    @property
    def total(self) -> int:
        """What is paid for it."""
        return sum([part.total for part in self.parts])

    @property
    def tax(self) -> int:
        """The tax in that."""
        return sum([part.tax for part in self.parts])


class Taxing:
    """How the lines of one order are taxed and sent, today and later."""

    def __init__(
        self,
        edition: Edition,
        order: Order,
        lines: Sequence[Charged],
        method: PricedMethod | None,
        today: date,
    ) -> None:
        self._edition, self._order, self._lines, self.method = edition, order, lines, method
        self.included = edition.tax_included(order.currency)
        self.by_rate = edition.site.tax.rounding == "rate"
        self.discounts: Sequence[Discount] = ()
        self.due: Callable[[date], Due] = partial(due_on, lines)
        seller = edition.seller
        self.settled = seller.settled(today)
        known: dict[int, Ruling] = {}
        self.now: list[Ruling] = []
        for line in lines:
            key = id(line.priced.what)
            ruling = known.get(key)
            if ruling is None:
                ruling = known[key] = seller.ruling(line.priced.what, order.buyer, method is not None, today)
            self.now.append(ruling)
        self._limited = any(ruling.above is not None for ruling in known.values())
        self.goods = [_is_goods(line) for line in lines]
        self.sends = method is not None and any(self.goods)
        self._fixed = self.settled and not self._limited
        self._above: dict[date, set[int]] = {}
        self._left: dict[date, dict[tuple[int, int], int]] = {}

    def era(self, day: date) -> int:
        """What else than its lines a charge hangs on."""
        return 0 if self.settled else self._edition.seller.era(day)

    def ruling(self, i: int, n: int, day: date) -> Ruling:
        """How charge `n` of a line is taxed. A set of instalments is supplied, and taxed, with its first payment; of a
        service or an event each payment is by itself."""
        ruling = self.now[i]
        if self.settled and ruling.above is None:
            return ruling
        line = self._lines[i]
        supplied, first = day, n
        if line.priced.rhythm.kind == "instalments" and line.priced.what.kind not in SUPPLIED_IN_TIME:
            first = line.priced.rhythm.first_of_set(n)
            supplied = line.priced.rhythm.day(line.counted_from, first) or day
        if not self.settled:
            sent = self.method is not None
            ruling = self._edition.seller.ruling(line.priced.what, self._order.buyer, sent, supplied)
        if ruling.above is not None and i in self._above_limit(supplied):
            return ruling.above
        return ruling

    def of_charge(
        self, day: date, due: Due, before: Sequence[int], left: Sequence[int]
    ) -> tuple[list[Taxed], Sent | None]:
        """The taxes of what is due on a day, whose amounts after discounts are `left`, and its delivery."""
        rulings = [self.now[i] for i, _ in due] if self._fixed else [self.ruling(i, n, day) for i, n in due]
        parcel = [j for j, (i, n) in enumerate(due) if self._is_sent(i, n)] if self.sends else []
        amounts, price = left, 0
        if parcel:
            price = self._price(due, parcel, left)
            split = self._split(price, rulings, parcel, left, before)
            rulings += [ruling for ruling, _ in split]
            amounts = [*left, *[amount for _, amount in split]]
        if self.by_rate:
            found = _by_rate(amounts, rulings, self.included)
        else:
            found = [taxed(amount, ruling, self.included) for amount, ruling in zip(amounts, rulings, strict=True)]
        if not parcel or self.method is None:
            return found, None
        return found[: len(due)], Sent(self.method, price, tuple(found[len(due) :]))

    # -- within

    def _is_sent(self, i: int, n: int) -> bool:
        return self.goods[i] and _begins_supply(self._lines[i], n)

    def parcel_of(self, due: Due, left: Sequence[int]) -> Parcel | None:
        """What is sent with a charge; None where nothing is."""
        parcel = [j for j, (i, n) in enumerate(due) if self._is_sent(i, n)]
        return self._parcel(due, parcel, left) if parcel else None

    def carrier(self, due: Due) -> int | None:
        """The line with whose charge goes what is sent: the first that is sent; None where nothing is."""
        return next((i for i, n in due if self._is_sent(i, n)), None) if self.sends else None

    def _parcel(self, due: Due, parcel: Sequence[int], left: Sequence[int]) -> Parcel:
        weight = pieces = 0
        for j in parcel:
            line = self._lines[due[j][0]]
            weight += (line.priced.product.weight_g or 0) * line.quantity
            pieces += line.quantity
        return Parcel(sum([left[j] for j in parcel]), weight, pieces)

    def _price(self, due: Due, parcel: Sequence[int], left: Sequence[int]) -> int:
        assert self.method is not None
        currency = self._order.currency
        costs = self.method.costs(self._parcel(due, parcel, left), currency)
        return self.method.costs_at_most(currency) if costs is None else costs

    def _split(
        self, price: int, rulings: list[Ruling], parcel: list[int], left: Sequence[int], before: Sequence[int]
    ) -> list[tuple[Ruling, int]]:
        """A delivery's amount over the rates of the goods in the parcel, by their values as priced."""
        first = rulings[parcel[0]]
        if all(rulings[j] is first for j in parcel):
            return [(first, price)]
        groups: dict[object, list[int]] = {}
        by: dict[object, Ruling] = {}
        for j in parcel:
            ruling = rulings[j]
            key = (ruling.place, ruling.treatment, ruling.signature)
            groups.setdefault(key, []).append(j)
            by.setdefault(key, ruling)
        for values in (left, before):
            weights = [sum([values[j] for j in js]) for js in groups.values()]
            if any(weights):
                return list(zip(by.values(), share(price, weights), strict=True))
        return [(first, price)]

    def _above_limit(self, day: date) -> set[int]:
        """The lines whose goods, on a day, are worth more than the low-value limit of where they go."""
        found = self._above.get(day)
        if found is None:
            found = self._above[day] = self._reckon_above(day)
        return found

    def _reckon_above(self, day: date) -> set[int]:
        due = [(i, n) for i, n in self.due(day) if self._is_sent(i, n)]
        worth: dict[int, int] = {}
        limits: dict[int, int] = {}
        of_each = False
        for i, n in due:
            ruling = self.now[i]
            if not self.settled:
                ruling = self._edition.seller.ruling(
                    self._lines[i].priced.what, self._order.buyer, self.method is not None, day
                )
            if ruling.limit is None:
                continue
            limits[i] = self._limit(*ruling.limit[:2])
            value = self._whole_value(i, n, day)
            found = taxed(value, ruling, self.included)
            worth[i] = found.total - found.tax
            of_each = ruling.limit[2]
        if of_each:
            return {i for i, value in worth.items() if value > limits[i] * self._lines[i].quantity}
        whole = sum(worth.values())
        return {i for i in worth if whole > limits[i]}

    def _whole_value(self, i: int, n: int, day: date) -> int:
        """What the goods of a charge are worth after every discount that is shared over them: of instalments, all
        payments of the set, each with what else is due on its day."""
        line = self._lines[i]
        rhythm = line.priced.rhythm
        if rhythm.kind != "instalments":
            return self._left_of(i, n, day)
        payments = [n + k for k in range(rhythm.first_set if n == 0 else rhythm.payments)]
        days = [(k, rhythm.day(line.counted_from, k)) for k in payments]
        return sum(self._left_of(i, k, on) for k, on in days if on is not None)

    def _left_of(self, i: int, n: int, day: date) -> int:
        if day not in self._left:
            due = self.due(day)
            amounts = [self._lines[j].amount(k) for j, k in due]
            take_off(self.discounts, due, amounts)
            self._left[day] = dict(zip(due, amounts, strict=True))
        return self._left[day][i, n]

    def _limit(self, currency: str, minor: int) -> int:
        """A limit in minor units of the order's currency, at the owner's rates, rounded down."""
        rates = {one.code: Fraction(one.rate or 1) for one in self._edition.site.currencies}
        mine = self._order.currency
        units = Fraction(minor, 10 ** MINOR_UNITS[currency]) * rates[mine] / rates[currency]
        return int(units * 10 ** MINOR_UNITS[mine])


def is_sent(line: Charged, n: int) -> bool:
    """Whether a parcel goes out with charge `n` of a line, if anything is sent: of goods, with each but the further
    payments of a set."""
    return _is_goods(line) and _begins_supply(line, n)


def _is_goods(line: Charged) -> bool:
    return line.priced.what.kind == "goods" and line.priced.rhythm.kind != "free"


def _begins_supply(line: Charged, n: int) -> bool:
    rhythm = line.priced.rhythm
    return rhythm.kind != "instalments" or rhythm.first_of_set(n) == n


def taxed(amount: int, ruling: Ruling, included: bool) -> Taxed:
    """An amount, after discounts and as priced, with its taxes."""
    if not ruling.levies:
        untaxed = 0
        if included and ruling.deduct is not None:
            numerator, denominator = ruling.deduct
            untaxed = divide_half_up(amount * numerator, denominator + numerator)
        return Taxed(untaxed, amount - untaxed, 0, (), ruling)
    if included:
        taxes = ruling.included(amount)
        return Taxed(0, amount, taxes[0] if len(taxes) == 1 else sum(taxes), taxes, ruling)
    taxes = ruling.on_top(amount)
    tax = sum(taxes)
    return Taxed(0, amount + tax, tax, taxes, ruling)


def _by_rate(amounts: Sequence[int], rulings: Sequence[Ruling], included: bool) -> list[Taxed]:
    """The same for all parts of a charge, with the sum of each rate rounded and shared over its parts."""
    taxes: list[list[int]] = [[0] * len(ruling.levies) for ruling in rulings]
    groups: dict[object, list[tuple[int, int]]] = {}
    for k, ruling in enumerate(rulings):
        marks = [(levy.place, levy.name, levy.ratio, ruling.treatment) for levy in ruling.levies]
        for which, mark in enumerate(marks):
            groups.setdefault((tuple(marks), mark) if included else mark, []).append((k, which))
    for members in groups.values():
        k, which = members[0]
        values = [amounts[k] for k, _ in members]
        whole = sum(values)
        if not whole:
            continue
        tax = (rulings[k].included(whole) if included else rulings[k].on_top(whole))[which]
        for (k, which), part in zip(members, share(tax, values), strict=True):
            taxes[k][which] = part
    found = []
    for amount, ruling, parts in zip(amounts, rulings, taxes, strict=True):
        if not ruling.levies:
            found.append(taxed(amount, ruling, included))
            continue
        tax = sum(parts)
        found.append(Taxed(0, amount if included else amount + tax, tax, parts, ruling))
    return found
