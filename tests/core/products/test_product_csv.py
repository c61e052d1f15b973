"""Products as CSV: what is written is read as the same, and every row says what it does."""

from __future__ import annotations

import copy
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.problems import Problem
from skurrow.core.products.product_csv import AMOUNT, columns, located, read, write
from tests.core.sites import shop

CURRENCIES = ["EUR", "GBP", "JPY"]

texts = st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=20).filter(
    lambda text: text.strip() == text and text not in ("-", "")
)
amounts = st.dictionaries(st.sampled_from(CURRENCIES), st.sampled_from(["1.00", "48.50", "0.01"]), min_size=1)
prices = st.builds(
    lambda amount, label, offered: {
        "kind": "once",
        "amount": amount,
        **({"label": label} if label else {}),
        **({} if offered else {"offered": False}),
    },
    amounts,
    st.one_of(st.none(), texts),
    st.booleans(),
)
products = st.lists(
    st.builds(
        lambda name, text, weight, priced: {
            "name": name,
            "kind": "goods",
            **({"text": text} if text else {}),
            **({"weight_g": weight} if weight is not None else {}),
            "prices": priced,
        },
        texts,
        st.one_of(st.none(), texts),
        st.one_of(st.none(), st.integers(0, 10_000)),
        st.lists(prices, min_size=1, max_size=3),
    ),
    max_size=4,
)


def named(found: list[dict[str, Any]]) -> dict[str, dict[str, Any]]:
    for n, product in enumerate(found):
        product["id"] = f"p{n}"
        for m, one in enumerate(product["prices"]):
            one["id"] = f"p{n}-{m}"
    return {product["id"]: product for product in found}


@given(products)
def test_what_is_written_is_read_as_the_same(found: list[dict[str, Any]]) -> None:
    there = named(found)
    again = read(write(there.values(), CURRENCIES), there, CURRENCIES)
    assert again.problems == []
    assert {row.effect for row in again.rows} <= {"same"}
    assert again.products == there


@given(products)
def test_what_is_written_makes_the_same_where_nothing_was(found: list[dict[str, Any]]) -> None:
    there = named(found)
    made = read(write(there.values(), CURRENCIES), {}, CURRENCIES)
    assert made.problems == []
    assert {row.effect for row in made.rows} <= {"new"}
    assert made.products == there


def test_nothing_that_was_there_is_touched() -> None:
    there = {product["id"]: product for product in shop()["products"]}
    before = copy.deepcopy(there)
    found = read("product_id,price_id,amount_EUR\nkit,kit,50.00\n", there, CURRENCIES)
    assert there == before
    assert found.products["kit"]["prices"][0]["amount"] == {"EUR": "50.00", "GBP": "42.00"}
    assert list(found.products) == ["kit"]


@pytest.mark.parametrize(
    ("cells", "changes", "left"),
    [
        ({"price_label": "-"}, ["price_label"], {}),
        ({"price_label": ""}, [], {"label": "Old"}),
        ({"price_label": "Old"}, [], {"label": "Old"}),
        ({"price_label": "New"}, ["price_label"], {"label": "New"}),
        ({"amount_GBP": "-"}, ["amount_GBP"], {"label": "Old"}),
        ({"price_offered": "yes"}, [], {"label": "Old"}),
        ({"price_offered": "NO"}, ["price_offered"], {"label": "Old", "offered": False}),
    ],
)
def test_an_empty_cell_changes_nothing_and_a_hyphen_clears(
    cells: dict[str, str], changes: list[str], left: dict[str, Any]
) -> None:
    price = {"id": "a", "kind": "once", "amount": {"EUR": "1.00", "GBP": "2.00"}, "label": "Old"}
    there = {"p": {"id": "p", "name": "P", "kind": "goods", "prices": [price]}}
    names = ["product_id", "price_id", *cells]
    text = ",".join(names) + "\n" + ",".join(["p", "a", *cells.values()]) + "\n"
    found = read(text, there, CURRENCIES)
    assert (found.problems, found.rows[0].changes) == ([], changes)
    body = found.products["p"]["prices"][0]
    assert {name: body[name] for name in ("label", "offered") if name in body} == left
    assert ("GBP" in body["amount"]) == ("amount_GBP" not in cells)


@pytest.mark.parametrize("sep", [",", ";", "\t"])
@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_spreadsheets_of_many_countries_are_understood(sep: str, end: str) -> None:
    text = "\ufeff" + end.join([f"product_id{sep}price_id{sep}amount_EUR", f"kit{sep}kit{sep}9.00", sep * 2, ""])
    found = read(text, {}, CURRENCIES)
    assert [(row.row, row.changes) for row in found.rows] == [(2, ["amount_EUR"])]


def test_a_problem_of_a_product_stands_in_its_cell() -> None:
    body = {"id": "p", "prices": [{"id": "a"}, {"id": "b"}]}
    cells = {("p", ""): 2, ("p", "a"): 2, ("p", "b"): 3}

    def where(*path: Any) -> tuple[int, str]:
        found = located(Problem(path, "is wrong", "Mend it"), "p", body, cells)
        return found.row, found.column

    assert where("name") == (2, "product_name")
    assert where("prices", 1, "amount", "GBP") == (3, "amount_GBP")
    assert where("prices", 1, "every") == (3, "price_every")
    assert where("prices", 0) == (2, "price_id")
    assert where() == (2, "")


def test_the_heading_names_every_column_once() -> None:
    found = columns(CURRENCIES)
    assert len(found) == len(set(found))
    assert [name for name in found if name.startswith(AMOUNT)] == ["amount_EUR", "amount_GBP", "amount_JPY"]
