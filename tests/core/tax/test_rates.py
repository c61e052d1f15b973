"""The shipped tax tables: gaps and overlaps are found, dates count, the owner's rates go first."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal

import pytest
from click.testing import CliRunner

from skurrow.cli import main
from skurrow.core.places import at, region_of
from skurrow.core.site.tax import OwnRate
from skurrow.core.tax.numbers import read
from skurrow.core.tax.rates import Rate, Tables, doubts, shipped

DAY = date(2026, 11, 24)
ROW = Rate("XX", "standard", "VAT", Decimal("0.2"), "made up", True, date(2024, 1, 1), date(2024, 12, 31))


def test_the_shipped_tables_have_neither_gaps_nor_overlaps() -> None:
    assert list(doubts(shipped())) == []


@pytest.mark.parametrize(
    ("windows", "words"),
    [
        ([("2024-01-01", "2024-12-31"), ("2025-01-02", None)], "no rate from 2025-01-01 until 2025-01-01"),
        ([("2024-01-01", "2024-12-31"), ("2024-12-31", None)], "two rates on 2024-12-31: 0.2 and 0.2"),
        ([("2024-01-01", None), ("2025-01-01", None)], "two rates on 2025-01-01: 0.2 and 0.2"),
        ([("2024-01-01", "2024-12-31")], "no rate after 2024-12-31"),
        ([("2024-02-01", "2024-01-01"), ("2024-01-02", None)], "ends on 2024-01-01, before it begins on 2024-02-01"),
    ],
)
def test_gaps_and_overlaps_are_found(windows: list[tuple[str, str | None]], words: str) -> None:
    rows = [
        replace(ROW, from_=date.fromisoformat(first), until=date.fromisoformat(last) if last else None)
        for first, last in windows
    ]
    assert words in [doubt.words for doubt in doubts(rows)]


def test_the_owners_rate_goes_before_the_shipped_one_and_the_longest_prefix_before_others() -> None:
    own = [
        OwnRate(place="NL", name="Btw", rate=Decimal("0.22")),
        OwnRate(place="US-NY", name="Tax", rate=Decimal("0.04")),
        OwnRate(place="US-NY", postal_prefix="100", name="Tax", rate=Decimal("0.08875")),
        OwnRate(place="US-NY", postal_prefix="10001", name="Tax", rate=Decimal("0.09")),
    ]
    tables = Tables(own)
    found = [
        ("NL", "standard", None),
        ("NL", "book", None),
        ("US-NY", "standard", "12207"),
        ("US-NY", "map", "10001-12"),
    ]
    assert [str(rate.rate) for one in found if (rate := tables.find(one[0], one[1], DAY, one[2]))] == [
        *("0.22", "0.09", "0.04", "0.09"),
    ]
    assert tables.find("US-OR", "standard", DAY) is None
    assert tables.find("NL", "book", date(2021, 6, 30)) is not None, "the owner's standard rate stands in"


def test_places_without_a_postal_code_are_the_mainland_and_regions_may_be_written_short() -> None:
    assert at("ES", None, None, "goods").eu
    assert at("ES", "ES-CN", None, "goods").tables == "IC"
    assert [region_of("US", text, None) for text in ("ny", "US-NY", " NY ")] == ["US-NY"] * 3
    assert region_of("US", None, "00000") is None


@pytest.mark.parametrize("number", ["", "X", "DE", "DE123456789", "NL004495446B01", "XI123", "GB1"])
def test_what_is_no_tax_number_is_none(number: str) -> None:
    assert read(number, "DE") is None


def test_the_command_lists_rates_and_says_how_old_they_are() -> None:
    done = CliRunner().invoke(main, ["rates", "PT-20", "FI", "--on", "2025-12-31"])
    assert done.exit_code == 0
    assert "FI book: VAT 14 % since 2025-01-01, from memory." in done.output
    assert "PT-20 standard: VAT 16 %" in done.output
    assert "no gaps and overlaps" in done.output
    assert "days old, compared. European Commission" in done.output
