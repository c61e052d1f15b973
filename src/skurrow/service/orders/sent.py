"""Parcels on their way: the owner says so, and the buyer is told, with where it can be followed."""

from __future__ import annotations

from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.gateway.protocol import Mode
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.events import record
from skurrow.service.orders import order_mail
from skurrow.service.orders.order_mail import Told, collected
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import order_events, orders
from skurrow.store.orders.orders import OrderRow


def has_parcel(edition: Edition, order: OrderRow) -> bool:
    """Whether something of an order is sent, and it stands so that it may be."""
    if order.state not in ("paid", "waiting") or order.kept.quote.delivery is None:
        return False
    return not collected(edition, order)


async def mark_sent(
    context: Context, site_id: UUID, mode: Mode, code: str, by: UUID, asked_as: UUID, follow: str
) -> None:
    """A parcel of an order was sent, once for each `asked_as`; the buyer is told, with the web address `follow` where
    it can be followed ("": none). Raises NotFound, Conflict, also where somebody has said it of that address before."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        known = await orders.order_by_code(book, code)
        order = None if known is None else await orders.order_by_id(book, known.id, lock=True)
        if order is None:
            raise NotFound("there is no such order in this book")
        edition = await edition_at(context, db, site_id, order.change)
        if not has_parcel(edition, order):
            raise Conflict(f"Nothing of the order {code} is sent. It is {order.state}.")
        before = [one for one in await order_events.events_of(book, order.id) if one.kind == "order.sent"]
        if any(one.body.get("asked_as") == str(asked_as) for one in before):
            return
        if follow and any(one.body.get("follow") == follow for one in before):
            raise Conflict("This parcel was marked as sent already, and the buyer knows.")
        context = await calendars.of_book(context, book)
        await record(
            context, db, site_id, order, "order.sent", {"by": str(by), "follow": follow, "asked_as": str(asked_as)}
        )
        await order_mail.tell(context, book, edition, order, "order_sent", Told(follow=follow, key=str(asked_as)))
