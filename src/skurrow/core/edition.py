"""An edition: one state of a site's configuration, compiled for computing. It never changes, so it can be kept.

Amounts are whole minor units in every currency of the site, own or converted.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, TypeVar, cast

from skurrow.core.delivery.methods import PricedMethod, PricedZone, Zones
from skurrow.core.durations import NOTHING, parse_duration
from skurrow.core.money import LARGEST, convert, format_amount, parse_amount
from skurrow.core.order import OwnDiscount
from skurrow.core.rhythm import Rhythm
from skurrow.core.site.checkouts import Checkout
from skurrow.core.site.coupons import Coupon
from skurrow.core.site.delivery import Method
from skurrow.core.site.products import Price, Product
from skurrow.core.site.stand_in_buyers import StandInBuyer
from skurrow.core.site.values import Amounts
from skurrow.core.site.whole import LISTS, SiteFile
from skurrow.core.tax.deciding import Seller, What

T = TypeVar("T")

MinorAmounts = dict[str, int]
"""Minor units by currency."""


@dataclass(frozen=True, slots=True)
class Limits:
    """What a buyer may choose to pay: from, up to (None: any amount), and what is filled in at first."""

    minimum: MinorAmounts
    maximum: MinorAmounts | None
    suggested: MinorAmounts | None


class Remembered:
    """What has been worked out, by what it depends on. An edition never changes, so neither does this."""

    __slots__ = ("_found", "_most")

    def __init__(self, most: int) -> None:
        self._found: dict[Any, Any] = {}
        self._most = most

    def get(self, key: Any, make: Callable[[], T]) -> T:
        """What was made for this key before, or is made now."""
        found = self._found.get(key)
        if found is None:
            if len(self._found) >= self._most:
                self._found.clear()
            found = self._found[key] = make()
        return cast(T, found)


@dataclass(frozen=True, slots=True)
class PricedProduct:
    """A price with its product, compiled.

    `amounts` is one regular charge of one piece (of a chosen amount: the suggestion, or the least), `converted` which
    currencies of it are converted, `starts` a different first payment, `variants` the amounts of each variant.
    """

    product: Product
    price: Price
    amounts: MinorAmounts
    converted: frozenset[str]
    what: What
    rhythm: Rhythm
    starts: MinorAmounts
    variants: dict[str, MinorAmounts]
    chosen: Limits | None


@dataclass(frozen=True, slots=True)
class PricedCoupon:
    """A coupon, compiled: `percent` as a ratio, amounts and minimums by currency, its products (None: all).

    `label` is what buyers read.
    """

    coupon: Coupon
    label: str
    percent: tuple[int, int] | None
    amounts: MinorAmounts
    minimums: MinorAmounts
    only: frozenset[str] | None


@dataclass(frozen=True, slots=True)
class Edition:
    """A checked site with its prices, coupons, checkouts and stand-in buyers by id, and its currencies, the base first.

    `places` says where in each list of the site a part stands, by its id; `bundles` are the products that hold others.
    """

    site: SiteFile
    prices: dict[str, PricedProduct]
    coupons: dict[str, PricedCoupon]
    checkouts: dict[str, Checkout]
    currencies: tuple[str, ...]
    stand_in_buyers: dict[str, StandInBuyer]
    places: dict[str, dict[str, int]]
    automatic: tuple[str, ...]
    bundles: frozenset[str]
    seller: Seller = field(compare=False, repr=False)
    zones: Zones = field(compare=False, repr=False)
    quotes: Remembered = field(init=False, compare=False, repr=False, default_factory=lambda: Remembered(128))
    """Quotes that were made under it, by all that they depend on."""

    @property
    def base(self) -> str:
        """The currency in which amounts are written first."""
        return self.currencies[0]

    def tax_included(self, currency: str) -> bool:
        """Whether amounts in a currency include tax."""
        found = next((one.tax_included for one in self.site.currencies if one.code == currency), None)
        return self.site.tax.included if found is None else found

    def is_sold_at(self, checkout: Checkout, price: str) -> bool:
        """Whether a checkout sells a price: one of its own or, at the everyday one, any that is offered."""
        if price in checkout.prices:
            return True
        found = self.prices.get(price) if checkout.everyday else None
        return found is not None and found.price.offered

    def sold_at(self, checkout: Checkout) -> Iterator[str]:
        """The prices that a checkout sells, its own first."""
        yield from checkout.prices
        if checkout.everyday:
            yield from (name for name, one in self.prices.items() if one.price.offered and name not in checkout.prices)

    def own_discount(self, checkout: Checkout, currency: str) -> OwnDiscount | None:
        """What a checkout takes off each thing that it sells, in a currency."""
        discount = checkout.discount
        if discount is None:
            return None
        if discount.percent is not None:
            return OwnDiscount(percent=discount.percent)
        amount = plain_amounts(self.site, discount.amount or {}).get(currency, 0)
        return OwnDiscount(amount=format_amount(amount, currency)) if amount else None

    def product(self, name: str) -> Product | None:
        """A product by its id."""
        at = self.places["products"].get(name)
        return None if at is None else self.site.products[at]


def compile_site(site: SiteFile) -> Edition:
    """The edition of a site that `check` has accepted."""
    coupons = {coupon.id: priced_coupon(site, coupon) for coupon in site.coupons}
    return Edition(
        site=site,
        prices={price.price.id: price for product in site.products for price in priced(site, product)},
        coupons=coupons,
        checkouts={checkout.id: checkout for checkout in site.checkouts},
        currencies=tuple(currency.code for currency in site.currencies),
        stand_in_buyers={buyer.id: buyer for buyer in site.stand_in_buyers},
        places={name: {part.id: i for i, part in enumerate(getattr(site, name))} for name in LISTS.values()},
        automatic=automatic_of(site.coupons),
        bundles=frozenset(product.id for product in site.products if product.contains),
        seller=Seller(site),
        zones=Zones(site.delivery, [_zone(site, zone.name, zone.methods) for zone in site.delivery.zones]),
    )


def automatic_of(coupons: Iterable[Coupon]) -> tuple[str, ...]:
    """The coupons that come by themselves, in file order."""
    return tuple(coupon.id for coupon in coupons if coupon.automatic)


def priced(site: SiteFile, product: Product) -> list[PricedProduct]:
    """A product's prices with their amounts in every currency of the site."""
    own = {v.id: product_amounts(site, v.amount) for v in product.variants if v.amount is not None}
    return [_priced(site, product, price, own) for price in product.prices]


def _priced(site: SiteFile, product: Product, price: Price, own: dict[str, MinorAmounts]) -> PricedProduct:
    limits = None
    written: Amounts = price.amount or {}
    if price.kind == "free":
        amounts = {currency.code: 0 for currency in site.currencies}
    elif price.chosen is not None:
        limits = Limits(
            plain_amounts(site, price.chosen.minimum),
            plain_amounts(site, price.chosen.maximum) if price.chosen.maximum else None,
            plain_amounts(site, price.chosen.suggested) if price.chosen.suggested else None,
        )
        amounts = limits.suggested or limits.minimum
    else:
        amounts = product_amounts(site, written)
    takes_place = price.kind != "free" and limits is None
    start = price.start
    return PricedProduct(
        product=product,
        price=price,
        amounts=amounts,
        converted=frozenset(code for code in amounts if code not in written) if takes_place else frozenset(),
        what=What.of(product),
        rhythm=rhythm_of(price),
        starts=product_amounts(site, start.amount) if start is not None and start.amount else {},
        variants={v.id: own.get(v.id, amounts) if takes_place else amounts for v in product.variants},
        chosen=limits,
    )


def rhythm_of(price: Price) -> Rhythm:
    """When a checked price is charged."""
    if price.kind in ("once", "free") or price.every is None:
        return Rhythm(price.kind)
    start = price.start
    length = None if start is None else start.free or start.for_
    return Rhythm(
        kind=price.kind,
        every=parse_duration(price.every),
        payments=price.payments or 1,
        again=parse_duration(price.again) if price.again else None,
        start=parse_duration(length) if length else NOTHING,
        starts=start.times if start is not None and start.amount else 0,
        free=start is not None and start.free is not None,
    )


def priced_coupon(site: SiteFile, coupon: Coupon) -> PricedCoupon:
    """A coupon with its amounts in every currency of the site."""
    numerator, denominator = (coupon.percent or Decimal(0)).as_integer_ratio()
    return PricedCoupon(
        coupon=coupon,
        label=coupon.name or coupon.id,
        percent=(numerator, denominator * 100) if numerator else None,
        amounts=plain_amounts(site, coupon.amount) if coupon.amount else {},
        minimums=plain_amounts(site, coupon.minimum) if coupon.minimum else {},
        only=frozenset(coupon.only) if coupon.only is not None else None,
    )


def _zone(site: SiteFile, name: str, methods: Iterable[Method]) -> PricedZone:
    def plain(written: Amounts | None) -> MinorAmounts | None:
        return plain_amounts(site, written) if written is not None else None

    return PricedZone(
        name,
        tuple(
            PricedMethod(
                method=one,
                amount=plain(one.amount),
                each=plain(one.each),
                by_weight=tuple((step.up_to_g, plain_amounts(site, step.amount)) for step in one.by_weight),
                by_value=tuple((plain(step.up_to), plain_amounts(site, step.amount)) for step in one.by_value),
                free_from=plain(one.free_from),
            )
            for one in methods
        ),
    )


def product_amounts(site: SiteFile, written: Amounts) -> MinorAmounts:
    """Amounts of a product: those that are missing are converted from the base, rounded as the currency says."""
    return _amounts(site, written, as_written=False)


def plain_amounts(site: SiteFile, written: Amounts) -> MinorAmounts:
    """Amounts of coupons, minimums and thresholds: converted to the minor unit only."""
    return _amounts(site, written, as_written=True)


def _amounts(site: SiteFile, written: Amounts, as_written: bool) -> MinorAmounts:
    base = site.currencies[0].code
    amounts = {code: parse_amount(text, code) for code, text in written.items()}
    for currency in site.currencies:
        if currency.code in amounts or currency.rate is None:
            continue
        round_to, less = (None, Decimal(0)) if as_written else (currency.round_to, currency.less)
        amount = convert(amounts[base], base, currency.code, currency.rate, round_to, less)
        amounts[currency.code] = min(amount, LARGEST + 1)
    return amounts
