"""Ways to pay, what they cost, limits against fraud, and which order a transfer is for."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.check.site import check_data
from skurrow.core.order import Buyer
from skurrow.core.payments.costs import Tariff, cost, monthly_in_a_year, year
from skurrow.core.payments.guarding import Facts, judge
from skurrow.core.payments.transfers import Expected, Incoming, codes_in, match, rf_reference, spaced
from skurrow.core.payments.ways import Sale, Usable, offers, usable
from skurrow.core.problems import InvalidInput
from skurrow.core.tape.tape import Wanted, tape
from skurrow.service.payments.ways import statement
from tests.core.sites import edition, plain, toll

NOW = datetime(2026, 11, 26, 12, tzinfo=UTC)
CARDS = usable(
    "standin-cards", "Card", ["EUR", "GBP"], {"EUR": "0.50"}, {"EUR": "500.00"}, again=False, collected=False
)
SUBSCRIBES = Usable("again", "Card that stays", again=True)
DESK = Usable("collection", "When you collect it", collected=True)


def paying(**payments: Any) -> Any:
    return edition(payments=payments)


@pytest.mark.parametrize(
    ("way", "sale", "why"),
    [
        ({}, Sale("NL", "EUR", 4800), None),
        ({}, Sale("NL", "JPY", 4800), "It takes no JPY."),
        ({}, Sale("NL", "EUR", 49), "Only from 0.50 EUR on."),
        ({}, Sale("NL", "EUR", 50), None),
        ({}, Sale("NL", "EUR", 500_01), "Only up to 500.00 EUR."),
        ({}, Sale("NL", "EUR", 4800, later=True), "It cannot charge again later."),
        ({}, Sale("NL", "EUR", 0), "There is nothing to pay."),
        ({"countries": ["BE"]}, Sale("NL", "EUR", 4800), "Not offered in NL."),
        ({"currencies": ["EUR"]}, Sale("NL", "GBP", 4800), "Not offered for GBP."),
        ({"minimum": {"EUR": "100.00"}}, Sale("NL", "EUR", 9999), "Only from 100.00 EUR on."),
        ({"minimum": {"EUR": "100.00"}}, Sale("NL", "GBP", 8600), None),
        ({"minimum": {"EUR": "100.00"}}, Sale("NL", "GBP", 8599), "Only from 86.00 GBP on."),
        ({"maximum": {"EUR": "100.00", "GBP": "50.00"}}, Sale("NL", "GBP", 5001), "Only up to 50.00 GBP."),
    ],
)
def test_a_way_is_offered_or_says_why_not(way: dict[str, Any], sale: Sale, why: str | None) -> None:
    (offer,) = offers(paying(ways=[{"gateway": "standin-cards", **way}]), [CARDS], sale)
    assert offer.why_not == why


def test_the_owners_order_counts_and_what_is_not_connected_is_not_offered() -> None:
    ways = [
        {"gateway": "collection", "label": "In the workshop", "days": 3},
        {"gateway": "absent"},
        {"gateway": "standin-cards"},
    ]
    found = offers(paying(ways=ways), [CARDS, DESK, SUBSCRIBES], Sale("NL", "EUR", 4800, collected=True))
    assert [(one.gateway, one.label, one.days) for one in found] == [
        ("collection", "In the workshop", 3),
        ("standin-cards", "Card", 14),
    ]
    assert [one.gateway for one in offers(paying(), [CARDS, DESK], Sale("NL", "EUR", 4800))] == [
        "standin-cards",
        "collection",
    ]
    later = offers(paying(), [CARDS, SUBSCRIBES], Sale("NL", "EUR", 4800, later=True))
    assert [one.gateway for one in later if one.why_not is None] == ["again"]


@pytest.mark.parametrize(
    ("payments", "where", "says"),
    [
        ({"ways": [{"gateway": "a"}, {"gateway": "a"}]}, "payments.ways[1].gateway", "offered already"),
        ({"ways": [{"gateway": "a", "currencies": ["SEK"]}]}, "payments.ways[0].currencies[0]", "does not sell in SEK"),
        ({"ways": [{"gateway": "a", "minimum": {"EUR": "1.234"}}]}, "payments.ways[0].minimum.EUR", "2 decimals"),
        ({"ways": [{"gateway": "a", "minimum": {"EUR": "9"}, "maximum": {"EUR": "8"}}]},
         "payments.ways[0].maximum.EUR", "below the smallest"),
        ({"ways": [{"gateway": "a", "countries": ["XX"]}]}, "payments.ways[0].countries[0]", "no country"),
        ({"ways": [{"gateway": "a", "days": 0}]}, "payments.ways[0].days", "at least 1"),
        ({"guards": [{}]}, "payments.guards[0]", "about one thing"),
        ({"guards": [{"another_country": True, "above": {"EUR": "1"}}]}, "payments.guards[0]", "about one thing"),
        ({"guards": [{"tries": 3, "hours": 24}]}, "payments.guards[0].by", "counted by something"),
        ({"guards": [{"tries": 3, "by": "card"}]}, "payments.guards[0].hours", "within some hours"),
        ({"guards": [{"another_country": True, "by": "card"}]}, "payments.guards[0].by", "goes with tries only"),
        ({"guards": [{"above": {"SEK": "1"}}]}, "payments.guards[0].above.SEK", "does not sell in SEK"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_named(payments: dict[str, Any], where: str, says: str) -> None:
    with pytest.raises(InvalidInput) as refused:
        check_data({**plain(), "payments": payments})
    assert any(one.where == where and says in one.message for one in refused.value.problems), refused.value.problems


# -- what it costs ----------------------------------------------------------------------------------------


@given(
    amount=st.integers(1, 10**9),
    percent=st.decimals("0", "9.99", places=2),
    more=st.decimals("0", "3", places=2),
    abroad=st.booleans(),
    currency=st.sampled_from(["EUR", "USD", "JPY"]),
)
def test_a_cost_is_the_sum_of_its_parts_each_rounded_half_up(
    amount: int, percent: Decimal, more: Decimal, abroad: bool, currency: str
) -> None:
    tariff = Tariff(percent, "0.30", more, more, "9.00", "EUR")
    found = cost(tariff, amount, currency, abroad)

    def share(of: Decimal) -> int:
        return int((of * amount / 100).quantize(Decimal(1), ROUND_HALF_UP))

    assert found.share == share(percent)
    assert found.fixed == (30 if currency != "JPY" else 0)
    assert found.cross_border == (share(more) if abroad else 0)
    assert found.conversion == (share(more) if currency != "EUR" else 0)
    assert found.takes == found.share + found.fixed + found.cross_border + found.conversion
    assert year(found, 500) == 500 * found.takes
    assert monthly_in_a_year(tariff) == 108_00


def test_the_tape_reckons_with_the_way_that_the_buyer_meets_first() -> None:
    tolls = [toll(), toll("0.8", "0.20", largest={"EUR": 40_00})]
    tolls[1] = type(tolls[1])(Usable("debit", "Direct debit", ("EUR",)), tolls[1].tariff)
    sold = paying(ways=[{"gateway": "debit", "maximum": {"EUR": "40.00"}}, {"gateway": "standin-cards"}])
    rows = {row.kind: row for row in tape(sold, Wanted("kit"), "EUR", Buyer(country="NL"), NOW, tolls).rows}
    assert (rows["fee"].label, rows["fee"].amount) == ("Card fee 2.9 % + 0.30", "1.69")
    abroad = {row.kind: row for row in tape(sold, Wanted("kit"), "EUR", Buyer(country="NL"), NOW, tolls, True).rows}
    assert abroad["fee"].amount == "2.41"
    assert "In it 0.72 for a card of another country, 1.5 %." in abroad["fee"].reasons


def test_the_tape_says_where_nobody_can_pay() -> None:
    made = tape(paying(), Wanted("kit"), "GBP", Buyer(country="GB"), NOW, [toll()])
    assert made.notes[-1] == "Nobody can pay this yet. Card: It takes no GBP."
    assert not any(row.kind in ("fee", "keep") for row in made.rows)


@pytest.mark.parametrize(
    ("name", "longest", "shown"),
    [
        ("Ostrel Bindery", 22, "Ostrel Bindery"),
        ("Größlová & Töchter", 22, "Grosslova + Tochter"),
        ("Ostrel Bindery of Deventer", 18, "Ostrel Bindery of"),
        ("製本工房", 22, "Purchase"),
        ("  A\tB  ", 22, "AB"),
    ],
)
def test_a_statement_shows_letters_that_every_bank_has(name: str, longest: int, shown: str) -> None:
    assert statement(name, longest) == shown


# -- limits against fraud ---------------------------------------------------------------------------------


def facts(**more: Any) -> Facts:
    return Facts(
        **{"amount": 4800, "currency": "EUR", "buyer_country": "NL", "card_country": "NL", "tries": {}, **more}
    )


def tries(*minutes: int) -> dict[str, Any]:
    return {"tries": {"card": [NOW - timedelta(minutes=n) for n in minutes]}}


HOLDS = {"above": {"EUR": "40.00"}}
REFUSES = {"another_country": True, "then": "refuse"}


@pytest.mark.parametrize(
    ("guards", "known", "verdict"),
    [
        ([], {}, "pass"),
        ([HOLDS], {}, "hold"),
        ([HOLDS], {"amount": 4000}, "pass"),
        ([HOLDS], {"amount": 3441, "currency": "GBP"}, "hold"),
        ([REFUSES], {}, "pass"),
        ([REFUSES], {"card_country": None}, "pass"),
        ([REFUSES], {"card_country": "US"}, "refuse"),
        ([HOLDS, REFUSES], {"card_country": "US"}, "refuse"),
        ([{"tries": 2, "by": "card", "hours": 1}], tries(1, 2), "pass"),
        ([{"tries": 2, "by": "card", "hours": 1}], tries(1, 2, 3), "hold"),
        ([{"tries": 2, "by": "card", "hours": 1}], tries(1, 2, 60), "pass"),
        ([{"tries": 2, "by": "buyer", "hours": 1}], {"tries": {"card": [NOW] * 9}}, "pass"),
    ],
)  # fmt: skip
def test_limits_pass_hold_or_refuse(guards: list[dict[str, Any]], known: dict[str, Any], verdict: str) -> None:
    found = judge(paying(guards=guards), facts(**known), NOW)
    assert found.verdict == verdict
    assert bool(found.reasons) == (verdict != "pass")


# -- transfers --------------------------------------------------------------------------------------------

CODES = st.text("ABCDEFGHJKLMNPQRSTUVWXYZ23456789", min_size=8, max_size=8)


@given(code=CODES, before=st.text("abc .,-", max_size=8), after=st.sampled_from(["", " thank you", "/INV 3"]))
def test_a_reference_is_found_however_it_is_spaced(code: str, before: str, after: str) -> None:
    reference = rf_reference(code)
    for written in (reference, spaced(reference), reference.lower(), "-".join(reference)):
        found = codes_in(f"{before} {written}{after}", 8)
        assert code in found or written == "-".join(reference)


@given(code=CODES, at=st.integers(4, 11), other=st.sampled_from("ABCDEFGHJKLMNPQRSTUVWXYZ23456789"))
def test_a_reference_with_a_wrong_letter_names_no_order(code: str, at: int, other: str) -> None:
    """MOD 97-10 finds every single letter written for another, and digit for another."""
    reference = rf_reference(code)
    if reference[at] != other and reference[at].isdigit() == other.isdigit():
        wrong = reference[:at] + other + reference[at + 1 :]
        assert codes_in(wrong, 8) == []


@given(
    amount=st.integers(1, 10_000),
    due=st.integers(1, 10_000),
    before=st.integers(0, 10_000),
    state=st.sampled_from(["waiting", "paid", "given_up"]),
)
def test_only_the_exact_amount_pays(amount: int, due: int, before: int, state: Any) -> None:
    found = match(Incoming(amount, "EUR", ""), {"A": Expected("A", due, "EUR", state, before)}, ["A"])
    assert (found.aside is None) == (state == "waiting" and amount + before == due)
    if found.aside in ("under", "over"):
        assert (amount + before < due) == (found.aside == "under")


@pytest.mark.parametrize(
    ("codes", "currency", "aside", "code"),
    [
        (["B"], "EUR", None, "B"),
        (["A", "B"], "EUR", None, "B"),
        (["A"], "EUR", "double", "A"),
        (["C"], "EUR", "unknown", None),
        ([], "EUR", "unknown", None),
        (["B"], "USD", "currency", "B"),
        (["D"], "EUR", "late", "D"),
    ],
)
def test_which_order_a_transfer_is_for(codes: list[str], currency: str, aside: str | None, code: str | None) -> None:
    expected = {
        "A": Expected("A", 4800, "EUR", "paid"),
        "B": Expected("B", 4800, "EUR", "waiting"),
        "D": Expected("D", 4800, "EUR", "given_up"),
    }
    found = match(Incoming(4800, currency, ""), expected, codes)
    assert (found.aside, found.code) == (aside, code)
