"""Opening a site for real buyers: a look at what would go wrong first, and who tries it before."""

from __future__ import annotations

from collections.abc import Collection
from uuid import UUID

from skurrow.core.draft.opening import Finding, opening
from skurrow.core.problems import InvalidInput, Problem
from skurrow.service.context import Context
from skurrow.service.draft.configuration import how_many_changed, live_gateways, site_row, unpaid_in
from skurrow.store.database import Connection, site_transaction
from skurrow.store.draft import sites
from skurrow.store.payments import connections


async def look(context: Context, site_id: UUID) -> list[Finding]:
    """What would go wrong if the site were opened for real buyers now."""
    async with site_transaction(context.pool, site_id) as db:
        return await _opening(context, db, site_id)


async def go_live(context: Context, site_id: UUID, seen: Collection[str]) -> None:
    """From now on the public addresses take real buyers, who meet the last release.

    `seen` are the codes of what was looked at and is to be so all the same. Raises InvalidInput with everything that
    hinders it, or that nobody has seen.
    """
    async with site_transaction(context.pool, site_id) as db:
        found = await _opening(context, db, site_id)
        problems = [
            Problem((one.code,), one.message, one.remedy) for one in found if one.hinders or one.code not in seen
        ]
        if problems:
            raise InvalidInput(problems)
        await sites.go_live(db, site_id, context.now())


async def let_everybody_try(context: Context, site_id: UUID, everybody: bool) -> None:
    """Before the site is opened, whoever comes may buy for a test; or only who brings the test pass."""
    async with site_transaction(context.pool, site_id) as db:
        await site_row(db, site_id)
        await sites.let_everybody_try(db, site_id, everybody)


# -- within -----------------------------------------------------------------------------------------------


async def _opening(context: Context, db: Connection, site_id: UUID) -> list[Finding]:
    row = await site_row(db, site_id)
    last = await sites.last_release(db, site_id)
    released = await context.states.at(db, site_id, last.change) if last else None
    connected = await connections.current_connections(db, site_id)
    live = [one for one in connected if one.mode == "live"]
    return opening(
        released.edition if released else None,
        how_many_changed(released, await context.states.at(db, site_id, row.head_change)),
        live_gateways(live),
        unpaid_in(released.edition, live) if released else None,
    )
