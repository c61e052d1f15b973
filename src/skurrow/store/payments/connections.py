"""Connections to gateways, and the messages that come in from them. Keys are stored sealed only."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

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


@dataclass(frozen=True, slots=True)
class GatewayEventRow:
    """A verified message from a gateway."""

    id: UUID
    connection_id: UUID
    message_id: str
    body: dict[str, Any]
    handled_at: datetime | None


@dataclass(frozen=True, slots=True)
class Waiting:
    """How many charge attempts of a connection are open."""

    connection_id: UUID
    attempts: int


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


async def waiting_at(connection: Connection, site_id: UUID) -> dict[UUID, int]:
    """How many charges are still asked about, by connection."""
    found = await rows(
        connection,
        Waiting,
        "select connection_id, count(*) as attempts from attempts where site_id = %(site)s and state = 'open'"
        " group by 1",
        {"site": site_id},
    )
    return {one.connection_id: one.attempts for one in found}


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


async def last_connection(connection: Connection, site_id: UUID, mode: str, adapter: str) -> ConnectionRow | None:
    """The connection of a gateway that was made last, also one that has ended."""
    return await one(
        connection,
        ConnectionRow,
        "select id, mode, adapter, merchant, sealed_key, sealed_event_secret, events_url, account, connected_at"
        " from connections where site_id = %(site)s and mode = %(mode)s and adapter = %(adapter)s"
        " order by connected_at desc, id desc limit 1",
        {"site": site_id, "mode": mode, "adapter": adapter},
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


async def last_event_at(connection: Connection, site_id: UUID, connection_id: UUID) -> datetime | None:
    """When the last message came from this gateway."""
    found = await value(
        connection,
        "select max(received_at) from gateway_events where site_id = %(site)s and connection_id = %(id)s",
        {"site": site_id, "id": connection_id},
    )
    return found if isinstance(found, datetime) else None


async def add_gateway_event(
    connection: Connection, site_id: UUID, event: GatewayEventRow, received_at: datetime
) -> bool:
    """Stores a message; False if it was stored before."""
    touched = await run(
        connection,
        "insert into gateway_events (id, site_id, connection_id, message_id, body, received_at, handle_at)"
        " values (%(id)s, %(site)s, %(connection)s, %(message)s, %(body)s, %(at)s, %(at)s)"
        " on conflict (connection_id, message_id) do nothing",
        {
            "id": event.id,
            "site": site_id,
            "connection": event.connection_id,
            "message": event.message_id,
            "body": Jsonb(event.body),
            "at": received_at,
        },
    )
    return touched == 1


async def gateway_event(connection: Connection, site_id: UUID, event_id: UUID) -> GatewayEventRow | None:
    """A stored message."""
    return await one(
        connection,
        GatewayEventRow,
        "select id, connection_id, message_id, body, handled_at from gateway_events"
        " where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": event_id},
    )


async def gateway_event_handled(
    connection: Connection, site_id: UUID, event_id: UUID, outcome: str, at: datetime
) -> None:
    """Notes what came of a message."""
    await run(
        connection,
        "update gateway_events set handled_at = %(at)s, outcome = %(outcome)s where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": event_id, "outcome": outcome, "at": at},
    )


async def note_event_trouble(
    connection: Connection, site_id: UUID, event_id: UUID, trouble: str, most: int, at: datetime
) -> None:
    """A message could not be handled; after so many tries it is set aside."""
    await run(
        connection,
        "update gateway_events set trouble = %(trouble)s,"
        " set_aside_at = case when tries >= %(most)s then %(at)s else set_aside_at end"
        " where site_id = %(site)s and id = %(id)s and handled_at is null",
        {"site": site_id, "id": event_id, "trouble": trouble, "most": most, "at": at},
    )


@dataclass(frozen=True, slots=True)
class Claimed:
    """Something that fell due, and whose it is."""

    site_id: UUID
    id: UUID


async def claim_gateway_events(connection: Connection, now: datetime, most: int) -> list[Claimed]:
    """Messages that nobody has handled; needs no site."""
    return await rows(
        connection,
        Claimed,
        "select site_id, id from claim_gateway_events(%(now)s, %(most)s)",
        {"now": now, "most": most},
    )
