"""Checking what is sold: how products, prices, variants, bundles and coupons fit with each other and with the site."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from skurrow.core.check.known import Known, known_prices, repeated
from skurrow.core.check.prices import amounts_problems, price_problems
from skurrow.core.countries import COUNTRIES
from skurrow.core.problems import Path, Problem
from skurrow.core.site.products import Product
from skurrow.core.site.whole import SiteFile

# -- products ---------------------------------------------------------------------------------------------


def products_problems(site: SiteFile) -> Iterator[Problem]:
    """What is wrong with the products of a site."""
    yield from repeated([(("products", i, "id"), p.id) for i, p in enumerate(site.products)], "product")
    prices = [
        (("products", i, "prices", j, "id"), price.id)
        for i, product in enumerate(site.products)
        for j, price in enumerate(product.prices)
    ]
    yield from repeated(prices, "price")
    known = known_prices(site)
    for i, product in enumerate(site.products):
        yield from product_problems(site, product, ("products", i))
        yield from content_problems(known, product, ("products", i))


def product_problems(site: SiteFile, product: Product, path: Path) -> Iterator[Problem]:
    """What is wrong with a product by itself, on a site whose currencies and home are right."""
    if product.kind != "event" and product.held_in is not None:
        yield Problem((*path, "held_in"), "Only an event is held somewhere", "Remove it, or make the kind event")
    if product.held_in is not None and product.held_in.partition("-")[0] not in COUNTRIES:
        message = f"“{product.held_in}” is no country and no region of one"
        yield Problem((*path, "held_in"), message, "Write it as in NL or US-NY", "unknown")
    if product.charged == "at_release" and product.available_from is None:
        message = "There is no day on which it comes out"
        yield Problem((*path, "charged"), message, "Add the day on which it comes out, or charge it with the order")
    words = [((*path, "categories", j), word.casefold()) for j, word in enumerate(product.categories)]
    yield from repeated(words, "category here")
    defaults = [j for j, price in enumerate(product.prices) if price.default]
    for j in defaults[1:]:
        message = f"“{product.prices[defaults[0]].id}” is the default already"
        yield Problem((*path, "prices", j, "default"), message, "Keep one default a product")
    yield from _variant_problems(site, product, path)
    yield from _ladder_problems(product, (*path, "ladder"))
    for j, price in enumerate(product.prices):
        yield from price_problems(site, price, (*path, "prices", j))


def _variant_problems(site: SiteFile, product: Product, path: Path) -> Iterator[Problem]:
    variants = product.variants
    yield from repeated([((*path, "variants", j, "id"), v.id) for j, v in enumerate(variants)], "variant")
    for j, variant in enumerate(variants):
        here = (*path, "variants", j)
        if variant.amount is not None:
            yield from amounts_problems(site, variant.amount, (*here, "amount"))
        if variant.stock is not None and product.stock is not None:
            message = "The product has a stock for all its variants together"
            yield Problem((*here, "stock"), message, "Keep the product's stock, or give each variant its own")


def _ladder_problems(product: Product, path: Path) -> Iterator[Problem]:
    if product.ladder is None:
        return
    yield from repeated([((*path, j), name) for j, name in enumerate(product.ladder)], "step")
    prices = {price.id: price for price in product.prices}
    for j, name in enumerate(product.ladder):
        if name not in prices:
            message = f"“{product.name}” has no price “{name}”"
            yield Problem((*path, j), message, "Name one of its recurring prices", "unknown")
        elif prices[name].kind != "recurring":
            message = f"“{name}” is of kind {prices[name].kind}, and a ladder leads from one recurring price to another"
            yield Problem((*path, j), message, "Leave it out")
        elif prices[name].chosen is not None:
            message = f"The buyer chooses the amount of “{name}”, so nobody can say what changing to it costs"
            yield Problem((*path, j), message, "Leave it out")


def content_problems(known: Mapping[str, Known], product: Product, path: Path) -> Iterator[Problem]:
    """What is wrong with what a bundle holds, where these prices are known."""
    held = [
        ((*path, "contains", j), f"{one.price} {one.variant or ''}".rstrip()) for j, one in enumerate(product.contains)
    ]
    yield from repeated(held, "entry")
    for j, content in enumerate(product.contains):
        here = (*path, "contains", j)
        found = known.get(content.price)
        if found is None:
            message = f"There is no price “{content.price}”"
            yield Problem((*here, "price"), message, "Choose one of another product's prices", "unknown")
            continue
        if holds_itself(known, product, found.product):
            message = f"“{product.name}” would contain itself"
            yield Problem((*here, "price"), message, "Choose the price of another product", "circle")
            continue
        if found.price.chosen is not None:
            message = (
                f"The buyer chooses the amount of “{content.price}”, so a bundle with it saves nothing one can tell"
            )
            yield Problem((*here, "price"), message, "Choose a price with an amount")
        variants = {variant.id: variant for variant in found.product.variants}
        if content.variant is not None and content.variant not in variants:
            message = f"“{found.product.name}” has no variant “{content.variant}”"
            remedy = f"Choose one of {', '.join(variants)}" if variants else "Leave it out"
            yield Problem((*here, "variant"), message, remedy, "unknown")
        if content.variant is None and any(variant.stock is not None for variant in variants.values()):
            message = f"Each variant of “{found.product.name}” has a stock of its own"
            yield Problem((*here, "variant"), message, f"Say which: {', '.join(variants)}", "missing")


def holds_itself(known: Mapping[str, Known], product: Product, content: Product) -> bool:
    """Whether a product is the content, or is held by it through any number of bundles."""
    seen: set[str] = set()
    waiting = [content]
    while waiting:
        here = waiting.pop()
        if here.id == product.id:
            return True
        if here.id not in seen:
            seen.add(here.id)
            waiting += [known[one.price].product for one in here.contains if one.price in known]
    return False
