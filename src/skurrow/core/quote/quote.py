"""A quote: what one order costs today and later, exactly, with its reasons.

What cannot be sold is refused in plain words (`QuoteRefused`), never guessed. Same site, same order: same quote.

Sources: docs of the contract in `docs/computing.md`; ISO 4217 minor units; rounding half up per line, as HMRC
VAT Notice 700 §17.5 allows (from memory).
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import Any

from skurrow.core.delivery.methods import PricedZone
from skurrow.core.edition import Edition
from skurrow.core.money import amount_writer
from skurrow.core.order import Order, QuoteRefused
from skurrow.core.quote.pricing import MOST_SHARED, Pricing, charge_kind
from skurrow.core.quote.written import Quote


def quote(edition: Edition, order: Order, used_up: frozenset[str] = frozenset()) -> Quote:
    """Prices an order under an edition. Raises QuoteRefused with every problem at once.

    `used_up` names coupons that can be used no more; the core does not know how often they were. What depends on the
    same as a quote that was made before is that quote: buyers order alike.
    """
    to, zone = order.buyer.parcels_go_to, None
    if order.delivery is not None:
        zone = edition.zones.of(to.country, to.region, to.postal_code)
    return _known(edition, order, used_up, _depends_on(edition, order, used_up), zone)


def quotes_by_way(
    edition: Edition, order: Order, ways: Iterable[str], used_up: frozenset[str] = frozenset()
) -> dict[str, Quote]:
    """The quote of an order with each way of delivery that can be had for it. Raises QuoteRefused where none can."""
    to = order.buyer.parcels_go_to
    zone = edition.zones.of(to.country, to.region, to.postal_code)
    depends = _depends_on(edition, order, used_up)
    found: dict[str, Quote] = {}
    refused: QuoteRefused | None = None
    for way in ways:
        try:
            found[way] = _known(edition, order.model_copy(update={"delivery": way}), used_up, depends, zone)
        except QuoteRefused as error:
            refused = refused or error
    if refused is not None and not found:
        raise refused
    return found


def _known(
    edition: Edition,
    order: Order,
    used_up: frozenset[str],
    depends: tuple[object, ...] | None,
    zone: PricedZone | None,
) -> Quote:
    if depends is None:
        return Pricing(edition, order, used_up).quote()
    key = (depends, order.delivery, id(zone))
    return edition.quotes.get(key, lambda: Pricing(edition, order, used_up).quote())


def _depends_on(edition: Edition, order: Order, used_up: frozenset[str]) -> tuple[object, ...] | None:
    """All that a small order's quote depends on but its delivery: of the buyer, how each item is taxed.

    None where it is not known: an unknown price, or rates that will change.
    """
    today = order.at.astimezone(edition.site.site.zone).date()
    if len(order.items) > MOST_SHARED or not edition.seller.settled(today):
        return None
    items = []
    for item in order.items:
        priced = edition.prices.get(item.price)
        if priced is None:
            return None
        own = item.own_discount and (item.own_discount.percent, item.own_discount.amount)
        rulings = [edition.seller.ruling(priced.what, order.buyer, sent, today).mark for sent in (True, False)]
        items.append((item.price, item.quantity, item.variant, item.chosen, own, *rulings))
    return today, order.currency, tuple(items), tuple(order.coupons), used_up, order.is_first


def schedule(edition: Edition, order: Order, until: date) -> list[dict[str, Any]]:
    """Every charge of an order up to and including a day, in the shape of the contract. Raises QuoteRefused.

    `kind` is `first` where every line is charged for the first time, else `renewal` or `instalment`.
    """
    pricing, money = Pricing(edition, order), amount_writer(order.currency)
    return [
        {
            "on": day.on.isoformat(),
            "kind": charge_kind(pricing.lines, day),
            "prices": list(dict.fromkeys([order.items[part.line].price for part in day.due])),
            "net": money(day.total - day.tax),
            "tax": money(day.tax),
            "total": money(day.total),
        }
        for day in pricing.schedule(until)
    ]
