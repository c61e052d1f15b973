"""Products as CSV: what is written is read as the same, and every row says what it does."""

from __future__ import annotations

import copy
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.problems import Problem
from skurrow.core.products.product_csv import AMOUNT, Cell, columns, located, read, write
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
    body = {"id": "p", "prices": [{"id": "a"}, {"id": "b"}], "variants": [{"id": "v"}]}
    cells = {Cell("p"): 2, Cell("p", "prices", "a"): 2, Cell("p", "prices", "b"): 3, Cell("p", "variants", "v"): 4}

    def where(*path: Any) -> tuple[int, str]:
        found = located(Problem(path, "is wrong", "Mend it"), "p", body, cells)
        return found.row, found.column

    assert where("name") == (2, "product_name")
    assert where("prices", 1, "amount", "GBP") == (3, "amount_GBP")
    assert where("prices", 1, "every") == (3, "price_every")
    assert where("prices", 0) == (2, "price_id")
    assert where("picture", "text") == (2, "product_picture_text")
    assert where("categories", 1) == (2, "product_categories")
    assert where("variants", 0, "amount", "GBP") == (4, "amount_GBP")
    assert where("variants", 0, "picture", "name") == (4, "variant_picture")
    assert where() == (2, "")


KIT: dict[str, Any] = {
    "id": "kit",
    "name": "Kit",
    "kind": "goods",
    "refund_days": 14,
    "categories": ["kits", "for beginners"],
    "picture": {"name": "kit.webp", "text": "An open box"},
    "prices": [{"id": "kit", "kind": "once", "amount": {"EUR": "48.00"}}],
    "variants": [
        {"id": "moss", "name": "Moss", "stock": 4, "picture": {"name": "moss.webp", "text": "In moss"}},
        {"id": "large", "name": "Large", "amount": {"EUR": "60.00"}},
    ],
}


def test_variants_pictures_categories_and_days_are_written_and_read_back() -> None:
    written = write([KIT], CURRENCIES)
    assert [line.split(",")[0] for line in written.splitlines()[1:]] == ["kit", "kit", "kit"]
    assert "An open box" not in "".join(written.splitlines()[2:]), "what is said of the product stands there once"
    kept = ["kit.webp", "moss.webp"]
    again = read(written, {}, CURRENCIES, kept)
    assert (again.problems, again.products) == ([], {"kit": KIT})
    assert [(row.price, row.variant) for row in again.rows] == [("kit", ""), ("", "moss"), ("", "large")]
    assert {row.effect for row in read(written, {"kit": KIT}, CURRENCIES, kept).rows} == {"same"}


@pytest.mark.parametrize(
    ("heading", "cells", "problem"),
    [
        ("variant_id,product_picture", "moss,sea.jpg", ("product_picture", "There is no picture “sea.jpg”")),
        ("variant_id,variant_picture_text", "moss,-", ("variant_picture_text", "A picture needs words")),
        ("variant_id,price_id", "moss,kit", ("variant_id", "names a price and a variant")),
        ("variant_id,variant_stock", "moss,four", ("variant_stock", "is no whole number")),
        ("variant_id,variant_stock", ",4", ("price_id", "is missing")),
        ("product_name", "Box", ("price_id", "The column is missing")),
    ],
)
def test_what_a_row_cannot_mean_is_said_in_its_cell(heading: str, cells: str, problem: tuple[str, str]) -> None:
    found = read(f"product_id,{heading}\nkit,{cells}\n", {"kit": KIT}, CURRENCIES, ["kit.webp"]).problems
    assert [(one.column, problem[1] in one.message) for one in found] == [(problem[0], True)]


def test_a_picture_may_be_named_as_its_file_was_called_and_is_cleared_with_its_words() -> None:
    text = "product_id,variant_id,product_picture,variant_picture\nkit,moss,Moss.JPG,-\n"
    found = read(text, {"kit": KIT}, CURRENCIES, ["kit.webp", "moss.webp"])
    assert found.rows[0].changes == ["product_picture", "variant_picture"]
    kit = found.products["kit"]
    assert kit["picture"] == {"name": "moss.webp", "text": "An open box"}
    assert "picture" not in kit["variants"][0]


def test_two_rows_that_say_different_things_of_a_product_are_refused() -> None:
    text = "product_id,price_id,product_name\nkit,kit,Box\nkit,gift,Kit\nkit,more,\nkit,most,Box\n"
    (problem,) = read(text, {"kit": KIT}, CURRENCIES).problems
    assert (problem.row, problem.column) == (3, "product_name")
    assert "row 2: “Box”" in problem.message


def test_the_heading_names_every_column_once() -> None:
    found = columns(CURRENCIES)
    assert len(found) == len(set(found))
    assert [name for name in found if name.startswith(AMOUNT)] == ["amount_EUR", "amount_GBP", "amount_JPY"]
