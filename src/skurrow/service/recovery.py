"""Asking about what nobody knows the outcome of: whatever is wrong with one does not keep the others waiting."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from uuid import UUID

import structlog

from skurrow.gateway.protocol import NoAnswer, NotAccepted
from skurrow.store.claims import Claimed
from skurrow.store.database import DATABASE_AWAY

_log = structlog.get_logger()


async def ask_about(what: str, claimed: list[Claimed], one: Callable[[UUID, UUID], Awaitable[None]]) -> int:
    """Asks about each that was claimed, by its site and id; returns how many they were. `what` is
    what the log calls them."""
    await asyncio.gather(*(_ask(what, claim, one) for claim in claimed))
    return len(claimed)


async def _ask(what: str, claim: Claimed, one: Callable[[UUID, UUID], Awaitable[None]]) -> None:
    try:
        await one(claim.site_id, claim.id)
    except (NoAnswer, NotAccepted) as error:
        _log.warning(f"{what}.no_answer", id=str(claim.id), why=str(error))
    except DATABASE_AWAY:
        raise
    except Exception:
        _log.exception(f"{what}.not_recovered", id=str(claim.id))
