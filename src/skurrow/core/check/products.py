"""Checking what is sold: how products, prices, variants, bundles and coupons fit with each other and with the site."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Protocol

from skurrow.core.countries import COUNTRIES
from skurrow.core.durations import length_words, parse_duration
from skurrow.core.money import AmountError, parse_amount
from skurrow.core.problems import Path, Problem
from skurrow.core.site.site import Amounts, Chosen, Coupon, Price, Product, SiteFile, Start


class Known(Protocol):
    """A price with its product."""

    @property
    def product(self) -> Product:
        """Whose price it is."""

    @property
    def price(self) -> Price:
        """The price."""


class _Known:
    __slots__ = ("price", "product")

    def __init__(self, product: Product, price: Price) -> None:
        self.product, self.price = product, price


def known_prices(site: SiteFile) -> dict[str, Known]:
    """Every price of a site by its id."""
    return {price.id: _Known(product, price) for product in site.products for price in product.prices}


def repeated(ids: Iterable[tuple[Path, str]], what: str) -> Iterator[Problem]:
    """A problem for each name that has been given before."""
    seen: set[str] = set()
    for path, name in ids:
        if name in seen:
            message = f"Another {what} is already called “{name}”"
            yield Problem(path, message, "Give it a name of its own", "taken")
        seen.add(name)


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
        yield Problem((*path, "charged"), message, "Add available_from, or charge it at_order")
    defaults = [j for j, price in enumerate(product.prices) if price.default]
    for j in defaults[1:]:
        message = f"“{product.prices[defaults[0]].id}” is the default already"
        yield Problem((*path, "prices", j, "default"), message, "Keep one default a product")
    yield from _variant_problems(site, product, path)
    yield from _ladder_problems(product, (*path, "ladder"))
    for j, price in enumerate(product.prices):
        yield from _price_problems(site, price, (*path, "prices", j))


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


# -- prices -----------------------------------------------------------------------------------------------

_NEEDS = {"recurring": ("every",), "instalments": ("every", "payments")}
_MAY_HAVE = {
    "once": {"amount", "chosen"},
    "recurring": {"amount", "chosen", "every", "start", "ends"},
    "instalments": {"amount", "every", "payments", "again", "start"},
    "free": set[str](),
}
_REMEDIES = {
    "every": 'Say how often it is charged, as in "P1M"',
    "payments": "Say how many payments there are, as in 4",
}


def _price_problems(site: SiteFile, price: Price, path: Path) -> Iterator[Problem]:
    for name in ("amount", "chosen", "every", "payments", "again", "start", "ends"):
        if getattr(price, name) is not None and name not in _MAY_HAVE[price.kind]:
            yield Problem((*path, name), f"A price of kind {price.kind} has none", "Remove it, or change the kind")
        elif getattr(price, name) is None and name in _NEEDS.get(price.kind, ()):
            yield Problem((*path, name), "is missing", _REMEDIES[name], "missing")
    if price.quantity is not None and price.quantity.min > price.quantity.max:
        message = f"At least {price.quantity.min} and at most {price.quantity.max} leaves nothing"
        yield Problem((*path, "quantity"), message, "Make max at least as large as min")
    if price.default and not price.offered:
        message = "A price that is not offered cannot be chosen at first"
        yield Problem((*path, "default"), message, "Offer it, or make another price the default")
    if price.kind == "free":
        return
    if (price.amount is None) == (price.chosen is None):
        message = "has neither an amount nor one that the buyer chooses" if price.amount is None else "has both"
        yield Problem((*path, "amount"), message, "Write either amount or chosen", "missing")
    if price.amount is not None:
        yield from amounts_problems(site, price.amount, (*path, "amount"))
    if price.chosen is not None:
        yield from _chosen_problems(site, price.chosen, (*path, "chosen"))
    if price.kind == "instalments":
        yield from _instalment_problems(price, path)
    if price.start is not None:
        yield from _start_problems(site, price.start, (*path, "start"))


def _instalment_problems(price: Price, path: Path) -> Iterator[Problem]:
    if price.payments == 1 and price.start is None and price.again is None:
        message = "One payment by itself is no set of instalments"
        yield Problem((*path, "payments"), message, "Write 2 or more, or make the kind once")
    if price.every is None or price.payments is None or price.again is None:
        return
    whole = parse_duration(price.every).times(price.payments)
    if parse_duration(price.again).is_shorter_than(whole):
        message = f"The set would start again before it ends: it takes {length_words(whole)}"
        yield Problem((*path, "again"), message, "Write at least that")


def _start_problems(site: SiteFile, start: Start, path: Path) -> Iterator[Problem]:
    if (start.free is None) == (start.amount is None):
        message = "A start is either free for a time or has an amount of its own"
        yield Problem(path, message, "Write {free: P14D}, or amount with for")
        return
    if start.amount is not None:
        yield from amounts_problems(site, start.amount, (*path, "amount"))
        if start.for_ is None:
            yield Problem((*path, "for"), "is missing", 'Say how long it lasts, as in "P1M"', "missing")
        if start.card == "later":
            yield Problem((*path, "card"), "A first payment is made when it is ordered", "Remove it")
        return
    if start.for_ is not None:
        yield Problem((*path, "for"), "A free start lasts as long as `free` says", "Remove it")
    if start.times != 1:
        yield Problem((*path, "times"), "A free start comes once", "Remove it, and write a longer time")


def _chosen_problems(site: SiteFile, chosen: Chosen, path: Path) -> Iterator[Problem]:
    for name in ("minimum", "maximum", "suggested"):
        amounts = getattr(chosen, name)
        if amounts is not None:
            yield from amounts_problems(site, amounts, (*path, name), least=0 if name == "minimum" else 1)
    for name, low, high in (
        ("maximum", chosen.minimum, chosen.maximum),
        ("suggested", chosen.minimum, chosen.suggested),
        ("suggested", chosen.suggested, chosen.maximum),
    ):
        for code in low.keys() & high.keys() if low and high else ():
            if _exceeds(low, high, code):
                yield Problem((*path, name, code), "does not lie between minimum and maximum", "Change one of them")


def _exceeds(low: Amounts | None, high: Amounts | None, code: str) -> bool:
    try:
        return parse_amount(low[code], code) > parse_amount(high[code], code)  # type: ignore[index]
    except AmountError:
        return False


def _nothing(path: Path) -> str:
    """What is wrong with an amount of 0 there."""
    if "coupons" in path or path[0] in ("amount", "minimum"):
        return "Nothing cannot be taken off, or be the least"
    return "A price of nothing cannot be charged"


def amounts_problems(site: SiteFile, amounts: Amounts, path: Path, least: int = 1) -> Iterator[Problem]:
    """What is wrong with amounts that have to be known in every currency of the site, written or converted."""
    base, sold_in = site.currencies[0].code, {c.code: c for c in site.currencies}
    for code, text in amounts.items():
        if code not in sold_in:
            message = f"The site does not sell in {code}"
            yield Problem((*path, code), message, f"Add {code} to currencies, or remove the amount")
            continue
        try:
            minor = parse_amount(text, code)
        except AmountError as error:
            message, _, remedy = str(error).partition("; ")
            yield Problem((*path, code), message, remedy.capitalize() or "Write a smaller amount")
            continue
        if minor < least:
            yield Problem((*path, code), _nothing(path), "Write an amount above 0")
    if base not in amounts and any(c not in amounts for c in sold_in):
        message = f"An amount in {base}, the base currency, is missing"
        yield Problem((*path, base), message, f"Add {base}, or an amount for every currency")
    for code, currency in sold_in.items():
        if code != base and code not in amounts and currency.rate is None:
            message = f"There is neither an amount in {code} nor a rate to convert to it"
            yield Problem((*path, code), message, f"Add an amount, or a rate to the currency {code}")


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
    if (coupon.percent is None) == (coupon.amount is None):
        message = "A coupon takes off either a percentage or an amount"
        yield Problem((*path, "percent"), message, "Write one of percent and amount")
    if coupon.percent is not None and not 0 < coupon.percent <= 100:
        yield Problem((*path, "percent"), f"{coupon.percent} % cannot be taken off", 'Write above "0" up to "100"')
    if coupon.amount is not None:
        yield from amounts_problems(site, coupon.amount, (*path, "amount"))
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
