"""Renewals of a large book, through the stand-in gateway, against the same rows written by raw SQL; and whether a large
book slows each one down, or takes memory. Twenty at once, against one PostgreSQL."""

from __future__ import annotations

import asyncio
import resource
import shutil
import statistics
import time
from collections.abc import Awaitable, Callable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import UUID

import httpx
import psycopg
from psycopg import sql

from benchmarks.measure import Result
from benchmarks.orders import adapted
from skurrow.core.check.site import check_text
from skurrow.core.quote.kept import KeptBuyer
from skurrow.gateway.protocol import Credentials
from skurrow.run import demo
from skurrow.run.cluster import FAST_AND_FORGETFUL
from skurrow.run.installation import DATABASE, MERCHANT, ROOT, Installation, start_postgres
from skurrow.run.ports import Ports, any_free
from skurrow.run.processes import stop_all
from skurrow.service.changes import renewing
from skurrow.service.context import Context, Settings, open_context
from skurrow.service.counter import opening, paying
from skurrow.service.counter.payment import Payment
from skurrow.service.counter.visit import Choice, read_visit
from skurrow.service.draft import configuration, going_live, releases
from skurrow.service.payments import gateways
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.people.people import memberships, person_by_email

AT_ONCE = 20
AHEAD = timedelta(days=35)
WRITTEN = ("orders", "attempts", "charges", "events", "papers", "subscription_events", "mails")
"""The tables that a renewal writes to; the subscription and the number of its paper are changed, too."""


@dataclass(frozen=True)
class Club:
    """A shop with a book of subscriptions of which all are due, and one renewal that was made, row by row."""

    context: Context
    site_id: UUID
    rows: dict[str, list[dict[str, Any]]]


async def run(rounds: int, seconds: float, sizes: Sequence[int]) -> list[Result]:
    """Both in turns, at each size of the book."""
    folder = ROOT / ".skurrow" / "bench-renewals"
    shutil.rmtree(folder, ignore_errors=True)
    ports = Ports(*(any_free() for _ in vars(Ports())))
    installation = Installation(folder, ports, server_options=tuple(FAST_AND_FORGETFUL), leeway=100_000)
    parts = [await start_postgres(installation)]
    try:
        cards = installation.cards()
        parts.append(cards)
        await cards.start()
        await cards.wait_until_healthy()
        async with open_context(Settings.from_environment(installation.environment)) as opened:
            context = replace(opened, now=lambda: datetime.now(UTC) + AHEAD)
            club = await _open(opened, context, installation)
            found: list[Result] = []
            first, before = 0.0, 0
            for n, size in enumerate(sizes):
                _fill(installation, size)
                # A small book would be done before the time is up, at a hundred a second.
                ours, floor = await _measured(club, rounds, min(seconds, size / rounds / 100))
                rate, its = statistics.median(ours), statistics.median(floor)
                ratio = statistics.median(a / b for a, b in zip(ours, floor, strict=True))
                name = f"renewals, {size:,} due"
                found.append(Result(name, f"{rate:.0f} /s", f"{its:.0f} /s", ratio, 0.2, larger_is_better=True))
                grown = _memory()
                if n == 0:
                    first, before = rate, grown
                else:
                    times = f"{1000 / rate:.2f} ms", f"{1000 / first:.2f} ms"
                    found.append(Result(f"one of {size:,}, of {sizes[0]:,}", *times, first / rate, 1.25))
                    sizes_ = f"{grown / 1024:.0f} MB", f"{before / 1024:.0f} MB"
                    found.append(Result(f"memory at {size:,}, at {sizes[0]:,}", *sizes_, grown / before, 1.25))
            return found
    finally:
        await stop_all(parts)
        installation.remove()
        shutil.rmtree(folder, ignore_errors=True)


async def _open(opened: Context, context: Context, installation: Installation) -> Club:
    """The demo, live, with one subscription that was renewed, and one that is due."""
    await context.pool.wait()
    text = (ROOT / "demo" / "site.yaml").read_text(encoding="utf-8")
    file: Path = installation.folder / "site.yaml"
    file.write_text(text, encoding="utf-8")
    shutil.copytree(ROOT / "demo" / "pictures", installation.folder / "pictures")
    await demo.load(opened, file, check_text(text).site.url, "not needed here", {})
    async with siteless_transaction(context.pool) as db:
        person = await person_by_email(db, demo.EMAIL)
        assert person is not None
        (site,) = await memberships(db, person.id)
    keys = Credentials(MERCHANT, installation.secrets.cards_live_key)
    await gateways.connect(opened, site.site_id, "standin-cards", "live", keys)
    state = await configuration.draft(opened, site.site_id)
    await releases.release(opened, site.site_id, None, state.change)
    await going_live.go_live(opened, site.site_id, {"hand_over"})
    for email in ("renewed@example.org", "due@example.org"):
        await _join(opened, installation, email)
    await renewing.renew(context, 1)
    async with site_transaction(context.pool, site.site_id) as db:
        cursor = await db.execute("select life ->> 'period' from subscriptions order by life ->> 'period'")
        assert await cursor.fetchall() == [("2",), ("3",)]
        rows: dict[str, list[dict[str, Any]]] = {}
        for table in WRITTEN:
            cursor = await db.execute(_of_the_renewal(table))
            names = [column.name for column in cursor.description or ()]
            rows[table] = [dict(zip(names, row, strict=True)) for row in await cursor.fetchall()]
            assert rows[table], table
    return Club(context, site.site_id, rows)


def _of_the_renewal(table: str) -> sql.Composed:
    """What the one renewal wrote into a table."""
    order = "(select id from orders where kind = 'renewal')"
    which = {
        "orders": "kind = 'renewal'",
        "subscription_events": "kind = 'charged'",
        "mails": "key like '%% charged %%'",
    }.get(table, f"order_id = {order}")
    return sql.SQL("select * from {} where " + which.replace("%%", "%")).format(sql.Identifier(table))


async def _join(context: Context, installation: Installation, email: str) -> None:
    counter = await opening.open_counter(context, "ostrel-club")
    visit = read_visit(context, counter.visit)
    body = {"merchant": MERCHANT, "mode": "live", "number": "9100246810121409", "expires": "2039-12", "code": "123"}
    async with httpx.AsyncClient() as client:
        answer = await client.post(f"http://127.0.0.1:{installation.ports.cards}/tokens", json=body)
    token = answer.raise_for_status().json()["token"]
    choice = Choice(price="parcel-month", delivery="collect")
    buyer = KeptBuyer(email=email, name="Jo", country="NL")
    done = await paying.pay(context, visit, Payment(buyer, token, "24.00", choice))
    assert done.state == "paid", done


async def _renew(club: Club, many: int) -> int:
    return await renewing.renew(club.context, many)


async def _write(club: Club) -> None:
    """The same rows with new keys, in one transaction, and nothing thought about."""
    new = club.context.new_id
    order, attempt = new(), new()
    async with site_transaction(club.context.pool, club.site_id) as db:
        subscription = club.rows["orders"][0]["subscription_id"]
        await db.execute(
            "update subscriptions set due_at = due_at where site_id = %s and id = %s", (club.site_id, subscription)
        )
        for table in WRITTEN:
            for row in club.rows[table]:
                fresh = {**row, "id": new()} if "id" in row else dict(row)
                if table == "orders":
                    fresh |= {"id": order, "visit": new(), "code": str(order)[-12:], "state": "open", "paid_at": None}
                    fresh |= {"kind": "sale", "subscription_id": None, "period": None}
                if "order_id" in row:
                    fresh["order_id"] = order
                if table == "attempts":
                    fresh |= {
                        "id": attempt,
                        "state": "open",
                        "closed_at": None,
                        "subscription_id": None,
                        "period": None,
                    }
                if "attempt_id" in row:
                    fresh |= {"attempt_id": attempt, "gateway_reference": str(attempt)}
                if table == "mails":
                    fresh |= {"key": str(order), "sent_at": fresh["created_at"]}
                if table == "papers":
                    cursor = await db.execute(
                        "insert into number_series (site_id, mode, series, last) values (%s, 'live', 'FLOOR-', 1)"
                        " on conflict (site_id, mode, series) do update set last = number_series.last + 1"
                        " returning last",
                        (club.site_id,),
                    )
                    number = (await cursor.fetchone() or (0,))[0]
                    fresh |= {"series": "FLOOR-", "number": number, "written": f"FLOOR-{number}"}
                await db.execute(_insert(table, tuple(fresh)), [adapted(value) for value in fresh.values()])
        await db.execute(
            "update attempts set state = 'paid', closed_at = now() where site_id = %s and id = %s",
            (club.site_id, attempt),
        )
        await db.execute(
            "update orders set state = 'paid', paid_at = now() where site_id = %s and id = %s", (club.site_id, order)
        )


def _insert(table: str, names: tuple[str, ...]) -> sql.Composed:
    columns = sql.SQL(", ").join(map(sql.Identifier, names))
    return sql.SQL("insert into {} ({}) values ({})").format(
        sql.Identifier(table), columns, sql.SQL(", ").join(sql.Placeholder() * len(names))
    )


async def _measured(club: Club, rounds: int, seconds: float) -> tuple[list[float], list[float]]:
    """Renewals a second of both, in turns."""
    ours, floor = [], []
    await _renew(club, AT_ONCE)
    for _ in range(rounds):
        began, done = time.perf_counter(), 0
        while time.perf_counter() - began < seconds:
            more = await _renew(club, AT_ONCE)
            assert more, "nothing is due any more"
            done += more
        ours.append(done / (time.perf_counter() - began))
        floor.append(await _rate(lambda: _write(club), seconds))
    return ours, floor


async def _rate(work: Callable[[], Awaitable[None]], seconds: float) -> float:
    until = time.perf_counter() + seconds

    async def one() -> int:
        count = 0
        while time.perf_counter() < until:
            await work()
            count += 1
        return count

    return sum(await asyncio.gather(*(one() for _ in range(AT_ONCE)))) / seconds


def _memory() -> int:
    """The most memory that this process has had, in kB."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss


def _fill(installation: Installation, size: int) -> None:
    """Due subscriptions up to a number, made of one that is."""
    with psycopg.connect(installation.cluster.dsn("postgres", DATABASE)) as db:
        ((due,),) = db.execute("select count(*) from subscriptions where life ->> 'period' = '2'").fetchall()
        db.execute("set session_replication_role = replica")
        db.execute(_COPIES, {"from": int(time.time() * 1000), "more": max(0, size - due)})
        db.execute("set session_replication_role = default")
        db.commit()
        db.autocommit = True
        db.execute("analyze")


_COPIES = """
insert into subscriptions (id, site_id, mode, code, order_id, change, release, checkout_id, customer, buyer,
  connection_id, sealed_on_file, card_ending, product, price, ladder, state, currency, next_on, due_at, paid_order_id,
  supply, life, started_at)
select gen_random_uuid(), site_id, mode, (%(from)s + n)::text, order_id, change, release, checkout_id,
  n || '@copies.example.org', buyer, connection_id, sealed_on_file, card_ending, product, price, ladder, state,
  currency, next_on, due_at, paid_order_id, supply, life, started_at
from (select * from subscriptions where life ->> 'period' = '2' limit 1) due, generate_series(1, %(more)s) n
"""
"""Many like one that is due. They share its card: the stand-in does not mind."""
