"""What a customer has: their subscriptions and papers, and what they may do with them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal
from uuid import UUID

from skurrow.core.papers.paper import Paper
from skurrow.service.account.signing_in import Customer
from skurrow.service.context import Context
from skurrow.service.papers import papers
from skurrow.service.refusals import NotAllowed, NotFound
from skurrow.service.subscriptions.standing import now_at
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import order_events, orders, refunds
from skurrow.store.orders.orders import OrderRow
from skurrow.store.papers import papers as papers_kept
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

Right = Literal["change", "quantity", "pause", "cancel"]

MOST = 100
"""Purchases on one account page, the newest."""


# -- what they see ----------------------------------------------------------------------------------------


async def theirs(context: Context, who: Customer) -> list[SubscriptionRow]:
    """A customer's subscriptions, the newest first."""
    async with site_transaction(context.pool, who.site_id) as db:
        return await subscriptions.subscriptions_of_customer(Book(db, who.site_id, who.mode), who.email)


async def one_of_theirs(context: Context, who: Customer, code: str) -> SubscriptionRow:
    """One of them by its code: that of anybody else does not exist. Raises NotFound."""
    for row in await theirs(context, who):
        if row.code == code:
            return row
    raise NotFound("you have no such subscription")


async def papers_of(context: Context, who: Customer, row: SubscriptionRow) -> list[tuple[UUID, Paper]]:
    """The receipts and invoices of one of them, the newest first, each with its order."""
    async with site_transaction(context.pool, who.site_id) as db:
        book = Book(db, who.site_id, who.mode)
        charges = await orders.orders_of_subscription(book, row.id)
        ids = [*([row.order_id] if row.order_id else []), *[one.id for one in charges]]
        found = []
        for order_id in ids:
            found += [(order_id, paper) for paper in await papers.kept(book, order_id)]
    return found[::-1]


@dataclass(frozen=True, slots=True)
class Purchase:
    """An order of a customer that is more than the beginning of subscriptions: the day it was paid or placed, its
    papers, what was given back of it in minor units, when it was sent, where each parcel is followed and what is in it
    (nothing said: all), and until when what can be given back. Days are the shop's."""

    order: OrderRow
    on: date
    papers: list[Paper]
    given_back: int
    sent: list[tuple[date, str, list[str]]]
    promises: list[tuple[str, date]]


async def purchases(context: Context, who: Customer) -> list[Purchase]:
    """What a customer has bought, the newest first. What only began subscriptions stands with those."""
    async with site_transaction(context.pool, who.site_id) as db:
        book = Book(db, who.site_id, who.mode)
        zone = (await now_at(context, book)).zone
        bought = [one for one in await orders.purchases_of(book, who.email, MOST) if not _only_begins(one)]
        ids = [one.id for one in bought]
        given_back = await refunds.given_back(book, ids)
        sent = await order_events.events_of_all(book, ids, "order.sent")
        kept = [(row.order_id, papers.of_row(row)) for row in await papers_kept.papers_of_all(book, ids)]
    found = []
    for order in bought:
        own = [paper for order_id, paper in kept if order_id == order.id]
        parcels = [one for one in sent if one.order_id == order.id]
        found.append(
            Purchase(
                order,
                (order.paid_at or order.created_at).astimezone(zone).date(),
                own,
                given_back.get(order.id, 0),
                [
                    (
                        one.at.astimezone(zone).date(),
                        str(one.body.get("follow") or ""),
                        [order.kept.quote.lines[i].name for i in one.body.get("lines") or ()],
                    )
                    for one in parcels
                ],
                [(line.name, line.refund_until) for paper in own[:1] for line in paper.lines if line.refund_until],
            )
        )
    return found


def _only_begins(order: OrderRow) -> bool:
    begun = {plan.line for plan in order.kept.wanted.subscriptions}
    return begun.issuperset(range(len(order.kept.quote.lines)))


async def check_may(context: Context, who: Customer, right: Right) -> None:
    """Raises NotAllowed where the owner keeps this to themselves."""
    async with site_transaction(context.pool, who.site_id) as db:
        rules = (await now_at(context, Book(db, who.site_id, who.mode))).rules
    if right not in rules.customers_may:
        raise NotAllowed("Ask the shop for this: it is not done here.")
