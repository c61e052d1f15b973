"""Renewals against reference libraries and the figures of the trade.

- Days: dateutil's `relativedelta` (python-dateutil) and `whenever`'s date arithmetic, both of which keep a day of the
  month and fall back to its last day. When a day begins in a zone is checked in `test_dates_and_shares`.
- Figures: common practice, as the trade gives them, no published source.
"""

from __future__ import annotations

from datetime import UTC, date, datetime
from decimal import Decimal
from fractions import Fraction

from dateutil.relativedelta import relativedelta
from hypothesis import given, settings
from hypothesis import strategies as st
from whenever import Date

from skurrow.core.check.site import check_data
from skurrow.core.edition import Edition, compile_site
from skurrow.core.order import Buyer
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Life
from skurrow.core.subscriptions.outlook import monthly, recurring_income
from skurrow.core.subscriptions.plan_change import Credit, Span, credit_for, step, unused_share
from skurrow.core.subscriptions.terms import Terms
from tests.core.sites import plain
from tests.lives import live

NL = Buyer(country="NL")


def school(every: str, amount: str = "24.00") -> tuple[Edition, Terms]:
    data = plain()
    price = {"id": "p", "kind": "recurring", "every": every, "amount": {"EUR": amount}}
    data["products"].append({"id": "school", "name": "School", "kind": "digital", "prices": [price]})
    unit = int(Decimal(amount) * 100)
    terms = Terms(product="school", price="p", name="School", kind="recurring", every=every, unit=unit, currency="EUR",
                  included=True)  # fmt: skip
    return compile_site(check_data(data)), terms


@settings(max_examples=40)
@given(
    st.dates(date(2026, 1, 1), date(2032, 12, 31)), st.sampled_from([("P1M", 1), ("P3M", 3), ("P6M", 6), ("P1Y", 12)])
)
def test_renewals_fall_on_the_days_that_dateutil_and_whenever_give(day: date, rhythm: tuple[str, int]) -> None:
    every, months = rhythm
    edition, terms = school(every)
    begun = core.begin(terms, day, datetime.combine(day, datetime.min.time(), UTC))
    until = datetime(day.year + 3, day.month, 1, tzinfo=UTC)
    days = [one[0] for one in live(edition, begun, NL, until).charges]
    assert days == [day + relativedelta(months=months * n) for n in range(1, len(days) + 1)]
    assert days == [Date(day.isoformat()).add(months=months * n).to_stdlib() for n in range(1, len(days) + 1)]
    assert len(days) >= 2


def test_a_percentage_on_top_adds_up_by_charges_not_by_sign_ups() -> None:
    """Common practice: 5 % of 20.00 for 150 members is 150.00 in a year if each stays a month, 1,800.00 if each stays
    twelve."""
    edition, terms = school("P1M", "20.00")
    begun = core.begin(terms, date(2027, 1, 1), datetime(2027, 1, 1, tzinfo=UTC), (2000, 347))
    year = live(edition, begun, NL, datetime(2027, 12, 31, tzinfo=UTC)).charges
    of_one = 2000 + sum(total for *_, total in year)
    assert (150 * 2000 * 5 // 100, 150 * of_one * 5 // 100) == (15_000, 180_000)


def test_the_figures_of_a_change_of_plan() -> None:
    """Common practice: up, 288.00 with 61.20 unused is 226.80 now and a year until the next; down, nothing today."""
    span = Span(datetime(2027, 1, 1, tzinfo=UTC), datetime(2027, 4, 1, tzinfo=UTC), date(2027, 1, 1), date(2027, 4, 1))
    up = step("up", span, Credit(6120, 0), (28800, 0), date(2028, 2, 10))
    assert (up.due, up.next_on) == (22680, date(2028, 2, 10))
    down = step("down", span, Credit(6120, 0), (3600, 0), date(2027, 3, 10))
    assert (down.due, down.when, down.next_on) == (0, "paid_time_ends", date(2027, 4, 1))
    half = unused_share(span, datetime(2027, 2, 15, tzinfo=UTC), date(2027, 2, 14), "days")
    assert credit_for(12000, 2083, half) == Credit(6000, 1042), "45 of 90 days of 120.00, the day of the change used"


def test_a_yearly_plan_is_a_twelfth_a_month() -> None:
    """Common practice: "a third off" 36.00 a month makes 432.00 a year 288.00; that is 24.00 a month."""
    assert recurring_income(Fraction(12), 28800) == 2400
    _, terms = school("P1Y", "288.00")
    life: Life = core.begin(terms, date(2027, 1, 1), datetime(2027, 1, 1, tzinfo=UTC))
    assert monthly(life) == 2400
