"""What a developer does at the desk: tapes, releases to go back to, finding, previews, and what live buyers meet."""

from __future__ import annotations

import asyncio
from dataclasses import replace
from typing import Any

import pytest

from skurrow.core.check.site import check_data
from skurrow.core.edition import compile_site
from skurrow.core.problems import InvalidInput
from skurrow.service.counter import opening, placements, pricing
from skurrow.service.counter.visit import read_visit
from skurrow.service.draft import catalogue, configuration, releases
from skurrow.service.draft.configuration import Clash, Edit
from skurrow.service.live import MISSED, Live, _put
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.states import States, assemble
from skurrow.service.tape import tapes
from skurrow.service.tape.tapes import REAL, MadeOutTo, Tapes, Tried, Unsaved
from skurrow.store.database import site_transaction
from tests.conftest import IN_GB, IN_NL, Shop
from tests.service.counter.test_selling import MOSS, edit_price, go_live, opened, pay, released, story
from tests.service.draft.test_configuration import edit, part


async def tape(
    shop: Shop, *buyers: str, unsaved: Unsaved | None = None, about: str = "coptic-kit", **changes: Any
) -> Tapes:
    wanted = [MadeOutTo(one, **changes) for one in buyers or ("utrecht",)]
    made = await tapes.tapes(shop.context, shop.site_id, ("product", about), Tried(), wanted, unsaved)
    assert made is not None
    return made


def due(made: Tapes) -> list[str]:
    return [next((f"{t.tape.currency} {r.amount}" for r in t.tape.rows if r.kind == "due"), "none") for t in made.tapes]


async def dearer(shop: Shop, amount: str) -> Unsaved:
    kit = await part(shop)
    price = {**kit.body["prices"][0], "amount": {"EUR": amount}}
    return Unsaved("product", "coptic-kit", {**kit.body, "prices": [price]})


# -- tapes ----------------------------------------------------------------------------------------------------


async def test_tapes_show_what_is_not_saved_and_store_nothing(shop: Shop) -> None:
    made = await tape(shop, "utrecht", "london", "kyoto", unsaved=await dearer(shop, "50.00"))
    assert due(made) == ["EUR 54.95", "GBP 49.04", "JPY 9694"]
    assert {one.mode for one in made.tapes} == {"test"}
    assert made.problems == []
    assert (await configuration.site_state(shop.context, shop.site_id)).row.head_change == 1
    assert due(await tape(shop)) == ["EUR 52.95"]


async def test_an_unsaved_edit_that_is_wrong_is_told_and_the_tape_is_as_saved(shop: Shop) -> None:
    made = await tape(shop, unsaved=await dearer(shop, "5x"))
    assert due(made) == ["EUR 52.95"]
    assert [problem.where for problem in made.problems] == ["prices[0].amount.EUR"]


async def test_real_buyers_are_shown_the_release(shop: Shop) -> None:
    before = await tape(shop, REAL)
    assert [p.code for p in before.tapes[0].tape.problems] == ["not_released"]
    number = await released(shop)
    made = await tape(shop, REAL, "utrecht", unsaved=await dearer(shop, "50.00"))
    assert due(made) == ["EUR 52.95", "EUR 54.95"]
    assert (made.tapes[0].mode, made.tapes[0].release) == ("live", number)
    await edit_price(shop, "51.00")
    assert due(await tape(shop, REAL, "utrecht")) == ["EUR 52.95", "EUR 55.95"]


async def test_what_is_changed_in_place_changes_nothing_else(shop: Shop) -> None:
    made = await tape(shop, "ghent", country="NL", business=False, currency="USD", card="lost")
    buyer = made.tapes[0].buyer
    assert (buyer.country, buyer.business, buyer.currency, buyer.card, buyer.tax_number) == (
        "NL",
        False,
        "USD",
        "lost",
        None,
    )
    kept = (await configuration.draft(shop.context, shop.site_id)).edition.stand_in_buyers["ghent"]
    assert (kept.country, kept.business, kept.tax_number) == ("BE", True, "BE0999000030")
    wrongs: list[dict[str, Any]] = [{"country": "XX"}, {"currency": "CHF"}]
    for wrong in wrongs:
        with pytest.raises(InvalidInput) as refused:
            await tape(shop, "ghent", **wrong)
        assert [p.where for p in refused.value.problems] == list(wrong)
    with pytest.raises(NotFound):
        await tape(shop, "nobody")


@pytest.mark.parametrize(
    ("about", "price"),
    [
        (("product", "bench-press"), "press"),
        (("price", "thread"), "thread"),
        (("checkout", "class"), "class"),
        (("checkout", "gone"), "kit"),
        (None, "kit"),
    ],
)
async def test_a_tape_is_about_what_is_open(shop: Shop, about: tuple[str, str] | None, price: str) -> None:
    made = await tapes.tapes(shop.context, shop.site_id, about, Tried(), [MadeOutTo("utrecht")], None)
    assert made is not None
    assert made.price.price.id == price


# -- states ---------------------------------------------------------------------------------------------------


async def test_states_are_the_same_whether_made_step_by_step_or_anew(shop: Shop) -> None:
    for amount in ("49.00", "50.00"):
        await edit_price(shop, amount)
    body = {
        "id": "awl",
        "name": "Awl",
        "kind": "goods",
        "prices": [{"id": "awl", "kind": "once", "amount": {"EUR": "9.00"}}],
    }
    made = await edit(shop, 0, body, "awl")
    await configuration.edit_part(shop.context, shop.site_id, None, "product", "awl", made.change, None)
    step = await configuration.draft(shop.context, shop.site_id)
    shop.context.states = States()
    anew = await configuration.draft(shop.context, shop.site_id)
    assert (step.change, dict(step.parts), step.edition) == (anew.change, dict(anew.parts), anew.edition)
    assert step.edition == compile_site(check_data(assemble(list(anew.parts.values()))))


async def test_edits_that_fit_only_together_are_one_change(shop: Shop) -> None:
    kit, checkout, bundle = await part(shop), await part(shop, "kit"), await part(shop, "first-book")
    everyday = await part(shop, "shop")
    moved = {**kit.body, "prices": [{**kit.body["prices"][0], "id": "new-kit"}]}
    alone = Edit("product", "coptic-kit", kit.change, moved)
    with pytest.raises(InvalidInput):
        await configuration.edit_parts(shop.context, shop.site_id, None, [alone])
    holding = {**bundle.body, "contains": [{"price": "new-kit"}]}
    both = [
        alone,
        Edit("checkout", "kit", checkout.change, {**checkout.body, "prices": ["new-kit"]}),
        Edit("checkout", "shop", everyday.change, {**everyday.body, "prices": ["new-kit", "thread"]}),
        Edit("product", "first-book", bundle.change, holding),
    ]
    rows = await configuration.edit_parts(shop.context, shop.site_id, None, both)
    assert {row.change for row in rows} == {2}
    assert await configuration.edit_parts(shop.context, shop.site_id, None, both) == rows, "once more is the same"
    late = Edit("product", "coptic-kit", kit.change, {**moved, "name": "Later"})
    with pytest.raises(Conflict) as clash:
        await configuration.edit_parts(shop.context, shop.site_id, None, [late])
    assert isinstance(clash.value.current, Clash)
    assert (await configuration.site_state(shop.context, shop.site_id)).row.head_change == 2


async def test_what_is_archived_can_come_back_where_it_was(shop: Shop) -> None:
    papers = await part(shop, "marbling-papers")
    gone = await configuration.edit_part(
        shop.context, shop.site_id, None, "product", "marbling-papers", papers.change, None
    )
    with pytest.raises(InvalidInput, match="sells the price"):
        await configuration.edit_part(shop.context, shop.site_id, None, "product", "coptic-kit", 1, None)
    listed = [line.id for line in (await catalogue.page(shop.context, shop.site_id, "product", "", None)).lines]
    assert "marbling-papers" not in listed
    await edit(shop, gone.change, papers.body, "marbling-papers")
    listed = [line.id for line in (await catalogue.page(shop.context, shop.site_id, "product", "", None)).lines]
    assert listed[-2:] == ["marbling-papers", "first-book"]


async def test_states_forget_the_least_used(shop: Shop) -> None:
    base = await configuration.draft(shop.context, shop.site_id)
    states, count = States(), 20_000
    for n in range(count):
        states.keep(shop.site_id, replace(base, change=n))
    assert states.known(shop.site_id, 0) is None
    newest = states.latest_until(shop.site_id, count)
    assert newest is not None
    assert newest.change == count - 1


# -- releases -------------------------------------------------------------------------------------------------


async def test_going_back_releases_what_was_and_leaves_the_draft(shop: Shop) -> None:
    first = await released(shop)
    await edit_price(shop, "50.00")
    second = await released(shop)
    told = await releases.look_through(shop.context, shop.site_id, first)
    assert next((d.before, d.after) for one in told.parts for d in one.differences) == ("50.00", "48.00")
    with pytest.raises(Conflict):
        await releases.go_back(shop.context, shop.site_id, None, first, first)
    third = await releases.go_back(shop.context, shop.site_id, shop.person_id, first, second)
    assert (third.number, third.change, third.note) == (3, 1, "Back to release 1")
    assert due(await tape(shop, REAL, "utrecht")) == ["EUR 52.95", "EUR 54.95"]
    assert [one.number for one in await releases.history(shop.context, shop.site_id)] == [3, 2, 1]
    with pytest.raises(NotFound):
        await releases.go_back(shop.context, shop.site_id, None, 9, 3)


async def test_the_draft_is_put_back_as_one_change_that_can_be_undone(shop: Shop) -> None:
    first = await released(shop)
    await edit_price(shop, "50.00")
    body = {
        "id": "awl",
        "name": "Awl",
        "kind": "goods",
        "prices": [{"id": "awl", "kind": "once", "amount": {"EUR": "9.00"}}],
    }
    await edit(shop, 0, body, "awl")
    buyer = await part(shop, "utrecht")
    await edit(shop, buyer.change, {**buyer.body, "name": "Renamed"}, "utrecht", "stand_in_buyer")
    with pytest.raises(Conflict):
        await releases.put_draft_back(shop.context, shop.site_id, None, first, 3)
    assert await releases.put_draft_back(shop.context, shop.site_id, None, first, 4) == 2
    state = await configuration.draft(shop.context, shop.site_id)
    assert state.change == 5
    assert "awl" not in state.edition.prices
    assert state.edition.stand_in_buyers["utrecht"].name == "Renamed", "no buyer meets those: they stay"
    assert (await configuration.site_state(shop.context, shop.site_id)).changed == 0
    assert await releases.put_draft_back(shop.context, shop.site_id, None, first, 5) == 0


async def test_a_long_review_is_cut_and_says_so(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(releases, "MOST_PARTS", 4)
    told = await releases.look_through(shop.context, shop.site_id)
    assert (len(told.parts), told.more_parts) == (4, 26)
    assert all(one.new for one in told.parts)
    assert len(told.buyers.buyers) == 16


async def test_edits_are_told_with_who_and_what(shop: Shop) -> None:
    kit = await part(shop)
    await edit(shop, kit.change, {**kit.body, "name": "Renamed"})
    told = await configuration.recent_edits(shop.context, shop.site_id, None)
    assert (told[0].edit.by_name, [(d.what, d.before, d.after) for d in told[0].differences]) == (
        "Noor Vermaat",
        [("name", "Coptic stitch kit", "Renamed")],
    )
    assert all(one.edit.change == 1 for one in told[1:])
    assert await configuration.recent_edits(shop.context, shop.site_id, 1) == []


# -- an unreleased edit never reaches a live buyer ---------------------------------------------------------------


async def test_live_buyers_never_meet_an_unreleased_edit(shop: Shop) -> None:
    number = await released(shop)
    await go_live(shop)
    under_way = await opened(shop)
    await edit_price(shop, "99.00")
    checkout = await part(shop, "kit")
    await edit(shop, checkout.change, {**checkout.body, "heading": "Not released"}, "kit", "checkout")

    for visit in (under_way, await opened(shop)):  # the page, the quote, the order
        counter = await opening.open_counter(shop.context, "ostrel-kit")
        assert (visit.mode, visit.release) == ("live", number)
        assert (counter.mode, counter.checkout.heading) == ("live", "Your Coptic stitch kit")
        assert (await pricing.quote_visit(shop.context, visit, IN_NL, MOSS)).quote.as_json()["due_today"] == "48.00"
    with pytest.raises(Conflict, match=r"48\.00 EUR"):
        await pay(shop, under_way, expected="99.00")
    assert (await pay(shop, under_way)).state == "paid"
    order = (await story(shop, "live")).order
    assert (order.total, order.release, order.quote["due_today"]) == (4800, number, "48.00")

    link = {p.checkout: p.test_link for p in await placements.placements(shop.context, shop.site_id)}["kit"]
    tested = await opened(shop, test_pass=link.partition("?test=")[2])
    assert (
        tested.mode,
        (await pricing.quote_visit(shop.context, tested, IN_NL, MOSS)).quote.as_json()["due_today"],
    ) == (
        "test",
        "99.00",
    )


async def test_whoever_is_under_way_keeps_the_release_they_began_with(shop: Shop) -> None:
    first = await released(shop)
    await go_live(shop)
    under_way = await opened(shop)
    await edit_price(shop, "99.00")
    second = await released(shop)
    assert (await pay(shop, under_way)).state == "paid"
    assert (await story(shop, "live")).order.release == first
    assert (await opened(shop)).release == second


# -- previews, finding, following ------------------------------------------------------------------------------


async def test_a_preview_is_a_test_visit_filled_in_for_its_buyer(shop: Shop) -> None:
    await released(shop)
    await go_live(shop)
    state = await configuration.draft(shop.context, shop.site_id)
    buyer = tapes.made_out(state.edition, MadeOutTo("london"))
    token = opening.preview_token(shop.context, shop.site_id, "kit", buyer)
    counter = await opening.open_preview(shop.context, token)
    visit = read_visit(shop.context, counter.visit)
    assert (visit.mode, visit.currency, counter.filled and counter.filled.email) == (
        "test",
        "GBP",
        "alma@standin.example",
    )
    assert (await pricing.quote_visit(shop.context, visit, IN_GB, MOSS)).quote.as_json()["lines"][0][
        "subtotal"
    ] == "42.00"
    for wrong in ("forged", token + "x", counter.visit):
        with pytest.raises(NotFound):
            await opening.open_preview(shop.context, wrong)


async def test_lists_are_paged_and_searched_by_any_part_of_a_name(shop: Shop) -> None:
    def sheet(n: int) -> Edit:
        part_id = f"sheet-{n:03}"
        price = {"id": part_id, "kind": "once", "amount": {"EUR": "2.00"}}
        return Edit("product", part_id, 0, {"id": part_id, "name": f"Sheet {n:03}", "kind": "goods", "prices": [price]})

    await configuration.edit_parts(shop.context, shop.site_id, None, [sheet(n) for n in range(120)])
    seen: list[str] = []
    after = None
    while True:
        page = await catalogue.page(shop.context, shop.site_id, "product", "SHEET", after)
        seen += [line.id for line in page.lines]
        assert page.total == 121, "the sheets, and “Marbling, first sheets”"
        if page.next is None:
            break
        after = page.next
    assert len(seen) == len(set(seen)) == 121
    assert (await catalogue.page(shop.context, shop.site_id, "product", "sheet 07", None)).total == 10
    assert [one.price.id for one in await catalogue.prices(shop.context, shop.site_id, "bench press")] == [
        "press",
        "press-4",
    ]
    unsold = await catalogue.prices(shop.context, shop.site_id, "", unsold=True)
    assert [one.price.id for one in unsold[:2]] == ["parcel-first-members", "bench-taste"]


async def test_anything_is_found_by_its_name_those_that_begin_so_first(shop: Shop) -> None:
    await pay(shop, await opened(shop), name="Marbel Jansen")
    found = await catalogue.jump(shop.context, shop.site_id, "marb")
    assert {one.kind for one in found} >= {"product", "checkout", "price", "order"}
    assert found[0].name == "Marbling, complete"
    products = [one.name for one in found if one.kind == "product"]
    assert products[-1] == "Five marbling papers", "begins otherwise, so it comes last"
    assert await catalogue.jump(shop.context, shop.site_id, "  ") == []
    assert await catalogue.jump(shop.context, shop.site_id, "zzz") == []
    assert [one.id for one in await catalogue.jump(shop.context, shop.site_id, "consumer, kyoto")] == ["kyoto"]


async def test_what_happens_is_told_to_those_who_follow_that_site(shop: Shop) -> None:
    live = Live(shop.database.app)
    listening = asyncio.create_task(live.run())
    try:
        with live.follow(shop.site_id) as mine, live.follow(shop.context.new_id()) as other:
            assert await asyncio.wait_for(mine.get(), 10) == MISSED, "connected: ask for everything once"
            await edit_price(shop, "50.00")
            told = await asyncio.wait_for(mine.get(), 10)
            assert (told["kind"], told["part"], told["id"], told["change"]) == ("draft", "product", "coptic-kit", 2)
            await pay(shop, await opened(shop), expected="50.00")
            kinds = [(await asyncio.wait_for(mine.get(), 10))["what"] for _ in range(4)]
            assert kinds == ["order.placed", "charge.attempted", "charge.made", "order.paid"]
            await released(shop)
            assert await asyncio.wait_for(mine.get(), 10) == {"kind": "release", "number": 1}
            async with site_transaction(shop.context.pool, shop.site_id) as db:
                await db.execute("delete from members")
            assert await asyncio.wait_for(mine.get(), 10) == {"kind": "people"}
            assert other.get_nowait() == MISSED
            assert other.empty()

            # The database cuts the connection: it is taken up again, and what may have been missed is said.
            async with site_transaction(shop.context.pool, shop.site_id) as db:
                await db.execute(
                    "select pg_terminate_backend(pid) from pg_stat_activity where query like 'listen%'"
                    " and usename = current_user and datname = current_database()"
                )
            assert await asyncio.wait_for(mine.get(), 10) == MISSED
    finally:
        listening.cancel()


async def test_a_follower_who_does_not_read_is_told_that_much_was_missed(shop: Shop) -> None:
    live = Live(shop.database.app)
    with live.follow(shop.site_id) as mine:
        for number in range(250):
            _put(mine, {"kind": "release", "number": number})
        waiting = [mine.get_nowait() for _ in range(mine.qsize())]
    assert waiting[0] == MISSED, "in place of the first two hundred"
    assert [told["number"] for told in waiting[1:]] == list(range(201, 250))
