"""The tape of what was sold says what the tape of the draft said on that day, from what the order has kept alone."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest

from skurrow.core.money import format_amount, parse_amount
from skurrow.core.quote.kept import KeptQuote
from skurrow.core.tape.sold import sold_tape
from tests.core.quote.test_quote import order, quoted
from tests.core.sites import edition, sold

DAY = date(2027, 1, 31)


def test_lines_taxes_and_what_comes_later_are_as_written() -> None:
    written = quoted(order({"price": "month"}), sold())
    due = parse_amount(written["due_today"], "EUR")
    tape = sold_tape(KeptQuote.model_validate(written), "EUR", "NL", DAY, due)
    by_kind = {kind: [row for row in tape.rows if row.kind == kind] for kind in ("line", "tax", "due", "later")}
    assert [(row.label, row.amount) for row in by_kind["line"]] == [
        (line["name"], line["subtotal"]) for line in written["lines"]
    ]
    assert [row.amount for row in by_kind["tax"]] == [tax["amount"] for tax in written["taxes"]]
    assert [row.reasons for row in by_kind["tax"]] == [(tax["reason"]["text"],) for tax in written["taxes"]]
    assert [(row.label, row.amount) for row in by_kind["due"]] == [("Due on 31 Jan 2027", written["due_today"])]
    assert [row.amount for row in by_kind["later"]] == [one["total"] for one in written["later"]]
    assert all(
        row.reasons[-1] == f"Tax in it: {one['tax']}."
        for row, one in zip(by_kind["later"], written["later"], strict=True)
    )


@pytest.mark.parametrize(
    ("total", "from_balance", "rows"),
    [
        (4800, 0, []),
        (4000, 800, [("From the balance", "-8.00")]),
        (3000, 0, [("Unused time, credited", "-18.00")]),
        (2000, 800, [("Unused time, credited", "-20.00"), ("From the balance", "-8.00")]),
    ],
)
def test_what_was_credited_or_paid_from_the_balance_leads_to_what_was_charged(
    total: int, from_balance: int, rows: list[tuple[str, str]]
) -> None:
    written = quoted(order({"price": "kit"}), edition())
    tape = sold_tape(KeptQuote.model_validate(written), "EUR", "NL", DAY, total, from_balance)
    assert [(row.label, row.amount) for row in tape.rows if row.kind == "discount"] == rows
    assert next(row.amount for row in tape.rows if row.kind == "due") == format_amount(total, "EUR")


def test_an_order_of_the_first_days_has_a_tape_too() -> None:
    least: dict[str, Any] = {"lines": [{"name": "Kit", "price": "kit", "total": "48.00", "tax": "8.33"}]}
    tape = sold_tape(KeptQuote.model_validate(least), "EUR", "NL", DAY, 4800)
    assert [(row.kind, row.amount, row.reasons) for row in tape.rows] == [("line", "48.00", ()), ("due", "48.00", ())]
