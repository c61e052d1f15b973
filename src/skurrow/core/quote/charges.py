"""What is charged after today, day by day, for the lines of one order.

A quote names the days up to and including 13 months on, at most twelve of them, and all that remains of the current
set of instalments. Equal charges are reckoned once.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from itertools import islice, takewhile
from typing import NamedTuple

from skurrow.core.durations import later
from skurrow.core.quote.discounts import Charged, Cuts, Discount, Due, due_on, take_off
from skurrow.core.quote.taxing import Sent, Taxed, Taxing
from skurrow.core.rhythm import ENDLESS

MONTHS_SHOWN = 13
DAYS_SHOWN = 12


class DueLine(NamedTuple):
    """One line's part of a charge, in minor units: before discounts, what each took, and what is left with its tax."""

    line: int
    n: int
    subtotal: int
    cuts: Cuts
    left: int
    taxed: Taxed


class DayCharge(NamedTuple):
    """All that is charged on a day, in minor units, and the delivery that goes along."""

    on: date
    due: tuple[DueLine, ...]
    tax: int
    total: int
    sent: Sent | None = None


class Charges:
    """The charges of an order's lines, under its discounts; `taxing` tells the tax of each, and what is sent."""

    def __init__(self, lines: Sequence[Charged], discounts: Sequence[Discount], taxing: Taxing) -> None:
        self._lines, self._discounts, self._taxing = lines, discounts, taxing
        self._changes = [_changes_until(i, line, discounts) for i, line in enumerate(lines)]
        self._known: dict[tuple[Due, int], tuple[tuple[DueLine, ...], int, int, Sent | None]] = {}

    def on(self, day: date, due: Sequence[tuple[int, int]]) -> DayCharge:
        """What `due` comes to on its day."""
        changes = self._changes
        alike: Due = tuple([(i, n if n < changes[i] else ENDLESS) for i, n in due])
        key = (alike, self._taxing.era(day))
        known = self._known.get(key)
        if known is None:
            known = self._known[key] = self._reckoned(day, due)
        return DayCharge(day, *known)

    def _reckoned(self, day: date, due: Due) -> tuple[tuple[DueLine, ...], int, int, Sent | None]:
        lines = self._lines
        before = [lines[i].amount(n) for i, n in due]
        left = before.copy()
        cuts = take_off(self._discounts, due, left) if self._discounts else [[] for _ in due]
        found, sent = self._taxing.of_charge(day, due, before, left)
        total, taxes = (sent.total, sent.tax) if sent else (0, 0)
        parts = []
        for (i, n), subtotal, cut, rest, taxed in zip(due, before, cuts, left, found, strict=True):
            total += taxed.total
            taxes += taxed.tax
            parts.append(DueLine(i, n, subtotal, cut, rest, taxed))
        return tuple(parts), taxes, total, sent

    def shown_later(self, today: date) -> list[DayCharge]:
        """The days after today that a quote shows."""
        try:
            horizon = later(today, MONTHS_SHOWN, 0)
        except OverflowError:
            horizon = date.max
        days: dict[date, list[tuple[int, int]]] = {}
        whole_sets: set[date] = set()
        coming: dict[tuple[int, date, bool], list[tuple[int, date]]] = {}
        for i, line in enumerate(self._lines):
            rhythm, since = line.priced.rhythm, line.counted_from
            if rhythm.count == 1 and line.today:
                continue
            alike = (id(rhythm), since, line.today)
            mine = coming.get(alike)
            if mine is None:
                first = islice(rhythm.days(since, 1 if line.today else 0), DAYS_SHOWN)
                mine = coming[alike] = list(takewhile(lambda one: one[1] <= horizon, first))
            for n, day in mine:
                days.setdefault(day, []).append((i, n))
            if rhythm.kind == "instalments":
                one_set = islice(rhythm.days(since, 0), rhythm.first_set)
                whole_sets |= {day for _, day in one_set if day > today}
        shown = sorted(days)[:DAYS_SHOWN]
        charges = [self.on(day, days[day]) for day in shown]
        beyond = sorted(whole_sets.difference(shown))
        return [*charges, *[self.on(day, due_on(self._lines, day)) for day in beyond]]

    def until(self, last: date) -> Iterator[DayCharge]:
        """Every charge up to and including a day, in order, today's too."""
        days: dict[date, list[tuple[int, int]]] = {}
        for i, line in enumerate(self._lines):
            for n, day in line.priced.rhythm.days(line.counted_from, 0):
                if day > last:
                    break
                days.setdefault(day, []).append((i, n))
        for day in sorted(days):
            yield self.on(day, days[day])


def _changes_until(i: int, line: Charged, discounts: Sequence[Discount]) -> int:
    """The number of the first charge from which on all charges of a line are alike; payments are told by number."""
    rhythm = line.priced.rhythm
    if rhythm.kind == "instalments":
        return ENDLESS
    found = rhythm.starts or 1
    for discount in discounts:
        span = discount.spans.get(i, 0)
        if found < span != ENDLESS:
            found = span
    return found
