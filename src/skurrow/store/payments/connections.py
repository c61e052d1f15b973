"""Connections to gateways, and the messages that come in from them. Keys are stored sealed only."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class ConnectionRow:
    """A gateway connected in one mode. `account` is what it said about itself when it was last asked."""

    id: UUID
    mode: str
    adapter: str
    merchant: str
    sealed_key: bytes = field(repr=False)
    sealed_event_secret: bytes = field(repr=False)
    events_url: str
    account: dict[str, Any]
    connected_at: datetime


async def add_connection(connection: Connection, site_id: UUID, new: ConnectionRow) -> None:
    """Connects a gateway in place of the one that was connected in this mode; attempts keep the old one."""
    await run(
        connection,
        "update connections set replaced_at = %(at)s where site_id = %(site)s and mode = %(mode)s"
        " and adapter = %(adapter)s and replaced_at is null",
        {"site": site_id, "mode": new.mode, "adapter": new.adapter, "at": new.connected_at},
    )
    await run(
        connection,
        "insert into connections (id, site_id, mode, adapter, merchant, sealed_key, sealed_event_secret,"
        " events_url, account, connected_at) values (%(id)s, %(site)s, %(mode)s, %(adapter)s, %(merchant)s,"
        " %(key)s, %(secret)s, %(url)s, %(account)s, %(at)s)",
        {
            "id": new.id,
            "site": site_id,
            "mode": new.mode,
            "adapter": new.adapter,
            "merchant": new.merchant,
            "key": new.sealed_key,
            "secret": new.sealed_event_secret,
            "url": new.events_url,
            "account": Jsonb(new.account),
            "at": new.connected_at,
        },
    )


async def end_connection(connection: Connection, site_id: UUID, connection_id: UUID, at: datetime) -> bool:
    """Ends a connection; False if it is none that is current. What was charged through it is kept, with its keys."""
    touched = await run(
        connection,
        "update connections set replaced_at = %(at)s where site_id = %(site)s and id = %(id)s and replaced_at is null",
        {"site": site_id, "id": connection_id, "at": at},
    )
    return touched == 1


async def current_connections(connection: Connection, site_id: UUID) -> list[ConnectionRow]:
    """The connected gateways of both modes."""
    return await rows(
        connection,
        ConnectionRow,
        "select id, mode, adapter, merchant, sealed_key, sealed_event_secret, events_url, account, connected_at"
        " from connections where site_id = %(site)s and replaced_at is null order by mode desc, connected_at",
        {"site": site_id},
    )


async def connection_by_id(connection: Connection, site_id: UUID, connection_id: UUID) -> ConnectionRow | None:
    """A connection, also one that was replaced since."""
    return await one(
        connection,
        ConnectionRow,
        "select id, mode, adapter, merchant, sealed_key, sealed_event_secret, events_url, account, connected_at"
        " from connections where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": connection_id},
    )


async def last_connection(book: Book, adapter: str) -> ConnectionRow | None:
    """The connection of a gateway that was made last, also one that has ended."""
    return await one(
        book.db,
        ConnectionRow,
        "select id, mode, adapter, merchant, sealed_key, sealed_event_secret, events_url, account, connected_at"
        " from connections where site_id = %(site)s and mode = %(mode)s and adapter = %(adapter)s"
        " order by connected_at desc, id desc limit 1",
        {"site": book.site_id, "mode": book.mode, "adapter": adapter},
    )


async def renew_account(connection: Connection, site_id: UUID, connection_id: UUID, account: dict[str, Any]) -> None:
    """Notes what a gateway says of itself now."""
    await run(
        connection,
        "update connections set account = %(account)s where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": connection_id, "account": Jsonb(account)},
    )


async def renew_events_address(
    connection: Connection, site_id: UUID, connection_id: UUID, url: str, sealed_secret: bytes
) -> None:
    """Notes where a gateway sends its events from now on."""
    await run(
        connection,
        "update connections set events_url = %(url)s, sealed_event_secret = %(secret)s"
        " where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": connection_id, "url": url, "secret": sealed_secret},
    )


async def site_of_connection(connection: Connection, connection_id: UUID) -> UUID | None:
    """Whose connection it is; needs no site."""
    found = await value(connection, "select site_of_connection(%(id)s)", {"id": connection_id})
    return found if isinstance(found, UUID) else None


async def one_account(connection: Connection, one: UUID, other: UUID) -> bool:
    """Whether two connections are of one account at one gateway: one that was connected again is."""
    if one == other:
        return True
    return bool(await value(connection, "select one_account(%(one)s, %(other)s)", {"one": one, "other": other}))
