"""Charges: money that came in for an order."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.store.book import Book
from skurrow.store.database import Connection, rows, run


@dataclass(frozen=True, slots=True)
class ChargeRow:
    """Money that moved."""

    id: UUID
    mode: str
    order_id: UUID
    attempt_id: UUID
    connection_id: UUID
    gateway_reference: str
    currency: str
    amount: int
    card_ending: str | None
    charged_at: datetime


# -- charges and events -----------------------------------------------------------------------------------


async def add_charge(connection: Connection, site_id: UUID, charge: ChargeRow) -> None:
    """Records money that moved."""
    await run(
        connection,
        "insert into charges (id, site_id, mode, order_id, attempt_id, connection_id, gateway_reference, currency,"
        " amount, card_ending, charged_at) values (%(id)s, %(site)s, %(mode)s, %(order)s, %(attempt)s,"
        " %(connection)s, %(reference)s, %(currency)s, %(amount)s, %(ending)s, %(at)s)",
        {
            "id": charge.id,
            "site": site_id,
            "mode": charge.mode,
            "order": charge.order_id,
            "attempt": charge.attempt_id,
            "connection": charge.connection_id,
            "reference": charge.gateway_reference,
            "currency": charge.currency,
            "amount": charge.amount,
            "ending": charge.card_ending,
            "at": charge.charged_at,
        },
    )


async def charges_of(book: Book, order_id: UUID) -> list[ChargeRow]:
    """The charges of an order."""
    return await rows(
        book.db,
        ChargeRow,
        "select id, mode, order_id, attempt_id, connection_id, gateway_reference, currency, amount, card_ending,"
        " charged_at from charges where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )
