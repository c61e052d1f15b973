"""Input that was made to break its reader: depth, digits, letters, days. Each is refused in words, in no time."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from skurrow.cli import main
from skurrow.core import bounds
from skurrow.core.check.site import check_text
from skurrow.core.edition import compile_site
from skurrow.core.money import AmountError, parse_amount
from skurrow.core.problems import InvalidInput
from skurrow.core.products import product_csv
from skurrow.core.site.mending import mended
from skurrow.core.site.values import origin_of
from skurrow.core.subscriptions import members_csv
from skurrow.run.installation import ROOT
from skurrow.service.orders import statements
from tests.service.statements import camt

DEMO = (ROOT / "demo" / "site.yaml").read_text()
SECONDS = 5.0
"""A reader that is led to take gigabytes, or hours, takes longer than this on any machine."""


def named(name: str) -> str:
    return DEMO.replace("name: Ostrel Bindery\n", f"{name}\n", 1)


@contextmanager
def in_no_time() -> Iterator[None]:
    began = time.monotonic()
    yield
    assert time.monotonic() - began < SECONDS


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("[" * 20_000, "nested more than"),
        ("{a: " * 20_000, "nested more than"),
        ("a:\n" + "".join(f"{' ' * n}b:\n" for n in range(1, 400)), "nested more than"),
        (DEMO.replace("stock: 40", f"stock: {'9' * 5000}"), "digits"),
        (DEMO.replace("stock: 40", "stock: ²"), "whole number"),
        (named('name: "Ostrel\\nBcc: all@example.org"'), "several lines"),
        (named('name: "Ostrel\\u202eyrednib"'), "cannot be shown"),
        (named('name: "Ost\\u200brel"'), "cannot be shown"),
        (named('name: "Ostrel\\ufffe"'), "cannot be kept"),
        (named('name: "Ostrel\\ud800"'), ""),
        (DEMO.replace("from: 2026-01-01", "from: 0001-01-01"), "no date"),
        ('{"format": ' * 5000, "nested more than"),
        ("[1, 2]: {a: b}", "no text"),
        ("&a [*a, *a]", ""),
    ],
)
def test_a_site_file_that_was_made_to_break_its_reader_is_told_what_is_wrong(text: str, says: str) -> None:
    with in_no_time(), pytest.raises(InvalidInput) as refused:
        check_text(text)
    assert any(says in problem.message for problem in refused.value.problems), refused.value.problems


@pytest.mark.parametrize(
    "content",
    [b"[" * 20_000, b"[" * 900 + b"]" * 900, b"9" * 5000, b'"\\ud800"', b'"\\u0000"', b"1e999", b"NaN", b"{", b"\xff"],
)
def test_json_is_read_within_bounds(content: bytes) -> None:
    with in_no_time(), pytest.raises(InvalidInput):
        bounds.json_value(content)


json_values = st.recursive(
    st.none() | st.booleans() | st.integers(-(10**17), 10**17) | st.text(st.characters(codec="utf-8"), max_size=20),
    lambda inside: st.lists(inside, max_size=4) | st.dictionaries(st.text(max_size=5), inside, max_size=4),
    max_leaves=30,
)


@given(json_values)
def test_json_that_is_read_is_what_was_written_or_is_refused(value: Any) -> None:
    if bounds.beyond(value) is None:
        assert bounds.json_value(json.dumps(value)) == value
    else:
        with pytest.raises(InvalidInput):
            bounds.json_value(json.dumps(value))


@given(st.text())
def test_what_stands_on_one_line_does_and_can_be_kept(text: str) -> None:
    line = bounds.in_one_line(text)
    assert bounds.one_line(line) == line
    assert len(line.splitlines()) <= 1
    line.encode()


@pytest.mark.parametrize("amount", ["1E+500000000", "1E-500000000", "9" * 5000, "²", "NaN", "Infinity", "1e9", "٣"])
def test_a_short_amount_that_stands_for_a_gigantic_one_is_none(amount: str) -> None:
    with in_no_time():
        with pytest.raises(InvalidInput, match="no amount"):
            statements.read(camt([("48.00", "RF1", "J")]).replace(b"48.00", amount.encode()))
        with pytest.raises(AmountError):
            parse_amount(amount, "EUR")


def test_amounts_as_banks_write_them_are_read() -> None:
    for written, minor in (("48.00", 4800), ("48", 4800), ("0048.50", 4850), ("+48.0000", 4800)):
        (credit,) = statements.read(camt([("48.00", "RF1", "J")]).replace(b"48.00", written.encode())).credits
        assert credit.amount == minor


@pytest.mark.parametrize(
    ("column", "value"),
    [("quantity", "²"), ("quantity", "9" * 5000), ("next_on", "9999-12-31"), ("next_on", "0001-01-01"),
     ("amount", "1E+500000000"), ("email", "a\x00@example.org"), ("next_on", "2036-12-31T00")],
)  # fmt: skip
def test_a_row_of_customers_that_was_made_to_break_its_reader_is_named(column: str, value: str) -> None:
    cells = {"email": "jo@example.org", "name": "Jo", "country": "NL", "price": "parcel-month", "next_on": "2027-03-01"}
    cells[column] = value
    rows, problems = members_csv.read(",".join(cells) + "\n" + ",".join(cells.values()) + "\n")
    assert problems == []
    with in_no_time():
        found, problems = members_csv.understand(compile_site(check_text(DEMO)), rows, date(2026, 11, 30))
    assert found == []
    assert column in {one.column for one in problems}


@pytest.mark.parametrize("value", ["²", "9" * 5000, "-1", "1e5", "٣"])
def test_a_stock_in_a_csv_that_is_no_number_is_named(value: str) -> None:
    text = f"product_id,price_id,product_stock\nkit,kit,{value}\n"
    with in_no_time():
        found = product_csv.read(text, {}, ["EUR"])
    assert [(one.row, one.column) for one in found.problems] == [(2, "product_stock")]


@pytest.mark.parametrize(
    "order",
    ["[" * 20_000, "9" * 5000, '{"at": "0001-01-01T00:00:00Z", "currency": "EUR", "items": [{"price": "kit"}],'
     ' "buyer": {"country": "NL"}}', '{"a": "\\ud800"}', "null", '{"at": 1e999}'],
)  # fmt: skip
def test_the_command_line_says_what_is_wrong_and_never_where_it_fell(order: str, tmp_path: Path) -> None:
    site, asked = tmp_path / "site.yaml", tmp_path / "order.json"
    site.write_text(DEMO)
    asked.write_text(order)
    done = CliRunner().invoke(main, ["quote", str(site), str(asked)])
    assert (done.exit_code, type(done.exception)) == (2, SystemExit)
    assert "errors" in json.loads(done.output)


@pytest.mark.parametrize(
    "address",
    ["https://shop.example;script-src *", "https://a.example;frame-ancestors", "https://user:pw@a.example/",
     "https://a.example/#x", "javascript:alert(1)", "https://a b.example/", "https://a'b.example", "https://",
     "data:text/html,x", "https://*.example", 'https://a.example"x'],
)  # fmt: skip
def test_an_address_of_the_website_carries_nothing_into_a_policy(address: str) -> None:
    try:
        site = check_text(DEMO.replace('url: "http://ostrel.localhost:8403"', f"url: {json.dumps(address)}"))
    except InvalidInput:
        return
    assert not set(origin_of(site.site.url)) & set("; '\"*,"), site.site.url


@pytest.mark.parametrize(
    ("written", "read"),
    [("https://Großhandel.example:443/", "https://xn--grohandel-i1a.example"),
     ("HTTP://Ostrel.example:8080/a b;c?d=e'f", "http://ostrel.example:8080/a%20b%3Bc?d=e%27f")],
)  # fmt: skip
def test_an_address_is_put_together_anew(written: str, read: str) -> None:
    site = check_text(DEMO.replace('url: "http://ostrel.localhost:8403"', f"url: {json.dumps(written)}"))
    assert site.site.url == read


def test_what_was_stored_before_these_bounds_is_still_read() -> None:
    old = {"name": "Ostrel\nBindery", "url": "https://a.example;script-src", "text": "two\nlines", "from": "0001-01-01"}
    new = {"name": "Ostrel Bindery", "url": "https://a.examplescript-src", "text": "two\nlines", "from": "1900-01-01"}
    assert mended({"products": [old]}) == {"products": [new]}


def test_an_instant_has_a_day_wherever_it_is_read() -> None:
    assert bounds.instant_within(datetime(2026, 11, 30, tzinfo=UTC))
    for year in (1, 1899):
        with pytest.raises(ValueError, match="is not between"):
            bounds.instant_within(datetime(year, 6, 1, tzinfo=UTC))
