"""What happened to a subscription, written down and told to its customer."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

from skurrow.core.money import parse_amount
from skurrow.service.context import Context
from skurrow.service.events import money
from skurrow.service.subscriptions import subscription_mail
from skurrow.service.subscriptions.reckoning import reckoned
from skurrow.service.subscriptions.standing import Now, life_of, serving
from skurrow.store.book import Book
from skurrow.store.orders.orders import OrderRow
from skurrow.store.subscriptions import subscription_events
from skurrow.store.subscriptions.subscription_events import SubscriptionEventRow
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

SAY_NEXT = frozenset(
    {
        *("begun", "charged", "paid_off", "trial_ends", "renewal_ahead", "card_expires", "changed", "will_change"),
        *("restarted", "taken_back", "resumed", "moved_over"),
    }
)


async def happened(
    context: Context,
    now: Now,
    row: SubscriptionRow,
    kind: str,
    body: Mapping[str, Any],
    order: OrderRow | None = None,
) -> None:
    """Writes down what happened to a subscription, and puts the mail about it by."""
    await note(context, now.book, row, kind, body)
    told = {**body, "key": body.get("key") or ""}
    coming = None
    if kind == "ended" and "amount" in body:
        told["minor"] = parse_amount(str(body["amount"]), row.currency)
    if order is not None:
        told |= {"order": f"{order.code} {body.get('try', '')}".strip(), "order_id": str(order.id)}
        told["minor"] = order.total + (order.from_balance if kind == "charged" else 0)
    if kind in SAY_NEXT:
        coming = await next_charge(context, now, row)
    if "plan" not in told:
        served = (await serving(context, now, row)).edition
        told["plan"] = subscription_mail.plan_of(served, life_of(row).next_terms.price)
    await subscription_mail.tell(context, now.book, now.edition, row, kind, told, coming)


async def next_charge(context: Context, now: Now, row: SubscriptionRow) -> tuple[date, int] | None:
    """The day and the amount of the next charge, as it is known today; None where there is none to come."""
    life = life_of(row)
    if life.next_on is None:
        return None
    found = await reckoned(context, now, row, life)
    charge = found.reckoning.on(0 if life.following is not None else life.next)
    return charge.on, charge.total


async def note(context: Context, book: Book, row: SubscriptionRow, kind: str, body: Mapping[str, Any]) -> None:
    """Writes down what happened to a subscription."""
    event = SubscriptionEventRow(context.new_id(), row.mode, row.id, kind, dict(body), context.book_now())
    await subscription_events.add_subscription_event(book.db, book.site_id, event)


def whole_money(order: OrderRow) -> dict[str, str]:
    """What an order comes to with what was taken from the balance, as events have it."""
    return money(order.total + order.from_balance, order.currency)
