"""What was promised: the charges are those that the quote of the order has listed, whatever becomes of prices."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from skurrow.core.check.site import check_data
from skurrow.core.durations import later
from skurrow.core.edition import Edition, compile_site
from skurrow.core.order import Order, read_order
from skurrow.core.quote.quote import quote, schedule
from skurrow.core.quote.sets import documented
from skurrow.core.subscriptions.reckoning import Reckoning
from skurrow.core.subscriptions.terms import Terms, terms_for, terms_of
from tests.core.sites import shop

PRICES = ["month", "quarter", "year", "taste", "press-4", "press-hire"]


def ordered(price: str, day: str = "2027-01-31", **more: Any) -> Order:
    return read_order(
        {"at": f"{day}T12:00:00Z", "currency": "EUR", "items": [{"price": price, "quantity": 1}],
         "buyer": {"country": "NL"}, **more}
    )  # fmt: skip


def reckoned(edition: Edition, order: Order) -> tuple[Terms, Reckoning]:
    found = quote(edition, order)
    terms = terms_of(edition, found, 0, order.delivery)
    kept = Terms.model_validate(terms.model_dump(mode="json"))
    assert kept == terms, "it is kept as JSON, and read again"
    return terms, Reckoning(edition, kept, order.buyer, found.lines[0].charged.counted_from)


@pytest.mark.parametrize("price", PRICES)
@pytest.mark.parametrize("coupons", [[], ["HALF3"], ["ALWAYS"], ["FIVER3"], ["FIVER5"]])
@pytest.mark.parametrize("currency", ["EUR", "JPY"])
def test_its_charges_are_those_that_the_order_was_shown(price: str, coupons: list[str], currency: str) -> None:
    edition = compile_site(check_data(with_coupons()))
    order = ordered(price, coupons=coupons, currency=currency)
    _, reckoning = reckoned(edition, order)
    until = date(2030, 6, 1)
    listed = [(one["on"], one["total"], one["tax"]) for one in schedule(edition, order, until)]
    money = quote(edition, order)
    again = [one.as_json() for one in (reckoning.quote(n) for n in range(len(listed)))]
    assert [(str(reckoning.on(n).on), one["due_today"], one["tax_total"]) for n, one in enumerate(again)] == listed
    first = next(iter(again))
    if money.due_today:
        assert (first["lines"], first["taxes"]) != ([], [])
        assert first["due_today"] == money.as_json()["due_today"]


def with_coupons() -> dict[str, Any]:
    data = shop()
    data["coupons"] = [
        *data.get("coupons", []),
        {"id": "HALF3", "percent": "50", "renewals": 3},
        {"id": "ALWAYS", "percent": "10", "renewals": "all"},
        {"id": "FIVER3", "amount": {"EUR": "5.00"}, "renewals": 3},
        {"id": "FIVER5", "amount": {"EUR": "5.00"}},
    ]
    return {**data, "coupons": list({one["id"]: one for one in data["coupons"]}.values())}


def test_a_dearer_price_a_new_rate_and_an_archived_price_change_nothing_that_was_promised() -> None:
    data = with_coupons()
    edition = compile_site(check_data(data))
    order = ordered("month", coupons=["HALF3"])
    terms, before = reckoned(edition, order)
    product = next(one for one in data["products"] if one["id"] == "parcel")
    product["prices"] = [{"id": "dearer", "kind": "recurring", "every": "P1M", "amount": {"EUR": "99.00"}}]
    product.pop("ladder", None)
    data["coupons"] = []
    data["checkouts"] = []
    after = Reckoning(compile_site(check_data(data)), terms, order.buyer, date(2027, 1, 31))
    assert [after.on(n).total for n in range(6)] == [before.on(n).total for n in range(6)] == [1200] * 3 + [2400] * 3


def test_tax_is_that_of_each_day_but_a_set_of_instalments_keeps_that_of_its_first() -> None:
    data = shop()
    data["tax"] = {"registrations": [{"place": "NL"}], "included": False}
    edition = compile_site(check_data(data))
    _, monthly = reckoned(edition, ordered("month"))
    spans = [{"place": "NL", "until": "2027-03-15"}, {"place": "NL", "from": "2027-03-16"}]
    registered = {"included": False, "registrations": spans}
    turned = compile_site(check_data({**data, "tax": registered}))
    _, same = reckoned(turned, ordered("month"))
    assert [same.on(n).tax for n in range(4)] == [monthly.on(n).tax for n in range(4)]
    exempt = compile_site(check_data({**data, "tax": {"included": False, "exempt": {"sentence": "Small."}}}))
    terms, _ = reckoned(edition, ordered("month"))
    assert Reckoning(exempt, terms, ordered("month").buyer, date(2027, 1, 31)).on(3).tax == 0


def test_the_first_payment_of_a_set_is_documented_as_the_whole() -> None:
    edition = compile_site(check_data(shop()))
    _, reckoning = reckoned(edition, ordered("press-4"))
    whole, later_one = reckoning.supplied_as(0), reckoning.supplied_as(2)
    assert whole is not None
    assert later_one is not None
    assert whole["due_today"] == "448.00"
    assert [one["amount"] for one in whole["still_due"]] == ["112.00"] * 3
    assert (later_one["lines"], later_one["taxes"]) == ([], [])
    assert reckoned(edition, ordered("month"))[1].supplied_as(0) is None
    together = reckoning.quote(1, 3, on=date(2027, 2, 5)).as_json()
    assert (together["due_today"], together["later"]) == ("336.00", [])


def test_another_plan_keeps_what_is_left_of_the_promises() -> None:
    edition = compile_site(check_data(with_coupons()))
    terms, _ = reckoned(edition, ordered("month", coupons=["HALF3"]))
    for used, charges in ((1, [3300, 3300, 6600]), (3, [6600, 6600, 6600])):
        changed = terms_for(edition, "quarter", terms.counted_anew(used), 1)
        found = Reckoning(edition, changed, ordered("month").buyer, date(2027, 5, 1))
        assert [found.on(n).total for n in range(3)] == charges


@settings(max_examples=60)
@given(
    st.sampled_from(PRICES),
    st.dates(date(2026, 12, 1), date(2032, 12, 31)),
    st.integers(0, 30),
)
def test_counted_anew_it_goes_on_where_it_was(price: str, day: date, n: int) -> None:
    """A pause moves days; which charge of how many it is, and what it comes to, stay."""
    edition = compile_site(check_data(with_coupons()))
    order = ordered(price, day.isoformat(), coupons=["HALF3"])
    terms, reckoning = reckoned(edition, order)
    if terms.kind == "instalments":
        return
    anew = Reckoning(edition, terms.counted_anew(n), order.buyer, later(day, 7, 3))
    assert [anew.on(k).total for k in range(3)] == [reckoning.on(n + k).total for k in range(3)]


@pytest.mark.parametrize("coupons", [[], ["HALF3"], ["ALWAYS"], ["FIVER5"]])
@pytest.mark.parametrize("rounding", ["line", "rate"])
@pytest.mark.parametrize(
    "of",
    [
        {"payments": 3},
        {"payments": 24},
        {"payments": 4, "again": "P1Y"},
        {"payments": 3, "start": {"amount": {"EUR": "5.00"}, "for": "P1M"}},
        {"payments": 3, "start": {"free": "P10D"}},
    ],
)
def test_a_set_is_documented_alike_with_its_order_and_as_a_subscription(
    of: dict[str, Any], rounding: str, coupons: list[str]
) -> None:
    data = with_coupons()
    price = {"id": "set", "kind": "instalments", "every": "P1M", "amount": {"EUR": "29.99"}, **of}
    data["products"] = [*data["products"], {"id": "sets", "name": "A set", "kind": "goods", "prices": [price]}]
    data["tax"] = {**data["tax"], "rounding": rounding}
    edition = compile_site(check_data(data))
    order = ordered("set", coupons=coupons)
    found, (_, reckoning) = quote(edition, order), reckoned(edition, order)
    with_order = documented(found)
    if "free" in of.get("start", {}):
        assert with_order is None  # nothing of it is supplied yet
        return
    alone = reckoning.supplied_as(0)
    assert with_order is not None
    assert alone is not None
    for side in (with_order, alone):
        for line in side["lines"]:
            del line["reasons"]  # of the order, and of the promise
    for name in ("lines", "taxes", "due_today", "tax_total", "discount_total", "still_due", "delivery"):
        assert with_order[name] == alone[name], name
