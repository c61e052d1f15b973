"""Checking how subscriptions are looked after: retries that come one after the other, within the time of grace."""

from __future__ import annotations

from collections.abc import Iterator

from skurrow.core.problems import Problem
from skurrow.core.site.subscriptions import Subscriptions


def subscriptions_problems(rules: Subscriptions) -> Iterator[Problem]:
    """What is wrong with the rules for subscriptions."""
    last = 0
    for j, day in enumerate(rules.retries):
        here = ("subscriptions", "retries", j)
        if day <= last:
            yield Problem(here, f"It does not come after day {last}", "Write the days in order, each once")
        elif day > rules.grace:
            message = f"By day {day} the {rules.grace} days of grace are over, and the subscription has ended"
            yield Problem(here, message, "Write an earlier day, or more days of grace")
        last = max(last, day)
    if len(set(rules.customers_may)) < len(rules.customers_may):
        yield Problem(("subscriptions", "customers_may"), "Something is named twice", "Name each once")
