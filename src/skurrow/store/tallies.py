"""How often something was done lately, by whom: counts in slots of time. They belong to no site."""

from __future__ import annotations

from datetime import datetime

from skurrow.store.database import Connection, run, value


async def add(connection: Connection, kind: str, who: str, slot: datetime, since: datetime) -> int:
    """Counts one more; returns how many there are since then, this one included. Others who count the same wait."""
    await run(
        connection,
        "insert into tallies (kind, who, slot, n) values (%(kind)s, %(who)s, %(slot)s, 1)"
        " on conflict (kind, who, slot) do update set n = tallies.n + 1",
        {"kind": kind, "who": who, "slot": slot},
    )
    return await count(connection, kind, who, since)


async def count(connection: Connection, kind: str, who: str, since: datetime) -> int:
    """How many were counted since then."""
    found = await value(
        connection,
        "select coalesce(sum(n), 0) from tallies where kind = %(kind)s and who = %(who)s and slot > %(since)s",
        {"kind": kind, "who": who, "since": since},
    )
    return int(found)


async def take_back(connection: Connection, kind: str, who: str, slot: datetime) -> None:
    """Takes one back that was counted in this slot, if it is there."""
    await run(
        connection,
        "update tallies set n = n - 1 where kind = %(kind)s and who = %(who)s and slot = %(slot)s and n > 0",
        {"kind": kind, "who": who, "slot": slot},
    )


async def forget(connection: Connection, kind: str, who: str) -> None:
    """Forgets all of one."""
    await run(connection, "delete from tallies where kind = %(kind)s and who = %(who)s", {"kind": kind, "who": who})


async def forget_before(connection: Connection, before: datetime) -> int:
    """Forgets what was counted before then; returns how many slots there were."""
    return await run(connection, "delete from tallies where slot < %(before)s", {"before": before})
