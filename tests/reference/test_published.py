"""What ships as data or is computed, against published sources; each check names its own."""

from __future__ import annotations

import base64
import re
from datetime import UTC, date, datetime
from decimal import ROUND_HALF_UP, Decimal

import eu_vat_rates_data
import iso4217
import pytest
from babel import Locale
from hypothesis import given
from hypothesis import strategies as st
from standardwebhooks import Webhook
from stdnum import luhn

from skurrow.core.countries import COUNTRIES, EU
from skurrow.core.money import LARGEST, MINOR_UNITS, included_tax
from skurrow.core.tax.rates import Tables
from skurrow.run.installation import ROOT
from skurrow.service.context import Context
from skurrow.service.people.two_step import _step
from skurrow.standin.cards import CARDS


def test_minor_units_are_those_of_iso_4217() -> None:
    """Source: ISO 4217 list one as published 2026-01-01, through the package iso4217."""
    published = {c.code: c.exponent for c in iso4217.Currency if c.exponent is not None}
    assert published == MINOR_UNITS
    by_digits = {digits: sum(1 for d in MINOR_UNITS.values() if d == digits) for digits in (0, 3, 4)}
    assert by_digits == {0: 17, 3: 7, 4: 2}


def test_countries_are_those_of_iso_3166() -> None:
    """Source: territories of CLDR (Babel) with two letters, less CLDR's own codes that ISO 3166-1 does not assign."""
    not_iso = {"AC", "CP", "CQ", "DG", "EA", "EU", "EZ", "IC", "QO", "TA", "UN", "XA", "XB", "XK", "ZZ"}
    territories = {code for code in map(str, Locale("en").territories) if len(code) == 2 and code.isalpha()}
    assert territories - not_iso == COUNTRIES


def test_standard_rates_and_members_are_those_of_the_commission() -> None:
    """Source: European Commission, Taxes in Europe Database, through eu-vat-rates-data (MIT)."""
    published = {
        "GR" if code == "EL" else code: Decimal(str(row["standard"])) / 100
        for code, row in eu_vat_rates_data.get_all_rates().items()
        if row["eu_member"]
    }
    assert published.keys() == EU
    today = date.fromisoformat(eu_vat_rates_data.data_version)
    found = {place: Tables(()).find(place, "standard", today) for place in EU}
    assert published == {place: row and row.rate for place, row in found.items()}


@given(st.integers(0, LARGEST), st.sampled_from(["0.05", "0.055", "0.09", "0.21", "0.255", "0.08875", "0.27"]))
def test_included_tax_is_what_decimal_arithmetic_gives(total: int, rate: str) -> None:
    """Source: Python's decimal module (General Decimal Arithmetic), quantised half up."""
    share = Decimal(total) * Decimal(rate) / (1 + Decimal(rate))
    assert included_tax(total, Decimal(rate)) == int(share.quantize(Decimal(1), ROUND_HALF_UP))


@pytest.mark.parametrize(
    ("gross", "rate", "tax"),
    [("120.00", "0.20", "20.00"), ("1.20", "0.20", "0.20"), ("10.00", "0.20", "1.67"), ("119.00", "0.19", "19.00")],
)
def test_vat_fractions(gross: str, rate: str, tax: str) -> None:
    """Source: HMRC's VAT fraction, 1/6 of a gross amount at 20 % (from memory of VAT Notice 700)."""
    assert included_tax(int(Decimal(gross) * 100), Decimal(rate)) == int(Decimal(tax) * 100)


def test_card_numbers_of_the_stand_in_are_nobodys() -> None:
    """Source: ISO/IEC 7812 (Luhn; 79927398713 is its textbook example); a leading 9 is for national use only."""
    assert luhn.is_valid("79927398713")
    for card in CARDS:
        assert luhn.is_valid(card.number)
        assert card.number.startswith("9")
        assert len(card.number) == 16


def test_signatures_are_those_of_standard_webhooks() -> None:
    """Source: the test vector published with Standard Webhooks."""
    signed = Webhook("whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw").sign(
        "msg_p5jXN8AQM9LWM0D4loKWxJek", datetime.fromtimestamp(1614265330, UTC), '{"test": 2432232314}'
    )
    assert signed == "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE="


@pytest.mark.parametrize(
    ("seconds", "code"),
    [
        (59, "94287082"),
        (1111111109, "07081804"),
        (1111111111, "14050471"),
        (1234567890, "89005924"),
        (2000000000, "69279037"),
        (20000000000, "65353130"),
    ],
)
def test_codes_of_the_second_step_are_those_of_rfc_6238(seconds: int, code: str) -> None:
    """Source: RFC 6238, appendix B, the SHA-1 rows; ours have the last six of those eight digits."""
    key = base64.b32encode(b"12345678901234567890").decode()
    told = replace_now(datetime.fromtimestamp(seconds, UTC))
    assert _step(told, key, code[-6:]) == seconds // 30
    assert _step(told, key, f"{(int(code[-6:]) + 1) % 10**6:06}") != seconds // 30


def replace_now(now: datetime) -> Context:
    """Means that tell nothing but the time."""
    told = object.__new__(Context)
    told.now = lambda: now
    return told


def test_contrast_of_the_materials_is_that_of_wcag() -> None:
    """Source: WCAG 2.2, 1.4.3 (4.5 to 1 for text) and 1.4.11 (3 to 1 for what one operates), with its own formula."""
    tokens = (ROOT / "ui/src/kit/tokens.ts").read_text()
    dark, rest = tokens.split("export const Materials")
    schemes = [dict(re.findall(r"--([a-z-]+): (#[0-9a-f]{6})\b", block)) for block in (dark, rest)]

    def light(colour: str) -> float:
        parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        red, green, blue = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
        return 0.2126 * red + 0.7152 * green + 0.0722 * blue

    def contrast(one: str, other: str) -> float:
        high, low = sorted((light(one), light(other)), reverse=True)
        return (high + 0.05) / (low + 0.05)

    for scheme in schemes:
        for ground in ("paper", "sheet", "tape"):
            for ink in ("ink", "pencil", "slate", "verdigris", "madder"):
                assert contrast(scheme[ink], scheme[ground]) >= 4.5, (ink, ground, scheme)
            assert contrast(scheme["edge"], scheme[ground]) >= 3, ("edge", ground, scheme)
