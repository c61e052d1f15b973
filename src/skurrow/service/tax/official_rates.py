"""Official exchange rates: fetched every day from the bank that publishes them, and found for a paper's day."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal, InvalidOperation

import httpx
import structlog
from babel.numbers import get_territory_currencies

from skurrow.core.money import MINOR_UNITS
from skurrow.core.papers.paper import InNational
from skurrow.service.context import Context
from skurrow.store.database import Connection, siteless_transaction
from skurrow.store.papers import papers
from skurrow.store.papers.papers import OfficialRate

SOURCE = "Stand-in central bank"
"""Whose rates they are. Its service is a stand-in that ships with Skurrow."""

TOO_OLD = timedelta(days=7)
"""Rates that were published longer ago than this are not used."""

_log = structlog.get_logger()


async def fetch(context: Context) -> int:
    """Fetches what was published since the newest rates that are known; returns how many rates came."""
    async with siteless_transaction(context.pool) as db:
        known = await papers.newest_official_day(db, SOURCE)
    today = context.now().date()
    since = max(known + timedelta(days=1) if known else date.min, today - TOO_OLD)
    if since > today:
        return 0
    try:
        answer = await context.http.get(
            f"{context.settings.official_rates_url}/rates", params={"since": since.isoformat()}
        )
        answer.raise_for_status()
        found = _read(answer.json())
    except (httpx.HTTPError, ValueError, KeyError, TypeError, AttributeError, InvalidOperation) as error:
        _log.warning("official_rates.not_fetched", why=type(error).__name__)
        return 0
    if found:
        async with siteless_transaction(context.pool) as db:
            await papers.add_official_rates(db, found)
    return len(found)


@dataclass(frozen=True, slots=True)
class Needed:
    """The tax of a paper that has to be told in another currency than its own."""

    tax_total: str
    currency: str
    national: str
    on: date


def national_currency(country: str) -> str | None:
    """The currency in which a country's tax is declared."""
    if country == "BG":  # the euro since 2026; CLDR lags behind
        return "EUR"
    found = get_territory_currencies(country)
    return str(found[0]) if found else None


async def in_national(db: Connection, needed: Needed) -> InNational | None:
    """The tax at the last official rates published by the day; None where there are none that are fresh enough."""
    parts = []
    for currency in (needed.currency, needed.national):
        if currency == "EUR":
            parts.append(OfficialRate(SOURCE, "EUR", needed.on, Decimal(1)))
            continue
        found = await papers.official_rate(db, SOURCE, currency, needed.on)
        if found is None or needed.on - found.day > TOO_OLD:
            _log.warning("official_rates.missing", currency=currency, day=needed.on.isoformat())
            return None
        parts.append(found)
    own, national = parts
    rate = (national.rate / own.rate).quantize(Decimal("0.000001"), ROUND_HALF_UP)
    day = min(own.day, national.day)
    told = InNational(currency=needed.national, rate=f"{rate:f}", on=day, source=SOURCE, tax_total="0")
    return at_the_same_rate(told, Decimal(needed.tax_total))


def at_the_same_rate(told: InNational, tax: Decimal) -> InNational:
    """Another tax at the rate of an earlier paper, as a credit note tells it: rounded half up to the minor unit."""
    smallest = Decimal(1).scaleb(-MINOR_UNITS[told.currency])
    amount = (tax * Decimal(told.rate)).quantize(smallest, ROUND_HALF_UP)
    return told.model_copy(update={"tax_total": f"{amount:f}"})


def _read(answer: dict[str, dict[str, dict[str, str]]]) -> list[OfficialRate]:
    found = []
    for day, rates in answer["days"].items():
        for currency, rate in rates.items():
            if currency in MINOR_UNITS and Decimal(rate) > 0:
                found.append(OfficialRate(SOURCE, currency, date.fromisoformat(day), Decimal(rate)))
    return found
