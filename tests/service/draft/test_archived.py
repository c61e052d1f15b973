"""Archived parts come back, and go on serving who has them; single edits are taken back long afterwards."""

from __future__ import annotations

from datetime import date

import pytest

from skurrow.service.changes import agreeing, proposing
from skurrow.service.draft import archived, configuration
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.subscriptions import subscription_books
from tests.conftest import Shop
from tests.service.draft.test_configuration import edit as edit_seen
from tests.service.draft.test_configuration import part
from tests.service.living import buy, move, noon, own_cards, paid, start_on, subscription

cards = own_cards


async def archive(shop: Shop, kind: str, part_id: str) -> int:
    there = (await configuration.draft(shop.context, shop.site_id)).parts[kind, part_id]
    made = await configuration.edit_part(shop.context, shop.site_id, shop.person_id, kind, part_id, there.change, None)
    return made.change


async def back(shop: Shop, kind: str, part_id: str, change: int) -> None:
    await archived.take_back(shop.context, shop.site_id, shop.person_id, kind, part_id, change)


async def test_what_was_archived_is_listed_by_its_name_and_comes_back_as_it_was(shop: Shop) -> None:
    assert await archived.archived(shop.context, shop.site_id, "coupon") == []
    before = (await configuration.draft(shop.context, shop.site_id)).parts["coupon", "BIND10"].body
    change = await archive(shop, "coupon", "BIND10")
    (one,) = await archived.archived(shop.context, shop.site_id, "coupon")
    assert (one.id, one.change, one.by_name) == ("BIND10", change, "Noor Vermaat")
    assert one.name == before.get("name", "BIND10")
    await back(shop, "coupon", "BIND10", change)
    assert (await configuration.draft(shop.context, shop.site_id)).parts["coupon", "BIND10"].body == before
    assert await archived.archived(shop.context, shop.site_id, "coupon") == []
    with pytest.raises(Conflict, match="brought back already"):
        await back(shop, "coupon", "BIND10", change)


async def test_one_edit_is_taken_back_and_later_ones_of_the_part_stay(shop: Shop) -> None:
    kit = await part(shop)
    first = await edit_seen(shop, kit.change, {**kit.body, "name": "Renamed"})
    second = await edit_seen(shop, first.change, {**first.body, "text": "Another text"})
    await back(shop, "product", "coptic-kit", first.change)
    now = await part(shop)
    assert (now.body["name"], now.body["text"]) == (kit.body["name"], "Another text")
    await edit_seen(shop, now.change, {**now.body, "text": "A third"})
    with pytest.raises(Conflict, match="changed again since"):
        await back(shop, "product", "coptic-kit", second.change)


async def test_an_edit_that_added_something_is_taken_back_by_archiving_it(shop: Shop) -> None:
    made = await edit_seen(shop, 0, {"id": "NEW5", "percent": "5"}, "NEW5", "coupon")
    await back(shop, "coupon", "NEW5", made.change)
    assert [one.id for one in await archived.archived(shop.context, shop.site_id, "coupon")] == ["NEW5"]
    with pytest.raises(NotFound):
        await back(shop, "coupon", "NEW5", made.change + 50)
    with pytest.raises(NotFound):
        await back(shop, "coupon", "BIND10", made.change)


async def test_how_the_site_was_set_up_first_cannot_be_taken_back(shop: Shop) -> None:
    with pytest.raises(Conflict, match="nothing before it"):
        await back(shop, "tax", "-", 1)


async def test_an_archived_product_serves_who_has_it_with_its_name_its_plans_and_its_charges(shop: Shop) -> None:
    await start_on(shop, date(2027, 4, 1))
    await buy(shop, "parcel-month")
    assert await archived.running_on(shop.context, shop.site_id, "paper-parcel") == {"test": 1}
    before = await subscription_books.story(shop.context, shop.site_id, await subscription(shop))
    prices = {one["id"] for one in (await part(shop, "paper-parcel")).body["prices"]}
    for name, body in (await configuration.draft(shop.context, shop.site_id)).parts.items():
        if name[0] == "checkout" and body.body and prices & set(body.body["prices"]):
            await archive(shop, *name)
    await archive(shop, "coupon", "PARCEL3")
    await archive(shop, "product", "paper-parcel")
    row = await subscription(shop)
    story = await subscription_books.story(shop.context, shop.site_id, row)
    assert story.plan == before.plan != row.price
    assert {one.price for one in await proposing.plans(shop.context, shop.site_id, row)} == {
        "parcel-quarter",
        "parcel-year",
    }
    await move(shop, to=noon(date(2027, 5, 2)))
    assert await paid(shop, row.id) == [("2027-04-01", "24.00"), ("2027-05-01", "24.00")]
    shown = await proposing.propose(shop.context, shop.site_id, await subscription(shop), "parcel-year")
    assert "parcel-year" not in shown.plan, "a name, no identifier"
    done = await agreeing.agree(shop.context, shop.site_id, await subscription(shop), shown.token)
    assert done.state == "now"
    row = await subscription(shop)
    assert row.price == "parcel-year"
    await move(shop, to=noon(date(2028, 5, 3)))
    assert [amount for day, amount in await paid(shop, row.id) if day.startswith("2028")] == ["240.00"]
