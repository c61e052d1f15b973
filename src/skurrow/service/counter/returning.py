"""Coming back to a checkout: to the same visit, or to a fresh one from a confirmation page."""

from __future__ import annotations

import contextlib
from dataclasses import replace
from uuid import UUID

from skurrow.core.order import QuoteRefused
from skurrow.core.problems import Problem
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.counter.baskets import basket_at
from skurrow.service.counter.currencies import in_currency, sold_in
from skurrow.service.counter.earlier import earlier_of
from skurrow.service.counter.opening import Counter, counter_of, left_at, shown_at
from skurrow.service.counter.progress import Progress, progress, progress_of
from skurrow.service.counter.selling_states import check_open, stopped_prices
from skurrow.service.counter.visit import Visit, read_visit
from skurrow.service.draft.configuration import edition_at
from skurrow.service.payments.gateways import connections_at
from skurrow.service.refusals import Closed, NotFound
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import orders, selling_states


async def resume(context: Context, kept: str, fresh: str, basket: UUID | None = None) -> tuple[Counter, Progress]:
    """Goes on with the visit that a browser has kept, or with the fresh one where that is over or another's.

    A real buyer keeps the release they began with. A test buyer who has ordered nothing meets the newest draft.
    """
    new = read_visit(context, fresh)
    try:
        visit = read_visit(context, kept)
    except NotFound:
        visit = new
    if (visit.site_id, visit.checkout_id, visit.mode) != (new.site_id, new.checkout_id, new.mode):
        visit = new
    found = await progress(context, visit)
    if found.state == "none" and visit.mode == "test" and visit.change != new.change:
        visit = new
    under_way = found.state in ("none", "open", "refused")
    return await _shown(context, visit, under_way, basket=basket), found


async def change_currency(context: Context, visit: Visit, currency: str, basket: UUID | None = None) -> Counter:
    """The same visit in another currency. Raises QuoteRefused where nothing can be paid in it there."""
    return await _shown(context, visit, True, currency, basket)


async def with_basket(context: Context, visit: Visit, basket: UUID | None) -> Counter:
    """The same visit, with what lies in a basket by now."""
    return await _shown(context, visit, True, basket=basket)


async def _shown(
    context: Context, visit: Visit, under_way: bool, currency: str | None = None, basket: UUID | None = None
) -> Counter:
    """The checkout of a visit as it stands now, in a `currency` if one is wished for, with what lies in a basket."""
    async with site_transaction(context.pool, visit.site_id) as db:
        book = Book(db, visit.site_id, visit.mode)
        edition = await edition_at(context, db, visit.site_id, visit.change)
        checkout = edition.checkouts[visit.checkout_id]
        selling = await selling_states.selling(db, visit.site_id)
        if visit.hindered and under_way:
            check_open(selling, edition, checkout.id, checkout.only, under_way=True)
        connected = await connections_at(book, checkout)
        held = await basket_at(book, edition, checkout, basket)
        prices = shown_at(checkout, held)
        left = await left_at(book, edition, prices)
        earlier = await earlier_of(context, db, visit.site_id, edition, visit.release)
        context = await calendars.of_book(context, book)
    if not connected:
        raise Closed(f"{edition.site.site.name} cannot take payments at the moment.")
    if currency is not None:
        if currency not in sold_in(edition, connected, prices):
            message = f"Nothing can be paid in {currency} here"
            raise QuoteRefused([Problem(("currency",), message, "Choose another currency", "unknown")])
        visit = in_currency(visit, edition, currency)
    gone = stopped_prices(selling, edition, prices) if visit.hindered else frozenset()
    return counter_of(context, visit, edition, connected, left, held, gone=gone, earlier=earlier)


async def come_back(
    context: Context, back: str, fresh: str, kept: str | None, basket: UUID | None = None
) -> tuple[Counter, Progress]:
    """A buyer comes back from paying elsewhere. In the browser that keeps the visit it goes on; in any other it is told
    how the order stands, and a form begins afresh. Raises NotFound."""
    data = context.signer.read("back", back)
    new = read_visit(context, fresh)
    if data is None or (UUID(data["s"]), data["m"]) != (new.site_id, new.mode):
        raise NotFound("this way back leads nowhere")
    if kept is not None:
        with contextlib.suppress(NotFound):
            if read_visit(context, kept).id == UUID(data["v"]):
                return await resume(context, kept, fresh, basket)
    counter, _ = await resume(context, fresh, fresh, basket)
    async with site_transaction(context.pool, new.site_id) as db:
        order = await orders.order_of_visit(Book(db, new.site_id, new.mode), UUID(data["v"]))
        found = Progress("none") if order is None else await progress_of(context, db, new, order)
    return counter, replace(found, approve_at=None)
