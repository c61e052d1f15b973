"""What stands or is walked within the website: the account page in a frame, and test sales from its own pages."""

from __future__ import annotations

import re
import uuid

import pytest
from playwright.sync_api import Browser, FrameLocator, Page, expect

from tests.browser.conftest import DESKTOP, PHONE, Noted, Running, checkout_url, fill, go, open_context, press_pay
from tests.browser.members import account

PASSWORD = "three plain words"


def within(page: Page, running: Running) -> FrameLocator:
    """A page of the website that holds the account page."""
    page.goto(f"{running.installation.website_url}/about")
    page.evaluate(
        "address => { document.body.innerHTML = `<main><h1>Your things</h1><iframe title='What you have bought'"
        " src='${address}' style='width:100%;height:700px;border:0'></iframe></main>`; }",
        f"{running.installation.counter_url}/account/ostrel?test=1",
    )
    return page.frame_locator("iframe")


@pytest.mark.parametrize("screen", [DESKTOP, PHONE], ids=["1280", "390"])
def test_the_account_page_stands_within_the_website_and_lets_in_by_a_password(
    browser: Browser, noted: Noted, running: Running, screen: dict[str, int]
) -> None:
    email = f"{uuid.uuid4().hex[:10]}@example.org"
    page = open_context(browser, noted, viewport=screen).new_page()
    page.goto(checkout_url(running, "patterns"))
    fill(page, email)
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    account(page, running, email)
    page.get_by_role("button", name="Set a password").click()
    page.get_by_label("New password").fill(PASSWORD)
    page.get_by_role("button", name="Set the password").click()
    expect(page.get_by_role("button", name="Change the password")).to_be_visible()
    frame = within(page, running)
    frame.get_by_role("button", name="Sign in with a password").click()
    frame.get_by_label("Email").fill(email)
    frame.get_by_label("Password").fill(PASSWORD)
    frame.get_by_role("button", name="Sign in", exact=True).click()
    expect(frame.get_by_text("Folding patterns, volume one")).to_be_visible()
    frame = within(page, running)
    expect(frame.get_by_text("Folding patterns, volume one")).to_be_visible()
    assert frame.get_by_role("link", name=re.compile("^Order ")).get_attribute("target") == "_blank"
    assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    frame.get_by_role("button", name="Sign out").click()
    expect(frame.get_by_role("button", name="Send me a link")).to_be_visible()
    frame = within(page, running)
    expect(frame.get_by_role("button", name="Send me a link")).to_be_visible()


def test_the_website_is_walked_as_a_test_buyer_and_says_so(developer: Page, running: Running) -> None:
    go(developer, running, "on-the-site")
    with developer.expect_popup() as opened:
        developer.get_by_role("link", name="Walk the website as a test buyer").click()
    website = opened.value
    foot = website.get_by_text(re.compile(r"^TEST until \d\d:\d\d"))
    expect(foot).to_be_visible()
    assert "#" not in website.url
    website.get_by_role("link", name="Kits").first.click()
    expect(foot).to_be_visible()
    website.get_by_role("link", name="Buy the kit").click()
    counter = website.frame_locator('dialog[data-skurrow="over_page"] iframe')
    expect(counter.get_by_text(re.compile(r"You are a test buyer until \d\d:\d\d"))).to_be_visible()
    website.keyboard.press("Escape")
    website.goto(checkout_url(running))  # as a plain link leads there
    expect(website.get_by_text("You are a test buyer until")).to_be_visible()
    website.get_by_role("link", name="End it now").click()
    expect(website.get_by_role("link", name="Kits").first).to_be_visible()
    expect(foot).to_have_count(0)
    website.goto(checkout_url(running))
    expect(website.get_by_label("Email")).to_be_visible()
    expect(website.get_by_text("You are a test buyer until")).to_have_count(0)
