"""Checking checkouts."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from skurrow.core.check.known import Known, known_prices, repeated
from skurrow.core.check.prices import amounts_problems
from skurrow.core.problems import Path, Problem
from skurrow.core.site.checkouts import Checkout, CheckoutDiscount
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
            message = f"“{way}” is not among the site's ways to pay"
            yield Problem((*path, "ways", j), message, f"Choose among {', '.join(offered)}", "unknown")
    if checkout.discount is not None:
        yield from _discount_problems(site, checkout.discount, (*path, "discount"))
    yield from repeated([((*path, "prices", j), price) for j, price in enumerate(checkout.prices)], "price here")
    for j, price in enumerate(checkout.prices):
        if price not in known:
            message = f"There is no price “{price}”"
            yield Problem((*path, "prices", j), message, "Choose one of a product's prices", "unknown")
        elif not known[price].price.offered:
            message = f"The price “{price}” is kept for those who have it, and not offered"
            yield Problem((*path, "prices", j), message, "Choose another price, or offer this one again")


def _discount_problems(site: SiteFile, discount: CheckoutDiscount, path: Path) -> Iterator[Problem]:
    if (discount.percent is None) == (discount.amount is None):
        message = "It takes off either a percentage or an amount"
        yield Problem((*path, "percent"), message, "Write one of percent and amount")
    if discount.percent is not None and not 0 < discount.percent <= 100:
        yield Problem((*path, "percent"), f"{discount.percent} % cannot be taken off", 'Write above "0" up to "100"')
    if discount.amount is not None:
        yield from amounts_problems(site, discount.amount, (*path, "amount"))
