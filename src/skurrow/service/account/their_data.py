"""What is kept of a customer, as a file of theirs; and being forgotten.

Of somebody who is forgotten the books stay: what was sold, for how much, to which country, with its papers as they were
given out, which the law wants kept (from memory: Regulation (EU) 2016/679, Art. 17(3)(b)). Names, addresses, passwords,
cards on file and what was written to them go.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import timedelta
from typing import Any

from skurrow.core.quote.kept import KeptBuyer
from skurrow.service import calendars
from skurrow.service.account.signing_in import Customer
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.orders import sent
from skurrow.service.papers import papers
from skurrow.service.refusals import Conflict
from skurrow.service.subscriptions.standing import life_of
from skurrow.store.account import accounts, forgetting
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts, give_backs, order_events, orders
from skurrow.store.orders.orders import OrderRow
from skurrow.store.papers import papers as papers_kept
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

FORMAT = "skurrow-customer/1"
MOST = 5000
"""Orders in one file, the newest."""

TO_SEND = timedelta(days=30)
"""So long after it was paid a parcel of which nobody said that it was sent may still be on its way."""


async def as_file(context: Context, who: Customer) -> dict[str, Any]:
    """Everything that is kept of a customer, as plain data: orders and renewals as they were placed, subscriptions,
    papers, and what they have said that they give back."""
    async with site_transaction(context.pool, who.site_id) as db:
        book = Book(db, who.site_id, who.mode)
        bought = await orders.orders_of_customer(book, who.email, MOST)
        plans = await subscriptions.subscriptions_of_customer(book, who.email)
        emails = _emails(who, bought, plans)
        given_out = [papers.of_row(row) for row in await papers_kept.papers_of_all(book, [one.id for one in bought])]
        asked = await give_backs.give_backs_from(book, emails, [one.id for one in bought])
        has_password = await accounts.password(book, who.email) is not None
    return {
        "format": FORMAT,
        "at": context.now().isoformat(timespec="seconds"),
        "shop": who.code,
        "email": who.email,
        "has_password": has_password,
        "orders": [
            {
                "code": one.code,
                "kind": one.kind,
                "state": one.state,
                "placed": one.created_at.isoformat(timespec="seconds"),
                "paid": one.paid_at.isoformat(timespec="seconds") if one.paid_at else None,
                "buyer": one.buyer,
                "asked_for": one.wanted,
                "came_to": one.quote,
            }
            for one in bought
        ],
        "subscriptions": [
            {
                "code": one.code,
                "state": one.state,
                "began": one.started_at.isoformat(timespec="seconds"),
                "card_ending": one.card_ending,
                "buyer": one.buyer,
                "stands": one.life,
            }
            for one in plans
        ],
        "papers": [one.model_dump(mode="json", exclude_none=True) for one in given_out],
        "given_back": [
            {"code": one.code, "at": one.at.isoformat(timespec="seconds"), "what": one.what, "words": one.words}
            for one in asked
        ],
    }


async def forget(context: Context, who: Customer) -> None:
    """Forgets a customer: nobody finds what they bought by their address any more, they least of all. Raises Conflict
    while something of theirs is running, is being paid, or is still to be sent."""
    async with site_transaction(context.pool, who.site_id) as db:
        book = Book(db, who.site_id, who.mode)
        await forgetting.alone(book, who.email)
        context = await calendars.of_book(context, book)
        plans = await subscriptions.subscriptions_of_customer(book, who.email)
        bought = await orders.orders_of_customer(book, who.email, None, lock=True)
        await _check_over(context, book, plans, bought)
        known_as = f"forgotten {context.new_id()}"
        for one in plans:
            left = _left_of(one.kept_buyer)
            supply = {**one.supply, **({"buyer": left} if "buyer" in one.supply else {})}
            await forgetting.forget_customer(book, one.id, known_as, left, supply)
        await forgetting.end(book, who.email, _emails(who, bought, plans), known_as)
        for order in bought:
            await forgetting.forget_buyer(book, order.id, known_as, _left_of(order.kept.buyer))


# -- within -----------------------------------------------------------------------------------------------


async def _check_over(
    context: Context, book: Book, plans: Sequence[SubscriptionRow], bought: Sequence[OrderRow]
) -> None:
    """Raises Conflict where a name or an address is still needed."""
    for one in plans:
        if not life_of(one).over:
            name = life_of(one).terms.name
            raise Conflict(f"“{name}” is still running. Cancel it first, and come back when it has ended.")
    for order in bought:
        if order.state == "waiting" or await _being_paid(book, order):
            raise Conflict(f"The order {order.code} waits for its payment. Come back when that is settled.")
        if order.paid_at is None or context.book_now() - order.paid_at > TO_SEND:
            continue
        edition = await edition_at(context, book.db, book.site_id, order.change)
        events = await order_events.events_of(book, order.id)
        if any(not one.sent for one in sent.goods_of(edition, order, events)):
            raise Conflict(
                f"The order {order.code} was not sent yet, and needs an address. Come back when it has come."
            )


async def _being_paid(book: Book, order: OrderRow) -> bool:
    if order.state != "open":
        return False
    return any(one.state == "open" for one in await attempts.attempts_of(book, order.id))


def _emails(who: Customer, bought: Iterable[OrderRow], plans: Iterable[SubscriptionRow]) -> list[str]:
    """A customer's addresses as they typed them, in small letters."""
    typed = {who.email, *(one.kept.buyer.email for one in bought), *(one.kept_buyer.email for one in plans)}
    return sorted(email.lower() for email in typed if email)


def _left_of(buyer: KeptBuyer) -> dict[str, Any]:
    return buyer.forgotten().model_dump(mode="json", exclude_none=True)
