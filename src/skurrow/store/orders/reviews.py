"""Orders that were held for a person, and what was decided about them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.database import Connection, one, run, value


@dataclass(frozen=True, slots=True)
class ReviewRow:
    """Why an order was held, and what a person decided: it `passed`, or was `given_back`."""

    order_id: UUID
    mode: str
    reasons: list[str]
    state: str
    at: datetime
    decided_at: datetime | None
    decided_by: str | None


async def add_review(book: Book, order_id: UUID, reasons: list[str], at: datetime) -> None:
    """Holds an order for a person; one that is held already stays so."""
    await run(
        book.db,
        "insert into reviews (order_id, site_id, mode, reasons, at) values (%(order)s, %(site)s, %(mode)s, %(reasons)s,"
        " %(at)s) on conflict (site_id, mode, order_id) do nothing",
        {"order": order_id, "site": book.site_id, "mode": book.mode, "reasons": Jsonb(reasons), "at": at},
    )


async def review_of(book: Book, order_id: UUID) -> ReviewRow | None:
    """The review of an order, if it was held."""
    return await one(
        book.db,
        ReviewRow,
        "select r.order_id, r.mode, r.reasons, r.state, r.at, r.decided_at, p.name as decided_by from reviews r"
        " left join people p on p.id = r.decided_by"
        " where r.site_id = %(site)s and r.mode = %(mode)s and r.order_id = %(order)s",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )


async def decide_review(book: Book, order_id: UUID, state: str, by: UUID, at: datetime) -> bool:
    """Decides an open review; False if there is none."""
    touched = await run(
        book.db,
        "update reviews set state = %(state)s, decided_at = %(at)s, decided_by = %(by)s"
        " where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s and state = 'open'",
        {"site": book.site_id, "mode": book.mode, "order": order_id, "state": state, "at": at, "by": by},
    )
    return touched == 1


async def held_of(book: Book, orders: list[UUID]) -> set[UUID]:
    """Which of these orders are held for a person: one that came to nothing is not."""
    found = await value(
        book.db,
        "select coalesce(array_agg(r.order_id), '{}') from reviews r"
        " join orders o on o.site_id = r.site_id and o.mode = r.mode and o.id = r.order_id"
        " where r.site_id = %(site)s and r.mode = %(mode)s and r.state = 'open' and o.state in ('paid', 'waiting')"
        " and r.order_id = any(%(orders)s)",
        {"site": book.site_id, "mode": book.mode, "orders": orders},
    )
    return set(found or [])


async def held(connection: Connection, site_id: UUID) -> int:
    """How many paid orders of both books wait for a person."""
    found = await value(
        connection,
        "select count(*) from reviews r"
        " join orders o on o.site_id = r.site_id and o.mode = r.mode and o.id = r.order_id"
        " where r.site_id = %(site)s and r.state = 'open' and o.state in ('paid', 'waiting')",
        {"site": site_id},
    )
    return int(found or 0)
