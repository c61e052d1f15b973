"""What became of a visit's payment, and what is waited for."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Any, Literal
from urllib.parse import urlencode
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.gateway.registry import ADAPTERS
from skurrow.service.codes import confirmation_token
from skurrow.service.context import Context
from skurrow.service.counter.visit import Visit
from skurrow.service.orders.transfer_slips import TransferSlip, transfer_slip
from skurrow.service.payments import ways
from skurrow.service.payments.gateways import account_of
from skurrow.store.book import Book
from skurrow.store.database import Connection, site_transaction
from skurrow.store.draft import sites
from skurrow.store.orders import attempts, orders
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.payments import connections
from skurrow.store.payments.connections import ConnectionRow

State = Literal["none", "open", "pending", "refused", "waiting", "paid", "cancelled"]


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a visit's order is. `confirmation` is the token of its page, once it is paid or waits for its money;
    `approve_at` is where the buyer approves the charge, while that is waited for, and `off_site` whether they leave
    for it; `way` is the gateway."""

    state: State
    reason: str | None = None
    confirmation: str | None = None
    paid_at: datetime | None = None
    approve_at: str | None = None
    off_site: bool = False
    way: str | None = None


@dataclass(frozen=True, slots=True)
class Awaited:
    """What an order waits for: with which gateway, called what at the counter; until when it is to be paid or when the
    money is expected; and, for a bank transfer, what to write on it."""

    gateway: str
    label: str
    text: str
    due_on: date | None
    expected_on: date | None
    transfer: TransferSlip | None


async def progress(context: Context, visit: Visit) -> Progress:
    """How far the visit's order is."""
    async with site_transaction(context.pool, visit.site_id) as db:
        order = await orders.order_of_visit(Book(db, visit.site_id, visit.mode), visit.id)
        return Progress("none") if order is None else await progress_of(context, db, visit, order)


async def what_else(
    context: Context, db: Connection, edition: Edition, visit: Visit, order: OrderRow, connection: ConnectionRow
) -> dict[str, Any]:
    """What is sent beside the money: the text of the statement, and where a buyer who leaves comes back to."""
    bought = [line.price for line in order.kept.quote.lines]
    sent = {"text": ways.statement_for(edition, bought, account_of(connection).statement)}
    if ADAPTERS[connection.adapter].abilities.off_site:
        code = await sites.address_of(db, visit.site_id, visit.checkout_id)
        back = back_token(context, visit.site_id, visit.mode, visit.id)
        sent["return_to"] = f"{context.settings.counter_url}/buy/{code}?{urlencode({'back': back})}"
    return sent


def awaited_of(edition: Edition, order: OrderRow, attempt: AttemptRow, row: ConnectionRow) -> Awaited:
    label, text = ways.shown_as(edition, row.adapter)
    zone = edition.site.site.zone
    expected = attempt.due_at.astimezone(zone).date() if attempt.due_at else None
    by_person = attempt.waits == "person"
    slip = None
    if row.adapter == "transfer":
        slip = transfer_slip(account_of(row).details, order.code, attempt.amount, attempt.currency)
    return Awaited(
        gateway=row.adapter,
        label=label,
        text=text,
        due_on=expected if by_person else None,
        expected_on=None if by_person else expected,
        transfer=slip,
    )


async def progress_of(context: Context, db: Connection, visit: Visit, order: OrderRow) -> Progress:
    if order.state == "cancelled":
        return Progress("cancelled")
    if order.state in ("paid", "waiting"):
        token = confirmation_token(context, visit.site_id, order.mode, order.id)
        state: State = "paid" if order.state == "paid" else "waiting"
        return Progress(state, confirmation=token, paid_at=order.paid_at)
    book = Book(db, visit.site_id, visit.mode)
    tried = await attempts.attempts_of(book, order.id)
    if any(attempt.state == "paid" for attempt in tried):  # since the order was read
        paid = await orders.order_by_id(book, order.id)
        assert paid is not None
        return await progress_of(context, db, visit, paid)
    waiting = next((attempt for attempt in tried if attempt.state == "open"), None)
    if waiting is not None:
        row = await connections.connection_by_id(db, visit.site_id, waiting.connection_id)
        return Progress(
            "pending", approve_at=waiting.approve_at, off_site=waiting.off_site, way=row.adapter if row else None
        )
    if tried:
        return Progress("refused", reason=tried[-1].reason)
    return Progress("open")


def back_token(context: Context, site_id: UUID, mode: str, visit: UUID) -> str:
    """What an address carries that leads back to a checkout. It says how an order stands, and opens nothing: whoever
    sends it to somebody plants no visit with it."""
    return context.signer.sign("back", {"s": str(site_id), "m": mode, "v": str(visit)})
