"""What a site sells and at what amounts, for whoever asks: another cart, or the website's own pages."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import islice

from skurrow.core.edition import Edition, PricedProduct
from skurrow.gateway.protocol import Mode
from skurrow.service.context import Context
from skurrow.service.counter.opening import left_at, on_this_machine
from skurrow.service.counter.pricing import Offered, offered_of
from skurrow.service.counter.selling_states import stopped_prices
from skurrow.service.draft.configuration import edition_at, met, site_called
from skurrow.service.refusals import Closed
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.draft import sites
from skurrow.store.orders import selling_states

MOST = 500
"""Prices on one page of the list."""


@dataclass(frozen=True, slots=True)
class Listed:
    """A price with how many are left of it, and the address at which it can be bought (None: nowhere yet)."""

    offered: Offered
    link: str | None


@dataclass(frozen=True, slots=True)
class PriceList:
    """What can be bought at a site, as its real buyers meet it (`mode` test: as it is being built); `more` comes after
    the last one."""

    mode: Mode
    edition: Edition
    listed: list[Listed]
    more: bool


async def price_list(context: Context, code: str, only: Sequence[str] | None, after: str | None) -> PriceList:
    """The prices of the site of a code, those named in `only` or all of them `after` one, in the order of the site.
    Real buyers' is the last release; before the site has sold to any it is the draft, where everybody may try it.
    Prices for named customers are nobody else's business. Raises NotFound, Closed."""
    site_id = await site_called(context, code)
    async with site_transaction(context.pool, site_id) as db:
        site = await sites.site(db, site_id)
        assert site is not None
        mode: Mode = "test" if site.live_since is None else "live"
        book = Book(db, site_id, mode)
        change, _ = await met(book)
        edition = await edition_at(context, db, site_id, change)
        if mode == "test" and not (site.everybody_tries or on_this_machine(edition)):
            raise Closed(f"{edition.site.site.name} does not sell here yet.", edition.site.site)
        names = [name for name in (only if only is not None else edition.prices) if _is_public(edition, name)]
        begin = names.index(after) + 1 if after in names else 0
        shown = list(islice(names, begin, begin + MOST))
        left = await left_at(book, edition, shown)
        selling = await selling_states.selling(db, site_id)
        gone = frozenset(shown) if selling.selling != "opened" else stopped_prices(selling, edition, shown)
        addresses = await sites.addresses_of(db, site_id)
    links = _links(context, edition, addresses, shown)
    listed = [Listed(offered_of(edition, left, name, name in gone), links.get(name)) for name in shown]
    return PriceList(mode, edition, listed, len(names) > begin + MOST)


def _is_public(edition: Edition, name: str) -> bool:
    found = edition.prices.get(name)
    return found is not None and found.price.offered and found.price.for_ is None


def _links(context: Context, edition: Edition, addresses: dict[str, str], prices: Sequence[str]) -> dict[str, str]:
    """Where each price can be bought: at the first checkout that lists it, else at the everyday one."""
    found: dict[str, str] = {}
    buy = f"{context.settings.counter_url}/buy"
    for checkout in sorted(edition.site.checkouts, key=lambda one: one.everyday):
        code = addresses.get(checkout.id)
        for price in prices if checkout.everyday else checkout.prices:
            if code is not None:
                found.setdefault(price, f"{buy}/{code}?items={price}")
    return found


def amounts_of(edition: Edition, priced: PricedProduct, variant: str | None = None) -> dict[str, int]:
    """What one piece costs in each currency of the site, in minor units; of a chosen amount the least."""
    if priced.chosen is not None:
        return {currency: priced.chosen.minimum[currency] for currency in edition.currencies}
    amounts = priced.variants[variant] if variant is not None else priced.amounts
    return {currency: amounts[currency] for currency in edition.currencies}
