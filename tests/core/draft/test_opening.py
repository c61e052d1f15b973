"""What would go wrong if a site were opened for real buyers, and which amounts are looked at twice before a release."""

from __future__ import annotations

from typing import Any

import pytest

from skurrow.core.draft.jumps import MOST_TOLD, jumps
from skurrow.core.draft.opening import GatewayStanding, opening
from tests.core.sites import edition, plain

PAPERS = {"street": "Brink 1", "postal_code": "7411 BR", "city": "Deventer"}
CARDS = (GatewayStanding("Cards", pays_out=True),)
GOODS = [one for one in plain()["products"] if one["kind"] == "goods"]


def test_nothing_is_said_of_a_site_that_is_as_it_should_be() -> None:
    right = edition(papers=PAPERS, products=GOODS)
    assert opening(right, 0, CARDS) == []


@pytest.mark.parametrize(
    ("changes", "unreleased", "gateways", "expected"),
    [
        ({}, 0, (), [("gateway", True)]),
        ({}, 0, (GatewayStanding("Cards", pays_out=False),), [("payout", False)]),
        ({"papers": {"city": "Deventer"}}, 0, CARDS, [("seller", True)]),
        ({}, 2, CARDS, [("unreleased", False)]),
        ({"currencies": [{"code": "EUR"}, {"code": "GBP", "rate": "1"}]}, 0, CARDS, [("rate", False)]),
        ({"checkouts": []}, 0, CARDS, [("checkout", True)]),
        ({"products": plain()["products"]}, 0, CARDS, [("hand_over", False)]),
        (
            {"papers": {}, "products": plain()["products"]}, 0, (),
            [("gateway", True), ("seller", True), ("hand_over", False)],
        ),
    ],
)  # fmt: skip
def test_what_would_go_wrong_is_said_and_what_hinders_comes_first(
    changes: dict[str, Any], unreleased: int, gateways: Any, expected: list[tuple[str, bool]]
) -> None:
    released = edition(**{"papers": PAPERS, "products": GOODS, **changes})
    assert [(one.code, one.hinders) for one in opening(released, unreleased, gateways)] == expected


def test_without_a_release_there_is_nothing_to_open() -> None:
    assert [one.code for one in opening(None, 0, CARDS)] == ["release"]


def kit(amount: str, **more: Any) -> list[dict[str, Any]]:
    price = {**GOODS[0]["prices"][0], "amount": {"EUR": amount}}
    return [{**GOODS[0], "prices": [price], **more}]


@pytest.mark.parametrize(
    ("was", "now", "told"),
    [
        ("48.00", "24.00", False),  # just half is no slip
        ("48.00", "23.99", True),
        ("48.00", "72.00", False),
        ("48.00", "72.01", True),
        ("48.00", "4.80", True),
        ("48.00", "480.00", True),
        ("48.00", "48.00", False),
    ],
)
def test_a_price_that_changes_by_more_than_half_is_pointed_out(was: str, now: str, told: bool) -> None:
    words = jumps(edition(products=kit(was)), edition(products=kit(now)))
    assert bool(words) is told
    if told:
        assert f"EUR {was} becomes EUR {now}" in words[0]
        assert "more than half" in words[0]


def test_nothing_is_compared_with_what_was_never_released() -> None:
    assert jumps(None, edition(products=kit("48.00"))) == []
    other = [{**kit("1.00")[0], "id": "other", "prices": [{**kit("1.00")[0]["prices"][0], "id": "other"}]}]
    assert jumps(edition(products=kit("48.00")), edition(products=[*kit("48.00"), *other])) == []


def test_a_price_below_what_a_coupon_takes_off_is_pointed_out_once() -> None:
    coupons = [{"id": "TEN", "amount": {"EUR": "30.00"}}]
    dear, cheap = (edition(products=kit(amount), coupons=coupons) for amount in ("48.00", "29.00"))
    (words,) = jumps(dear, cheap)
    assert "the coupon TEN takes 30.00 off" in words
    assert jumps(cheap, edition(products=kit("28.00"), coupons=coupons)) != jumps(cheap, cheap) == []
    only_then = [{**coupons[0], "minimum": {"EUR": "40.00"}}]
    dear, cheap = (edition(products=kit(amount), coupons=only_then) for amount in ("48.00", "29.00"))
    assert jumps(dear, cheap) == []


def test_a_coupon_that_grows_beyond_a_price_is_pointed_out_too() -> None:
    before, after = (
        edition(products=kit("48.00"), coupons=[{"id": "TEN", "amount": {"EUR": off}}]) for off in ("10.00", "50.00")
    )
    (words,) = jumps(before, after)
    assert "costs EUR 48.00, and the coupon TEN takes 50.00 off" in words


def test_a_price_below_the_cheapest_delivery_is_pointed_out() -> None:
    zone = {"name": "Home", "places": ["NL"], "methods": [
        {"id": "post", "name": "Post", "amount": {"EUR": "6.00"}},
        {"id": "courier", "name": "Courier", "amount": {"EUR": "12.00"}},
        {"id": "here", "name": "Picked up", "pick_up": True},
    ]}  # fmt: skip
    before, after = (edition(products=kit(amount), delivery={"zones": [zone]}) for amount in ("8.00", "5.00"))
    (words,) = jumps(before, after)
    assert words.endswith("costs EUR 5.00, less than the 6.00 for the cheapest delivery.")


def test_a_variant_is_told_where_it_has_an_amount_of_its_own() -> None:
    def with_variants(amount: str, own: str) -> list[dict[str, Any]]:
        plain_one, dear = {"id": "moss", "name": "Moss"}, {"id": "chalk", "name": "Chalk", "amount": {"EUR": own}}
        return kit(amount, variants=[plain_one, dear])

    words = jumps(edition(products=with_variants("48.00", "52.00")), edition(products=with_variants("4.80", "5.20")))
    assert [one.partition(":")[0] for one in words] == ["“Kit” (kit)", "“Kit” (kit), Chalk"]


def test_many_are_counted_rather_than_listed() -> None:
    def many(amount: str) -> list[dict[str, Any]]:
        price = GOODS[0]["prices"][0]
        return [
            {**GOODS[0], "id": f"k{n}", "prices": [{**price, "id": f"k{n}", "amount": {"EUR": amount}}]}
            for n in range(MOST_TOLD + 5)
        ]

    checkouts = [{"id": "kit", "name": "Kit", "prices": ["k0"]}]
    words = jumps(edition(products=many("10"), checkouts=checkouts), edition(products=many("1"), checkouts=checkouts))
    assert len(words) == MOST_TOLD + 1
    assert words[-1] == "5 more amounts like these."
