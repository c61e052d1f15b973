"""Codes that people read aloud and type, which name an order or a subscription, and the token of an order's page: both
give nothing away."""

from __future__ import annotations

import secrets
from uuid import UUID

from skurrow.service.context import Context

LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"
"""Without those that are taken for one another: I and 1, O and 0."""


def new_code() -> str:
    """Eight letters and digits, at random: one of about 10^12."""
    return "".join(secrets.choice(LETTERS) for _ in range(8))


def confirmation_token(context: Context, site_id: UUID, mode: str, order_id: UUID) -> str:
    """What the address of an order's page carries; `service.counter.confirmation` reads it."""
    return context.signer.sign("confirmation", {"s": str(site_id), "m": mode, "o": str(order_id)})
