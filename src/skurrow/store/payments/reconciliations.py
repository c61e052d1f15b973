"""Comparisons of our books with gateways', and what our books hold of a span."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.claims import Claimed
from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class ReconciliationRow:
    """One comparison of a span: how many entries the gateway has, and what differs."""

    id: UUID
    mode: str
    connection_id: UUID
    since: datetime
    until: datetime
    entries: int
    differences: list[dict[str, Any]]
    at: datetime


@dataclass(frozen=True, slots=True)
class BookedRow:
    """A movement of money in our books; `settled` is False for what is still asked about."""

    kind: str
    key: str
    amount: int
    currency: str
    code: str
    at: datetime | None
    settled: bool


_BOOKED = """
  with mine as (
    select id from connections where site_id = %(site)s and mode = %(mode)s
      and (adapter, merchant) = (select adapter, merchant from connections where site_id = %(site)s and id = %(id)s)
  ), booked as (
    select 'charge' as kind, c.attempt_id::text as key, c.amount, c.currency, o.code, c.charged_at as at,
      true as settled
    from charges c join orders o on o.site_id = c.site_id and o.mode = c.mode and o.id = c.order_id
    where c.site_id = %(site)s and c.mode = %(mode)s and c.connection_id in (select id from mine)
    union all
    select 'charge', a.id::text, a.amount, a.currency, o.code, null, false
    from attempts a join orders o on o.site_id = a.site_id and o.mode = a.mode and o.id = a.order_id
    where a.site_id = %(site)s and a.mode = %(mode)s and a.state = 'open' and a.connection_id in (select id from mine)
    union all
    select 'refund', r.id::text, r.amount, r.currency, o.code, r.made_at, r.state = 'made'
    from refunds r join orders o on o.site_id = r.site_id and o.mode = r.mode and o.id = r.order_id
      join charges c on c.id = r.charge_id
    where r.site_id = %(site)s and r.mode = %(mode)s and r.state <> 'refused'
      and c.connection_id in (select id from mine)
    union all
    select 'dispute', d.gateway_reference, d.amount, d.currency, o.code, d.decided_at, true
    from disputes d join orders o on o.site_id = d.site_id and o.mode = d.mode and o.id = d.order_id
      join charges c on c.id = d.charge_id
    where d.site_id = %(site)s and d.mode = %(mode)s and d.state = 'lost' and c.connection_id in (select id from mine)
  )
  select kind, key, amount, currency, code, at, settled from booked
"""


async def booked_in(book: Book, connection_id: UUID, since: datetime, until: datetime) -> list[BookedRow]:
    """What our books hold of a span, by the gateway's time, with the merchant of a connection."""
    return await rows(
        book.db,
        BookedRow,
        _BOOKED + " where at >= %(since)s and at < %(until)s order by at, key",
        {"site": book.site_id, "mode": book.mode, "id": connection_id, "since": since, "until": until},
    )


async def booked_as(book: Book, connection_id: UUID, keys: list[str]) -> list[BookedRow]:
    """What our books hold under keys, whenever it was, and what is still asked about."""
    return await rows(
        book.db,
        BookedRow,
        _BOOKED + " where key = any(%(keys)s)",
        {"site": book.site_id, "mode": book.mode, "id": connection_id, "keys": keys},
    )


async def add_reconciliation(connection: Connection, site_id: UUID, row: ReconciliationRow) -> None:
    """Keeps a comparison."""
    await run(
        connection,
        "insert into reconciliations (id, site_id, mode, connection_id, since, until, entries, differences, at)"
        " values (%(id)s, %(site)s, %(mode)s, %(connection)s, %(since)s, %(until)s, %(entries)s, %(differences)s,"
        " %(at)s)",
        {
            "id": row.id,
            "site": site_id,
            "mode": row.mode,
            "connection": row.connection_id,
            "since": row.since,
            "until": row.until,
            "entries": row.entries,
            "differences": Jsonb(row.differences),
            "at": row.at,
        },
    )


async def last_reconciliation(connection: Connection, site_id: UUID, connection_id: UUID) -> ReconciliationRow | None:
    """The newest comparison with a connection."""
    return await one(
        connection,
        ReconciliationRow,
        "select id, mode, connection_id, since, until, entries, differences, at from reconciliations"
        " where site_id = %(site)s and connection_id = %(id)s order by id desc limit 1",
        {"site": site_id, "id": connection_id},
    )


async def differing(connection: Connection, site_id: UUID) -> int:
    """With how many connected gateways the books differed when they were compared last."""
    found = await value(
        connection,
        "select count(*) from connections c where c.site_id = %(site)s and c.replaced_at is null and exists (select"
        " from (select differences from reconciliations r where r.site_id = c.site_id and r.connection_id = c.id"
        " order by r.id desc limit 1) newest where differences <> '[]')",
        {"site": site_id},
    )
    return int(found)


async def cleared_at(connection: Connection, site_id: UUID) -> datetime | None:
    """When the test book was cleared last."""
    found: datetime | None = await value(
        connection, "select max(at) from clearings where site_id = %(site)s", {"site": site_id}
    )
    return found


async def compare_again(connection: Connection, site_id: UUID, connection_id: UUID, at: datetime) -> None:
    """When a connection's books are compared next."""
    await run(
        connection,
        "update connections set compare_at = %(at)s where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": connection_id, "at": at},
    )


async def claim_comparisons(connection: Connection, now: datetime, most: int) -> list[Claimed]:
    """Connections whose books should be compared; needs no site."""
    return await rows(
        connection,
        Claimed,
        "select site_id, id from claim_comparisons(%(now)s, %(most)s)",
        {"now": now, "most": most},
    )
