"""What happened to subscriptions."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.database import Connection, rows, run


@dataclass(frozen=True, slots=True)
class SubscriptionEventRow:
    """Something that happened to a subscription."""

    id: UUID
    mode: str
    subscription_id: UUID
    kind: str
    body: dict[str, Any]
    at: datetime


# -- what happened ----------------------------------------------------------------------------------------


async def add_subscription_event(connection: Connection, site_id: UUID, event: SubscriptionEventRow) -> None:
    """Writes down what happened, in the transaction in which it does."""
    await run(
        connection,
        "insert into subscription_events (id, site_id, mode, subscription_id, kind, body, at)"
        " values (%(id)s, %(site)s, %(mode)s, %(subscription)s, %(kind)s, %(body)s, %(at)s)",
        {
            "id": event.id,
            "site": site_id,
            "mode": event.mode,
            "subscription": event.subscription_id,
            "kind": event.kind,
            "body": Jsonb(event.body),
            "at": event.at,
        },
    )


async def subscription_events(book: Book, subscription_id: UUID) -> list[SubscriptionEventRow]:
    """What happened to a subscription, in order."""
    return await rows(
        book.db,
        SubscriptionEventRow,
        "select id, mode, subscription_id, kind, body, at from subscription_events"
        " where site_id = %(site)s and mode = %(mode)s and subscription_id = %(id)s order by id",
        {"site": book.site_id, "mode": book.mode, "id": subscription_id},
    )
