"""What happens to orders, written down in the transaction in which it happens: one row each, for the desk and for
whoever looks into an order later."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from uuid import UUID

from skurrow.core.money import format_amount
from skurrow.service.context import Context
from skurrow.store.database import Connection
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.order_events import EventRow, add_event
from skurrow.store.orders.orders import OrderRow
from skurrow.store.orders.refunds import RefundRow


async def record(
    context: Context,
    db: Connection,
    site_id: UUID,
    about: OrderRow | AttemptRow | RefundRow,
    kind: str,
    body: Mapping[str, Any],
    at: datetime | None = None,
) -> None:
    """Writes down that something happened to an order: to it as a whole, or to an attempt or a refund of it, which is
    then named in the body. At the time of the order's book, unless another one is given."""
    match about:
        case OrderRow():
            order_id, of = about.id, {}
        case AttemptRow():
            order_id, of = about.order_id, {"attempt": str(about.id)}
        case RefundRow():
            order_id, of = about.order_id, {"refund": str(about.id)}
    event = EventRow(context.new_id(), about.mode, order_id, kind, {**of, **body}, at or context.book_now())
    await add_event(db, site_id, event)


def money(minor: int, currency: str) -> dict[str, str]:
    """An amount as events have it: written out, with its currency."""
    return {"amount": format_amount(minor, currency), "currency": currency}
