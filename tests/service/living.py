"""Living through subscriptions in tests: buying one, moving the calendar, reading what was charged."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest

from skurrow.core.money import format_amount
from skurrow.core.order import Buyer
from skurrow.core.subscriptions.life import Life
from skurrow.service.changes import moving
from skurrow.service.counter import opening, paying, pricing
from skurrow.service.counter.progress import Progress
from skurrow.service.counter.visit import Choice, Visit, read_visit
from skurrow.service.draft import configuration
from skurrow.service.payments.gateways import connections_for, gateway_of
from skurrow.service.subscriptions import standing
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import orders
from skurrow.store.orders.orders import OrderRow
from skurrow.store.subscriptions import subscription_events, subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow
from tests.conftest import Cards, Shop, stand_ins
from tests.payments import payment_of

ZONE = ZoneInfo("Europe/Amsterdam")
CARDS = {
    "approved": "9100246810121409",
    "approval": "9150246810121614",
    "fails_once": "9120246810121207",
    "fails_later": "9130246810121304",
    "approval_later": "9160246810121604",
    "no_funds": "9200246810122406",
    "cut": "9700246810127400",
    "no_answer": "9600246810126403",
}
ADDRESS = {"street": "Brink 1", "postal_code": "7411 BR", "city": "Deventer"}


@dataclass
class Bought:
    """What was bought, and how."""

    progress: Progress
    visit: Visit
    choice: Choice
    more: dict[str, Any] = field(default_factory=dict)


async def edit(shop: Shop, kind: str, part_id: str, **changes: Any) -> None:
    """Changes a part of the draft."""
    state = await configuration.draft(shop.context, shop.site_id)
    part = state.parts.get((kind, part_id))
    body = {**(part.body if part else {}), **changes}
    await configuration.edit_part(shop.context, shop.site_id, None, kind, part_id, part.change if part else 0, body)


async def buy(
    shop: Shop,
    price: str,
    card: str | None = "approved",
    checkout: str = "club",
    email: str = "maud@standin.example",
    delivery: str | None = "collect",
    coupons: tuple[str, ...] = (),
    **more: Any,
) -> Bought:
    """Buys a price at a checkout of the demo with a test card."""
    counter = await opening.open_counter(shop.context, f"ostrel-{checkout}")
    visit = read_visit(shop.context, counter.visit)
    choice = Choice(price=price, delivery=delivery, coupons=coupons)
    token = await shop.cards.token(CARDS[card]) if card else None
    where = Buyer(country="NL", postal_code="7411 BR")
    priced = await pricing.quote_visit(shop.context, visit, where, choice, email)
    due = format_amount(priced.quote.due_today, priced.quote.currency)
    payment = payment_of(email, "Maud Terlinden", "NL", token, due, choice, **{"address": ADDRESS, **more})
    return Bought(await paying.pay(shop.context, visit, payment), visit, choice)


async def subscription(shop: Shop, email: str = "maud@standin.example") -> SubscriptionRow:
    """The newest subscription of a customer."""
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        return (await subscriptions.subscriptions_of_customer(Book(db, shop.site_id, "test"), email))[0]


@pytest.fixture(scope="module")
def own_cards() -> Iterator[Cards]:
    """Stand-in gateways of a module's own, whose calendar its tests move; to be named `cards` there."""
    with stand_ins() as running:
        yield running


async def life(shop: Shop, email: str = "maud@standin.example") -> Life:
    """How it stands."""
    return standing.life_of(await subscription(shop, email))


async def move(shop: Shop, leap: moving.Leap | None = None, to: datetime | None = None) -> int:
    """Moves the calendar, as a worker would."""
    await moving.move(shop.context, shop.site_id, None, leap, to)
    return await moving.finish(shop.context, shop.site_id)


async def today(shop: Shop) -> date:
    """What the calendar says."""
    return (await moving.shown(shop.context, shop.site_id)).at.astimezone(ZONE).date()


def noon(day: date) -> datetime:
    """Noon of a day in the shop's zone."""
    return datetime.combine(day, time(12), ZONE)


async def start_on(shop: Shop, day: date) -> None:
    """Has the shop's clock say noon of a day to come, before anything happens."""
    shop.clock.ahead = noon(day) - (shop.clock() - shop.clock.ahead)
    await sync(shop)


async def sync(shop: Shop) -> None:
    """Has the stand-in gateway's calendar say what the shop's clock does."""
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        rows = await connections_for(Book(db, shop.site_id, "test"))
    for row in rows:
        gateway = gateway_of(shop.context, row)
        await gateway.move_calendar(None)
        await gateway.move_calendar(shop.clock())


async def all_orders(shop: Shop, subscription_id: UUID) -> list[OrderRow]:
    """The order that began a subscription, and its charges since, in order."""
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        row = await subscriptions.subscription(db, shop.site_id, subscription_id)
        assert row is not None
        first = []
        if row.order_id is not None:
            found = await orders.order_by_id(Book(db, shop.site_id, row.mode), row.order_id)
            assert found is not None
            first = [found]
        return [*first, *await orders.orders_of_subscription(Book(db, shop.site_id, row.mode), subscription_id)]


async def paid(shop: Shop, subscription_id: UUID) -> list[tuple[str, str]]:
    """What was paid on which day, by the orders that were."""
    found = []
    for one in await all_orders(shop, subscription_id):
        if one.state == "paid" and one.paid_at is not None and (one.total or one.from_balance):
            day = one.paid_at.astimezone(ZONE).date().isoformat()
            found.append((day, format_amount(one.total, one.currency)))
    return found


async def happened(shop: Shop, subscription_id: UUID) -> list[str]:
    """What happened, by kind."""
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        events = await subscription_events.subscription_events(Book(db, shop.site_id, "test"), subscription_id)
    return [one.kind for one in events]


DAY = timedelta(days=1)
