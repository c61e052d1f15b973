"""What may be struck through beside a price that came down: the lowest of the thirty days before, and nothing else."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.products.earlier_prices import DAYS, InForce, cost_at, lowest_before
from tests.core.sites import edition, plain

NOW = datetime(2026, 12, 1, 12, tzinfo=UTC)


def ago(days: float, amount: int | None) -> InForce:
    return InForce(NOW - timedelta(days=days), amount)


@pytest.mark.parametrize(
    ("history", "expected"),
    [
        ([], None),
        ([ago(10, 4800)], None),
        ([ago(90, 4800), ago(5, 4000)], 4800),
        ([ago(90, 4800), ago(5, 5200)], None),
        ([ago(90, 4800), ago(31, 4000)], None),
        ([ago(90, 4800), ago(30, 4000)], 4800),
        # raised just before it came down: the lower one before that counts
        ([ago(90, 4800), ago(7, 6000), ago(5, 4500)], 4800),
        ([ago(90, 4000), ago(7, 6000), ago(5, 4000)], None),
        # what was over more than thirty days before it came down does not
        ([ago(90, 4000), ago(40, 6000), ago(5, 4500)], 6000),
        ([ago(90, 4000), ago(35, 6000), ago(5, 4500)], 6000),
        ([ago(90, 4000), ago(34, 6000), ago(5, 4500)], None),
        # a release that changed something else is no new price
        ([ago(90, 4800), ago(20, 4000), ago(2, 4000)], 4800),
        ([ago(90, 4800), ago(6, None), ago(5, 4000)], 4800),
        ([ago(90, None), ago(5, 4000)], None),
        ([ago(90, 4800), ago(5, None)], None),
    ],
)
def test_the_lowest_of_the_thirty_days_before_it_came_down(history: list[InForce], expected: int | None) -> None:
    assert lowest_before(history, NOW) == expected


@given(st.lists(st.tuples(st.floats(0, 90), st.none() | st.integers(0, 9000)), max_size=12))
def test_what_is_struck_through_was_asked_within_the_time_and_nothing_lower_was(
    given_: list[tuple[float, int | None]],
) -> None:
    history = sorted((ago(days, amount) for days, amount in given_), key=lambda one: one.since)
    found = lowest_before(history, NOW)
    if found is None:
        return
    present = history[-1].amount
    assert present is not None
    assert found > present
    began = next(a.since for k, a in enumerate(history) if all(b.amount == present for b in history[k:]))
    assert NOW - began <= DAYS
    asked = [
        one.amount
        for one, after in zip(history, [*history[1:], ago(0, None)], strict=True)
        if one.since < min(began, after.since) and after.since > began - DAYS and one.amount is not None
    ]
    assert found == min(asked)


def test_what_a_checkout_takes_off_counts_as_its_price() -> None:
    def cost(**more: object) -> int | None:
        return cost_at(edition(checkouts=[{**plain()["checkouts"][0], **more}]), "kit", "kit", "EUR")

    assert cost() == 4800
    assert cost(discount={"percent": "12.5"}) == 4200
    assert cost(discount={"amount": {"EUR": "10.00"}}) == 3800
    assert cost(discount={"amount": {"EUR": "90.00"}}) == 0
    assert cost_at(edition(), "kit", "no-such", "EUR") is None
    assert cost_at(edition(), "no-such", "kit", "EUR") is None
