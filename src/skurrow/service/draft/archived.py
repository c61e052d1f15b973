"""Parts that were archived, what they serve still, and edits taken back long after they were made."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from skurrow.core.draft.changes import label, merged
from skurrow.core.site.whole import LISTS
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edit_part, site_row
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store.database import site_transaction
from skurrow.store.draft import sites
from skurrow.store.draft.sites import PartRow
from skurrow.store.subscriptions import subscriptions

MOST = 200


@dataclass(frozen=True, slots=True)
class Archived:
    """A part that was archived by a change: what it was called, when, and by whom."""

    id: str
    name: str
    change: int
    at: datetime
    by_name: str | None


async def archived(context: Context, site_id: UUID, kind: str) -> list[Archived]:
    """The archived parts of a kind, the last first, at most 200."""
    async with site_transaction(context.pool, site_id) as db:
        await site_row(db, site_id)
        found = await sites.archived(db, site_id, kind, MOST)
    return [Archived(one.part_id, _name(one), one.change, one.at, one.by_name) for one in found]


async def running_on(context: Context, site_id: UUID, product: str) -> dict[str, int]:
    """How many subscriptions of a product go on, in the live and in the test book: archived, it serves them still."""
    async with site_transaction(context.pool, site_id) as db:
        return await subscriptions.running_of_product(db, site_id, product)


async def take_back(context: Context, site_id: UUID, by: UUID | None, kind: str, part_id: str, change: int) -> PartRow:
    """Takes one edit back, however long ago it was made: what was archived by it is there again, what it added is
    archived, what it changed is as before; other edits of the part stay. Raises NotFound for an edit that was never
    made, Conflict where something else has changed the same thing since."""
    async with site_transaction(context.pool, site_id) as db:
        state = await context.states.at(db, site_id, (await site_row(db, site_id)).head_change)
        edit = await sites.revision(db, site_id, kind, part_id, change)
        before = await sites.revision(db, site_id, kind, part_id, change - 1)
    now = state.parts.get((kind, part_id))
    if edit is None or now is None or edit.change != change:
        raise NotFound("there is no such edit")
    was = before.body if before is not None else None
    return await edit_part(context, site_id, by, kind, part_id, now.change, _without(kind, was, edit.body, now.body))


def _name(of: sites.ArchivedRow) -> str:
    body = of.body or {}
    return str(body.get("owner_name") or body.get("name") or of.part_id)


def _without(kind: str, was: Any, became: Any, now: Any) -> Any:
    """A part as it is now without an edit that made it what it `became` from what it `was`."""
    if became is None:
        if now is not None:
            raise Conflict("It has been brought back already.")
        return was
    if now is None:
        raise Conflict("It is archived now. Bring it back first.")
    if was is None:
        if kind not in LISTS:
            raise Conflict("This is how it was set up first; there is nothing before it.")
        return None
    both = merged(became, was, now)
    if both.clashes:
        what = ", ".join(label(path) for path in both.clashes[:3])
        raise Conflict(f"The same thing was changed again since: {what}. Change it by hand.")
    return both.body
