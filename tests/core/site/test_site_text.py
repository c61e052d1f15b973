"""Writing site files, and what orders need of stocks."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from skurrow.core.check.site import check_text
from skurrow.core.products.stock import needs, stocks_of
from skurrow.core.site import file as site_file
from skurrow.core.site import text as site_text
from tests.core.sites import shop, sold

words = st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=30).filter(
    lambda text: text.strip() == text and text != ""
)
awkward = st.sampled_from(
    ["NO", "yes", "null", "~", "1.0", "0x10", "2027-01-31", "1:30", "# no remark", "a: b", "- x", "'", '"', "{", "[a]"]
)


@given(st.one_of(words, awkward), st.one_of(words, awkward))
@settings(max_examples=50)
def test_whatever_a_name_is_it_is_read_as_it_was_written(name: str, text: str) -> None:
    data = shop()
    data["products"][0] |= {"name": name, "text": text}
    written = site_text.write(data)
    assert site_file.read(written).data == data
    assert site_text.write(site_file.read(written).data) == written, "canonical text stays as it is"


def test_the_shop_is_written_in_the_order_of_the_models_and_is_right() -> None:
    data = shop()
    scrambled = {name: data[name] for name in sorted(data, reverse=True)}
    scrambled["products"] = [dict(sorted(product.items(), reverse=True)) for product in data["products"]]
    assert site_text.write(scrambled) == site_text.write(data)
    check_text(site_text.write(data))
    lines = site_text.write(data).splitlines()
    assert lines[0] == "format: skurrow-site/1"
    assert '  - {id: FIRST3, percent: "50", renewals: 3}' in lines
    assert max(map(len, lines)) <= 120


def need(wanted: list[tuple[str, str | None, int]], under: Any = None) -> list[tuple[str, str, int, int]]:
    return [tuple(one) for one in needs(under or sold(), wanted)]  # type: ignore[misc]


@pytest.mark.parametrize(
    ("wanted", "expected"),
    [
        ([("kit", None, 3)], []),
        ([("coloured", "moss", 3)], [("colours", "", 3, 40)]),
        ([("coloured", "moss", 1), ("coloured", "chalk", 2)], [("colours", "", 3, 40)]),
    ],
)
def test_only_what_is_counted_is_needed(
    wanted: list[tuple[str, str | None, int]], expected: list[tuple[str, str, int, int]]
) -> None:
    assert need(wanted) == expected


def test_a_bundle_needs_what_it_holds_however_deep() -> None:
    products = shop()["products"]
    products[0]["stock"] = 5
    products[1]["contains"] = [{"price": "starter", "quantity": 2}]
    products[8]["contains"] = [{"price": "kit", "quantity": 3}, {"price": "coloured"}]
    assert need([("lessons", None, 2)], sold(products=products)) == [("colours", "", 4, 40), ("kit", "", 12, 5)]


def test_a_stock_is_the_products_or_each_variants() -> None:
    products = shop()["products"]
    del products[5]["stock"]
    products[5]["variants"][0]["stock"] = 7
    under = sold(products=products)
    found = under.product("colours")
    assert found is not None
    assert stocks_of(found) == [("moss", 7)]
    assert need([("coloured", "moss", 2)], under) == [("colours", "moss", 2, 7)]
    assert need([("coloured", "chalk", 2)], under) == []
