"""Refunds: money that goes back, part by part. Every query names the site, and the mode comes with the order."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.claims import Claimed
from skurrow.store.database import Connection, one, rows, run


@dataclass(frozen=True, slots=True)
class RefundRow:
    """One request to a gateway to give money back; `id` is the key under which the gateway knows it, `asked_as` that
    of whoever pressed."""

    id: UUID
    mode: str
    order_id: UUID
    charge_id: UUID
    asked_as: UUID
    currency: str
    amount: int
    parts: list[dict[str, Any]]
    note: str
    by: UUID | None
    state: str
    reason: str | None
    gateway_reference: str | None
    opened_at: datetime
    closed_at: datetime | None
    ask_at: datetime
    asks: int


_REFUND = (
    "select id, mode, order_id, charge_id, asked_as, currency, amount, parts, note, by, state, reason,"
    " gateway_reference, opened_at, closed_at, ask_at, asks from refunds "
)


async def add_refund(connection: Connection, site_id: UUID, refund: RefundRow) -> None:
    """Opens a refund; the database refuses more than was charged."""
    await run(
        connection,
        "insert into refunds (id, site_id, mode, order_id, charge_id, asked_as, currency, amount, parts, note, by,"
        " opened_at, ask_at) values (%(id)s, %(site)s, %(mode)s, %(order)s, %(charge)s, %(asked_as)s, %(currency)s,"
        " %(amount)s, %(parts)s, %(note)s, %(by)s, %(at)s, %(ask_at)s)",
        {
            "id": refund.id,
            "site": site_id,
            "mode": refund.mode,
            "order": refund.order_id,
            "charge": refund.charge_id,
            "asked_as": refund.asked_as,
            "currency": refund.currency,
            "amount": refund.amount,
            "parts": Jsonb(refund.parts),
            "note": refund.note,
            "by": refund.by,
            "at": refund.opened_at,
            "ask_at": refund.ask_at,
        },
    )


async def refunds_of(book: Book, order_id: UUID) -> list[RefundRow]:
    """The refunds of an order, the first one first."""
    return await rows(
        book.db,
        RefundRow,
        _REFUND + "where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )


@dataclass(frozen=True, slots=True)
class GivenBack:
    """What was given back of an order, in minor units."""

    order_id: UUID
    amount: int


async def given_back(book: Book, order_ids: list[UUID]) -> dict[UUID, int]:
    """What was given back of orders, of those of which something was."""
    found = await rows(
        book.db,
        GivenBack,
        "select order_id, sum(amount)::bigint as amount from refunds where site_id = %(site)s and mode = %(mode)s"
        " and state = 'made' and order_id = any(%(ids)s) group by 1",
        {"site": book.site_id, "mode": book.mode, "ids": order_ids},
    )
    return {one.order_id: one.amount for one in found}


async def refund(connection: Connection, site_id: UUID, refund_id: UUID, lock: bool = False) -> RefundRow | None:
    """A refund by its key."""
    query = _REFUND + "where site_id = %(site)s and id = %(id)s"
    parameters = {"site": site_id, "id": refund_id}
    if lock:
        return await one(connection, RefundRow, query + " for update", parameters)
    return await one(connection, RefundRow, query, parameters)


async def refund_asked_as(book: Book, asked_as: UUID) -> RefundRow | None:
    """The refund of one press."""
    return await one(
        book.db,
        RefundRow,
        _REFUND + "where site_id = %(site)s and mode = %(mode)s and asked_as = %(asked_as)s",
        {"site": book.site_id, "mode": book.mode, "asked_as": asked_as},
    )


async def close_refund(
    connection: Connection,
    site_id: UUID,
    refund_id: UUID,
    state: str,
    reason: str | None,
    made: tuple[str, datetime] | None,
    at: datetime,
    told_by: UUID | None = None,
) -> None:
    """Closes an open refund as `refused` or, with the gateway's reference and time, `made`."""
    await run(
        connection,
        "update refunds set state = %(state)s, reason = %(reason)s, gateway_reference = %(reference)s,"
        " made_at = %(made_at)s, closed_at = %(at)s, told_by = %(told_by)s where site_id = %(site)s and id = %(id)s",
        {
            "site": site_id,
            "id": refund_id,
            "state": state,
            "reason": reason,
            "reference": made and made[0],
            "made_at": made and made[1],
            "at": at,
            "told_by": told_by,
        },
    )


async def ask_at(connection: Connection, site_id: UUID, refund_id: UUID, at: datetime) -> None:
    """When the outcome of an open refund is asked for."""
    await run(
        connection,
        "update refunds set ask_at = %(at)s where site_id = %(site)s and id = %(id)s and state = 'open'",
        {"site": site_id, "id": refund_id, "at": at},
    )


async def claim_open_refunds(connection: Connection, now: datetime, most: int) -> list[Claimed]:
    """Refunds whose outcome should be asked for; needs no site."""
    return await rows(
        connection,
        Claimed,
        "select site_id, id from claim_open_refunds(%(now)s, %(most)s)",
        {"now": now, "most": most},
    )
