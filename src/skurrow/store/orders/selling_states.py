"""Whether a site takes new orders: opened, closed or stopped, the site as a whole and parts of it, and who said so."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from skurrow.store.database import Connection, one, rows, run


@dataclass(frozen=True, slots=True)
class SellingRow:
    """How a site stands, with the words for buyers; `stopped` parts with theirs; the number of its test pass."""

    selling: str
    selling_words: str
    test_pass: int
    stopped: list[dict[str, Any]]


@dataclass(frozen=True, slots=True)
class StoppedRow:
    """A product or checkout that sells no more."""

    kind: str
    part_id: str
    words: str
    at: datetime
    by_name: str | None


@dataclass(frozen=True, slots=True)
class SellingChange:
    """What was said about selling: of the site, a product or a checkout."""

    kind: str
    part_id: str
    state: str
    words: str
    at: datetime
    by_name: str | None


async def selling(connection: Connection, site_id: UUID) -> SellingRow:
    """How a site stands, in one statement, since every order asks."""
    found = await one(
        connection,
        SellingRow,
        "select selling, selling_words, test_pass, coalesce((select jsonb_agg(jsonb_build_object('kind', kind,"
        " 'id', part_id, 'words', words)) from stopped_parts where site_id = %(site)s), '[]') as stopped"
        " from sites where id = %(site)s",
        {"site": site_id},
    )
    assert found is not None
    return found


async def stopped_parts(connection: Connection, site_id: UUID) -> list[StoppedRow]:
    """The parts that sell no more, the newest first."""
    return await rows(
        connection,
        StoppedRow,
        "select kind, part_id, words, at, people.name as by_name from stopped_parts left join people on people.id = by"
        " where site_id = %(site)s order by at desc, kind, part_id",
        {"site": site_id},
    )


async def changes(connection: Connection, site_id: UUID, most: int) -> list[SellingChange]:
    """What was said, the newest first."""
    return await rows(
        connection,
        SellingChange,
        "select kind, part_id, state, words, at, people.name as by_name from selling_changes"
        " left join people on people.id = by where site_id = %(site)s order by selling_changes.id desc limit %(most)s",
        {"site": site_id, "most": most},
    )


async def set_selling(connection: Connection, site_id: UUID, state: str, words: str) -> None:
    """The site as a whole is opened, closed or stopped."""
    await run(
        connection,
        "update sites set selling = %(state)s, selling_words = %(words)s where id = %(site)s",
        {"site": site_id, "state": state, "words": words},
    )


async def stop_part(
    connection: Connection, site_id: UUID, kind: str, part_id: str, words: str, at: datetime, by: UUID
) -> bool:
    """A part sells no more; False if it was stopped already."""
    touched = await run(
        connection,
        "insert into stopped_parts (site_id, kind, part_id, words, at, by)"
        " values (%(site)s, %(kind)s, %(id)s, %(words)s, %(at)s, %(by)s) on conflict do nothing",
        {"site": site_id, "kind": kind, "id": part_id, "words": words, "at": at, "by": by},
    )
    return touched == 1


async def start_part(connection: Connection, site_id: UUID, kind: str, part_id: str) -> bool:
    """It sells again; False if it was not stopped."""
    touched = await run(
        connection,
        "delete from stopped_parts where site_id = %(site)s and kind = %(kind)s and part_id = %(id)s",
        {"site": site_id, "kind": kind, "id": part_id},
    )
    return touched == 1


async def add_change(
    connection: Connection,
    site_id: UUID,
    change_id: UUID,
    kind: str,
    part_id: str,
    state: str,
    words: str,
    at: datetime,
    by: UUID,
) -> None:
    """Writes down who said what."""
    await run(
        connection,
        "insert into selling_changes (id, site_id, kind, part_id, state, words, at, by)"
        " values (%(change)s, %(site)s, %(kind)s, %(id)s, %(state)s, %(words)s, %(at)s, %(by)s)",
        {
            "change": change_id,
            "site": site_id,
            "kind": kind,
            "id": part_id,
            "state": state,
            "words": words,
            "at": at,
            "by": by,
        },
    )


async def withdraw_test_pass(connection: Connection, site_id: UUID) -> None:
    """Links with the present test pass open nothing any more; the next ones do."""
    await run(connection, "update sites set test_pass = test_pass + 1 where id = %(site)s", {"site": site_id})
