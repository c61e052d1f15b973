"""Orders placed, against the same rows written by raw SQL; how long the slowest wait; and whether many stored orders
slow new ones down. Eight at once, against one PostgreSQL, and without a gateway: the order waits for a transfer."""

from __future__ import annotations

import asyncio
import shutil
import statistics
import time
from collections.abc import Awaitable, Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

import psycopg
from psycopg import sql

from benchmarks.measure import Result
from skurrow.core.check.site import check_text
from skurrow.core.quote.kept import KeptBuyer
from skurrow.run import demo
from skurrow.run.cluster import FAST_AND_FORGETFUL
from skurrow.run.installation import DATABASE, ROOT, Installation, start_postgres
from skurrow.run.ports import Ports, any_free
from skurrow.run.processes import stop_all
from skurrow.service.context import Context, Settings, open_context
from skurrow.service.counter import opening, paying
from skurrow.service.counter.payment import Payment
from skurrow.service.counter.visit import Choice, Taken, Visit, read_visit
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.people.people import memberships, person_by_email

AT_ONCE = 8
WRITTEN = ("orders", "attempts", "events", "stock_holds", "mails")
"""The tables that placing an order writes to; a stock's level is changed, too."""

_OF = {
    **{table: sql.SQL("order_id = %(order)s") for table in WRITTEN},
    "orders": sql.SQL("id = %(order)s"),
    "mails": sql.SQL("key like %(key)s"),
}


@dataclass(frozen=True)
class Sold:
    """A shop that sells, a buyer's visit to be repeated, what is ordered and comes to, and one order of it that was
    placed, row by row."""

    context: Context
    site_id: UUID
    visit: Visit
    choice: Choice
    due: str
    rows: dict[str, list[dict[str, Any]]]


ONE = Choice(variant="moss", delivery="collect")
THREE = Choice(items=(Taken("kit", 1, "moss"), Taken("thread", 2), Taken("papers", 1)), delivery="collect")


async def run(rounds: int, seconds: float, sizes: Sequence[int]) -> list[Result]:
    """Both in turns, at each size of the book."""
    folder = ROOT / ".skurrow" / "bench-orders"
    shutil.rmtree(folder, ignore_errors=True)
    ports = Ports(*(any_free() for _ in vars(Ports())))
    installation = Installation(folder, ports, server_options=tuple(FAST_AND_FORGETFUL), leeway=100_000)
    parts = [await start_postgres(installation)]
    try:
        async with open_context(Settings.from_environment(installation.environment)) as context:
            site_id = await _open(context, installation)
            sold = await _sold(context, site_id, "kit", ONE, "48.00")
            found: list[Result] = []
            at_first = 0.0
            for n, size in enumerate(sizes):
                _fill(installation, sold, size)
                ours, floor, waits = await _measured(sold, rounds, seconds)
                rate, its = statistics.median(ours), statistics.median(floor)
                ratio = statistics.median(a / b for a, b in zip(ours, floor, strict=True))
                name = f"orders placed, {size:,} stored"
                found.append(Result(name, f"{rate:.0f} /s", f"{its:.0f} /s", ratio, 0.25, larger_is_better=True))
                if n == 0:
                    at_first = rate
                    middle, late = statistics.median(waits), statistics.quantiles(waits, n=20)[-1]
                    name = "the slowest of 20, by the middle one"
                    found.append(Result(name, f"{late * 1000:.1f} ms", f"{middle * 1000:.1f} ms", late / middle, 3))
                    of_three = await _sold(context, site_id, "shop", THREE, "101.00")
                    ours, floor, _ = await _measured(of_three, rounds, seconds)
                    ratio = statistics.median(a / b for a, b in zip(ours, floor, strict=True))
                    rates = f"{statistics.median(ours):.0f} /s", f"{statistics.median(floor):.0f} /s"
                    name = "orders of three things placed"
                    found.append(Result(name, *rates, ratio, 0.5, larger_is_better=True))
                else:
                    name = f"a new one at {size:,}, at {sizes[0]:,}"
                    times = f"{1000 / rate:.2f} ms", f"{1000 / at_first:.2f} ms"
                    found.append(Result(name, *times, at_first / rate, 1.25))
            return found
    finally:
        await stop_all(parts)
        installation.remove()
        shutil.rmtree(folder, ignore_errors=True)


async def _open(context: Context, installation: Installation) -> UUID:
    """The demo, with a stock that lasts and a bank account; its site."""
    await context.pool.wait()
    text = (ROOT / "demo" / "site.yaml").read_text(encoding="utf-8").replace("stock: 40", "stock: 100000000")
    file = installation.folder / "site.yaml"
    file.write_text(text, encoding="utf-8")
    shutil.copytree(ROOT / "demo" / "pictures", installation.folder / "pictures")
    account = {"transfer": installation.test_gateways()["transfer"]}
    await demo.load(context, file, check_text(text).site.url, "not needed here", account)
    async with siteless_transaction(context.pool) as db:
        person = await person_by_email(db, demo.EMAIL)
        assert person is not None
        (site,) = await memberships(db, person.id)
    return site.site_id


async def _sold(context: Context, site_id: UUID, checkout: str, choice: Choice, due: str) -> Sold:
    """What is ordered at a checkout, with one order of it and all rows that it made."""
    counter = await opening.open_counter(context, f"ostrel-{checkout}")
    sold = Sold(context, site_id, read_visit(context, counter.visit), choice, due, {})
    await _place(sold)
    async with site_transaction(context.pool, site_id) as db:
        cursor = await db.execute("select id from orders order by created_at desc, id desc limit 1")
        ((order,),) = await cursor.fetchall()
        for table in WRITTEN:
            query = sql.SQL("select * from {} where {}").format(sql.Identifier(table), _OF[table])
            cursor = await db.execute(query, {"order": order, "key": f"order {order} %"})
            names = [column.name for column in cursor.description or ()]
            sold.rows[table] = [dict(zip(names, row, strict=True)) for row in await cursor.fetchall()]
            assert sold.rows[table], table
    return sold


async def _place(sold: Sold) -> None:
    visit = replace(sold.visit, id=sold.context.new_id())
    buyer = KeptBuyer(email="jo@example.org", name="Jo", country="NL")
    payment = Payment(buyer, None, sold.due, sold.choice, way="transfer")
    progress = await paying.pay(sold.context, visit, payment)
    assert progress.state == "waiting", progress


async def _write(sold: Sold) -> None:
    """The same rows with new keys, in one transaction, and nothing thought about."""
    new = sold.context.new_id
    order, attempt = new(), new()
    async with site_transaction(sold.context.pool, sold.site_id) as db:
        await db.execute("update stock_levels set remaining = remaining - 1 where site_id = %s", (sold.site_id,))
        for table in WRITTEN:
            for row in sold.rows[table]:
                fresh = {**row, "id": new()} if "id" in row else dict(row)
                if table == "mails":
                    fresh["key"] = str(fresh["id"])
                if table == "orders":
                    fresh |= {"id": order, "visit": new(), "code": str(order)[-12:], "state": "open"}
                if "order_id" in row:
                    fresh["order_id"] = order
                if table == "attempts":
                    fresh |= {"id": attempt, "waits": None}
                await db.execute(_insert(table, tuple(fresh)), [adapted(value) for value in fresh.values()])


def _insert(table: str, names: tuple[str, ...]) -> sql.Composed:
    columns = sql.SQL(", ").join(map(sql.Identifier, names))
    return sql.SQL("insert into {} ({}) values ({})").format(
        sql.Identifier(table), columns, sql.SQL(", ").join(sql.Placeholder() * len(names))
    )


def adapted(value: Any) -> Any:
    """A value as a column takes it: a list of ids or names is an array, anything else that has parts is JSON."""
    if isinstance(value, list) and all(isinstance(one, UUID | str) for one in value):
        return value
    return psycopg.types.json.Jsonb(value) if isinstance(value, dict | list) else value


async def _measured(sold: Sold, rounds: int, seconds: float) -> tuple[list[float], list[float], list[float]]:
    """Orders a second of both, in turns, and how long each of ours took."""
    ours: list[float] = []
    floor: list[float] = []
    waits: list[float] = []
    await _rate(lambda: _place(sold), seconds / 2, [])
    for _ in range(rounds):
        ours.append(await _rate(lambda: _place(sold), seconds, waits))
        floor.append(await _rate(lambda: _write(sold), seconds, []))
    return ours, floor, waits


async def _rate(work: Callable[[], Awaitable[None]], seconds: float, waits: list[float]) -> float:
    until = time.perf_counter() + seconds

    async def one() -> int:
        count = 0
        while time.perf_counter() < until:
            began = time.perf_counter()
            await work()
            waits.append(time.perf_counter() - began)
            count += 1
        return count

    return sum(await asyncio.gather(*(one() for _ in range(AT_ONCE)))) / seconds


def _fill(installation: Installation, sold: Sold, size: int) -> None:
    """Paid orders with attempts, charges and events up to a number, made of the one that was placed.

    Their quotes are left out: what is wide in a row is stored beside the table, and read only where it is asked for.
    """
    (order,) = sold.rows["orders"]
    with psycopg.connect(installation.cluster.dsn("postgres", DATABASE)) as db:
        ((stored,),) = db.execute("select count(*) from orders").fetchall()
        more = size - stored
        if more <= 0:
            return
        db.execute("set session_replication_role = replica")  # triggers and keys are looked at for real orders only
        for statement in _FILLING:
            db.execute(statement, {"order": order["id"], "more": more})
        db.execute("set session_replication_role = default")
        db.commit()
        db.autocommit = True
        db.execute("analyze")


_FILLING = (
    """
    create temporary table made as
      select gen_random_uuid() as o, gen_random_uuid() as a, n from generate_series(1, %(more)s) n
    """,
    """
    insert into orders (id, site_id, mode, visit, code, checkout_id, change, release, state, buyer, currency, total,
      quote, created_at, paid_at, wanted)
    select m.o, s.site_id, s.mode, m.a, left(m.o::text, 13), s.checkout_id, s.change, s.release, 'paid', s.buyer,
      s.currency, s.total, '{}', s.created_at - m.n * interval '1 minute', s.created_at, s.wanted
    from made m, orders s where s.id = %(order)s
    """,
    """
    insert into attempts (id, site_id, mode, order_id, connection_id, currency, amount, state, opened_at, closed_at,
      ask_at, asks, sent, buyer_seen)
    select m.a, s.site_id, s.mode, m.o, s.connection_id, s.currency, s.amount, 'paid', s.opened_at, s.opened_at,
      s.ask_at, 0, s.sent, left(m.a::text, 32) from made m, attempts s where s.order_id = %(order)s
    """,
    """
    insert into charges (id, site_id, mode, order_id, attempt_id, connection_id, gateway_reference, currency, amount,
      charged_at)
    select gen_random_uuid(), s.site_id, s.mode, m.o, m.a, s.connection_id, m.a::text, s.currency, s.amount, s.opened_at
    from made m, attempts s where s.order_id = %(order)s
    """,
    """
    insert into events (id, site_id, mode, order_id, kind, body, at)
    select gen_random_uuid(), s.site_id, s.mode, m.o, s.kind, s.body, s.at from made m, events s
    where s.order_id = %(order)s
    """,
    "drop table made",
)
"""What fills the book, `more` orders like the one called `order`."""
