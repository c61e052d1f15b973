"""Two plans that one order began: each is charged by itself, and together they come to what the order was shown."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime
from decimal import Decimal
from uuid import UUID

from skurrow.core.money import format_amount
from skurrow.core.order import Order
from skurrow.core.quote.quote import quote
from skurrow.gateway.protocol import Kept
from skurrow.service.changes import running
from skurrow.service.codes import new_code
from skurrow.service.counter.placing import planned
from skurrow.service.draft import configuration
from skurrow.service.draft.configuration import edition_at
from skurrow.service.subscriptions import subscribing, subscription_books
from skurrow.service.subscriptions.reckoning import buyer_of
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import orders
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow
from tests.conftest import Shop
from tests.service.living import all_orders, buy, edit, move, own_cards, start_on, subscription

cards = own_cards
BOTH = "both@standin.example"


async def both(shop: Shop) -> tuple[list[SubscriptionRow], dict[date, str]]:
    """A parcel and a letter that one paid order began, and what it said is charged on each later day."""
    await start_on(shop, date(2027, 1, 31))
    letter = {"id": "letter-month", "kind": "recurring", "every": "P1M", "amount": {"EUR": "8.99"}, "label": "Letter"}
    once = {"id": "patterns", "kind": "once", "amount": {"EUR": "18.00"}, "label": "To keep", "default": True}
    await edit(shop, "product", "folding-patterns", prices=[once, letter])
    await edit(shop, "coupon", "SHARED", id="SHARED", amount={"EUR": "5.00"}, renewals="all")
    bought = await buy(shop, "parcel-month", delivery="post", email=BOTH)
    assert bought.progress.state == "paid"
    one = await subscription(shop, BOTH)
    (first,) = await all_orders(shop, one.id)
    change = (await configuration.draft(shop.context, shop.site_id)).change
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        book = Book(db, shop.site_id, "test")
        edition = await edition_at(shop.context, db, shop.site_id, change)
        order = Order.model_validate(
            {"at": first.created_at, "currency": "EUR", "coupons": ["SHARED"], "delivery": "post",
             "items": [{"price": "parcel-month", "quantity": 1}, {"price": "letter-month", "quantity": 1}],
             "buyer": buyer_of(first.buyer)}
        )  # fmt: skip
        quoted = quote(edition, order)
        wanted = {**first.wanted, "coupons": ["SHARED"], "subscriptions": planned(edition, quoted, "post")}
        row = replace(
            first, id=shop.context.new_id(), code=new_code(), visit=shop.context.new_id(), change=change,
            total=quoted.due_today, quote=quoted.as_json(), wanted=wanted,
        )  # fmt: skip
        assert await orders.add_order(db, shop.site_id, row)
        assert one.sealed_on_file is not None
        kept = Kept(shop.context.vault.open(one.sealed_on_file), one.card_ending or "", None)
        found = await subscribing.begin(shop.context, book, edition, row, one.connection_id, kept)
    await running.cancel(shop.context, shop.site_id, one)
    said = {day.on: format_amount(day.total, "EUR") for day in quoted.later}
    return found, said


async def charged(shop: Shop, subscription_id: UUID) -> dict[date, str]:
    """What was paid of a subscription's renewals, by day."""
    zone = (await configuration.draft(shop.context, shop.site_id)).edition.site.site.zone
    return {
        one.paid_at.astimezone(zone).date(): format_amount(one.total, one.currency)
        for one in await all_orders(shop, subscription_id)
        if one.kind == "renewal" and one.paid_at is not None
    }


async def test_together_they_are_charged_what_was_said_and_each_shows_its_own_part(shop: Shop) -> None:
    (box, letter), said = await both(shop)
    await move(shop, to=datetime.fromisoformat("2027-05-15T10:00:00+00:00"))
    boxes, letters = await charged(shop, box.id), await charged(shop, letter.id)
    days = [day for day in said if day < date(2027, 5, 15)]
    assert len(days) == 3
    for day in days:
        assert Decimal(boxes[day]) + Decimal(letters[day]) == Decimal(said[day]), day
    assert set(letters.values()) == {"7.63"}, "8.99 less its part of 5.00, and no delivery"
    for row in (box, letter):
        async with site_transaction(shop.context.pool, shop.site_id) as db:
            now = await subscriptions.subscription(db, shop.site_id, row.id)
        assert now is not None
        story = await subscription_books.story(shop.context, shop.site_id, now)
        told = [(one.on, format_amount(one.total, "EUR")) for one in story.promised][:3]
        assert told == list((boxes if row is box else letters).items())
        assert [one.came is not None and one.came.total == one.total for one in story.promised[:3]] == [True] * 3
        assert format_amount(story.coming[0].total, "EUR") == told[0][1]


async def test_when_one_ends_the_other_has_the_whole_coupon_and_the_delivery_stays_where_it_belongs(
    shop: Shop,
) -> None:
    (box, letter), said = await both(shop)
    await move(shop, to=datetime.fromisoformat("2027-03-15T10:00:00+00:00"))
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        running_box = await subscriptions.subscription(db, shop.site_id, box.id)
    assert running_box is not None
    await running.cancel(shop.context, shop.site_id, running_box)
    await move(shop, to=datetime.fromisoformat("2027-05-15T10:00:00+00:00"))
    assert list((await charged(shop, letter.id)).values()) == ["7.63", "3.99", "3.99"]
    assert len(await charged(shop, box.id)) == 1
    assert len(said) == 12
