"""Checking checkouts."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from skurrow.core.check.known import Known, known_prices, repeated
from skurrow.core.problems import Path, Problem
from skurrow.core.site.checkouts import Checkout
from skurrow.core.site.whole import SiteFile


def checkouts_problems(site: SiteFile) -> Iterator[Problem]:
    yield from repeated([(("checkouts", i, "id"), c.id) for i, c in enumerate(site.checkouts)], "checkout")
    known = known_prices(site)
    for i, checkout in enumerate(site.checkouts):
        yield from checkout_problems(known, checkout, ("checkouts", i))


def checkout_problems(known: Mapping[str, Known], checkout: Checkout, path: Path) -> Iterator[Problem]:
    """What is wrong with a checkout where these prices are known."""
    yield from repeated([((*path, "prices", j), price) for j, price in enumerate(checkout.prices)], "price here")
    for j, price in enumerate(checkout.prices):
        if price not in known:
            message = f"There is no price “{price}”"
            yield Problem((*path, "prices", j), message, "Choose one of a product's prices", "unknown")
        elif not known[price].price.offered:
            message = f"The price “{price}” is kept for those who have it, and not offered"
            yield Problem((*path, "prices", j), message, "Choose another price, or offer this one again")
