"""Figures of the trade. Source: common practice, as the people who do this work state it; no published source."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from skurrow.core.edition import Edition
from skurrow.core.order import read_order
from skurrow.core.payments.costs import cost
from skurrow.core.quote.quote import quote
from skurrow.core.tape.comparisons import comparisons, coupon_costs
from skurrow.core.tape.tape import Wanted, tape
from tests.core.sites import plain, sold, toll

AT = datetime(2026, 11, 26, 10, tzinfo=UTC)


def once(name: str, amount: str) -> dict[str, Any]:
    return {"id": name, "kind": "once", "amount": {"EUR": amount}}


def monthly(name: str, amount: str, every: str = "P1M", **more: Any) -> dict[str, Any]:
    return {"id": name, "kind": "recurring", "every": every, "amount": {"EUR": amount}, **more}


def selling(*prices: dict[str, Any], coupons: tuple[dict[str, Any], ...] = (), **more: Any) -> Edition:
    product = {"id": "p", "name": "P", "kind": "digital", "prices": list(prices), **more}
    return sold(products=[*plain()["products"], product], coupons=list(coupons))


def due(under: Edition, *items: Any, coupons: tuple[str, ...] = ()) -> dict[str, Any]:
    wanted = [item if isinstance(item, dict) else {"price": item} for item in items]
    order = {"at": AT, "currency": "EUR", "items": wanted, "coupons": list(coupons), "buyer": {"country": "NL"}}
    return quote(under, read_order(order)).as_json()


def compared(under: Edition) -> tuple[int, int, str]:
    product = under.product("p")
    assert product is not None
    (one,) = comparisons(under, product, "EUR")
    return one.amount, one.against_amount, one.words


def test_the_usual_card_fee_of_fifty_is_1_75() -> None:
    """2.9 % + 0.30 a charge."""
    assert cost(toll().tariff, 50_00, "EUR", abroad=False).takes == 1_75
    made = tape(selling(once("fifty", "50.00")), Wanted("fifty"), "EUR", _at_home(), AT, [toll()])
    assert next(row.amount for row in made.rows if row.kind == "fee") == "1.75"


def _at_home() -> Any:
    return read_order({"at": AT, "currency": "EUR", "items": [{"price": "x"}], "buyer": {"country": "NL"}}).buyer


def test_a_percentage_adds_up_by_charges_and_not_by_sign_ups() -> None:
    """5 % of 20.00 for 150 members: 150.00 in a year if each stays a month, 1,800.00 if each stays twelve."""
    five = {"id": "FIVE", "percent": "5", "renewals": "all", "only": ["p"]}
    (cost,) = coupon_costs(selling(monthly("m", "20.00"), coupons=(five,)), "FIVE", "EUR", AT)
    assert (cost.first * 150, cost.year * 150) == (150_00, 1800_00)


def test_a_year_a_third_off() -> None:
    """36.00 a month: 432.00 becomes 288.00."""
    amount, against, words = compared(selling(monthly("m", "36.00"), monthly("y", "288.00", "P1Y")))
    assert (amount, against) == (288_00, 432_00)
    assert words.endswith("144.00 less, 33.3 %.")


def test_instalments_cost_more_than_paying_at_once() -> None:
    """240.00, or 4 × 72.00 = 288.00: 20 % more."""
    four = {"id": "four", "kind": "instalments", "every": "P1M", "payments": 4, "amount": {"EUR": "72.00"}}
    amount, against, words = compared(selling(once("one", "240.00"), four))
    assert (amount, against) == (288_00, 240_00)
    assert words.endswith("48.00 more, 20 %.")


def test_a_lower_first_payment() -> None:
    """3.00 for the first month, then 7.00 a month."""
    result = due(selling(monthly("m", "7.00", start={"amount": {"EUR": "3.00"}, "for": "P1M"})), "m")
    assert [result["due_today"], *(day["total"] for day in result["later"][:3])] == ["3.00", "7.00", "7.00", "7.00"]


def test_a_discount_at_checkout() -> None:
    """10 % off 65.00 is 58.50; an extra at 30 % off 90.00 is 63.00."""
    ten = {"id": "TEN", "percent": "10"}
    assert due(selling(once("a", "65.00"), coupons=(ten,)), "a", coupons=("TEN",))["due_today"] == "58.50"
    extra = {"price": "b", "own_discount": {"percent": "30"}}
    assert due(selling(once("b", "90.00")), extra)["due_today"] == "63.00"


def test_an_extra_ticked_and_unticked() -> None:
    """118.00, with a 45.00 extra 163.00, and 118.00 again."""
    under = selling(once("a", "118.00"), once("extra", "45.00"))
    shown = [due(under, *items)["due_today"] for items in (("a",), ("a", "extra"), ("a",))]
    assert shown == ["118.00", "163.00", "118.00"]


def test_parts_and_whole() -> None:
    """Four at 6.00 sold together at 22.00."""
    part = {"id": "part", "name": "Part", "kind": "digital", "prices": [once("part", "6.00")]}
    whole = {"id": "p", "name": "P", "kind": "digital", "prices": [once("whole", "22.00")]}
    whole["contains"] = [{"price": "part", "quantity": 4}]
    assert compared(sold(products=[*plain()["products"], part, whole], coupons=[]))[:2] == (22_00, 24_00)
