"""Invoices and receipts as they were given out, their numbers, and the official exchange rates that they name."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class PaperRow:
    """A paper: its `number` within a `series`, the same as it is `written`, and the document as it was given out."""

    id: UUID
    mode: str
    series: str
    number: int
    kind: str
    order_id: UUID
    written: str
    document: dict[str, Any]
    issued_on: date
    at: datetime
    refund_id: UUID | None = None
    credit_id: UUID | None = None


@dataclass(frozen=True, slots=True)
class OfficialRate:
    """What one euro was in a currency on a day, as a bank published it."""

    source: str
    currency: str
    day: date
    rate: Decimal


_PAPER = (
    "select id, mode, series, number, kind, order_id, written, document, issued_on, at, refund_id, credit_id"
    " from papers "
)


_OF_SET = """
  where site_id = %(site)s and mode = %(mode)s and kind <> 'credit_note' and order_id in (
    select o.id from orders o where o.site_id = %(site)s and o.mode = %(mode)s
      and o.subscription_id = %(subscription)s and o.period < %(period)s
    union all select s.order_id from subscriptions s where s.site_id = %(site)s and s.id = %(subscription)s)
  order by id desc limit 1
"""


async def next_number(book: Book, series: str) -> int:
    """The next number of a series. Whoever asks next waits until this transaction ends, so take it last."""
    found = await value(
        book.db,
        "insert into number_series (site_id, mode, series, last) values (%(site)s, %(mode)s, %(series)s, 1)"
        " on conflict (site_id, mode, series) do update set last = number_series.last + 1 returning last",
        {"site": book.site_id, "mode": book.mode, "series": series},
    )
    return int(found)


async def last_number(book: Book, series: str) -> int:
    """The number that a series has come to; 0 where it has not begun."""
    found = await value(
        book.db,
        "select last from number_series where site_id = %(site)s and mode = %(mode)s and series = %(series)s",
        {"site": book.site_id, "mode": book.mode, "series": series},
    )
    return int(found or 0)


async def add_paper(connection: Connection, site_id: UUID, paper: PaperRow) -> None:
    """Keeps a paper; the database refuses any number but the one just taken, and a second paper of an order."""
    await run(
        connection,
        "insert into papers (id, site_id, mode, series, number, kind, order_id, written, document, issued_on, at,"
        " refund_id, credit_id) values (%(id)s, %(site)s, %(mode)s, %(series)s, %(number)s, %(kind)s, %(order)s,"
        " %(written)s, %(document)s, %(on)s, %(at)s, %(refund)s, %(credit)s)",
        {
            "id": paper.id,
            "site": site_id,
            "mode": paper.mode,
            "series": paper.series,
            "number": paper.number,
            "kind": paper.kind,
            "order": paper.order_id,
            "written": paper.written,
            "document": Jsonb(paper.document),
            "on": paper.issued_on,
            "at": paper.at,
            "refund": paper.refund_id,
            "credit": paper.credit_id,
        },
    )


async def papers_of(book: Book, order_id: UUID) -> list[PaperRow]:
    """The papers of an order, the first one first."""
    return await rows(
        book.db,
        PaperRow,
        _PAPER + "where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )


async def papers_of_all(book: Book, order_ids: list[UUID]) -> list[PaperRow]:
    """The papers of several orders, in the order in which they were given out."""
    return await rows(
        book.db,
        PaperRow,
        _PAPER + "where site_id = %(site)s and mode = %(mode)s and order_id = any(%(orders)s) order by id",
        {"site": book.site_id, "mode": book.mode, "orders": order_ids},
    )


async def papers_to_send(
    connection: Connection, site_id: UUID, papers: list[UUID], order_id: UUID | None
) -> list[PaperRow]:
    """Papers by their ids, and the invoice or receipt of an order."""
    return await rows(
        connection,
        PaperRow,
        _PAPER + "where site_id = %(site)s and (id = any(%(papers)s)"
        " or order_id = %(order)s and kind <> 'credit_note') order by id",
        {"site": site_id, "papers": papers, "order": order_id},
    )


async def papers_of_set(book: Book, subscription_id: UUID, period: int) -> list[PaperRow]:
    """The paper of the set of instalments that a period of a subscription is a later payment of."""
    return await rows(
        book.db,
        PaperRow,
        _PAPER + _OF_SET,
        {"site": book.site_id, "mode": book.mode, "subscription": subscription_id, "period": period},
    )


async def paper_written(book: Book, written: str) -> PaperRow | None:
    """A paper by its number in full."""
    return await one(
        book.db,
        PaperRow,
        _PAPER + "where site_id = %(site)s and mode = %(mode)s and written = %(written)s",
        {"site": book.site_id, "mode": book.mode, "written": written},
    )


async def add_official_rates(connection: Connection, found: list[OfficialRate]) -> None:
    """Keeps published rates; a day that is known stays as it is."""
    async with connection.cursor() as cursor:
        await cursor.executemany(
            "insert into official_rates (source, currency, day, rate) values (%s, %s, %s, %s) on conflict do nothing",
            [(one.source, one.currency, one.day, one.rate) for one in found],
        )


async def official_rate(connection: Connection, source: str, currency: str, by: date) -> OfficialRate | None:
    """The last rate that was published by a day."""
    return await one(
        connection,
        OfficialRate,
        "select source, currency, day, rate from official_rates"
        " where source = %(source)s and currency = %(currency)s and day <= %(by)s order by day desc limit 1",
        {"source": source, "currency": currency, "by": by},
    )


async def newest_official_day(connection: Connection, source: str) -> date | None:
    """The last day of which rates are known."""
    found: date | None = await value(
        connection, "select max(day) from official_rates where source = %(source)s", {"source": source}
    )
    return found
