"""Which tax a line bears, and why. Computed here: the seller's own rate, included in the amount.

Whatever another rule would have to decide is refused by the quote, never guessed.
"""

from __future__ import annotations

from decimal import Decimal
from functools import lru_cache
from typing import NamedTuple

from skurrow.core.countries import COUNTRIES, EU, in_eu
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.order import Buyer
from skurrow.core.rates import Rate
from skurrow.core.words import sentence

NOTED = {"picked_up", "eu_below_threshold"}
"""Reasons that a buyer is told of."""


class Ruling(NamedTuple):
    """Where a line is taxed, how, at which rate (also as a ratio of whole numbers), and why (code and sentence)."""

    place: str
    name: str
    rate: Decimal
    treatment: str
    reason: tuple[str, str]
    ratio: tuple[int, int]

    def tax_in(self, total: int) -> int:
        """The tax that a total of minor units includes: round(total × rate / (1 + rate))."""
        numerator, denominator = self.ratio
        whole = denominator + numerator
        return (2 * total * numerator + whole) // (2 * whole)  # half up, for no total is below zero


def ruling(code: str, rate: Rate, buyer: str) -> Ruling:
    """The seller's own rate, for a reason."""
    reason = _reason(code, rate.place, rate.rate, buyer)
    return Ruling(rate.place, rate.name, rate.rate, _treatment(rate), reason, rate.rate.as_integer_ratio())


def buyer_countries(edition: Edition, price: PricedProduct) -> frozenset[str]:
    """The countries whose consumers this version can quote the price for."""
    home = edition.site.site.country
    if price.product.kind != "digital":
        return COUNTRIES
    return EU if home in EU else frozenset({home})


def why_home(edition: Edition, kind: str, buyer: Buyer) -> str | None:
    """The reason for which the seller's own rate applies to a kind of product, or None where another rule would have
    to decide."""
    home = edition.site.site.country
    if kind == "event":
        return "held_at_home"
    if buyer.country == home and (home not in EU or in_eu(home, buyer.postal_code)):
        return "home_rate"
    if kind == "goods":
        return "picked_up"
    if buyer.business:
        return None
    if kind == "service":
        return "service_at_home"
    within = home in EU and in_eu(buyer.country, buyer.postal_code)
    return "eu_below_threshold" if within else None


def _treatment(rate: Rate) -> str:
    if rate.rate == 0:
        return "zero"
    return "standard" if rate.counts_as == "standard" or rate.fallback else "reduced"


@lru_cache(maxsize=4096)
def _reason(code: str, place: str, rate: Decimal, buyer: str) -> tuple[str, str]:
    percent = f"{(rate * 100).normalize():f}"
    return code, sentence(code, place=place, percent=percent, buyer=buyer)
