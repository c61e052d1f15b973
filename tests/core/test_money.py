"""Money: exact reading and writing, rounding, conversion, sharing."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.money import (
    LARGEST,
    MINOR_UNITS,
    AmountError,
    convert,
    divide_half_up,
    format_amount,
    included_tax,
    parse_amount,
    share,
)

CODES = st.sampled_from(sorted(MINOR_UNITS))


@given(st.integers(-LARGEST, LARGEST), CODES)
def test_what_is_written_reads_back(minor: int, code: str) -> None:
    text = format_amount(minor, code)
    assert parse_amount(text.removeprefix("-"), code) == abs(minor)
    assert len(text.partition(".")[2]) == MINOR_UNITS[code]


@pytest.mark.parametrize(
    ("text", "code", "says"),
    [
        ("48.000", "EUR", "EUR has 2 decimals, 48.000 has 3"),
        ("1.5", "JPY", "JPY has 0 decimals"),
        ("", "EUR", "is not an amount"),
        ("-1", "EUR", "is not an amount"),
        ("+1", "EUR", "is not an amount"),
        ("1e3", "EUR", "is not an amount"),
        ("1,00", "EUR", "is not an amount"),
        (" 1", "EUR", "is not an amount"),
        ("01", "EUR", "is not an amount"),
        (".5", "EUR", "is not an amount"),
        ("1.", "EUR", "is not an amount"),
        ("NaN", "EUR", "is not an amount"),
        ("١", "EUR", "is not an amount"),
        ("100000000.00", "EUR", "is above the largest amount, 99999999.99 EUR"),
    ],
)
def test_what_is_not_exactly_an_amount_is_refused(text: str, code: str, says: str) -> None:
    with pytest.raises(AmountError, match=says.replace(".", r"\.")):
        parse_amount(text, code)


@pytest.mark.parametrize(
    ("numerator", "denominator", "whole"),
    [(1, 2, 1), (-1, 2, -1), (3, 2, 2), (-3, 2, -2), (1, 3, 0), (2, 3, 1), (0, 7, 0), (5, 10, 1), (49, 100, 0)],
)
def test_halves_round_away_from_zero(numerator: int, denominator: int, whole: int) -> None:
    assert divide_half_up(numerator, denominator) == whole


@given(st.integers(0, LARGEST), st.decimals(0, Decimal("0.5"), places=5))
def test_included_tax_never_exceeds_its_total(total: int, rate: Decimal) -> None:
    tax = included_tax(total, rate)
    assert 0 <= tax <= total
    # The tax on the net, reckoned forwards, differs by the rounding of one division only.
    assert abs((total - tax) * rate - tax) <= 1


@pytest.mark.parametrize(
    ("minor", "code", "rate", "round_to", "less", "expected"),
    [
        (4800, "USD", "1.08", "1", "0.05", 5195),  # the contract's own example: 51.84 → 52 → 51.95
        (4800, "JPY", "170", "100", "0", 8200),
        (4800, "GBP", "0.86", "0.50", "0", 4150),  # 41.28 → 41.50
        (1, "JPY", "0.5", "100", "0", 1),  # nothing left: at least one unit
        (3, "USD", "1.08", "1", "0.05", 3),  # rounds to nothing: to the minor unit without both
        (0, "USD", "1.08", "1", "0.05", 0),
        (125, "GBP", "0.86", None, "0", 108),  # 1.075 → 1.08
        (2500, "GBP", "1", "10", "0", 3000),  # a half rounds up
    ],
)
def test_conversion(minor: int, code: str, rate: str, round_to: str | None, less: str, expected: int) -> None:
    step = None if round_to is None else Decimal(round_to)
    assert convert(minor, "EUR", code, Decimal(rate), step, Decimal(less)) == expected


weights = st.lists(st.integers(0, 10**9), min_size=1, max_size=60).filter(any)


@given(st.integers(0, LARGEST), weights)
def test_shares_add_up_and_are_in_proportion(amount: int, given_weights: list[int]) -> None:
    parts = share(amount, given_weights)
    assert sum(parts) == amount
    whole = sum(given_weights)
    for part, weight in zip(parts, given_weights, strict=True):
        assert abs(part - amount * weight / whole) < 1 + 1e-6 * part
        assert weight > 0 or part == 0
