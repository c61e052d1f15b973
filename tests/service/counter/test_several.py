"""Several things in one order: what may be taken together, what it comes to, and what becomes of a basket."""

from __future__ import annotations

import asyncio
from decimal import Decimal
from itertools import permutations
from typing import Any
from uuid import UUID, uuid4

import pytest

from skurrow.core.money import format_amount
from skurrow.core.order import Buyer, QuoteRefused
from skurrow.core.problems import InvalidInput
from skurrow.service.counter import baskets, opening, paying, pricing, returning, selling_states
from skurrow.service.counter.baskets import Basket, Thing, things_of_link
from skurrow.service.counter.opening import Counter
from skurrow.service.counter.progress import Progress
from skurrow.service.counter.visit import Choice, Taken, Visit, read_visit
from skurrow.service.draft import configuration
from skurrow.service.limits import BASKETS
from skurrow.service.orders import books
from skurrow.service.papers.papers import of_row
from skurrow.service.payments import gateways
from skurrow.service.refusals import Closed, Conflict, TooMany
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import holds
from skurrow.store.papers import papers
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow
from tests.conftest import Cards, Shop, strict
from tests.payments import payment_of
from tests.service.counter.test_selling import go_live, released, story
from tests.service.living import ADDRESS, CARDS, ZONE, all_orders, edit, move, own_cards, sync

cards = own_cards

KIT, CHALK = Taken("kit", 2, "moss"), Taken("kit", 1, "chalk")
THREAD, PATTERNS, PARCEL, PRESS = Taken("thread", 3), Taken("patterns"), Taken("parcel-month"), Taken("press-4")
NL = Buyer(country="NL", postal_code="7411 BR")


def taking(*items: Taken, delivery: str = "post", **more: Any) -> Choice:
    return Choice(items=items, delivery=delivery, **more)


async def opened(shop: Shop, checkout: str = "shop", **how: Any) -> Counter:
    return await opening.open_counter(shop.context, f"ostrel-{checkout}", **how)


async def visiting(shop: Shop, checkout: str = "shop", **how: Any) -> Visit:
    return read_visit(shop.context, (await opened(shop, checkout, **how)).visit)


async def pay(shop: Shop, visit: Visit, choice: Choice, card: str = "approved", **more: Any) -> Progress:
    token = await shop.cards.token(CARDS[card], visit.mode)
    priced = await pricing.quote_visit(shop.context, visit, NL, choice, "maud@standin.example")
    due = format_amount(priced.quote.due_today, priced.quote.currency)
    typed = {"address": ADDRESS, "choice": choice, **more}
    return await paying.pay(
        shop.context, visit, payment_of("maud@standin.example", "Maud Terlinden", "NL", token, due, **typed)
    )


async def begun(shop: Shop) -> list[SubscriptionRow]:
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        found = await subscriptions.subscriptions_of_customer(Book(db, shop.site_id, "test"), "maud@standin.example")
    return sorted(found, key=lambda one: one.price)


async def papers_of(shop: Shop, order_id: UUID) -> list[Any]:
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        return [of_row(one) for one in await papers.papers_of(Book(db, shop.site_id, "test"), order_id)]


async def told_by(shop: Shop, visit: Visit, choice: Choice) -> list[tuple[str, str]]:
    """What is wrong with a choice: where, and its code."""
    with pytest.raises(QuoteRefused) as refused:
        await pricing.quote_visit(shop.context, visit, NL, choice)
    return [(one.where, one.code) for one in refused.value.problems]


# -- a mixed order -----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("currency", ["EUR", "GBP"])
async def test_parcel_download_plan_and_instalments_are_one_charge_and_add_up(shop: Shop, currency: str) -> None:
    visit = await visiting(shop, currency=currency)
    choice = taking(KIT, CHALK, PATTERNS, PARCEL, PRESS)
    assert (await pay(shop, visit, choice)).state == "paid"
    told = await story(shop)
    (charge,) = told.charges
    quoted = told.order.quote
    assert (charge.amount, charge.currency) == (told.order.total, currency)
    assert [(line["price"], line["variant"], line["quantity"]) for line in quoted["lines"]] == [
        ("kit", "moss", 2),
        ("kit", "chalk", 1),
        ("patterns", None, 1),
        ("parcel-month", None, 1),
        ("press-4", None, 1),
    ]
    parts = [Decimal(line["total"]) for line in quoted["lines"]] + [Decimal(quoted["delivery"]["total"])]
    assert sum(parts) == Decimal(quoted["due_today"]) == Decimal(format_amount(charge.amount, currency))
    # Each plan is a subscription of its own, and what they are charged later is what the order said, day by day.
    plans = await begun(shop)
    assert [one.price for one in plans] == ["parcel-month", "press-4"]
    assert {one.currency for one in plans} == {currency}
    promised: dict[str, Decimal] = {one["on"]: Decimal(one["total"]) for one in quoted["later"]}
    await sync(shop)
    for _ in range(3):
        await move(shop, "month")
    charged: dict[str, Decimal] = {}
    for plan in plans:
        for order in (await all_orders(shop, plan.id))[1:]:
            assert (order.state, order.currency) == ("paid", currency)
            on = order.created_at.astimezone(ZONE).date().isoformat()
            charged[on] = charged.get(on, Decimal(0)) + Decimal(format_amount(order.total, currency))
    assert len(charged) == 3
    assert charged == {on: promised[on] for on in charged}


async def test_the_paper_of_a_mixed_order_has_the_whole_set_of_instalments_and_the_later_ones_none(shop: Shop) -> None:
    visit = await visiting(shop)
    assert (await pay(shop, visit, taking(KIT, PRESS))).state == "paid"
    told = await story(shop)
    (paper,) = await papers_of(shop, told.order.id)
    assert [(line.name, line.total) for line in paper.lines][:2] == [
        ("Coptic stitch kit, Moss", "96.00"),
        ("Bench press", "448.00"),
    ]
    still = {one["on"]: one["amount"] for one in told.order.quote["set"]["still_due"]}
    assert len(still) == 3
    assert set(still.values()) == {"112.00"}
    (plan,) = await begun(shop)
    await sync(shop)
    await move(shop, "month")
    later = (await all_orders(shop, plan.id))[1]
    assert (later.state, format_amount(later.total, "EUR")) == ("paid", "112.00")
    assert await papers_of(shop, later.id) == []
    # Alone, the set is documented as it is beside other things.
    other = await visiting(shop)
    await pay(shop, other, taking(PRESS))
    alone = (await story_of(shop, other)).order.quote["set"]
    assert alone["lines"][0]["total"] == "448.00"
    assert alone["lines"][0]["tax"] == told.order.quote["set"]["lines"][1]["tax"]


async def story_of(shop: Shop, visit: Visit) -> books.OrderStory:
    listed = (await books.page(shop.context, shop.site_id, "test", None, "")).orders
    code = next(one.code for one in listed if one.visit == visit.id)
    return await books.story(shop.context, shop.site_id, "test", code)


async def test_the_order_in_which_things_are_taken_never_changes_the_total(shop: Shop) -> None:
    visit = await visiting(shop, currency="GBP")
    for to in (NL, Buyer(country="GB", postal_code="EC1A 1BB"), Buyer(country="DE", postal_code="10115")):
        found = set()
        for items in permutations((KIT, THREAD, PATTERNS, PARCEL)):
            quoted = (await pricing.quote_visit(shop.context, visit, to, taking(*items, coupons=("fiver",)))).quote
            found.add((quoted.due_today, quoted.tax_total, tuple((one.on, one.total) for one in quoted.later)))
        assert len(found) == 1


async def test_stock_is_held_for_all_lines_or_for_none(shop: Shop) -> None:
    presses = [await visiting(shop) for _ in range(6)]
    for visit in presses:
        assert (await pay(shop, visit, taking(PRESS))).state == "paid"
    with pytest.raises(Conflict, match=r"“Bench press” has just been sold out\. Nothing was charged\."):
        await pay(shop, await visiting(shop), taking(KIT, PRESS))
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        kits = await holds.levels(Book(db, shop.site_id, "test"), ["coptic-kit"])
    assert {one.remaining for one in kits} <= {40}


# -- what goes together --------------------------------------------------------------------------------------------


async def test_what_cannot_be_taken_together_is_said_at_its_line(shop: Shop) -> None:
    visit = await visiting(shop)
    year = Taken("parcel-year")
    assert await told_by(shop, visit, taking(KIT, PARCEL, year)) == [("items[2].price", "one_step")]
    ten = (Taken("kit", 6, "moss"), Taken("kit", 5, "chalk"))
    assert await told_by(shop, visit, taking(*ten)) == [("items[1].quantity", "quantity")]
    assert await told_by(shop, visit, taking(Taken("kit", 1), Taken("nothing"))) == [
        ("items[0].variant", "missing"),
        ("items[1].price", "unknown"),
    ]
    assert await told_by(shop, visit, Choice()) == [("items", "nothing_chosen")]
    assert await told_by(shop, visit, taking(Taken("parcel-first-members"))) == [("items[0].price", "unknown")]
    club = await visiting(shop, "club")
    assert await told_by(shop, club, taking(PARCEL, year)) == [("items[1]", "only_one")]
    assert await told_by(shop, club, taking(KIT)) == [("items[0].price", "unknown")]


async def test_what_is_paid_when_it_comes_out_is_ordered_by_itself(shop: Shop) -> None:
    await edit(shop, "product", "folding-patterns", available_from="2099-01-01", charged="at_release")
    visit = await visiting(shop)
    assert await told_by(shop, visit, taking(KIT, PATTERNS)) == [("items[1].price", "alone")]
    alone = await pricing.quote_visit(shop.context, visit, NL, taking(PATTERNS))
    assert alone.quote.due_today == 0
    await edit(shop, "product", "folding-patterns", available_from="2020-01-01")
    out = await visiting(shop)
    assert (await pricing.quote_visit(shop.context, out, NL, taking(KIT, PATTERNS))).quote.due_today > 0


async def test_a_checkouts_own_discount_comes_off_each_thing_in_each_currency(shop: Shop) -> None:
    await edit(shop, "checkout", "shop", discount={"percent": "10"})
    visit = await visiting(shop, currency="GBP")
    quoted = (await pricing.quote_visit(shop.context, visit, NL, taking(KIT, THREAD))).quote
    assert [(line.subtotal, line.subtotal - line.left) for line in quoted.lines] == [(8400, 840), (3150, 315)]
    await edit(shop, "checkout", "shop", discount={"amount": {"EUR": "2.00"}})
    visit = await visiting(shop, currency="GBP")
    quoted = (await pricing.quote_visit(shop.context, visit, NL, taking(KIT, THREAD))).quote
    assert [line.subtotal - line.left for line in quoted.lines] == [172, 172]  # 2.00 at 0.86


async def test_a_checkout_offers_some_of_the_ways_to_pay(shop: Shop) -> None:
    keys = shop.cards.installation.test_gateways()
    for gateway in ("standin-wallet", "standin-debit"):
        await gateways.connect(shop.context, shop.site_id, gateway, "test", keys[gateway])
    visit = await visiting(shop)
    assert [one.gateway for one in (await opened(shop)).pay] == ["standin-cards", "standin-wallet", "standin-debit"]
    await edit(shop, "checkout", "shop", ways=["standin-wallet"])
    counter = await opened(shop, country="JP")
    assert [one.gateway for one in counter.pay] == ["standin-wallet"]
    assert "JPY" not in counter.currencies  # the wallet takes none
    only = read_visit(shop.context, counter.visit)
    priced = await pricing.quote_visit(shop.context, only, NL, taking(THREAD))
    assert await pricing.ways_to_pay(shop.context, only, priced, "NL") == ["standin-wallet"]
    with pytest.raises(QuoteRefused, match="This way to pay is not offered any more"):
        await pay(shop, only, taking(THREAD), way="standin-cards")
    assert (await pay(shop, visit, taking(THREAD), way="standin-cards")).state == "paid"  # as they met it
    with pytest.raises(InvalidInput, match="is not among the site's ways to pay"):
        await edit(shop, "checkout", "shop", ways=["unheard-of"])


async def test_a_statement_names_the_product_where_it_is_paid_by_itself(shop: Shop) -> None:
    await edit(shop, "product", "folding-patterns", statement="Ostrel Patterns & Co.")
    await edit(shop, "product", "paper-parcel", statement="Ostrel Paper Parcel")

    async def shown(*items: Taken) -> str:
        visit = await visiting(shop)
        await pay(shop, visit, taking(*items))
        return str((await story_of(shop, visit)).attempts[0].sent["text"])

    assert await shown(PATTERNS) == "Ostrel Patterns + Co."
    assert await shown(KIT) == "Ostrel Bindery"
    assert await shown(PATTERNS, KIT) == await shown(PATTERNS, PARCEL) == "Ostrel Bindery"
    await move(shop, "month")
    (plan,) = await begun(shop)
    (renewal,) = [one for one in await all_orders(shop, plan.id) if one.kind == "renewal"]
    told = await books.story(shop.context, shop.site_id, "test", renewal.code)
    assert told.attempts[0].sent["text"] == "Ostrel Paper Parcel"


async def test_what_is_stopped_is_not_sold_and_the_rest_is(shop: Shop) -> None:
    under_way = await visiting(shop)
    for product in ("coptic-kit", "linen-thread", "folding-patterns", "paper-parcel", "bench-press"):
        await selling_states.stop_part(shop.context, shop.site_id, shop.person_id, "product", product, "")
    counter = await opened(shop)  # all that it lists is stopped, and a basket may hold something else
    assert {one.left for one in counter.offered} == {0}
    with pytest.raises(Closed, match="“Linen thread set” is not sold at the moment"):
        await pay(shop, under_way, taking(Taken("papers"), THREAD))
    assert (await pay(shop, under_way, taking(Taken("papers")))).state == "paid"


# -- baskets ---------------------------------------------------------------------------------------------------------


async def put(shop: Shop, visit: Visit, basket: UUID, *things: Thing, anew: bool = False) -> Basket:
    return await baskets.put(shop.context, visit, basket, things, anew, "192.0.2.7")


async def looked_into(shop: Shop, visit: Visit, basket: UUID) -> Basket:
    return (await returning.with_basket(shop.context, visit, basket)).basket


async def test_a_basket_goes_from_checkout_to_checkout(shop: Shop) -> None:
    await edit(shop, "checkout", "kit", choose="several")
    mine, kit, everyday = uuid4(), await visiting(shop, "kit"), await visiting(shop)
    assert await looked_into(shop, kit, mine) == Basket()
    assert (await put(shop, kit, mine, Thing("kit", 2, "moss"))).sold == (Thing("kit", 2, "moss"),)
    found = await put(shop, everyday, mine, Thing("thread", 1), Thing("marbling", 1))
    assert [one.price for one in found.sold] == ["kit", "thread", "marbling"]
    assert await looked_into(shop, kit, mine) == Basket((Thing("kit", 2, "moss"),), 2)
    await put(shop, kit, mine, Thing("kit", 0, "moss"), Thing("kit", 1, "chalk"))
    shown = await opened(shop, basket=mine)
    assert [(one.price, one.quantity, one.variant) for one in shown.basket.sold] == [
        ("thread", 1, None),
        ("marbling", 1, None),
        ("kit", 1, "chalk"),
    ]
    assert "marbling" in [one.priced.price.id for one in shown.offered]
    more = await baskets.put(shop.context, kit, mine, [Thing("kit", 2, "chalk"), Thing("kit", 1, "moss")], more=True)
    assert more.sold == (Thing("kit", 3, "chalk"), Thing("kit", 1, "moss"))
    anew = await put(shop, kit, mine, Thing("kit", 3, "indigo"), anew=True)
    assert anew == Basket((Thing("kit", 3, "indigo"),), 2)
    assert (await looked_into(shop, await visiting(shop), uuid4())).sold == ()


async def test_a_basket_holds_only_what_there_is(shop: Shop) -> None:
    mine, visit = uuid4(), await visiting(shop)
    with pytest.raises(QuoteRefused) as refused:
        await put(shop, visit, mine, Thing("nothing", 1), Thing("kit", 1), Thing("kit", 1, "red"))
    assert [one.where for one in refused.value.problems] == [
        "items[0].price",
        "items[1].variant",
        "items[2].variant",
    ]
    assert (await looked_into(shop, visit, mine)).sold == ()
    assert (await put(shop, visit, mine, Thing("kit", 99, "moss"))).sold == (Thing("kit", 10, "moss"),)
    # What is not offered any more is named, and the rest stays.
    await put(shop, visit, mine, Thing("thread", 1))
    thread = (await configuration.draft(shop.context, shop.site_id)).parts["product", "linen-thread"]
    await edit(shop, "checkout", "shop", prices=["kit"])
    await edit(shop, "product", "linen-thread", prices=[{**thread.body["prices"][0], "offered": False}])
    found = await looked_into(shop, await visiting(shop), mine)
    assert found == Basket((Thing("kit", 10, "moss"),), 0, ("“Linen thread set” is not sold any more.",))


async def test_two_windows_fill_one_basket(shop: Shop) -> None:
    mine, visit = uuid4(), await visiting(shop)
    things = [
        Thing("patterns", 1),
        Thing("kit", 1, "moss"),
        Thing("kit", 1, "chalk"),
        Thing("thread", 2),
        Thing("papers", 1),
    ]
    await asyncio.gather(*(put(shop, visit, mine, one) for one in things))
    found = await looked_into(shop, visit, mine)
    assert {one.same for one in found.sold} == {one.same for one in things}


async def test_what_was_paid_is_out_of_the_basket_and_what_came_since_stays(shop: Shop) -> None:
    mine, visit = uuid4(), await visiting(shop)
    await put(shop, visit, mine, Thing("kit", 2, "moss"), Thing("thread", 3))
    refused = await pay(shop, visit, taking(KIT, THREAD), "no_funds", basket=mine)
    assert refused.state == "refused"
    assert len((await looked_into(shop, visit, mine)).sold) == 2
    assert (await pay(shop, visit, taking(KIT, THREAD), basket=mine)).state == "paid"
    other = await visiting(shop)
    assert (await looked_into(shop, other, mine)).sold == ()
    await put(shop, other, mine, Thing("papers", 1))
    assert (await looked_into(shop, other, mine)).sold == (Thing("papers", 1),)
    await put(shop, other, mine, Thing("kit", 1, "moss"))
    assert [one.price for one in (await looked_into(shop, other, mine)).sold] == ["papers", "kit"]


async def test_baskets_of_the_two_books_never_meet(shop: Shop) -> None:
    mine, trying = uuid4(), await visiting(shop)
    await put(shop, trying, mine, Thing("kit", 1, "moss"))
    await released(shop)
    await go_live(shop)
    real = await visiting(shop)
    assert real.mode == "live"
    assert (await looked_into(shop, real, mine)).sold == ()
    await put(shop, real, mine, Thing("thread", 1))
    assert [one.price for one in (await looked_into(shop, trying, mine)).sold] == ["kit"]


async def test_nobody_fills_the_database_with_baskets(shop: Shop) -> None:
    strict(shop.context)
    visit = await visiting(shop)
    for _ in range(BASKETS.most):
        await put(shop, visit, uuid4(), Thing("kit", 1, "moss"))
    with pytest.raises(TooMany, match="Too many baskets"):
        await put(shop, visit, uuid4(), Thing("kit", 1, "moss"))
    assert (await looked_into(shop, visit, uuid4())).sold == ()  # looking costs nothing


# -- by link -----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("checkout", "written", "brought", "wrong"),
    [
        ("shop", "kit:2:moss,thread:1", [("kit", 2, "moss"), ("thread", 1, None)], []),
        ("shop", "kit, thread ,", [("kit", 1, "moss"), ("thread", 1, None)], []),
        ("shop", "kit:1:moss,kit:2:moss,kit:1:chalk", [("kit", 3, "moss"), ("kit", 1, "chalk")], []),
        ("shop", "kit:2:red,thread", [("thread", 1, None)], ["“Coptic stitch kit” does not come in “red”."]),
        ("shop", "cushion:1,thread:x", [], ["“cushion” is not sold here.", "“Linen thread set”: “x” is no number"]),
        ("shop", "thread:²,thread:0", [], ["“²” is no number of pieces.", "“0” is no number of pieces."]),
        ("shop", "kit:12:moss", [("kit", 10, "moss")], ["at most 10 can be ordered at once."]),
        ("shop", "parcel-first-members", [], ["“parcel-first-members” is not sold here."]),
        ("club", "parcel-year", [("parcel-year", 1, None)], []),
        ("club", "parcel-year,parcel-month", [("parcel-year", 1, None)], ["Only one of these can be chosen here."]),
        ("shop", "", [], []),
    ],
)
async def test_a_link_brings_a_basket_and_what_is_wrong_with_it_is_named(
    shop: Shop, checkout: str, written: str, brought: list[Any], wrong: list[str]
) -> None:
    edition = (await configuration.draft(shop.context, shop.site_id)).edition
    things, said = things_of_link(edition, edition.checkouts[checkout], written)
    assert [(one.price, one.quantity, one.variant) for one in things] == brought
    assert len(said) == len(wrong)
    assert all(part in whole for part, whole in zip(wrong, said, strict=True))
    counter = await opened(shop, checkout, items=written)
    assert [one.price for one in counter.brought or ()] == [one.price for one in things]
    assert list(counter.basket.unsold) == said


async def test_a_link_of_thousands_of_things_is_cut(shop: Shop, cards: Cards) -> None:
    edition = (await configuration.draft(shop.context, shop.site_id)).edition
    things, said = things_of_link(edition, edition.checkouts["shop"], "kit:1:moss," * 5000)
    assert [(one.price, one.quantity) for one in things] == [("kit", 10)]
    assert said
