"""The configuration of a site: its draft in parts, edits that notice each other, releases, compiled editions."""

from __future__ import annotations

import secrets
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

from psycopg import errors

from skurrow.core.check import check_data
from skurrow.core.edition import Edition, compile_site
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.work_order import Stage, work_order
from skurrow.service.context import Context
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store import connections, orders, sites
from skurrow.store.database import Connection, site_transaction
from skurrow.store.sites import PartRow, ReleaseRow, SiteRow

_LISTS = {"product": "products", "checkout": "checkouts"}
_SINGLE = ("site", "currencies", "tax")
_ORDER = ("product", "checkout", "site", "currencies", "tax")
_MOST_EDITIONS = 200
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"


@dataclass(frozen=True, slots=True)
class SiteState:
    """How a site stands: its draft against its last release."""

    row: SiteRow
    name: str
    url: str
    release: ReleaseRow | None
    changed: list[PartRow]
    stages: list[Stage]


async def edition_at(context: Context, db: Connection, site_id: UUID, change: int) -> Edition:
    """The compiled state at a change. It can never differ, so it is kept."""
    key = (site_id, change)
    found = context.editions.get(key)
    if found is None:
        parts = await sites.parts_at(db, site_id, change)
        found = compile_site(check_data(assemble(parts)))
        while len(context.editions) >= _MOST_EDITIONS:
            context.editions.pop(next(iter(context.editions)))
        context.editions[key] = found
    return found


async def edition_of(context: Context, site_id: UUID, change: int) -> Edition:
    """The same, without asking the database for what is known already."""
    found = context.editions.get((site_id, change))
    if found is not None:
        return found
    async with site_transaction(context.pool, site_id) as db:
        return await edition_at(context, db, site_id, change)


async def site_state(context: Context, site_id: UUID) -> SiteState:
    """How the site stands now."""
    async with site_transaction(context.pool, site_id) as db:
        row = await _site(db, site_id)
        edition = await edition_at(context, db, site_id, row.head_change)
        release = await sites.last_release(db, site_id)
        changed = await sites.changed_parts(db, site_id, release.change if release else 0)
        changed.sort(key=lambda part: (_ORDER.index(part.kind), part.position))
        connected = await connections.current_connections(db, site_id)
        newest = await orders.orders_before(db, site_id, "test", None, "", 1)
        stages = work_order(edition, tuple(c.mode for c in connected), orders_seen=bool(newest))
        shop = edition.site.site
        return SiteState(row, shop.name, shop.url, release, changed, stages)


async def draft(context: Context, site_id: UUID) -> tuple[Edition, list[PartRow]]:
    """The draft, compiled and as its parts."""
    async with site_transaction(context.pool, site_id) as db:
        row = await _site(db, site_id)
        edition = await edition_at(context, db, site_id, row.head_change)
        return edition, await sites.parts_at(db, site_id, row.head_change)


async def edit_part(
    context: Context, site_id: UUID, by: UUID | None, kind: str, part_id: str, seen: int, body: dict[str, Any]
) -> PartRow:
    """Writes a new revision of one part into the draft; `seen` is the change the editor saw, 0 for a new part.

    Raises Conflict with the current revision when somebody else was faster, InvalidInput (paths within the part)
    when the draft would not be right any more. Nothing is written then.
    """
    async with site_transaction(context.pool, site_id) as db:
        change = await sites.next_change(db, site_id)
        parts = await sites.parts_at(db, site_id, change)
        current = next((p for p in parts if (p.kind, p.part_id) == (kind, part_id)), None)
        if current is None and seen != 0:
            raise NotFound(f"there is no {kind} {part_id}")
        if current is not None and current.change != seen:
            if seen == 0:
                problem = Problem(("id",), f"Another {kind} is already called “{part_id}”", "Choose another")
                raise InvalidInput([problem])
            raise Conflict("Somebody else has changed this in the meantime.", current)
        position = current.position if current else 1 + max((p.position for p in parts if p.kind == kind), default=0)
        part = PartRow(kind, part_id, change, position, body, context.now())
        kept = [p for p in parts if p is not current]
        _check(kept, part)
        await sites.add_revision(db, site_id, part, by)
        if kind == "checkout":
            await _give_address(db, site_id, part_id)
        return part


async def write_site_file(
    context: Context, db: Connection, site_id: UUID, by: UUID | None, data: dict[str, Any]
) -> int:
    """Writes a whole site file into an empty site's draft, as one change; returns its number."""
    check_data(data)
    change = await sites.next_change(db, site_id)
    now = context.now()
    for name in _SINGLE:
        if name in data:
            await sites.add_revision(db, site_id, PartRow(name, "-", change, 0, data[name], now), by)
    for kind, name in _LISTS.items():
        for position, body in enumerate(data.get(name, [])):
            await sites.add_revision(db, site_id, PartRow(kind, body["id"], change, position, body, now), by)
            if kind == "checkout":
                await _give_address(db, site_id, body["id"])
    return change


async def release(context: Context, site_id: UUID, by: UUID | None, seen: int, note: str = "") -> ReleaseRow:
    """Releases the draft; `seen` is the change that was looked through. Raises Conflict when it moved on."""
    async with site_transaction(context.pool, site_id) as db:
        await sites.hold_site(db, site_id)
        row = await _site(db, site_id)
        if row.head_change != seen:
            raise Conflict("The draft has changed since you looked it through.", row.head_change)
        last = await sites.last_release(db, site_id)
        if last is not None and last.change == seen:
            return last
        try:
            await sites.add_release(db, site_id, seen, note, context.now(), by)
        except errors.UniqueViolation:
            raise Conflict("Somebody else is releasing at this moment.", row.head_change) from None
        made = await sites.last_release(db, site_id)
        assert made is not None
        return made


async def go_live(context: Context, site_id: UUID) -> None:
    """From now on the public addresses take real buyers. Raises InvalidInput with everything that is missing."""
    async with site_transaction(context.pool, site_id) as db:
        await _site(db, site_id)
        problems = []
        if all(row.mode != "live" for row in await connections.current_connections(db, site_id)):
            problems.append(Problem(("gateway",), "No gateway is connected for live", "Connect one under Payments"))
        if await sites.last_release(db, site_id) is None:
            problems.append(Problem(("release",), "Nothing has been released", "Make a release first"))
        if problems:
            raise InvalidInput(problems)
        await sites.go_live(db, site_id, context.now())


def assemble(parts: list[PartRow]) -> dict[str, Any]:
    """The site file's data from its parts."""
    data: dict[str, Any] = {"format": "skurrow-site/1"}
    for part in parts:
        if part.body is None:
            continue
        if part.kind in _SINGLE:
            data[part.kind] = part.body
        else:
            data.setdefault(_LISTS[part.kind], []).append(part.body)
    return data


async def _site(db: Connection, site_id: UUID) -> SiteRow:
    row = await sites.site(db, site_id)
    if row is None:
        raise NotFound("there is no such site")
    return row


async def _give_address(db: Connection, site_id: UUID, checkout_id: str) -> None:
    code = "".join(secrets.choice(_LETTERS) for _ in range(10))
    await sites.add_address(db, site_id, checkout_id, code)


def _check(kept: list[PartRow], part: PartRow) -> None:
    """Raises InvalidInput if the draft with this part would not be right; paths within the part are cut short."""
    parts = sorted([*kept, part], key=lambda p: (p.kind, p.position, p.part_id))
    live = [p for p in parts if p.kind == part.kind and p.body is not None]
    prefix = (part.kind,) if part.kind in _SINGLE else (_LISTS[part.kind], live.index(part))
    try:
        check_data(assemble(parts))
    except InvalidInput as error:
        raise InvalidInput(
            [replace(p, path=p.path[len(prefix) :]) if p.path[: len(prefix)] == prefix else p for p in error.problems]
        ) from None
