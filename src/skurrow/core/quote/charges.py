"""What is charged after today, day by day, for the lines of one order.

A quote names the days up to and including 13 months on, at most twelve of them, and all that remains of the current
set of instalments. Equal charges are reckoned once.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Sequence
from datetime import date
from itertools import islice
from typing import Any, NamedTuple

from skurrow.core.durations import later
from skurrow.core.quote.discounts import Charged, Cuts, Discount, Due, due_on, take_off
from skurrow.core.quote.taxing import Sent, Taxed, Taxing
from skurrow.core.rhythm import ENDLESS

MONTHS_SHOWN = 13
DAYS_SHOWN = 12


class DueLine:
    """One line's part of a charge, in minor units: before discounts, what each took, and what is left with its tax.

    `why` and `written` are for whoever explains the part and writes it down, once.
    """

    __slots__ = ("cuts", "left", "line", "n", "subtotal", "taxed", "why", "written")

    def __init__(self, line: int, n: int, subtotal: int, cuts: Cuts, left: int, taxed: Taxed) -> None:
        self.line, self.n, self.subtotal, self.cuts, self.left, self.taxed = line, n, subtotal, cuts, left, taxed
        self.why: tuple[tuple[str, str], ...] | None = None
        self.written: Any = None


class DayCharge(NamedTuple):
    """All that is charged on a day, in minor units, and the delivery that goes along."""

    on: date
    due: tuple[DueLine, ...]
    tax: int
    total: int
    sent: Sent | None = None


class Charges:
    """The charges of an order's lines, under its discounts; `taxing` tells the tax of each, and what is sent.

    `told` has what else the charges of each line hang on, and what is written about them.
    """

    def __init__(
        self,
        lines: Sequence[Charged],
        discounts: Sequence[Discount],
        taxing: Taxing,
        told: Sequence[Hashable],
    ) -> None:
        self._lines, self._discounts, self._taxing, self._told = lines, discounts, taxing, told
        self._changes = [_changes_until(i, line, discounts) for i, line in enumerate(lines)]
        self._known: dict[tuple[Due, int], tuple[tuple[DueLine, ...], int, int, Sent | None]] = {}

    def on(self, day: date, due: Sequence[tuple[int, int]]) -> DayCharge:
        """What `due` comes to on its day."""
        changes = self._changes
        if len(due) == 1:
            i, n = due[0]
            alike: Due = ((i, n if n < changes[i] else ENDLESS),)
        else:
            alike = tuple([(i, n if n < changes[i] else ENDLESS) for i, n in due])
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
        parts = []
        total, taxes = (sent.total, sent.tax) if sent else (0, 0)
        for j, (i, n) in enumerate(due):
            taxed = found[j]
            total += taxed.total
            taxes += taxed.tax
            parts.append(DueLine(i, n, before[j], cuts[j], left[j], taxed))
        return tuple(parts), taxes, total, sent

    def shown_later(self, today: date) -> list[DayCharge]:
        """The days after today that a quote shows."""
        try:
            horizon = later(today, MONTHS_SHOWN, 0)
        except OverflowError:
            horizon = date.max
        # Then lines of one day hang on each other, or on the day.
        together = self._taxing.together or any(discount.anew for discount in self._discounts)
        days: dict[date, list[DueLine]] = {}
        numbers: dict[date, list[tuple[int, int]]] = {}
        whole_sets: set[date] = set()
        for i, line in enumerate(self._lines):
            rhythm = line.priced.rhythm
            if rhythm.count == 1 and line.today:
                continue
            if together:
                for n, day in islice(rhythm.days(line.counted_from, 1 if line.today else 0), DAYS_SHOWN):
                    if day > horizon:
                        break
                    numbers.setdefault(day, []).append((i, n))
            else:
                for day, part in self._first_later(i, line):
                    if day > horizon:
                        break
                    days.setdefault(day, []).append(part)
            if rhythm.kind == "instalments":
                one_set = islice(rhythm.days(line.counted_from, 0), rhythm.first_set)
                whole_sets |= {day for _, day in one_set if day > today}
        shown = sorted(numbers if together else days)[:DAYS_SHOWN]
        if together:
            charges = [self.on(day, numbers[day]) for day in shown]
        else:
            charges = [_of_parts(day, days[day]) for day in shown]
        if not whole_sets:
            return charges
        beyond = sorted(whole_sets.difference(shown))
        return [*charges, *(self.on(day, due_on(self._lines, day)) for day in beyond)] if beyond else charges

    def _first_later(self, i: int, line: Charged) -> list[tuple[date, DueLine]]:
        """The first parts of a line after today, by day: the same for all who order it, on that day and alike."""
        mine = [
            (k, one.label, one.words, one.ratio, one.shares.get(i) if one.shares else None, one.spans[i])
            for k, one in enumerate(self._discounts)
            if i in one.spans
        ]
        amounts = (line.quantity, line.regular, line.start, line.counted_from, line.today)
        key = ("later", i, amounts, self._told[i], tuple(mine))
        return line.priced.known.get(key, lambda: self._reckon_later(i, line))

    def _reckon_later(self, i: int, line: Charged) -> list[tuple[date, DueLine]]:
        first = 1 if line.today else 0
        found = []
        for n, day in islice(line.priced.rhythm.days(line.counted_from, first), DAYS_SHOWN):
            found.append((day, self.on(day, [(i, n)]).due[0]))
        return found

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


def _of_parts(day: date, parts: list[DueLine]) -> DayCharge:
    if len(parts) == 1:
        part = parts[0]
        return DayCharge(day, (part,), part.taxed.tax, part.taxed.total)
    taxes, total = sum([part.taxed.tax for part in parts]), sum([part.taxed.total for part in parts])
    return DayCharge(day, tuple(parts), taxes, total)


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
