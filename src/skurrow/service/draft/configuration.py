"""The configuration of a site: its draft in parts, edits that notice each other, releases, compiled editions."""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from skurrow.core.check.site import check_data
from skurrow.core.countries import COUNTRIES
from skurrow.core.draft.changes import Difference, differences
from skurrow.core.draft.opening import GatewayStanding
from skurrow.core.draft.work_order import Stage, work_order
from skurrow.core.edition import Edition
from skurrow.core.payments.ways import Usable, unpaid
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.site.whole import LISTS, SINGLE
from skurrow.gateway.registry import NAMES, account_from, usable_as
from skurrow.service.context import Context
from skurrow.service.refusals import Closed, Conflict, NotFound
from skurrow.service.states import State, edited
from skurrow.store.book import Book
from skurrow.store.database import Connection, site_transaction, siteless_transaction
from skurrow.store.draft import sites
from skurrow.store.draft.sites import Edited, PartRow, ReleaseRow, SiteRow
from skurrow.store.orders import disputes, give_backs, orders, reviews, selling_states
from skurrow.store.payments import aside, connections, reconciliations, transfers
from skurrow.store.payments.connections import ConnectionRow

_ORDER = ("product", "coupon", "checkout", *SINGLE)
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"
_LAST = 2**62


@dataclass(frozen=True, slots=True)
class Edit:
    """A new state of one part: `seen` is the change at which the editor saw it, 0 for a new one; `body` None
    archives it."""

    kind: str
    part_id: str
    seen: int
    body: dict[str, Any] | None


@dataclass(frozen=True, slots=True)
class Clash:
    """An edit that came too late: the part as it is now, whose it is, and what it was when the editor saw it."""

    current: PartRow
    by_name: str | None
    seen_body: Any


@dataclass(frozen=True, slots=True)
class Told:
    """An edit and what it changed, in words."""

    edit: Edited
    differences: list[Difference]


@dataclass(frozen=True, slots=True)
class SiteState:
    """How a site stands: its draft against its last release."""

    row: SiteRow
    name: str
    url: str
    release: ReleaseRow | None
    changed: int
    stages: list[Stage]
    edition: Edition
    selling: str
    stopped: int
    aside: int
    has_sold: bool


async def edition_at(context: Context, db: Connection, site_id: UUID, change: int) -> Edition:
    """The compiled state at a change."""
    return (await context.states.at(db, site_id, change)).edition


async def met(book: Book) -> tuple[int, int | None]:
    """The change that buyers of a mode meet, and the number of its release where it is one. Raises Closed."""
    last = await sites.last_release(book.db, book.site_id)
    if book.mode == "live":
        if last is None:
            raise Closed("This shop is not open yet.")
        return last.change, last.number
    head = (await site_row(book.db, book.site_id)).head_change
    return head, last.number if last is not None and last.change == head else None


async def edition_of(context: Context, site_id: UUID, change: int) -> Edition:
    """The same, without asking the database for what is known already."""
    known = context.states.known(site_id, change)
    if known is not None:
        return known.edition
    async with site_transaction(context.pool, site_id) as db:
        return await edition_at(context, db, site_id, change)


async def site_state(context: Context, site_id: UUID) -> SiteState:
    """How the site stands now."""
    async with site_transaction(context.pool, site_id) as db:
        row = await site_row(db, site_id)
        state = await context.states.at(db, site_id, row.head_change)
        release = await sites.last_release(db, site_id)
        before = await context.states.at(db, site_id, release.change) if release else None
        connected = await connections.current_connections(db, site_id)
        has_sold = await sites.has_sold(db, site_id)
        tried = await orders.orders_before(Book(db, site_id, "test"), None, "", 1)
        books = {mode for mode, sold in (("live", has_sold), ("test", bool(tried))) if sold}
        edition = state.edition
        untaken = unpaid_in(edition, connected)
        stages = work_order(
            edition,
            tuple(c.mode for c in connected),
            sold_in=books,
            differing=await reconciliations.differing(db, site_id),
            disputed=await disputes.open_disputes(db, site_id),
            held=await reviews.held(db, site_id),
            asked_back=await give_backs.open_give_backs(db, site_id),
            aside=await transfers.aside(db, site_id),
            unpaid=list(dict.fromkeys(code for mode in untaken.values() for code in mode)),
            not_paid_out=[one.name for one in live_gateways(connected) if not one.pays_out],
        )
        shop, selling = edition.site.site, await selling_states.selling(db, site_id)
        return SiteState(
            row=row,
            name=shop.name,
            url=shop.url,
            release=release,
            changed=how_many_changed(before, state),
            stages=stages,
            edition=edition,
            selling=selling.selling,
            stopped=len(selling.stopped),
            aside=await aside.how_many(db, site_id),
            has_sold=has_sold,
        )


def live_gateways(connected: Iterable[ConnectionRow]) -> list[GatewayStanding]:
    """The gateways that are connected for live, and whether their money is paid out."""
    return [
        GatewayStanding(NAMES[row.adapter], account_from(row.account).pays_out)
        for row in connected
        if row.mode == "live"
    ]


def unpaid_in(edition: Edition, connected: Iterable[ConnectionRow]) -> dict[str, tuple[str, ...]]:
    """By mode the currencies of a draft or release that no connected gateway takes."""
    by_mode: dict[str, list[Usable]] = {}
    for row in connected:
        by_mode.setdefault(row.mode, []).append(usable_as(row.adapter, account_from(row.account)))
    return unpaid(edition, by_mode)


def changed_parts(before: State | None, after: State) -> list[PartRow]:
    """The parts that real buyers would meet otherwise than before, as they stand after, in their order."""
    return sorted(_changed(before, after), key=lambda part: (_ORDER.index(part.kind), part.position, part.part_id))


def how_many_changed(before: State | None, after: State) -> int:
    """How many `changed_parts` there are."""
    return sum(1 for _ in _changed(before, after))


def _changed(before: State | None, after: State) -> Iterator[PartRow]:
    known = before.parts if before else {}
    for key, part in after.parts.items():
        old = known.get(key)
        if old is part or part.kind == "stand_in_buyer" or (old is not None and old.change == part.change):
            continue
        if (old.body if old else None) != part.body:
            yield part


async def draft(context: Context, site_id: UUID) -> State:
    """The draft as it is now."""
    async with site_transaction(context.pool, site_id) as db:
        row = await site_row(db, site_id)
        return await context.states.at(db, site_id, row.head_change)


async def edit_part(
    context: Context, site_id: UUID, by: UUID | None, kind: str, part_id: str, seen: int, body: dict[str, Any] | None
) -> PartRow:
    """Writes a new revision of one part into the draft; see `edit_parts`."""
    return (await edit_parts(context, site_id, by, [Edit(kind, part_id, seen, body)]))[0]


async def edit_parts(context: Context, site_id: UUID, by: UUID | None, wanted: list[Edit]) -> list[PartRow]:
    """Writes new revisions of parts into the draft, as one change; all of them or none.

    Raises Conflict with a Clash when somebody else was faster, InvalidInput (paths within the part) when the draft
    would not be right any more. Nothing is written then. The same edit once more, as after an answer that was lost,
    finds itself stored and changes nothing.
    """
    try:
        return await _edit_parts(context, site_id, by, wanted)
    except _Stored as stored:
        return stored.parts


class _Stored(Exception):
    """Everything is as the edits want it already; raised so that not even a change is counted."""

    def __init__(self, parts: list[PartRow]) -> None:
        super().__init__("stored already")
        self.parts = parts


async def _edit_parts(context: Context, site_id: UUID, by: UUID | None, wanted: list[Edit]) -> list[PartRow]:
    async with site_transaction(context.pool, site_id) as db:
        change = await sites.next_change(db, site_id)
        base = await context.states.at(db, site_id, change - 1)
        there = [(base.parts.get((edit.kind, edit.part_id)), edit) for edit in wanted]
        stored = [part for part, edit in there if part and part.change != edit.seen and part.body == edit.body]
        if stored and len(stored) == len(wanted):
            raise _Stored(stored)
        wanted = [*wanted, *_moving_home(base, wanted)]
        for edit in wanted:
            if edit.kind == "site" and edit.body:
                await check_settled(db, site_id, base.edition.site.site.country, edit.body.get("country"))
        now = context.now()
        revisions = [await _revision(db, site_id, base, edit, change, now) for edit in wanted]
        state = _edited(base, change, revisions)
        for part in revisions:
            await sites.add_revision(db, site_id, part, by)
            if part.kind == "checkout" and part.body is not None:
                await give_address(db, site_id, part.part_id)
    context.states.keep(site_id, state)  # only now: what was rolled back has never been
    return revisions


async def write_site_file(
    context: Context, db: Connection, site_id: UUID, by: UUID | None, data: dict[str, Any]
) -> int:
    """Writes a whole site's data into an empty site's draft, as one change; returns its number."""
    check_data(data)
    change = await sites.next_change(db, site_id)
    now = context.now()
    parts = [PartRow(name, "-", change, 0, data[name], now) for name in SINGLE if name in data]
    for kind, name in LISTS.items():
        parts += [PartRow(kind, body["id"], change, i, body, now) for i, body in enumerate(data.get(name, []))]
    await sites.add_revisions(db, site_id, parts, by)
    for part in parts:
        if part.kind == "checkout":
            await give_address(db, site_id, part.part_id)
    return change


async def check_settled(db: Connection, site_id: UUID, home: str, new: object) -> None:
    """Taxes and papers of what was sold hang on the seller's country: with the first live sale it stays. Raises
    InvalidInput where it would become another."""
    if new != home and await sites.has_sold(db, site_id):
        message = f"The seller's country stays {home}: taxes and papers of what was sold hang on it"
        raise InvalidInput([Problem(("country",), message, "Add a site of its own for another country", "settled")])


async def site_called(context: Context, code: str) -> UUID:
    """The site of a public code. Raises NotFound."""
    found = None
    if code.isprintable():
        async with siteless_transaction(context.pool) as db:
            found = await sites.site_called(db, code)
    if found is None:
        raise NotFound("there is no such site")
    return found


async def site_row(db: Connection, site_id: UUID) -> SiteRow:
    """The site; raises NotFound."""
    row = await sites.site(db, site_id)
    if row is None:
        raise NotFound("there is no such site")
    return row


async def recent_edits(context: Context, site_id: UUID, before: int | None, most: int = 50) -> list[Told]:
    """What was edited, the newest first, from before a change, each with what it changed."""
    async with site_transaction(context.pool, site_id) as db:
        await site_row(db, site_id)
        found = []
        for edit in await sites.edits(db, site_id, before or _LAST, most):
            earlier = await sites.revision(db, site_id, edit.kind, edit.part_id, edit.change - 1)
            found.append(Told(edit, differences(earlier.body if earlier else None, edit.body)))
        return found


# -- within -----------------------------------------------------------------------------------------------


async def give_address(db: Connection, site_id: UUID, checkout_id: str) -> None:
    """Gives a checkout a public address, unless it has one."""
    code = "".join(secrets.choice(_LETTERS) for _ in range(10))
    await sites.add_address(db, site_id, checkout_id, code)


def _moving_home(base: State, wanted: list[Edit]) -> list[Edit]:
    """What else a seller's move to another country changes: the registration at home moves along without its number."""
    to = next((edit.body for edit in wanted if edit.kind == "site" and edit.body), None)
    tax = base.parts.get(("tax", "-"))
    if to is None or tax is None or any(edit.kind == "tax" for edit in wanted):
        return []
    home, new = base.edition.site.site.country, to.get("country")
    there = tax.body.get("registrations", [])
    if new == home or not isinstance(new, str) or new not in COUNTRIES:
        return []
    if any((one.get("place") or "").partition("-")[0] == new for one in there):
        return []
    moved = [
        {**{name: value for name, value in one.items() if name != "number"}, "place": new}
        if one.get("place") == home
        else one
        for one in there
    ]
    return [Edit("tax", "-", tax.change, {**tax.body, "registrations": moved})]


async def _revision(db: Connection, site_id: UUID, base: State, edit: Edit, change: int, now: datetime) -> PartRow:
    current = base.parts.get((edit.kind, edit.part_id))
    if current is None and (edit.seen != 0 or edit.body is None):
        raise NotFound(f"there is no {edit.kind.replace('_', ' ')} {edit.part_id}")
    if current is not None and current.change != edit.seen:
        if edit.seen == 0:
            called = edit.kind.replace("_", "-", 1).replace("_", " ")
            problem = Problem(("id",), f"Another {called} is already called “{edit.part_id}”", "Choose another")
            raise InvalidInput([problem])
        newest = await sites.revision(db, site_id, edit.kind, edit.part_id, current.change)
        seen = await sites.revision(db, site_id, edit.kind, edit.part_id, edit.seen)
        clash = Clash(current, newest.by_name if newest else None, seen.body if seen else None)
        raise Conflict("Somebody else has changed this in the meantime.", clash)
    if current is not None:
        position = current.position
    else:
        position = 1 + max((p.position for p in base.parts.values() if p.kind == edit.kind), default=0)
    return PartRow(edit.kind, edit.part_id, change, position, edit.body, now)


def _edited(base: State, change: int, revisions: list[PartRow]) -> State:
    """The state after the edits; paths within an edited part that stands by itself are cut short."""
    try:
        return edited(base, change, revisions)
    except InvalidInput as error:
        kinds = {part.kind for part in revisions}
        if len(kinds) == 1 and kinds <= set(SINGLE):
            (kind,) = kinds
            raise InvalidInput(
                [replace(p, path=p.path[1:]) if p.path[:1] == (kind,) else p for p in error.problems]
            ) from None
        raise
