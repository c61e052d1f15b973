"""What differs between two states of a part, and two edits in one."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.draft.changes import differences, label, leaves, merged

KIT: dict[str, Any] = {
    "id": "kit",
    "name": "Kit",
    "kind": "goods",
    "prices": [{"id": "kit", "kind": "once", "amount": {"EUR": "48.00"}, "quantity": {"min": 1, "max": 10}}],
}
SECOND = {"id": "two", "kind": "once", "amount": {"EUR": "9.00", "GBP": "8.00"}}

names = st.sampled_from(["name", "text", "kind", "weight_g"])
values = st.one_of(st.sampled_from(["a", "b", ""]), st.integers(0, 2), st.booleans())
entries: st.SearchStrategy[list[dict[str, Any]]] = st.lists(
    st.fixed_dictionaries(
        {"id": st.sampled_from("pqr"), "amount": st.dictionaries(st.sampled_from(["EUR", "GBP"]), values)}
    ),
    max_size=3,
    unique_by=lambda entry: str(entry["id"]),
)
bodies = st.builds(
    lambda plain, listed: {**plain, **({"prices": listed} if listed else {})}, st.dictionaries(names, values), entries
)


@pytest.mark.parametrize(
    ("after", "told"),
    [
        ({**KIT}, []),
        ({**KIT, "name": "Set"}, [("name", "Kit", "Set")]),
        ({**KIT, "text": "New"}, [("text", None, "New")]),
        ({**KIT, "prices": [{**KIT["prices"][0], "amount": {"EUR": "50.00"}}]}, [("price kit, EUR", "48.00", "50.00")]),
        ({**KIT, "prices": [*KIT["prices"], SECOND]}, [("price two", None, "EUR 9.00, GBP 8.00 once")]),
        ({**KIT, "prices": [SECOND, *KIT["prices"]]}, [("price two", None, "EUR 9.00, GBP 8.00 once")]),
        (
            {**KIT, "prices": [{**KIT["prices"][0], "quantity": {"min": 1, "max": 2}}]},
            [("price kit, largest quantity", "10", "2")],
        ),
    ],
)
def test_each_thing_that_differs_is_told_once_in_words(after: Any, told: list[tuple[str, str, str]]) -> None:
    assert [(one.what, one.before, one.after) for one in differences(KIT, after)] == told


def test_a_part_that_is_new_or_gone_is_told_leaf_by_leaf() -> None:
    assert {one.before for one in differences(None, KIT)} == {None}
    assert {one.after for one in differences(KIT, None)} == {None}
    assert label(()) == "all"


def test_edits_of_different_things_are_both_kept() -> None:
    mine = {**KIT, "name": "Set", "prices": [{**KIT["prices"][0], "amount": {"EUR": "50.00"}}]}
    theirs = {**KIT, "text": "Theirs", "prices": [*KIT["prices"], SECOND]}
    both = merged(KIT, mine, theirs)
    assert both.clashes == ()
    assert both.body == {**mine, "text": "Theirs", "prices": [*mine["prices"], SECOND]}


def test_where_both_have_changed_the_same_it_is_mine_and_said() -> None:
    both = merged(KIT, {**KIT, "name": "Mine"}, {**KIT, "name": "Theirs"})
    assert (both.body["name"], both.clashes) == ("Mine", (("name",),))
    alike = merged(KIT, {**KIT, "name": "Same"}, {**KIT, "name": "Same"})
    assert (alike.body["name"], alike.clashes) == ("Same", ())


def test_an_entry_that_one_takes_out_while_the_other_changes_it_stays_whole() -> None:
    base = {**KIT, "prices": [*KIT["prices"], SECOND]}
    dearer = {**base, "prices": [*KIT["prices"], {**SECOND, "amount": {"EUR": "10.00"}}]}
    for mine, theirs in ((dearer, KIT), (KIT, dearer)):
        both = merged(base, mine, theirs)
        assert both.body == mine
        assert both.clashes == (("prices", "#two"),)
    assert merged(base, base, KIT).body == KIT, "nobody has changed what was taken out"


@given(bodies, bodies)
def test_differences_are_empty_exactly_where_nothing_differs(before: Any, after: Any) -> None:
    assert bool(differences(before, after)) == (leaves(before) != leaves(after))


@given(bodies, bodies)
def test_who_alone_has_changed_something_loses_nothing(base: Any, mine: Any) -> None:
    for both in (merged(base, mine, base), merged(base, base, mine), merged(base, mine, mine)):
        assert leaves(both.body) == leaves(mine)
        assert both.clashes == ()


@given(bodies, bodies, bodies)
def test_a_merge_holds_nothing_that_none_of_the_three_had(base: Any, mine: Any, theirs: Any) -> None:
    both = merged(base, mine, theirs)
    sides = [leaves(side) for side in (base, mine, theirs)]
    for path, value in leaves(both.body).items():
        assert any(path in side and side[path] == value for side in sides) or value in ({}, [])
    for path in both.clashes:
        ours, others = ({p: v for p, v in side.items() if p[: len(path)] == path} for side in sides[1:])
        assert ours != others


def test_variants_held_prices_and_coupons_are_told_by_name() -> None:
    before = {
        "variants": [{"id": "moss", "name": "Moss"}],
        "contains": [{"price": "kit", "quantity": 1}, {"price": "thread", "quantity": 2}],
        "prices": [{"id": "m", "kind": "recurring", "every": "P1M", "amount": {"EUR": "24.00"}}],
    }
    after = {
        "variants": [{"id": "moss", "name": "Moss", "stock": 4}, {"id": "chalk", "name": "Chalk"}],
        "contains": [{"price": "thread", "quantity": 3}],
        "prices": [
            {"id": "m", "kind": "recurring", "every": "P3M", "amount": {"EUR": "24.00"}, "start": {"free": "P7D"}}
        ],
    }
    assert [(d.what, d.before, d.after) for d in differences(before, after)] == [
        ("held price kit", "price kit, quantity 1", None),
        ("held price thread, quantity", "2", "3"),
        ("price m, every", "month", "3 months"),
        ("variant moss, stock", None, "4"),
        ("variant chalk", None, "name Chalk"),
        ("price m, start, free", None, "week"),
    ]
    coupon = differences(
        {"id": "C", "percent": "10", "per_customer": 1}, {"id": "C", "percent": "15", "automatic": True}
    )
    assert [(d.what, d.before, d.after) for d in coupon] == [
        ("percent", "10", "15"),
        ("orders a customer", "1", None),
        ("comes by itself", None, "yes"),
    ]


def test_a_change_of_delivery_is_told_without_a_code_word() -> None:
    post = {"id": "post", "name": "Post", "amount": {"EUR": "6.00"}}
    before = {"zones": [{"name": "Home", "places": ["NL"], "methods": [post]}]}
    dearer = {"zones": [{"name": "Home", "places": ["NL", "BE"], "methods": [{**post, "amount": {"EUR": "7.00"}}]}]}
    told = [(one.what, one.before, one.after) for one in differences(before, dearer)]
    assert told == [("zone 1, places", "NL", "NL, BE"), ("zone 1, way of delivery post, EUR", "6.00", "7.00")]
    heavy = {"id": "heavy", "name": "Cart", "by_weight": [{"up_to_g": 1000, "amount": {"EUR": "3.00"}}]}
    (one,) = differences(before, {"zones": [{**before["zones"][0], "methods": [post, heavy]}]})
    assert one.what == "zone 1, way of delivery heavy"
    assert one.after == "name Cart, step by weight 1, up to grams 1000, step by weight 1, EUR 3.00"


@pytest.mark.parametrize(
    ("before", "after", "told"),
    [
        ({"every": "P1M"}, {"every": "P1Y"}, ("every", "month", "year")),
        ({"unused": "given_back"}, {"unused": "kept"}, ("unused time", "given back", "kept")),
        ({"customers_may": ["cancel"]}, {"customers_may": []}, ("what customers may do", "cancel", "none")),
    ],
)
def test_values_are_told_as_people_say_them(before: Any, after: Any, told: tuple[str, str, str]) -> None:
    (one,) = differences(before, after)
    assert (one.what, one.before, one.after) == told


def test_a_rate_of_tax_is_told_in_percent() -> None:
    rate = {"place": "US-NY", "counts_as": "standard", "name": "Sales tax", "rate": "0.08"}
    (one,) = differences({"rates": [rate]}, {"rates": [{**rate, "rate": "0.08875"}]})
    assert (one.before, one.after) == ("8 %", "8.875 %")
