"""Quotes: amounts, tax and reasons of orders, and what is refused."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.edition import Edition
from skurrow.core.money import parse_amount
from skurrow.core.order import QuoteRefused, read_order
from skurrow.core.problems import InvalidInput
from skurrow.core.quote.quote import quote
from skurrow.core.tax.rates import rate_text
from tests.core.sites import edition, plain

AT = "2026-11-24T10:00:00Z"


def order(*items: Any, country: str = "NL", currency: str = "EUR", **more: Any) -> dict[str, Any]:
    wanted = [item if isinstance(item, dict) else {"price": item} for item in items]
    buyer = {"country": country, **more.pop("buyer", {})}
    return {"at": AT, "currency": currency, "items": wanted, "buyer": buyer, **more}


def quoted(data: dict[str, Any], under: Edition | None = None) -> dict[str, Any]:
    return quote(under or edition(), read_order(data)).as_json()


def refused(data: dict[str, Any]) -> list[tuple[str, str]]:
    with pytest.raises(QuoteRefused) as caught:
        quoted(data)
    return [(problem.where, problem.message) for problem in caught.value.problems]


def test_a_quote_has_the_shape_of_the_contract() -> None:
    assert quoted(order({"price": "kit", "quantity": 2})) == {
        "format": "skurrow-quote/1",
        "currency": "EUR",
        "lines": [
            {
                "price": "kit",
                "name": "Kit",
                "quantity": 2,
                "variant": None,
                "unit": "48.00",
                "subtotal": "96.00",
                "discount": "0.00",
                "untaxed": "0.00",
                "net": "79.34",
                "tax": "16.66",
                "total": "96.00",
                "reasons": [
                    {"code": "own_amount", "text": "The owner's own amount in EUR."},
                    {"code": "times", "text": "2 × 48.00 = 96.00."},
                ],
                "taxed": {
                    "place": "NL",
                    "treatment": "standard",
                    "rate": "0.21",
                    "reason": {"code": "home_rate", "text": "Taxed at home, in NL, at 21 %."},
                    "levies": [["NL", "VAT", "0.21"]],
                },
                "taxes": ["16.66"],
            }
        ],
        "tax_included": True,
        "delivery": None,
        "taxes": [
            {
                "place": "NL",
                "name": "VAT",
                "rate": "0.21",
                "treatment": "standard",
                "base": "79.34",
                "amount": "16.66",
                "reason": {"code": "home_rate", "text": "Taxed at home, in NL, at 21 %."},
            }
        ],
        "discounts": [],
        "discount_total": "0.00",
        "untaxed_total": "0.00",
        "tax_total": "16.66",
        "due_today": "96.00",
        "later": [],
        "plan": [],
        "notes": [],
    }


@pytest.mark.parametrize(
    ("price", "country", "currency", "due", "tax", "reason"),
    [
        ("kit", "NL", "EUR", "48.00", "8.33", "home_rate"),
        ("kit", "DE", "EUR", "48.00", "8.33", "picked_up"),
        ("kit", "US", "EUR", "48.00", "8.33", "picked_up"),
        ("kit", "NL", "GBP", "42.00", "7.29", "home_rate"),
        ("kit", "NL", "JPY", "8200", "1423", "home_rate"),
        ("lessons", "DE", "EUR", "79.00", "13.71", "eu_below_threshold"),
        ("advice", "US", "EUR", "60.00", "10.41", "service_at_home"),
        ("day", "JP", "EUR", "95.00", "16.49", "held_at_home"),
    ],
)
def test_amounts_taxes_and_reasons(price: str, country: str, currency: str, due: str, tax: str, reason: str) -> None:
    result = quoted(order(price, country=country, currency=currency))
    assert (result["due_today"], result["tax_total"]) == (due, tax)
    assert result["taxes"][0]["reason"]["code"] == reason


def test_the_owners_own_rate_takes_the_place_of_the_shipped_one() -> None:
    own = {
        "registrations": [{"place": "NL"}],
        "rates": [{"place": "NL", "counts_as": "ebook", "name": "Btw", "rate": "0.09"}],
    }
    result = quoted(order("handbook", "kit"), edition(tax=own))
    assert [(t["name"], t["rate"], t["amount"]) for t in result["taxes"]] == [
        ("Btw", "0.09", "1.49"),
        ("VAT", "0.21", "8.33"),
    ]


def test_a_row_that_is_missing_falls_back_to_the_standard_rate_and_says_so() -> None:
    under = edition(products=[{**plain()["products"][4], "counts_as": "map"}], checkouts=[])
    result = quoted(order("handbook"), under)
    assert result["taxes"][0]["rate"] == "0.21"
    assert [note["code"] for note in result["notes"]] == ["standard_row"]


def test_a_converted_amount_says_how() -> None:
    result = quoted(order("lessons", currency="GBP"))
    assert (result["due_today"], result["notes"][0]["text"]) == ("68.00", "Converted from EUR at 0.86.")


@pytest.mark.parametrize(
    ("data", "where", "says"),
    [
        (order("gone"), "items[0].price", "There is no price"),
        (order("kit", currency="USD"), "currency", "does not sell in USD"),
        (order({"price": "kit", "quantity": 11}), "items[0].quantity", "is sold 1 to 10 at a time"),
        (order({"price": "kit", "quantity": 0}), "items[0].quantity", "must be at least 1"),
        (order({"price": "kit", "quantity": "2"}), "items[0].quantity", "must be a whole number"),
        (order({"price": "kit", "variant": "moss"}), "items[0].variant", "has no variant"),
        (order({"price": "kit", "chosen": "5.00"}), "items[0].chosen", "has a fixed amount"),
        (order("kit", coupons=["X"]), "coupons[0]", "There is no coupon"),
        (order("kit", delivery="post"), "delivery", "Nothing can be sent"),
        (order("kit", country="XX"), "buyer.country", "is no country"),
        ({**order("kit"), "at": "2026-11-24T10:00:00"}, "at", "needs a time zone"),
        ({**order("kit"), "at": "soon"}, "at", "is no instant"),
        ({**order("kit"), "items": []}, "items", "has too few entries"),
        ({**order("kit"), "voucher": "X"}, "voucher", "is not a known name"),
    ],
)
def test_what_cannot_be_quoted_is_refused_with_path_and_words(data: dict[str, Any], where: str, says: str) -> None:
    found = dict(refused(data))
    assert where in found
    assert says in found[where]


def test_all_that_is_wrong_is_told_at_once() -> None:
    wrong = order("gone", {"price": "kit", "quantity": 11}, {"price": "day", "chosen": "1.00"}, coupons=["X"])
    assert [where for where, _ in refused(wrong)] == [
        "items[0].price",
        "items[1].quantity",
        "items[2].chosen",
        "coupons[0]",
    ]


def test_nothing_goes_beyond_the_largest_amount() -> None:
    products = plain()["products"][:1]
    products[0]["prices"][0] |= {"amount": {"EUR": "99999999.99", "GBP": "1.00"}, "quantity": {"max": 2}}
    under = edition(products=products, currencies=[{"code": "EUR"}, {"code": "GBP", "rate": "1"}])
    assert quoted(order("kit"), under)["due_today"] == "99999999.99"
    for items in ([{"price": "kit", "quantity": 2}], ["kit", "kit"]):
        with pytest.raises(QuoteRefused, match=r"is above 99999999\.99 EUR"):
            quoted(order(*items), under)


@pytest.mark.parametrize(("rate", "text"), [("0.2", "0.20"), ("0.210", "0.21"), ("0.08875", "0.08875"), ("0", "0.00")])
def test_rates_are_written_with_at_least_two_decimals(rate: str, text: str) -> None:
    assert rate_text(Decimal(rate)) == text


items = st.lists(
    st.one_of(
        st.builds(lambda n: {"price": "kit", "quantity": n}, st.integers(1, 10)),
        st.sampled_from([{"price": "lessons"}, {"price": "advice"}, {"price": "day"}, {"price": "handbook"}]),
    ),
    min_size=1,
    max_size=12,
)
UNDER = edition()


@given(items, st.sampled_from(["NL", "DE", "FR"]), st.sampled_from(["EUR", "GBP", "JPY"]))
def test_sums_always_add_up(wanted: list[dict[str, Any]], country: str, currency: str) -> None:
    data = order(*wanted, country=country, currency=currency)
    result = quoted(data, UNDER)

    def minor(text: str) -> int:
        return parse_amount(text, currency)

    for line in result["lines"]:
        assert minor(line["net"]) + minor(line["tax"]) == minor(line["total"])
        assert minor(line["unit"]) * line["quantity"] == minor(line["total"])
    assert minor(result["due_today"]) == sum(minor(line["total"]) for line in result["lines"])
    assert minor(result["tax_total"]) == sum(minor(tax["amount"]) for tax in result["taxes"])
    assert minor(result["tax_total"]) == sum(minor(line["tax"]) for line in result["lines"])
    backwards = quoted({**data, "items": list(reversed(data["items"]))}, UNDER)
    assert (backwards["due_today"], backwards["tax_total"]) == (result["due_today"], result["tax_total"])
    assert quoted(data, UNDER) == result


def test_there_may_be_999999_of_one_thing_and_no_more() -> None:
    products = plain()["products"]
    products[0]["prices"][0] |= {"amount": {"EUR": "0.05"}, "quantity": {"max": 999_999}}
    under = edition(products=products)
    assert (
        quoted(order({"price": products[0]["prices"][0]["id"], "quantity": 999_999}), under)["due_today"] == "49999.95"
    )
    with pytest.raises(InvalidInput, match="999999"):
        read_order(order({"price": "kit", "quantity": 1_000_000}))
