"""Everything running as `./start` runs it, and a browser in front of it."""

from __future__ import annotations

import asyncio
import os
import re
import shutil
import signal
import threading
from collections.abc import Coroutine, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, fields
from datetime import date
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import httpx
import psycopg
import pytest
from playwright.sync_api import Browser, BrowserContext, FrameLocator, Page, Playwright, expect, sync_playwright

from skurrow.run.cluster import FAST_AND_FORGETFUL
from skurrow.run.demo import EMAIL
from skurrow.run.installation import DATABASE, Installation, start_postgres
from skurrow.run.ports import Ports, any_free
from skurrow.run.processes import Part
from tests.conftest import LEEWAY, quick_folder
from tests.gateway.test_standin_cards import NUMBERS
from tests.leaks import leaks_in


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """A file's tests stay together, in their order and with their installation, but for those that are marked apart:
    these are long, and begin first; then come the files with the most tests, so that no worker is left with much."""
    mine = [item for item in items if item.path.parent == Path(__file__).parent]
    for item in mine:
        together = item.nodeid if item.get_closest_marker("apart") else item.path.name
        item.add_marker(pytest.mark.xdist_group(together))
    files = [item.path for item in mine]
    mine.sort(key=lambda item: (not item.get_closest_marker("apart"), -files.count(item.path)))
    items[:] = [item for item in items if item.path.parent != Path(__file__).parent] + mine


def pytest_collection_finish(session: pytest.Session) -> None:
    """Tests that follow each other must not be dealt out one by one, as with a pytest that xdist does not know."""
    mine = [item for item in session.items if item.path.parent == Path(__file__).parent]
    if getattr(session.config.option, "loadgroup", False) and any("@" not in item.nodeid for item in mine):
        pytest.exit("The tests of a file are not kept together: pytest and pytest-xdist do not fit.", 3)


PATIENCE = 30_000
"""Milliseconds that a browser test waits for what has to come: a busy machine takes longer."""
PHONE, DESKTOP = {"width": 390, "height": 844}, {"width": 1280, "height": 800}
expect.set_options(timeout=PATIENCE)


@dataclass
class Running:
    """The parts of one installation, each of which can be stopped, killed and started again."""

    installation: Installation
    parts: dict[str, Part] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._loop = asyncio.new_event_loop()
        threading.Thread(target=self._loop.run_forever, daemon=True).start()

    def do(self, work: Coroutine[Any, Any, Any]) -> Any:
        """Runs something asynchronous on the loop that owns the processes."""
        return asyncio.run_coroutine_threadsafe(work, self._loop).result(timeout=90)

    def start_all(self, connected: bool = True) -> None:
        """Starts everything and loads the demo."""
        self.do(self._start_all(connected))

    async def _start_all(self, connected: bool) -> None:
        names = ("cards", "wallet", "debit", "website", "mailbox", "numbers", "web", "worker")
        parts = {name: getattr(self.installation, name)() for name in names}
        gateways = [parts[name] for name in names[:3]]
        database = asyncio.create_task(start_postgres(self.installation))
        for part in list(parts.values())[:-2]:
            await part.start()
        self.parts = {"postgres": await database, **parts}
        for part in (parts["web"], parts["worker"]):
            await part.start()
        for part in gateways:
            await part.wait_until_healthy()
        await self.installation.load_demo(None if connected else [])
        for part in parts.values():
            await part.wait_until_healthy()

    def start(self, name: str) -> None:
        """Starts one part and waits until it answers."""
        part = self.parts.get(name) or getattr(self.installation, name)()
        self.parts[name] = part
        self.do(part.start())
        if name == "postgres":
            self.installation.cluster.wait_until_ready()
        self.do(part.wait_until_healthy())

    def stop(self, name: str) -> None:
        """Stops one part in an orderly way."""
        self.do(self.parts[name].stop())

    def kill(self, name: str) -> None:
        """Ends one part as if the power went."""
        process = self.parts[name].process
        assert process is not None
        os.killpg(process.pid, signal.SIGKILL)
        self.do(process.wait())

    def stop_all(self) -> None:
        """Stops everything."""
        for name in reversed(self.parts):
            self.stop(name)
        self._loop.call_soon_threadsafe(self._loop.stop)

    def charges(self, gateway: str = "cards") -> list[dict[str, Any]]:
        """What a stand-in gateway has in its books."""
        key = self.installation.test_gateways()[f"standin-{gateway}"]
        port = getattr(self.installation.ports, gateway)
        answer = httpx.get(f"http://127.0.0.1:{port}/charges", auth=(key.merchant, key.key))
        found: list[dict[str, Any]] = answer.raise_for_status().json()
        return found

    def rows(self, query: str, *parameters: object) -> list[tuple[Any, ...]]:
        """Rows as the superuser sees them."""
        with psycopg.connect(self.installation.cluster.dsn("postgres", DATABASE)) as db:
            return db.execute(query.encode(), parameters).fetchall()

    def charged_once(self, email: str) -> None:
        """The order of this buyer is paid, by one charge, and the gateway has charged just that."""
        orders = self.rows("select id, state, total from orders where buyer->>'email' = %s", email)
        assert [state for _, state, _ in orders] == ["paid"], orders
        charges = self.rows("select amount from charges where order_id = %s", orders[0][0])
        assert charges == [(orders[0][2],)]
        keys = {str(key) for (key,) in self.rows("select id from attempts where order_id = %s", orders[0][0])}
        assert [c["outcome"] for c in self.charges() if c["key"] in keys].count("approved") == 1


def new_running(name: str, **settings: Any) -> Running:
    """An installation of its own on free ports, not started."""
    ports = Ports(*(any_free() for _ in fields(Ports)))
    options = tuple(FAST_AND_FORGETFUL)
    folder = quick_folder(name)
    return Running(
        Installation(
            folder, ports, slow_seconds=2.5, gateway_seconds=4, server_options=options, **{"leeway": LEEWAY, **settings}
        )
    )


@contextmanager
def run_and_remove(made: Running, connected: bool = True) -> Iterator[Running]:
    """Starts an installation with its demo; stops and removes it in the end."""
    try:
        made.start_all(connected)
        yield made
    finally:
        made.stop_all()
        installation = made.installation
        secrets = [value for name, value in vars(installation.secrets).items() if name != "name"]
        found = leaks_in(installation.folder / "logs", secrets)
        installation.remove()
        shutil.rmtree(made.installation.folder, ignore_errors=True)
    assert found == [], "logs hold what they may not"


@pytest.fixture(scope="session")
def running() -> Iterator[Running]:
    """One running installation with the demo, for all browser tests that do not break it."""
    with run_and_remove(new_running("browser")) as made:
        yield made


@pytest.fixture(scope="session")
def workshop() -> Iterator[Running]:
    """Another one, whose site is worked on by the tests of the desk: each leaves what the others need."""
    with run_and_remove(new_running("workshop")) as made:
        yield made


@pytest.fixture
def desk(browser: Browser, workshop: Running, noted: Noted) -> Iterator[Page]:
    """The desk of the workshop, signed in."""
    context = open_context(browser, noted, permissions=["clipboard-read", "clipboard-write"])
    yield sign_in(context.new_page(), workshop)
    context.close()
    assert noted.problems == []


@pytest.fixture(scope="session")
def playwright() -> Iterator[Playwright]:
    with sync_playwright() as made:
        yield made


@pytest.fixture(scope="session")
def browser(playwright: Playwright) -> Iterator[Browser]:
    found = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"])
    yield found
    found.close()


@dataclass
class Noted:
    """What a browser context was heard saying."""

    problems: list[str] = field(default_factory=list)
    bodies: list[tuple[str, str]] = field(default_factory=list)
    contexts: list[BrowserContext] = field(default_factory=list)


@pytest.fixture
def noted() -> Iterator[Noted]:
    """What this test's browsers are heard saying. They are closed after it: an open page goes on working."""
    made = Noted()
    yield made
    for context in made.contexts:
        context.close()


def open_context(browser: Browser, noted: Noted, **options: Any) -> BrowserContext:
    """A fresh browser profile; errors of its pages and all requests are noted."""
    context = browser.new_context(**{"viewport": DESKTOP, **options})
    context.set_default_timeout(PATIENCE)
    noted.contexts.append(context)

    def watch(page: Page) -> None:
        page.on("pageerror", lambda error: noted.problems.append(str(error)))

    context.on("page", watch)
    context.on("request", lambda request: noted.bodies.append((request.url, request.post_data or "")))
    return context


@pytest.fixture(params=[DESKTOP, PHONE], ids=["1280", "390"])
def buyer(request: pytest.FixtureRequest, browser: Browser, noted: Noted) -> Iterator[BrowserContext]:
    """A buyer's browser, on a desk and on a phone."""
    context = open_context(browser, noted, viewport=request.param, has_touch=request.param is PHONE)
    yield context
    context.close()
    assert noted.problems == []


@pytest.fixture
def developer(browser: Browser, running: Running, noted: Noted) -> Iterator[Page]:
    """The desk, signed in."""
    context = open_context(browser, noted, permissions=["clipboard-read", "clipboard-write"])
    yield sign_in(context.new_page(), running)
    context.close()
    assert noted.problems == []


def sign_in(page: Page, running: Running) -> Page:
    """Signs in at the desk as a person would."""
    page.goto(running.installation.desk_url)
    page.get_by_label("Email").fill(EMAIL)
    page.get_by_label("Password").fill(running.installation.secrets.demo_password)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("navigation", name="Work order")).to_be_visible()
    return page


def go(page: Page, running: Running, sheet: str) -> None:
    """Opens a sheet of the demo's site."""
    page.goto(f"{running.installation.desk_url}/s/ostrel/{sheet}")
    expect(page.get_by_role("main").get_by_role("heading", level=1)).to_be_visible()


def expect_saved(page: Page) -> None:
    """What was typed is stored in the draft."""
    expect(page.get_by_text(re.compile("^Saved .* in the draft"))).to_be_visible()


Counter = Page | FrameLocator


def find(page: Page, label: str, typed: str, option: str) -> None:
    """Types part of a name, and takes what the list offers by the arrows: a list closes when the page is scrolled."""
    field = page.get_by_role("combobox", name=label)
    field.fill(typed)
    wanted = page.get_by_role("option", name=option)
    expect(wanted).to_be_visible()
    wanted_id = wanted.get_attribute("id")
    for _ in range(page.get_by_role("option").count()):
        at = field.get_attribute("aria-activedescendant")
        if at == wanted_id:
            break
        field.press("ArrowDown")
        expect(field).not_to_have_attribute("aria-activedescendant", at or "")
    expect(field).to_have_attribute("aria-activedescendant", wanted_id or "")
    field.press("Enter")


def type_day(page: Page, label: str, day: date) -> None:
    """Types a day as people in the demo's country write it: day, month, year."""
    page.get_by_role("group", name=label, exact=True).get_by_role("spinbutton").first.click()
    page.keyboard.type(f"{day:%d%m%Y}")


def fill(counter: Counter, email: str, behaviour: str = "approved", name: str = "Jonna Kok") -> None:
    """Fills in a checkout; what could be sent is collected."""
    expect(counter.locator("dl")).to_be_visible()
    collect = counter.get_by_label("Collect it in Deventer")
    if collect.count():
        collect.check()
    counter.get_by_label("Email").fill(email)
    counter.get_by_label("Name", exact=True).fill(name)
    type_card(counter, NUMBERS[behaviour])


def type_card(counter: Counter, number: str) -> None:
    """Types a card into the gateway's own frame."""
    card = counter.frame_locator('iframe[title="Card details"]')
    card.get_by_label("Card number").fill(number)
    card.get_by_label("Expires").fill("12 / 31")
    card.get_by_label("Security code").fill("123")


def press_pay(counter: Counter) -> None:
    """Presses the pay button.

    Right after a scroll Chromium may still hand a press to the frame of the card fields that stood there before; a
    person's finger is slower than that.
    """
    button = counter.get_by_role("button", name=re.compile(r" · ([A-Z]{3} |nothing)"))
    button.scroll_into_view_if_needed()
    button.page.wait_for_timeout(250)
    button.click()


def checkout_url(running: Running, checkout: str = "kit") -> str:
    """The hosted page of a demo checkout."""
    return f"{running.installation.counter_url}/buy/ostrel-{checkout}"


def open_over_page(page: Page, running: Running, path: str = "/kits", button: str = "Buy the kit") -> FrameLocator:
    """Presses a button of the website; the checkout opens over the page."""
    page.goto(running.installation.website_url + path)
    page.get_by_role("link", name=button).click()
    counter = page.frame_locator('dialog[data-skurrow="over_page"] iframe')
    expect(counter.get_by_role("heading", level=1)).to_be_visible()
    return counter


def origin(url: str) -> str:
    """Scheme and host of an address."""
    parts = urlsplit(url)
    return f"{parts.scheme}://{parts.netloc}"
