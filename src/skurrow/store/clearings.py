"""Clearing the test book, and when it was."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.store.database import Connection, one, run, value


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
