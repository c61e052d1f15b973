"""Which ways of delivery a buyer may choose between, and which is chosen at first."""

from __future__ import annotations

from collections.abc import Iterable

from skurrow.core.delivery.methods import PricedMethod
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.order import Buyer, QuoteRefused
from skurrow.core.problems import Problem
from skurrow.core.words import sentence


def ways_of(edition: Edition, sold: Iterable[PricedProduct], buyer: Buyer) -> tuple[PricedMethod, ...]:
    """The methods for what is sold; none where nothing is sent. Raises QuoteRefused where nothing can be sent there."""
    if not edition.zones.all or all(one.what.kind != "goods" or one.rhythm.kind == "free" for one in sold):
        return ()
    to = buyer.parcels_go_to
    zone = edition.zones.of(to.country, to.region, to.postal_code)
    if zone is None or not zone.methods:
        remedy = "Choose another address, or ask the shop"
        raise QuoteRefused([Problem(("delivery",), sentence("no_delivery_here"), remedy, "undeliverable")])
    return zone.methods


def way_chosen(ways: Iterable[PricedMethod], asked: str | None) -> str | None:
    """The way asked for, if it is one of these; else the first."""
    names = [one.id for one in ways]
    if not names:
        return None
    return asked if asked in names else names[0]
