"""Comparing our books with a gateway's: every movement of money by its key, in both directions.

>>> ours = [Booked("charge", "a", 4800, "EUR"), Booked("charge", "b", 100, "EUR")]
>>> theirs = [Booked("charge", "a", 4900, "EUR"), Booked("refund", "c", 100, "EUR")]
>>> [(one.code, one.key) for one in compared(ours, theirs)]
[('amount', 'a'), ('only_there', 'c'), ('only_here', 'b')]
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, NamedTuple


class Booked(NamedTuple):
    """One movement: of a charge, a refund or a lost dispute, by its key, in minor units; `order` is its code, where we
    know it."""

    kind: Literal["charge", "refund", "dispute"]
    key: str
    amount: int
    currency: str
    order: str | None = None


class Difference(NamedTuple):
    """What differs: `only_there` (at the gateway), `only_here`, or the `amount`. In minor units; None where
    it is not."""

    code: Literal["only_there", "only_here", "amount"]
    kind: str
    key: str
    currency: str
    ours: int | None
    theirs: int | None
    order: str | None


def compared(ours: Iterable[Booked], theirs: Iterable[Booked]) -> list[Difference]:
    """Everything in which two books differ: what the gateway has, in its order, then what only we have."""
    known = {(one.kind, one.key): one for one in ours}
    found = []
    for one in theirs:
        mine = known.pop((one.kind, one.key), None)
        if mine is None:
            found.append(Difference("only_there", one.kind, one.key, one.currency, None, one.amount, one.order))
        elif (mine.amount, mine.currency) != (one.amount, one.currency):
            found.append(Difference("amount", one.kind, one.key, mine.currency, mine.amount, one.amount, mine.order))
    return found + [
        Difference("only_here", mine.kind, mine.key, mine.currency, mine.amount, None, mine.order)
        for mine in known.values()
    ]
