"""Codes that people read aloud and type: they name an order or a subscription, and give nothing away."""

from __future__ import annotations

import secrets

LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"
"""Without those that are taken for one another: I and 1, O and 0."""


def new_code() -> str:
    """Eight letters and digits, at random: one of about 10^12."""
    return "".join(secrets.choice(LETTERS) for _ in range(8))
