"""The page of a mailed link, on which a renewal is paid or approved."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal
from uuid import UUID

from skurrow.service.account.cards import new_card
from skurrow.service.changes.acting import Done
from skurrow.service.context import Context
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.subscriptions.standing import life_of, now_at
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts, orders
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow


async def of_renewal_link(context: Context, token: str) -> tuple[UUID, SubscriptionRow]:
    """The subscription that a mailed link is about, which needs no signing in. Raises NotFound."""
    data = context.signer.read("renewal", token)
    if data is None:
        raise NotFound("there is no such page")
    site_id = UUID(data["s"])
    async with site_transaction(context.pool, site_id) as db:
        row = await subscriptions.subscription(db, site_id, UUID(data["i"]))
    if row is None:
        raise NotFound("there is no such page")
    return site_id, row


@dataclass(frozen=True, slots=True)
class OpenRenewal:
    """A renewal that waits to be paid or approved: what it is for, and where it is approved, if that is asked for."""

    row: SubscriptionRow
    shop: str
    url: str
    colour: str
    total: int
    approve_at: str | None
    state: Literal["approve", "pay", "paid", "over"]


async def pay_renewal(context: Context, site_id: UUID, row: SubscriptionRow, gateway: str, token: str) -> Done:
    """Pays the charge that a mailed link is about with a card that was just typed, which is kept. The link is good for
    nothing else: an old one puts no card on file. Raises Conflict where nothing waits to be paid."""
    if (await open_renewal(context, site_id, row)).state != "pay":
        raise Conflict("There is nothing to pay here now. Reload the page.")
    return await new_card(context, site_id, row, gateway, token)


async def open_renewal(context: Context, site_id: UUID, row: SubscriptionRow) -> OpenRenewal:
    """How the charge stands that a mailed link is about."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        now, life = await now_at(context, book), life_of(row)
        order = await orders.order_of_period(book, row.id, life.period)
        tried = [] if order is None else await attempts.attempts_of(book, order.id)
    of = now.edition.site.site
    waiting = next((one for one in tried if one.state == "open"), None)
    state: Literal["approve", "pay", "paid", "over"] = "paid"
    if life.over:
        state = "over"
    elif waiting is not None and waiting.approve_at is not None:
        state = "approve"
    elif life.state == "failing" and order is not None:
        state = "pay"
    total = order.total if order is not None else 0
    return OpenRenewal(row, of.name, of.url, of.colour, total, waiting.approve_at if waiting else None, state)
