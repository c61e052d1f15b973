"""A flood of orders against a gateway that misbehaves, while web and worker are killed at random.

Then the books of both sides are compared. Nobody helps in between: what was killed is started again, as `./start`
would do it."""

from __future__ import annotations

import asyncio
import contextlib
import os
import random
import re
import shutil
import signal
import sqlite3
import subprocess
import tempfile
import time
import uuid
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

import httpx
import psycopg

from skurrow.core.money import parse_amount
from skurrow.run.cluster import FAST_AND_FORGETFUL
from skurrow.run.installation import DATABASE, MERCHANT, ROOT, Installation, start_postgres
from skurrow.run.ports import Ports, any_free
from skurrow.run.processes import Part, keep_running, stop_all

APPROVED, NO_FUNDS = "9100246810121409", "9200246810122406"
FAULTS = {"error": 0.06, "lost": 0.05, "cut": 0.08, "slow": 0.2, "seconds": 1.5}
FAULTS |= {"twice": 0.3, "late": 0.2, "forgotten": 0.1}
ONE = {"variant": "moss"}
THREE = {
    "items": [{"price": "kit", "variant": "moss"}, {"price": "thread", "quantity": 2}, {"price": "papers"}],
    "currency": "GBP",
}
BOUGHT: list[tuple[str, dict[str, Any], dict[bool, str]]] = [
    ("ostrel-kit", ONE, {True: "43.20", False: "48.00"}),
    ("ostrel-shop?currency=GBP", THREE, {True: "83.80", False: "88.00"}),
]
"""What a buyer may buy, one kit in each: where, what, and what it comes to with the coupon and without."""


@dataclass
class Told:
    """What came of it: how buyers fared, how often was killed, how many charges had to be asked about, and every
    contradiction that was found; `health` how long it took to say how the database is, and what was said, while it was
    harmed; `spoilt` are those that are found once a charge was taken out of our books."""

    buyers: Counter[str] = field(default_factory=Counter)
    kills: int = 0
    seconds: float = 0
    charges: Counter[str] = field(default_factory=Counter)
    recovered: int = 0
    health: list[tuple[float, int]] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)
    spoilt: list[str] = field(default_factory=list)


Harm = Literal["kill", "hang", "full"]
"""What is done while buyers pay: web or worker killed; the database stopped for a while, as if it hung; its disk filled
for a while."""


async def run(
    orders: int,
    at_once: int,
    kills: int,
    seed: int,
    say: Callable[[str], None],
    harm: Harm = "kill",
    seconds: float = 20.0,
) -> Told:
    """All of it, in an installation of its own that is removed in the end. What is not killed is harmed once, for so
    many `seconds`."""
    folder = ROOT / ".skurrow" / f"kill-{os.getpid()}"
    if harm == "full":
        with small_disk(folder) as disk:
            os.environ["SKURROW_DATA"] = str(disk)
            try:
                return await _run(folder, orders, at_once, kills, seed, say, harm, seconds)
            finally:
                del os.environ["SKURROW_DATA"]
    return await _run(folder, orders, at_once, kills, seed, say, harm, seconds)


DISK_MB = 220


def may_mount() -> bool:
    """Whether this process may make a file system: root on a machine of its own may, root in some containers not."""
    with tempfile.TemporaryDirectory(prefix="skurrow-may-") as tried:
        try:
            made = subprocess.run(["mount", "-t", "tmpfs", "tmpfs", tried], check=False, capture_output=True)
        except OSError:
            return False
        if made.returncode == 0:
            subprocess.run(["umount", tried], check=True)
        return made.returncode == 0


@contextmanager
def small_disk(folder: Path) -> Iterator[Path]:
    """A file system of a few megabytes, in memory. Only an administrator can make one."""
    disk = Path(tempfile.mkdtemp(prefix="skurrow-disk-"))
    disk.chmod(0o755)
    subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={DISK_MB}m,mode=0755", "tmpfs", str(disk)], check=True)
    try:
        yield disk
    finally:
        for _ in range(50):
            if subprocess.run(["umount", str(disk)], check=False, capture_output=True).returncode == 0:
                break
            time.sleep(0.2)
        disk.rmdir()


async def _run(
    folder: Path,
    orders: int,
    at_once: int,
    kills: int,
    seed: int,
    say: Callable[[str], None],
    harm: Harm,
    seconds: float,
) -> Told:
    ports = Ports(*(any_free() for _ in vars(Ports())))
    installation = Installation(
        folder, ports, gateway_seconds=2.0, server_options=tuple(FAST_AND_FORGETFUL), leeway=100_000
    )
    parts: list[Part] = []
    told = Told()
    began = time.monotonic()
    try:
        parts.append(await start_postgres(installation))
        for part in (installation.cards(), installation.numbers()):
            parts.append(part)
            await part.start()
            await part.wait_until_healthy()
        await installation.load_demo(["standin-cards"])
        stock = orders * 6 // 10
        with psycopg.connect(installation.cluster.dsn("postgres", DATABASE)) as db:
            db.execute(
                "insert into stock_levels (site_id, mode, product_id, variant_id, remaining)"
                " select id, 'test', 'coptic-kit', '', %s from sites",
                (stock,),
            )
        web, worker = installation.web(), installation.worker()
        for part in (web, worker):
            parts.append(part)
            await part.start()
        await web.wait_until_healthy()
        await _misbehave(installation, seed, FAULTS)
        chance = random.Random(seed)
        at = sorted(chance.sample(range(orders * 95 // 100), kills))
        if harm == "kill":
            killer = asyncio.create_task(_kill(web, worker, at, chance, told))
        else:
            killer = asyncio.create_task(_harm(installation, parts, harm, seconds, orders // 3, told))
        await _buy_all(installation, orders, at_once, seed, told, say)
        await killer
        await _misbehave(installation, seed, {})
        await _rest(installation, say)
        told.wrong = _compare(installation, stock, told)
        with psycopg.connect(installation.cluster.dsn("postgres", DATABASE)) as db:
            db.execute("delete from charges where id = (select max(id::text)::uuid from charges)")
        told.spoilt = _compare(installation, stock, told)
    finally:
        await stop_all(parts)
        installation.remove()
        shutil.rmtree(folder, ignore_errors=True)
    told.seconds = time.monotonic() - began
    return told


async def _misbehave(installation: Installation, seed: int, faults: dict[str, float]) -> None:
    auth = (MERCHANT, installation.secrets.cards_test_key)
    async with httpx.AsyncClient(base_url=f"http://127.0.0.1:{installation.ports.cards}", auth=auth) as client:
        (await client.put("/faults", json={"seed": seed, **faults})).raise_for_status()


async def _kill(web: Part, worker: Part, at: list[int], chance: random.Random, told: Told) -> None:
    """Kills one of them whenever so many buyers are through, and starts it anew."""
    for many in at:
        while sum(told.buyers.values()) < many:
            await asyncio.sleep(0.02)
        await asyncio.sleep(chance.uniform(0.0, 0.3))
        part = web if chance.random() < 0.6 else worker
        assert part.process is not None
        os.killpg(part.process.pid, signal.SIGKILL)
        await part.process.wait()
        told.kills += 1
        await asyncio.sleep(chance.uniform(0.0, 0.4))
        await part.start()
        await part.wait_until_healthy()


async def _harm(
    installation: Installation, parts: list[Part], harm: Harm, seconds: float, after: int, told: Told
) -> None:
    """Once some buyers are through, harms the database for a while, and watches whether that is said in time."""
    postgres = parts[0]
    watching = asyncio.create_task(keep_running(postgres, lambda _: None))
    while sum(told.buyers.values()) < after:
        await asyncio.sleep(0.02)
    assert postgres.process is not None
    if harm == "hang":
        _signal_all(postgres.process.pid, signal.SIGSTOP)
    else:
        ballast = installation.cluster.folder.parent / "ballast"
        _fill(ballast)
    until = time.monotonic() + seconds
    async with httpx.AsyncClient(timeout=30) as client:
        while time.monotonic() < until:
            began = time.monotonic()
            answer = await client.get(f"http://127.0.0.1:{installation.ports.web}/health")
            told.health.append((time.monotonic() - began, answer.status_code))
            await asyncio.sleep(0.5)
            if harm == "full":
                _fill(ballast)
    if harm == "hang":
        _signal_all(postgres.process.pid, signal.SIGCONT)
    else:
        ballast.unlink()
    told.kills += 1
    while True:
        async with httpx.AsyncClient(timeout=30) as client:
            answer = await client.get(f"http://127.0.0.1:{installation.ports.web}/health")
        if answer.is_success:
            break
        await asyncio.sleep(0.2)
    watching.cancel()


def _signal_all(pid: int, kind: signal.Signals) -> None:
    """Signals a process and all its children, which PostgreSQL puts into sessions of their own."""
    listed = subprocess.run(["ps", "-e", "-o", "pid=,ppid="], check=True, capture_output=True, text=True).stdout
    pairs = [tuple(map(int, line.split())) for line in listed.splitlines()]
    ours = {pid}
    while more := {child for child, parent in pairs if parent in ours} - ours:
        ours |= more
    for one in ours:
        with contextlib.suppress(ProcessLookupError):
            os.kill(one, kind)


def _fill(ballast: Path) -> None:
    """Takes what room there is."""
    with contextlib.suppress(OSError), ballast.open("ab", buffering=0) as file:
        while True:
            file.write(b"\0" * 65536)


async def _buy_all(
    installation: Installation, orders: int, at_once: int, seed: int, told: Told, say: Callable[[str], None]
) -> None:
    room = asyncio.Semaphore(at_once)
    headers = {"host": f"counter.localhost:{installation.ports.web}"}
    web = httpx.AsyncClient(base_url=f"http://127.0.0.1:{installation.ports.web}", headers=headers, timeout=20)
    cards = httpx.AsyncClient(base_url=f"http://127.0.0.1:{installation.ports.cards}", timeout=20)

    async def one(n: int) -> None:
        async with room:
            told.buyers[await _buy(web, cards, n, random.Random(seed * 1_000_003 + n))] += 1
            if sum(told.buyers.values()) % 500 == 0:
                say(f"{sum(told.buyers.values())} buyers, {told.kills} kills")

    async with web, cards:
        await asyncio.gather(*(one(n) for n in range(orders)))


async def _buy(web: httpx.AsyncClient, cards: httpx.AsyncClient, n: int, chance: random.Random) -> str:
    """One buyer, who presses again whenever there was no answer, and now and then although there will be one."""
    where, what, expected = BOUGHT[chance.random() < 0.5]
    while (answer := await _asked(web, "GET", f"/buy/{where}")).status_code == 503:
        await asyncio.sleep(0.3)
    page = answer.text
    found = re.search(r'"visit":\s*"([^"]+)"', page)
    assert found is not None, page[:500]
    visit, number = found[1], NO_FUNDS if chance.random() < 0.1 else APPROVED
    body = {"merchant": MERCHANT, "mode": "test", "number": number, "expires": "2031-12", "code": "123"}
    token = (await _asked(cards, "POST", "/tokens", body)).json()["token"]
    coupon = chance.random() < 0.5
    order: dict[str, Any] = {"visit": visit, "country": "NL", "email": f"{n}@buyers.example.org", "name": f"Buyer {n}"}
    order |= {**what, "delivery": "collect", "token": token}
    if "items" in what:
        order["basket"] = str(uuid.UUID(int=chance.getrandbits(128), version=4))
        put = {"visit": visit, "basket": order["basket"], "put": [{"quantity": 1, **one} for one in what["items"]]}
        while (answer := await _asked(web, "POST", "/counter/api/basket", put)).status_code == 503:
            await asyncio.sleep(0.3)
        assert answer.is_success, answer.text
    for _ in range(200):
        wanted = {**order, "coupons": ["BIND10"] if coupon else [], "expected": expected[coupon]}
        presses = [_asked(web, "POST", "/counter/api/pay", wanted) for _ in range(2 if chance.random() < 0.2 else 1)]
        answers = [one for one in await asyncio.gather(*presses) if one.status_code != 503]
        # Of two presses one may find everything sold and the other a piece that was given back in between.
        states = {str(answer.json().get("state")) for answer in answers if answer.is_success}
        if states & {"paid", "pending"}:
            if "paid" in states:
                return "paid"
        elif "refused" in states:
            return "refused"
        else:
            for answer in answers:
                told = answer.json().get("detail", "")
                if "sold out" in told:
                    return "sold out"
                if "used for the last time" in told or f"The amount is {expected[False]}" in told:
                    coupon = False
                elif answer.status_code != 503 and "being paid" not in told:
                    return f"{answer.status_code} {told}"
        await asyncio.sleep(chance.uniform(0.1, 0.6))
    return "never settled"


async def _asked(client: httpx.AsyncClient, method: str, path: str, body: object = None) -> httpx.Response:
    """An answer, asked for until there is one."""
    deadline = time.monotonic() + 120
    while True:
        try:
            return await client.request(method, path, json=body)
        except httpx.HTTPError:
            if time.monotonic() > deadline:
                raise
            await asyncio.sleep(0.1)


async def _rest(installation: Installation, say: Callable[[str], None]) -> None:
    """Waits until nothing is open any more: recovery asks by itself, at the latest after ten minutes."""
    deadline = time.monotonic() + 900
    while time.monotonic() < deadline:
        with psycopg.connect(installation.cluster.dsn("postgres", DATABASE)) as db:
            row = db.execute("select count(*) from attempts where state = 'open'").fetchone()
        if row == (0,):
            return
        await asyncio.sleep(0.5)
    say("something is still open")


def _compare(installation: Installation, stock: int, told: Told) -> list[str]:
    """Every contradiction between our books and the gateway's, and within ours."""
    with sqlite3.connect(installation.folder / "cards.sqlite") as books:
        rows = books.execute("select key, amount, currency, outcome from charge where mode = 'test'").fetchall()
    theirs = {key: parse_amount(amount, currency) for key, amount, currency, outcome in rows if outcome == "approved"}
    told.charges = Counter(currency for _, _, currency, outcome in rows if outcome == "approved")
    wrong: list[str] = []
    with psycopg.connect(installation.cluster.dsn("postgres", DATABASE)) as db:

        def all_of(query: str) -> list[tuple[Any, ...]]:
            return db.execute(query.encode()).fetchall()

        ours = dict(all_of("select attempt_id::text, amount from charges"))
        if ours != theirs:
            missing, more = theirs.keys() - ours.keys(), ours.keys() - theirs.keys()
            wrong.append(f"charges differ: {len(missing)} only at the gateway, {len(more)} only here")
        checks = {
            "attempts are still open": "select id from attempts where state = 'open'",
            "orders were charged more than once": "select order_id from charges group by 1 having count(*) > 1",
            "paid orders have no charge of their total": "select o.id from orders o left join charges c on c.order_id ="
            " o.id where o.state = 'paid' and (c.id is null or c.amount <> o.total)",
            "charges have no paid order": "select c.id from charges c join orders o on o.id = c.order_id"
            " where o.state <> 'paid'",
            "paid orders have no paper": "select o.id from orders o where o.state = 'paid'"
            " and not exists (select from papers p where p.order_id = o.id)",
            "paid orders have not one mail": "select o.id from orders o where o.state = 'paid' and 1 <>"
            " (select count(*) from mails m where m.key like 'order ' || o.id || ' order_paid%')",
            "baskets were not tied to their paid order": "select o.id from orders o where o.state = 'paid'"
            " and jsonb_array_length(o.wanted -> 'items') = 3 and not exists (select from baskets b where b.order_id"
            " = o.id)",
            "series of papers have gaps": "select series from papers group by series"
            " having count(*) <> max(number) or min(number) <> 1",
            "orders hold pieces without being paid": "select h.order_id from stock_holds h join orders o on o.id ="
            " h.order_id where h.state = 'held' or o.state <> 'paid'",
            "orders hold coupons without being paid": "select u.order_id from coupon_uses u join orders o on o.id ="
            " u.order_id where u.state = 'held' or o.state <> 'paid'",
            "books were contradicted": "select id from events where kind like '%contradicted'",
        }
        for words, query in checks.items():
            found = all_of(query)
            if found:
                wrong.append(f"{len(found)} {words}")
        told.recovered = all_of("select count(*) from attempts where asks > 0")[0][0]
        sold = all_of("select count(*) from orders where state = 'paid'")[0][0]
        remaining = all_of("select remaining from stock_levels where product_id = 'coptic-kit'")[0][0]
        if remaining != stock - sold:
            wrong.append(f"stock is {remaining}, and {stock} less {sold} sold is {stock - sold}")
        taken = all_of("select coalesce(sum(taken), 0) from coupon_counts where coupon_id = 'BIND10' and customer = ''")
        used = all_of("select count(*) from coupon_uses where coupon_id = 'BIND10'")
        discounted = all_of("select count(*) from orders where state = 'paid' and total in (4320, 8380)")
        if not taken[0][0] == used[0][0] == discounted[0][0]:
            wrong.append(f"coupon: {taken[0][0]} counted, {used[0][0]} noted, {discounted[0][0]} paid with it")
        if told.buyers["paid"] != sold:
            wrong.append(f"{told.buyers['paid']} buyers were told that they paid, and {sold} orders are paid")
    return wrong


def tell(told: Told, seed: int) -> str:
    """The result in words."""
    fared = ", ".join(f"{count} {state}" for state, count in told.buyers.most_common())
    result = "; ".join(told.wrong) if told.wrong else "both sides agree"
    slowest = f"health said so within {max(took for took, _ in told.health):.1f} s, " if told.health else ""
    at_gateway = " and ".join(f"{count} charges in {currency}" for currency, count in sorted(told.charges.items()))
    asked = f"{slowest}{told.kills} kills, {told.recovered} charges asked about, {told.seconds:.0f} s"
    return f"seed {seed}: {sum(told.buyers.values())} buyers ({fared}), {asked}, {at_gateway} at the gateway: {result}"
