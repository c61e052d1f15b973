"""What members do in a browser, for several tests and the pictures: join, sign in, and live under the calendar."""

from __future__ import annotations

import re
import time
from datetime import UTC, datetime, timedelta

import httpx
from playwright.sync_api import Page, expect

from tests.browser.conftest import Running, checkout_url, fill, go, type_day


def join(
    page: Page,
    running: Running,
    email: str,
    behaviour: str = "approved",
    checkout: str = "club",
    name: str = "Maud Terlinden",
) -> None:
    """Buys what recurs, at the counter."""
    page.goto(checkout_url(running, checkout))
    fill(page, email, behaviour, name)
    if page.get_by_label("Postal code").count():
        page.get_by_label("Postal code").fill("7411 BR")
    button = page.get_by_role("button", name="Begin" if checkout == "evening" else "Join the club")
    button.scroll_into_view_if_needed()
    page.wait_for_timeout(400)
    button.click()
    expect(page.get_by_role("heading", name=f"Thank you, {name}")).to_be_visible()


def move(page: Page, words: str) -> None:
    """Moves the calendar at the desk, and waits until it is there."""
    before = page.get_by_role("heading", name=re.compile("^In the test book it is")).inner_text()
    page.get_by_role("button", name=words).click()
    heading = page.get_by_role("heading", name=re.compile("^In the test book it is"))
    expect(heading).not_to_have_text(before, timeout=30_000)
    expect(page.get_by_role("button", name=words)).to_be_visible(timeout=30_000)


def past_its_next_charge(page: Page) -> None:
    """Moves the calendar to the day after the next charge of the subscription that is open, whatever else is due."""
    row = page.get_by_role("row", name=re.compile("^It is "))
    expect(row).to_contain_text("the next charge is on")
    before = row.text_content() or ""
    on = before.partition("the next charge is on ")[2].strip().replace("Sept", "Sep")
    after = datetime.strptime(on, "%d %b %Y").replace(tzinfo=UTC) + timedelta(days=1)
    type_day(page, "Move the date to", after.date())
    page.get_by_role("button", name="Go there").click()
    expect(row).not_to_have_text(before, timeout=60_000)


def mail(running: Running, email: str, subject: str) -> str:
    """The text of the newest mail to somebody with such a subject, once it is in the mailbox."""
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        mails = httpx.get(f"http://127.0.0.1:{running.installation.ports.mailbox}/mails").json()
        for one in mails:
            if one["to"] == email and subject in one["subject"]:
                return str(one["text"])
        time.sleep(0.2)
    raise AssertionError(f"no mail to {email} about {subject}")


def link_in(text: str, part: str) -> str:
    found = re.search(rf"http\S+/{part}/\S+", text)
    assert found is not None, text
    return found[0]


def account(page: Page, running: Running, email: str) -> None:
    """Signs in to the account page with a mailed link."""
    page.goto(f"{running.installation.counter_url}/account/ostrel?test=1")
    page.get_by_label("Email").fill(email)
    page.get_by_role("button", name="Send me a link").click()
    expect(page.get_by_role("heading", name="Look into your mailbox")).to_be_visible()
    page.goto(link_in(mail(running, email, "Sign in at Ostrel Bindery"), "account"))
    # The page before says the address too: what only whoever is signed in sees is waited for.
    expect(page.get_by_role("button", name="Sign out")).to_be_visible()
    expect(page.get_by_text(email)).to_be_visible()


def open_of(page: Page, running: Running, name: str) -> None:
    go(page, running, "subscriptions/test")
    page.get_by_label("Find a subscription").fill(name)
    page.get_by_role("link", name=re.compile("Paper parcel|Evening bench")).first.click()
