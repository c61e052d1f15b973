"""What prices come to beside each other, and what a coupon costs; figures of the trade are in tests/reference."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pytest

from skurrow.core.check.site import check_text
from skurrow.core.edition import Edition, compile_site
from skurrow.core.products.price_words import price_words
from skurrow.core.site.products import Product
from skurrow.core.tape.comparisons import comparisons, coupon_costs, savings
from skurrow.run.installation import ROOT
from tests.core.sites import plain, shop, sold

AT = datetime(2026, 11, 26, 10, tzinfo=UTC)


def recurring(name: str, every: str, amount: str, **more: Any) -> dict[str, Any]:
    return {"id": name, "kind": "recurring", "every": every, "amount": {"EUR": amount}, **more}


def selling(*prices: dict[str, Any], coupons: list[dict[str, Any]] | None = None, **product: Any) -> Edition:
    products = [*plain()["products"], {"id": "p", "name": "P", "kind": "digital", "prices": list(prices), **product}]
    return sold(products=products, coupons=coupons or [])


def compared(under: Edition, product: str = "p", currency: str = "EUR") -> list[tuple[str, str, int, str]]:
    found = under.product(product)
    assert isinstance(found, Product)
    return [(one.kind, one.price, one.saved, one.words) for one in comparisons(under, found, currency)]


def test_a_bundle_of_something_recurring_with_things_bought_once() -> None:
    products = shop()["products"]
    products[8] |= {
        "contains": [{"price": "kit"}, {"price": "month"}],
        "prices": [recurring("together", "P1M", "20.00", start={"amount": {"EUR": "60.00"}, "for": "P1M"})],
    }
    assert [(kind, saved) for kind, _, saved, _ in compared(sold(products=products), "starter")] == [
        ("bundle", 1200),
        ("bundle_later", 400),
    ]


def test_what_cannot_be_compared_is_not() -> None:
    under = selling(recurring("w", "P1W", "5.00"), recurring("m", "P1M", "20.00"), recurring("f", "P4W", "18.00"))
    assert [(one, saved) for _, one, saved, _ in compared(under)] == [("f", 200)]
    assert compared(selling(recurring("m", "P1M", "20.00"), recurring("y", "P1Y", "200.00", offered=False))) == []
    assert compared(selling(recurring("m", "P1M", "20.00"), recurring("y", "P1Y", "240.00")))[0][3].endswith(
        ": the same."
    )


def costs(coupon: dict[str, Any], *prices: dict[str, Any]) -> list[tuple[str, int, int, bool]]:
    under = selling(*prices, coupons=[{"id": "C", "only": ["p"], **coupon}])
    return [(one.price, one.first, one.year, one.why_not is None) for one in coupon_costs(under, "C", "EUR", AT)]


@pytest.mark.parametrize(
    ("coupon", "price", "first", "year"),
    [
        ({"percent": "50", "renewals": 3}, recurring("m", "P1M", "24.00"), 1200, 3600),
        ({"percent": "50"}, recurring("m", "P1M", "24.00"), 1200, 1200),
        ({"amount": {"EUR": "5.00"}}, {"id": "o", "kind": "once", "amount": {"EUR": "3.00"}}, 300, 300),
        ({"percent": "10", "renewals": "all"}, recurring("q", "P3M", "66.00"), 660, 2640),
    ],
)
def test_what_a_coupon_costs(coupon: dict[str, Any], price: dict[str, Any], first: int, year: int) -> None:
    assert costs(coupon, price) == [(price["id"], first, year, True)]


def test_a_coupon_that_would_not_count_says_why() -> None:
    assert costs({"percent": "10", "minimum": {"EUR": "30.00"}}, recurring("m", "P1M", "24.00")) == [("m", 0, 0, False)]


@pytest.mark.parametrize(
    ("price", "words"),
    [
        ("kit", "EUR 48.00 once"),
        ("month", "EUR 24.00 every month"),
        ("quarter", "EUR 66.00 every 3 months"),
        ("year", "EUR 240.00 every year, after 2 weeks free"),
        ("taste", "EUR 24.00 every month, after 6.00 for 1 month, 2 times"),
        ("press-4", "4 payments, one every month, EUR 112.00 each"),
        ("press-hire", "5 payments, one every month, again every year, EUR 21.00 each"),
        ("moved", "free"),
        ("gift", "from EUR 5.00 once"),
    ],
)
def test_prices_in_words(price: str, words: str) -> None:
    assert price_words(sold().prices[price], "EUR") == words


def test_buyers_read_what_they_save_against_what_stands_before_them() -> None:
    text = (ROOT / "demo" / "site.yaml").read_text(encoding="utf-8")
    edition = compile_site(check_text(text))
    club = ["parcel-month", "parcel-quarter", "parcel-year", "first-book"]
    assert savings(edition, club, "EUR") == {
        "parcel-quarter": "Saves EUR 6.00 against 3 × EUR 24.00.",
        "parcel-year": "Saves EUR 48.00 against 12 × EUR 24.00.",
        "first-book": "Saves EUR 7.00 against its parts one by one.",
    }
    assert savings(edition, ["parcel-year", "kit"], "EUR") == {}  # the months are not offered there
    assert savings(edition, ["parcel-month", "parcel-year"], "GBP") == {
        "parcel-year": "Saves GBP 39.50 against 12 × GBP 20.50."  # 240.00 × 0.86 = 206.40, to the half 206.50
    }
