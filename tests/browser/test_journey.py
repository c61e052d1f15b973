"""From an empty site to a live sale: a bicycle workshop in Ghent with three pages, and nobody who explains anything.

Every press and every field of the developer is counted: the tests say how many there may be at most.
"""

from __future__ import annotations

import re
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Locator, Page, expect

from skurrow.run.installation import Installation
from tests.browser.conftest import (
    PHONE,
    Noted,
    Running,
    expect_saved,
    new_running,
    open_context,
    press_pay,
    run_and_remove,
    sign_in,
    type_card,
)
from tests.gateway.test_standin_cards import NUMBERS

MOST_TO_A_TESTED_SALE = (10, 7)
"""Presses and fields of the developer until the first test sale: 35 and 75 when this was first tried."""
MOST_TO_A_LIVE_SALE = (9, 5)

PAGES = {
    "index.html": "<h1>Spaak</h1><p>Bicycles mended in Ghent.</p><a href='/service.html'>Service</a>",
    "service.html": "<h1>Service</h1><p>Brakes, gears, bearings.</p>",
    "about.html": "<h1>About us</h1>",
}


@dataclass
class Steps:
    """The developer at the desk, whose presses and fields are counted."""

    page: Page
    pressed: int = 0
    filled: int = 0

    def press(self, role: str, name: str | re.Pattern[str], within: Locator | None = None, exact: bool = False) -> None:
        (within or self.page).get_by_role(role, name=name, exact=exact).first.click()  # type: ignore[arg-type]
        self.pressed += 1

    def fill(self, label: str, text: str) -> None:
        self.page.get_by_label(label, exact=True).first.fill(text)
        self.filled += 1

    def stage(self, name: str) -> None:
        self.press("link", name, self.page.get_by_role("navigation", name="Work order"))

    @property
    def counted(self) -> tuple[int, int]:
        return self.pressed, self.filled


@dataclass
class Website:
    """The workshop's own pages, served from a folder on this machine."""

    folder: Path
    url: str


class _Quiet(SimpleHTTPRequestHandler):
    def log_message(self, *_: object) -> None:
        """Says nothing."""


@pytest.fixture(scope="module")
def ghent() -> Iterator[Running]:
    with run_and_remove(new_running("journey")) as made:
        yield made


@pytest.fixture(scope="module")
def website(ghent: Running) -> Iterator[Website]:
    folder = ghent.installation.folder / "spaak"
    folder.mkdir()
    for name, body in PAGES.items():
        (folder / name).write_text(f"<!doctype html><html lang=en><title>Spaak</title><main>{body}</main></html>")
    server = ThreadingHTTPServer(("127.0.0.1", 0), partial(_Quiet, directory=str(folder)))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield Website(folder, f"http://spaak.localhost:{server.server_port}")
    server.shutdown()


def key_of(installation: Installation, mode: str) -> str:
    return str(getattr(installation.secrets, f"cards_{mode}_key"))


def buy(browser: Browser, noted: Noted, website: Website, name: str) -> Page:
    """Somebody on a phone presses the button on the workshop's page, and pays."""
    context = open_context(browser, noted, viewport=PHONE, has_touch=True)
    page = context.new_page()
    page.goto(f"{website.url}/service.html")
    page.get_by_role("link", name="Buy Big service").click()
    counter = page.frame_locator("dialog iframe")
    expect(counter.get_by_role("heading", name="Big service")).to_be_visible()
    counter.get_by_label("Email").fill(f"{name.lower()}@example.org")
    counter.get_by_label("Name", exact=True).fill(name)
    type_card(counter, NUMBERS["approved"])
    press_pay(counter)
    expect(counter.get_by_role("heading", name=f"Thank you, {name}")).to_be_visible()
    return page


def test_from_an_empty_site_to_a_tested_and_then_a_live_sale(
    ghent: Running, website: Website, browser: Browser, noted: Noted
) -> None:
    context = open_context(
        browser, noted, permissions=["clipboard-read", "clipboard-write"], timezone_id="Europe/Brussels"
    )
    page = sign_in(context.new_page(), ghent)
    page.goto(f"{ghent.installation.desk_url}/new-site")
    steps = Steps(page)

    # The country comes from the clock of this machine, and what is usual there with it.
    expect(page.get_by_role("combobox", name="Country of the seller")).to_have_value("Belgium")
    expect(page.get_by_label("Currency of its prices")).to_have_value("EUR")
    expect(page.get_by_label("Time zone")).to_have_value("Europe/Brussels")
    steps.fill("Name of the business", "Spaak")
    steps.fill("Address of the website", website.url)
    steps.press("button", "Add the site")

    # The tape says something as soon as there is something to sell.
    steps.press("button", "Add a product")
    steps.fill("Name for buyers", "Big service")
    page.get_by_label("Kind").select_option("service")
    steps.filled += 1
    steps.fill("Charge once, in EUR", "89,50")
    steps.press("button", "Add the product")
    expect(page.get_by_role("heading", name="Big service", level=1)).to_be_visible()
    expect(page.locator('[data-row="due"]')).to_contain_text("89.50")

    steps.stage("Payments")
    steps.fill("Merchant", "ostrel")
    steps.fill("Key for test mode", key_of(ghent.installation, "test"))
    steps.press("button", "Connect for test", exact=True)
    expect(page.get_by_text("It answers.").first).to_be_visible()

    # One thing is sold, so a checkout for it needs no question.
    steps.stage("Checkouts")
    steps.press("button", "Add a checkout")
    expect(page.get_by_role("heading", name="Big service", level=1)).to_be_visible()
    expect_saved(page)
    steps.press("link", "Put it on the site")
    steps.press("button", "Copy snippet")
    expect(page.get_by_role("button", name="Copied")).to_be_visible()
    snippet = page.evaluate("navigator.clipboard.readText()")
    service = website.folder / "service.html"
    service.write_text(service.read_text().replace("</main>", f"{snippet}</main>"))

    buy(browser, noted, website, "Tess")
    steps.stage("Orders")
    expect(page.get_by_role("heading", name=re.compile("^Tess"))).to_be_visible()
    tested = steps.counted
    assert all(a <= b for a, b in zip(tested, MOST_TO_A_TESTED_SALE, strict=True)), tested

    # Opening says what would go wrong, and leads there.
    live = Steps(page)
    live.press("button", "Review and release")
    live.press("button", "Make release 1")
    expect(page.get_by_text("There is nothing to release")).to_be_visible()
    seller = page.get_by_role("listitem").filter(has_text="would name the seller without street, postal code and city")
    expect(seller).to_be_visible()
    expect(page.get_by_role("listitem").filter(has_text="No gateway is connected for live")).to_be_visible()
    expect(page.get_by_role("button", name="Open for real buyers")).to_be_disabled()
    live.press("link", "Write it under Papers", seller)
    live.fill("Street and number", "Visserij 12")
    live.fill("Postal code", "9000")
    live.fill("City", "Ghent")
    expect_saved(page)
    live.stage("Payments")
    page.get_by_label("Merchant").last.fill("ostrel")
    live.filled += 1
    live.fill("Key for live mode", key_of(ghent.installation, "live"))
    live.press("button", "Connect for live", exact=True)
    expect(page.get_by_text("It answers.").nth(1)).to_be_visible()
    live.press("button", "Review and release")
    unreleased = page.get_by_role("listitem").filter(has_text="edited since the last release")
    expect(unreleased).to_be_visible()
    live.press("button", "Make release 2")
    expect(page.get_by_text("Nothing is known that would go wrong.")).to_be_visible()
    live.press("button", "Open for real buyers")
    live.press("button", "Open it")
    expect(page.get_by_role("heading", name="Open for real buyers")).to_be_visible()
    assert all(a <= b for a, b in zip(live.counted, MOST_TO_A_LIVE_SALE, strict=True)), live.counted

    buy(browser, noted, website, "Lena")
    page.goto(page.url.split("/release")[0] + "/orders/live")
    expect(page.get_by_role("heading", name=re.compile("^Lena"))).to_be_visible()
    expect(page.get_by_text("EUR 89.50 was charged.")).to_be_visible()
    expect(page.get_by_role("navigation", name="Work order")).to_contain_text("from real buyers")
    print(f"presses and fields: {tested} to the first tested sale, {live.counted} more to the first live one")
    assert noted.problems == []


def test_before_it_is_open_a_stranger_reads_that_it_does_not_sell_yet(
    ghent: Running, browser: Browser, noted: Noted
) -> None:
    """The same site on the net, not on this machine."""
    page = sign_in(open_context(browser, noted).new_page(), ghent)
    page.goto(f"{ghent.installation.desk_url}/s/ostrel/site")
    page.get_by_label("Address of the website").fill("https://ostrel.example")
    expect_saved(page)
    page.goto(f"{ghent.installation.desk_url}/s/ostrel/on-the-site")
    expect(page.get_by_text("Whoever comes without a test link reads that it does not sell here yet.")).to_be_visible()
    kit = page.get_by_role("region", name="The kit")
    link = kit.get_by_role("link").first.get_attribute("href")
    test_link = kit.get_by_role("link", name="opens the draft for a test buyer").get_attribute("href")
    assert link
    assert test_link
    stranger = open_context(browser, noted, viewport=PHONE).new_page()
    stranger.goto(link)
    expect(stranger.get_by_text("Ostrel Bindery does not sell here yet.")).to_be_visible()
    stranger.goto(test_link)
    expect(stranger.get_by_label("Email")).to_be_visible()
    page.get_by_role("button", name="Let everybody try it").click()
    expect(page.get_by_text("Whoever comes to the website may try it, and pays nothing.")).to_be_visible()
    stranger.goto(link)
    expect(stranger.get_by_label("Email")).to_be_visible()
    assert noted.problems == []
