"""Messages that come in from gateways, until they are handled."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.claims import Claimed
from skurrow.store.database import Connection, one, rows, run, value


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


async def claim_gateway_events(connection: Connection, now: datetime, most: int) -> list[Claimed]:
    """Messages that nobody has handled; needs no site."""
    return await rows(
        connection,
        Claimed,
        "select site_id, id from claim_gateway_events(%(now)s, %(most)s)",
        {"now": now, "most": most},
    )
