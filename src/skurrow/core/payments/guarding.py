"""Limits against fraud: an order passes, is held for a person, or is refused, each with its reasons."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from skurrow.core.edition import Edition, plain_amounts
from skurrow.core.money import format_amount
from skurrow.core.site.payments import Guard
from skurrow.core.words import sentence

Verdict = Literal["pass", "hold", "refuse"]
LONGEST = timedelta(hours=720)
"""The longest time within which tries are counted."""


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known when an order is about to be paid: its amount, the countries of buyer and card (None: not known),
    and when it was tried before, by card, address and buyer."""

    amount: int
    currency: str
    buyer_country: str
    card_country: str | None
    tries: Mapping[str, Sequence[datetime]]


@dataclass(frozen=True, slots=True)
class Judgement:
    """What becomes of the order, and why; the reasons are for the desk, never for the buyer."""

    verdict: Verdict
    reasons: tuple[str, ...]


def judge(edition: Edition, facts: Facts, now: datetime) -> Judgement:
    """Holds an order against the site's limits. One that refuses outweighs those that hold."""
    met = [
        (guard.then, reason) for guard in edition.site.payments.guards if (reason := _met(edition, guard, facts, now))
    ]
    for verdict in ("refuse", "hold"):
        reasons = tuple(reason for then, reason in met if then == verdict)
        if reasons:
            return Judgement("refuse" if verdict == "refuse" else "hold", reasons)
    return Judgement("pass", ())


def _met(edition: Edition, guard: Guard, facts: Facts, now: datetime) -> str | None:
    """Why a limit fits an order; None where it does not."""
    if guard.above is not None:
        limit = plain_amounts(edition.site, guard.above).get(facts.currency)
        if limit is None or facts.amount <= limit:
            return None
        return sentence("guard_above", limit=f"{format_amount(limit, facts.currency)} {facts.currency}")
    if guard.tries is not None and guard.by is not None and guard.hours is not None:
        since = now - timedelta(hours=guard.hours)
        n = sum(1 for at in facts.tries.get(guard.by, ()) if at > since)
        if n <= guard.tries:
            return None
        return sentence(f"guard_tries_{guard.by}", n=str(n), hours=str(guard.hours))
    if guard.another_country and facts.card_country not in (None, facts.buyer_country):
        return sentence("guard_another_country", card=str(facts.card_country), buyer=facts.buyer_country)
    return None
