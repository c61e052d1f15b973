"""Asking gateways what became of attempts that nobody knows the outcome of."""

from __future__ import annotations

from functools import partial
from uuid import UUID

import structlog

from skurrow.gateway.protocol import Refused
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.orders import order_mail
from skurrow.service.orders.attempts import request_of
from skurrow.service.orders.settling import NEVER, days_to_pay, settle, take
from skurrow.service.payments.gateways import gateway_of
from skurrow.service.recovery import ask_about
from skurrow.store.book import Book
from skurrow.store.database import Connection, site_transaction, siteless_transaction
from skurrow.store.orders import attempts, orders
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.payments import connections
from skurrow.store.payments.connections import ConnectionRow

_log = structlog.get_logger()


async def recover(context: Context, most: int = 20) -> int:
    """Asks about attempts whose outcome nobody knows; returns how many were asked about.

    A gateway that does not know the key has not charged: the same key is sent again. No answer is no outcome, and
    is asked about later.
    """
    async with siteless_transaction(context.pool) as db:
        claimed = await attempts.claim_open_attempts(db, context.now(), most)
    return await ask_about("attempt", claimed, partial(_recover_one, context))


async def _recover_one(context: Context, site_id: UUID, attempt_id: UUID) -> None:
    async with site_transaction(context.pool, site_id) as db:
        attempt = await attempts.attempt(db, site_id, attempt_id)
        if attempt is None or attempt.state != "open":
            return
        connection = await connections.connection_by_id(db, site_id, attempt.connection_id)
        assert connection is not None
        if attempt.waits == "person" and await _reminded(context, db, site_id, attempt, connection):
            return
    if attempt.waits == "person":  # the time in which it was to be paid is over
        await settle(context, site_id, attempt.id, Refused("not_paid"))
        return
    gateway = gateway_of(context, connection)
    outcome = await gateway.look_up(attempt.id)
    if outcome is None:
        outcome = await gateway.charge(request_of(attempt, context.vault.open(attempt.sealed_token or b"")))
    done = await take(context, site_id, attempt.id, outcome, await days_to_pay(context, site_id, attempt, connection))
    _log.info("attempt.recovered", attempt=str(attempt.id), outcome=done, asks=attempt.asks)


async def _reminded(
    context: Context, db: Connection, site_id: UUID, attempt: AttemptRow, connection: ConnectionRow
) -> bool:
    """Whether there is time yet for a person to pay: then they are reminded, and looked at when it is over."""
    book = Book(db, site_id, attempt.mode)
    context = await calendars.of_book(context, book)
    is_invoice = connection.adapter == "invoice"
    if attempt.due_at is None or (context.book_now() >= attempt.due_at and not is_invoice):
        return False
    if not await remind(context, book, attempt, connection):
        return False
    await attempts.ask_at(db, site_id, attempt.id, context.now() + NEVER if is_invoice else attempt.due_at)
    return True


async def remind(context: Context, book: Book, attempt: AttemptRow, connection: ConnectionRow) -> bool:
    """Reminds whoever is to pay an order, once; False where it does not wait any more."""
    order = await orders.order_by_id(book, attempt.order_id, lock=True)
    if order is None or order.state != "waiting" or attempt.due_at is None:
        return False
    if attempt.remind_at is not None:
        edition = await edition_at(context, book.db, book.site_id, order.change)
        on = attempt.due_at.astimezone(edition.site.site.zone).date()
        await order_mail.remind(context, book, edition, order, attempt, connection, on)
        await attempts.reminded(book.db, book.site_id, attempt.id)
    return True
