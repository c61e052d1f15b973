"""Clearing the test book: everything that hangs on test orders, and nothing else."""

from __future__ import annotations

import asyncio
import uuid
from typing import Any

import psycopg
from psycopg import sql

from skurrow.core.payments.refunds import Asked
from skurrow.service.counter import opening, progress
from skurrow.service.counter.paying import pay
from skurrow.service.counter.visit import Choice, Visit, pass_token, read_visit
from skurrow.service.orders import asking, books, refunds
from skurrow.service.papers import papers
from skurrow.service.refusals import Conflict
from skurrow.service.tax import tax_numbers
from tests.conftest import Shop
from tests.gateway.test_standin_cards import NUMBERS
from tests.payments import payment_of
from tests.service.counter.test_selling import go_live, opened, released
from tests.service.papers.test_papers import COLLECT
from tests.service.tax.test_tax import buy

OF_A_MODE = ["orders", "attempts", "charges", "events", "papers", "number_series", "refunds", "stock_levels"]
OF_A_MODE += ["stock_holds", "stock_counts", "coupon_counts", "coupon_uses", "tax_number_checks"]


def rows(shop: Shop, mode: str) -> dict[str, list[Any]]:
    """Every row of a book, as the superuser sees it."""
    with psycopg.connect(shop.database.superuser) as db:
        query = sql.SQL("select to_jsonb(t)::text from {} t where mode = %s order by 1")
        return {table: db.execute(query.format(sql.Identifier(table)), (mode,)).fetchall() for table in OF_A_MODE}


async def test_the_test_book_goes_and_live_sales_stay(shop: Shop) -> None:
    await released(shop)
    await go_live(shop)
    coupons = Choice(variant="moss", delivery="collect", coupons=("BIND10",))
    assert (await buy(shop, expected="43.20", choice=coupons, mode="live")).state == "paid"
    visit = await as_tester(shop)
    paid = payment_of("a@example.org", "A", "NL", await shop.cards.token(), "43.20", coupons)
    assert (await pay(shop.context, visit, paid)).state == "paid"
    (order,) = (await books.page(shop.context, shop.site_id, "test", None, "")).orders
    await refunds.refund(shop.context, shop.site_id, None, "test", order.code, uuid.uuid4(), [Asked(0, "1.00")], "1.00")
    await tax_numbers.ask(shop.context, shop.site_id, "test", "BE0999000030", "BE")
    live, before = rows(shop, "live"), rows(shop, "test")
    assert all(before[table] for table in OF_A_MODE if table != "stock_counts"), "there is something of everything"
    assert await books.clear_test_book(shop.context, shop.site_id, shop.person_id) == 1
    assert all(found == [] for found in rows(shop, "test").values())
    assert rows(shop, "live") == live
    told = await books.test_book(shop.context, shop.site_id)
    assert told.orders == 0
    assert told.cleared is not None
    assert (told.cleared.orders, told.cleared.by_name) == (1, "Noor Vermaat")
    assert (await progress.progress(shop.context, visit)).state == "none", "the buyer's page begins anew"
    following = {one.kind: one.test for one in await papers.next_numbers(shop.context, shop.site_id)}
    assert following["receipt"].endswith("-00001")


async def as_tester(shop: Shop) -> Visit:
    """A test buyer's visit, though the site is live."""
    counter = await opening.open_counter(shop.context, "ostrel-kit", pass_token(shop.context, shop.site_id, 0))
    return read_visit(shop.context, counter.visit)


async def test_a_charge_under_way_while_the_book_is_cleared_changes_nothing_afterwards(shop: Shop) -> None:
    slow = payment_of("a@example.org", "A", "NL", await shop.cards.token(NUMBERS["slow"]), "48.00", COLLECT)
    visit = await opened(shop)
    paying = asyncio.create_task(pay(shop.context, visit, slow))
    await asyncio.sleep(0.4)
    assert await books.clear_test_book(shop.context, shop.site_id, shop.person_id) == 1
    assert (await paying).state == "none"
    await asking.recover(shop.context)
    assert all(found == [] for found in rows(shop, "test").values())


async def test_clearing_while_many_buy_leaves_whole_orders_only(shop: Shop) -> None:
    tokens = [await shop.cards.token() for _ in range(12)]

    async def one(token: str) -> str:
        try:
            return (await buy(shop, expected="48.00", choice=COLLECT, token=token)).state
        except (Conflict, psycopg.Error) as error:
            return type(error).__name__

    buying = [asyncio.create_task(one(token)) for token in tokens]
    for _ in range(4):
        await asyncio.sleep(0.1)
        try:
            await books.clear_test_book(shop.context, shop.site_id, shop.person_id)
        except Conflict:
            continue
    await asyncio.gather(*buying)
    with psycopg.connect(shop.database.superuser) as db:
        paid, charges, sold, under_way, held = db.execute(
            "select (select count(*) from orders where state = 'paid'), (select count(*) from charges),"
            " (select count(*) from stock_holds where state = 'sold'),"
            " (select count(*) from attempts where state = 'open'),"
            " (select count(*) from stock_holds where state = 'held')"
        ).fetchone() or (0, 0, 0, 0, 0)
        remaining = db.execute("select remaining from stock_levels").fetchone()
    assert paid == charges == sold
    assert under_way == held, "where the gateway has not answered in time"
    assert remaining is None or remaining[0] == 40 - sold - held
