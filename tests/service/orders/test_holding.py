"""Stock and coupons: held while an order is paid, given back when that surely failed, never beyond what there is."""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import signal
import subprocess
import sys
from collections import Counter
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

import psycopg
import pytest

from skurrow.core.problems import InvalidInput
from skurrow.run.installation import MERCHANT, ROOT
from skurrow.service.counter import opening, pricing, progress
from skurrow.service.counter.visit import Choice, read_visit
from skurrow.service.draft import configuration, products
from skurrow.service.orders import asking
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store.database import DATABASE_AWAY
from tests.conftest import IN_NL, THOROUGH, Shop, eventually
from tests.gateway.test_standin_cards import NUMBERS
from tests.service.counter.test_selling import MOSS, opened, pay, story
from tests.service.draft.test_configuration import edit, part


async def left(shop: Shop, product: str = "coptic-kit") -> list[tuple[str, int]]:
    return [
        (o.variant, o.remaining) for o in await products.stock(shop.context, shop.site_id, product) if o.mode == "test"
    ]


async def with_stock(shop: Shop, product: str = "coptic-kit", **changes: Any) -> None:
    was = await part(shop, product)
    await edit(shop, was.change, {**was.body, **changes}, product)


def counts(shop: Shop) -> dict[tuple[str, str], int]:
    with psycopg.connect(shop.database.superuser) as db:
        return {(a, b): n for a, b, n in db.execute("select coupon_id, customer, taken from coupon_counts")}


async def test_what_is_paid_is_sold_and_what_is_refused_is_given_back(shop: Shop) -> None:
    assert await left(shop) == [("", 40)]
    visit = await opened(shop)
    assert (await pay(shop, visit, "no_funds")).state == "refused"
    assert await left(shop) == [("", 40)]
    assert (await pay(shop, visit)).state == "paid"
    assert await left(shop) == [("", 39)]
    three = Choice(quantity=3, variant="chalk", delivery="collect")
    assert (await pay(shop, await opened(shop), choice=three, expected="144.00")).state == "paid"
    assert await left(shop) == [("", 36)]


async def test_what_is_being_paid_is_held_until_the_gateway_says_what_became_of_it(shop: Shop) -> None:
    visit = await opened(shop)
    assert (await pay(shop, visit, "no_answer")).state == "pending"
    assert await left(shop) == [("", 39)]
    shop.clock.ahead += timedelta(minutes=5)
    await asking.recover(shop.context)

    async def paid() -> bool:
        return (await progress.progress(shop.context, visit)).state == "paid"

    await eventually(paid)
    assert await left(shop) == [("", 39)]


async def test_the_last_one_is_sold_once_and_the_page_says_sold_out(shop: Shop) -> None:
    await with_stock(shop, stock=2)
    assert (await pay(shop, await opened(shop))).state == "paid"
    two = Choice(quantity=2, variant="moss", delivery="collect")
    with pytest.raises(Conflict, match="Only 1 of “Coptic stitch kit” are left"):
        await pay(shop, await opened(shop), choice=two, expected="96.00")
    late = await opened(shop)
    assert (await pay(shop, await opened(shop))).state == "paid"
    with pytest.raises(Conflict, match=r"has just been sold out\. Nothing was charged"):
        await pay(shop, late)
    assert (await progress.progress(shop.context, late)).state == "none"
    counter = await opening.open_counter(shop.context, "ostrel-kit")
    assert counter.offered[0].variants_left == {"moss": 0, "chalk": 0, "indigo": 0}


async def test_each_variant_may_have_a_stock_of_its_own(shop: Shop) -> None:
    was = await part(shop)
    body = {k: v for k, v in was.body.items() if k != "stock"}
    body["variants"] = [{"id": "moss", "name": "Moss", "stock": 1}, {"id": "chalk", "name": "Chalk", "stock": 5}]
    bundle = await part(shop, "first-book")
    await configuration.edit_parts(
        shop.context,
        shop.site_id,
        None,
        [
            configuration.Edit("product", "coptic-kit", was.change, body),
            configuration.Edit(
                "product",
                "first-book",
                bundle.change,
                {**bundle.body, "contains": [{"price": "kit", "variant": "chalk"}]},
            ),
        ],
    )
    assert (await pay(shop, await opened(shop))).state == "paid"
    with pytest.raises(Conflict, match="sold out"):
        await pay(shop, await opened(shop))
    assert (await pay(shop, await opened(shop), choice=Choice(variant="chalk", delivery="collect"))).state == "paid"
    assert await left(shop) == [("moss", 0), ("chalk", 4)]


async def test_a_bundle_takes_what_it_holds(shop: Shop) -> None:
    body = {"id": "set", "name": "Set", "prices": ["first-book"]}
    await configuration.edit_part(shop.context, shop.site_id, None, "checkout", "set", 0, body)
    await with_stock(shop, "linen-thread", stock=3)
    code, collected = await address(shop, "set"), Choice(delivery="collect")
    assert (await pay(shop, await opened(shop, code), choice=collected, expected="65.00")).state == "paid"
    assert (await left(shop), await left(shop, "linen-thread")) == ([("", 39)], [("", 1)])
    with pytest.raises(Conflict, match="Only 1 of “Linen thread set”"):
        await pay(shop, await opened(shop, code), choice=collected, expected="65.00")
    assert (await left(shop), await left(shop, "linen-thread")) == ([("", 39)], [("", 1)]), "all or nothing"


async def address(shop: Shop, checkout: str) -> str:
    with psycopg.connect(shop.database.superuser) as db:
        found = db.execute("select code from addresses where checkout_id = %s", (checkout,)).fetchone()
    assert found is not None
    return str(found[0])


async def test_a_count_corrects_the_stock_unless_something_was_sold_meanwhile(shop: Shop) -> None:
    await products.recount(shop.context, shop.site_id, shop.person_id, "coptic-kit", "test", "", 40, 12)
    assert await left(shop) == [("", 12)]
    assert (await pay(shop, await opened(shop))).state == "paid"
    with pytest.raises(Conflict, match="There are 11 now"):
        await products.recount(shop.context, shop.site_id, shop.person_id, "coptic-kit", "test", "", 12, 30)
    with pytest.raises(NotFound):
        await products.recount(shop.context, shop.site_id, shop.person_id, "foldwright", "test", "", 0, 1)
    live = [o.remaining for o in await products.stock(shop.context, shop.site_id, "coptic-kit") if o.mode == "live"]
    assert live == [40], "each mode has a stock of its own"


# -- coupons ----------------------------------------------------------------------------------------------------

TEN = Choice(variant="moss", delivery="collect", coupons=("bind10",))


async def test_a_coupon_counts_once_a_customer_whatever_letters_they_type(shop: Shop) -> None:
    assert (await pay(shop, await opened(shop), "no_funds", choice=TEN, expected="43.20")).state == "refused"
    assert set(counts(shop).values()) == {0}, "a refused order has used nothing"
    assert (await pay(shop, await opened(shop), choice=TEN, expected="43.20")).state == "paid"
    assert counts(shop) == {("BIND10", ""): 1, ("BIND10", "jo@example.org"): 1}
    again = await opened(shop)
    with pytest.raises(Conflict, match=r"The amount is 48\.00 EUR now"):
        await pay(shop, again, choice=TEN, expected="43.20", email="JO@example.org")
    quoted = (await pricing.quote_visit(shop.context, again, IN_NL, TEN, "jo@EXAMPLE.org")).quote
    assert [note.code for note in quoted.notes] == ["coupon_used_up"]
    assert (await pay(shop, again, choice=TEN, expected="43.20", email="al@example.org")).state == "paid"


async def test_a_coupon_can_come_with_the_link(shop: Shop) -> None:
    counter = await opening.open_counter(shop.context, "ostrel-kit", coupon="Bind10")
    visit = read_visit(shop.context, counter.visit)
    assert visit.coupon == "BIND10"
    assert (await pricing.quote_visit(shop.context, visit, IN_NL, MOSS)).quote.due_today == 4320
    assert (await opening.open_counter(shop.context, "ostrel-kit", coupon="nothing")).coupon is None


@pytest.mark.parametrize(
    ("choice", "path"),
    [
        (Choice(variant="moss", delivery="collect", coupons=("SPRNG",)), "coupons[0]"),
        (Choice(), "variant"),
        (Choice(variant="red"), "variant"),
        (Choice(variant="moss", delivery="collect", quantity=11), "quantity"),
        (Choice(variant="moss", delivery="collect", price="papers"), "price"),
        (Choice(variant="moss", delivery="collect", chosen="1.00"), "chosen"),
    ],
)
async def test_a_choice_that_makes_no_sense_is_refused_by_field(shop: Shop, choice: Choice, path: str) -> None:
    with pytest.raises(InvalidInput) as refused:
        await pricing.quote_visit(shop.context, await opened(shop), IN_NL, choice)
    assert [problem.where for problem in refused.value.problems] == [path]


async def test_what_costs_nothing_needs_no_card_and_no_gateway(shop: Shop) -> None:
    gift = {"id": "GIFT", "percent": "100"}
    await configuration.edit_part(shop.context, shop.site_id, None, "coupon", "GIFT", 0, gift)
    free = Choice(variant="moss", delivery="collect", coupons=("gift",))
    done = await pay(shop, await opened(shop), choice=free, expected="0.00", token=None)
    assert done.state == "paid"
    told = await story(shop)
    assert (told.attempts, told.charges, told.order.total) == ([], [], 0)
    assert await left(shop) == [("", 39)]
    with pytest.raises(InvalidInput, match="The card has not been typed"):
        await pay(shop, await opened(shop), token=None)


async def test_a_price_for_named_customers_is_theirs_only(shop: Shop) -> None:
    was = await part(shop)
    await edit(shop, was.change, {**was.body, "prices": [{**was.body["prices"][0], "for": ["Old@example.org"]}]})
    with pytest.raises(InvalidInput, match="is for invited customers"):
        await pay(shop, await opened(shop))
    assert (await pay(shop, await opened(shop), email="old@EXAMPLE.org")).state == "paid"


# -- very many at once, in several processes, one of which dies -----------------------------------------------------


@dataclass
class Crowd:
    """Processes full of buyers."""

    shop: Shop
    change: int
    expected: str
    coupons: tuple[str, ...] = ()

    def process(self, name: str, buyers: int) -> subprocess.Popen[str]:
        task = {
            "database": self.shop.database.app,
            "master_key": self.shop.cards.secrets.master_key,
            "cards": self.shop.cards.url,
            "merchant": MERCHANT,
            "number": NUMBERS["approved"],
            "site": str(self.shop.site_id),
            "checkout": "kit",
            "change": self.change,
            "variant": "moss",
            "coupons": self.coupons,
            "expected": self.expected,
            "basket": {
                "checkout": "shop",
                "currency": "GBP",
                "items": [["thread", 2], ["kit", 1, "moss"], ["papers", 1]],
                "expected": "83.80" if self.coupons else "88.00",
            },
            "buyers": buyers,
            "name": name,
        }
        made = subprocess.Popen(
            [sys.executable, "-m", "tests.service.buyers"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            cwd=ROOT,
            env={**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"},
        )
        assert made.stdin is not None
        made.stdin.write(json.dumps(task) + "\n")
        made.stdin.flush()
        return made

    def run(self, buyers: dict[str, int], killed: str | None = None, after: int = 0) -> Counter[str]:
        """Has the processes buy at the same time; one is killed as soon as so many of its buyers were answered."""
        made = {name: self.process(name, count) for name, count in buyers.items()}
        for one in made.values():
            assert one.stdout is not None
            assert one.stdout.readline() == "ready\n"
        for one in made.values():
            assert one.stdin is not None
            one.stdin.write("go\n")
            one.stdin.flush()
        if killed is not None:
            out = made[killed].stdout
            assert out is not None
            for _ in range(after):
                out.readline()
            made[killed].send_signal(signal.SIGKILL)
        told: Counter[str] = Counter()
        for one in made.values():
            told.update(one.communicate(timeout=120)[0].split())
        return told


async def settle_all(shop: Shop) -> None:
    shop.clock.ahead += timedelta(minutes=5)

    async def none_open() -> bool:
        with contextlib.suppress(*DATABASE_AWAY):  # on a busy machine it is asked again, as a worker does
            await asking.recover(shop.context, 20)
        shop.clock.ahead += timedelta(minutes=11)
        with psycopg.connect(shop.database.superuser) as db:
            found = db.execute("select count(*) from attempts where state = 'open'").fetchone()
        return found == (0,)

    await eventually(none_open, 60)


def books(shop: Shop) -> dict[str, Any]:
    with psycopg.connect(shop.database.superuser) as db:
        row = db.execute(
            "select (select count(*) from orders where state = 'paid'), (select count(*) from charges),"
            " (select count(*) from stock_holds where state = 'sold'), (select count(*) from stock_holds where"
            " state = 'held'), (select remaining from stock_levels)"
        ).fetchone()
    assert row is not None
    return dict(zip(("paid", "charges", "sold", "held", "remaining"), row, strict=True))


async def test_300_buyers_at_once_for_a_stock_of_70_buy_exactly_70_though_a_process_dies(shop: Shop) -> None:
    await with_stock(shop, stock=70)
    crowd = Crowd(shop, (await configuration.draft(shop.context, shop.site_id)).change, "48.00")
    told = await asyncio.to_thread(crowd.run, {"one": 100, "two": 100, "dies": 100}, "dies", 5)
    assert told["short"] + told["paid"] + told["pending"] > 0
    await settle_all(shop)
    await asyncio.to_thread(crowd.run, {"late": 100})  # whoever was cut off comes again
    await settle_all(shop)
    found = books(shop)
    assert found == {"paid": 70, "charges": 70, "sold": 70, "held": 0, "remaining": 0}
    assert currencies_paid(shop) == {"EUR", "GBP"}, "one thing in euros, three in pounds"
    at_gateway = [c for c in await shop.cards.charges() if c["outcome"] == "approved"]
    assert len({c["key"] for c in at_gateway} & attempt_keys(shop)) == 70, "nobody paid for what is not there"


def currencies_paid(shop: Shop) -> set[str]:
    with psycopg.connect(shop.database.superuser) as db:
        return {currency for (currency,) in db.execute("select distinct currency from charges")}


def attempt_keys(shop: Shop) -> set[str]:
    with psycopg.connect(shop.database.superuser) as db:
        return {str(key) for (key,) in db.execute("select id from attempts")}


async def test_hundreds_of_uses_at_once_of_a_coupon_are_exactly_its_limit_though_a_process_dies(shop: Shop) -> None:
    limit = 90 if THOROUGH else 30
    crowds = 10 * limit // 3
    await with_stock(shop, stock=5000)
    coupon = (await configuration.draft(shop.context, shop.site_id)).parts["coupon", "BIND10"]
    await edit(shop, coupon.change, {**coupon.body, "limit": limit}, "BIND10", "coupon")
    crowd = Crowd(shop, (await configuration.draft(shop.context, shop.site_id)).change, "43.20", ("BIND10",))
    await asyncio.to_thread(crowd.run, {"one": crowds, "two": crowds, "dies": crowds}, "dies", 3)
    await settle_all(shop)
    await asyncio.to_thread(crowd.run, {"late": crowds // 3})
    await settle_all(shop)
    with psycopg.connect(shop.database.superuser) as db:
        uses = db.execute("select state, count(*) from coupon_uses group by state").fetchall()
        paid = db.execute("select currency, total, count(*) from orders where state = 'paid' group by 1, 2").fetchall()
    assert uses == [("used", limit)]
    assert counts(shop)["BIND10", ""] == limit
    assert {(currency, total) for currency, total, _ in paid} == {("EUR", 4320), ("GBP", 8380)}
    assert sum(count for _, _, count in paid) == limit
