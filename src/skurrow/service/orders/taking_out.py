"""Taking one sale out of the test book, as if it had not been tried."""

from __future__ import annotations

from uuid import UUID

from psycopg import errors

from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.orders import refunds
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store import clearings
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts, holds, orders
from skurrow.store.orders import refunds as refund_rows


async def take_out(context: Context, site_id: UUID, code: str, by: UUID) -> int:
    """Removes a test order with the subscriptions that it began, their charges and all that hangs on them; what it had
    of a stock or a coupon can be had again. Returns how many orders went. Raises NotFound, Conflict."""
    try:
        async with site_transaction(context.pool, site_id) as db:
            return await _taken_out(context, Book(db, site_id, "test"), code, by)
    except (errors.ForeignKeyViolation, errors.DeadlockDetected):
        raise Conflict("Something of this sale is being charged at this moment. Try again.") from None


async def _taken_out(context: Context, book: Book, code: str, by: UUID) -> int:
    order = await orders.order_by_code(book, code)
    if order is None:
        raise NotFound("there is no such order in the test book")
    if order.subscription_id is not None:
        raise Conflict("This is a charge of a subscription. It goes with the order that the subscription began with.")
    ids, plans = await clearings.with_all(book, order.id)
    for one in ids:
        if any(attempt.state == "open" for attempt in await attempts.attempts_of(book, one)):
            raise Conflict("A charge of it is still open. Settle or cancel it first, or wait a moment.")
        if any(row.state == "open" for row in await refund_rows.refunds_of(book, one)):
            raise Conflict("Money of it is being given back at this moment. Try again.")
        await _put_back(context, book, one)
    return await clearings.take_out(book.db, book.site_id, ids, plans, context.now(), by)


async def _put_back(context: Context, book: Book, order_id: UUID) -> None:
    """What it has of stocks and coupons goes back, less what refunds have put back before."""
    order = await orders.order_by_id(book, order_id)
    assert order is not None
    edition = await edition_at(context, book.db, book.site_id, order.change)
    await holds.unsold(book, order_id)
    await holds.give_back(book, order_id)
    for row in await refund_rows.refunds_of(book, order_id):
        if row.state == "made":
            await refunds.back_into_stock(book, edition, order, row, out=True)
