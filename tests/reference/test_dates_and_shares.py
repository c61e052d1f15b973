"""Dates, shares, conversions and formats against general libraries; each check names its own."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from zoneinfo import ZoneInfo

import pytest
import whenever
from apportionment import methods  # type: ignore[import-untyped]
from dateutil.relativedelta import relativedelta
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.durations import Duration, first_instant, later, parse_duration
from skurrow.core.money import LARGEST, MINOR_UNITS, convert, format_amount, parse_amount, share
from skurrow.core.rhythm import Rhythm

DAYS = st.dates(date(1990, 1, 1), date(2100, 12, 31))


@given(DAYS, st.integers(0, 600), st.integers(0, 4000))
def test_months_then_days_are_those_of_dateutil_and_whenever(day: date, months: int, days: int) -> None:
    """Source: dateutil.relativedelta, and the package whenever: months first, clipped to the month's last day."""
    ours = later(day, months, days)
    assert ours == day + relativedelta(months=months) + timedelta(days=days)
    assert ours == whenever.Date(day.isoformat()).add(months=months).add(days=days).to_stdlib()


@pytest.mark.parametrize(
    ("from_day", "every", "expected"),
    [
        ("2024-01-31", "P1M", ["2024-02-29", "2024-03-31", "2024-04-30", "2024-05-31"]),
        ("2024-02-29", "P1Y", ["2025-02-28", "2026-02-28", "2027-02-28", "2028-02-29"]),
        ("2026-08-31", "P1M", ["2026-09-30", "2026-10-31", "2026-11-30", "2026-12-31"]),
    ],
)
def test_month_ends_and_leap_days(from_day: str, every: str, expected: list[str]) -> None:
    """Source: worked examples, as dateutil and whenever give them for "anchor + n months"."""
    start = date.fromisoformat(from_day)
    rhythm = Rhythm("recurring", parse_duration(every))
    assert [str(rhythm.day(start, n)) for n in range(1, 5)] == expected
    for n in range(60):
        assert rhythm.day(start, n) == start + relativedelta(months=n * rhythm.every.months)


ZONES = (
    "Europe/Amsterdam",
    "Africa/Cairo",
    "America/Havana",
    "Asia/Beirut",
    "America/Sao_Paulo",
    "Pacific/Apia",
    "UTC",
)


@given(st.dates(date(1995, 1, 1), date(2037, 12, 30)), st.sampled_from(ZONES))
def test_a_day_begins_when_whenever_says(day: date, zone: str) -> None:
    """Source: the package whenever, start_of_day, over the IANA time zone database."""
    ours = first_instant(day, ZoneInfo(zone))
    noon = whenever.ZonedDateTime(day.year, day.month, day.day, 12, tz=zone)
    if noon.date().to_stdlib() == day:  # Samoa left out a day
        assert ours.timestamp() == noon.start_of("day").timestamp()
    assert ours.astimezone(ZoneInfo(zone)).date() >= day
    assert (ours - timedelta(seconds=1)).astimezone(ZoneInfo(zone)).date() < day


def test_a_midnight_that_does_not_exist() -> None:
    """Source: IANA time zone database: Egypt leapt from 00:00 to 01:00 on 2026-04-24."""
    assert first_instant(date(2026, 4, 24), ZoneInfo("Africa/Cairo")) == datetime(2026, 4, 23, 22, tzinfo=UTC)
    assert first_instant(date(2011, 12, 30), ZoneInfo("Pacific/Apia")) == datetime(2011, 12, 30, 10, tzinfo=UTC)


@pytest.mark.parametrize("text", ["P1Y", "P18M", "P2W", "P14D", "P1Y6M2W3D"])
def test_durations_are_those_of_iso_8601(text: str) -> None:
    """Source: ISO 8601 as the package whenever reads it."""
    parts = dict(whenever.ItemizedDateDelta.parse_iso(text).items())
    months, days = parts.get("years", 0) * 12 + parts.get("months", 0), parts.get("weeks", 0) * 7 + parts.get("days", 0)
    assert parse_duration(text) == Duration(months, days)


@given(st.integers(0, 10_000), st.lists(st.integers(0, 500), min_size=1, max_size=12))
def test_shares_are_those_of_the_largest_remainder(amount: int, weights: list[int]) -> None:
    """Source: the package apportionment, method of the largest remainder (Hamilton), where it knows no tie; and what
    the method promises: shares add up, none is off by a whole unit, a zero weight gets nothing."""
    if not any(weights) or not amount:
        return
    ours = share(amount, weights)
    assert sum(ours) == amount
    whole = sum(weights)
    for part, weight in zip(ours, weights, strict=True):
        assert abs(Fraction(part) - Fraction(amount * weight, whole)) < 1
        assert weight or part == 0
    try:
        theirs = methods.compute("hamilton", weights, amount, fractions=True, tiesallowed=False)
    except methods.TiesException:
        return
    assert ours == [int(part) for part in theirs]


def test_ties_go_to_the_earlier() -> None:
    """Source: worked by hand: three equal weights, one unit left over."""
    assert share(100, [1, 1, 1]) == [34, 33, 33]
    assert share(5, [0, 1, 1]) == [0, 3, 2]


@given(
    st.integers(1, 9_999_999),
    st.sampled_from(["0.86", "1.08", "170", "0.3042", "0.0031"]),
    st.sampled_from(["GBP", "JPY", "KWD", "UYW"]),
    st.sampled_from([None, "0.5", "0.05", "1", "100"]),
    st.sampled_from(["0", "0.05", "0.01"]),
)
def test_conversions_are_what_decimal_arithmetic_gives(
    minor: int, rate: str, currency: str, step: str | None, less: str
) -> None:
    """Source: Python's decimal module (General Decimal Arithmetic), quantised half up."""
    units = Decimal(minor) / 100 * Decimal(rate)
    rounded = units if step is None else (units / Decimal(step)).quantize(Decimal(1), ROUND_HALF_UP) * Decimal(step)
    one = Decimal(10) ** -MINOR_UNITS[currency]
    expected = (rounded - Decimal(less)).quantize(one, ROUND_HALF_UP)
    if expected <= 0:
        expected = max(one, units.quantize(one, ROUND_HALF_UP))
    got = convert(minor, "EUR", currency, Decimal(rate), Decimal(step) if step else None, Decimal(less))
    assert got == int(expected / one)


@given(st.integers(0, LARGEST), st.sampled_from(sorted(MINOR_UNITS)))
def test_every_currency_is_written_and_read_exactly(minor: int, currency: str) -> None:
    """Source: ISO 4217 minor units; scaled by the decimal module."""
    text = format_amount(minor, currency)
    assert parse_amount(text, currency) == minor
    assert Decimal(text).scaleb(MINOR_UNITS[currency]) == minor
    assert len(text.partition(".")[2]) == MINOR_UNITS[currency]
