"""Which of the connected gateways a buyer may pay with, in which order and by which names; why not with the others."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from skurrow.core.edition import Edition, MinorAmounts, plain_amounts
from skurrow.core.money import MINOR_UNITS, AmountError, format_amount, parse_amount
from skurrow.core.site.payments import WayToPay
from skurrow.core.words import sentence

USUAL_DAYS = 14
"""Within which what people pay by themselves is to be paid, if the owner does not say."""

USUAL_HOLD_DAYS = 2
"""For which it holds stock and coupons: few, so that nobody empties a shop with orders that they never pay."""


@dataclass(frozen=True, slots=True)
class Usable:
    """A connected gateway, as far as the choice depends on it: its usual `label`, its `currencies` (empty: any), the
    amounts that it takes in minor units, whether it can charge again later, and whether it is for what is collected."""

    gateway: str
    label: str
    currencies: tuple[str, ...] = ()
    smallest: Mapping[str, int] | None = None
    largest: Mapping[str, int] | None = None
    again: bool = False
    collected: bool = False


@dataclass(frozen=True, slots=True)
class Sale:
    """What is to be paid: an amount in minor units, where the buyer is, whether it is charged again later, and whether
    what is bought is collected."""

    country: str
    currency: str
    amount: int
    later: bool = False
    collected: bool = False


@dataclass(frozen=True, slots=True)
class Offer:
    """A gateway as buyers read of it; `why_not` says why this sale cannot be paid with it, if it cannot."""

    gateway: str
    label: str
    text: str
    days: int
    why_not: str | None


def usable(gateway: str, label: str, currencies: Sequence[str], smallest: Mapping[str, str], largest: Mapping[str, str],
           again: bool, collected: bool) -> Usable:  # fmt: skip
    """A connected gateway from what it says of itself, with amounts as decimal texts."""
    return Usable(gateway, label, tuple(currencies), _minor(smallest), _minor(largest), again, collected)


def offers(edition: Edition, connected: Iterable[Usable], sale: Sale) -> list[Offer]:
    """The connected gateways in the owner's order, each with whether this sale can be paid with it.

    Where the owner has chosen none, all of them, as they were connected.
    """
    return [_offer(edition, way, gateway, sale) for way, gateway in _offered(edition, connected)]


def payable(edition: Edition, connected: Iterable[Usable], later: bool = False) -> tuple[str, ...]:
    """The site's currencies, in its order, that at least one of the connected gateways takes, as the owner offers it;
    with `later` one that can charge again. What is paid only on collection does not count: it is not for everybody."""
    offered = [
        (way, gateway)
        for way, gateway in _offered(edition, connected)
        if not gateway.collected and (gateway.again or not later)
    ]
    return tuple(
        code for code in edition.currencies if any(_not_in(way, gateway, code) is None for way, gateway in offered)
    )


def unpaid(edition: Edition, connected: Mapping[str, Iterable[Usable]]) -> dict[str, tuple[str, ...]]:
    """By mode the currencies that are sold in and that no gateway takes which is connected for it; of a mode for which
    none is connected nothing is said."""
    found = {}
    for mode, usable_there in connected.items():
        known = list(usable_there)
        takes = payable(edition, known)
        left = tuple(code for code in edition.currencies if code not in takes)
        if known and left:
            found[mode] = left
    return found


def _offered(edition: Edition, connected: Iterable[Usable]) -> list[tuple[WayToPay, Usable]]:
    by_name = {one.gateway: one for one in connected}
    ways = edition.site.payments.ways or [WayToPay(gateway=name) for name in by_name]
    return [(way, by_name[way.gateway]) for way in ways if way.gateway in by_name]


def _offer(edition: Edition, way: WayToPay, gateway: Usable, sale: Sale) -> Offer:
    why_not = _why_not(edition, way, gateway, sale)
    return Offer(gateway.gateway, way.label or gateway.label, way.text, way.days or USUAL_DAYS, why_not)


def _why_not(edition: Edition, way: WayToPay, gateway: Usable, sale: Sale) -> str | None:
    if sale.amount == 0 and not sale.later:
        return sentence("way_nothing_due")
    if way.countries is not None and sale.country not in way.countries:
        return sentence("way_country", country=sale.country)
    not_in = _not_in(way, gateway, sale.currency)
    if not_in is not None:
        return not_in
    if gateway.collected and not sale.collected:
        return sentence("way_not_collected")
    if sale.later and not gateway.again:
        return sentence("way_no_later")
    if sale.amount == 0:  # only something to be charged later is kept on file
        return None
    least = [_in(edition, way.minimum, sale.currency), (gateway.smallest or {}).get(sale.currency)]
    most = [_in(edition, way.maximum, sale.currency), (gateway.largest or {}).get(sale.currency)]
    for limit in least:
        if limit is not None and sale.amount < limit:
            return sentence("way_below", limit=_money(limit, sale.currency))
    for limit in most:
        if limit is not None and sale.amount > limit:
            return sentence("way_above", limit=_money(limit, sale.currency))
    return None


def _not_in(way: WayToPay, gateway: Usable, currency: str) -> str | None:
    """Why nothing can be paid with it in a currency."""
    if way.currencies is not None and currency not in way.currencies:
        return sentence("way_currency", currency=currency)
    if gateway.currencies and currency not in gateway.currencies:
        return sentence("way_takes_no", currency=currency)
    return None


def _in(edition: Edition, amounts: dict[str, str] | None, currency: str) -> int | None:
    """A limit in a currency, converted where the owner has not written it."""
    return None if amounts is None else plain_amounts(edition.site, amounts).get(currency)


def _minor(amounts: Mapping[str, str]) -> MinorAmounts:
    """Decimal texts as minor units; what is no amount of its currency is left out."""
    found: MinorAmounts = {}
    for code, text in amounts.items():
        if code in MINOR_UNITS:
            try:
                found[code] = parse_amount(text, code)
            except AmountError:
                continue
    return found


def _money(amount: int, currency: str) -> str:
    return f"{format_amount(amount, currency)} {currency}"
