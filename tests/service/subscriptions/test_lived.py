"""Lived to the day, for years, under the calendar: what is charged equals what the core had said when it was bought."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime
from typing import Any
from uuid import UUID

import pytest

from skurrow.core.money import format_amount
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Life
from skurrow.service.changes import running
from skurrow.service.draft import configuration
from skurrow.service.draft.configuration import edition_at
from skurrow.service.subscriptions.reckoning import buyer_of
from skurrow.service.subscriptions.standing import life_of
from skurrow.store.database import site_transaction
from tests.conftest import Shop
from tests.lives import live
from tests.service.living import all_orders, buy, edit, move, own_cards, start_on, subscription, sync

cards = own_cards

PRICES: list[dict[str, Any]] = [
    {"id": "weekly", "kind": "recurring", "every": "P2W", "amount": {"EUR": "9.00"}},
    {"id": "monthly", "kind": "recurring", "every": "P1M", "amount": {"EUR": "15.00"}, "default": True},
    {"id": "quarterly", "kind": "recurring", "every": "P3M", "amount": {"EUR": "42.00"}},
    {"id": "yearly", "kind": "recurring", "every": "P1Y", "amount": {"EUR": "150.00"}},
    {"id": "trial", "kind": "recurring", "every": "P1M", "amount": {"EUR": "15.00"}, "start": {"free": "P10D"}},
    {"id": "taste", "kind": "recurring", "every": "P1M", "amount": {"EUR": "15.00"},
     "start": {"amount": {"EUR": "6.00"}, "for": "P1M", "times": 2}},
    {"id": "four", "kind": "instalments", "every": "P1M", "payments": 4, "amount": {"EUR": "112.00"}},
    {"id": "hire", "kind": "instalments", "every": "P1M", "payments": 5, "again": "P1Y", "amount": {"EUR": "21.00"}},
]  # fmt: skip
IDS = [price["id"] for price in PRICES]
AWKWARD = [
    ("2027-01-31", "Europe/Amsterdam"),
    ("2028-02-29", "Europe/Amsterdam"),
    ("2027-12-31", "Pacific/Auckland"),
    ("2027-04-30", "Africa/Cairo"),  # there the hour from midnight on does not exist when the clocks go forward
]


async def school(shop: Shop, zone: str) -> None:
    """A product with every kind of price, sold at one checkout, in a zone."""
    await edit(shop, "checkout", "evening", prices=["bench-month"])
    await edit(shop, "product", "evening-bench", prices=[*PRICES, {"id": "bench-month", "kind": "free"}])
    await edit(shop, "checkout", "evening", prices=IDS)
    await edit(shop, "site", "-", time_zone=zone)


async def said(shop: Shop, email: str) -> tuple[Life, Any, Any]:
    """How a subscription stands, its edition, and its buyer."""
    row = await subscription(shop, email)
    state = await configuration.draft(shop.context, shop.site_id)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        edition = await edition_at(shop.context, db, shop.site_id, state.change)
    return life_of(row), edition, buyer_of(row.buyer)


async def came(shop: Shop, email: str) -> list[tuple[date, int, str]]:
    """What was charged since: on which day, of which period, how much."""
    row = await subscription(shop, email)
    zone = (await configuration.draft(shop.context, shop.site_id)).edition.site.site.zone
    found = []
    for order in await all_orders(shop, row.id):
        if order.kind == "renewal" and order.state == "paid":
            assert order.paid_at is not None
            day = order.paid_at.astimezone(zone).date()
            found.append((day, order.period or 0, format_amount(order.total, order.currency)))
    return found


def told(charges: list[tuple[date, int, int]]) -> list[tuple[date, int, str]]:
    return [(day, period, format_amount(total, "EUR")) for day, period, total in charges]


@pytest.mark.parametrize(("day", "zone"), AWKWARD)
async def test_every_kind_of_price_from_an_awkward_day_for_three_years(shop: Shop, day: str, zone: str) -> None:
    await start_on(shop, date.fromisoformat(day))
    await school(shop, zone)
    promised = {}
    until = datetime.fromisoformat(f"{int(day[:4]) + 3}-04-15T10:00:00+00:00")
    for price in IDS:
        email = f"{price}@standin.example"
        assert (await buy(shop, price, checkout="evening", delivery=None, email=email)).progress.state == "paid"
        life, edition, buyer = await said(shop, email)
        promised[email] = live(edition, life, buyer, until)
    await move(shop, to=until)
    for email, expected in promised.items():
        assert await came(shop, email) == told(expected.charges), email
        assert (await said(shop, email))[0].state == expected.life.state
    assert sum(len(one.charges) for one in promised.values()) > 150


@pytest.mark.parametrize("day", ["2027-01-31", "2028-02-29"])
async def test_cancelled_paused_and_failing_it_goes_as_the_core_says(shop: Shop, day: str) -> None:
    """Each price, and one thing that happens to it half-way; then both go on, the core and what is real."""
    await start_on(shop, date.fromisoformat(day))
    await school(shop, "Europe/Amsterdam")
    happens = {
        "cancelled": ("monthly", "approved"),
        "paused": ("quarterly", "approved"),
        "paused and on": ("taste", "approved"),
        "failing once": ("monthly", "fails_once"),
        "failing": ("monthly", "fails_later"),
    }
    emails = {what: f"{what.replace(' ', '.')}@standin.example" for what in happens}
    for what, (price, card) in happens.items():
        await buy(shop, price, card, checkout="evening", delivery=None, email=emails[what])
    half = datetime.fromisoformat(f"{int(day[:4])}-08-31T10:00:00+00:00")
    until = datetime.fromisoformat(f"{int(day[:4]) + 2}-03-01T10:00:00+00:00")
    tries: dict[str, int] = {}

    def refuse_of(what: str) -> Any:
        def refuse(_: Life) -> bool:
            tries[what] = tries.get(what, 0) + 1
            return {"failing once": tries[what] == 2, "failing": tries[what] >= 2}.get(what, False)

        return refuse

    before = {}
    for what, email in emails.items():
        life, edition, buyer = await said(shop, email)
        before[what] = live(edition, life, buyer, half, refuse_of(what))
    await move(shop, to=half)
    site: UUID = shop.site_id
    await running.cancel(shop.context, site, await subscription(shop, emails["cancelled"]))
    await running.pause(shop.context, site, await subscription(shop, emails["paused"]), date(int(day[:4]) + 1, 2, 28))
    row = await subscription(shop, emails["paused and on"])
    await running.pause(shop.context, site, row, None)
    acts: dict[str, Callable[[Life], Life]] = {
        "cancelled": core.cancel,
        "paused": lambda life: core.pause(life, date(int(day[:4]) + 1, 2, 28)),
        "paused and on": lambda life: core.pause(life, None),
    }
    after = {}
    for what, email in emails.items():
        _, edition, buyer = await said(shop, email)
        life = acts[what](before[what].life) if what in acts else before[what].life
        after[what] = live(edition, life, buyer, until, refuse_of(what))
    await move(shop, to=until)
    for what, email in emails.items():
        assert await came(shop, email) == told([*before[what].charges, *after[what].charges]), what
        assert (await said(shop, email))[0].state == after[what].life.state, what
    assert {what: one.life.state for what, one in after.items()} == {
        "cancelled": "ended",
        "paused": "active",
        "paused and on": "paused",
        "failing once": "active",
        "failing": "ended",
    }
    await sync(shop)
