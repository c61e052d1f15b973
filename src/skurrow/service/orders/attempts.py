"""Charge attempts: opened before the gateway is asked, and what is asked of it."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from types import MappingProxyType
from typing import Any
from uuid import UUID

from psycopg import errors

from skurrow.gateway.protocol import ChargeRequest, NeedsApproval
from skurrow.service.context import Context
from skurrow.service.events import money, record
from skurrow.service.refusals import Conflict
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.payments.connections import ConnectionRow

NO_MARKS: Mapping[str, str] = MappingProxyType({})

APPROVING = timedelta(seconds=5)
"""How long after the first answer an attempt that waits for approval is asked about, if no message comes."""


async def open_attempt(
    context: Context,
    book: Book,
    order: OrderRow,
    connection: ConnectionRow,
    token: str,
    sent: dict[str, Any],
    marks: Mapping[str, str] = NO_MARKS,
) -> AttemptRow:
    """Records an attempt before it is sent; `marks` are the keyed hashes by which repeated tries are known. The
    database has one open attempt an order, and one open or paid a period of a subscription. Raises Conflict."""
    now = context.now()
    attempt = AttemptRow(
        id=context.new_id(),
        mode=order.mode,
        order_id=order.id,
        connection_id=connection.id,
        currency=order.currency,
        amount=order.total,
        state="open",
        reason=None,
        sealed_token=context.vault.seal(token),
        opened_at=now,
        closed_at=None,
        ask_at=now + context.settings.first_ask,
        asks=0,
        sent=sent,
        card_seen=marks.get("card"),
        address_seen=marks.get("address"),
        buyer_seen=marks.get("buyer"),
        subscription_id=order.subscription_id,
        period=order.period,
    )
    try:
        await attempts.add_attempt(book.db, book.site_id, attempt)
    except errors.UniqueViolation:
        raise Conflict("This order is being paid for at this moment.") from None
    await record(context, book.db, book.site_id, attempt, "charge.attempted", money(order.total, order.currency))
    return attempt


def request_of(attempt: AttemptRow, token: str) -> ChargeRequest:
    """An attempt as it is sent, to the letter, however often: a gateway may refuse a key with another body."""
    return ChargeRequest(
        attempt.id,
        attempt.amount,
        attempt.currency,
        "" if attempt.sent.get("on_file") else token,
        attempt.sent.get("text", ""),
        attempt.sent.get("return_to", ""),
        bool(attempt.sent.get("keep")),
        token if attempt.sent.get("on_file") else "",
    )


async def wait_for_approval(context: Context, site_id: UUID, attempt_id: UUID, approval: NeedsApproval) -> None:
    """Notes where the buyer approves an open attempt; it is asked about again and again until it is decided."""
    async with site_transaction(context.pool, site_id) as db:
        ask_at = context.now() + APPROVING
        await attempts.approve_at(db, site_id, attempt_id, approval.address, approval.off_site, ask_at, approval.until)


async def ask_soon(context: Context, site_id: UUID, attempt_id: UUID) -> None:
    """Has recovery ask about an attempt at once: whoever sent it is not waiting any more."""
    async with site_transaction(context.pool, site_id) as db:
        await attempts.ask_at(db, site_id, attempt_id, context.now())
