"""The arithmetic of tax: included and on top, untaxed, by line and by rate, several taxes, low values, delivery."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.check.site import check_data
from skurrow.core.edition import Edition, compile_site
from skurrow.core.money import MINOR_UNITS, parse_amount
from skurrow.core.order import QuoteRefused, read_order
from skurrow.core.problems import InvalidInput
from skurrow.core.quote.pricing import Pricing
from skurrow.core.quote.quote import quote, quotes_by_way, schedule
from tests.core.sites import plain

AT = "2026-11-24T10:00:00Z"
CURRENCIES = [
    {"code": "EUR"},
    {"code": "GBP", "rate": "0.86", "round_to": "0.50"},
    {"code": "USD", "rate": "1.08", "tax_included": False},
    {"code": "NOK", "rate": "11.50"},
    {"code": "JPY", "rate": "170"},
]
TAX = {
    "registrations": [{"place": "NL"}, {"scheme": "EU-OSS"}, {"place": "US-NY"}, {"place": "GB"}, {"place": "NO"}],
    "rates": [
        {"place": "US-NY", "postal_prefix": "100", "name": "Sales tax", "rate": "0.08875"},
        {"place": "US-NY", "name": "Sales tax", "rate": "0.04"},
    ],
}
POST: dict[str, Any] = {"id": "post", "name": "Post", "amount": {"EUR": "4.95"}, "free_from": {"EUR": "75.00"}}
DELIVERY = {
    "zones": [
        {"name": "Netherlands", "places": ["NL"], "methods": [POST, {"id": "here", "name": "Fetch", "pick_up": True}]},
        {"name": "Islands", "places": ["NL 88", "ES 35"], "methods": [{**POST, "amount": {"EUR": "9.00"}}]},
        {"name": "Elsewhere", "places": ["*"], "methods": [{"id": "post", "name": "Post", "amount": {"EUR": "19.00"}}]},
    ]
}


def goods(name: str, amount: str, **more: Any) -> dict[str, Any]:
    price = {"id": name, "kind": "once", "amount": {"EUR": amount}, **more.pop("price", {})}
    return {"id": name, "name": name.title(), "kind": "goods", "prices": [price], **more}


PRODUCTS = [
    goods("kit", "48.00", weight_g=850),
    goods("book", "20.00", counts_as="book", weight_g=400),
    goods("film", "30.00", kind="digital"),
    goods("press", "112.00", price={"kind": "instalments", "every": "P1M", "payments": 3}),
    goods("parcel", "24.00", price={"kind": "recurring", "every": "P1M", "start": {"free": "P14D"}}),
    goods("course", "60.00", kind="service", price={"kind": "instalments", "every": "P1M", "payments": 3}),
    goods("talk", "60.00", kind="event", price={"kind": "instalments", "every": "P1M", "payments": 3}),
]


def site(**more: Any) -> Edition:
    data = {
        **plain(),
        "currencies": CURRENCIES,
        "tax": TAX,
        "delivery": DELIVERY,
        "products": PRODUCTS,
        "checkouts": [],
    }
    data["tax"] = {**TAX, **more.pop("tax", {})}
    return compile_site(check_data({**data, **more}))


SITE = site()


def order(
    *items: Any, to: str = "NL", delivery: str | None = "post", currency: str = "EUR", **more: Any
) -> dict[str, Any]:
    country, _, postal = to.partition(" ")
    wanted = [item if isinstance(item, dict) else {"price": item} for item in items]
    buyer = {"country": country, "postal_code": postal or None, **more.pop("buyer", {})}
    return {"at": AT, "currency": currency, "items": wanted, "buyer": buyer, "delivery": delivery, **more}


def quoted(under: Edition, *items: Any, **more: Any) -> dict[str, Any]:
    return quote(under, read_order(order(*items, **more))).as_json()


def lines(result: dict[str, Any]) -> list[tuple[str, str, str, str]]:
    return [(one["untaxed"], one["net"], one["tax"], one["total"]) for one in result["lines"]]


def sent(result: dict[str, Any]) -> tuple[str, str, str, str] | None:
    one = result["delivery"]
    return one and (one["untaxed"], one["net"], one["tax"], one["total"])


# -- included, on top, untaxed ----------------------------------------------------------------------------------


def test_an_included_total_stays_whatever_the_rate() -> None:
    for to, tax in (("NL", "8.33"), ("DE 10115", "7.66"), ("HU", "10.20"), ("PT 9000-001", "8.66")):
        assert lines(quoted(SITE, "kit", to=to))[0][2:] == (tax, "48.00")


def test_where_no_tax_is_due_the_home_tax_comes_off_or_the_amount_is_kept() -> None:
    assert lines(quoted(SITE, "kit", "book", to="JP")) == [
        ("8.33", "39.67", "0.00", "39.67"),
        ("1.65", "18.35", "0.00", "18.35"),
    ]
    kept = quoted(site(tax={"when_untaxed": "keep"}), "kit", to="JP")
    assert (lines(kept), sent(kept)) == ([("0.00", "48.00", "0.00", "48.00")], ("0.00", "19.00", "0.00", "19.00"))
    exempt = quoted(site(tax={"exempt": {"sentence": "Small business."}}), "kit", to="JP")
    assert lines(exempt) == [("0.00", "48.00", "0.00", "48.00")]
    assert exempt["taxes"][0]["treatment"] == "exempt"


def test_untaxed_entries_stand_among_the_taxes_one_a_place_and_treatment() -> None:
    result = quoted(SITE, "kit", "film", to="JP")
    assert [(t["place"], t["treatment"], t["rate"], t["base"], t["amount"]) for t in result["taxes"]] == [
        ("JP", "export", "0.00", "55.37", "0.00"),
        ("JP", "outside", "0.00", "24.79", "0.00"),
    ]


def test_on_top_tax_is_added_and_nothing_comes_off() -> None:
    result = quoted(SITE, "kit", to="US 10001", currency="USD")
    assert result["tax_included"] is False
    assert lines(result) == [("0.00", "51.84", "4.60", "56.44")]
    assert sent(result) == ("0.00", "20.52", "1.82", "22.34")
    assert lines(quoted(SITE, "kit", to="US 97201", currency="USD")) == [("0.00", "51.84", "0.00", "51.84")]


def test_several_taxes_are_shared_by_rate_or_each_rounded() -> None:
    home = {**plain()["site"], "country": "CA"}
    tax = {"registrations": [{"place": "CA"}, {"place": "CA-QC"}], "rates": []}
    products = [goods("kit", "49.90", kind="digital")]
    for included, expected in ((False, ("2.50", "4.98", "57.38")), (True, ("2.17", "4.33", "49.90"))):
        under = site(site=home, tax={**tax, "included": included}, products=products, currencies=[{"code": "EUR"}])
        result = quoted(under, "kit", to="CA H2X 1Y4", delivery=None)
        assert (*[t["amount"] for t in result["taxes"]], result["due_today"]) == expected
        assert [(t["place"], t["name"], t["rate"]) for t in result["taxes"]] == [
            ("CA", "GST", "0.05"),
            ("CA-QC", "QST", "0.09975"),
        ]


def test_rounding_by_rate_rounds_the_sum_and_shares_it() -> None:
    items = [{"price": "book", "quantity": 1} for _ in range(3)]
    by_line, by_rate = (
        site(products=[goods("book", "0.10")]),
        site(products=[goods("book", "0.10")], tax={"rounding": "rate"}),
    )
    assert [one[2] for one in lines(quoted(by_line, *items, delivery="here"))] == ["0.02", "0.02", "0.02"]
    result = quoted(by_rate, *items, delivery="here")
    assert [one[2] for one in lines(result)] == ["0.02", "0.02", "0.01"]
    assert (result["tax_total"], result["taxes"][0]["amount"]) == ("0.05", "0.05")
    with_post = quoted(by_rate, *items)  # 0.30 and 4.95 at 21 %: 0.911… in all
    assert ([one[2] for one in lines(with_post)], sent(with_post)) == (
        ["0.02", "0.02", "0.01"],
        ("0.00", "4.09", "0.86", "4.95"),
    )
    assert with_post["tax_total"] == "0.91"


# -- low values ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("items", "to", "currency", "treatment"),
    [
        ([{"price": "kit", "quantity": 3}], "GB", "GBP", "standard"),  # 3 × 41.50 = 124.50, 103.75 without tax
        ([{"price": "kit", "quantity": 4}], "GB", "GBP", "export"),  # 166.00, 138.33 without tax
        ([{"price": "kit", "quantity": 3}, {"price": "kit"}], "GB", "GBP", "export"),
        ([{"price": "kit", "quantity": 3}], "GB", "EUR", "standard"),  # 144.00 EUR are 123.84 GBP, 103.20 without tax
        ([{"price": "kit", "quantity": 4}], "GB", "EUR", "export"),
        ([{"price": "press"}], "GB", "EUR", "export"),  # all three payments count: 336.00 EUR, 240.80 GBP without tax
        ([{"price": "kit", "quantity": 9}], "NO", "EUR", "standard"),  # each is worth 441.60 NOK without tax
        ([{"price": "press"}], "NO", "EUR", "export"),  # 3,091.20 NOK without tax
    ],
)
def test_goods_above_a_low_value_are_an_export(items: list[Any], to: str, currency: str, treatment: str) -> None:
    result = quoted(SITE, *items, to=to, currency=currency)
    assert {tax["treatment"] for tax in result["taxes"]} == {treatment}
    assert ("above_low_value" in [note["code"] for note in result["notes"]]) == (treatment == "export")


def test_what_is_above_a_low_value_today_holds_for_the_whole_set() -> None:
    result = quoted(SITE, "press", "film", to="GB", currency="EUR")
    assert [tax["treatment"] for tax in result["taxes"]] == ["export", "standard"]
    assert [(day["tax"], day["total"]) for day in result["later"]] == [("0.00", "92.56"), ("0.00", "92.56")]


# -- delivery -------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("items", "to", "expected"),
    [
        (["kit"], "NL", ("0.00", "4.09", "0.86", "4.95")),
        ([{"price": "kit", "quantity": 2}], "NL", ("0.00", "0.00", "0.00", "0.00")),
        (["kit"], "NL 8801 AB", ("0.00", "7.44", "1.56", "9.00")),
        (["kit"], "DE", ("0.00", "15.97", "3.03", "19.00")),
        (["kit"], "JP", ("3.30", "15.70", "0.00", "15.70")),
        (["film"], "NL", None),
        (["parcel"], "NL", None),
        (["kit", "film"], "NL", ("0.00", "4.09", "0.86", "4.95")),
    ],
)
def test_delivery_is_charged_with_goods_and_taxed_as_they_are(
    items: list[Any], to: str, expected: tuple[str, ...] | None
) -> None:
    assert sent(quoted(SITE, *items, to=to)) == expected


def test_delivery_is_split_over_the_rates_of_the_goods() -> None:
    result = quoted(SITE, "kit", {"price": "book"}, {"price": "book"}, to="DE")  # 48.00 at 19 %, 40.00 at 7 %
    assert sent(result) == ("0.00", "16.78", "2.22", "19.00")  # 10.36 and 8.64
    assert result["due_today"] == "107.00"
    taxes = {tax["rate"]: (tax["base"], tax["amount"]) for tax in result["taxes"]}
    assert taxes == {"0.19": ("49.05", "9.31"), "0.07": ("45.45", "3.19")}


def test_worthless_goods_are_sent_at_the_rate_of_the_first() -> None:
    items = [{"price": name, "own_discount": {"percent": "100"}} for name in ("book", "kit")]
    result = quoted(SITE, *items, to="DE")
    assert sent(result) == ("0.00", "16.49", "2.51", "19.00")  # by values before discount: 5.59 at 7 %, 13.41 at 19 %
    free = site(
        products=[goods("book", "1.00", counts_as="book", price={"amount": None, "chosen": {"minimum": {"EUR": "0"}}})]
    )
    result = quoted(free, {"price": "book", "chosen": "0.00"}, to="DE")
    assert sent(result) == ("0.00", "17.76", "1.24", "19.00")


def test_delivery_comes_with_every_parcel_and_once_a_set() -> None:
    rows = schedule(SITE, read_order(order("parcel", to="DE")), date(2027, 2, 10))
    assert [(row["on"], row["total"]) for row in rows] == [
        ("2026-12-08", "43.00"),
        ("2027-01-08", "43.00"),
        ("2027-02-08", "43.00"),
    ]
    rows = schedule(SITE, read_order(order("press", to="DE")), date(2027, 12, 31))
    assert [row["total"] for row in rows] == ["131.00", "112.00", "112.00"]
    later = quoted(SITE, "parcel", to="DE")["later"][0]
    assert (later["delivery"], later["total"]) == ("19.00", "43.00")
    assert later["reasons"][-1]["text"] == "Post: 19.00, for what is sent then."


def test_picking_up_costs_nothing_and_is_taxed_at_home() -> None:
    for method in (None, "here"):
        result = quoted(SITE, "kit", delivery=method)
        assert (result["delivery"], result["due_today"]) == (None, "48.00")
    assert quoted(SITE, "kit", to="DE", delivery=None)["taxes"][0]["place"] == "NL"


def test_a_parcel_may_go_elsewhere_than_to_the_buyer() -> None:
    result = quoted(SITE, "kit", "film", to="NL", buyer={"deliver_to": {"country": "DE", "postal_code": "10115"}})
    assert [tax["place"] for tax in result["taxes"]] == ["DE", "NL"]
    assert sent(result) == ("0.00", "15.97", "3.03", "19.00")


STEPS: dict[str, Any] = {
    "id": "post",
    "name": "Post",
    "by_weight": [
        {"up_to_g": 1000, "amount": {"EUR": "5.00"}},
        {"up_to_g": 2000, "amount": {"EUR": "8.00"}},
    ],
    "each": {"EUR": "0.50"},
}
VALUES: dict[str, Any] = {
    "id": "post",
    "name": "Post",
    "by_value": [{"up_to": {"EUR": "50.00"}, "amount": {"EUR": "6.00"}}, {"amount": {"EUR": "3.00"}}],
}


@pytest.mark.parametrize(
    ("method", "quantity", "total"),
    [(STEPS, 1, "5.50"), (STEPS, 2, "9.00"), (VALUES, 1, "6.00"), (VALUES, 2, "3.00")],
)
def test_methods_by_weight_piece_and_value(method: dict[str, Any], quantity: int, total: str) -> None:
    under = site(delivery={"zones": [{"name": "All", "places": ["*"], "methods": [method]}]})
    found = sent(quoted(under, {"price": "kit", "quantity": quantity}))
    assert found is not None
    assert found[3] == total


@pytest.mark.parametrize("to", ["NL", "NL 8801 AB", "DE", "GB"])
def test_asked_of_each_way_at_once_it_is_the_quote_of_each(to: str) -> None:
    asked = read_order(order("kit", "parcel", "book", to=to, delivery=None))
    names = ["post", "here"] if to == "NL" else ["post"]
    found = quotes_by_way(site(), asked, names)
    assert list(found) == names
    for name, one in found.items():
        apart = quote(site(), asked.model_copy(update={"delivery": name}))
        assert one.as_json() == apart.as_json()


def test_a_way_that_does_not_take_the_parcel_is_left_out_and_refused_where_it_is_the_only_one() -> None:
    methods = [{**STEPS, "id": "small"}, POST]
    under = site(delivery={"zones": [{"name": "All", "places": ["*"], "methods": methods}]})
    asked = read_order(order({"price": "kit", "quantity": 3}, to="DE", delivery=None))
    assert list(quotes_by_way(under, asked, ["small", "post"])) == ["post"]
    with pytest.raises(QuoteRefused, match="cannot be had"):
        quotes_by_way(under, asked, ["small"])


@pytest.mark.parametrize(
    ("delivery", "items", "to", "says"),
    [
        ([{"name": "NL", "places": ["NL"], "methods": [POST]}], ["kit"], "DE", "Nothing can be sent to this address"),
        ([{"name": "DE", "places": ["DE"], "methods": []}], ["kit"], "DE", "Nothing can be sent to this address"),
        (
            [{"name": "All", "places": ["*"], "methods": [{**POST, "id": "van"}]}],
            ["kit"],
            "DE",
            "no way of delivery called",
        ),
        (
            [{"name": "All", "places": ["*"], "methods": [STEPS]}],
            [{"price": "kit", "quantity": 3}],
            "DE",
            "cannot be had",
        ),
    ],
)
def test_what_cannot_be_sent_is_refused(delivery: list[Any], items: list[Any], to: str, says: str) -> None:
    with pytest.raises(QuoteRefused) as refused:
        quoted(site(delivery={"zones": delivery}), *items, to=to)
    (problem,) = refused.value.problems
    assert (problem.where, says in problem.message, bool(problem.remedy)) == ("delivery", True, True)


@pytest.mark.parametrize(
    ("change", "where", "says"),
    [
        ({"registrations": [{"place": "NL"}, {}]}, "tax.registrations[1]", "either at a place or under a scheme"),
        ({"registrations": [{"place": "NL"}, {"place": "XX"}]}, "tax.registrations[1].place", "no country"),
        ({"registrations": [{"place": "NL"}, {"place": "US"}]}, "tax.registrations[1].place", "with a state"),
        ({"registrations": [{"place": "NL"}, {"place": "AU"}]}, "tax.registrations[1].place", "reckoned in AUD"),
        (
            {"registrations": [{"place": "NL", "from": "2027-01-02", "until": "2027-01-01"}]},
            "tax.registrations[0].until",
            "before it begins",
        ),
        ({"rates": [{"place": "XX", "name": "Tax", "rate": "0.1"}]}, "tax.rates[0].place", "no country"),
        ({"rates": [{"place": "US-NY", "name": "Tax", "rate": "0.1"}] * 2}, "tax.rates[1]", "another rate"),
        ({"registrations": [{"scheme": "EU-OSS"}]}, "tax.registrations", "not registered at home"),
    ],
)
def test_tax_that_is_set_up_wrongly_is_told(change: dict[str, Any], where: str, says: str) -> None:
    with pytest.raises(InvalidInput) as refused:
        site(tax=change)
    assert (where, True) in [(p.where, says in p.message) for p in refused.value.problems]


def test_the_eu_schemes_of_sellers_outside_are_not_supported() -> None:
    home = {**plain()["site"], "country": "GB"}
    with pytest.raises(InvalidInput) as refused:
        site(site=home, tax={"registrations": [{"place": "GB"}, {"scheme": "EU-OSS"}]})
    assert "not supported" in refused.value.problems[0].message


@pytest.mark.parametrize(
    ("method", "where", "says"),
    [
        ({"id": "a", "name": "A"}, "amount", "has no amount"),
        ({**STEPS, "amount": {"EUR": "1"}}, "amount", "has amount and by weight"),
        ({"id": "a", "name": "A", "pick_up": True, "amount": {"EUR": "1"}}, "amount", "Nothing is charged"),
        ({"id": "a", "name": "A", "amount": {"USD": "1"}}, "amount.EUR", "base currency"),
        ({**STEPS, "by_weight": STEPS["by_weight"][::-1]}, "by_weight[1].up_to_g", "beyond the step before"),
        ({**VALUES, "by_value": VALUES["by_value"][::-1]}, "by_value[0].up_to", "Only the last step"),
        ({**VALUES, "by_value": VALUES["by_value"][:1] * 2}, "by_value[1].up_to", "beyond the step before"),
    ],
)
def test_a_method_that_cannot_be_reckoned_is_told(method: dict[str, Any], where: str, says: str) -> None:
    with pytest.raises(InvalidInput) as refused:
        site(delivery={"zones": [{"name": "All", "places": ["*"], "methods": [method]}]})
    found = {p.where: f"{p.message} {p.remedy}" for p in refused.value.problems}
    assert says in found.get(f"delivery.zones[0].methods[0].{where}", ""), found


@pytest.mark.parametrize("place", ["NL 88", "NL-FR", "NL", "*"])
def test_the_most_specific_place_wins(place: str) -> None:
    order_of = ["*", "NL", "NL-FR", "NL 88"]
    zones = [{"name": one, "places": [one], "methods": [POST]} for one in order_of[: order_of.index(place) + 1]]
    found = site(delivery={"zones": zones}).zones.of("NL", "FR", "8801 AB")
    assert found is not None
    assert found.name == place


# -- properties ---------------------------------------------------------------------------------------------------

EDITIONS = [SITE, site(tax={"rounding": "rate"}), site(tax={"when_untaxed": "keep", "rounding": "rate"})]
NAMES = [one["id"] for one in PRODUCTS]
WANTED = st.lists(
    st.fixed_dictionaries(
        {"price": st.sampled_from(NAMES), "quantity": st.integers(1, 9)},
        optional={"own_discount": st.sampled_from([{"percent": "10"}, {"percent": "100"}, {"amount": "3"}])},
    ),
    min_size=1,
    max_size=6,
)
PLACES = st.sampled_from(
    ["NL", "NL 8801", "DE", "PT 9500", "GB", "GB BT1", "NO", "US 10001", "US 97201", "ES 35001", "JP"]
)


@given(
    st.sampled_from(EDITIONS),
    WANTED,
    PLACES,
    st.sampled_from(["EUR", "GBP", "USD", "JPY"]),
    st.sampled_from(["post", None]),
)
def test_net_and_tax_make_the_total_and_sums_add_up(
    under: Edition, items: list[Any], to: str, currency: str, delivery: str | None
) -> None:
    items = [{k: v for k, v in item.items() if k != "own_discount" or currency != "JPY"} for item in items]
    result = quoted(under, *items, to=to, currency=currency, delivery=delivery)
    assert (
        result["due_today"].partition(".")[2] == "0" * 0
        or len(result["due_today"].partition(".")[2]) == MINOR_UNITS[currency]
    )

    def minor(text: str) -> int:
        return parse_amount(text, currency)

    parts = [*result["lines"], *([result["delivery"]] if result["delivery"] else [])]
    for part in parts:
        assert minor(part["net"]) + minor(part["tax"]) == minor(part["total"])
    for line in result["lines"]:
        left = minor(line["subtotal"]) - minor(line["discount"])
        assert left == minor(line["total"]) + minor(line["untaxed"]) - (
            0 if result["tax_included"] else minor(line["tax"])
        )
    assert sum(minor(part["total"]) for part in parts) == minor(result["due_today"])
    assert sum(minor(part["tax"]) for part in parts) == minor(result["tax_total"])
    assert sum(minor(tax["amount"]) for tax in result["taxes"]) == minor(result["tax_total"])
    for day in result["later"]:
        assert minor(day["net"]) + minor(day["tax"]) == minor(day["total"])


@given(WANTED, st.sampled_from(["NL", "DE", "HU", "PT 9500", "US 10001"]))
def test_an_included_total_never_depends_on_the_rate(items: list[Any], to: str) -> None:
    home, there = quoted(SITE, *items, delivery=None), quoted(SITE, *items, to=to, delivery=None)
    assert home["due_today"] == there["due_today"]


@given(WANTED, PLACES)
def test_a_schedule_says_what_the_quote_says(items: list[Any], to: str) -> None:
    result = quoted(SITE, *items, to=to)
    rows = {row["on"]: row for row in schedule(SITE, read_order(order(*items, to=to)), date(2027, 12, 24))}
    for day in result["later"]:
        assert (rows[day["on"]]["tax"], rows[day["on"]]["total"]) == (day["tax"], day["total"])


PEOPLE = st.fixed_dictionaries(
    {},
    optional={
        "business": st.booleans(),
        "tax_number": st.sampled_from(["DE136695976", "BE0428759497", "GB980780684", "X"]),
        "tax_number_confirmed": st.sampled_from([True, False, None]),
        "deliver_to": st.sampled_from([{"country": "DE"}, {"country": "US", "region": "NY", "postal_code": "10001"}]),
    },
)


@given(st.sampled_from(EDITIONS), WANTED, PLACES, PEOPLE, st.sampled_from(["post", "collect", None]))
def test_a_quote_that_was_kept_for_others_is_the_one_that_is_made_anew(
    under: Edition, items: list[Any], to: str, person: dict[str, Any], delivery: str | None
) -> None:
    asked = order(*items, to=to, delivery=delivery)
    asked["buyer"] |= person
    read = read_order(asked)
    try:
        anew = Pricing(under, read).quote()
    except QuoteRefused:
        with pytest.raises(QuoteRefused):
            quote(under, read)
        return
    assert quote(under, read).as_json() == anew.as_json()
    assert quote(under, read).as_json(explained=False) == anew.as_json(explained=False)


def test_a_rate_change_applies_from_its_day_and_not_before() -> None:
    tax = {"registrations": [{"place": "NL"}, {"scheme": "EU-OSS", "from": "2027-01-01"}]}
    under = site(
        tax=tax, products=[goods("film", "30.00", kind="digital", price={"kind": "recurring", "every": "P1M"})]
    )
    result = quoted(under, "film", to="HU", delivery=None)
    assert [day["tax"] for day in [{"tax": result["tax_total"]}, *result["later"]]][:4] == [
        "5.21",
        "5.21",
        "6.38",
        "6.38",
    ]
    old = quote(under, read_order({**order("film", to="EE", delivery=None), "at": "2025-06-01T00:00:00Z"})).as_json()
    assert (old["tax_total"], old["later"][0]["tax"]) == ("5.21", "5.21"), "below the threshold: at home"


def test_instalments_of_goods_are_taxed_at_supply_and_of_a_service_or_an_event_when_paid() -> None:
    tax = {"registrations": [{"place": "NL"}, {"scheme": "EU-OSS", "from": "2026-12-01"}]}
    assert [day["tax"] for day in quoted(site(tax=tax), "press", to="HU")["later"]] == ["19.44", "19.44"]
    estonia = {**plain()["site"], "country": "EE"}  # 22 % until June 2025, 24 % from July on
    under = site(site=estonia, tax={"registrations": [{"place": "EE"}], "rates": []})
    for name, taxes in (
        ("press", ["20.20", "20.20", "20.20"]),
        ("course", ["10.82", "11.61", "11.61"]),
        ("talk", ["10.82", "11.61", "11.61"]),
    ):
        at = {**order(name, to="EE", delivery=None), "at": "2025-06-15T10:00:00Z"}
        result = quote(under, read_order(at)).as_json()
        assert [result["tax_total"], *[day["tax"] for day in result["later"]]] == taxes


def test_a_low_value_limit_takes_a_coupon_that_is_shared_anew_off_the_goods_once() -> None:
    """Two goods at GBP 150.00 less 100.00 together are worth 200.00, 166.67 without tax: more than GBP 135."""
    off = {"id": "HUNDRED", "name": "Hundred", "amount": {"GBP": "100.00", "EUR": "100.00"}, "renewals": 1}
    dear = [goods(name, "150.00", price={"amount": {"EUR": "150.00", "GBP": "150.00"}}) for name in ("a", "b")]
    under = site(products=dear, coupons=[off])
    result = quoted(under, "a", "b", to="GB", currency="GBP", coupons=["HUNDRED"])
    assert ([one["treatment"] for one in result["taxes"]], result["tax_total"]) == (["export"], "0.00")
    # What else shares it does not count towards the limit, and takes its part of the coupon all the same.
    film = goods("film", "150.00", kind="digital", price={"amount": {"EUR": "150.00", "GBP": "150.00"}})
    under = site(products=[dear[0], film], coupons=[off])
    result = quoted(under, "a", "film", to="GB", currency="GBP", coupons=["HUNDRED"])
    assert {one["treatment"] for one in result["taxes"]} == {"standard"}, "100.00, 83.33 without tax"


def test_a_set_that_would_end_after_the_last_year_is_worth_what_can_be_charged_of_it() -> None:
    late = {**order("press", to="GB", currency="EUR"), "at": "9999-12-01T10:00:00Z"}
    result = quote(SITE, read_order(late)).as_json()
    assert [one["treatment"] for one in result["taxes"]] == ["standard"], "one payment, 80.27 GBP without tax"


@pytest.mark.parametrize("rate", ["0.21", "0.25"])
def test_a_row_with_the_value_of_the_standard_rate_is_the_standard_rate(rate: str) -> None:
    """Digital at 1.02 and a book at 1.02, rounded by rate: 0.35 of 2.04 at 21 %, and not 0.18 twice."""
    tax = {"rounding": "rate", "rates": [{"place": "NL", "counts_as": "book", "name": "BTW", "rate": rate}]}
    two = [goods("film", "1.02", kind="digital"), goods("book", "1.02", counts_as="book")]
    result = quoted(site(products=two, tax=tax), "film", "book", delivery=None)
    assert {one["treatment"] for one in result["taxes"]} == {"standard"}, "reduced is below the standard rate"
    assert result["tax_total"] == {"0.21": "0.35", "0.25": "0.38"}[rate]
    assert len(result["taxes"]) == {"0.21": 1, "0.25": 2}[rate]
