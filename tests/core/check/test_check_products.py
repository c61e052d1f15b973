"""Checking what is sold: whatever makes no sense is refused with its path and a remedy."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from skurrow.core.check.site import check_data
from skurrow.core.problems import InvalidInput, Problem
from tests.core.check.test_check import set_at
from tests.core.sites import shop

Data = dict[str, Any]
COLOURS, PARCEL, PRESS, STARTER, ALMANAC = range(5, 10)


def problems_after(change: Callable[[Data], object]) -> list[Problem]:
    data = shop()
    change(data)
    with pytest.raises(InvalidInput) as caught:
        check_data(data)
    return caught.value.problems


def price(product: int, n: int, **values: Any) -> Callable[[Data], None]:
    """A price with values put in, or taken out where they are None."""

    def change(data: Data) -> None:
        body = data["products"][product]["prices"][n]
        for name, value in values.items():
            body[name] = value
            if value is None:
                del body[name]

    return change


def coupon(**values: Any) -> Callable[[Data], None]:
    """One more coupon."""

    def change(data: Data) -> None:
        data["coupons"].append({"id": "NEW", **values})

    return change


def bundle_of(*contents: dict[str, Any], product: int = STARTER) -> Callable[[Data], None]:
    return set_at("products", product, "contains", list(contents))


def test_the_shop_is_right() -> None:
    assert len(check_data(shop()).coupons) == 5


M = "products[6].prices[0]"
I4 = "products[7].prices[1]"
HIRE = "products[7].prices[2]"


@pytest.mark.parametrize(
    ("change", "where", "says"),
    [
        (price(PARCEL, 0, kind="sometimes"), f"{M}.kind", "must be"),
        (price(PARCEL, 0, every=None), f"{M}.every", "is missing"),
        (price(PARCEL, 0, every="1 month"), f"{M}.every", "is no duration"),
        (price(PARCEL, 0, every="P"), f"{M}.every", "is no duration"),
        (price(PARCEL, 0, every="PT1H"), f"{M}.every", "is no duration"),
        (price(PARCEL, 0, every="P0M"), f"{M}.every", "no time at all"),
        (price(PARCEL, 0, every="P101Y"), f"{M}.every", "above a hundred years"),
        (price(PARCEL, 0, payments=3), f"{M}.payments", "kind recurring has none"),
        (price(PARCEL, 0, again="P1Y"), f"{M}.again", "kind recurring has none"),
        (price(PARCEL, 0, amount=None), f"{M}.amount", "neither an amount"),
        (price(PARCEL, 0, chosen={"minimum": {"EUR": "1.00"}}), f"{M}.amount", "has both"),
        (price(PARCEL, 0, start={}), f"{M}.start", "either free for a time"),
        (price(PARCEL, 0, start={"free": "P7D", "amount": {"EUR": "1.00"}}), f"{M}.start", "either free for a time"),
        (price(PARCEL, 0, start={"free": "P0D"}), f"{M}.start.free", "no time at all"),
        (price(PARCEL, 0, start={"free": "P7D", "times": 2}), f"{M}.start.times", "comes once"),
        (price(PARCEL, 0, start={"free": "P7D", "for": "P1M"}), f"{M}.start.for", "as long as `free` says"),
        (price(PARCEL, 0, start={"amount": {"EUR": "1.00"}}), f"{M}.start.for", "is missing"),
        (price(PARCEL, 0, start={"amount": {"EUR": "0"}, "for": "P1M"}), f"{M}.start.amount.EUR", "price of nothing"),
        (price(PARCEL, 0, start={"amount": {"EUR": "1"}, "for": "P1M", "times": 0}), f"{M}.start.times", "at least 1"),
        (price(PARCEL, 0, **{"for": []}), f"{M}.for", "too few entries"),
        (price(PARCEL, 0, **{"for": ["someone"]}), f"{M}.for[0]", "is no email address"),
        (price(PARCEL, 4, default=True), "products[6].prices[4].default", "not offered cannot be chosen"),
        (price(PARCEL, 5, amount={"EUR": "1.00"}), "products[6].prices[5].amount", "kind free has none"),
        (price(PRESS, 0, every="P1M"), "products[7].prices[0].every", "kind once has none"),
        (price(PRESS, 0, start={"free": "P7D"}), "products[7].prices[0].start", "kind once has none"),
        (price(PRESS, 1, payments=None), f"{I4}.payments", "is missing"),
        (price(PRESS, 1, payments=1), f"{I4}.payments", "no set of instalments"),
        (price(PRESS, 1, payments=0), f"{I4}.payments", "at least 1"),
        (price(PRESS, 2, again="P4M"), f"{HIRE}.again", "again before it ends"),
        (price(PRESS, 2, again="P149D"), f"{HIRE}.again", "it takes 5 months"),
        (set_at("products", COLOURS, "variants", 1, "id", "moss"), "products[5].variants[1].id", "already called"),
        (
            set_at("products", COLOURS, "variants", 1, "amount", {"EUR": "0"}),
            "products[5].variants[1].amount.EUR",
            "noth",
        ),
        (
            set_at("products", COLOURS, "variants", 1, "amount", {"GBP": "1"}),
            "products[5].variants[1].amount.EUR",
            "base",
        ),
        (set_at("products", COLOURS, "variants", 1, "stock", 4), "products[5].variants[1].stock", "variants together"),
        (set_at("products", COLOURS, "stock", -1), "products[5].stock", "at least 0"),
        (set_at("products", COLOURS, "charged", "at_release"), "products[5].charged", "no day on which it comes out"),
        (set_at("products", ALMANAC, "available_from", "2027-02-30"), "products[9].available_from", "is no date"),
        (
            set_at("products", COLOURS, "picture", {"name": "../x.png", "text": "x"}),
            "products[5].picture.name",
            "is no picture's name",
        ),
        (bundle_of({"price": "gone"}), "products[8].contains[0].price", "no price"),
        (bundle_of({"price": "kit"}, {"price": "kit", "quantity": 2}), "products[8].contains[1]", "already called"),
        (bundle_of({"price": "starter"}), "products[8].contains[0].price", "contain itself"),
        (bundle_of({"price": "kit", "quantity": 0}), "products[8].contains[0].quantity", "at least 1"),
        (bundle_of({"price": "kit", "variant": "red"}), "products[8].contains[0].variant", "no variant"),
        (bundle_of({"price": "starter"}, product=0), "products[0].contains[0].price", "contain itself"),
        (bundle_of({"price": "gift"}, product=1), "products[1].contains[0].price", "chooses the amount"),
        (set_at("products", 8, "prices", 1, "chosen", {}), "products[8].prices[1].chosen.minimum", "is missing"),
        (
            set_at("products", 8, "prices", 1, "chosen", {"minimum": {"EUR": "5.00"}, "maximum": {"EUR": "4.00"}}),
            "products[8].prices[1].chosen.maximum.EUR",
            "between minimum and maximum",
        ),
        (coupon(), "coupons[5].percent", "either a percentage or an amount"),
        (coupon(percent="10", amount={"EUR": "1"}), "coupons[5].percent", "either a percentage or an amount"),
        (coupon(percent="0"), "coupons[5].percent", "cannot be taken off"),
        (coupon(percent="100.01"), "coupons[5].percent", "cannot be taken off"),
        (coupon(percent=10), "coupons[5].percent", "must be exact"),
        (coupon(amount={"EUR": "0.00"}), "coupons[5].amount.EUR", "Nothing cannot be taken off"),
        (coupon(amount={"USD": "1"}), "coupons[5].amount.USD", "does not sell in"),
        (coupon(percent="1", minimum={"EUR": "0"}), "coupons[5].minimum.EUR", "Nothing"),
        (coupon(percent="1", until="2026-01-01", **{"from": "2026-01-02"}), "coupons[5].until", "end before it begins"),
        (coupon(percent="1", only=["gone"]), "coupons[5].only[0]", "no product"),
        (coupon(percent="1", only=[]), "coupons[5].only", "nothing that is ever charged"),
        (coupon(percent="1", only=["kit", "kit"]), "coupons[5].only[1]", "already called"),
        (coupon(percent="1", limit=0), "coupons[5].limit", "at least 1"),
        (coupon(percent="1", limit=2, per_customer=3), "coupons[5].per_customer", "more often than 2"),
        (coupon(percent="1", renewals=0), "coupons[5].renewals", "no number of charges"),
        (coupon(percent="1", renewals="some"), "coupons[5].renewals", "no number of charges"),
        (coupon(percent="1", id="bind10"), "coupons[5].id", "already called"),
        (coupon(percent="1", id="TEN %"), "coupons[5].id", "is no coupon's code"),
        (set_at("checkouts", 0, "prices", ["kept"]), "checkouts[0].prices[0]", "kept for those who have it"),
        (set_at("checkouts", 0, "prices", ["kit", "kit"]), "checkouts[0].prices[1]", "already called"),
    ],
)
def test_what_makes_no_sense_is_told_with_path_and_remedy(
    change: Callable[[Data], object], where: str, says: str
) -> None:
    problems = problems_after(change)
    found = [problem for problem in problems if problem.where == where]
    assert found, [(problem.where, problem.message) for problem in problems]
    assert says in found[0].message, found[0].message
    assert found[0].remedy


def test_a_coupon_for_free_things_only_is_for_nothing() -> None:
    def change(data: Data) -> None:
        data["products"][PARCEL]["prices"] = data["products"][PARCEL]["prices"][5:]
        data["coupons"].append({"id": "NEW", "percent": "10", "only": ["parcel"]})

    assert [p.where for p in problems_after(change)] == ["coupons[5].only"]


def test_a_circle_of_bundles_is_found_however_long() -> None:
    def change(data: Data) -> None:
        data["products"][1]["contains"] = [{"price": "advice"}]
        data["products"][2]["contains"] = [{"price": "day"}]
        data["products"][3]["contains"] = [{"price": "lessons"}]

    assert [p.where for p in problems_after(change)] == [f"products[{i}].contains[0].price" for i in (1, 2, 3)]


def test_a_bundle_says_which_variant_where_each_has_a_stock() -> None:
    def change(data: Data) -> None:
        colours = data["products"][COLOURS]
        del colours["stock"]
        colours["variants"] = [{**variant, "stock": 3} for variant in colours["variants"]]
        data["products"][STARTER]["contains"] = [{"price": "coloured"}]

    (problem,) = problems_after(change)
    assert (problem.where, problem.remedy) == ("products[8].contains[0].variant", "Say which: moss, chalk")
