"""Recurring income, the months to come and churn, by their definitions."""

from __future__ import annotations

from datetime import date
from fractions import Fraction

import pytest

from skurrow.core.check.site import check_data
from skurrow.core.durations import parse_duration
from skurrow.core.edition import compile_site
from skurrow.core.order import read_order
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Life
from skurrow.core.subscriptions.outlook import Outlook, churn, monthly, months_of, recurring_income
from tests.core.sites import shop
from tests.lives import begun

EDITION = compile_site(check_data(shop()))


def bought(price: str, day: str = "2027-03-01", **more: object) -> Life:
    item = {"price": price, **more}
    order = {"at": f"{day}T10:00:00+01:00", "currency": "EUR", "items": [item], "buyer": {"country": "NL"}}
    return begun(EDITION, read_order(order))


@pytest.mark.parametrize(
    ("every", "amount", "income"),
    [("P1M", 2400, 2400), ("P3M", 6600, 2200), ("P1Y", 24000, 2000), ("P1Y", 1000, 83), ("P1W", 700, 3044)],
)
def test_income_is_spread_over_the_months_of_its_rhythm(every: str, amount: int, income: int) -> None:
    """A mean month of the Gregorian calendar has 30.436875 days: 400 years have 146,097 days (ISO 8601)."""
    assert Fraction(146097, 4800) == Fraction(3652425, 120000)
    assert recurring_income(months_of(parse_duration(every)), amount) == income


def test_trials_instalments_pauses_and_what_is_to_end_are_no_recurring_income() -> None:
    monthly_one = bought("month")
    assert monthly(monthly_one) == 2400
    for life in (bought("year"), bought("press-4"), core.cancel(monthly_one), core.pause(monthly_one, None)):
        assert monthly(life) == 0


def test_what_is_to_come_stands_in_its_month() -> None:
    found = Outlook()
    for life in (bought("month"), bought("quarter"), core.cancel(bought("month")), bought("press-4")):
        found.add(life, date(2027, 3, 10), 4)
    assert found.income == {"EUR": 2400 + 2200}
    assert {str(month): sums["EUR"] for month, sums in found.expected.items()} == {
        "2027-04-01": 2400 + 11200,
        "2027-05-01": 2400 + 11200,
        "2027-06-01": 2400 + 11200 + 6600,
    }


def test_a_failing_charge_is_expected_this_month() -> None:
    failing = core.failed(core.charge(bought("month")))
    found = Outlook()
    found.add(failing, date(2027, 4, 9), 1)
    assert {str(month): sums for month, sums in found.expected.items()} == {"2027-04-01": {"EUR": 2400}}


def test_churn_is_the_share_of_those_before_that_ended() -> None:
    march, april, may = date(2027, 3, 1), date(2027, 4, 1), date(2027, 5, 1)
    runs = {(march, None): 135, (march, april): 12, (march, may): 3, (april, None): 7, (april, april): 3}
    assert [(one.before, one.began, one.ended, one.lost, one.share) for one in churn(runs, [march, april, may])] == [
        (0, 150, 0, 0, None),
        (150, 10, 15, 12, "8.0"),
        (145, 0, 3, 3, "2.1"),
    ]
