"""The tax report: what was sold and taxed in a period, and what the orders came to."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from uuid import UUID

from skurrow.core.money import MINOR_UNITS, format_amount
from skurrow.core.problems import InvalidInput, Problem
from skurrow.gateway.protocol import Mode
from skurrow.service.context import Context
from skurrow.service.draft import configuration
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.tax import tax_report as rows_of
from skurrow.store.tax.tax_report import OneStopRecord, TaxSum


@dataclass(frozen=True, slots=True)
class CurrencyTotal:
    """A currency's sums over all rows, and what its orders were paid with less what was given back, as texts."""

    currency: str
    net: str
    tax: str
    total: str
    orders: int
    paid: str
    refunded: str


@dataclass(frozen=True, slots=True)
class TaxReport:
    """A period's rows and sums."""

    mode: Mode
    first: date
    last: date
    rows: list[TaxSum]
    totals: list[CurrencyTotal]


async def tax_report(context: Context, site_id: UUID, mode: Mode, first: date, last: date) -> TaxReport:
    """What was paid from a day to a day, both included, in the site's zone. Raises InvalidInput."""
    if last < first:
        raise InvalidInput([Problem(("last",), f"{last} is before {first}", "Choose a later day")])
    zone = (await configuration.draft(context, site_id)).edition.site.site.time_zone
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        rows = await rows_of.tax_sums(book, first, last, zone)
        paid = await rows_of.paid_sums(book, first, last, zone)
    totals = []
    for one in paid:
        mine = [row for row in rows if row.currency == one.currency]
        # The base of a line with several taxes stands under each of them, so the net is what was paid less the tax.
        tax = sum((Decimal(row.amount) for row in mine), Decimal(0))
        whole = Decimal(one.total).scaleb(-MINOR_UNITS[one.currency])
        totals.append(
            CurrencyTotal(
                one.currency,
                _written(whole - tax, one.currency),
                _written(tax, one.currency),
                _written(Decimal(one.lines), one.currency),
                one.orders,
                _written(whole, one.currency),
                format_amount(one.refunded, one.currency),
            )
        )
    return TaxReport(mode, first, last, rows, totals)


async def one_stop_records(context: Context, site_id: UUID, mode: Mode, first: date, last: date) -> list[OneStopRecord]:
    """Each sale under the one-stop shop that was paid from a day to a day. Raises InvalidInput.

    What is kept is what Regulation 282/2011 Art. 63c wants (from memory): member state, what and how much, when,
    taxable amount and currency, rate and tax, payment, the invoice, and the evidence of where the buyer is.
    """
    if last < first:
        raise InvalidInput([Problem(("last",), f"{last} is before {first}", "Choose a later day")])
    zone = (await configuration.draft(context, site_id)).edition.site.site.time_zone
    async with site_transaction(context.pool, site_id) as db:
        return await rows_of.one_stop_records(Book(db, site_id, mode), first, last, zone)


def _written(amount: Decimal, currency: str) -> str:
    return f"{amount:.{MINOR_UNITS[currency]}f}"
