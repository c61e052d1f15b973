"""An edition: one state of a site's configuration, compiled for computing. It never changes, so it can be kept.

Amounts are whole minor units in every currency of the site, own or converted.
"""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from skurrow.core.money import LARGEST, convert, parse_amount
from skurrow.core.rates import Rate, rate_for
from skurrow.core.site import LISTS, Checkout, Price, Product, SiteFile, StandInBuyer


@dataclass(frozen=True, slots=True)
class PricedProduct:
    """A price with its product, its amounts in minor units, which of them are converted, and the home rate."""

    product: Product
    price: Price
    amounts: dict[str, int]
    converted: frozenset[str]
    home_rate: Rate


@dataclass(frozen=True, slots=True)
class Edition:
    """A checked site with its prices, checkouts and stand-in buyers by id, and its currencies, the base first.

    `places` says where in each list of the site a part stands, by its id.
    """

    site: SiteFile
    prices: dict[str, PricedProduct]
    checkouts: dict[str, Checkout]
    currencies: tuple[str, ...]
    stand_in_buyers: dict[str, StandInBuyer]
    places: dict[str, dict[str, int]]

    @property
    def base(self) -> str:
        """The currency in which amounts are written first."""
        return self.currencies[0]


def compile_site(site: SiteFile) -> Edition:
    """The edition of a site that `check` has accepted."""
    prices = {price.price.id: price for product in site.products for price in priced(site, product)}
    return Edition(
        site=site,
        prices=prices,
        checkouts={checkout.id: checkout for checkout in site.checkouts},
        currencies=tuple(currency.code for currency in site.currencies),
        stand_in_buyers={buyer.id: buyer for buyer in site.stand_in_buyers},
        places={name: {part.id: i for i, part in enumerate(getattr(site, name))} for name in LISTS.values()},
    )


def priced(site: SiteFile, product: Product) -> list[PricedProduct]:
    """A product's prices with their amounts in every currency of the site."""
    home = product.held_in or site.site.country
    rate = rate_for(home, product.counts_as, site.tax.rates)
    if rate is None:
        raise ValueError(f"no tax rate for {home}: the site was not checked")
    found = []
    for price in product.prices:
        amounts = _amounts(site, price)
        converted = frozenset(code for code in amounts if code not in price.amount)
        found.append(PricedProduct(product, price, amounts, converted, rate))
    return found


def _amounts(site: SiteFile, price: Price) -> dict[str, int]:
    base = site.currencies[0].code
    amounts = {code: parse_amount(text, code) for code, text in price.amount.items()}
    for currency in site.currencies:
        if currency.code in amounts or currency.rate is None:
            continue
        rate: Decimal = currency.rate
        amount = convert(amounts[base], base, currency.code, rate, currency.round_to, currency.less)
        amounts[currency.code] = min(amount, LARGEST + 1)
    return amounts
