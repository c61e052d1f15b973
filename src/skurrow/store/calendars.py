"""The calendar of a site's test book: how far ahead of the clock it is, and how far it is being moved."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from skurrow.store.claims import Claimed
from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class CalendarRow:
    """A calendar; while it is being moved, from when to when, how far it has come, and how many things were done."""

    ahead: timedelta
    began_from: datetime | None
    target: datetime | None
    at: datetime | None
    done: int
    trouble: str | None


_CALENDAR = "select ahead, began_from, target, at, done, trouble from calendars where site_id = %(site)s"


async def calendar(connection: Connection, site_id: UUID, lock: bool = False) -> CalendarRow | None:
    """The calendar of a site, if it was ever moved."""
    if lock:
        return await one(connection, CalendarRow, _CALENDAR + " for update", {"site": site_id})
    return await one(connection, CalendarRow, _CALENDAR, {"site": site_id})


async def ahead_of(connection: Connection, site_id: UUID) -> timedelta:
    """How far the test book's date is ahead of the clock."""
    found = await value(connection, "select ahead from calendars where site_id = %(site)s", {"site": site_id})
    return found if isinstance(found, timedelta) else timedelta()


async def asked_alone(connection: Connection, site_id: UUID) -> timedelta:
    """The same as one statement, outside of a transaction that names the site."""
    found = await value(connection, "select calendar_ahead(%(site)s)", {"site": site_id})
    return found if isinstance(found, timedelta) else timedelta()


async def begin_move(connection: Connection, site_id: UUID, from_: datetime, target: datetime, by: UUID | None) -> bool:
    """Begins to move a calendar; False where it is being moved already."""
    touched = await run(
        connection,
        "insert into calendars (site_id, began_from, target, at, by) values (%(site)s, %(from)s, %(target)s, %(from)s,"
        " %(by)s) on conflict (site_id) do update set began_from = excluded.began_from, target = excluded.target,"
        " at = excluded.at, by = excluded.by, done = 0, trouble = null, claimed_until = null"
        " where calendars.target is null",
        {"site": site_id, "from": from_, "target": target, "by": by},
    )
    return touched == 1


async def step_to(
    connection: Connection, site_id: UUID, at: datetime, ahead: timedelta, claimed_until: datetime
) -> bool:
    """The calendar has come so far; False where it is not being moved any more."""
    touched = await run(
        connection,
        "update calendars set at = greatest(at, %(at)s), ahead = %(ahead)s, claimed_until = %(claimed)s"
        " where site_id = %(site)s and target is not null",
        {"site": site_id, "at": at, "ahead": ahead, "claimed": claimed_until},
    )
    return touched == 1


async def count_done(connection: Connection, site_id: UUID) -> None:
    """One more thing was done on the way."""
    await run(connection, "update calendars set done = done + 1 where site_id = %(site)s", {"site": site_id})


async def end_move(connection: Connection, site_id: UUID, trouble: str | None = None) -> None:
    """The calendar stays where it has come to."""
    await run(
        connection,
        "update calendars set target = null, at = null, began_from = null, claimed_until = null, trouble = %(trouble)s"
        " where site_id = %(site)s",
        {"site": site_id, "trouble": trouble},
    )


async def claim_moving(connection: Connection, now: datetime, most: int) -> list[Claimed]:
    """Sites whose calendar is to be moved on; needs no site."""
    return await rows(
        connection,
        Claimed,
        "select site_id, id from claim_moving_calendars(%(now)s, %(most)s)",
        {"now": now, "most": most},
    )
