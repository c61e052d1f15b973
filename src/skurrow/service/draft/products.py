"""Work on many products at once: copied, moved, counted, written to CSV and read from it."""

from __future__ import annotations

import asyncio
import copy
import re
from collections.abc import Collection
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from skurrow.core.check.products import product_problems
from skurrow.core.draft.parts import read_part
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.products import product_csv
from skurrow.core.products.product_csv import Import, RowProblem
from skurrow.core.products.stock import stocks_of
from skurrow.core.site.products import Product
from skurrow.core.site.whole import LISTS
from skurrow.gateway.protocol import Mode
from skurrow.service.context import Context
from skurrow.service.draft import configuration
from skurrow.service.draft.configuration import Edit
from skurrow.service.draft.site_files import positions
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.states import State, edited
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.draft import pictures, sites
from skurrow.store.draft.sites import PartRow
from skurrow.store.orders import holds
from skurrow.store.orders.holds import Level

MODES: tuple[Mode, ...] = ("test", "live")


@dataclass(frozen=True, slots=True)
class Counted:
    """What is left of one stock of a product in a mode; `begun`: it was touched, and is no opening count any more."""

    mode: Mode
    variant: str
    remaining: int
    begun: bool


async def duplicate(context: Context, site_id: UUID, by: UUID | None, kind: str, part_id: str) -> PartRow:
    """A copy of a part, at the end of its list, under names that are free. Raises NotFound."""
    state = await configuration.draft(context, site_id)
    part = _part(state, kind, part_id)
    body = copy.deepcopy(part.body)
    taken = {name for of, name in state.parts if of == kind}
    body["id"] = free_name(part_id, taken)
    if body.get("name"):
        body["name"] = f"{body['name']}, copy"[:120]
    body.pop("locked", None)
    if kind == "product":
        used, renamed = set(state.edition.prices), {}
        for price in body["prices"]:
            name = renamed[price["id"]] = free_name(price["id"], used)
            price["id"] = name
            used.add(name)
        if body.get("ladder"):
            body["ladder"] = [renamed[step] for step in body["ladder"]]
    return await configuration.edit_part(context, site_id, by, kind, body["id"], 0, body)


def free_name(name: str, taken: Collection[str]) -> str:
    """The name with the lowest number behind it that is free.

    >>> free_name("kit", {"kit", "kit-2"}), free_name("kit-2", {"kit-2"})
    ('kit-3', 'kit-3')
    """
    stem = re.sub(r"-\d+$", "", name)[:36].rstrip("-")
    folded = {one.casefold() for one in taken}
    n = 2
    while f"{stem}-{n}".casefold() in folded:
        n += 1
    return f"{stem}-{n}"


async def move(context: Context, site_id: UUID, by: UUID | None, kind: str, part_id: str, after: str | None) -> PartRow:
    """Puts a part behind another of its list, or (None) first. Raises NotFound."""
    async with site_transaction(context.pool, site_id) as db:
        change = await sites.next_change(db, site_id)
        base = await context.states.at(db, site_id, change - 1)
        moved = _part(base, kind, part_id)
        others = [part for part in base.of_kind(kind) if part.part_id != part_id]
        at = 0
        if after is not None:
            _part(base, kind, after)
            at = next((i + 1 for i, part in enumerate(others) if part.part_id == after), 0)
        listed = [*others[:at], moved, *others[at:]]
        places = positions([None if part is moved else part.position for part in listed])
        now = context.now()
        revisions = [
            replace(part, change=change, position=place, at=now)
            for part, place in zip(listed, places, strict=True)
            if part is moved or part.position != place
        ]
        state = edited(base, change, revisions)
        await sites.add_revisions(db, site_id, revisions, by)
    context.states.keep(site_id, state)
    return next(part for part in revisions if part.part_id == part_id)


# -- stock ------------------------------------------------------------------------------------------------


async def stock(context: Context, site_id: UUID, product_id: str) -> list[Counted]:
    """What is left of a product's stocks, in both modes. Raises NotFound."""
    state = await configuration.draft(context, site_id)
    product = _product(state, product_id)
    found = []
    async with site_transaction(context.pool, site_id) as db:
        for mode in MODES:
            levels = {
                one.variant_id: one.remaining for one in await holds.levels(Book(db, site_id, mode), [product_id])
            }
            found += [
                Counted(mode, name, levels.get(name, opening), name in levels) for name, opening in stocks_of(product)
            ]
    return found


async def recount(
    context: Context, site_id: UUID, by: UUID, product_id: str, mode: Mode, variant: str, seen: int, counted: int
) -> None:
    """Sets a stock to what was counted. Raises Conflict where something was sold since `seen` was read."""
    state = await configuration.draft(context, site_id)
    opening = dict(stocks_of(_product(state, product_id))).get(variant)
    if opening is None:
        raise NotFound("this stock is not counted")
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        await holds.open_level(book, product_id, variant, opening)
        wanted = Level(product_id, variant, counted)
        if not await holds.recount(book, wanted, seen, context.new_id(), context.now(), by):
            now = await holds.level(book, product_id, variant)
            left = now.remaining if now else 0
            raise Conflict(f"There are {left} now: something was sold or given back while you counted.")


# -- CSV --------------------------------------------------------------------------------------------------


async def to_csv(context: Context, site_id: UUID) -> str:
    """All products as CSV."""
    state = await configuration.draft(context, site_id)
    return product_csv.write([part.body for part in state.of_kind("product")], state.edition.currencies)


async def from_csv(context: Context, site_id: UUID, by: UUID | None, text: str, seen: int | None) -> tuple[int, Import]:
    """What a CSV file would do; and does, if `seen` is the draft's change that it was shown for and nothing is wrong.

    Returns the draft's change. Raises Conflict where the draft has moved on.
    """
    state = await configuration.draft(context, site_id)
    there = {part.part_id: part.body for part in state.of_kind("product")}
    async with site_transaction(context.pool, site_id) as db:
        kept = {one.name for one in await pictures.names(db, site_id)}
    found = await asyncio.to_thread(_read, state, there, text, kept)
    if seen is None or found.problems:
        return state.change, found
    if seen != state.change:
        raise Conflict("The products were edited while you looked at what would change. Look again.")
    edits = [
        Edit("product", name, state.parts["product", name].change if name in there else 0, body)
        for name, body in found.products.items()
        if there.get(name) != body
    ]
    if not edits:
        return state.change, found
    written = await configuration.edit_parts(context, site_id, by, edits)
    return written[0].change, found


def _read(state: State, there: dict[str, Any], text: str, kept: Collection[str]) -> Import:
    found = product_csv.read(text, there, state.edition.currencies, kept)
    if not found.problems:
        found.problems += _problems(state, found)
    return found


def _problems(state: State, found: Import) -> list[RowProblem]:
    """What would be wrong with the products: each by itself, and then all of them with the rest of the site."""
    problems: list[RowProblem] = []
    for name, body in found.products.items():
        try:
            product = read_part("product", body)
            assert isinstance(product, Product)
            wrong: list[Problem] = [*product_problems(state.edition.site, product, ())]
        except InvalidInput as error:
            wrong = error.problems
        problems += [product_csv.located(one, name, body, found.cells) for one in wrong]
    if problems:
        return problems
    now = state.parts["site", "-"].at
    revisions = [_as_row(state, name, body, now) for name, body in found.products.items()]
    try:
        edited(state, state.change + 1, revisions)
    except InvalidInput as error:
        return [_in_site(one, found) for one in error.problems]
    return []


def _as_row(state: State, name: str, body: dict[str, Any], now: datetime) -> PartRow:
    there = state.parts.get(("product", name))
    last = max((part.position for (kind, _), part in state.parts.items() if kind == "product"), default=0)
    return PartRow("product", name, state.change + 1, there.position if there else last + 1, body, now)


def _in_site(problem: Problem, found: Import) -> RowProblem:
    """A problem between parts: it stands in no cell, or in that of a price whose name is taken."""
    row = next(iter(found.cells.values()), 0)
    for cell, at in found.cells.items():
        if cell.part == "prices" and f"“{cell.name}”" in problem.message:
            row = at
    return RowProblem(row, "", problem.message, problem.remedy)


def _part(state: State, kind: str, part_id: str) -> PartRow:
    part = state.parts.get((kind, part_id))
    if kind not in LISTS or part is None or part.body is None:
        raise NotFound(f"there is no {kind.replace('_', ' ')} “{part_id}”")
    return part


def _product(state: State, product_id: str) -> Product:
    found = state.edition.product(product_id)
    if found is None:
        raise NotFound(f"there is no product “{product_id}”")
    return found
