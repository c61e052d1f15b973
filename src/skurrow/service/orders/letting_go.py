"""Orders that wait for money no longer: what they held is free again."""

from __future__ import annotations

from functools import partial
from uuid import UUID

from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.events import record
from skurrow.service.recovery import ask_about
from skurrow.store.book import Book
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.orders import attempts, holds, orders


async def let_go(context: Context, most: int = 20) -> int:
    """Gives back what orders hold that nobody has paid for so long; they wait for their money all the same. Returns how
    many there were."""
    async with siteless_transaction(context.pool) as db:
        claimed = await holds.claim_ended(db, context.now(), most)
    return await ask_about("hold", claimed, partial(_let_go, context))


async def _let_go(context: Context, site_id: UUID, order_id: UUID) -> None:
    async with site_transaction(context.pool, site_id) as db:
        for mode in ("live", "test"):
            book = Book(db, site_id, mode)
            order = await orders.order_by_id(book, order_id, lock=True)
            if order is None:
                continue
            tried = await attempts.attempts_of(book, order_id)
            attempt = next((one for one in tried if one.state == "open" and one.waits == "person"), None)
            if order.state != "waiting" or attempt is None:
                await holds.hold_until(book, order_id, None)
                return
            context = await calendars.of_book(context, book)
            await holds.give_back(book, order_id)
            await record(context, db, site_id, attempt, "order.hold_ended", {})
