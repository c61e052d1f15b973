"""Draft and release: edits that notice each other, and releases that never change."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest

from skurrow.core.problems import InvalidInput
from skurrow.service.draft import configuration, releases
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store.database import site_transaction
from skurrow.store.draft.sites import PartRow
from tests.conftest import Shop


async def part(shop: Shop, part_id: str = "coptic-kit") -> PartRow:
    parts = (await configuration.draft(shop.context, shop.site_id)).parts
    return next(p for p in parts.values() if p.part_id == part_id)


async def edit(
    shop: Shop, seen: int, body: dict[str, Any], part_id: str = "coptic-kit", kind: str = "product"
) -> PartRow:
    return await configuration.edit_part(shop.context, shop.site_id, shop.person_id, kind, part_id, seen, body)


async def test_an_edit_changes_the_draft_and_no_release(shop: Shop) -> None:
    first = await releases.release(shop.context, shop.site_id, shop.person_id, 1)
    kit = await part(shop)
    await edit(shop, kit.change, {**kit.body, "name": "Renamed"})
    edition = (await configuration.draft(shop.context, shop.site_id)).edition
    assert edition.prices["kit"].product.name == "Renamed"
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        old = await configuration.edition_at(shop.context, db, shop.site_id, first.change)
    assert old.prices["kit"].product.name == "Coptic stitch kit"
    state = await configuration.site_state(shop.context, shop.site_id)
    assert state.changed == 1
    told = await releases.look_through(shop.context, shop.site_id)
    assert [(one.part.part_id, [d.what for d in one.differences]) for one in told.parts] == [("coptic-kit", ["name"])]
    assert state.release is not None
    assert (state.release.number, state.release.by_name) == (1, "Noor Vermaat")


async def test_whoever_is_slower_is_told_and_overwrites_nothing(shop: Shop) -> None:
    kit = await part(shop)
    await edit(shop, kit.change, {**kit.body, "name": "Theirs"})
    with pytest.raises(Conflict) as caught:
        await edit(shop, kit.change, {**kit.body, "name": "Mine"})
    assert caught.value.current.current.body["name"] == "Theirs"
    assert (await part(shop)).body["name"] == "Theirs"


async def test_of_many_edits_at_once_one_wins(shop: Shop) -> None:
    kit = await part(shop)
    edits = [edit(shop, kit.change, {**kit.body, "name": f"Name {n}"}) for n in range(8)]
    results = await asyncio.gather(*edits, return_exceptions=True)
    assert sum(isinstance(r, PartRow) for r in results) == 1
    assert sum(isinstance(r, Conflict) for r in results) == 7
    assert (await configuration.site_state(shop.context, shop.site_id)).row.head_change == 2


async def test_edits_of_different_parts_do_not_disturb_each_other(shop: Shop) -> None:
    kit, press = await part(shop), await part(shop, "bench-press")
    await asyncio.gather(
        edit(shop, kit.change, {**kit.body, "name": "A"}),
        edit(shop, press.change, {**press.body, "name": "B"}, "bench-press"),
    )
    assert ((await part(shop)).body["name"], (await part(shop, "bench-press")).body["name"]) == ("A", "B")


@pytest.mark.parametrize(
    ("body", "where"),
    [
        ({"name": ""}, "name"),
        ({"prices": [{"id": "kit", "kind": "once", "amount": {"EUR": "1.234"}}]}, "prices[0].amount.EUR"),
        ({"prices": [{"id": "other", "kind": "once", "amount": {"EUR": "1.23"}}]}, "checkouts[0].prices[0]"),
        ({"prices": [{"id": "press", "kind": "once", "amount": {"EUR": "1.23"}}]}, "id"),
        ({"ladder": ["kit"]}, "ladder"),
        ({"stock": -4}, "stock"),
        ({"colour": "red"}, "colour"),
    ],
)
async def test_what_would_make_the_draft_wrong_is_refused_by_field(
    shop: Shop, body: dict[str, Any], where: str
) -> None:
    kit = await part(shop)
    with pytest.raises(InvalidInput) as caught:
        await edit(shop, kit.change, {**kit.body, **body})
    assert any(p.where.endswith(where) for p in caught.value.problems), [p.where for p in caught.value.problems]
    assert (await part(shop)) == kit


async def test_a_new_part_needs_a_name_of_its_own(shop: Shop) -> None:
    body = {
        "id": "awl",
        "name": "Awl",
        "kind": "goods",
        "prices": [{"id": "awl", "kind": "once", "amount": {"EUR": "9.00"}}],
    }
    made = await edit(shop, 0, body, "awl")
    assert made.position == 12
    with pytest.raises(InvalidInput, match="already called"):
        await edit(shop, 0, {**body, "name": "Another awl"}, "awl")
    with pytest.raises(NotFound):
        await edit(shop, 7, body, "nothing")


async def test_the_same_edit_once_more_is_stored_once_and_is_no_clash(shop: Shop) -> None:
    kit = await part(shop)
    body = {**kit.body, "name": "Renamed"}
    first = await edit(shop, kit.change, body)
    assert await edit(shop, kit.change, body) == first
    new = {**body, "id": "other", "prices": [{**kit.body["prices"][0], "id": "other"}]}
    made = await edit(shop, 0, new, "other")
    assert await edit(shop, 0, new, "other") == made, "a lost answer makes no second product"
    gone = await configuration.edit_part(shop.context, shop.site_id, None, "product", "other", made.change, None)
    again = await configuration.edit_part(shop.context, shop.site_id, None, "product", "other", made.change, None)
    assert again == gone
    assert (await configuration.site_state(shop.context, shop.site_id)).row.head_change == 4


async def test_a_new_checkout_gets_an_address_and_keeps_it(shop: Shop) -> None:
    from skurrow.service.counter.placements import placements

    body = {"id": "thread", "name": "Thread", "prices": ["thread"]}
    made = await edit(shop, 0, body, "thread", "checkout")
    link = {p.checkout: p.link for p in await placements(shop.context, shop.site_id)}["thread"]
    await edit(shop, made.change, {**body, "name": "Threads"}, "thread", "checkout")
    assert {p.checkout: p.link for p in await placements(shop.context, shop.site_id)}["thread"] == link


async def test_only_what_was_looked_through_is_released(shop: Shop) -> None:
    kit = await part(shop)
    await edit(shop, kit.change, {**kit.body, "name": "Later"})
    with pytest.raises(Conflict, match="has changed since"):
        await releases.release(shop.context, shop.site_id, None, kit.change)
    first = await releases.release(shop.context, shop.site_id, None, 2)
    again = await releases.release(shop.context, shop.site_id, None, 2)
    assert (first.number, again.number) == (1, 1), "pressed twice, released once"


async def test_releasing_at_once_makes_one_release(shop: Shop) -> None:
    presses = [releases.release(shop.context, shop.site_id, None, 1) for _ in range(6)]
    results = await asyncio.gather(*presses, return_exceptions=True)
    assert all(isinstance(r, Conflict) or getattr(r, "number", None) == 1 for r in results), results
    state = await configuration.site_state(shop.context, shop.site_id)
    assert state.release is not None
    assert state.release.number == 1
