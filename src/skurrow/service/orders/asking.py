"""Asking gateways what became of attempts that nobody knows the outcome of."""

from __future__ import annotations

from functools import partial
from uuid import UUID

import structlog

from skurrow.gateway.protocol import Refused
from skurrow.service.context import Context
from skurrow.service.orders.attempts import request_of
from skurrow.service.orders.settling import days_to_pay, settle, take
from skurrow.service.payments.gateways import gateway_of
from skurrow.service.recovery import ask_about
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.orders import attempts
from skurrow.store.payments import connections

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
    if attempt.waits == "person":  # the time in which it was to be paid is over
        await settle(context, site_id, attempt.id, Refused("not_paid"))
        return
    gateway = gateway_of(context, connection)
    outcome = await gateway.look_up(attempt.id)
    if outcome is None:
        outcome = await gateway.charge(request_of(attempt, context.vault.open(attempt.sealed_token or b"")))
    done = await take(context, site_id, attempt.id, outcome, await days_to_pay(context, site_id, attempt, connection))
    _log.info("attempt.recovered", attempt=str(attempt.id), outcome=done, asks=attempt.asks)
