"""The currencies in which a checkout can be paid, and the one that a visit is in."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from skurrow.core.edition import Edition
from skurrow.core.payments.ways import payable
from skurrow.service.counter.visit import Visit
from skurrow.service.payments.ways import usable_of
from skurrow.service.tax.countries import currency_of
from skurrow.store.payments.connections import ConnectionRow


def sold_in(edition: Edition, connected: Sequence[ConnectionRow], prices: Iterable[str]) -> tuple[str, ...]:
    """The currencies that can be chosen for prices, the usual one first: those that a connected gateway takes, again
    where something is charged again. Where none does, the base, in which the page says that nothing can be paid."""
    later = any(edition.prices[price].rhythm.kind not in ("once", "free") for price in prices)
    return payable(edition, [usable_of(row) for row in connected], later) or (edition.base,)


def met_in(choosable: Sequence[str], asked: str | None, country: str | None) -> str:
    """The currency in which a buyer meets a checkout: the one that their link asks for, else the one that is usual in
    the country where they seem to be, else the first."""
    usual = currency_of(country) if country else None
    return next((one for one in (asked, usual) if one is not None and one in choosable), choosable[0])


def in_currency(visit: Visit, edition: Edition, currency: str) -> Visit:
    """The same visit in a currency."""
    return replace(visit, currency=None if currency == edition.base else currency)
