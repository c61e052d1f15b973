"""Whether new orders are taken. *Closed* is for whoever comes; *stopped* is for those under way as well, at once.

Both hinder new orders only: renewals, attempts under way, refunds, messages of gateways and account pages go on. A site
that is closed or stopped is no test site: nobody becomes a test buyer by it. Those who try it from the desk, or with
the site's test pass, are not hindered: what is wrong can be put right and looked at before buyers meet it again.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal
from uuid import UUID

from skurrow.core.bounds import printable
from skurrow.core.edition import Edition
from skurrow.core.problems import InvalidInput, Problem
from skurrow.service.context import Context
from skurrow.service.draft.configuration import draft, site_row
from skurrow.service.refusals import Closed, NotFound
from skurrow.store.database import Connection, site_transaction
from skurrow.store.orders import selling_states
from skurrow.store.orders.selling_states import SellingChange, SellingRow, StoppedRow

SiteSelling = Literal["opened", "closed", "stopped"]
PartKind = Literal["product", "checkout"]
LONGEST_WORDS = 300
MOST_CHANGES = 50


@dataclass(frozen=True, slots=True)
class Selling:
    """How a site stands, which parts are stopped, and what was said lately."""

    state: SiteSelling
    words: str
    stopped: list[StoppedRow]
    changes: list[SellingChange]


async def selling(context: Context, site_id: UUID) -> Selling:
    """How a site stands."""
    async with site_transaction(context.pool, site_id) as db:
        await site_row(db, site_id)
        row = await selling_states.selling(db, site_id)
        state: SiteSelling = row.selling  # type: ignore[assignment]
        stopped = await selling_states.stopped_parts(db, site_id)
        return Selling(state, row.selling_words, stopped, await selling_states.changes(db, site_id, MOST_CHANGES))


async def set_site(context: Context, site_id: UUID, by: UUID, state: SiteSelling, words: str) -> Selling:
    """Opens, closes or stops a site. `words` are for buyers. Harmless when it stands so already."""
    said = "" if state == "opened" else _words(words)
    async with site_transaction(context.pool, site_id) as db:
        await site_row(db, site_id)
        before = await selling_states.selling(db, site_id)
        if (before.selling, before.selling_words) != (state, said):
            await selling_states.set_selling(db, site_id, state, said)
            await _note(context, db, site_id, by, "site", "", state, said)
    return await selling(context, site_id)


async def stop_part(context: Context, site_id: UUID, by: UUID, kind: PartKind, part_id: str, words: str) -> Selling:
    """A product or a checkout sells no more, at once. Raises NotFound."""
    state, said = await draft(context, site_id), _words(words)
    if (kind, part_id) not in state.parts:
        raise NotFound(f"there is no {kind} {part_id}")
    async with site_transaction(context.pool, site_id) as db:
        if await selling_states.stop_part(db, site_id, kind, part_id, said, context.now(), by):
            await _note(context, db, site_id, by, kind, part_id, "stopped", said)
    return await selling(context, site_id)


async def start_part(context: Context, site_id: UUID, by: UUID, kind: PartKind, part_id: str) -> Selling:
    """It sells again."""
    async with site_transaction(context.pool, site_id) as db:
        if await selling_states.start_part(db, site_id, kind, part_id):
            await _note(context, db, site_id, by, kind, part_id, "opened", "")
    return await selling(context, site_id)


async def withdraw_test_pass(context: Context, site_id: UUID) -> None:
    """Whoever has a link for test buyers has it no more, also where they are under way."""
    async with site_transaction(context.pool, site_id) as db:
        await site_row(db, site_id)
        await selling_states.withdraw_test_pass(db, site_id)


def check_open(row: SellingRow, edition: Edition, checkout_id: str, prices: Iterable[str], under_way: bool) -> None:
    """Raises Closed where nothing of `prices` may be ordered at a checkout: by somebody `under_way`, or who comes."""
    shop = edition.site.site
    if row.selling == "stopped" or (row.selling == "closed" and not under_way):
        raise Closed(row.selling_words or f"{shop.name} takes no orders at the moment.", shop)
    stopped = {(one["kind"], one["id"]): str(one["words"]) for one in row.stopped}
    if not stopped:
        return
    if ("checkout", checkout_id) in stopped:
        raise Closed(stopped["checkout", checkout_id] or f"{shop.name} takes no orders here at the moment.", shop)
    said = [_of_price(edition, stopped, price) for price in prices]
    if said and all(one is not None for one in said):
        name = edition.prices[next(iter(prices))].product.name
        raise Closed(said[0] or f"“{name}” is not sold at the moment.", shop)


def stopped_prices(row: SellingRow, edition: Edition, prices: Iterable[str]) -> frozenset[str]:
    """The prices among these that sell nothing, because their product, or something that it holds, is stopped."""
    stopped = {(one["kind"], one["id"]): str(one["words"]) for one in row.stopped}
    if not stopped:
        return frozenset()
    return frozenset(price for price in prices if _of_price(edition, stopped, price) is not None)


def _of_price(edition: Edition, stopped: dict[tuple[str, str], str], price: str) -> str | None:
    """The words about a stopped product that a price sells, or holds; None where there is none."""
    product = edition.prices[price].product
    words = stopped.get(("product", product.id))
    for content in product.contains if words is None else ():
        words = words if words is not None else _of_price(edition, stopped, content.price)
    return words


def _words(text: str) -> str:
    said = text.strip()
    try:
        printable(said)
    except ValueError:
        said = "\0"
    if said == "\0" or len(said) > LONGEST_WORDS:
        message = f"has more than {LONGEST_WORDS} characters, or one that cannot be shown"
        raise InvalidInput([Problem(("words",), message, "Shorten it")])
    return said


async def _note(
    context: Context, db: Connection, site_id: UUID, by: UUID, kind: str, part_id: str, state: str, words: str
) -> None:
    await selling_states.add_change(db, site_id, context.new_id(), kind, part_id, state, words, context.now(), by)
