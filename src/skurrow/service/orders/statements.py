"""Reading bank statements: camt.053 (ISO 20022, any of its versions) and MT940 (SWIFT), as far as money came in."""

from __future__ import annotations

import hashlib
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import date
from typing import Any, Literal

import mt940
from lxml import etree

from skurrow.core.bounds import day, in_one_line
from skurrow.core.money import LARGEST, MINOR_UNITS, AmountError, parse_amount
from skurrow.core.problems import InvalidInput, Problem

LARGEST_FILE = 5_000_000
"""Bytes of a statement; a year of a small business's account is far below."""

_NOTHING = ("", "NOTPROVIDED")
_AMOUNT = re.compile(r"\+?[0-9]{1,15}(\.[0-9]{0,12})?")
"""A decimal of XML Schema (part 2, 3.2.3) with as many digits as ISO 20022 gives an amount; exponents are none."""

Format = Literal["camt.053", "MT940"]


@dataclass(frozen=True, slots=True)
class Credit:
    """Money that came in: `key` is the same for the same entry whatever statement it is in; `amount` in minor units.

    `text` holds everything that the payer has written, the structured reference first.
    """

    key: str
    account: str
    amount: int
    currency: str
    booked_on: date
    payer: str
    payer_account: str
    text: str


@dataclass(frozen=True, slots=True)
class Read:
    """A statement as it was read: the money that came in, in the order in which it was booked."""

    format: Format
    credits: list[Credit]


def read(content: bytes) -> Read:
    """Reads a statement. Raises InvalidInput where it is none, or too large."""
    if len(content) > LARGEST_FILE:
        raise _unreadable("The file is larger than 5 MB", "Have your bank send it in parts")
    start = content.lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith(b"<"):
        return Read("camt.053", _told_apart(_camt(start)))
    return Read("MT940", _told_apart(_mt940(content)))


def _unreadable(
    message: str, remedy: str = "Download the statement from your bank once more, as camt.053 or MT940"
) -> InvalidInput:
    return InvalidInput([Problem(("file",), message, remedy, "unreadable")])


def _told_apart(found: Iterator[Credit]) -> list[Credit]:
    """Entries that are alike in all that the bank says of them are told apart by counting them."""
    seen: dict[str, int] = {}
    told: list[Credit] = []
    for one in found:
        n = seen[one.key] = seen.get(one.key, 0) + 1
        key = hashlib.sha256(f"{one.key} {n}".encode()).hexdigest()[:32]
        told.append(replace(one, key=key))
    return told


def _money(text: str, currency: str) -> int:
    plain = text.strip()
    try:
        if not _AMOUNT.fullmatch(plain):  # looked at as text: a short number can stand for a gigantic one
            raise AmountError(plain)
        if "." in plain:
            plain = plain.rstrip("0").rstrip(".")
        minor = parse_amount(re.sub(r"^0+(?=[0-9])", "", plain.lstrip("+")), currency)
    except (AmountError, KeyError):
        raise _unreadable(f"“{text[:60]}” is no amount of {currency}") from None
    if minor > LARGEST:
        raise _unreadable(f"{text} {currency} is more than Skurrow reckons with")
    return minor


def _kept(payer: str, payer_account: str, written: str) -> tuple[str, str, str]:
    """What is kept of the words of an entry."""
    return in_one_line(payer)[:140], in_one_line(payer_account)[:40], in_one_line(written)[:1000]


# -- camt.053 ---------------------------------------------------------------------------------------------


def _camt(content: bytes) -> Iterator[Credit]:
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, remove_comments=True
    )
    try:
        root = etree.fromstring(content, parser)
    except etree.XMLSyntaxError as error:
        raise _unreadable(f"The file is no XML: {error.msg}") from None
    for element in root.iter(etree.Element):  # versions differ by their namespace only, as far as this goes
        element.tag = etree.QName(element).localname
    statements = root.findall("BkToCstmrStmt/Stmt")
    if not statements:
        raise _unreadable("The file is XML, but no camt.053 statement")
    for statement in statements:
        account = _text(statement, "Acct/Id/IBAN") or _text(statement, "Acct/Id/Othr/Id")
        for entry in statement.findall("Ntry"):
            if _text(entry, "CdtDbtInd") != "CRDT" or _text(entry, "RvslInd") == "true":
                continue
            if (_text(entry, "Sts/Cd") or _text(entry, "Sts")) not in ("BOOK", ""):
                continue
            yield from _entry(entry, account)


def _entry(entry: Any, account: str) -> Iterator[Credit]:
    booked = _text(entry, "BookgDt/Dt") or _text(entry, "BookgDt/DtTm") or _text(entry, "ValDt/Dt")
    on = day(booked[:10])
    if on is None:
        raise _unreadable(f"An entry has no day: “{booked[:40]}”")
    banks = _text(entry, "AcctSvcrRef")
    details = entry.findall("NtryDtls/TxDtls")
    for n, detail in enumerate(details if len(details) > 1 else [details[0] if details else entry]):
        several = len(details) > 1
        amount = detail.find("Amt") if several else entry.find("Amt")
        if amount is None:
            amount = detail.find("AmtDtls/TxAmt/Amt")
        if amount is None:
            raise _unreadable("An entry has no amount")
        currency = amount.get("Ccy", "")
        if currency not in MINOR_UNITS:
            raise _unreadable(f"“{currency}” is no currency")
        minor = _money(amount.text or "", currency)
        if minor == 0:
            continue
        structured = [e.text or "" for e in detail.iterfind("RmtInf/Strd/CdtrRefInf/Ref")]
        free = [e.text or "" for e in detail.iterfind("RmtInf/Ustrd")]
        end_to_end = _text(detail, "Refs/EndToEndId")
        written = " / ".join(part.strip() for part in [*structured, *free, end_to_end] if part.strip() not in _NOTHING)
        payer = _text(detail, "RltdPties/Dbtr/Nm") or _text(detail, "RltdPties/Dbtr/Pty/Nm")
        payer_account = _text(detail, "RltdPties/DbtrAcct/Id/IBAN")
        # The bank's own name for it; NtryRef is none, since many banks count it anew in each statement.
        named = f"{_text(detail, 'Refs/AcctSvcrRef') or banks} {n if several else 0}"
        alike = f"{written} {payer} {payer_account}" if named.startswith(" ") else named
        key = f"{on} {minor} {currency} {alike}"
        yield Credit(key, account, minor, currency, on, *_kept(payer, payer_account, written))


def _text(element: Any, path: str) -> str:
    found = element.find(path)
    return (found.text or "").strip() if found is not None else ""


# -- MT940 ------------------------------------------------------------------------------------------------


def _mt940(content: bytes) -> Iterator[Credit]:
    if b":61:" not in content and b":60F:" not in content and b":60M:" not in content:
        raise _unreadable("The file is neither camt.053 nor MT940")
    try:
        # A stream: a path would be opened.
        parsed = mt940.parse_statements(io.BytesIO(content), options=mt940.Options.all())
    except Exception as error:
        raise _unreadable(f"The MT940 file cannot be read ({type(error).__name__})") from None
    for statement in parsed:
        account = str(statement.data.get("account_identification") or "").split("/")[-1]
        for transaction in statement:
            found = transaction.data
            money = found.get("amount")
            if money is None or money.amount <= 0 or str(found.get("status", "C")).upper() != "C":
                continue
            on = found.get("entry_date") or found.get("date")
            if on is None:
                raise _unreadable("An entry has no day")
            booked_on = day(f"{on.year:04}-{on.month:02}-{on.day:02}")
            if booked_on is None:
                raise _unreadable("An entry has no day")
            minor = _money(str(money.amount), str(money.currency))
            names = ("purpose", "transaction_details", "extra_details", "customer_reference", "end_to_end_reference")
            parts = [str(found[name]).replace("\n", " ").strip() for name in names if found.get(name)]
            written = " / ".join(dict.fromkeys(part for part in parts if part and part != "NONREF"))
            reference = str(found.get("bank_reference") or "").strip()
            key = f"{booked_on} {minor} {money.currency} {reference} {written}"
            payer, payer_account = (str(found.get(name) or "") for name in ("applicant_name", "applicant_iban"))
            currency = str(money.currency)
            yield Credit(key, account, minor, currency, booked_on, *_kept(payer, payer_account, written))
