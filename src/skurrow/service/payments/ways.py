"""The ways to pay at a counter: the connected gateways as the owner offers them, and which of them fit a sale."""

from __future__ import annotations

import time
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.payments.costs import Tariff
from skurrow.core.payments.ways import Offer, Sale, Usable, offers
from skurrow.core.quote.written import Quote
from skurrow.gateway.protocol import Account, PaymentWindow
from skurrow.gateway.registry import ADAPTERS, usable_as
from skurrow.service.context import Context
from skurrow.service.payments.gateways import account_of, connections_for, gateway_of
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.payments.connections import ConnectionRow

WayKind = Literal["fields", "off_site", "person"]
"""How a buyer pays: in the gateway's own fields, at its own site, or by themselves."""


@dataclass(frozen=True, slots=True)
class CounterWay:
    """A way to pay as a checkout shows it; `fields_address` and `origin` where the gateway has fields, `window` where
    the browser's own payment window pays with it."""

    gateway: str
    label: str
    text: str
    kind: WayKind
    waits: bool
    fields_address: str | None
    origin: str | None
    window: PaymentWindow | None


_FRESH = 3.0
"""Seconds for which a counter goes by what was connected; whoever pays is looked up anew."""


async def lately_usable(context: Context, site_id: UUID, mode: str) -> list[Usable]:
    """The gateways that buyers of a mode could be charged through a moment ago."""
    known = context.usable.get((site_id, mode))
    if known is not None and time.monotonic() - known[0] < _FRESH:
        return known[1]
    async with site_transaction(context.pool, site_id) as db:
        found = [usable_of(row) for row in await connections_for(Book(db, site_id, mode))]
    if len(context.usable) > _MOST_SITES:
        context.usable.clear()
    context.usable[site_id, mode] = (time.monotonic(), found)
    return found


_MOST_SITES = 10_000


def usable_of(row: ConnectionRow) -> Usable:
    """A connected gateway, as far as the choice depends on it."""
    return usable_as(row.adapter, account_of(row))


def tariff(account: Account) -> Tariff:
    """What a gateway takes; one that takes every currency reckons in none of its own."""
    fees, own = account.fees, account.currencies[0] if account.currencies else "EUR"
    return Tariff(
        percent=Decimal(fees.percent),
        fixed=fees.fixed,
        cross_border=Decimal(fees.cross_border),
        conversion=Decimal(fees.conversion),
        monthly=fees.monthly,
        own=own,
    )


def sale_of(quoted: Quote, country: str, collected: bool) -> Sale:
    """What is to be paid of a quote."""
    return Sale(country, quoted.currency, quoted.due_today, bool(quoted.later), collected)


def offers_for(edition: Edition, rows: Sequence[ConnectionRow], sale: Sale) -> list[Offer]:
    """Every way that is connected, in the owner's order, with why this sale cannot be paid with it, if it cannot."""
    return offers(edition, [usable_of(row) for row in rows], sale)


def kind_of(gateway: str) -> WayKind:
    """How a buyer pays with a gateway."""
    can = ADAPTERS[gateway].abilities
    return "fields" if can.fields else "off_site" if can.off_site else "person"


def shown_as(edition: Edition, gateway: str) -> tuple[str, str]:
    """What buyers read for a gateway: its name, and the text beneath."""
    way = next((one for one in edition.site.payments.ways if one.gateway == gateway), None)
    return (way and way.label) or ADAPTERS[gateway].label, way.text if way else ""


def kind_of_known(gateway: str) -> WayKind | None:
    """The same; None for a gateway that does not exist."""
    return kind_of(gateway) if gateway in ADAPTERS else None


def at_counter(
    context: Context, edition: Edition, rows: Sequence[ConnectionRow], currency: str, card: str | None
) -> list[CounterWay]:
    """All ways to pay that a checkout may come to show; `card` is how a stand-in buyer's card behaves."""
    shop, by_name = edition.site.site, {row.adapter: row for row in rows}
    found = []
    for offer in offers_for(edition, rows, Sale(shop.country, currency, 1)):
        reach = context.settings.gateways.get(offer.gateway)
        gateway = gateway_of(context, by_name[offer.gateway])
        address = gateway.fields_address(context.settings.counter_url, shop.colour, card)
        found.append(
            CounterWay(
                gateway=offer.gateway,
                label=offer.label,
                text=offer.text,
                kind=kind_of(offer.gateway),
                waits=ADAPTERS[offer.gateway].abilities.confirms_later,
                fields_address=address,
                origin=reach.browser if address is not None and reach is not None else None,
                window=gateway.payment_window(),
            )
        )
    return found


_LETTERS = frozenset("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789 .,-/+")


def statement_for(edition: Edition, prices: Iterable[str], longest: int) -> str:
    """What a buyer's statement shows for a charge of some prices: the words of the product, where it is of one that has
    some, else the shop's name."""
    sold = {edition.prices[price].product.statement if price in edition.prices else None for price in prices}
    words = sold.pop() if len(sold) == 1 else None
    return statement(words or edition.site.site.name, longest)


def statement(name: str, longest: int) -> str:
    """What a buyer's statement shows for a charge: the shop's name in letters that every bank has, cut to what fits.

    >>> statement("Buchbinderei Größlová & Töchter", 22)
    'Buchbinderei Grosslova'
    """
    plain = unicodedata.normalize("NFKD", name.replace("ß", "ss").replace("&", "+"))
    kept = "".join(letter for letter in plain if letter in _LETTERS)
    return " ".join(kept.split())[:longest].strip() or "Purchase"
