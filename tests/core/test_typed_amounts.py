"""Amounts as spreadsheets of several countries write them, read as the desk's fields read them."""

from __future__ import annotations

from decimal import Decimal

import pytest
from babel.numbers import format_decimal
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.money import AmountError, format_amount, parse_amount
from skurrow.core.typed_amounts import as_amount


@pytest.mark.parametrize(
    ("typed", "currency", "amount"),
    [
        ("18,50", "EUR", "18.50"),
        ("18.50", "EUR", "18.50"),
        ("18,5", "EUR", "18.5"),
        ("1.234,50", "EUR", "1234.50"),
        ("1,234.50", "EUR", "1234.50"),
        ("1 234,50", "EUR", "1234.50"),
        ("1\u202f234,50 €", "EUR", "1234.50"),
        ("EUR 18,50", "EUR", "18.50"),
        ("18,-", "EUR", "18"),
        ("1.234.567", "EUR", "1234567"),
        ("1,234", "JPY", "1234"),
        ("0,5", "EUR", "0.5"),
        (",50", "EUR", "0.50"),
        ("1,500", "JPY", "1500"),
        ("1.500", "JPY", "1500"),
        ("1.500", "EUR", "1.500"),
    ],
)
def test_an_amount_is_read_as_it_is_written(typed: str, currency: str, amount: str) -> None:
    assert as_amount(typed, currency) == amount


def test_one_that_can_be_two_is_asked_about() -> None:
    with pytest.raises(AmountError, match=r"can be 1234 or 1\.234; write it without the comma"):
        as_amount("1,234", "EUR")


@pytest.mark.parametrize("typed", ["", "x", "1,2,3", "12,34,56", "1.2.3,4", "-5,00", "1'23", "٣,٥٠", "9" * 60])
def test_what_is_no_amount_stays_as_it_is_and_is_refused(typed: str) -> None:
    assert as_amount(typed, "EUR") == typed
    with pytest.raises(AmountError):
        parse_amount(as_amount(typed, "EUR"), "EUR")


@given(
    minor=st.integers(0, 99_999_999),
    currency=st.sampled_from(["EUR", "JPY", "USD"]),
    locale=st.sampled_from(["de", "nl", "fr", "sv", "en", "de_CH", "pl", "pt_PT", "da"]),
)
def test_what_cldr_writes_is_read_back(minor: int, currency: str, locale: str) -> None:
    """Source: CLDR's number formats, through Babel."""
    exact = format_amount(minor, currency)
    pattern = "#,##0.00" if "." in exact else "#,##0"
    written = format_decimal(Decimal(exact), pattern, locale=locale)
    assert parse_amount(as_amount(written, currency), currency) == minor
