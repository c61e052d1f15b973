"""When a price is charged: its charges by number, counted from a day.

A charge falls on: the day + the start's months + set × `again` + n × `every`, all months at once; a start in days
moves the day counted from first. A free start is no charge; a different first payment is one.

>>> monthly = Rhythm(kind="recurring", every=Duration(1, 0))
>>> [monthly.day(date(2027, 1, 31), n).isoformat() for n in range(4)]
['2027-01-31', '2027-02-28', '2027-03-31', '2027-04-30']
>>> monthly.number_on(date(2027, 1, 31), date(2027, 3, 31)), monthly.number_on(date(2027, 1, 31), date(2027, 3, 30))
(2, None)
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date
from typing import Literal

from skurrow.core.durations import NOTHING, Duration, later

PriceKind = Literal["once", "recurring", "instalments", "free"]
ENDLESS = sys.maxsize
_ENDS = date(9999, 12, 31)
_END = 10_000 * 12


@dataclass(frozen=True, slots=True)
class Rhythm:
    """The charges of a price. `starts` counts its different first payments, each `start` long; with `free` the start
    is a trial."""

    kind: PriceKind
    every: Duration = NOTHING
    payments: int = 1
    again: Duration | None = None
    start: Duration = NOTHING
    starts: int = 0
    free: bool = False

    first_set: int = field(init=False)
    """How many charges the first set of instalments has, different first payments included; otherwise 1."""
    count: int = field(init=False)
    """How many charges there are in all."""

    def __post_init__(self) -> None:
        first_set = self.starts + self.payments if self.kind == "instalments" else 1
        endless = self.kind == "recurring" or self.again is not None
        object.__setattr__(self, "first_set", first_set)
        object.__setattr__(self, "count", 0 if self.kind == "free" else ENDLESS if endless else first_set)

    def day(self, counted_from: date, n: int) -> date | None:
        """The day of charge `n` (from 0); None after the last one, and after the year 9999."""
        if n >= self.count:
            return None
        try:
            if n < self.starts:
                return later(later(counted_from, 0, n * self.start.days), n * self.start.months, 0)
            months, days = self._regular(n - self.starts)
            times = self.starts or self.free
            if times and self.start.days:
                counted_from = later(counted_from, 0, times * self.start.days)
            return later(counted_from, times * self.start.months + months, days)
        except OverflowError:
            return None

    def days(self, counted_from: date, first: int) -> Iterator[tuple[int, date]]:
        """The charges from number `first` on, with their days, as `day` gives them one by one."""
        n = first
        if self.kind == "recurring" and not (self.every.days or self.starts or self.start.days):
            index = counted_from.year * 12 + counted_from.month - 1 + self.free * self.start.months
            of_month, step = counted_from.day, self.every.months
            index += n * step
            while of_month <= 28 and index < _END:  # most days exist in every month
                yield n, date(index // 12, index % 12 + 1, of_month)
                n += 1
                index += step
        elif self.kind == "recurring" and self.free and not self.every.days and not self.start.months:
            moved = Rhythm("recurring", self.every)
            yield from moved.days(later(counted_from, 0, self.start.days), n)
            return
        while (one := self.day(counted_from, n)) is not None:
            yield n, one
            n += 1

    def first_of_set(self, n: int) -> int:
        """The number of the first charge of the set of instalments that charge `n` is of."""
        regular = n - self.starts
        return 0 if regular < self.payments else self.starts + regular // self.payments * self.payments

    def _regular(self, n: int) -> tuple[int, int]:
        """Months and days from the first regular charge to regular charge `n`."""
        if self.again is not None:
            sets, n = divmod(n, self.payments)
            return (
                sets * self.again.months + n * self.every.months,
                sets * self.again.days + n * self.every.days,
            )
        return n * self.every.months, n * self.every.days

    def number_on(self, counted_from: date, day: date) -> int | None:
        """The number of the charge that falls on a day, if one does; found by halving, since days only grow."""
        low, high = 0, min(self.count, (day - counted_from).days + 1)
        while low < high:
            middle = (low + high) // 2
            if (self.day(counted_from, middle) or _ENDS) < day:
                low = middle + 1
            else:
                high = middle
        return low if self.day(counted_from, low) == day else None
