"""Checking coupons."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from skurrow.core.check.known import repeated
from skurrow.core.check.prices import amounts_problems, off_problems
from skurrow.core.problems import Path, Problem
from skurrow.core.site.coupons import Coupon
from skurrow.core.site.products import Product
from skurrow.core.site.whole import SiteFile

# -- coupons ----------------------------------------------------------------------------------------------


def coupons_problems(site: SiteFile) -> Iterator[Problem]:
    """What is wrong with the coupons of a site."""
    codes = [(("coupons", i, "id"), coupon.id.casefold()) for i, coupon in enumerate(site.coupons)]
    yield from repeated(codes, "coupon")
    products = {product.id: product for product in site.products}
    for i, coupon in enumerate(site.coupons):
        yield from coupon_problems(site, products, coupon, ("coupons", i))


def coupon_problems(site: SiteFile, products: Mapping[str, Product], coupon: Coupon, path: Path) -> Iterator[Problem]:
    """What is wrong with a coupon where these products are known."""
    yield from off_problems(site, coupon.percent, coupon.amount, path, "A coupon")
    if coupon.minimum is not None:
        yield from amounts_problems(site, coupon.minimum, (*path, "minimum"))
    if coupon.from_ and coupon.until and coupon.until < coupon.from_:
        yield Problem((*path, "until"), "It would end before it begins", "Write a later day, or an earlier from")
    if coupon.limit and coupon.per_customer and coupon.per_customer > coupon.limit:
        message = f"One customer cannot use it more often than {coupon.limit} times in all"
        yield Problem((*path, "per_customer"), message, "Write a smaller number")
    yield from _only_problems(products, coupon, path)


def _only_problems(products: Mapping[str, Product], coupon: Coupon, path: Path) -> Iterator[Problem]:
    if coupon.only is None:
        return
    yield from repeated([((*path, "only", j), name) for j, name in enumerate(coupon.only)], "product here")
    for j, name in enumerate(coupon.only):
        if name not in products:
            message = f"There is no product “{name}”"
            yield Problem((*path, "only", j), message, "Choose one of the products", "unknown")
    named = [products[name] for name in coupon.only if name in products]
    if len(named) == len(coupon.only) and all(price.kind == "free" for one in named for price in one.prices):
        message = "It is for nothing that is ever charged"
        yield Problem((*path, "only"), message, "Name a product with a price, or remove `only`")
