"""Comparing the connected gateways: what a basket and a year of charges cost, and which buyers could pay with which."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal
from uuid import UUID

from skurrow.core.edition import plain_amounts
from skurrow.core.money import AmountError, format_amount, parse_amount
from skurrow.core.payments.costs import Cost, Tariff, cost, year
from skurrow.core.payments.ways import Offer, Sale
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.site.stand_in_buyers import StandInBuyer
from skurrow.service.context import Context
from skurrow.service.draft import configuration
from skurrow.service.payments import ways
from skurrow.service.payments.gateways import account_of, connections_for
from skurrow.store.book import Book
from skurrow.store.database import site_transaction


@dataclass(frozen=True, slots=True)
class Compared:
    """One gateway for the basket; `parts` say in words what its cost is made of. `year` is what the charges of a year
    cost, in the basket's currency, without monthly fees."""

    offer: Offer
    mode: Literal["test", "live"]
    tariff: Tariff
    cost: Cost
    parts: list[str]
    year: int


@dataclass(frozen=True, slots=True)
class Comparison:
    """The basket with what each gateway costs, and what each stand-in buyer would be offered, in their currency."""

    amount: int
    currency: str
    charges: int
    costs: list[Compared]
    buyers: list[tuple[StandInBuyer, list[Offer]]]


async def compare(
    context: Context, site_id: UUID, amount: str, currency: str, charges: int, abroad: bool
) -> Comparison:
    """Compares for an amount in a currency ("": the base). Live connections count where there are some. Raises
    InvalidInput."""
    edition = (await configuration.draft(context, site_id)).edition
    currency = currency or edition.base
    if currency not in edition.currencies:
        sold = ", ".join(edition.currencies)
        raise InvalidInput([Problem(("currency",), f"The site does not sell in {currency}", f"Choose one of {sold}")])
    try:
        minor = parse_amount(amount.strip(), currency)
    except AmountError as error:
        raise InvalidInput([Problem(("amount",), str(error), "Write another amount")]) from None
    async with site_transaction(context.pool, site_id) as db:
        live = await connections_for(Book(db, site_id, "live"))
        rows = live or await connections_for(Book(db, site_id, "test"))
    mode: Literal["test", "live"] = "live" if live else "test"
    tariffs = {row.adapter: ways.tariff(account_of(row)) for row in rows}
    home = edition.site.site.country
    compared = []
    for offer in ways.offers_for(edition, rows, Sale(home, currency, minor, collected=True)):
        tariff = tariffs[offer.gateway]
        found = cost(tariff, minor, currency, abroad)
        compared.append(Compared(offer, mode, tariff, found, _parts(tariff, found, currency), year(found, charges)))
    amounts = plain_amounts(edition.site, {currency: amount.strip()}) if currency == edition.base else {currency: minor}
    buyers = []
    for buyer in edition.site.stand_in_buyers:
        if buyer.currency in amounts:
            sale = Sale(buyer.country, buyer.currency, amounts[buyer.currency], collected=True)
            buyers.append((buyer, ways.offers_for(edition, rows, sale)))
    return Comparison(minor, currency, charges, compared, buyers)


def _parts(tariff: Tariff, found: Cost, currency: str) -> list[str]:
    """What a cost is made of, in words."""
    words = []
    if found.share:
        words.append(f"{tariff.percent} %: {format_amount(found.share, currency)}")
    if found.fixed:
        words.append(f"each charge: {format_amount(found.fixed, currency)}")
    if found.cross_border:
        words.append(f"card of another country, {tariff.cross_border} %: {format_amount(found.cross_border, currency)}")
    if found.conversion:
        words.append(f"another currency, {tariff.conversion} %: {format_amount(found.conversion, currency)}")
    return words
