"""Renewals while workers are killed, two and more at once: every due period is charged exactly once."""

from __future__ import annotations

import asyncio
import json
import random
import subprocess
import sys
import time
from datetime import date
from pathlib import Path
from typing import Any

import psycopg

from skurrow.run.installation import ROOT
from skurrow.service.changes import renewing
from skurrow.service.counter import opening
from skurrow.service.counter.paying import pay
from skurrow.service.counter.visit import Choice, read_visit
from skurrow.service.draft import configuration, going_live, releases
from skurrow.service.payments.gateways import connect
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.subscriptions.subscriptions import subscriptions_of_customer
from tests.conftest import Shop
from tests.payments import payment_of
from tests.service.living import ADDRESS, edit, own_cards

cards = own_cards

MANY = 240
KILLS = 8
DAYS = 35
"""Ahead of the clock: a month after everything was bought."""

COPY = """
insert into subscriptions (id, site_id, mode, code, order_id, change, release, checkout_id, customer, buyer,
  connection_id, sealed_on_file, card_ending, product, price, ladder, state, currency, next_on, due_at, paid_order_id,
  supply, life, started_at)
select gen_random_uuid(), site_id, mode, 'C' || n, order_id, change, release, checkout_id, n || '@copies.example.org',
  jsonb_set(buyer, '{email}', to_jsonb(n || '@copies.example.org')), connection_id, sealed_on_file, card_ending,
  product, price, ladder, state, currency, next_on, due_at, paid_order_id, supply, life, started_at
from subscriptions, generate_series(1, %s) n where code = %s
"""

# Rows that a worker is just working on are left alone: waiting for several of them in turn would end in a deadlock.
UNCLAIM = """
update subscriptions set claimed_until = null where id in (
  select id from subscriptions where life ->> 'period' = '2' for update skip locked)
"""
ASK_NOW = """
update attempts set ask_at = opened_at where id in (
  select id from attempts where state = 'open' and asks < 50 for update skip locked)
"""


async def live_subscription(shop: Shop) -> str:
    """A shop that has gone live, and a real buyer who has joined its club; their subscription's code."""
    await connect(shop.context, shop.site_id, "standin-cards", "live", shop.cards.live)
    state = await configuration.draft(shop.context, shop.site_id)
    await releases.release(shop.context, shop.site_id, None, state.change)
    await going_live.go_live(shop.context, shop.site_id, {"hand_over"})
    counter = await opening.open_counter(shop.context, "ostrel-club")
    visit = read_visit(shop.context, counter.visit)
    assert visit.mode == "live"
    choice = Choice(price="parcel-month", delivery="collect")
    token = await shop.cards.token(mode="live")
    done = await pay(
        shop.context,
        visit,
        payment_of("real@buyers.example.org", "Real", "NL", token, "24.00", choice, address=ADDRESS),
    )
    assert done.state == "paid"
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        (row,) = await subscriptions_of_customer(Book(db, shop.site_id, "live"), "real@buyers.example.org")
    return row.code


def started(shop: Shop, tmp_path: Path, many: int) -> list[subprocess.Popen[str]]:
    """Workers that are ready, and work once they are told to go; what they complain about is in `workers.log`."""
    task = {
        "database": shop.database.app,
        "master_key": shop.cards.secrets.master_key,
        "cards": shop.cards.url,
        "days": DAYS,
    }
    made = []
    with (tmp_path / "workers.log").open("w") as log:
        for _ in range(many):
            process = subprocess.Popen(
                [sys.executable, "-m", "tests.service.changes.renewers"],
                stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=log, text=True, cwd=ROOT,
            )  # fmt: skip
            tell(process, json.dumps(task))
            made.append(process)
    for process in made:
        assert process.stdout is not None
        assert process.stdout.readline() == "ready\n", (tmp_path / "workers.log").read_text()
    return made


def tell(worker: subprocess.Popen[str], line: str) -> None:
    assert worker.stdin is not None
    worker.stdin.write(line + "\n")
    worker.stdin.flush()


def ask(shop: Shop, query: str, *values: Any) -> list[tuple[Any, ...]]:
    with psycopg.connect(shop.database.superuser) as db:
        return db.execute(query.encode(), values).fetchall()


async def test_every_due_period_is_charged_once_though_workers_are_killed(shop: Shop, tmp_path: Path) -> None:
    code = await live_subscription(shop)
    ask_before = len(await shop.cards.charges(shop.cards.live))
    with psycopg.connect(shop.database.superuser) as db:
        db.execute(COPY.encode(), (MANY - 1, code))
    chance, seen, unclaimed = random.Random(7), MANY, time.monotonic()
    workers = started(shop, tmp_path, 3 + KILLS)
    working, spare = workers[:3], workers[3:]
    for one in working:
        tell(one, "go")
    deadline = time.monotonic() + 240
    try:
        while True:
            ((left,),) = ask(shop, "select count(*) from subscriptions where life ->> 'period' = '2'")
            ((opened,),) = ask(shop, "select count(*) from attempts where state = 'open'")
            if not left and not opened:
                break
            log = (tmp_path / "workers.log").read_text()[-4000:]
            assert time.monotonic() < deadline, f"{left} are left, {opened} attempts are open; {log}"
            if left < seen - 10 and spare:
                dying = working.pop(chance.randrange(3))
                dying.kill()
                dying.wait()
                seen = left
                working.append(spare.pop())
                tell(working[-1], "go")
            elif time.monotonic() > unclaimed + 2:
                # Whoever was claimed by one that died is claimed anew after a while; the test does not wait for that.
                with psycopg.connect(shop.database.superuser, autocommit=True) as db:
                    db.execute(UNCLAIM.encode())
                    db.execute(ASK_NOW.encode())
                unclaimed = time.monotonic()
            await asyncio.sleep(chance.uniform(0, 0.1))
    finally:
        for one in workers:
            one.kill()
            one.wait()
    assert len(spare) <= KILLS - 3, "some were killed midway"
    renewed = "select subscription_id, count(*) from orders where kind = 'renewal' and state = 'paid' group by 1"
    assert [count for _, count in ask(shop, renewed)] == [1] * MANY
    assert ask(shop, "select count(*) from orders where kind = 'renewal' and state <> 'paid'") == [(0,)]
    ours = {key for (key,) in ask(shop, "select attempt_id::text from charges c join orders o on o.id = c.order_id"
                                        " where o.kind = 'renewal'")}  # fmt: skip
    assert len(ours) == MANY
    books = await shop.cards.charges(shop.cards.live)
    theirs = [one["key"] for one in books if one["outcome"] == "approved"][: len(books) - ask_before]
    assert sorted(theirs) == sorted(ours), "the gateway has moved money for each of ours, and for nothing else"
    ((papers,),) = ask(
        shop, "select count(*) from papers p join orders o on o.id = p.order_id where o.kind = 'renewal'"
    )
    assert papers == MANY
    days = ask(shop, "select distinct life ->> 'until' from subscriptions")
    assert len(days) == 1, "all of them go on to the same day"
    assert date.fromisoformat(days[0][0])


async def test_new_rules_hold_for_what_runs_once_they_are_released(shop: Shop) -> None:
    await live_subscription(shop)
    await edit(shop, "subscriptions", "-", before_yearly=5, grace=30)
    ((before,),) = ask(shop, "select due_at from subscriptions")
    state = await configuration.draft(shop.context, shop.site_id)
    await releases.release(shop.context, shop.site_id, None, state.change)
    ((after,),) = ask(shop, "select due_at from subscriptions")
    assert after < before, "it is looked at anew at once"
    assert await renewing.renew(shop.context) == 1
    assert ask(shop, "select due_at from subscriptions") == [(before,)]
    assert await renewing.renew(shop.context) == 0
