"""Looking after payments, in an installation of its own: books compared, the test book cleared, a gateway ended."""

from __future__ import annotations

import re
import uuid
from collections.abc import Callable, Iterator

import httpx
import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect

from tests.browser.conftest import (
    Noted,
    Running,
    checkout_url,
    fill,
    go,
    new_running,
    open_context,
    press_pay,
    run_and_remove,
    sign_in,
)

Buyers = Callable[[], Page]


@pytest.fixture(scope="module")
def running() -> Iterator[Running]:
    with run_and_remove(new_running("payments")) as made:
        yield made


@pytest.fixture
def developer(browser: Browser, running: Running, noted: Noted) -> Iterator[Page]:
    context = open_context(browser, noted)
    yield sign_in(context.new_page(), running)
    context.close()
    assert noted.problems == []


@pytest.fixture
def buyers(browser: Browser) -> Iterator[Buyers]:
    """Buyers who have never been here, as many as are wanted."""
    made: list[BrowserContext] = []

    def one() -> Page:
        made.append(open_context(browser, Noted()))
        return made[-1].new_page()

    yield one
    for context in made:
        context.close()


def buy(buyers: Buyers, running: Running) -> Page:
    page = buyers()
    page.goto(checkout_url(running))
    fill(page, f"{uuid.uuid4().hex[:8]}@example.org")
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    return page


def test_the_books_are_compared_and_a_strange_charge_is_shown(
    developer: Page, running: Running, buyers: Buyers
) -> None:
    buy(buyers, running)
    key = running.installation.secrets.cards_test_key
    card = {"number": "9100246810121409", "expires": "2031-12", "code": "123"}
    with httpx.Client(base_url=f"http://127.0.0.1:{running.installation.ports.cards}", auth=("ostrel", key)) as api:
        token = api.post("/tokens", json={"merchant": "ostrel", "mode": "test", **card}).json()["token"]
        body = {"amount": "5.00", "currency": "EUR", "token": token}
        api.put(f"/charges/{uuid.uuid4()}", json=body).raise_for_status()
    go(developer, running, "payments")
    developer.wait_for_timeout(7000)  # what moved in the last seconds is left to the next comparison
    developer.get_by_role("button", name="Compare the books now").click()
    expect(developer.get_by_text("The books differ. Somebody has to look.")).to_be_visible()
    strange = developer.get_by_text(re.compile(r"A charge of EUR 5\.00 is in the gateway’s books and not in ours"))
    expect(strange).to_be_visible()


def test_the_test_book_is_cleared_after_it_was_asked_about(developer: Page, running: Running, buyers: Buyers) -> None:
    page = buy(buyers, running)
    go(developer, running, "orders/test")
    expect(developer.get_by_role("link", name=re.compile("Jonna Kok")).first).to_be_visible()
    developer.get_by_role("button", name="Clear the test book").click()
    expect(developer.get_by_text(re.compile(r"Remove .+\? Live sales stay\."))).to_be_visible()
    developer.get_by_role("button", name="No", exact=True).click()
    expect(developer.get_by_role("link", name=re.compile("Jonna Kok")).first).to_be_visible()
    developer.get_by_role("button", name="Clear the test book").click()
    developer.get_by_role("button", name="Clear the test book").click()
    expect(developer.get_by_text("No test sale yet")).to_be_visible()
    expect(developer.get_by_role("button", name="Clear the test book")).to_have_count(0)
    page.reload()
    expect(page.get_by_role("heading", name="There is nothing at this address")).to_be_visible()
    assert running.rows("select count(*) from orders") == [(0,)]


def test_a_gateway_is_disconnected_and_what_was_paid_can_still_be_given_back(
    developer: Page, running: Running, buyers: Buyers
) -> None:
    buy(buyers, running)
    go(developer, running, "payments")
    developer.get_by_role("button", name="Disconnect").click()
    expect(developer.get_by_text("Test buyers cannot pay with it until it is connected again.")).to_be_visible()
    developer.get_by_role("button", name="Disconnect for test").click()
    expect(developer.get_by_label("Key for test mode")).to_be_visible()
    page = buyers()
    page.goto(checkout_url(running))
    expect(page.get_by_role("radio", name="Bank transfer")).to_be_visible()
    expect(page.get_by_role("radio", name="Card", exact=True)).to_have_count(0)
    go(developer, running, "orders/test")
    developer.get_by_role("button", name="Give money back").click()
    developer.get_by_role("button", name="Everything that is left").click()
    developer.get_by_role("button", name="Give back EUR 48.00").click()
    developer.get_by_role("button", name="Give it back").click()
    expect(developer.get_by_role("region", name="Given back")).to_contain_text("EUR 48.00 for Coptic stitch kit")
    go(developer, running, "payments")
    developer.get_by_label("Merchant").first.fill("ostrel")
    developer.get_by_label("Key for test mode").fill(running.installation.secrets.cards_test_key)
    developer.get_by_role("button", name="Connect for test", exact=True).click()
    expect(developer.get_by_text("✓ It answers.")).to_be_visible()
    buy(buyers, running)
