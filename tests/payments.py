"""What a buyer sends with the press of Pay, in short."""

from __future__ import annotations

from typing import Any

from skurrow.core.quote.kept import KeptBuyer
from skurrow.service.counter.payment import Payment
from skurrow.service.counter.visit import NOTHING_CHOSEN, Choice

_WITH_WHAT = ("way", "address_seen", "password", "currency", "basket")


def payment_of(
    email: str,
    name: str,
    country: str,
    token: str | None,
    expected: str,
    choice: Choice = NOTHING_CHOSEN,
    seen_in: str | None = None,
    lives_here: bool = False,
    **more: Any,
) -> Payment:
    """A press of Pay as the counter's form sends it; `more` is typed about the buyer, or says with what they pay."""
    with_what = {one: more.pop(one) for one in _WITH_WHAT if one in more}
    evidence = {"declared": country, "connection": seen_in, "confirmed": lives_here or None}
    buyer = KeptBuyer(email=email, name=name, country=country, evidence=evidence, **more)
    return Payment(buyer, token, expected, choice, **with_what)
