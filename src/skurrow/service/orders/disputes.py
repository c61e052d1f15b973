"""Recording what a gateway tells of disputes, in any order and any number of times."""

from __future__ import annotations

from uuid import UUID

from skurrow.gateway.protocol import Dispute
from skurrow.service.context import Context
from skurrow.service.events import money, record
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts, charges, disputes, orders
from skurrow.store.orders.disputes import DisputeRow
from skurrow.store.payments import connections


async def note_dispute(context: Context, site_id: UUID, attempt_id: UUID, told: Dispute, told_by: UUID) -> str:
    """Records a dispute of the charge that an attempt made, as the connection `told_by` says that it was charged
    through; returns what was done, in a word."""
    async with site_transaction(context.pool, site_id) as db:
        attempt = await attempts.attempt(db, site_id, attempt_id)
        if attempt is None:
            return "no charge of ours"
        if not await connections.one_account(db, told_by, attempt.connection_id):
            return "another connection's"
        book = Book(db, site_id, attempt.mode)
        await orders.order_by_id(book, attempt.order_id, lock=True)
        charged = await charges.charges_of(book, attempt.order_id)
        charge = next((one for one in charged if one.attempt_id == attempt_id), None)
        if charge is None:
            return "no charge of ours"
        known = await disputes.dispute_called(db, site_id, charge.id, told.reference)
        if known is not None and (known.state != "open" or told.state == "open"):
            return "known"
        if known is not None:
            await disputes.decide_dispute(db, site_id, known.id, told.state, told.at)
        else:
            row = DisputeRow(
                id=context.new_id(),
                mode=attempt.mode,
                order_id=attempt.order_id,
                charge_id=charge.id,
                gateway_reference=told.reference,
                currency=told.currency,
                amount=told.amount,
                reason=told.reason,
                state=told.state,
                opened_at=told.at,
                decided_at=None if told.state == "open" else told.at,
                told_by=told_by,
            )
            await disputes.add_dispute(db, site_id, row)
        body = {"reference": told.reference, **money(told.amount, told.currency)}
        kind = "dispute.opened" if told.state == "open" else f"dispute.{told.state}"
        await record(context, db, site_id, attempt, kind, body, context.now())
    return kind
