"""The two books of a site, test and live: its orders with their charges, attempts and events."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from psycopg import errors

from skurrow.gateway.protocol import Mode
from skurrow.service.context import Context
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store import clearings, disputes, orders, papers, refunds
from skurrow.store.clearings import Clearing
from skurrow.store.database import site_transaction
from skurrow.store.disputes import DisputeRow
from skurrow.store.orders import AttemptRow, ChargeRow, EventRow, OrderRow
from skurrow.store.papers import PaperRow
from skurrow.store.refunds import RefundRow

PAGE = 30
"""Orders on one page of a book."""


@dataclass(frozen=True, slots=True)
class OrderPage:
    """A page of a book, with what was given back of its orders; `next` is where the following page begins, if there
    is one."""

    orders: list[OrderRow]
    given_back: dict[UUID, int]
    next: UUID | None


@dataclass(frozen=True, slots=True)
class OrderStory:
    """An order with everything that belongs to it."""

    order: OrderRow
    attempts: list[AttemptRow]
    charges: list[ChargeRow]
    events: list[EventRow]
    papers: list[PaperRow]
    refunds: list[RefundRow]
    disputes: list[DisputeRow]


async def page(context: Context, site_id: UUID, mode: Mode, before: UUID | None, search: str) -> OrderPage:
    """A page of one book, the newest orders first."""
    async with site_transaction(context.pool, site_id) as db:
        found = await orders.orders_before(db, site_id, mode, before, search.strip(), PAGE + 1)
        shown = found[:PAGE]
        given_back = await refunds.given_back(db, site_id, mode, [one.id for one in shown])
    return OrderPage(shown, given_back, shown[-1].id if len(found) > PAGE else None)


async def story(context: Context, site_id: UUID, mode: Mode, code: str) -> OrderStory:
    """One order. Raises NotFound."""
    async with site_transaction(context.pool, site_id) as db:
        order = await orders.order_by_code(db, site_id, mode, code)
        if order is None:
            raise NotFound("there is no such order in this book")
        return OrderStory(
            order,
            await orders.attempts_of(db, site_id, mode, order.id),
            await orders.charges_of(db, site_id, mode, order.id),
            await orders.events_of(db, site_id, mode, order.id),
            await papers.papers_of(db, site_id, mode, order.id),
            await refunds.refunds_of(db, site_id, mode, order.id),
            await disputes.disputes_of(db, site_id, mode, order.id),
        )


@dataclass(frozen=True, slots=True)
class TestBook:
    """How many orders the test book has, and when it was cleared last."""

    orders: int
    cleared: Clearing | None


async def test_book(context: Context, site_id: UUID) -> TestBook:
    """What clearing the test book would remove."""
    async with site_transaction(context.pool, site_id) as db:
        count = await clearings.count_test_orders(db, site_id)
        return TestBook(count, await clearings.last_clearing(db, site_id))


async def clear_test_book(context: Context, site_id: UUID, by: UUID) -> int:
    """Removes every test order with all that hangs on it, and nothing else; returns how many went.

    Raises Conflict where somebody is paying for a test order at this moment.
    """
    try:
        async with site_transaction(context.pool, site_id) as db:
            count = await clearings.clear_test_data(db, site_id)
            await clearings.note_clearing(db, site_id, context.new_id(), count, context.now(), by)
    except (errors.ForeignKeyViolation, errors.DeadlockDetected):
        raise Conflict("Somebody is paying for a test order at this moment. Try again.") from None
    return count
