"""A part changed by itself is what a whole site checked anew is: the same edition, or refused as well."""

from __future__ import annotations

import copy
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from skurrow.core.check.site import check_data
from skurrow.core.draft.parts import can_apply, with_part
from skurrow.core.edition import Edition, compile_site
from skurrow.core.problems import InvalidInput
from skurrow.core.site.whole import LISTS
from tests.core.sites import edition, plain

BUYERS = [
    {"id": "jo", "name": "Jo", "person": "Jo", "email": "jo@example.org", "country": "NL", "currency": "EUR"},
    {"id": "al", "name": "Al", "person": "Al", "email": "al@example.org", "country": "GB", "currency": "GBP"},
]

amounts = st.sampled_from(["1.00", "48.00", "0.01", "1.234", "x"])
prices = st.builds(
    lambda name, amount, currency, more: {
        "id": name,
        "kind": "once",
        "amount": {"EUR": "5.00", currency: amount},
        **more,
    },
    st.sampled_from(["kit", "lessons", "fresh", "day"]),
    amounts,
    st.sampled_from(["EUR", "GBP", "JPY", "CHF"]),
    st.sampled_from(
        [{}, {}, {"offered": False}, {"kind": "recurring", "every": "P1M"}, {"kind": "free", "amount": None}]
    ),
)
products = st.builds(
    lambda part_id, name, kind, priced, more: {"id": part_id, "name": name, "kind": kind, "prices": priced, **more},
    st.sampled_from(["kit", "handbook", "new"]),
    st.sampled_from(["Kit", "", "Another"]),
    st.sampled_from(["goods", "digital", "event"]),
    st.lists(prices, min_size=1, max_size=3),
    st.sampled_from(
        [
            {},
            {"held_in": "NL"},
            {"weight_g": 5},
            {"stock": 3},
            {"contains": [{"price": "lessons"}]},
            {"ladder": ["kit"]},
        ]
    ),
)
coupons = st.builds(
    lambda part_id, body: {"id": part_id, **body},
    st.sampled_from(["BIND10", "bind10", "fresh"]),
    st.sampled_from(
        [
            {"percent": "10"},
            {"percent": "10", "only": ["kit", "handbook"], "automatic": True},
            {"percent": "10", "only": ["gone"]},
            {"amount": {"EUR": "5.00"}, "renewals": "all"},
            {},
        ]
    ),
)
checkouts = st.builds(
    lambda part_id, price: {"id": part_id, "name": "Form", "prices": ["kit", price]},
    st.sampled_from(["kit", "new"]),
    st.sampled_from(["kit", "lessons", "nothing"]),
)
buyers = st.builds(
    lambda part_id, country, currency, more: {
        **BUYERS[0],
        "id": part_id,
        "country": country,
        "currency": currency,
        **more,
    },
    st.sampled_from(["jo", "new"]),
    st.sampled_from(["NL", "US", "XX"]),
    st.sampled_from(["EUR", "JPY", "CHF"]),
    st.sampled_from([{}, {"business": True}, {"tax_number": "NL1"}, {"card": "lost"}, {"card": "gold"}]),
)
bodies: st.SearchStrategy[tuple[str, str, dict[str, Any] | None]] = st.one_of(
    products.map(lambda body: ("product", body["id"], body)),
    coupons.map(lambda body: ("coupon", body["id"], body)),
    st.just(("coupon", "BIND10", None)),
    checkouts.map(lambda body: ("checkout", body["id"], body)),
    buyers.map(lambda body: ("stand_in_buyer", body["id"], body)),
    st.sampled_from(["kit", "lessons", "handbook"]).map(lambda part_id: ("product", part_id, None)),
    st.just(("checkout", "kit", None)),
    st.just(("stand_in_buyer", "jo", None)),
)


def whole(data: dict[str, Any], kind: str, part_id: str, body: dict[str, Any] | None) -> dict[str, Any]:
    """The site file with the part put in place, added at the end, or taken out."""
    changed = copy.deepcopy(data)
    listed = changed.setdefault(LISTS[kind], [])
    at = next((i for i, one in enumerate(listed) if one["id"] == part_id), None)
    if body is None:
        if at is not None:
            del listed[at]
    elif at is None:
        listed.append(body)
    else:
        listed[at] = body
    return changed


def compiled(data: dict[str, Any]) -> Edition | None:
    try:
        return compile_site(check_data(data))
    except InvalidInput:
        return None


@given(st.lists(bodies, min_size=1, max_size=4))
@settings(max_examples=300)
def test_one_part_after_the_other_is_the_same_as_all_at_once(
    edits: list[tuple[str, str, dict[str, Any] | None]],
) -> None:
    coupon = {"id": "BIND10", "percent": "10", "only": ["kit", "lessons"]}
    data = {**plain(), "stand_in_buyers": BUYERS, "coupons": [coupon]}
    step = compile_site(check_data(data))
    for kind, part_id, body in edits:
        changed = whole(data, kind, part_id, body)
        expected = compiled(changed)
        if expected is None:
            with pytest.raises(InvalidInput) as refused:
                with_part(step, kind, part_id, body)
            assert refused.value.problems
        else:
            step = with_part(step, kind, part_id, body)
            assert step.site == expected.site
            assert step.prices == expected.prices
            assert step.coupons == expected.coupons
            assert (step.automatic, step.bundles) == (expected.automatic, expected.bundles)
            assert step.checkouts == expected.checkouts
            assert step.stand_in_buyers == expected.stand_in_buyers
            assert step.places == expected.places
            data = changed


def test_the_edition_it_began_from_stays_as_it_was() -> None:
    before = edition()
    kit = {**plain()["products"][0], "name": "Another"}
    after = with_part(before, "product", "kit", kit)
    assert (before.site.products[0].name, after.site.products[0].name) == ("Kit", "Another")
    assert before.prices["kit"].product.name == "Kit"
    assert with_part(after, "product", "kit", plain()["products"][0]).prices == before.prices


def test_what_everything_hangs_on_is_not_changed_by_itself() -> None:
    kinds = ("site", "currencies", "tax", "product", "coupon", "checkout", "stand_in_buyer")
    assert [kind for kind in kinds if can_apply(kind)] == ["product", "coupon", "checkout", "stand_in_buyer"]


@pytest.mark.parametrize(
    ("kind", "part_id", "body", "path", "says"),
    [
        ("product", "kit", None, "checkouts[0].prices[0]", "sells the price “kit”"),
        ("product", "new", {"id": "other"}, "name", "missing"),
        ("checkout", "kit", {"id": "kit", "name": "K", "prices": ["nothing"]}, "prices[0]", "no price"),
        ("stand_in_buyer", "jo", {**BUYERS[0], "currency": "CHF"}, "currency", "CHF"),
        ("stand_in_buyer", "al", {**BUYERS[0]}, "id", "called “al”"),
    ],
)
def test_what_does_not_fit_is_told_by_its_path(
    kind: str, part_id: str, body: dict[str, Any] | None, path: str, says: str
) -> None:
    with pytest.raises(InvalidInput) as refused:
        with_part(edition(stand_in_buyers=BUYERS), kind, part_id, body)
    told = {problem.where: f"{problem.message} {problem.remedy}" for problem in refused.value.problems}
    assert path in told, told
    assert says.lower() in told[path].lower()
