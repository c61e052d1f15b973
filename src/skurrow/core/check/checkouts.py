"""Checking checkouts."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from skurrow.core.check.known import Known, known_prices, repeated
from skurrow.core.check.prices import off_problems
from skurrow.core.problems import Path, Problem
from skurrow.core.site.checkouts import Checkout
from skurrow.core.site.whole import SiteFile


def checkouts_problems(site: SiteFile) -> Iterator[Problem]:
    yield from repeated([(("checkouts", i, "id"), c.id) for i, c in enumerate(site.checkouts)], "checkout")
    known = known_prices(site)
    for i, checkout in enumerate(site.checkouts):
        yield from checkout_problems(site, known, checkout, ("checkouts", i))


def checkout_problems(site: SiteFile, known: Mapping[str, Known], checkout: Checkout, path: Path) -> Iterator[Problem]:
    """What is wrong with a checkout of a site where these prices are known."""
    if not checkout.prices and not checkout.everyday:
        yield Problem((*path, "prices"), "It sells nothing", "Choose a price, or make it the everyday one", "missing")
    first = next((one for one in site.checkouts if one.everyday and one.id != checkout.id), None)
    if checkout.everyday and first is not None:
        message = f"“{first.name}” is the everyday checkout already"
        yield Problem((*path, "everyday"), message, "Keep one of them", "repeated")
    yield from repeated([((*path, "ways", j), way) for j, way in enumerate(checkout.ways or [])], "way to pay here")
    offered = [way.gateway for way in site.payments.ways]
    for j, way in enumerate(checkout.ways or []):
        if offered and way not in offered:
            message = f"The checkout “{checkout.name}” offers “{way}”, which is not among the site's ways to pay"
            remedy = "Offer it at Ways to pay, or take it out of the checkout"
            yield Problem((*path, "ways", j), message, remedy, "unknown")
    if checkout.discount is not None:
        off = checkout.discount
        yield from off_problems(site, off.percent, off.amount, (*path, "discount"), "It")
    yield from repeated([((*path, "prices", j), price) for j, price in enumerate(checkout.prices)], "price here")
    for j, price in enumerate(checkout.prices):
        if price not in known:
            message = f"There is no price “{price}”"
            yield Problem((*path, "prices", j), message, "Choose one of a product's prices", "unknown")
        elif not known[price].price.offered:
            message = f"The price “{price}” is kept for those who have it, and not offered"
            yield Problem((*path, "prices", j), message, "Choose another price, or offer this one again")
