"""Durations of ISO 8601 in whole years, months, weeks and days, and days counted from a day.

All months are added at once to the day counted from, then the days; a day that a month lacks is that month's last
(31 January and a month: 28 February). A charge falls due at the first instant of its day that exists in the
site's zone. Checked against dateutil and whenever in tests/reference.

>>> parse_duration("P1Y2M"), parse_duration("P2W")
(Duration(months=14, days=0), Duration(months=0, days=14))
>>> later(date(2027, 1, 31), 1, 0), later(date(2028, 2, 29), 12, 0), later(date(2027, 1, 31), 1, 1)
(datetime.date(2027, 2, 28), datetime.date(2029, 2, 28), datetime.date(2027, 3, 1))
>>> first_instant(date(2027, 6, 1), ZoneInfo("Europe/Amsterdam")).isoformat()
'2027-05-31T22:00:00+00:00'
"""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from typing import NamedTuple
from zoneinfo import ZoneInfo

_FORM = re.compile(r"P(?=\d)(?:(\d{1,4})Y)?(?:(\d{1,4})M)?(?:(\d{1,4})W)?(?:(\d{1,5})D)?", re.ASCII)
_MOST_MONTHS = 1200
_MOST_DAYS = 36525
_DAYS_OF_MONTH = (31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)
_SHORTEST_MONTHS = [date(2026 + n // 12, n % 12 + 1, day) for n in range(48) for day in (1, 15, 28)]


class Duration(NamedTuple):
    """Whole months (a year is twelve) and whole days (a week is seven)."""

    months: int
    days: int

    def times(self, n: int) -> Duration:
        """The duration so many times over."""
        return Duration(self.months * n, self.days * n)

    def is_shorter_than(self, other: Duration) -> bool:
        """Whether it can end earlier than the other, when both are counted from the same day."""
        months, days = self.months - other.months, self.days - other.days
        if months * days >= 0:
            return months < 0 or days < 0
        return any(later(day, *self) < later(day, *other) for day in _SHORTEST_MONTHS)


NOTHING = Duration(0, 0)


def parse_duration(text: str) -> Duration:
    """A duration from its ISO 8601 text; raises ValueError for another form, for nothing, and above 100 years."""
    match = _FORM.fullmatch(text)
    if match is None:
        raise ValueError(f'"{text}" is no duration; write it in whole years, months, weeks or days, as in P1M or P14D')
    years, months, weeks, days = (int(part or 0) for part in match.groups())
    found = Duration(years * 12 + months, weeks * 7 + days)
    if found == NOTHING:
        raise ValueError(f'"{text}" is no time at all; write at least a day, as in P1D')
    if found.months > _MOST_MONTHS or found.days > _MOST_DAYS:
        raise ValueError(f'"{text}" is above a hundred years; write less')
    return found


@lru_cache(maxsize=1024)
def duration_words(duration: Duration) -> str:
    """A duration as one reads it after "every": "month", "3 months", "year and 14 days".

    >>> duration_words(parse_duration("P1M")), duration_words(parse_duration("P18M")), duration_words(Duration(0, 14))
    ('month', '18 months', '2 weeks')
    """
    months, days = duration
    words = []
    if months % 12 == 0 and months:
        words.append(_count(months // 12, "year"))
    elif months:
        words.append(_count(months, "month"))
    if days % 7 == 0 and days:
        words.append(_count(days // 7, "week"))
    elif days:
        words.append(_count(days, "day"))
    return " and ".join(words)


@lru_cache(maxsize=1024)
def length_words(duration: Duration) -> str:
    """A duration as a length: "1 month", "14 days"."""
    words = duration_words(duration)
    return words if words[0].isdigit() else f"1 {words}"


@lru_cache(maxsize=4096)
def day_words(day: date) -> str:
    """A day as it is read: "24 Dec 2026"."""
    return f"{day.day} {_MONTHS[day.month - 1]} {day.year}"


_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def _count(n: int, unit: str) -> str:
    return unit if n == 1 else f"{n} {unit}s"


def later(day: date, months: int, days: int) -> date:
    """The day so many months and then so many days later. Raises OverflowError after the year 9999."""
    if months:
        index = day.year * 12 + day.month - 1 + months
        year, month = index // 12, index % 12
        if year > 9999:
            raise OverflowError("the calendar ends with the year 9999")
        last = _DAYS_OF_MONTH[month]
        if month == 1 and year % 4 == 0 and (year % 100 != 0 or year % 400 == 0):
            last = 29
        day = date(year, month + 1, day.day if day.day <= last else last)
    return day + timedelta(days) if days else day


def first_instant(day: date, zone: ZoneInfo) -> datetime:
    """The first instant, in UTC, at which the zone's clocks show the day or, if they leap over it, a later one."""
    early, late = (datetime.combine(day, time(0, fold=fold), zone).astimezone(UTC) for fold in (0, 1))
    if early <= late:  # midnight exists; where it comes twice, the first counts
        return early
    early, late = late, early  # clocks leap over midnight: the leap lies between the two
    while late - early > timedelta(seconds=1):
        middle = early + (late - early) // 2
        middle = middle.replace(microsecond=0)
        if middle == early:
            break
        early, late = (early, middle) if middle.astimezone(zone).date() >= day else (middle, late)
    return late
