"""What was set aside: messages of gateways, mails and renewals that could not be handled after several tries."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import LiteralString
from uuid import UUID

from skurrow.store.database import Connection, rows, run, value


@dataclass(frozen=True, slots=True)
class AsideRow:
    """One of them: since when, after how many tries, over what kind of error; `about` is what people call it."""

    kind: str
    id: UUID
    mode: str | None
    about: str
    detail: str
    tries: int
    trouble: str | None
    at: datetime


_ALL: LiteralString = """
  (select 'message' as kind, e.id, c.mode, c.adapter as about, coalesce(left(e.body ->> 'type', 60), '') as detail,
    e.tries, e.trouble, e.set_aside_at as at
  from gateway_events e join connections c on c.id = e.connection_id and c.site_id = e.site_id
  where e.site_id = %(site)s and e.set_aside_at is not null and e.handled_at is null
  union all
  select 'mail', id, null, to_address, subject, tries, trouble, set_aside_at from mails
  where site_id = %(site)s and set_aside_at is not null and sent_at is null
  union all
  select 'renewal', id, mode, code, life -> 'terms' ->> 'name', due_tries, trouble, set_aside_at from subscriptions
  where site_id = %(site)s and set_aside_at is not null) aside
"""

_TRY_AGAIN: dict[str, LiteralString] = {
    "message": "update gateway_events set set_aside_at = null, tries = 0, handle_at = %(at)s"
    " where site_id = %(site)s and id = %(id)s and set_aside_at is not null",
    "mail": "update mails set set_aside_at = null, tries = 0, send_at = %(at)s"
    " where site_id = %(site)s and id = %(id)s and set_aside_at is not null",
    "renewal": "update subscriptions set set_aside_at = null, due_tries = 0, claimed_until = null"
    " where site_id = %(site)s and id = %(id)s and set_aside_at is not null",
}


async def all_of(connection: Connection, site_id: UUID, most: int) -> list[AsideRow]:
    """The newest first."""
    query: LiteralString = "select * from"
    return await rows(
        connection,
        AsideRow,
        query + _ALL + " order by at desc, id limit %(most)s",
        {"site": site_id, "most": most},
    )


async def how_many(connection: Connection, site_id: UUID) -> int:
    """How many there are."""
    query: LiteralString = "select count(*) from"
    return int(await value(connection, query + _ALL, {"site": site_id}))


async def try_again(connection: Connection, site_id: UUID, kind: str, row_id: UUID, at: datetime) -> bool:
    """Has it tried again, as if for the first time; False if there is no such one."""
    return await run(connection, _TRY_AGAIN[kind], {"site": site_id, "id": row_id, "at": at}) == 1
