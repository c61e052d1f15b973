"""Changing plan along a ladder: the contract, the figures of the trade, and that nothing is lost or made on the way."""

from __future__ import annotations

import json
from datetime import UTC, date, datetime, timedelta
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from skurrow.cli import main
from skurrow.core.check.site import check_data
from skurrow.core.edition import Edition, compile_site
from skurrow.core.order import QuoteRefused
from skurrow.core.subscriptions.plan_change import (
    Credit,
    Span,
    change,
    credit_for,
    read_change,
    span_of,
    step,
    unused_share,
)
from tests.core.sites import plain


def site(**rules: Any) -> dict[str, Any]:
    """Lessons in three plans: 36.00 a month, 99.00 a quarter, 288.00 a year, the last with a trial."""
    data = plain()
    data["products"].append(
        {
            "id": "school",
            "name": "School",
            "kind": "digital",
            "ladder": ["school-month", "school-quarter", "school-year"],
            "prices": [
                {"id": "school-month", "kind": "recurring", "every": "P1M", "amount": {"EUR": "36.00"},
                 "start": {"free": "P14D"}},
                {"id": "school-quarter", "kind": "recurring", "every": "P3M", "amount": {"EUR": "99.00"}},
                {"id": "school-year", "kind": "recurring", "every": "P1Y", "amount": {"EUR": "288.00"}},
                {"id": "school-old", "kind": "recurring", "every": "P1M", "amount": {"EUR": "20.00"}},
            ],
        }
    )  # fmt: skip
    data["products"].append(
        {
            "id": "parcel",
            "name": "Parcel",
            "kind": "goods",
            "ladder": ["parcel-month", "parcel-year"],
            "prices": [
                {"id": "parcel-month", "kind": "recurring", "every": "P1M", "amount": {"EUR": "24.00"}},
                {"id": "parcel-year", "kind": "recurring", "every": "P1Y", "amount": {"EUR": "240.00"}},
            ],
        }
    )
    return {**data, "subscriptions": rules} if rules else data


def edition(**rules: Any) -> Edition:
    return compile_site(check_data(site(**rules)))


def asked(**more: Any) -> dict[str, Any]:
    return {
        "from": "school-month",
        "to": "school-year",
        "period_start": "2027-04-01",
        "period_end": "2027-05-01",
        "paid": "36.00",
        "paid_tax": "6.25",
        "at": "2027-04-16T00:00:00+02:00",
        "currency": "EUR",
        "buyer": {"country": "NL"},
        **more,
    }


def computed(found: Edition, **more: Any) -> dict[str, Any]:
    return change(found, read_change(asked(**more)))


def test_up_takes_effect_now_and_credits_what_is_unused() -> None:
    assert computed(edition()) == {
        "when": "now",
        "credit": "18.00",
        "charge": "288.00",
        "net": "223.15",
        "tax": "46.85",
        "due": "270.00",
        "balance": "0.00",
        "next_on": "2028-04-16",
    }


def test_the_trade_reckons_so() -> None:
    """Common practice: new price 288.00, unused time worth 61.20, due now 226.80, next renewal a year from now."""
    span = Span(datetime(2027, 1, 1, tzinfo=UTC), datetime(2028, 1, 1, tzinfo=UTC), date(2027, 1, 1), date(2028, 1, 1))
    found = step("up", span, Credit(6120, 1062), (28800, 4998), date(2028, 4, 16))
    assert (found.when, found.due, found.balance, found.next_on) == ("now", 22680, 0, date(2028, 4, 16))


def test_down_costs_nothing_and_waits() -> None:
    found = computed(edition(), **{"from": "school-year", "to": "school-month", "paid": "288.00", "paid_tax": "49.98"},
                     period_end="2028-04-01")  # fmt: skip
    assert (found["when"], found["credit"], found["due"], found["next_on"]) == (
        "paid_time_ends", "0.00", "0.00", "2028-04-01"
    )  # fmt: skip


@pytest.mark.parametrize("to", ["school-quarter", "school-year"])
def test_in_a_free_trial_nothing_is_charged_and_its_end_stays(to: str) -> None:
    found = computed(edition(), to=to, paid="0.00", paid_tax="0.00", period_end="2027-04-15", at="2027-04-03T10:00:00Z")
    assert (found["when"], found["charge"], found["due"], found["next_on"]) == ("now", "0.00", "0.00", "2027-04-15")


def test_a_credit_that_is_larger_stays_as_balance() -> None:
    data = site()
    data["products"][-2]["ladder"] = ["school-year", "school-month"]
    found = compile_site(check_data(data))
    told = computed(found, **{"from": "school-year", "to": "school-month"}, period_end="2028-04-01", paid="288.00",
                    paid_tax="49.98", at="2027-04-01T00:00:00+02:00")  # fmt: skip
    assert (told["credit"], told["due"], told["balance"], told["next_on"]) == ("288.00", "0.00", "252.00", "2027-05-01")


@pytest.mark.parametrize(
    ("by", "at", "credit"),
    [
        ("days", "2027-04-16T23:00:00+02:00", "16.80"),  # 14 of 30 days are left; the 16th is used
        ("days", "2027-04-30T10:00:00+02:00", "0.00"),
        ("seconds", "2027-04-30T12:00:00+02:00", "0.60"),
        ("seconds", "2027-05-01T00:00:00+02:00", "0.00"),
    ],
)
def test_unused_time_is_measured_as_the_site_says(by: str, at: str, credit: str) -> None:
    assert computed(edition(unused=by), at=at)["credit"] == credit


def test_a_day_of_23_hours_is_shorter_in_seconds() -> None:
    """The clocks of Amsterdam go forward on 28 March 2027 (IANA time zone database)."""
    found = edition()
    span = span_of(found, datetime(2027, 3, 27, 23, tzinfo=UTC), date(2027, 3, 30))
    at = datetime(2027, 3, 28, 22, tzinfo=UTC)
    assert unused_share(span, at, date(2027, 3, 29), "seconds") == Fraction(24, 47)
    assert unused_share(span, at, date(2027, 3, 29), "days") == Fraction(0)


def test_goods_are_sent_or_collected_and_taxed_where_they_go() -> None:
    sent = {"from": "parcel-month", "to": "parcel-year", "paid": "24.00", "paid_tax": "4.17"}
    assert computed(edition(), **sent)["charge"] == "240.00"
    with pytest.raises(QuoteRefused) as caught:
        computed(edition(), **sent, delivery="post")
    assert caught.value.problems[0].where == "delivery"


@pytest.mark.parametrize(
    ("more", "where"),
    [
        ({"to": "school-old"}, "to"),
        ({"to": "school-month"}, "to"),
        ({"to": "kit"}, "to"),
        ({"to": "gone"}, "to"),
        ({"currency": "CHF"}, "currency"),
        ({"paid": "36.005"}, "paid"),
        ({"paid_tax": "40.00"}, "paid_tax"),
        ({"at": "2027-06-01T00:00:00Z"}, "at"),
        ({"at": "yesterday"}, "at"),
        ({"period_end": "2027-13-01"}, "period_end"),
        ({"period_end": "2027-03-01", "at": "2027-03-01T00:00:00Z"}, "at"),
        ({"quantity": 0}, "quantity"),
        ({"variant": "moss"}, "variant"),
        ({"nonsense": 1}, "nonsense"),
    ],
)
def test_what_cannot_be_is_refused_by_name(more: dict[str, Any], where: str) -> None:
    with pytest.raises(QuoteRefused) as caught:
        computed(edition(), **more)
    assert where in [problem.where for problem in caught.value.problems]


def test_the_command_prints_the_contract(tmp_path: Path) -> None:
    file = tmp_path / "site.json"
    file.write_text(json.dumps(site()))
    ran = CliRunner().invoke(main, ["change", str(file), "-"], input=json.dumps(asked()))
    assert ran.exit_code == 0
    assert json.loads(ran.output)["due"] == "270.00"
    ran = CliRunner().invoke(main, ["change", str(file), "-"], input=json.dumps(asked(to="gone")))
    assert ran.exit_code == 2
    assert json.loads(ran.output)["errors"][0]["path"] == "to"


amounts = st.integers(0, 9_999_999_999)


@given(amounts, st.integers(0, 10**6), st.integers(1, 10**6))
def test_a_credit_never_exceeds_what_was_paid(paid: int, left: int, whole: int) -> None:
    share = min(Fraction(1), Fraction(left, whole))
    credit = credit_for(paid, paid * 21 // 121, share)
    assert 0 <= credit.tax <= credit.amount <= paid
    assert abs(Fraction(credit.amount) - paid * share) <= Fraction(1, 2)


@given(amounts, amounts)
def test_due_and_balance_are_what_charge_and_credit_leave(charge: int, credit: int) -> None:
    start = datetime(2027, 1, 1, tzinfo=UTC)
    span = Span(start, start + timedelta(days=31), date(2027, 1, 1), date(2027, 2, 1))
    found = step("up", span, Credit(credit, 0), (charge, 0), date(2027, 3, 1))
    assert found.due - found.balance == charge - credit
    assert 0 in (found.due, found.balance)
