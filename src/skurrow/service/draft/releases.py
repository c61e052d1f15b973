"""Releases: the review before one is made, making it, their history, and going back to an earlier one."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Literal
from uuid import UUID

from psycopg import errors

from skurrow.core.draft.changes import Difference, differences
from skurrow.core.draft.jumps import jumps
from skurrow.core.draft.opening import not_payable
from skurrow.core.draft.review import Review, review
from skurrow.service.context import Context
from skurrow.service.draft.configuration import (
    Edit,
    changed_parts,
    check_settled,
    edit_parts,
    site_row,
    unpaid_in,
)
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.states import State
from skurrow.store.book import Book
from skurrow.store.database import Connection, site_transaction
from skurrow.store.draft import sites
from skurrow.store.draft.sites import PartRow, ReleaseRow
from skurrow.store.payments import connections
from skurrow.store.subscriptions import subscriptions

PAGE = 30
MOST_PARTS = 200
"""Parts that a review tells one by one."""
_LAST = 2**31 - 1


@dataclass(frozen=True, slots=True)
class PartReview:
    """A part that a release would change, and how. `in_draft` says how the draft stands to it when going back: it is as
    the release was ("same"), would bring back what buyers meet now ("back"), or was edited since, too ("edited")."""

    part: PartRow
    differences: list[Difference]
    new: bool
    in_draft: Literal["same", "back", "edited"]


@dataclass(frozen=True, slots=True)
class ReleaseReview:
    """What a release would change: part by part, and for each stand-in buyer. `change` is what was looked through,
    `head` the draft's; `more_parts` how many more than `MOST_PARTS` change; `jumps` what to look at twice."""

    change: int
    head: int
    parts: list[PartReview]
    more_parts: int
    buyers: Review
    jumps: list[str]


async def look_through(context: Context, site_id: UUID, number: int | None = None) -> ReleaseReview:
    """What releasing the draft would change; or, with a number, going back to that release."""
    async with site_transaction(context.pool, site_id) as db:
        row = await site_row(db, site_id)
        head = await context.states.at(db, site_id, row.head_change)
        last = await sites.last_release(db, site_id)
        before = await context.states.at(db, site_id, last.change) if last else None
        connected = await connections.current_connections(db, site_id)
        after = (
            head
            if number is None
            else await context.states.at(db, site_id, (await _release(db, site_id, number)).change)
        )
    buyers = [*head.edition.stand_in_buyers.values()]
    found = review(before.edition if before else None, after.edition, buyers, context.now())
    changed = [*changed_parts(before, after), *_not_there_yet(before, after)]
    known = before.parts if before else {}
    parts = []
    for part in changed[:MOST_PARTS]:
        old = known.get((part.kind, part.part_id))
        told = differences(old.body if old else None, part.body)
        fresh = old is None or old.body is None
        parts.append(PartReview(part, told, fresh, _in_draft(part, old, head)))
    twice = jumps(before.edition if before else None, after.edition) + not_payable(unpaid_in(after.edition, connected))
    return ReleaseReview(after.change, head.change, parts, len(changed) - len(parts), found, twice)


async def release(context: Context, site_id: UUID, by: UUID | None, seen: int, note: str = "") -> ReleaseRow:
    """Releases the draft; `seen` is the change that was looked through. Raises Conflict when it moved on."""
    async with site_transaction(context.pool, site_id) as db:
        await sites.hold_site(db, site_id)
        row = await site_row(db, site_id)
        if row.head_change != seen:
            raise Conflict("The draft has changed since you looked it through.", row.head_change)
        return await _made(context, db, site_id, by, seen, note)


async def go_back(context: Context, site_id: UUID, by: UUID | None, number: int, seen: int) -> ReleaseRow:
    """Releases once more what an earlier release was; the draft stays as it is.

    `seen` is the number of the release that was the last when this was looked through. Raises Conflict when another
    was made since.
    """
    async with site_transaction(context.pool, site_id) as db:
        await sites.hold_site(db, site_id)
        earlier = await _release(db, site_id, number)
        last = await sites.last_release(db, site_id)
        if last is None or last.number != seen:
            raise Conflict("Somebody has made another release since you looked.", last and last.number)
        return await _made(context, db, site_id, by, earlier.change, f"Back to release {number}")


async def put_draft_back(
    context: Context,
    site_id: UUID,
    by: UUID | None,
    number: int,
    seen: int,
    only: Collection[tuple[str, str]] | None = None,
) -> int:
    """Makes the draft what a release was, as one change that can be undone; returns how many parts it touched.

    `seen` is the change of the draft that was looked at; `only` the parts (kind, id) that are meant, where it is not
    all of them. Stand-in buyers stay. Raises Conflict when the draft moved on.
    """
    async with site_transaction(context.pool, site_id) as db:
        row = await site_row(db, site_id)
        if row.head_change != seen:
            raise Conflict("The draft has changed since you looked.", row.head_change)
        head = await context.states.at(db, site_id, row.head_change)
        then = await context.states.at(db, site_id, (await _release(db, site_id, number)).change)
    wanted = []
    for part in changed_parts(then, head):
        if only is not None and (part.kind, part.part_id) not in only:
            continue
        old = then.parts.get((part.kind, part.part_id))
        wanted.append(Edit(part.kind, part.part_id, part.change, old.body if old else None))
    if wanted:
        await edit_parts(context, site_id, by, wanted)
    return len(wanted)


async def history(context: Context, site_id: UUID, before: int | None = None) -> list[ReleaseRow]:
    """Releases, the newest first, from before a number."""
    async with site_transaction(context.pool, site_id) as db:
        await site_row(db, site_id)
        return await sites.releases(db, site_id, before or _LAST, PAGE)


# -- within -----------------------------------------------------------------------------------------------


async def _release(db: Connection, site_id: UUID, number: int) -> ReleaseRow:
    found = await sites.release_numbered(db, site_id, number)
    if found is None:
        raise NotFound(f"there is no release {number}")
    return found


async def _made(context: Context, db: Connection, site_id: UUID, by: UUID | None, change: int, note: str) -> ReleaseRow:
    last = await sites.last_release(db, site_id)
    if last is not None and last.change == change:
        return last
    if last is not None:
        home, new = [
            (await context.states.at(db, site_id, at)).edition.site.site.country for at in (last.change, change)
        ]
        await check_settled(db, site_id, home, new)
    try:
        await sites.add_release(db, site_id, change, note, context.now(), by)
    except errors.UniqueViolation:
        raise Conflict("Somebody else is releasing at this moment.", change) from None
    made = await sites.last_release(db, site_id)
    assert made is not None
    if last is not None and await _moves_due_days(context, db, site_id, last.change, change):
        await subscriptions.recheck(Book(db, site_id, "live"), context.now())
    return made


async def _moves_due_days(context: Context, db: Connection, site_id: UUID, before: int, after: int) -> bool:
    """Whether what falls due of subscriptions may fall due on other days, or at other hours, than was noted."""
    old, new = [(await context.states.at(db, site_id, change)).edition.site for change in (before, after)]
    return (old.subscriptions, old.site.time_zone) != (new.subscriptions, new.site.time_zone)


def _in_draft(part: PartRow, now: PartRow | None, head: State) -> Literal["same", "back", "edited"]:
    """How the draft stands to a part that going back would make otherwise than it is `now`."""
    drafted = head.parts.get((part.kind, part.part_id))
    body = drafted.body if drafted else None
    if body == part.body:
        return "same"
    return "back" if body == (now.body if now else None) else "edited"


def _not_there_yet(before: State | None, after: State) -> list[PartRow]:
    """When going back: parts that the earlier state did not have, as if archived."""
    if before is None:
        return []
    return [
        PartRow(old.kind, old.part_id, after.change, old.position, None, old.at)
        for key, old in before.parts.items()
        if key not in after.parts and old.body is not None and old.kind != "stand_in_buyer"
    ]
