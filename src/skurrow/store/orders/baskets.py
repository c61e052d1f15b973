"""What lies in baskets: things, and nothing of a person."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, LiteralString
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.database import one, run


@dataclass(frozen=True, slots=True)
class BasketRow:
    """What was put into a basket, and what of it was `ordered` since, as the order keeps it."""

    items: list[dict[str, Any]]
    ordered: list[dict[str, Any]] | None


async def basket(book: Book, basket_id: UUID, lock: bool = False) -> BasketRow | None:
    """What lies in a basket; with a `lock` nobody else changes it until the transaction ends."""
    query: LiteralString = (
        "select b.items, case when o.state in ('paid', 'waiting') then o.wanted -> 'items' end as ordered"
        " from baskets b left join orders o on o.site_id = b.site_id and o.mode = b.mode and o.id = b.order_id"
        " where b.site_id = %(site)s and b.mode = %(mode)s and b.id = %(id)s"
    )
    return await one(
        book.db,
        BasketRow,
        f"{query} for update of b" if lock else query,
        {"site": book.site_id, "mode": book.mode, "id": basket_id},
    )


async def begin(book: Book, basket_id: UUID, at: datetime, life: timedelta) -> None:
    """A basket begins, unless somebody has just begun it; those that nobody has touched for so long go."""
    await run(
        book.db,
        "delete from baskets where site_id = %(site)s and mode = %(mode)s and changed_at < %(before)s",
        {"site": book.site_id, "mode": book.mode, "before": at - life},
    )
    await run(
        book.db,
        "insert into baskets (site_id, mode, id, items, changed_at) values (%(site)s, %(mode)s, %(id)s, '[]', %(at)s)"
        " on conflict do nothing",
        {"site": book.site_id, "mode": book.mode, "id": basket_id, "at": at},
    )


async def save_basket(book: Book, basket_id: UUID, items: list[dict[str, Any]], settled: bool, at: datetime) -> None:
    """What lies in it now; `settled`: what was ordered of it is out."""
    await run(
        book.db,
        "update baskets set items = %(items)s, changed_at = %(at)s,"
        " order_id = case when %(settled)s then null else order_id end"
        " where site_id = %(site)s and mode = %(mode)s and id = %(id)s",
        {
            "site": book.site_id,
            "mode": book.mode,
            "id": basket_id,
            "items": Jsonb(items),
            "settled": settled,
            "at": at,
        },
    )


async def mark_ordered(book: Book, basket_id: UUID, order_id: UUID) -> None:
    """An order was made of it: what that holds is out of the basket once it is paid, or waits for its money."""
    await run(
        book.db,
        "update baskets set order_id = %(order)s where site_id = %(site)s and mode = %(mode)s and id = %(id)s",
        {"site": book.site_id, "mode": book.mode, "id": basket_id, "order": order_id},
    )
