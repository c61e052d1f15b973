"""Buyers give something back, or withdraw from what they bought: said in a form, signed in or not, and acknowledged.

Nobody has to sign in, and nobody has to know a code: what was typed is kept with when it came, and whoever looks after
sales decides. It tells nothing to whoever types it, be there such an order or not; by mail it is acknowledged only to
the address that the order was bought with. Two steps and an acknowledgement on a durable medium are what consumers
in the EU may ask for (from memory: Directive (EU) 2023/2673, Art. 11a of Directive 2011/83/EU).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Literal
from uuid import UUID

from skurrow.core.mailboxes import mailbox
from skurrow.gateway.protocol import Mode
from skurrow.service import calendars, limits
from skurrow.service.codes import new_code
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.events import record
from skurrow.service.limits import GIVE_BACKS, GIVE_BACKS_MAILBOX
from skurrow.service.mail.letters import holds_address
from skurrow.service.orders import order_mail
from skurrow.service.orders.order_mail import Told
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import give_backs, orders
from skurrow.store.orders.give_backs import GiveBackRow
from skurrow.store.orders.orders import OrderRow

MOST = 200
"""Listed at the desk: the open ones, then the newest."""

MOST_NOTED = 20
"""An hour, of those that fit no order: owners are noted no more of them. They stand at the desk all the same."""

_HOUR = timedelta(hours=1)

Decision = Literal["done", "declined"]


@dataclass(frozen=True, slots=True)
class Typed:
    """What a buyer has typed; `order` is the order's code, as far as they know it."""

    name: str
    email: str
    order: str
    what: str
    words: str


@dataclass(frozen=True, slots=True)
class Acknowledged:
    """Under which code it was kept, and when it came."""

    code: str
    at: datetime


async def ask(context: Context, site_id: UUID, mode: Mode, asked_as: UUID, typed: Typed, address: str) -> Acknowledged:
    """Keeps what a buyer has said, once for each `asked_as`, whoever says it from an `address` on the net. Raises
    TooMany."""
    customer = mailbox(typed.email)
    async with site_transaction(context.pool, site_id) as db:
        there = await give_backs.give_back(Book(db, site_id, mode), asked_as)
    if there is not None:
        return Acknowledged(there.code, there.at)
    where = f"{site_id} {mode} {address}"
    await limits.spend(context, (GIVE_BACKS, where), (GIVE_BACKS_MAILBOX, f"{customer} at {site_id} {mode}"))
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        context = await calendars.of_book(context, book)
        order = await orders.order_by_code(book, typed.order.strip().upper()) if typed.order.strip() else None
        if order is not None and (order.customer != customer or order.state not in ("paid", "waiting")):
            order = None
        row = GiveBackRow(
            id=asked_as,
            mode=mode,
            code=new_code(),
            order_id=order.id if order else None,
            order_code=order.code if order else None,
            name=typed.name,
            email=typed.email,
            typed_order=typed.order.strip(),
            what=typed.what,
            words=typed.words,
            at=context.book_now(),
        )
        if not await give_backs.add_give_back(book, row):
            there = await give_backs.give_back(book, asked_as)
            assert there is not None
            return Acknowledged(there.code, there.at)
        if order is not None:
            await _tell(context, book, order, row)
        if order is not None or await give_backs.without_order_since(book, row.at - _HOUR) <= MOST_NOTED:
            await order_mail.tell_owners_of_give_back(context, book, row)
    return Acknowledged(row.code, row.at)


async def listed(context: Context, site_id: UUID, mode: Mode) -> list[GiveBackRow]:
    """Those of a book, the open ones first."""
    async with site_transaction(context.pool, site_id) as db:
        return await give_backs.give_backs(Book(db, site_id, mode), MOST)


async def decide(
    context: Context, site_id: UUID, mode: Mode, row_id: UUID, by: UUID, state: Decision, answer: str
) -> GiveBackRow:
    """Somebody has looked after it: it is `done`, or `declined` with an `answer`, which the buyer of a known order is
    mailed. Money goes back by a refund of the order. Raises NotFound, Conflict."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        context = await calendars.of_book(context, book)
        row = await give_backs.give_back(book, row_id)
        if row is None:
            raise NotFound("nobody has said this in this book")
        if not await give_backs.decide_give_back(book, row_id, state, answer, by, context.book_now()):
            raise Conflict(f"{row.decided_by or 'Somebody'} has looked after it already.")
        if row.order_id is not None:
            order = await orders.order_by_id(book, row.order_id)
            assert order is not None
            await record(context, db, site_id, order, f"order.give_back_{state}", {"by": str(by), "code": row.code})
            if state == "declined":
                edition = await edition_at(context, db, site_id, order.change)
                told = Told(quoted=answer, key=row.code)
                await order_mail.tell(context, book, edition, order, "order_not_given_back", told)
        return replace(row, state=state, answer=answer)


# -- within -----------------------------------------------------------------------------------------------


async def _tell(context: Context, book: Book, order: OrderRow, row: GiveBackRow) -> None:
    """The buyer of the order reads what was said, and when. What was typed stands in no event, which stay for good."""
    await record(context, book.db, book.site_id, order, "order.asked_back", {"code": row.code})
    edition = await edition_at(context, book.db, book.site_id, order.change)
    said = "\n".join(one for one in (row.what, row.words) if one and not holds_address(one))
    told = Told(quoted=said, at=row.at, key=row.code)
    await order_mail.tell(context, book, edition, order, "order_asked_back", told)
