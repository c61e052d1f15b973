"""The tape's rows and reasons, and what a review tells of a release."""

from __future__ import annotations

from datetime import UTC, datetime
from decimal import ROUND_HALF_UP, Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.draft.review import MOST_CHECKOUTS, review
from skurrow.core.edition import Edition
from skurrow.core.order import Buyer, Customer, Item, Order
from skurrow.core.quote.quote import quote
from skurrow.core.site.stand_in_buyers import StandInBuyer
from skurrow.core.tape.tape import Tape, Wanted, future, tape
from tests.core.sites import edition, plain, shop, sold, toll

NOW = datetime(2026, 11, 26, 10, tzinfo=UTC)
FEE = [toll()]


def made(
    price: str = "kit", quantity: int = 1, currency: str = "EUR", country: str = "NL", under: Edition | None = None
) -> Tape:
    return tape(under or edition(), Wanted(price, quantity), currency, Buyer(country=country), NOW, FEE)


def rows(one: Tape) -> list[tuple[str, str, str]]:
    return [(row.kind, row.label, row.amount) for row in one.rows]


def test_it_is_read_from_top_to_bottom() -> None:
    one = made(quantity=2)
    assert rows(one) == [
        ("line", "2 × Kit", "96.00"),
        ("tax", "VAT 21 % NL, included", "16.66"),
        ("due", "Due today", "96.00"),
        ("fee", "Card fee 2.9 % + 0.30", "3.08"),
        ("keep", "You keep", "76.26"),
    ]
    assert one.rows[0].reasons[-1].endswith("96.00.")
    assert one.rows[1].reasons == ("Taxed at home, in NL, at 21 %.",)


def test_keys_stay_while_amounts_change() -> None:
    kit = plain()["products"][0]
    dearer = edition(
        products=[{**kit, "prices": [{**kit["prices"][0], "amount": {"EUR": "50.00"}}]}, *plain()["products"][1:]]
    )
    assert [row.key for row in made().rows] == [row.key for row in made(under=dearer).rows]
    assert rows(made()) != rows(made(under=dearer))


def test_in_another_currency_the_amount_says_where_it_comes_from_and_no_fee_is_guessed() -> None:
    own, converted = made(currency="GBP"), made("lessons", currency="JPY", country="NL")
    assert own.rows[0].amount == "42.00"
    assert converted.rows[0].amount == "13400"
    assert own.rows[0].reasons != converted.rows[0].reasons
    assert {row.kind for row in own.rows} == {"line", "tax", "due"}


def test_where_nothing_can_be_sold_the_problem_stands_instead() -> None:
    one = made(quantity=11)
    assert one.rows == ()
    assert "10" in one.problems[0].message + one.problems[0].remedy


@given(st.integers(1, 10), st.sampled_from(["kit", "lessons", "handbook"]))
def test_it_says_what_the_quote_says_to_the_cent(quantity: int, price: str) -> None:
    count = quantity if price == "kit" else 1
    one = {row.kind: Decimal(row.amount) for row in made(price, count).rows}
    order = Order(at=NOW, currency="EUR", items=[Item(price=price, quantity=count)], buyer=Buyer(country="NL"))
    quoted = quote(edition(), order).as_json()
    assert one["due"] == Decimal(quoted["due_today"])
    assert one["tax"] == Decimal(quoted["tax_total"])
    # 2.9 % and 0.30, rounded half up once (the demo's tariff).
    fee = (one["due"] * Decimal("0.029")).quantize(Decimal("0.01"), ROUND_HALF_UP) + Decimal("0.30")
    assert one["fee"] == fee
    assert one["keep"] == one["due"] - one["tax"] - fee


def buyer(name: str = "jo", currency: str = "EUR") -> StandInBuyer:
    return StandInBuyer(id=name, name=name, person="P", email="p@example.org", country="NL", currency=currency)


def effects(
    before: Edition | None, after: Edition, *buyers: StandInBuyer
) -> list[tuple[str, str, str | None, str | None]]:
    found = review(before, after, buyers or (buyer(),), NOW)
    return [(e.kind, e.what, e.before, e.after) for one in found.buyers for e in one.effects]


def test_a_first_release_makes_everything_buyable() -> None:
    assert effects(None, edition()) == [("new", "pays", None, "EUR 48.00, tax 8.33")]
    assert effects(edition(), edition()) == []


def test_amounts_pages_and_what_is_gone_are_told_for_each_buyer() -> None:
    kit = plain()["products"][0]
    dearer = [
        {**kit, "prices": [{**kit["prices"][0], "amount": {"EUR": "50.00", "GBP": "42.00"}}]},
        *plain()["products"][1:],
    ]
    assert effects(edition(), edition(products=dearer), buyer(), buyer("al", "GBP")) == [
        ("amount", "pays", "EUR 48.00, tax 8.33", "EUR 50.00, tax 8.68")
    ]
    worded = [{"id": "kit", "name": "Kit", "prices": ["kit"], "heading": "Yours"}]
    assert effects(edition(), edition(checkouts=worded)) == [("page", "heading", "Kit", "Yours")]
    assert effects(edition(), edition(checkouts=[])) == [("gone", "pays", "EUR 48.00, tax 8.33", None)]
    other = [{"id": "kit", "name": "Kit", "prices": ["lessons"]}]
    assert [kind for kind, *_ in effects(edition(), edition(checkouts=other))] == ["amount", "page"]


def test_what_no_buyer_meets_is_no_effect() -> None:
    renamed = [*plain()["products"][:-1], {**plain()["products"][-1], "name": "Another name"}]
    assert effects(edition(), edition(products=renamed)) == []


@pytest.mark.parametrize("more", [0, 7])
def test_a_review_of_very_many_checkouts_says_how_many_it_left_out(more: int) -> None:
    many = [{"id": f"c{n}", "name": "C", "prices": ["kit"]} for n in range(MOST_CHECKOUTS + more)]
    found = review(None, edition(checkouts=many), [buyer()], NOW)
    assert (len(found.buyers[0].effects), found.left_out) == (MOST_CHECKOUTS, more)


def sold_tape(price: str, coupons: tuple[str, ...] = (), **more: object) -> Tape:
    return tape(sold(), Wanted(price, coupons=coupons, **more), "EUR", Buyer(country="NL"), NOW, FEE)  # type: ignore[arg-type]


def test_discounts_and_later_charges_are_rows_with_reasons() -> None:
    one = sold_tape("month", ("FIRST3",))
    assert rows(one)[:4] == [
        ("line", "Paper parcel", "24.00"),
        ("discount", "FIRST3", "-12.00"),
        ("tax", "VAT 21 % NL, included", "2.08"),
        ("due", "Due today", "12.00"),
    ]
    assert one.rows[1].reasons == ("50 % off, and off 2 of the later charges shown.",)
    later = [row for row in one.rows if row.kind == "later"]
    assert [(row.label, row.amount) for row in later][:3] == [
        ("26 Dec 2026", "12.00"),
        ("26 Jan 2027", "12.00"),
        ("26 Feb 2027", "24.00"),
    ]
    assert later[0].reasons == (
        "Paper parcel: 24.00 every month.",
        "FIRST3: 50 % off, 12.00 less, charge 2 of 3.",
        "Tax in it: 2.08.",
    )


def test_a_free_time_costs_nothing_today_and_no_fee_is_made_of_it() -> None:
    one = sold_tape("year")
    assert [row.kind for row in one.rows] == ["line", "tax", "due", "later", "later"]
    assert one.rows[0].reasons == ("Free for 2 weeks; the first charge is on 10 Dec 2026.",)


def test_a_coupon_that_does_not_count_says_why() -> None:
    assert sold_tape("month", ("FIVER",)).notes == (
        "The coupon FIVER counts from EUR 40.00 on: EUR 16.00 more is needed.",
    )


def test_a_variant_is_named_and_priced() -> None:
    assert rows(sold_tape("coloured", variant="chalk"))[0] == ("line", "Coloured kit, Chalk", "52.00")


@pytest.mark.parametrize(
    ("price", "days", "more"),
    [
        ("kit", ["26 Nov 2026 48.00"], ""),
        ("taste", ["26 Nov 2026 6.00", "26 Dec 2026 6.00", "26 Jan 2027 24.00", "26 Feb 2027 24.00"], "and so on"),
        ("year", ["10 Dec 2026 240.00", "10 Dec 2027 240.00", "10 Dec 2028 240.00", "10 Dec 2029 240.00"], "and so on"),
        ("press-4", ["26 Nov 2026 112.00", "26 Dec 2026 112.00", "26 Jan 2027 112.00", "26 Feb 2027 112.00"], ""),
        ("moved", [], ""),
    ],
)
def test_the_future_of_a_price(price: str, days: list[str], more: str) -> None:
    under = sold()
    found = future(under, under.prices[price], "EUR", NOW)
    assert ([f"{day} {amount}" for day, amount in found.days], found.more) == (days, more)


def test_a_review_tells_of_later_charges_and_of_every_choice() -> None:
    checkouts = [{"id": "club", "name": "Club", "prices": ["month", "year"]}]
    before = sold(checkouts=checkouts)
    products = shop()["products"]
    products[6]["prices"][0]["amount"] = {"EUR": "25.00"}
    products[6]["prices"][2]["start"] = {"free": "P21D"}
    after = sold(products=products, checkouts=checkouts)
    (found,) = review(before, after, [buyer()], NOW).buyers
    assert [(effect.what, effect.before, effect.after) for effect in found.effects] == [
        (
            "pays for month",
            "EUR 24.00, tax 4.17, then 24.00 on 26 Dec 2026 and 11 more",
            "EUR 25.00, tax 4.34, then 25.00 on 26 Dec 2026 and 11 more",
        ),
        (
            "pays for year",
            "EUR 0.00, tax 0.00, then 240.00 on 10 Dec 2026 and 1 more",
            "EUR 0.00, tax 0.00, then 240.00 on 17 Dec 2026 and 1 more",
        ),
    ]


WALLET = toll("1.0", "0.10", gateway="wallet", label="Wallet")


@pytest.mark.parametrize(
    ("pays_with", "fee", "notes"),
    [
        (None, "Card fee 2.9 % + 0.30", ()),
        ("wallet", "Wallet fee 1.0 % + 0.10", ()),
        (
            "transfer",
            "Card fee 2.9 % + 0.30",
            ("They cannot pay with transfer: It is not connected, or not offered here.",),
        ),
    ],
)
def test_what_is_kept_is_reckoned_for_the_way_that_they_choose(
    pays_with: str | None, fee: str, notes: tuple[str, ...]
) -> None:
    one = tape(edition(), Wanted("kit"), "EUR", Buyer(country="NL"), NOW, [*FEE, WALLET], False, pays_with)
    assert [row.label for row in one.rows if row.kind == "fee"] == [fee]
    assert one.notes == notes


def test_what_is_for_new_customers_is_not_for_who_has_bought_before() -> None:
    site = sold(coupons=[{"id": "WELCOME", "percent": "10", "customer": "new"}])

    def off(customer: Customer | None) -> list[str]:
        one = tape(site, Wanted("kit", coupons=("WELCOME",)), "EUR", Buyer(country="NL"), NOW, customer=customer)
        return [row.amount for row in one.rows if row.kind == "discount"]

    assert off(None) == off(Customer(orders=0)) != []
    assert off(Customer(orders=1)) == []
