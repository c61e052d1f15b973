"""What a price was before it came down: the lowest at which it was sold in the thirty days before.

Nothing else may be struck through beside a price that is called lower (from memory: Directive 98/6/EC, Art. 6a).
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from decimal import Decimal
from itertools import pairwise
from typing import NamedTuple

from skurrow.core.edition import Edition
from skurrow.core.money import divide_half_up, parse_amount

DAYS = timedelta(days=30)
"""How long before it came down a price counts, and for how long after that it is said."""


class InForce(NamedTuple):
    """What a price cost from an instant on, in minor units; None where it was not sold then."""

    since: datetime
    amount: int | None


def lowest_before(history: Sequence[InForce], now: datetime) -> int | None:
    """The lowest of the thirty days before a price came down to what it is: minor units, or None where it did not come
    down in the last thirty days, or to no less than that. `history` is in the order of time, the last entry counts
    now.

    >>> def day(n): return datetime(2026, 11, n)
    >>> lowest_before([InForce(day(1), 4800), InForce(day(10), 4300), InForce(day(20), 4000)], day(25))
    4300
    >>> lowest_before([InForce(day(1), 4000), InForce(day(19), 4800), InForce(day(20), 4000)], day(25)) is None
    True
    """
    if not history or history[-1].amount is None:
        return None
    present = history[-1].amount
    first = len(history) - 1
    while first and history[first - 1].amount == present:
        first -= 1
    began = history[first].since
    if now - began > DAYS:
        return None
    sold = [
        one.amount
        for one, following in pairwise(history[: first + 1])
        if one.amount is not None and following.since > max(one.since, began - DAYS)
    ]
    lowest = min(sold, default=present)
    return lowest if lowest > present else None


def cost_at(edition: Edition, checkout: str, price: str, currency: str) -> int | None:
    """What one piece costs at a checkout by itself, with what that takes off: minor units. None where it is not sold
    there, where the buyer chooses the amount, and where another amount comes first."""
    form, priced = edition.checkouts.get(checkout), edition.prices.get(price)
    if form is None or priced is None or not edition.is_sold_at(form, price):
        return None
    if priced.chosen is not None or priced.price.start is not None or priced.rhythm.kind == "free":
        return None
    amount = priced.amounts.get(currency)
    off = edition.own_discount(form, currency)
    if amount is None or off is None:
        return amount
    if off.percent is not None:
        part, whole = Decimal(off.percent).as_integer_ratio()
        return amount - divide_half_up(amount * part, whole * 100)
    return max(0, amount - parse_amount(off.amount or "0", currency))
