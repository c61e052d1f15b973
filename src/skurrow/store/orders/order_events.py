"""What happened to an order, as it is told at the desk."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.database import Connection, rows, run


@dataclass(frozen=True, slots=True)
class EventRow:
    """Something that happened to an order."""

    id: UUID
    mode: str
    order_id: UUID
    kind: str
    body: dict[str, Any]
    at: datetime


async def add_event(connection: Connection, site_id: UUID, event: EventRow) -> None:
    """Writes down what happened, in the transaction in which it does."""
    await run(
        connection,
        "insert into events (id, site_id, mode, order_id, kind, body, at)"
        " values (%(id)s, %(site)s, %(mode)s, %(order)s, %(kind)s, %(body)s, %(at)s)",
        {
            "id": event.id,
            "site": site_id,
            "mode": event.mode,
            "order": event.order_id,
            "kind": event.kind,
            "body": Jsonb(event.body),
            "at": event.at,
        },
    )


async def events_of_all(book: Book, order_ids: list[UUID], kind: str) -> list[EventRow]:
    """What of one kind happened to several orders, in order."""
    return await rows(
        book.db,
        EventRow,
        "select id, mode, order_id, kind, body, at from events where site_id = %(site)s and mode = %(mode)s"
        " and order_id = any(%(orders)s) and kind = %(kind)s order by id",
        {"site": book.site_id, "mode": book.mode, "orders": order_ids, "kind": kind},
    )


async def events_of(book: Book, order_id: UUID) -> list[EventRow]:
    """What happened to an order, in order."""
    return await rows(
        book.db,
        EventRow,
        "select id, mode, order_id, kind, body, at from events"
        " where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )
