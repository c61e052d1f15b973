"""Discounts of an order: which apply, to which lines, for how many charges, and what they take off.

Each takes off what the earlier ones left: an item's own first, then the automatic coupons in file order, then those
of the order as given. A percentage is rounded per line; an amount is shared over lines by largest remainder. No line
goes below zero.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from functools import lru_cache
from typing import NamedTuple

from skurrow.core.edition import Edition, PricedCoupon, PricedProduct
from skurrow.core.money import amount_writer, divide_half_up, share
from skurrow.core.order import Order
from skurrow.core.problems import Problem
from skurrow.core.rhythm import ENDLESS
from skurrow.core.words import sentence

Due = Sequence[tuple[int, int]]
"""What is charged on a day: numbers of lines, each with the number of its charge."""

Cuts = list[tuple[int, int]]
"""Which discounts took how much off one charge: index of the discount, minor units."""


class Note(NamedTuple):
    """Something to be known about the whole quote. `silent` notes are for the desk, not for buyers."""

    code: str
    text: str
    silent: bool = False


class Charged(NamedTuple):
    """A line as far as its charges go: amounts of all pieces together, and whether the first charge is today."""

    priced: PricedProduct
    quantity: int
    regular: int
    start: int
    counted_from: date
    today: bool

    def amount(self, n: int) -> int:
        """Minor units of charge `n` before discounts."""
        return self.start if n < self.priced.rhythm.starts else self.regular


@dataclass(slots=True)
class Discount:
    """One discount at work: `label` names it; `spans` has how many charges of each line it counts for.

    It takes a share (`ratio`), or `shares` of an amount off each line's first charge, or `anew` shares an amount over
    the lines of each day.
    """

    coupon: str | None
    label: str
    words: str
    spans: dict[int, int]
    ratio: tuple[int, int] | None = None
    shares: dict[int, int] | None = None
    anew: int = 0


def take_off(discounts: Sequence[Discount], due: Due, amounts: list[int]) -> list[Cuts]:
    """Takes the discounts off `amounts`, which are of `due` in the same order; returns what each took."""
    cuts: list[Cuts] = [[] for _ in due]
    for k, discount in enumerate(discounts):
        if discount.anew:
            _share_anew(discount, k, due, amounts, cuts)
            continue
        for j, (line, n) in enumerate(due):
            if n >= discount.spans.get(line, 0) or not amounts[j]:
                continue
            if discount.ratio is not None:
                cut = divide_half_up(amounts[j] * discount.ratio[0], discount.ratio[1])
            else:
                cut = (discount.shares or {}).get(line, 0)
            if cut:
                amounts[j] -= cut
                cuts[j].append((k, cut))
    return cuts


def _share_anew(discount: Discount, k: int, due: Due, amounts: list[int], cuts: list[Cuts]) -> None:
    at = [j for j, (line, n) in enumerate(due) if n < discount.spans.get(line, 0)]
    whole = sum(amounts[j] for j in at)
    if not whole:
        return
    for j, part in zip(at, share(min(discount.anew, whole), [amounts[j] for j in at]), strict=True):
        if part:
            amounts[j] -= part
            cuts[j].append((k, part))


class Reckoning:
    """The discounts of one order, put in order and ready to be taken off; `notes` says which did not apply."""

    def __init__(
        self, edition: Edition, order: Order, lines: Sequence[Charged], today: date, used_up: frozenset[str]
    ) -> None:
        self.discounts: list[Discount] = []
        self.notes: list[Note] = []
        self.problems: list[Problem] = []
        self._edition, self._order, self._lines, self._today = edition, order, lines, today
        self._used_up = used_up

    def own(self, line: int, ratio: tuple[int, int] | None, amount: int, words: str) -> None:
        """An item's own discount: for its first charge, a percentage for every payment of a first set."""
        span = self._lines[line].priced.rhythm.first_set if ratio else 1
        shares = None if ratio else {line: min(amount, self._lines[line].amount(0))}
        self.discounts.append(Discount(None, "Discount", words, {line: span}, ratio, shares))

    def coupons(self) -> None:
        """The automatic coupons and those of the order."""
        asked = [*self._edition.automatic, *self._order.coupons]
        exclusive: str | None = None
        applied: str | None = None
        for name in dict.fromkeys(asked):
            coupon = self._edition.coupons.get(name)
            if coupon is None:
                at = self._order.coupons.index(name)
                message = f"There is no coupon “{name}”"
                self.problems.append(Problem(("coupons", at), message, "Leave it out", "unknown"))
                continue
            only = coupon.only
            lines = [
                i
                for i, line in enumerate(self._lines)
                if (only is None or line.priced.product.id in only) and line.priced.rhythm.count
            ]
            note = self._why_not(coupon, lines)
            other = exclusive if coupon.coupon.combine else applied
            if note is None and other is not None:
                note = ("coupon_not_combined", {"coupon": coupon.label, "other": other})
            if note is not None:
                code, parameters = note
                self.notes.append(Note(code, sentence(code, **parameters), name not in self._order.coupons))
                continue
            applied = coupon.label
            if not coupon.coupon.combine:
                exclusive = applied
            self._apply(coupon, lines)

    def _why_not(self, coupon: PricedCoupon, lines: list[int]) -> tuple[str, dict[str, str]] | None:
        one, named = coupon.coupon, {"coupon": coupon.label}
        if one.id in self._used_up:
            return "coupon_used_up", named
        if one.customer == "new" and not self._order.is_first:
            return "coupon_first_order", named
        if one.from_ is not None and self._today < one.from_:
            return "coupon_too_early", {**named, "day": one.from_.isoformat()}
        if one.until is not None and self._today > one.until:
            return "coupon_over", {**named, "day": one.until.isoformat()}
        if not lines:
            return "coupon_for_nothing_here", named
        if one.minimum is not None:
            currency = self._order.currency
            least = coupon.minimums[currency]
            reached = sum(self._lines[i].amount(0) for i in lines)
            if reached < least:
                money = amount_writer(currency)
                return "coupon_minimum", {
                    **named,
                    "minimum": f"{currency} {money(least)}",
                    "missing": f"{currency} {money(least - reached)}",
                }
        return None

    def _apply(self, coupon: PricedCoupon, lines: list[int]) -> None:
        renewals, currency = coupon.coupon.renewals, self._order.currency
        if coupon.percent is not None:
            words = f"{percent_text(coupon.coupon.percent)} % off"
        else:
            words = f"{currency} {amount_writer(currency)(coupon.amounts[currency])} off"
        spans = {}
        for i in lines:
            first = self._lines[i].priced.rhythm.first_set if coupon.percent is not None else 1
            spans[i] = first if renewals is None else ENDLESS if renewals == "all" else renewals
        found = Discount(coupon.coupon.id, coupon.label, words, spans, coupon.percent)
        if coupon.percent is None:
            if renewals is not None:
                found.anew = coupon.amounts[currency]
            else:
                found.shares = self._shares(coupon.amounts[currency], lines)
        self.discounts.append(found)

    def _shares(self, amount: int, lines: list[int]) -> dict[int, int]:
        """An amount shared over the lines that are charged today or, if there are none, over their first charge."""
        today = [i for i in lines if self._lines[i].today]
        over = today or lines
        left = self._left_of_first_charges(over)
        whole = sum(left)
        return dict(zip(over, share(min(amount, whole), left), strict=True)) if whole else {}

    def _left_of_first_charges(self, lines: list[int]) -> list[int]:
        """What the discounts so far leave of the first charges of lines, each on its own day."""
        taken: dict[date, dict[int, int]] = {}
        for i in lines:
            day = self._lines[i].priced.rhythm.day(self._lines[i].counted_from, 0)
            if day is not None and day not in taken:
                due = due_on(self._lines, day)
                amounts = [self._lines[line].amount(n) for line, n in due]
                take_off(self.discounts, due, amounts)
                taken[day] = {line: amounts[j] for j, (line, n) in enumerate(due) if n == 0}
        return [next((one[i] for one in taken.values() if i in one), 0) for i in lines]


def due_on(lines: Sequence[Charged], day: date) -> list[tuple[int, int]]:
    """Every line that is charged on a day, with the number of the charge."""
    found = []
    for i, line in enumerate(lines):
        n = line.priced.rhythm.number_on(line.counted_from, day)
        if n is not None:
            found.append((i, n))
    return found


@lru_cache(maxsize=1024)
def percent_text(percent: Decimal | None) -> str:
    """A percentage without needless decimals."""
    return f"{(percent or Decimal(0)).normalize():f}"
