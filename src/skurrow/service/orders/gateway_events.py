"""Messages that gateways send: taken in at once, handled by the worker in any order and any number of times."""

from __future__ import annotations

from uuid import UUID

import structlog

from skurrow.gateway.protocol import Message, NoAnswer
from skurrow.service.context import Context
from skurrow.service.orders import disputes, refunds
from skurrow.service.orders.settling import ANOTHERS, MOST_TRIES, note_contradiction, settle
from skurrow.service.payments.gateways import gateway_of
from skurrow.service.refusals import NotFound
from skurrow.store.book import Book
from skurrow.store.claims import Claimed
from skurrow.store.database import DATABASE_AWAY, site_transaction, siteless_transaction
from skurrow.store.orders import attempts
from skurrow.store.payments import connections, gateway_events
from skurrow.store.payments.gateway_events import GatewayEventRow

_log = structlog.get_logger()


async def receive_event(context: Context, connection_id: UUID, headers: dict[str, str], body: bytes) -> None:
    """Verifies and stores a gateway's message; it is handled afterwards. Raises NotFound or ForgedEvent."""
    async with siteless_transaction(context.pool) as db:
        site_id = await connections.site_of_connection(db, connection_id)
    if site_id is None:
        raise NotFound("there is no such connection")
    async with site_transaction(context.pool, site_id) as db:
        row = await connections.connection_by_id(db, site_id, connection_id)
    if row is None:
        raise NotFound("there is no such connection")
    secret = context.vault.open(row.sealed_event_secret)
    message = gateway_of(context, row).verify_message(headers, body, secret)
    async with site_transaction(context.pool, site_id) as db:
        stored = GatewayEventRow(context.new_id(), connection_id, message.message_id, message.body, None)
        await gateway_events.add_gateway_event(db, site_id, stored, context.now())


async def handle_events(context: Context, most: int = 50) -> int:
    """Handles stored messages, in whatever order they came; returns how many."""
    async with siteless_transaction(context.pool) as db:
        claimed = await gateway_events.claim_gateway_events(db, context.now(), most)
    for claim in claimed:
        try:
            await _handle_event(context, claim)
        except DATABASE_AWAY:
            raise
        except Exception as error:
            _log.exception("gateway_event.not_handled", event_id=str(claim.id))
            async with site_transaction(context.pool, claim.site_id) as db:
                trouble = type(error).__name__
                await gateway_events.note_event_trouble(db, claim.site_id, claim.id, trouble, MOST_TRIES, context.now())
    return len(claimed)


async def _handle_event(context: Context, claim: Claimed) -> None:
    async with site_transaction(context.pool, claim.site_id) as db:
        stored = await gateway_events.gateway_event(db, claim.site_id, claim.id)
        assert stored is not None
        row = await connections.connection_by_id(db, claim.site_id, stored.connection_id)
    if stored.handled_at is not None or row is None:
        return
    try:
        event = gateway_of(context, row).read_message(Message(stored.message_id, stored.body))
    except (NoAnswer, KeyError, ValueError, TypeError):
        done = "not understood"
    else:
        done = "no charge of ours"
        if event.key is not None and event.outcome is not None:
            done = await settle(context, claim.site_id, event.key, event.outcome, row.id)
        elif event.refund_outcome is not None and event.refund is not None:
            done = await refunds.settle(context, claim.site_id, event.refund, event.refund_outcome, row.id)
        elif event.dispute is not None and event.key is not None:
            done = await disputes.note_dispute(context, claim.site_id, event.key, event.dispute, row.id)
        if event.kind == "charge.refunded" and event.key is not None and done in ("unknown", "no charge of ours"):
            done = await _refunded_elsewhere(context, claim.site_id, event.key, row.id)
    async with site_transaction(context.pool, claim.site_id) as db:
        await gateway_events.gateway_event_handled(db, claim.site_id, claim.id, done, context.now())


async def _refunded_elsewhere(context: Context, site_id: UUID, attempt_id: UUID, told_by: UUID) -> str:
    """Somebody has given money back at the gateway itself: it is written down for a person."""
    async with site_transaction(context.pool, site_id) as db:
        attempt = await attempts.attempt(db, site_id, attempt_id)
        if attempt is None:
            return "no charge of ours"
        if not await connections.one_account(db, told_by, attempt.connection_id):
            return ANOTHERS
        return await note_contradiction(
            context, Book(db, site_id, attempt.mode), attempt, "money was given back at the gateway itself"
        )
