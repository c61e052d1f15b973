"""Sites: their draft (the newest revision of each part), their releases, and the addresses of their checkouts."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class SiteRow:
    """A site: its newest change, since when real buyers can pay, since when it is archived; `everybody_tries` it before
    it is opened."""

    id: UUID
    code: str
    head_change: int
    live_since: datetime | None
    archived_at: datetime | None
    everybody_tries: bool


@dataclass(frozen=True, slots=True)
class PartRow:
    """A revision of a part; `body` is None when the part was archived by that change."""

    kind: str
    part_id: str
    change: int
    position: float
    body: Any
    at: datetime


@dataclass(frozen=True, slots=True)
class Edited:
    """A revision with the name of whoever made it."""

    kind: str
    part_id: str
    change: int
    body: Any
    at: datetime
    by_name: str | None


@dataclass(frozen=True, slots=True)
class ReleaseRow:
    """A release: the number that people use for the state at a change."""

    number: int
    change: int
    note: str
    at: datetime
    by_name: str | None


@dataclass(frozen=True, slots=True)
class Target:
    """What a public address leads to."""

    site_id: UUID
    checkout_id: str


async def add_site(connection: Connection, site_id: UUID, code: str, at: datetime) -> None:
    """Adds an empty site."""
    await run(
        connection,
        "insert into sites (id, code, created_at) values (%(id)s, %(code)s, %(at)s)",
        {"id": site_id, "code": code, "at": at},
    )


async def add_member(connection: Connection, site_id: UUID, person_id: UUID, role: str) -> None:
    """Lets a person work on the site."""
    await run(
        connection,
        "insert into members (site_id, person_id, role) values (%(site)s, %(person)s, %(role)s)",
        {"site": site_id, "person": person_id, "role": role},
    )


async def site(connection: Connection, site_id: UUID) -> SiteRow | None:
    """The site that the transaction sees."""
    return await one(
        connection,
        SiteRow,
        "select id, code, head_change, live_since, archived_at, everybody_tries from sites where id = %(id)s",
        {"id": site_id},
    )


@dataclass(frozen=True, slots=True)
class Glance:
    """What a tape has to know of a site, in one statement: the draft's change, the last release, how far the test
    book's date is `ahead`, and the connected gateways: mode, adapter, and what it says of itself."""

    head_change: int
    release_number: int | None
    release_change: int | None
    ahead: timedelta
    connected: list[dict[str, Any]]


async def glance(connection: Connection, site_id: UUID) -> Glance | None:
    """The site that the transaction sees, as far as a tape needs it."""
    return await one(
        connection,
        Glance,
        "select head_change, last.number as release_number, last.change as release_change,"
        " coalesce((select ahead from calendars where site_id = %(id)s), '0') as ahead,"
        " (select coalesce(jsonb_agg(jsonb_build_object('mode', mode, 'adapter', adapter, 'account', account)"
        "  order by connected_at), '[]') from connections"
        "  where site_id = %(id)s and replaced_at is null) as connected"
        " from sites left join lateral (select number, change from releases where site_id = sites.id"
        "  order by number desc limit 1) last on true where id = %(id)s",
        {"id": site_id},
    )


async def hold_site(connection: Connection, site_id: UUID) -> None:
    """Has edits and releases of the site wait for each other until the transaction ends."""
    await run(connection, "select 1 from sites where id = %(id)s for update", {"id": site_id})


async def go_live(connection: Connection, site_id: UUID, at: datetime) -> None:
    """From now on the public addresses take real buyers; the first time counts."""
    await run(
        connection,
        "update sites set live_since = coalesce(live_since, %(at)s) where id = %(id)s",
        {"id": site_id, "at": at},
    )


async def archive_site(connection: Connection, site_id: UUID, at: datetime | None) -> None:
    """The site is out of the way, or (None) back among the others."""
    await run(connection, "update sites set archived_at = %(at)s where id = %(id)s", {"id": site_id, "at": at})


async def let_everybody_try(connection: Connection, site_id: UUID, everybody: bool) -> None:
    """Before the site is opened, whoever comes may buy for a test, or only who brings the test pass."""
    await run(
        connection,
        "update sites set everybody_tries = %(everybody)s where id = %(id)s",
        {"id": site_id, "everybody": everybody},
    )


async def has_sold(connection: Connection, site_id: UUID) -> bool:
    """Whether there was ever an order in the live book."""
    query = "select exists (select from orders where site_id = %(id)s and mode = 'live')"
    return bool(await value(connection, query, {"id": site_id}))


async def delete_site(connection: Connection, site_id: UUID) -> bool:
    """Deletes the site with everything of it; False where it has sold, and nothing is deleted."""
    return bool(await value(connection, "select delete_site(%(id)s)", {"id": site_id}))


async def next_change(connection: Connection, site_id: UUID) -> int:
    """The number of a new change. Edits of one site wait here for each other until the transaction ends."""
    return int(
        await value(
            connection,
            "update sites set head_change = head_change + 1 where id = %(id)s returning head_change",
            {"id": site_id},
        )
    )


async def take_back_change(connection: Connection, site_id: UUID) -> None:
    """Gives a number back that was taken in this transaction, for nothing has changed."""
    await run(connection, "update sites set head_change = head_change - 1 where id = %(id)s", {"id": site_id})


async def parts_at(connection: Connection, site_id: UUID, change: int) -> list[PartRow]:
    """Every part as it stood at a change, archived ones included, in their order."""
    return await rows(
        connection,
        PartRow,
        """
        select * from (
          select distinct on (kind, part_id) kind, part_id, change, position, body, at
          from part_revisions where site_id = %(site)s and change <= %(change)s
          order by kind, part_id, change desc
        ) newest order by kind, position, part_id
        """,
        {"site": site_id, "change": change},
    )


async def revisions_between(connection: Connection, site_id: UUID, after: int, until: int) -> list[PartRow]:
    """The parts that were edited after one change and until another, as they stood at the latter."""
    return await rows(
        connection,
        PartRow,
        """
        select distinct on (kind, part_id) kind, part_id, change, position, body, at
        from part_revisions where site_id = %(site)s and change > %(after)s and change <= %(until)s
        order by kind, part_id, change desc
        """,
        {"site": site_id, "after": after, "until": until},
    )


async def revision(connection: Connection, site_id: UUID, kind: str, part_id: str, change: int) -> Edited | None:
    """A part as it stood at a change, and whose edit that was."""
    return await one(
        connection,
        Edited,
        "select kind, part_id, change, body, at, people.name as by_name from part_revisions"
        " left join people on people.id = by where site_id = %(site)s and kind = %(kind)s and part_id = %(id)s"
        " and change <= %(change)s order by change desc limit 1",
        {"site": site_id, "kind": kind, "id": part_id, "change": change},
    )


async def edits(connection: Connection, site_id: UUID, before: int, most: int) -> list[Edited]:
    """Edits of the site, the newest first, from before a change."""
    return await rows(
        connection,
        Edited,
        "select kind, part_id, change, body, at, people.name as by_name from part_revisions"
        " left join people on people.id = by where site_id = %(site)s and change < %(before)s"
        " order by change desc, kind, part_id limit %(most)s",
        {"site": site_id, "before": before, "most": most},
    )


@dataclass(frozen=True, slots=True)
class ArchivedRow:
    """A part that was archived by a change, as it was before, and whose edit that was."""

    part_id: str
    change: int
    at: datetime
    by_name: str | None
    body: Any


async def archived(connection: Connection, site_id: UUID, kind: str, most: int) -> list[ArchivedRow]:
    """The archived parts of a kind, the last first."""
    return await rows(
        connection,
        ArchivedRow,
        """
        select newest.part_id, newest.change, newest.at, people.name as by_name, before.body
        from (
          select distinct on (part_id) part_id, change, at, body, by from part_revisions
          where site_id = %(site)s and kind = %(kind)s order by part_id, change desc
        ) newest
        left join people on people.id = newest.by
        left join lateral (
          select body from part_revisions where site_id = %(site)s and kind = %(kind)s
          and part_id = newest.part_id and change < newest.change order by change desc limit 1
        ) before on true
        where newest.body is null order by newest.change desc limit %(most)s
        """,
        {"site": site_id, "kind": kind, "most": most},
    )


async def add_revision(connection: Connection, site_id: UUID, part: PartRow, by: UUID | None) -> None:
    """Writes a new revision of a part."""
    await add_revisions(connection, site_id, [part], by)


async def add_revisions(connection: Connection, site_id: UUID, parts: list[PartRow], by: UUID | None) -> None:
    """Writes new revisions of parts, in one statement."""
    await run(
        connection,
        "insert into part_revisions (site_id, kind, part_id, change, position, body, at, by)"
        " select %(site)s, kind, part_id, change, position, body, at, %(by)s from unnest(%(kinds)s::text[],"
        " %(ids)s::text[], %(changes)s::bigint[], %(positions)s::float8[], %(bodies)s::jsonb[],"
        " %(ats)s::timestamptz[]) as one (kind, part_id, change, position, body, at)",
        {
            "site": site_id,
            "kinds": [part.kind for part in parts],
            "ids": [part.part_id for part in parts],
            "changes": [part.change for part in parts],
            "positions": [float(part.position) for part in parts],
            "bodies": [None if part.body is None else Jsonb(part.body) for part in parts],
            "ats": [part.at for part in parts],
            "by": by,
        },
    )


async def add_release(
    connection: Connection, site_id: UUID, change: int, note: str, at: datetime, by: UUID | None
) -> int:
    """Releases the state at a change; returns the number of the release."""
    return int(
        await value(
            connection,
            "insert into releases (site_id, number, change, note, at, by)"
            " select %(site)s, coalesce(max(number), 0) + 1, %(change)s, %(note)s, %(at)s, %(by)s"
            " from releases where site_id = %(site)s returning number",
            {"site": site_id, "change": change, "note": note, "at": at, "by": by},
        )
    )


async def last_release(connection: Connection, site_id: UUID) -> ReleaseRow | None:
    """The release that live buyers meet."""
    return await one(
        connection,
        ReleaseRow,
        "select number, change, note, at, people.name as by_name from releases"
        " left join people on people.id = by where site_id = %(site)s order by number desc limit 1",
        {"site": site_id},
    )


async def releases(connection: Connection, site_id: UUID, before: int, most: int) -> list[ReleaseRow]:
    """Releases, the newest first, from before a number."""
    return await rows(
        connection,
        ReleaseRow,
        "select number, change, note, at, people.name as by_name from releases"
        " left join people on people.id = by where site_id = %(site)s and number < %(before)s"
        " order by number desc limit %(most)s",
        {"site": site_id, "before": before, "most": most},
    )


async def releases_since(connection: Connection, site_id: UUID, since: datetime, until: int | None) -> list[ReleaseRow]:
    """Releases that were in force since an instant, the first of them maybe from before it, up to a number (None: to
    the last), in their order."""
    return await rows(
        connection,
        ReleaseRow,
        "select number, change, note, at, null as by_name from releases where site_id = %(site)s"
        " and (%(until)s::integer is null or number <= %(until)s) and number >= coalesce((select max(number)"
        " from releases where site_id = %(site)s and at <= %(since)s), 0) order by number",
        {"site": site_id, "since": since, "until": until},
    )


async def release_numbered(connection: Connection, site_id: UUID, number: int) -> ReleaseRow | None:
    """The release of that number."""
    return await one(
        connection,
        ReleaseRow,
        "select number, change, note, at, people.name as by_name from releases"
        " left join people on people.id = by where site_id = %(site)s and number = %(number)s",
        {"site": site_id, "number": number},
    )


async def address_of(connection: Connection, site_id: UUID, checkout_id: str) -> str | None:
    """The public address of a checkout, once it has one."""
    found = await value(
        connection,
        "select code from addresses where site_id = %(site)s and checkout_id = %(checkout)s",
        {"site": site_id, "checkout": checkout_id},
    )
    return None if found is None else str(found)


async def addresses_of(connection: Connection, site_id: UUID) -> dict[str, str]:
    """The public addresses of a site's checkouts, by their ids."""
    found = await rows(
        connection, _Address, "select checkout_id, code from addresses where site_id = %(site)s", {"site": site_id}
    )
    return {one.checkout_id: one.code for one in found}


@dataclass(frozen=True, slots=True)
class _Address:
    checkout_id: str
    code: str


async def add_address(connection: Connection, site_id: UUID, checkout_id: str, code: str) -> None:
    """Gives a checkout its public address; one that it has already stays."""
    await run(
        connection,
        "insert into addresses (code, site_id, checkout_id) values (%(code)s, %(site)s, %(checkout)s)"
        " on conflict (site_id, checkout_id) do nothing",
        {"code": code, "site": site_id, "checkout": checkout_id},
    )


async def site_called(connection: Connection, code: str | None) -> UUID | None:
    """The site of a code or, without one, the only site there is; needs no site."""
    if code is None:
        found = await value(connection, "select only_site()", {})
    else:
        found = await value(connection, "select site_called(%(code)s)", {"code": code})
    return None if found is None else UUID(str(found))


async def target_of(connection: Connection, code: str) -> Target | None:
    """What a public address leads to; needs no site."""
    return await one(connection, Target, "select site_id, checkout_id from address_target(%(code)s)", {"code": code})
