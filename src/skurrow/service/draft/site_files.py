"""A site as one text file: written back, and loaded as a draft after showing what would change.

All or nothing: the file is checked as a whole; what it leaves out is archived, never deleted. A file that was
exported before others edited the site is refused, so that nobody's work is overwritten unseen.
"""

from __future__ import annotations

import asyncio
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from itertools import pairwise
from typing import Any
from uuid import UUID

from skurrow.core.check.site import read_and_check
from skurrow.core.draft.changes import Difference, differences, leaves
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.site import text as site_text
from skurrow.core.site.whole import LISTS, SINGLE, SiteFile
from skurrow.service.context import Context
from skurrow.service.draft import configuration, pictures
from skurrow.service.refusals import Conflict
from skurrow.service.states import State, edited
from skurrow.store.database import Connection, site_transaction
from skurrow.store.draft import pictures as picture_rows
from skurrow.store.draft import site_texts, sites
from skurrow.store.draft.sites import PartRow


@dataclass(frozen=True, slots=True)
class PartChange:
    """What applying a file does to one part: `new`, `archived`, `changed` or only `moved`, and in what it differs."""

    kind: str
    part_id: str
    name: str
    what: str
    differences: list[Difference]


@dataclass(frozen=True, slots=True)
class Applied:
    """What a file changes; `change` is the draft's change afterwards, or now where it was only shown."""

    change: int
    changes: list[PartChange]


async def export(context: Context, site_id: UUID) -> str:
    """The draft's site file: the text that was applied, byte for byte, while nothing has changed since; else
    canonical text that names the change it was made at."""
    async with site_transaction(context.pool, site_id) as db:
        row = await configuration.site_row(db, site_id)
        kept = await site_texts.text_at(db, site_id, row.head_change)
        if kept is not None:
            return kept
        state = await context.states.at(db, site_id, row.head_change)
    return await asyncio.to_thread(site_text.write, _data(state) | {"change": state.change})


async def apply(
    context: Context,
    site_id: UUID,
    by: UUID | None,
    text: str,
    files: Mapping[str, bytes],
    seen: int | None = None,
    show_only: bool = False,
) -> Applied:
    """Loads a site file as the draft; `show_only` says what that would change and changes nothing.

    `files` are pictures by the names under which the file speaks of them; `seen` is the change that was shown to
    whoever agreed. Raises InvalidInput with every error, Conflict where the site has moved on.
    """
    # Large files take seconds to read; buyers are served in the meantime.
    site, data = await asyncio.to_thread(read_and_check, text)
    ready = {
        name: await context.lanes.pictures.run(pictures.prepare, content) for name, content in sorted(files.items())
    }
    async with site_transaction(context.pool, site_id) as db:
        if show_only:
            head = (await configuration.site_row(db, site_id)).head_change
            change = head + 1
        else:
            change = await sites.next_change(db, site_id)
            head = change - 1
        base = await context.states.at(db, site_id, head) if head else None
        await _refuse_if_moved_on(context, db, site_id, site, data, base, seen)
        await _refuse_missing_pictures(db, site_id, site, ready)
        if base is not None:
            await configuration.check_settled(db, site_id, base.edition.site.site.country, site.site.country)
        revisions = _revisions(base, data, change, context.now())
        changes = [_told(base, part) for part in revisions]
        same_text = await site_texts.text_at(db, site_id, head) == text
        if show_only or (same_text and not revisions):
            state = None
        else:
            state = await _write(context, db, site_id, by, base, revisions, change, text, ready)
        if state is None and not show_only:
            await sites.take_back_change(db, site_id)
    if state is not None:
        context.states.keep(site_id, state)
    return Applied(change if state else head, changes)


# -- within -----------------------------------------------------------------------------------------------


def _data(state: State) -> dict[str, Any]:
    data: dict[str, Any] = {"format": "skurrow-site/1"}
    for kind in SINGLE:
        part = state.parts.get((kind, "-"))
        if part is not None and part.body is not None:
            data[kind] = part.body
    for kind, name in LISTS.items():
        listed = [part.body for part in state.of_kind(kind)]
        if listed:
            data[name] = listed
    return data


async def _refuse_if_moved_on(
    context: Context,
    db: Connection,
    site_id: UUID,
    site: SiteFile,
    data: dict[str, Any],
    head: State | None,
    seen: int | None,
) -> None:
    now = head.change if head else 0
    if seen is not None and seen != now:
        raise Conflict("The site was edited while you looked at what would change. Look again.")
    if site.change is None or site.change == now or head is None:
        return
    moved_on = f"The site has moved on: the file was exported at change {site.change}, and the draft is at {now}. "
    kept = await site_texts.text_at(db, site_id, now)
    if kept is None or f"change: {site.change}" not in kept.splitlines():
        raise Conflict(moved_on + "Export it again, and carry your edits over.")
    # The draft came from a file of the same export: this one may be its next version, or somebody else's.
    lost = _taken_back(await context.states.at(db, site_id, site.change), head, data)
    if lost:
        raise Conflict(
            moved_on + f"It would take back what was applied since: {', '.join(lost[:5])}. "
            f"Export it again and carry your edits over; or, if that is what you want, write change: {now} in the file."
        )


def _taken_back(exported: State, head: State, data: dict[str, Any]) -> list[str]:
    """Parts of the draft that were changed since the export and of which the file still has what stood there then."""
    found = []
    for key, part in head.parts.items():
        kind, part_id = key
        then = exported.parts.get(key)
        old, new = leaves(then.body if then else None), leaves(part.body)
        if old == new:
            continue
        if kind in SINGLE:
            mine = leaves(data.get(kind))
        else:
            mine = leaves(next((one for one in data.get(LISTS[kind]) or [] if one["id"] == part_id), None))
        if any(mine.get(path) == old.get(path) for path in old.keys() | new.keys() if old.get(path) != new.get(path)):
            found.append(f"{kind.replace('_', ' ')} {part_id}" if part_id != "-" else kind)
    return found


async def _refuse_missing_pictures(
    db: Connection, site_id: UUID, site: SiteFile, ready: Mapping[str, pictures.Ready]
) -> None:
    there = {one.name for one in await picture_rows.names(db, site_id)} | ready.keys()
    problems = []
    for i, product in enumerate(site.products):
        for path, picture in (
            (("products", i, "picture", "name"), product.picture),
            *((("products", i, "variants", j, "picture", "name"), v.picture) for j, v in enumerate(product.variants)),
        ):
            if picture is not None and picture.name not in there:
                remedy = "Lay it into a folder `pictures` beside the file, or upload it at the desk"
                problems.append(Problem(path, f"There is no picture “{picture.name}”", remedy, "unknown"))
    if problems:
        raise InvalidInput(problems)


def _revisions(base: State | None, data: dict[str, Any], change: int, now: datetime) -> list[PartRow]:
    """The parts that the file changes, moves, adds or leaves out."""
    found: list[PartRow] = []
    for kind in SINGLE:
        there = base.parts.get((kind, "-")) if base else None
        body = data.get(kind)
        if (there.body if there else None) != body:
            found.append(PartRow(kind, "-", change, 0, body, now))
    for kind, name in LISTS.items():
        found += _list_revisions(base, kind, data.get(name) or [], change, now)
    return found


def _list_revisions(
    base: State | None, kind: str, bodies: list[dict[str, Any]], change: int, now: datetime
) -> list[PartRow]:
    before = {part.part_id: part for part in base.of_kind(kind)} if base else {}
    places = positions([before[body["id"]].position if body["id"] in before else None for body in bodies])
    found = []
    for body, place in zip(bodies, places, strict=True):
        there = before.get(body["id"])
        if there is None or there.body != body or there.position != place:
            found.append(PartRow(kind, body["id"], change, place, body, now))
    kept = {body["id"] for body in bodies}
    found += [replace(part, change=change, body=None, at=now) for name, part in before.items() if name not in kept]
    return found


def positions(known: list[float | None]) -> list[float]:
    """Growing places for a list in which some have one: known ones stay where they grow, and the others get a place in
    between; where they do not grow, all are numbered anew.

    >>> positions([1.0, None, 2.0, None]), positions([2.0, 1.0])
    ([1.0, 1.5, 2.0, 3.0], [0.0, 1.0])
    """
    given = [place for place in known if place is not None]
    if not _grow(given):
        return [float(n) for n in range(len(known))]
    following: list[float | None] = []
    coming = None
    for place in reversed(known):
        coming = coming if place is None else place
        following.append(coming)
    found: list[float] = []
    for place, following_place in zip(known, reversed(following), strict=True):
        if place is not None:
            found.append(place)
            continue
        last = found[-1] if found else (following_place - 2 if following_place is not None else -1.0)
        found.append(last + 1 if following_place is None else (last + following_place) / 2)
    return found if _grow(found) else [float(n) for n in range(len(known))]  # no room between two neighbours


def _grow(places: list[float]) -> bool:
    return all(one < other for one, other in pairwise(places))


def _told(base: State | None, part: PartRow) -> PartChange:
    there = base.parts.get((part.kind, part.part_id)) if base else None
    before = there.body if there else None
    body = part.body if isinstance(part.body, dict) else before if isinstance(before, dict) else {}
    name = str(body.get("owner_name") or body.get("name") or part.part_id)
    if part.body is None:
        what = "archived"
    elif before is None:
        what = "new"
    else:
        what = "changed" if before != part.body else "moved"
    return PartChange(part.kind, part.part_id, name, what, differences(before, part.body) if what == "changed" else [])


async def _write(
    context: Context,
    db: Connection,
    site_id: UUID,
    by: UUID | None,
    base: State | None,
    revisions: list[PartRow],
    change: int,
    text: str,
    ready: Mapping[str, pictures.Ready],
) -> State:
    for name, picture in ready.items():
        await pictures.keep_as(context, db, site_id, by, name, picture)
    state = edited(base or State(0, {}, None), change, revisions)  # type: ignore[arg-type]
    await sites.add_revisions(db, site_id, revisions, by)
    for part in revisions:
        if part.kind == "checkout" and part.body is not None:
            await configuration.give_address(db, site_id, part.part_id)
    await site_texts.add_text(db, site_id, change, text)
    return state
