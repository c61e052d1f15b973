"""What was set aside because it could not be handled: looked at by people, and tried again when they say so."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal
from uuid import UUID

from skurrow.gateway.registry import NAMES
from skurrow.service.context import Context
from skurrow.service.refusals import NotFound
from skurrow.store.database import site_transaction
from skurrow.store.payments import aside
from skurrow.store.payments.aside import AsideRow

Kind = Literal["message", "mail", "renewal"]
MOST = 200


@dataclass(frozen=True, slots=True)
class Aside:
    """One of them, with what it is about in words."""

    row: AsideRow
    about: str


async def set_aside(context: Context, site_id: UUID) -> list[Aside]:
    """All of a site, the newest first."""
    async with site_transaction(context.pool, site_id) as db:
        return [Aside(row, _about(row)) for row in await aside.all_of(db, site_id, MOST)]


async def try_again(context: Context, site_id: UUID, kind: Kind, row_id: UUID) -> None:
    """Has one tried again. Raises NotFound."""
    async with site_transaction(context.pool, site_id) as db:
        if not await aside.try_again(db, site_id, kind, row_id, context.now()):
            raise NotFound("this is not set aside any more")


def _about(row: AsideRow) -> str:
    if row.kind == "message":
        return f"A message of {NAMES.get(row.about, row.about)}: {row.detail or 'of no kind that we know'}"
    if row.kind == "mail":
        return f"The mail “{row.detail}” to {row.about}"
    return f"What is due of {row.detail} ({row.about})"
