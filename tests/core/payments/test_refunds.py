"""What of an order can be given back, and the tax in it."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.order import read_order
from skurrow.core.payments.refunds import Asked, Part, refund, refund_until, sold
from skurrow.core.problems import InvalidInput
from skurrow.core.quote.quote import quote
from tests.core.quote.test_taxing import EDITIONS, PLACES, SITE, WANTED, order, site


def quoted(under: Any, *items: Any, **more: Any) -> dict[str, Any]:
    return quote(under, read_order(order(*items, **more))).as_json()


def given_back(under: Any, found: dict[str, Any], *steps: list[Asked]) -> list[list[Part]]:
    """One refund after the other."""
    earlier: list[list[dict[str, Any]]] = []
    made = []
    for step in steps:
        parts = refund(sold(under, found, earlier), step, found["currency"])
        earlier.append([one.as_json(found["currency"]) for one in parts])
        made.append(parts)
    return made


def test_the_tax_of_a_refund_follows_the_contract() -> None:
    """round(tax × refunded so far ÷ total) minus the tax already refunded: 48.00 with 8.33 tax, in thirds."""
    found = quoted(SITE, "kit", delivery=None)
    assert (found["lines"][0]["total"], found["lines"][0]["tax"]) == ("48.00", "8.33")
    steps = given_back(SITE, found, *([Asked(0, "16.00")] for _ in range(3)))
    assert [parts[0].tax for parts in steps] == [278, 277, 278]  # 8.33/3 = 2.7767: 2.78, then 5.55 and 8.33 in all
    with pytest.raises(InvalidInput, match=r"At most 0\.00 EUR"):
        given_back(SITE, found, *([Asked(0, "16.00")] for _ in range(4)))


def test_delivery_goes_back_over_the_rates_it_was_taxed_at() -> None:
    found = quoted(SITE, "kit", "handbook-print", delivery="post") if "handbook-print" in str(SITE) else None
    found = found or quoted(SITE, "kit", delivery="post")
    whole = found["delivery"]["total"]
    (parts,) = given_back(SITE, found, [Asked(None, whole)])
    assert sum(part.amount for part in parts) == int(Decimal(whole) * 100)
    assert sum(part.tax for part in parts) == int(Decimal(found["delivery"]["tax"]) * 100)


@pytest.mark.parametrize(
    ("asked", "where", "code"),
    [
        (Asked(0, "48.01"), "parts[0].amount", "too_much"),
        (Asked(0, "x"), "parts[0].amount", "invalid"),
        (Asked(0, "0.00"), "parts", "missing"),
        (Asked(7, "1.00"), "parts[0].line", "unknown"),
        (Asked(None, "1.00"), "parts[0].line", "unknown"),
        (Asked(0, "1.00", 2), "parts[0].put_back", "too_much"),
    ],
)
def test_what_cannot_be_given_back_is_named(asked: Asked, where: str, code: str) -> None:
    with pytest.raises(InvalidInput) as refused:
        given_back(SITE, quoted(SITE, "kit", delivery=None), [asked])
    assert [(p.where, p.code) for p in refused.value.problems] == [(where, code)]


def test_a_line_named_twice_is_refused_and_all_problems_come_at_once() -> None:
    with pytest.raises(InvalidInput) as refused:
        given_back(SITE, quoted(SITE, "kit", delivery=None), [Asked(0, "1"), Asked(0, "1"), Asked(3, "1")])
    assert [p.where for p in refused.value.problems] == ["parts[1].line", "parts[2].line"]


def test_several_taxes_go_back_each_to_its_place() -> None:
    """49.90 in Quebec bears GST 2.50 and QST 4.98."""
    quebec = site(
        tax={"registrations": [{"place": "NL"}, {"place": "CA"}, {"place": "CA-QC"}], "included": False},
        products=[
            {
                "id": "film",
                "name": "Film",
                "kind": "digital",
                "prices": [{"id": "film", "kind": "once", "amount": {"EUR": "49.90"}}],
            }
        ],
    )
    found = quoted(quebec, "film", delivery=None, buyer={"country": "CA", "region": "QC"})
    assert found["due_today"] == "57.38"
    half, rest = given_back(quebec, found, [Asked(0, "28.69")], [Asked(0, "28.69")])
    taxes = [[(tax.place, tax.amount) for tax in parts[0].taxes] for parts in (half, rest)]
    assert taxes == [[("CA", 125), ("CA-QC", 249)], [("CA", 125), ("CA-QC", 249)]]


def test_the_last_day_is_counted_from_the_payment() -> None:
    under = site(products=[{**SITE.site.products[0].model_dump(mode="json", exclude_none=True), "refund_days": 14}])
    price = under.site.products[0].prices[0].id
    assert refund_until(under, price, date(2026, 11, 26)) == date(2026, 12, 10)
    assert refund_until(SITE, "kit", date(2026, 11, 26)) is None


@given(
    st.sampled_from(EDITIONS),
    WANTED,
    PLACES,
    st.lists(st.integers(1, 100), min_size=1, max_size=5),
)
def test_everything_given_back_in_any_steps_gives_all_tax_back(
    under: Any, items: list[Any], to: str, shares: list[int]
) -> None:
    found = quoted(under, *items, to=to)
    earlier: list[list[dict[str, Any]]] = []
    currency = found["currency"]
    for n, percent in enumerate([*shares, 100]):
        parts = sold(under, found, earlier)
        lines = list(dict.fromkeys(part.line for part in parts))
        last = n == len(shares)
        asked = []
        for line in lines:
            left = sum(part.left for part in parts if part.line == line)
            amount = left if last else left * percent // 100
            if amount:
                asked.append(Asked(line, f"{amount / 100:.2f}"))
        if not asked:
            continue
        made = refund(parts, asked, currency)
        for one in made:
            assert sum(tax.amount for tax in one.taxes) == one.tax
        earlier.append([one.as_json(currency) for one in made])
    back = [part for parts in earlier for part in parts]
    assert sum(Decimal(part["total"]) for part in back) == Decimal(found["due_today"])
    assert sum(Decimal(part["tax"]) for part in back) == Decimal(found["tax_total"])
    for tax in found["taxes"]:
        mark = [tax[name] for name in ("place", "name", "rate", "treatment")]
        mine = [
            t for part in back for t in part["taxes"] if [t[n] for n in ("place", "name", "rate", "treatment")] == mark
        ]
        assert sum(Decimal(t["amount"]) for t in mine) == Decimal(tax["amount"])
        assert sum(Decimal(t["base"]) for t in mine) == Decimal(tax["base"])
