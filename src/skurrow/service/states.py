"""What a site looked like at a change: its parts and their compiled edition. It can never differ, so it is kept.

The state at a change is made from a kept one and the revisions in between, so that an edit of a large site costs
no more than one of a small one.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

from skurrow.core.check.site import check_data
from skurrow.core.draft.parts import can_apply, with_part
from skurrow.core.edition import Edition, compile_site
from skurrow.core.problems import InvalidInput
from skurrow.core.site.mending import mended
from skurrow.core.site.whole import LISTS, SINGLE
from skurrow.store.database import Connection
from skurrow.store.draft import sites
from skurrow.store.draft.sites import PartRow

PartKey = tuple[str, str]

_MOST_PARTS = 400_000
"""Parts in all states that one process keeps, counted once a state though most are shared between them."""
_MOST_STEPS = 40
"""With more edits than this in between, a state is made anew."""


@dataclass(frozen=True, slots=True)
class State:
    """A site at a change: every part by kind and id, archived ones too, and what is compiled from them."""

    change: int
    parts: Mapping[PartKey, PartRow]
    edition: Edition

    def of_kind(self, kind: str) -> list[PartRow]:
        """The parts of a kind that are there, in their order."""
        found = [part for part in self.parts.values() if part.kind == kind and part.body is not None]
        return sorted(found, key=lambda part: (part.position, part.part_id))


class States:
    """The states that a process keeps, the least used forgotten first."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[UUID, int], State] = OrderedDict()
        self._parts = 0

    def known(self, site_id: UUID, change: int) -> State | None:
        """The state, if it is kept."""
        found = self._kept.get((site_id, change))
        if found is not None:
            self._kept.move_to_end((site_id, change))
        return found

    def keep(self, site_id: UUID, state: State) -> None:
        """Keeps a state whose change has been committed."""
        if (site_id, state.change) in self._kept:
            return
        self._kept[site_id, state.change] = state
        self._parts += len(state.parts)
        while self._parts > _MOST_PARTS and len(self._kept) > 1:
            _, gone = self._kept.popitem(last=False)
            self._parts -= len(gone.parts)

    def latest_until(self, site_id: UUID, change: int) -> State | None:
        """The newest kept state of a site that is not newer than a change."""
        changes = [at for site, at in self._kept if site == site_id and at <= change]
        return self.known(site_id, max(changes)) if changes else None

    async def at(self, db: Connection, site_id: UUID, change: int) -> State:
        """The state at a committed change."""
        known = self.known(site_id, change)
        if known is not None:
            return known
        base = self.latest_until(site_id, change)
        if base is None:
            stored = await sites.parts_at(db, site_id, change)
        else:
            stored = await sites.revisions_between(db, site_id, base.change, change)
        state = _read_back(base, change, stored)
        self.keep(site_id, state)
        return state


def _read_back(base: State | None, change: int, stored: list[PartRow]) -> State:
    """A committed state. What was stored before today's bounds is brought within them, never refused."""
    try:
        return made(change, stored) if base is None else edited(base, change, stored)
    except InvalidInput:
        parts = [replace(part, body=mended(part.body)) for part in stored]
        return made(change, parts) if base is None else edited(base, change, parts)


def made(change: int, parts: list[PartRow]) -> State:
    """A state from all its parts."""
    edition = compile_site(check_data(assemble(parts)))
    return State(change, {(part.kind, part.part_id): part for part in parts}, edition)


def edited(base: State, change: int, revisions: list[PartRow]) -> State:
    """A state from an earlier one and what was edited since. Raises InvalidInput if the parts do not fit together;
    paths within a part that was edited are cut short."""
    parts = {**base.parts, **{(part.kind, part.part_id): part for part in revisions}}
    if base.change and len(revisions) <= _MOST_STEPS and all(_one_by_one(base, part) for part in revisions):
        edition = base.edition
        try:
            for part in revisions:
                edition = with_part(edition, part.kind, part.part_id, part.body)
        except InvalidInput:
            if len(revisions) == 1:  # several may fit together though not one after the other
                raise
        else:
            return State(change, parts, edition)
    return State(change, parts, compile_site(check_data(assemble(list(parts.values())))))


def assemble(parts: list[PartRow]) -> dict[str, Any]:
    """The site file's data from its parts."""
    data: dict[str, Any] = {"format": "skurrow-site/1"}
    for part in sorted(parts, key=lambda part: (part.kind, part.position, part.part_id)):
        if part.body is None:
            continue
        if part.kind in SINGLE:
            data[part.kind] = part.body
        else:
            data.setdefault(LISTS[part.kind], []).append(part.body)
    return data


def _one_by_one(base: State, part: PartRow) -> bool:
    """Whether the part can be put into the edition by itself: one that comes back would not stand at the end."""
    if not can_apply(part.kind):
        return False
    before = base.parts.get((part.kind, part.part_id))
    if before is None or before.body is None:
        return before is None and all(
            one.position <= part.position for one in base.parts.values() if one.kind == part.kind
        )
    return part.body is None or before.position == part.position
