"""Tax rates: the shipped tables with their days and sources, and the owner's own, which take their place.

The tables are the CSV files in `data/rates`, to be read by anyone: a place, a row (`standard`, `book`, `ebook`), the
tax's name, its rate, the days from and until which it counts (both included), and a source by its key.

>>> tables = Tables(())
>>> tables.find("DE", "standard", date(2026, 11, 24)).rate, tables.find("FI", "book", date(2025, 12, 31)).rate
(Decimal('0.19'), Decimal('0.14'))
"""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import date, timedelta
from decimal import Decimal
from functools import cache, lru_cache
from importlib.resources import files
from itertools import pairwise
from typing import NamedTuple

from skurrow.core.site.tax import OwnRate

OWNER = "the owner's own rate"


class Source(NamedTuple):
    """Where a rate was found: its title, the day it was looked at, and whether it could be compared with a text."""

    title: str
    as_of: date
    checked: bool


@dataclass(frozen=True, slots=True)
class Rate:
    """One row of the tax tables. `fallback` says that the row of the standard rate had to stand in; `missing` that
    there is no rate at all, and nothing is charged."""

    place: str
    counts_as: str
    name: str
    rate: Decimal
    source: str
    checked: bool = True
    from_: date | None = None
    until: date | None = None
    fallback: bool = False
    missing: bool = False

    def counts_on(self, day: date) -> bool:
        """Whether it is the rate of that day."""
        return (self.from_ is None or self.from_ <= day) and (self.until is None or day <= self.until)


def _read(name: str) -> list[dict[str, str]]:
    with files("skurrow.core").joinpath(f"data/rates/{name}").open(encoding="utf-8") as lines:
        return list(csv.DictReader(lines))


@cache
def sources() -> dict[str, Source]:
    """The sources of the shipped rates, by key."""
    return {
        row["key"]: Source(row["title"], date.fromisoformat(row["as_of"]), row["checked"] == "yes")
        for row in _read("sources.csv")
    }


@cache
def shipped() -> tuple[Rate, ...]:
    """Every row of the shipped tables."""
    found = []
    for name in ("eu.csv", "near_and_south.csv", "canada.csv"):
        for row in _read(name):
            source = sources()[row["source"]]
            found.append(
                Rate(
                    row["place"],
                    row["counts_as"],
                    row["name"],
                    Decimal(row["rate"]),
                    source.title,
                    source.checked,
                    date.fromisoformat(row["from"]),
                    date.fromisoformat(row["until"]) if row["until"] else None,
                )
            )
    return tuple(found)


@cache
def _by_row() -> dict[tuple[str, str], list[Rate]]:
    rows: dict[tuple[str, str], list[Rate]] = {}
    for rate in shipped():
        rows.setdefault((rate.place, rate.counts_as), []).append(rate)
    return rows


class Tables:
    """The shipped tables with the owner's own rates over them."""

    def __init__(self, own: Iterable[OwnRate]) -> None:
        self._own: dict[tuple[str, str], list[OwnRate]] = {}
        for row in own:
            self._own.setdefault((row.place, row.counts_as), []).append(row)
        for rows in self._own.values():
            rows.sort(key=lambda row: -len(row.postal_prefix or ""))

    def find(self, place: str, counts_as: str, day: date, postal_code: str | None = None) -> Rate | None:
        """The rate of a place for a row of the tables on a day; the standard one where the row is missing; None
        without any."""
        exact = self._row(place, counts_as, day, postal_code)
        if exact is not None or counts_as == "standard":
            return exact
        standard = self._row(place, "standard", day, postal_code)
        return None if standard is None else replace(standard, counts_as=counts_as, fallback=True)

    def _row(self, place: str, counts_as: str, day: date, postal_code: str | None) -> Rate | None:
        code = (postal_code or "").replace(" ", "").upper()
        for own in self._own.get((place, counts_as), ()):
            if code.startswith((own.postal_prefix or "").upper()):
                return Rate(place, counts_as, own.name, own.rate, OWNER)
        return next((rate for rate in _by_row().get((place, counts_as), ()) if rate.counts_on(day)), None)


@cache
def turning_days() -> tuple[date, ...]:
    """The days on which some shipped rate begins, in order."""
    return tuple(sorted({rate.from_ for rate in shipped() if rate.from_ is not None}))


class Doubt(NamedTuple):
    """Something wrong with the tables: which row, and what."""

    place: str
    counts_as: str
    words: str


def doubts(rates: Iterable[Rate]) -> Iterator[Doubt]:
    """Gaps and overlaps in the days of each row, and windows that end before they begin."""
    rows: dict[tuple[str, str], list[Rate]] = {}
    for rate in rates:
        rows.setdefault((rate.place, rate.counts_as), []).append(rate)
    for (place, counts_as), windows in rows.items():
        windows.sort(key=lambda rate: rate.from_ or date.min)
        for rate in windows:
            if rate.from_ and rate.until and rate.until < rate.from_:
                yield Doubt(place, counts_as, f"ends on {rate.until}, before it begins on {rate.from_}")
        for before, after in pairwise(windows):
            if before.until is None or (after.from_ or date.min) <= before.until:
                yield Doubt(place, counts_as, f"two rates on {after.from_}: {before.rate} and {after.rate}")
            elif after.from_ is not None and after.from_ > before.until + timedelta(days=1):
                first = before.until + timedelta(days=1)
                yield Doubt(place, counts_as, f"no rate from {first} until {after.from_ - timedelta(days=1)}")
        if windows[-1].until is not None:
            yield Doubt(place, counts_as, f"no rate after {windows[-1].until}")


@lru_cache(maxsize=1024)
def rate_text(rate: Decimal) -> str:
    """A rate with at least two decimals and no needless ones: "0.21", "0.20", "0.08875"."""
    text = f"{rate.normalize():f}"
    whole, _, decimals = text.partition(".")
    return f"{whole}.{decimals.ljust(2, '0')}"
