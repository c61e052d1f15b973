"""Parcels on their way: the owner says so, and the buyer is told, with where it can be followed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.problems import InvalidInput, Problem
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
from skurrow.store.orders.order_events import EventRow
from skurrow.store.orders.orders import OrderRow


@dataclass(frozen=True, slots=True)
class GoodsLine:
    """A line of an order that is sent, by its number, and whether it was."""

    line: int
    name: str
    quantity: int
    sent: bool


def has_parcel(edition: Edition, order: OrderRow) -> bool:
    """Whether something of an order is sent, and it stands so that it may be."""
    if order.state not in ("paid", "waiting") or order.kept.quote.delivery is None:
        return False
    return not collected(edition, order)


def goods_of(edition: Edition, order: OrderRow, events: Iterable[EventRow]) -> list[GoodsLine]:
    """The lines of an order that are sent, with what is known of their parcels. A parcel of which nobody said what was
    in it held everything."""
    if not has_parcel(edition, order):
        return []
    waiting = {plan.line for plan in order.kept.wanted.subscriptions if not plan.begun}
    lines = [
        (i, line) for i, line in enumerate(order.kept.quote.lines) if i not in waiting and _is_sent(edition, line.price)
    ]
    gone: set[int] = set()
    for event in events:
        if event.kind == "order.sent":
            gone |= set(event.body.get("lines") or [i for i, _ in lines])
    return [GoodsLine(i, line.name, line.quantity, i in gone) for i, line in lines]


def _is_sent(edition: Edition, price: str) -> bool:
    found = edition.prices.get(price)
    return found is None or (found.what.kind == "goods" and found.rhythm.kind != "free")


async def mark_sent(
    context: Context,
    site_id: UUID,
    mode: Mode,
    code: str,
    by: UUID,
    asked_as: UUID,
    follow: str,
    lines: Sequence[int] = (),
) -> None:
    """A parcel of an order was sent, once for each `asked_as`, with some of its `lines` in it (none said: all of them);
    the buyer is told, with the web address `follow` where it can be followed ("": none). Raises NotFound, Conflict,
    also where somebody has said it of that address before, InvalidInput for a line that is not sent."""
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
        goods = goods_of(edition, order, before)
        inside = sorted(set(lines))
        if not set(inside) <= {one.line for one in goods}:
            message = "One of these is not sent with this order"
            raise InvalidInput([Problem(("lines",), message, "Choose among its goods", "unknown")])
        if len(inside) == len(goods):
            inside = []
        context = await calendars.of_book(context, book)
        body = {"by": str(by), "follow": follow, "asked_as": str(asked_as), **({"lines": inside} if inside else {})}
        await record(context, db, site_id, order, "order.sent", body)
        told = Told(follow=follow, key=str(asked_as), sent=_told(goods, inside))
        await order_mail.tell(context, book, edition, order, "order_sent", told)


def _told(goods: Sequence[GoodsLine], inside: Sequence[int]) -> tuple[list[str], list[str]]:
    """What is in a parcel and what follows, as buyers read it; nothing where all is in it."""
    if not inside:
        return [], []
    named = {one.line: f"{one.quantity} × {one.name}" if one.quantity > 1 else one.name for one in goods}
    rest = [named[one.line] for one in goods if one.line not in inside and not one.sent]
    return [named[line] for line in inside], rest
