"""What is charged today and later: rhythms, starts, instalments, discounts over time, and schedules."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.durations import Duration, parse_duration
from skurrow.core.edition import Edition
from skurrow.core.money import parse_amount
from skurrow.core.order import QuoteRefused, read_order
from skurrow.core.quote.quote import quote, schedule
from skurrow.core.rhythm import Rhythm
from tests.core.sites import shop, sold

SHOP = sold()


def order(*items: Any, at: str = "2026-01-31T10:00:00Z", currency: str = "EUR", **more: Any) -> dict[str, Any]:
    wanted = [item if isinstance(item, dict) else {"price": item} for item in items]
    return {"at": at, "currency": currency, "items": wanted, "buyer": {"country": "NL"}, **more}


def quoted(*items: Any, under: Edition = SHOP, **more: Any) -> dict[str, Any]:
    return quote(under, read_order(order(*items, **more))).as_json()


def later(result: dict[str, Any]) -> list[tuple[str, str]]:
    return [(day["on"], day["total"]) for day in result["later"]]


def scheduled(*items: Any, until: str, **more: Any) -> list[tuple[str, str, str]]:
    found = schedule(SHOP, read_order(order(*items, **more)), date.fromisoformat(until))
    return [(charge["on"], charge["kind"], charge["total"]) for charge in found]


def test_a_month_is_counted_from_the_day_of_the_order_every_time() -> None:
    result = quoted("month")
    assert result["due_today"] == "24.00"
    assert [on for on, _ in later(result)][:5] == [
        "2026-02-28",
        "2026-03-31",
        "2026-04-30",
        "2026-05-31",
        "2026-06-30",
    ]
    assert len(result["later"]) == 12
    assert result["later"][0] | {"reasons": None} == {
        "on": "2026-02-28",
        "prices": ["month"],
        "net": "19.83",
        "tax": "4.17",
        "total": "24.00",
        "reasons": None,
    }


def test_a_quarter_and_a_year_are_shown_for_thirteen_months() -> None:
    assert [on for on, _ in later(quoted("quarter"))] == ["2026-04-30", "2026-07-31", "2026-10-31", "2027-01-31"]
    assert later(quoted("year", at="2026-02-10T10:00:00Z")) == [("2026-02-24", "240.00"), ("2027-02-24", "240.00")]


def test_a_free_start_is_no_charge_and_moves_the_day_counted_from() -> None:
    result = quoted("year")
    assert (result["due_today"], result["lines"][0]["unit"], result["lines"][0]["total"]) == ("0.00", "0.00", "0.00")
    assert result["lines"][0]["reasons"][0]["text"] == "Free for 2 weeks; the first charge is on 14 Feb 2026."
    assert scheduled("year", until="2028-12-31") == [
        ("2026-02-14", "first", "240.00"),
        ("2027-02-14", "renewal", "240.00"),
        ("2028-02-14", "renewal", "240.00"),
    ]


def test_a_different_first_payment_comes_so_many_times() -> None:
    assert scheduled("taste", until="2026-05-31") == [
        ("2026-01-31", "first", "6.00"),
        ("2026-02-28", "renewal", "6.00"),
        ("2026-03-31", "renewal", "24.00"),
        ("2026-04-30", "renewal", "24.00"),
        ("2026-05-31", "renewal", "24.00"),
    ]


def test_instalments_end_and_all_that_remain_are_shown() -> None:
    assert later(quoted("press-4")) == [("2026-02-28", "112.00"), ("2026-03-31", "112.00"), ("2026-04-30", "112.00")]
    data = shop()
    data["products"][-3]["prices"][1]["payments"] = 20
    result = quoted("press-4", "month", under=sold(products=data["products"]))
    assert len(result["later"]) == 19
    assert result["later"][-1]["on"] == "2027-08-31"
    assert all(day["total"] == "136.00" for day in result["later"])  # what is due besides is named as well


def test_instalments_begin_again() -> None:
    days = scheduled("press-hire", until="2027-06-30")
    assert [on for on, _, _ in days] == [
        *("2026-01-31", "2026-02-28", "2026-03-31", "2026-04-30", "2026-05-31"),
        *("2027-01-31", "2027-02-28", "2027-03-31", "2027-04-30", "2027-05-31"),
    ]
    assert {kind for _, kind, _ in days[1:]} == {"instalment"}
    assert [on for on, _ in later(quoted("press-hire"))][-1] == "2027-02-28"  # thirteen months on


@pytest.mark.parametrize("again", ["P1M", "P4M", "P119D"])
def test_a_set_cannot_begin_again_before_it_ends(again: str) -> None:
    assert parse_duration(again).is_shorter_than(parse_duration("P1M").times(4)) == (again != "P4M")


def test_free_prices_are_never_charged() -> None:
    result = quoted("moved")
    assert (result["due_today"], result["later"]) == ("0.00", [])
    assert result["lines"][0]["reasons"][0]["code"] == "free_price"


def test_what_is_not_out_yet_is_charged_when_it_comes_out_or_now() -> None:
    result = quoted("almanac", "kit")
    assert result["due_today"] == "48.00"
    assert later(result) == []  # more than thirteen months away
    near = quoted("almanac", at="2026-11-26T10:00:00Z")
    assert (near["due_today"], later(near)) == ("0.00", [("2027-03-01", "30.00")])
    assert near["notes"][0]["code"] == "charged_at_release"
    assert quoted("almanac", at="2027-03-01T00:30:00+01:00")["due_today"] == "30.00"
    now = shop()["products"]
    now[-1]["charged"] = "at_order"
    paid = quoted("almanac", under=sold(products=now))
    assert (paid["due_today"], paid["notes"][0]["code"]) == ("30.00", "not_out_yet")


def test_the_day_is_the_sites_own() -> None:
    late = "2026-01-30T23:30:00Z"  # half past midnight on the 31st in Amsterdam
    assert quoted("month", at=late)["later"][0]["on"] == "2026-02-28"
    assert quoted("month", at="2026-01-30T22:30:00Z")["later"][1]["on"] == "2026-03-30"


def test_one_entry_a_date_for_all_that_is_due() -> None:
    result = quoted("month", {"price": "taste", "quantity": 2})
    assert result["due_today"] == "36.00"
    assert result["later"][0] | {"reasons": None} == {
        "on": "2026-02-28",
        "prices": ["month", "taste"],
        "net": "29.75",
        "tax": "6.25",
        "total": "36.00",
        "reasons": None,
    }
    assert [reason["text"] for reason in result["later"][1]["reasons"]] == [
        "Paper parcel: 24.00 every month.",
        "Paper parcel: 48.00 every month.",
    ]


def test_totals_of_later_days_stay_within_range() -> None:
    data = shop()["products"]
    data[6]["prices"][3] |= {"amount": {"EUR": "99999999.99"}}
    with pytest.raises(QuoteRefused, match="The total on 2026-03-31 is above"):
        quoted("taste", "month", under=sold(products=data, currencies=[{"code": "EUR"}, {"code": "GBP", "rate": "1"}]))


def test_a_schedule_ends_somewhere() -> None:
    with pytest.raises(QuoteRefused, match="more than 100 years"):
        schedule(SHOP, read_order(order("month")), date(2227, 1, 1))
    assert schedule(SHOP, read_order(order("month")), date(2026, 1, 30)) == []
    assert quoted("month", at="9999-11-30T10:00:00Z")["later"][0]["on"] == "9999-12-30"


rhythms = st.builds(
    lambda kind, every, payments, starts, start, free: Rhythm(
        kind,
        Duration(*every),
        payments if kind == "instalments" else 1,
        Duration(every[0] * payments + 1, every[1] * payments) if kind == "instalments" and payments % 2 else None,
        Duration(*start) if starts or free else Duration(0, 0),
        0 if free else starts,
        free,
    ),
    st.sampled_from(["recurring", "instalments"]),
    st.sampled_from([(1, 0), (3, 0), (12, 0), (0, 1), (0, 14), (1, 3)]),
    st.integers(1, 12),
    st.integers(0, 3),
    st.sampled_from([(1, 0), (0, 14), (2, 5)]),
    st.booleans(),
)


@given(rhythms, st.dates(date(2024, 1, 1), date(2028, 12, 31)), st.integers(0, 40))
def test_days_only_grow_and_each_is_found_again(rhythm: Rhythm, counted_from: date, n: int) -> None:
    days = [rhythm.day(counted_from, k) for k in range(n + 1)]
    known = [day for day in days if day is not None]
    assert known == sorted(set(known))
    for k, day in enumerate(known):
        assert rhythm.number_on(counted_from, day) == k
    if len(known) > 1:
        between = date.fromordinal((known[0].toordinal() + known[1].toordinal()) // 2)
        assert rhythm.number_on(counted_from, between) == (known.index(between) if between in known else None)


@given(
    st.lists(
        st.sampled_from(["month", "quarter", "year", "taste", "press-4", "press-hire", "kit"]), min_size=1, max_size=6
    ),
    st.lists(st.sampled_from(["BIND10", "FIRST3", "FIVER", "EACH", "TENNER"]), max_size=3, unique=True),
    st.dates(date(2026, 1, 1), date(2027, 12, 31)),
)
def test_a_schedule_says_what_the_quote_says(items: list[str], coupons: list[str], day: date) -> None:
    """Today and each later date have the same total in both; later amounts never drift from the price."""
    data = order(*items, coupons=coupons, at=f"{day}T12:00:00Z")
    result = quote(SHOP, read_order(data)).as_json()
    charges = {c["on"]: c for c in schedule(SHOP, read_order(data), date(day.year + 3, 1, 1))}
    if day.isoformat() in charges:
        assert charges[day.isoformat()]["total"] == result["due_today"]
    for one in result["later"]:
        assert {name: one[name] for name in ("on", "prices", "net", "tax", "total")} == {
            name: charges[one["on"]][name] for name in ("on", "prices", "net", "tax", "total")
        }
        assert parse_amount(one["net"], "EUR") + parse_amount(one["tax"], "EUR") == parse_amount(one["total"], "EUR")
    shown = [one["on"] for one in result["later"]]
    assert shown == sorted(set(shown))
