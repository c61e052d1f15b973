"""Unused time that was credited."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.database import Connection, rows, run, value


@dataclass(frozen=True, slots=True)
class CreditRow:
    """Unused time of an order, in minor units with its tax, part by part as a refund's."""

    id: UUID
    mode: str
    subscription_id: UUID
    order_id: UUID
    currency: str
    amount: int
    parts: list[dict[str, Any]]
    at: datetime


# -- credits ----------------------------------------------------------------------------------------------


async def add_credit(connection: Connection, site_id: UUID, credit: CreditRow) -> None:
    """Credits unused time of an order, once."""
    await run(
        connection,
        "insert into credits (id, site_id, mode, subscription_id, order_id, currency, amount, parts, at)"
        " values (%(id)s, %(site)s, %(mode)s, %(subscription)s, %(order)s, %(currency)s, %(amount)s, %(parts)s,"
        " %(at)s)",
        {
            "id": credit.id,
            "site": site_id,
            "mode": credit.mode,
            "subscription": credit.subscription_id,
            "order": credit.order_id,
            "currency": credit.currency,
            "amount": credit.amount,
            "parts": Jsonb(credit.parts),
            "at": credit.at,
        },
    )


async def credits_of(book: Book, order_id: UUID) -> list[CreditRow]:
    """What was credited of an order."""
    return await rows(
        book.db,
        CreditRow,
        "select id, mode, subscription_id, order_id, currency, amount, parts, at from credits"
        " where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )


async def credited(book: Book, subscription_id: UUID) -> int:
    """All that was credited to a subscription, in minor units."""
    found = await value(
        book.db,
        "select coalesce(sum(amount), 0) from credits"
        " where site_id = %(site)s and mode = %(mode)s and subscription_id = %(id)s",
        {"site": book.site_id, "mode": book.mode, "id": subscription_id},
    )
    return int(found)
