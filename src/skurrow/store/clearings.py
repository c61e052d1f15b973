"""Clearing the test book, and when it was; taking one sale out of it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.store.book import Book
from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class Clearing:
    """One clearing: how many orders went, when, and who did it."""

    orders: int
    at: datetime
    by_name: str | None


async def clear_test_data(connection: Connection, site_id: UUID) -> int:
    """Removes all test orders of the transaction's site, with everything that hangs on them; returns how many."""
    found = await value(connection, "select clear_test_data(%(site)s)", {"site": site_id})
    return int(found)


@dataclass(frozen=True, slots=True)
class Locked:
    """An order or a subscription, locked until the transaction ends."""

    id: UUID


_ORDER = "select id from orders where site_id = %(site)s and mode = %(mode)s and id = %(order)s for update"
_PLANS = (
    "select id from subscriptions where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s"
    " order by id for update"
)
_ALL = (
    "select id from orders where site_id = %(site)s and mode = %(mode)s"
    " and (id = %(order)s or subscription_id = any(%(plans)s)) order by id for update"
)


async def with_all(book: Book, order_id: UUID) -> tuple[list[UUID], list[UUID]]:
    """An order with the subscriptions that it began and every order of theirs, locked; orders first."""
    names = {"site": book.site_id, "mode": book.mode, "order": order_id}
    await rows(book.db, Locked, _ORDER, names)
    plans = [one.id for one in await rows(book.db, Locked, _PLANS, names)]
    return [one.id for one in await rows(book.db, Locked, _ALL, {**names, "plans": plans})], plans


async def take_out(
    connection: Connection, site_id: UUID, orders: list[UUID], plans: list[UUID], at: datetime, by: UUID
) -> int:
    """Removes test orders and subscriptions with everything that hangs on them; returns how many orders went."""
    found = await value(
        connection,
        "select take_out_test_orders(%(site)s, %(orders)s, %(plans)s, %(at)s, %(by)s)",
        {"site": site_id, "orders": orders, "plans": plans, "at": at, "by": by},
    )
    return int(found)


async def taken_out(connection: Connection, site_id: UUID, keys: list[str]) -> set[str]:
    """Which of these charges, refunds and disputes were of test sales that were taken out."""
    found = await value(
        connection,
        "select coalesce(array_agg(key), '{}') from taken_out where site_id = %(site)s and key = any(%(keys)s)",
        {"site": site_id, "keys": keys},
    )
    return set(found)


async def note_clearing(
    connection: Connection, site_id: UUID, clearing_id: UUID, orders: int, at: datetime, by: UUID | None
) -> None:
    """Writes down that it was cleared."""
    await run(
        connection,
        "insert into clearings (id, site_id, orders, at, by) values (%(id)s, %(site)s, %(orders)s, %(at)s, %(by)s)",
        {"id": clearing_id, "site": site_id, "orders": orders, "at": at, "by": by},
    )


async def last_clearing(connection: Connection, site_id: UUID) -> Clearing | None:
    """When it was cleared last."""
    return await one(
        connection,
        Clearing,
        "select c.orders, c.at, p.name as by_name from clearings c left join people p on p.id = c.by"
        " where c.site_id = %(site)s order by c.id desc limit 1",
        {"site": site_id},
    )


async def count_test_orders(connection: Connection, site_id: UUID) -> int:
    """How many orders the test book has."""
    found = await value(
        connection,
        "select count(*) from orders where site_id = %(site)s and mode = 'test'",
        {"site": site_id},
    )
    return int(found)
