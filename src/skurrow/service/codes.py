"""Codes that people read aloud and type, which name an order or a subscription, and the token of an order's page: both
give nothing away."""

from __future__ import annotations

import secrets
from datetime import datetime, timedelta
from uuid import UUID

from skurrow.service.context import Context

LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"
"""Without those that are taken for one another: I and 1, O and 0."""


def new_code() -> str:
    """Eight letters and digits, at random: one of about 10^12."""
    return "".join(secrets.choice(LETTERS) for _ in range(8))


KEY_LIFE = timedelta(hours=24)
"""For which a page of ours opens an order's page; what is mailed opens it for good."""


def confirmation_key(context: Context, order_id: UUID, lasts: timedelta | None = None) -> str:
    """What shows what is personal on an order's page, for so long (None: for good). One for good stands after the # of
    an address, which no server is sent; papers are asked for with one that ends."""
    until = None if lasts is None else (context.now() + lasts).isoformat(timespec="seconds")
    return context.signer.sign("confirmation-key", [str(order_id), until])


def opens_confirmation(context: Context, order_id: UUID, key: str | None) -> bool:
    """Whether a key shows what is personal on an order's page."""
    of, until = (context.signer.read("confirmation-key", key) if key else None) or ("", None)
    return of == str(order_id) and (until is None or context.now() < datetime.fromisoformat(until))


def confirmation_token(context: Context, site_id: UUID, mode: str, order_id: UUID) -> str:
    """What the address of an order's page carries; `service.counter.confirmation` reads it."""
    return context.signer.sign("confirmation", {"s": str(site_id), "m": mode, "o": str(order_id)})
