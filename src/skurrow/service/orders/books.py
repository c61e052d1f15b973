"""The two books of a site, test and live: its orders with their charges, attempts and events."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from datetime import date, datetime
from typing import Literal
from uuid import UUID

from psycopg import errors

from skurrow.core.edition import Edition
from skurrow.core.payments.transfers import rf_reference, spaced
from skurrow.core.tape.sold import sold_tape
from skurrow.core.tape.tape import Tape
from skurrow.gateway.protocol import Mode, NoAnswer, NotAccepted
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.events import record
from skurrow.service.orders.sent import GoodsLine, goods_of
from skurrow.service.papers.papers import paid_by
from skurrow.service.payments import ways
from skurrow.service.payments.gateways import connections_for, gateway_of
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.subscriptions import subscribing
from skurrow.store import clearings
from skurrow.store.book import Book
from skurrow.store.clearings import Clearing
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts, charges, disputes, give_backs, order_events, orders, refunds, reviews
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.charges import ChargeRow
from skurrow.store.orders.disputes import DisputeRow
from skurrow.store.orders.order_events import EventRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.orders.refunds import RefundRow
from skurrow.store.orders.reviews import ReviewRow
from skurrow.store.papers import papers
from skurrow.store.papers.papers import PaperRow
from skurrow.store.payments import connections, transfers
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.payments.transfers import TransferRow
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

PAGE = 30
"""Orders on one page of a book."""


@dataclass(frozen=True, slots=True)
class OrderPage:
    """A page of a book, with what was given back of its orders; `next` is where the following page begins, if there
    is one."""

    orders: list[OrderRow]
    given_back: dict[UUID, int]
    held: set[UUID]
    next: UUID | None


@dataclass(frozen=True, slots=True)
class OrderStory:
    """An order with everything that belongs to it; `record` is where the gateway shows its own record of the charge,
    `subscriptions` what it began, or is a charge of; `goods` what of it is sent."""

    order: OrderRow
    attempts: list[AttemptRow]
    charges: list[ChargeRow]
    events: list[EventRow]
    papers: list[PaperRow]
    refunds: list[RefundRow]
    disputes: list[DisputeRow]
    transfers: list[TransferRow]
    review: ReviewRow | None
    paid_by: str | None
    record: str | None
    awaited: Waits | None
    subscriptions: list[SubscriptionRow]
    goods: list[GoodsLine]


@dataclass(frozen=True, slots=True)
class Waits:
    """What a waiting order waits for: a bank's or a person's word, until when, by which reference."""

    gateway: str
    label: str
    by: Literal["bank", "person"]
    due_on: date | None
    overdue: bool
    reference: str | None


async def page(
    context: Context, site_id: UUID, mode: Mode, before: UUID | None, search: str, show: str = "all"
) -> OrderPage:
    """A page of one book, the newest orders first; all, or those in a state, or `held` ones."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        found = await orders.orders_before(book, before, search.strip(), PAGE + 1, show)
        shown = found[:PAGE]
        ids = [one.id for one in shown]
        given_back = await refunds.given_back(book, ids)
        held = await reviews.held_of(book, ids)
    return OrderPage(shown, given_back, held, shown[-1].id if len(found) > PAGE else None)


async def story(context: Context, site_id: UUID, mode: Mode, code: str) -> OrderStory:
    """One order. Raises NotFound."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        order = await orders.order_by_code(book, code)
        if order is None:
            raise NotFound("there is no such order in this book")
        tried = await attempts.attempts_of(book, order.id)
        charged = await charges.charges_of(book, order.id)
        used = next((one for one in reversed(tried) if one.state in ("open", "paid")), None)
        row = None if used is None else await connections.connection_by_id(db, site_id, used.connection_id)
        waits = None
        edition = await edition_at(context, db, site_id, order.change)
        if used is not None and row is not None and order.state == "waiting":
            now = (await calendars.of_book(context, book)).book_now()
            waits = _waits(edition, now, order, used, row)
        happened = await order_events.events_of(book, order.id)
        return OrderStory(
            order,
            tried,
            charged,
            happened,
            await papers.papers_of(book, order.id),
            await refunds.refunds_of(book, order.id),
            await disputes.disputes_of(book, order.id),
            await transfers.transfers_of(book, order.id),
            await reviews.review_of(book, order.id),
            paid_by(row.adapter, charged[0].card_ending) if row is not None and charged else None,
            gateway_of(context, row).record_address(charged[0].gateway_reference) if row and charged else None,
            waits,
            await _subscriptions_of(book, order),
            goods_of(edition, order, happened),
        )


async def _subscriptions_of(book: Book, order: OrderRow) -> list[SubscriptionRow]:
    if order.subscription_id is None:
        return await subscriptions.subscriptions_of_order(book, order.id)
    one = await subscriptions.subscription(book.db, book.site_id, order.subscription_id)
    return [] if one is None else [one]


async def decide_review(context: Context, site_id: UUID, mode: Mode, code: str, state: str, by: UUID) -> None:
    """Lets a held order through, or notes that it is given back, which ends what it has begun. Raises NotFound,
    Conflict, NotNow while a subscription of it is being charged."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        known = await orders.order_by_code(book, code)
        order = None if known is None else await orders.order_by_id(book, known.id, lock=True)
        if order is None:
            raise NotFound("there is no such order in this book")
        if not await reviews.decide_review(book, order.id, state, by, context.now()):
            raise Conflict("This order is not held, or somebody has decided about it meanwhile.")
        context = await calendars.of_book(context, book)
        await record(context, db, site_id, order, f"review.{state}", {"by": str(by)})
        if state == "given_back":
            await subscribing.given_back(context, book, order, {"by": "desk", "person": str(by)})


@dataclass(frozen=True, slots=True)
class SoldTape:
    """The tape of an order: as it was sold, with the reasons of its day."""

    order: OrderRow
    tape: Tape


async def sold(context: Context, site_id: UUID, mode: Mode, code: str) -> SoldTape:
    """An order as it was sold. Raises NotFound."""
    async with site_transaction(context.pool, site_id) as db:
        order = await orders.order_by_code(Book(db, site_id, mode), code)
        if order is None:
            raise NotFound("there is no such order in this book")
        of = (await edition_at(context, db, site_id, order.change)).site.site
    day = order.created_at.astimezone(of.zone).date()
    rows = sold_tape(order.kept.quote, order.currency, of.country, day, order.total, order.from_balance)
    return SoldTape(order, rows)


def _waits(edition: Edition, now: datetime, order: OrderRow, attempt: AttemptRow, row: ConnectionRow) -> Waits:
    zone = edition.site.site.zone
    due = attempt.due_at.astimezone(zone).date() if attempt.due_at else None
    return Waits(
        gateway=row.adapter,
        label=ways.shown_as(edition, row.adapter)[0],
        by="person" if attempt.waits == "person" else "bank",
        due_on=due,
        overdue=due is not None and due < now.astimezone(zone).date(),
        reference=spaced(rf_reference(order.code)) if row.adapter == "transfer" else None,
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
            await give_backs.clear_test_give_backs(db, site_id)
            count = await clearings.clear_test_data(db, site_id)
            connected = await connections_for(Book(db, site_id, "test"))
            await clearings.note_clearing(db, site_id, context.new_id(), count, context.now(), by)
    except (errors.ForeignKeyViolation, errors.DeadlockDetected):
        raise Conflict("Somebody is paying for a test order at this moment. Try again.") from None
    for row in connected:  # the calendars of simulated gateways follow ours
        with contextlib.suppress(NoAnswer, NotAccepted):
            await gateway_of(context, row).move_calendar(None)
    return count
