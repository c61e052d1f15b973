"""Discounts: which apply, in which order, to what, for how long; and what they never do."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.edition import Edition
from skurrow.core.money import parse_amount
from skurrow.core.order import QuoteRefused
from tests.core.quote.test_charges import SHOP, quoted
from tests.core.sites import shop, sold


def with_coupons(*coupons: dict[str, Any]) -> Edition:
    return sold(coupons=list(coupons))


def discounts(result: dict[str, Any]) -> list[str]:
    return [line["discount"] for line in result["lines"]]


def notes(result: dict[str, Any]) -> list[str]:
    return [note["code"] for note in result["notes"] if note["code"].startswith("coupon")]


@pytest.mark.parametrize(
    ("items", "coupons", "taken", "due"),
    [
        (["kit", "handbook"], ["BIND10"], ["4.80", "0.00"], "61.20"),
        ([{"price": "kit", "quantity": 3}], ["BIND10"], ["14.40"], "129.60"),
        (["month"], ["FIRST3"], ["12.00"], "12.00"),
        (["kit", "handbook"], ["FIVER"], ["3.64", "1.36"], "61.00"),  # 5.00 over 48.00 and 18.00
        (["handbook"], ["TENNER", "BIND10"], ["10.00"], "8.00"),
        (["handbook", "handbook"], ["TENNER"], ["5.00", "5.00"], "26.00"),
        (["handbook"], ["TENNER", "FIRST3"], ["14.00"], "4.00"),  # half of what the first left
        (["handbook"], ["FIRST3", "TENNER"], ["18.00"], "0.00"),  # never below zero
        ([{"price": "kit", "own_discount": {"percent": "10"}}], ["BIND10"], ["9.12"], "38.88"),
        ([{"price": "kit", "own_discount": {"amount": "50.00"}}], [], ["48.00"], "0.00"),
        (["kit", "year"], ["TENNER"], ["10.00", "0.00"], "38.00"),  # today's lines bear it all
        (["press-4"], ["FIRST3"], ["56.00"], "56.00"),
        (["moved"], ["FIRST3"], ["0.00"], "0.00"),
        (["kit"], ["BIND10", "BIND10"], ["4.80"], "43.20"),  # named twice counts once
    ],
)
def test_what_is_taken_off_today(items: list[Any], coupons: list[str], taken: list[str], due: str) -> None:
    result = quoted(*items, coupons=coupons)
    assert (discounts(result), result["due_today"]) == (taken, due)
    assert parse_amount(result["discount_total"], "EUR") == sum(parse_amount(one, "EUR") for one in taken)


def totals(result: dict[str, Any], n: int = 4) -> list[str]:
    return [result["due_today"], *(day["total"] for day in result["later"][: n - 1])]


@pytest.mark.parametrize(
    ("item", "coupon", "expected"),
    [
        ("month", {"percent": "50"}, ["12.00", "24.00", "24.00", "24.00"]),
        ("month", {"percent": "50", "renewals": 2}, ["12.00", "12.00", "24.00", "24.00"]),
        ("month", {"percent": "50", "renewals": "all"}, ["12.00", "12.00", "12.00", "12.00"]),
        ("taste", {"percent": "50"}, ["3.00", "6.00", "24.00", "24.00"]),
        ("taste", {"percent": "50", "renewals": 3}, ["3.00", "3.00", "12.00", "24.00"]),
        ("month", {"amount": {"EUR": "5.00"}}, ["19.00", "24.00", "24.00", "24.00"]),
        ("month", {"amount": {"EUR": "5.00"}, "renewals": 2}, ["19.00", "19.00", "24.00", "24.00"]),
        ("year", {"percent": "10"}, ["0.00", "216.00", "240.00"]),
        ("year", {"amount": {"EUR": "40.00"}}, ["0.00", "200.00", "240.00"]),
        ("press-4", {"percent": "10"}, ["100.80", "100.80", "100.80", "100.80"]),
        ("press-4", {"percent": "10", "renewals": 2}, ["100.80", "100.80", "112.00", "112.00"]),
        ("press-4", {"amount": {"EUR": "12.00"}}, ["100.00", "112.00", "112.00", "112.00"]),
        ("almanac", {"percent": "10"}, ["0.00", "27.00"]),
    ],
)
def test_discounts_over_time(item: str, coupon: dict[str, Any], expected: list[str]) -> None:
    under = with_coupons({"id": "C", **coupon})
    assert totals(quoted(item, coupons=["C"], under=under, at="2026-02-10T10:00:00Z"))[:4] == expected[:4]


def test_a_second_set_bears_no_discount_of_the_first_unless_it_is_for_all() -> None:
    first = quoted("press-hire", coupons=["C"], under=with_coupons({"id": "C", "percent": "50"}))
    every = quoted("press-hire", coupons=["C"], under=with_coupons({"id": "C", "percent": "50", "renewals": "all"}))
    assert [day["total"] for day in first["later"]] == ["10.50"] * 4 + ["21.00"] * 2
    assert {day["total"] for day in every["later"]} == {"10.50"}
    assert first["later"][0]["reasons"][1]["text"] == "C: 50 % off, 10.50 less, charge 2 of 5."


def test_an_amount_for_every_charge_is_shared_anew_over_what_is_due_then() -> None:
    result = quoted("month", "quarter", coupons=["EACH"])
    assert discounts(result) == ["0.80", "2.20"]
    assert [day["total"] for day in result["later"]][:3] == ["21.00", "21.00", "87.00"]


def test_an_amount_goes_over_first_charges_where_nothing_is_charged_today() -> None:
    products = shop()["products"]
    products[6]["prices"][0]["start"] = {"free": "P7D"}
    result = quoted("month", "year", coupons=["TENNER"], under=sold(products=products), at="2026-02-10T10:00:00Z")
    assert result["due_today"] == "0.00"
    assert [(day["on"], day["total"]) for day in result["later"]][:2] == [
        ("2026-02-17", "23.09"),
        ("2026-02-24", "230.91"),
    ]


def test_automatic_coupons_come_first_in_file_order() -> None:
    under = with_coupons(
        {"id": "typed", "amount": {"EUR": "8.00"}},
        {"id": "spring", "percent": "50", "automatic": True},
        {"id": "more", "percent": "50", "automatic": True},
    )
    assert quoted("kit", coupons=["typed"], under=under)["due_today"] == "4.00"  # 48 → 24 → 12 → 4
    assert quoted("kit", coupons=["typed", "spring"], under=under)["due_today"] == "4.00"


@pytest.mark.parametrize(
    ("coupon", "item", "note"),
    [
        ({"percent": "10", "until": "2026-01-30"}, "kit", "coupon_over"),
        ({"percent": "10", "from": "2026-02-01"}, "kit", "coupon_too_early"),
        ({"percent": "10", "only": ["lessons"]}, "kit", "coupon_for_nothing_here"),
        ({"percent": "10", "minimum": {"EUR": "48.01"}}, "kit", "coupon_minimum"),
        ({"percent": "10"}, "moved", "coupon_for_nothing_here"),
        ({"percent": "10", "until": "2026-01-31"}, "kit", None),
        ({"percent": "10", "from": "2026-01-31"}, "kit", None),
        ({"percent": "10", "minimum": {"EUR": "48.00"}}, "kit", None),
        ({"percent": "10", "minimum": {"EUR": "240.00"}}, "year", None),  # a free start with its first charge
    ],
)
def test_a_coupon_that_does_not_apply_leaves_a_note(coupon: dict[str, Any], item: str, note: str | None) -> None:
    result = quoted(item, coupons=["C"], under=with_coupons({"id": "C", **coupon}))
    assert notes(result) == ([note] if note else [])
    assert (result["discount_total"] == "0.00") == (note is not None or item == "year")


def test_the_last_day_of_a_coupon_is_the_sites_own() -> None:
    under = with_coupons({"id": "C", "percent": "10", "until": "2026-01-31"})
    assert not notes(quoted("kit", coupons=["C"], under=under, at="2026-01-31T22:59:59Z"))
    assert notes(quoted("kit", coupons=["C"], under=under, at="2026-01-31T23:00:00Z")) == ["coupon_over"]


def test_what_is_not_to_be_combined_is_left_out_or_leaves_out() -> None:
    assert notes(quoted("kit", coupons=["BIND10", "FIVER"])) == ["coupon_not_combined"]
    first = quoted("kit", coupons=["FIVER", "BIND10"])
    assert (notes(first), first["due_today"]) == (["coupon_not_combined"], "43.00")
    own = quoted({"price": "kit", "own_discount": {"percent": "50"}}, coupons=["FIVER"])
    assert (notes(own), own["due_today"]) == ([], "19.00")  # an own discount is no coupon


def test_coupon_amounts_and_minimums_convert_to_the_minor_unit_only() -> None:
    result = quoted("kit", coupons=["FIVER"], currency="GBP")
    assert (result["discount_total"], result["due_today"]) == ("4.30", "37.70")
    yen = quoted("kit", coupons=["FIVER"], currency="JPY")
    assert (yen["discount_total"], yen["due_today"]) == ("850", "7350")


@pytest.mark.parametrize(
    ("item", "where", "says"),
    [
        ({"price": "kit", "own_discount": {"percent": "0"}}, "items[0].own_discount", "cannot be taken off"),
        ({"price": "kit", "own_discount": {"percent": "100.5"}}, "items[0].own_discount", "cannot be taken off"),
        ({"price": "kit", "own_discount": {}}, "items[0].own_discount", "either a percentage or an amount"),
        ({"price": "kit", "own_discount": {"amount": "1.234"}}, "items[0].own_discount", "EUR has 2 decimals"),
        ({"price": "kit", "own_discount": {"amount": "0"}}, "items[0].own_discount", "Nothing cannot be taken off"),
        ({"price": "kit", "own_discount": {"percnt": "5"}}, "items[0].own_discount.percnt", "not a known name"),
        ({"price": "gift"}, "items[0].chosen", "chooses this amount, and it is missing"),
        ({"price": "gift", "chosen": "4.99"}, "items[0].chosen", "goes from 5.00 EUR upwards"),
        ({"price": "gift", "chosen": "five"}, "items[0].chosen", "is no amount"),
        ({"price": "coloured", "variant": "red"}, "items[0].variant", "has no variant"),
    ],
)
def test_items_that_make_no_sense_are_refused(item: dict[str, Any], where: str, says: str) -> None:
    with pytest.raises(QuoteRefused) as caught:
        quoted(item)
    assert {p.where: p.message for p in caught.value.problems}[where].find(says) >= 0


def test_variants_and_chosen_amounts() -> None:
    assert quoted({"price": "coloured", "variant": "moss"})["lines"][0]["name"] == "Coloured kit, Moss"
    assert quoted({"price": "coloured", "variant": "chalk"})["due_today"] == "52.00"
    # A variant's amount takes the place of the price's in every currency: 52.00 × 0.86 = 44.72, to the nearest half.
    assert quoted({"price": "coloured", "variant": "chalk"}, currency="GBP")["due_today"] == "44.50"
    assert quoted({"price": "gift", "chosen": "12.00", "quantity": 2})["due_today"] == "24.00"
    assert quoted({"price": "gift", "chosen": "850"}, currency="JPY")["due_today"] == "850"


things = st.lists(
    st.builds(
        lambda price, quantity, own: {"price": price, "quantity": quantity, **own},
        st.sampled_from(["kit", "lessons", "handbook", "month", "taste", "year", "press-4", "starter", "coloured"]),
        st.integers(1, 7),
        st.sampled_from([{}, {}, {"own_discount": {"percent": "33.3"}}, {"own_discount": {"amount": "7.77"}}]),
    ),
    min_size=1,
    max_size=8,
)
some_coupons = st.lists(st.sampled_from(["BIND10", "FIRST3", "FIVER", "EACH", "TENNER"]), max_size=4, unique=True)


@given(things, some_coupons, st.sampled_from(["EUR", "GBP", "JPY"]))
def test_a_discount_never_raises_a_price_and_no_line_goes_below_zero(
    items: list[dict[str, Any]], coupons: list[str], currency: str
) -> None:
    if currency != "EUR":
        items = [{k: v for k, v in item.items() if k != "own_discount"} for item in items]

    def minor(text: str) -> int:
        return parse_amount(text, currency)  # refuses a minus

    plain, cut = quoted(*items, currency=currency), quoted(*items, coupons=coupons, currency=currency)
    assert minor(cut["due_today"]) <= minor(plain["due_today"])
    for line, full in zip(cut["lines"], plain["lines"], strict=True):
        assert minor(line["subtotal"]) - minor(line["discount"]) == minor(line["total"])
        assert minor(line["net"]) + minor(line["tax"]) == minor(line["total"]) <= minor(full["total"])
    assert minor(cut["due_today"]) == sum(minor(line["total"]) for line in cut["lines"])
    assert [day["on"] for day in cut["later"]] == [day["on"] for day in plain["later"]]
    for day, full in zip(cut["later"], plain["later"], strict=True):
        assert minor(day["total"]) <= minor(full["total"])
    assert quoted(*items, coupons=coupons, currency=currency) == cut


@given(things, st.randoms(use_true_random=False))
def test_the_order_of_lines_does_not_change_totals(items: list[dict[str, Any]], shuffled: Any) -> None:
    """Percentages are rounded per line and amounts shared by what is left, so totals do not hang on the order."""
    other = items.copy()
    shuffled.shuffle(other)
    for coupons in ([], ["FIRST3"], ["TENNER"], ["BIND10", "TENNER"]):
        one, two = quoted(*items, coupons=coupons), quoted(*other, coupons=coupons)
        assert one["due_today"] == two["due_today"]
        assert [(day["on"], day["total"]) for day in one["later"]] == [
            (day["on"], day["total"]) for day in two["later"]
        ]
    assert SHOP.base == "EUR"
