"""What tests run against: a PostgreSQL cluster of their own, and the real stand-in gateway as a process."""

from __future__ import annotations

import asyncio
import itertools
import os
import shutil
import subprocess
import time
from collections.abc import AsyncIterator, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from dataclasses import dataclass, fields, replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from uuid import UUID
from zoneinfo import ZoneInfo

import httpx
import psycopg
import pytest
from hypothesis import HealthCheck
from hypothesis import settings as properties

from skurrow.core.order import Buyer
from skurrow.gateway.protocol import Credentials, Reach
from skurrow.run import demo
from skurrow.run.cluster import APP, FAST_AND_FORGETFUL, OWNER, Cluster, reachable_folder
from skurrow.run.installation import MERCHANT, ROOT, Installation
from skurrow.run.ports import Ports, any_free
from skurrow.run.secrets_file import Secrets, new_secrets
from skurrow.service.context import Context, Settings, open_context
from skurrow.service.logs import log_as_json
from skurrow.standin.debit import ACCOUNTS
from skurrow.store.database import run, site_transaction, siteless_transaction
from skurrow.store.migrate import migrate
from skurrow.store.people.people import memberships, person_by_email
from tests.leaks import leaks_in

TEMPLATE = "skurrow_template"
PASSWORD = "linen-and-thread"
SLOW_SECONDS = 1.5
LEFT_SECONDS = 3 * 3600
ROOM_IN_MEMORY = 6 << 30
"""Bytes that have to be free for what tests keep in memory."""
LEEWAY = 1000
"""How many times the limits against abuse count in tests that are not about them: all come from one address."""

# All that tests ask is on this machine, without TLS: nobody has to read 150 certificates for each client that is made.
os.environ.pop("SSL_CERT_FILE", None)
os.environ["SSL_CERT_DIR"] = "/nonexistent"

# A property holds or does not, however busy the machine is.
properties.register_profile("ours", deadline=None, suppress_health_check=[HealthCheck.too_slow])
properties.load_profile("ours")

THOROUGH = "SKURROW_THOROUGH" in os.environ
"""Whether floods are as large as they can be, rather than as large as shows what there is to be shown."""
_numbers = itertools.count(1)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes longest begins first: whole installations that are started, killed and flooded."""
    items.sort(key=lambda item: item.path.parent.name != "run")


def own_folder(name: str) -> Path:
    """A folder of this test process's own, within the project."""
    return _new(ROOT / ".skurrow" / "tests" / f"{name}-{os.getpid()}")


def quick_folder(name: str) -> Path:
    """The same for a cluster and its installation: in memory where there is room, since a database is made for nearly
    every test, of 700 files each."""
    memory = Path("/dev/shm")
    if not os.access(memory, os.W_OK) or shutil.disk_usage(memory).free < ROOM_IN_MEMORY:
        return own_folder(name)
    for left in memory.glob("skurrow-tests-*"):  # by runs that were killed, hours ago: their process is gone
        with suppress(FileNotFoundError):  # another worker has just removed it
            is_old = time.time() - left.stat().st_mtime > LEFT_SECONDS
            if is_old and not Path(f"/proc/{left.name.rpartition('-')[2]}").exists():
                shutil.rmtree(left, ignore_errors=True)
    return _new(memory / f"skurrow-tests-{name}-{os.getpid()}")


def _new(folder: Path) -> Path:
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    return folder


@pytest.fixture(scope="session", autouse=True)
def searched_log() -> Iterator[None]:
    """What this process logs goes into a file that is searched in the end for what may not stand in a log."""
    folder = own_folder("log")
    with (folder / "own.log").open("a", encoding="utf-8") as out:
        log_as_json(out)
        yield
    found = leaks_in(folder)
    shutil.rmtree(folder, ignore_errors=True)
    assert found == []


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A running cluster with a migrated template."""
    folder = quick_folder("cluster")
    secrets = new_secrets()
    data = reachable_folder(folder / "data", secrets.name) / "postgres"
    made = Cluster(data, any_free(), secrets.passwords, list(FAST_AND_FORGETFUL))
    made.create_if_missing()
    with (folder / "postgres.log").open("wb") as log:
        server = subprocess.Popen(made.server_command(), cwd=made.folder, stdout=log, stderr=log)
    try:
        made.wait_until_ready()
        made.create_roles()
        made.create_database(TEMPLATE)
        migrate(made.dsn(OWNER, TEMPLATE))
        yield made
    finally:
        server.send_signal(3)
        server.wait(timeout=20)
        shutil.rmtree(data.parent, ignore_errors=True)
        shutil.rmtree(folder, ignore_errors=True)


IN_NL = Buyer(country="NL")
IN_GB = Buyer(country="GB")


@dataclass(frozen=True)
class Database:
    """A database of one test: its name, and addresses for the application, the owner, and the superuser."""

    name: str
    app: str
    owner: str
    superuser: str


def _named(cluster: Cluster, name: str) -> Database:
    return Database(name, cluster.dsn(APP, name), cluster.dsn(OWNER, name), cluster.dsn("postgres", name))


@pytest.fixture
def database(request: pytest.FixtureRequest, cluster: Cluster) -> Iterator[Database]:
    """A migrated database: with the demo for a test that asks for the shop, empty for any other."""
    template = request.getfixturevalue("demo_template") if "shop" in request.fixturenames else TEMPLATE
    made = _named(cluster, f"t{next(_numbers)}")
    cluster.create_database(made.name, template)
    yield made
    cluster.drop_database(made.name)


@pytest.fixture
def demo_template(request: pytest.FixtureRequest, cluster: Cluster) -> str:
    """A database with the demo, connected to these stand-in gateways; loaded once, by the first test that asks."""
    cards: Cards = request.getfixturevalue("cards")
    template = f"demo_{cards.secrets.name}"
    if cluster.create_database(template, TEMPLATE):
        try:
            with ThreadPoolExecutor() as apart:  # a test's own event loop is not touched
                apart.submit(asyncio.run, _load_demo(_named(cluster, template), cards)).result()
        except BaseException:
            cluster.drop_database(template)
            raise
    return template


@dataclass(frozen=True)
class Cards:
    """The running stand-in gateway."""

    url: str
    secrets: Secrets
    installation: Installation
    shared: bool = False
    """Whether tests of other modules use them too, whose calendars therefore stand still."""

    @property
    def test(self) -> Credentials:
        """The demo merchant's key for test mode."""
        return Credentials(MERCHANT, self.secrets.cards_test_key)

    @property
    def live(self) -> Credentials:
        """The demo merchant's key for live mode."""
        return Credentials(MERCHANT, self.secrets.cards_live_key)

    def api(self, name: str) -> str:
        """Where a stand-in gateway is: "cards", "wallet" or "debit"."""
        return f"http://127.0.0.1:{getattr(self.installation.ports, name)}"

    async def account_token(self, behaviour: str) -> str:
        """A one-time token of a bank account, as the fields of the direct debit would get it."""
        number = next(one.number for one in ACCOUNTS if one.behaviour == behaviour)
        body = {"merchant": MERCHANT, "mode": "test", "number": number, "holder": "Jo", "agreed": True}
        async with httpx.AsyncClient() as client:
            answer = await client.post(f"{self.api('debit')}/tokens", json=body)
            return str(answer.raise_for_status().json()["token"])

    async def days_pass(self, days: int) -> None:
        """Moves the calendar of the direct debit forward, as its page does."""
        key = self.installation.test_gateways()["standin-debit"]
        async with httpx.AsyncClient() as client:
            form = {"key": key.key, "days": str(days)}
            answer = await client.post(f"{self.api('debit')}/settings/{key.merchant}/test", data=form)
            assert answer.status_code == 303

    async def token(self, number: str = "9100246810121409", mode: str = "test") -> str:
        """A one-time token of a card, as the card fields would get it."""
        async with httpx.AsyncClient() as client:
            body = {"merchant": MERCHANT, "mode": mode, "number": number, "expires": "2039-12", "code": "123"}
            answer = await client.post(f"{self.url}/tokens", json=body)
            return str(answer.raise_for_status().json()["token"])

    async def charges(self, credentials: Credentials | None = None) -> list[dict[str, str]]:
        """What the gateway has in its books."""
        key = credentials or self.test
        async with httpx.AsyncClient() as client:
            answer = await client.get(f"{self.url}/charges", auth=(key.merchant, key.key))
            found: list[dict[str, str]] = answer.raise_for_status().json()
            return found


@pytest.fixture(scope="session")
def cards() -> Iterator[Cards]:
    """The stand-in gateways, and the stand-in look-up of tax numbers, as processes of their own."""
    with stand_ins() as running:
        yield replace(running, shared=True)


@contextmanager
def stand_ins() -> Iterator[Cards]:
    """Stand-ins while they are needed. Tests that move a gateway's calendar have ones of their own."""
    folder = own_folder("cards")
    installation = Installation(
        folder,
        Ports(*(any_free() for _ in fields(Ports))),
        slow_seconds=SLOW_SECONDS,
    )
    processes = []
    parts = (installation.cards(), installation.wallet(), installation.debit(), installation.numbers())
    for part in parts:
        with part.log.open("wb") as log:
            processes.append(subprocess.Popen(part.command, env=part.environment, stdout=log, stderr=log))
    for part in parts:
        wait_for(str(part.health))
    try:
        yield Cards(f"http://127.0.0.1:{installation.ports.cards}", installation.secrets, installation)
    finally:
        for process in processes:
            process.terminate()
        for process in processes:
            process.wait(timeout=10)
        shutil.rmtree(folder, ignore_errors=True)


def wait_for(url: str, seconds: float = 60) -> None:
    """Returns when the address answers."""
    deadline = time.monotonic() + seconds
    while True:
        try:
            httpx.get(url, timeout=2).raise_for_status()
            return
        except httpx.HTTPError:
            if time.monotonic() > deadline:
                raise
            time.sleep(0.05)


class Clock:
    """The time that services are told; it can be moved."""

    def __init__(self) -> None:
        self.ahead = timedelta(0)

    def __call__(self) -> datetime:
        return datetime.now(UTC) + self.ahead


@dataclass
class Shop:
    """The loaded demo, with its means and its clock."""

    context: Context
    site_id: UUID
    person_id: UUID
    clock: Clock
    cards: Cards
    database: Database

    @property
    def today(self) -> date:
        """What day it is where the shop is: another than by Greenwich, for an hour or two of each."""
        return self.clock().astimezone(ZoneInfo("Europe/Amsterdam")).date()


def settings_for(database: Database, cards: Cards) -> Settings:
    """Settings of a process that works on a test's database."""
    return Settings(
        database_url=database.app,
        master_keys=(cards.secrets.master_key,),
        desk_url="http://localhost:8400",
        counter_url="http://counter.localhost:8400",
        events_url="http://127.0.0.1:9",
        gateways={
            "standin-cards": Reach(cards.url, "http://cards.localhost:8401"),
            "standin-wallet": Reach(cards.api("wallet"), "http://wallet.localhost:8407"),
            "standin-debit": Reach(cards.api("debit"), "http://debit.localhost:8408"),
        },
        stand_in_origins=("http://ostrel.localhost:8403",),
        tax_numbers_url=f"http://127.0.0.1:{cards.installation.ports.numbers}",
        official_rates_url=f"http://127.0.0.1:{cards.installation.ports.numbers}",
        leeway=LEEWAY,
    )


@pytest.fixture
async def context(database: Database, cards: Cards) -> AsyncIterator[Context]:
    """Means on an empty database. Gateways have four seconds to answer here."""
    async with open_context(settings_for(database, cards)) as made, httpx.AsyncClient(timeout=4) as http:
        await made.pool.wait()
        yield replace(made, http=http)


async def _load_demo(database: Database, cards: Cards) -> None:
    """Loads the demo, connected to the stand-in gateway for cards in test mode, into a database."""
    file = ROOT / "demo" / "site.yaml"
    async with open_context(settings_for(database, cards)) as context:
        await demo.load(context, file, "http://ostrel.localhost:8403", PASSWORD, {"standin-cards": cards.test})


@pytest.fixture
async def shop(context: Context, database: Database, cards: Cards) -> AsyncIterator[Shop]:
    """The demo, connected to the stand-in gateway in test mode. Whoever moves its calendar has stand-ins of its own:
    what another test then buys would be charged on a day to come."""
    clock = Clock()
    context.now = clock
    async with siteless_transaction(context.pool) as db:
        person = await person_by_email(db, demo.EMAIL)
        assert person is not None
        found = await memberships(db, person.id)
    yield Shop(context, found[0].site_id, person.id, clock, cards, database)
    if cards.shared:
        with psycopg.connect(database.superuser) as db:
            assert db.execute("select 1 from calendars where ahead > '0'").fetchall() == [], "cards = own_cards"


@pytest.fixture
async def connected_now(shop: Shop) -> None:
    """The gateway is connected in a second in which no other test has moved money there: books are compared from that
    second on."""
    await asyncio.sleep(1.01 - time.time() % 1)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await run(db, "update connections set connected_at = %(at)s", {"at": shop.clock()})


def strict(context: Context) -> None:
    """Has the limits against abuse count as they do for everybody."""
    context.settings = replace(context.settings, leeway=1)


async def eventually(true: object, seconds: float = 30) -> None:
    """Waits until an async question is answered with something true."""
    deadline = time.monotonic() + seconds
    while True:
        answer = await true()  # type: ignore[operator]
        if answer:
            return
        if time.monotonic() > deadline:
            raise AssertionError("it never became so")
        await asyncio.sleep(0.05)
