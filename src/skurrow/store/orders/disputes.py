"""Disputes: charges that buyers have questioned at their bank."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.store.book import Book
from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class DisputeRow:
    """One dispute of a charge: `open`, or decided as `won` or `lost` for the shop."""

    id: UUID
    mode: str
    order_id: UUID
    charge_id: UUID
    gateway_reference: str
    currency: str
    amount: int
    reason: str
    state: str
    opened_at: datetime
    decided_at: datetime | None
    told_by: UUID | None = None


_DISPUTE = (
    "select id, mode, order_id, charge_id, gateway_reference, currency, amount, reason, state, opened_at, decided_at,"
    " told_by from disputes "
)


async def disputes_of(book: Book, order_id: UUID) -> list[DisputeRow]:
    """The disputes of an order, the first one first."""
    return await rows(
        book.db,
        DisputeRow,
        _DISPUTE + "where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )


async def open_disputes(connection: Connection, site_id: UUID) -> int:
    """How many disputes of both books are open."""
    found = await value(
        connection,
        "select count(*) from disputes where site_id = %(site)s and state = 'open'",
        {"site": site_id},
    )
    return int(found)


async def dispute_called(connection: Connection, site_id: UUID, charge_id: UUID, reference: str) -> DisputeRow | None:
    """A dispute of a charge by the gateway's name for it."""
    return await one(
        connection,
        DisputeRow,
        _DISPUTE + "where site_id = %(site)s and charge_id = %(charge)s and gateway_reference = %(reference)s",
        {"site": site_id, "charge": charge_id, "reference": reference},
    )


async def add_dispute(connection: Connection, site_id: UUID, dispute: DisputeRow) -> None:
    """Records a dispute."""
    await run(
        connection,
        "insert into disputes (id, site_id, mode, order_id, charge_id, gateway_reference, currency, amount, reason,"
        " state, opened_at, decided_at, told_by) values (%(id)s, %(site)s, %(mode)s, %(order)s, %(charge)s,"
        " %(reference)s, %(currency)s, %(amount)s, %(reason)s, %(state)s, %(opened)s, %(decided)s, %(told_by)s)",
        {
            "id": dispute.id,
            "site": site_id,
            "mode": dispute.mode,
            "order": dispute.order_id,
            "charge": dispute.charge_id,
            "reference": dispute.gateway_reference,
            "currency": dispute.currency,
            "amount": dispute.amount,
            "reason": dispute.reason,
            "state": dispute.state,
            "opened": dispute.opened_at,
            "decided": dispute.decided_at,
            "told_by": dispute.told_by,
        },
    )


async def decide_dispute(connection: Connection, site_id: UUID, dispute_id: UUID, state: str, at: datetime) -> None:
    """An open dispute is `won` or `lost`."""
    await run(
        connection,
        "update disputes set state = %(state)s, decided_at = %(at)s where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": dispute_id, "state": state, "at": at},
    )
