"""The desk through a browser: from keys to a sale, saving, conflicts, release."""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Locator, Page, expect

from skurrow.run.installation import ROOT
from tests.browser.conftest import (
    Noted,
    Running,
    checkout_url,
    expect_saved,
    fill,
    find,
    new_running,
    open_context,
    press_pay,
    run_and_remove,
    sign_in,
)


@pytest.fixture(scope="module")
def fresh() -> Iterator[Running]:
    """An installation whose site has no gateway yet, and a website that can be edited."""
    made = new_running("desk")
    pages = made.installation.folder / "website"
    shutil.copytree(ROOT / "demo" / "website", pages)
    made.installation.pages = pages
    with run_and_remove(made, connected=False):
        yield made


def name_of(page: Page) -> Locator:
    return page.get_by_role("textbox", name="Name for buyers")


def stage(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Work order").get_by_role("link", name=name).click()


def test_from_keys_to_a_sale(browser: Browser, fresh: Running, noted: Noted) -> None:
    context = open_context(browser, noted, permissions=["clipboard-read", "clipboard-write"])
    page = sign_in(context.new_page(), fresh)
    desk = fresh.installation

    # The gateway's own page shows its keys; they are pasted at the desk.
    keys = context.new_page()
    keys.goto(desk.cards_url)
    key = keys.locator('[data-key="test"]').inner_text()
    keys.close()
    expect(page.get_by_role("link", name="Payments")).to_contain_text("connect a gateway")
    stage(page, "Payments")
    page.get_by_label("Merchant").first.fill("ostrel")
    page.get_by_label("Key for test mode").fill("wrong")
    page.get_by_role("button", name="Connect for test", exact=True).click()
    expect(page.get_by_text("does not know this merchant with this key")).to_be_visible()
    page.get_by_label("Key for test mode").fill(key)
    page.get_by_role("button", name="Connect for test", exact=True).click()
    expect(page.get_by_text("It answers.")).to_be_visible()
    expect(page.get_by_text("refunds in part")).to_be_visible()
    assert key not in page.content()

    # A product, its price mistyped first.
    stage(page, "Products")
    page.get_by_role("button", name="Add a product").click()
    expect(page.get_by_role("heading", name="Add a product")).to_be_visible()  # else another product is renamed
    page.get_by_label("Name for buyers").fill("Bone folder")
    page.get_by_label("Charge once, in EUR").fill("14.500")
    page.get_by_role("button", name="Add the product").click()
    expect(page.get_by_text("EUR has 2 decimals, 14.500 has 3. Write fewer.")).to_be_visible()
    expect(page.get_by_label("Name for buyers")).to_have_value("Bone folder")
    page.get_by_label("Charge once, in EUR").fill("14.50")
    page.get_by_role("button", name="Add the product").click()
    expect(page.get_by_role("heading", name="Bone folder", level=1)).to_be_visible()

    # A checkout for it, with words of its own.
    stage(page, "Checkouts")
    page.get_by_role("button", name="Add a checkout").first.click()
    find(page, "What the new checkout sells", "bone", "Bone folder")
    expect(page.get_by_role("heading", name="Bone folder", level=1)).to_be_visible()
    page.get_by_label("Heading", exact=True).fill("A folder made of bone")
    expect_saved(page)

    # Its snippet, copied with one press and pasted into a page of the website.
    page.get_by_role("link", name="Put it on the site").click()
    mine = page.get_by_role("region").filter(has_text="Buy Bone folder")
    mine.get_by_role("button", name="Copy snippet").click()
    expect(mine.get_by_role("button", name="Copied")).to_be_visible()
    snippet = page.evaluate("navigator.clipboard.readText()")
    about = desk.pages / "about.html"
    about.write_text(about.read_text().replace("</main>", f"{snippet}</main>"))

    # A buyer presses that button.
    buyer = open_context(browser, noted).new_page()
    buyer.goto(f"{desk.website_url}/about")
    buyer.get_by_role("link", name="Buy Bone folder").click()
    counter = buyer.frame_locator("dialog iframe")
    expect(counter.get_by_role("heading", name="A folder made of bone")).to_be_visible()
    fill(counter, "first@example.org")
    press_pay(counter)
    expect(counter.get_by_role("heading", name="Thank you")).to_be_visible()
    fresh.charged_once("first@example.org")

    stage(page, "Orders")
    expect(page.get_by_role("heading", name="Jonna Kok")).to_be_visible()
    expect(page.get_by_text("EUR 14.50 was charged.")).to_be_visible()
    assert noted.problems == []


def test_an_edit_is_saved_as_it_is_typed_and_kept_while_it_cannot_be(
    fresh: Running, browser: Browser, noted: Noted
) -> None:
    page = sign_in(open_context(browser, noted).new_page(), fresh)
    page.goto(f"{fresh.installation.desk_url}/s/ostrel/products/bench-press")
    amount = page.get_by_label("Amount in EUR").first
    amount.fill("430.00")
    expect_saved(page)
    expect(page.get_by_role("link", name="Bench press")).to_contain_text("EUR 430.00")
    amount.fill("430.0001")
    expect(page.get_by_text("Not saved: something has to be corrected")).to_be_visible()
    expect(amount).to_have_value("430.0001")
    amount.fill("431.00")
    expect_saved(page)
    page.context.set_offline(True)
    amount.fill("432.00")
    expect(page.get_by_text("Not saved: no connection, trying again")).to_be_visible()
    page.context.set_offline(False)
    expect_saved(page)
    page.reload()
    expect(page.get_by_label("Amount in EUR").first).to_have_value("432.00")


def test_two_people_editing_the_same_find_out_before_either_overwrites(
    fresh: Running, browser: Browser, noted: Noted
) -> None:
    first, second = (sign_in(open_context(browser, noted).new_page(), fresh) for _ in range(2))
    for page in (first, second):
        page.goto(f"{fresh.installation.desk_url}/s/ostrel/products/foldwright")
        expect(name_of(page)).to_have_value("Foldwright")

    # One goes offline; both edit the name, and each something of their own.
    second.context.set_offline(True)
    name_of(second).fill("Foldwright Two")
    second.get_by_label("Name at the desk").fill("The software")
    expect(second.get_by_text("Not saved: no connection, trying again")).to_be_visible()
    name_of(first).fill("Foldwright One")
    first.get_by_label("Text for buyers").fill("Pages into signatures.")
    expect_saved(first)

    # Back online, the slower one is shown both, and nothing of either is lost.
    second.context.set_offline(False)
    both = second.get_by_role("alert").filter(has_text="changed this while you did")
    expect(both).to_contain_text("One thing was changed by both of you")
    row = both.get_by_role("row", name="name (both)")
    expect(row.get_by_role("cell")).to_have_text(["Foldwright", "Foldwright Two", "Foldwright One"])
    expect(both.get_by_role("row", name="text")).to_contain_text("Pages into signatures.")
    expect(name_of(second)).to_have_value("Foldwright Two")
    second.get_by_role("button", name="Keep both").click()
    expect_saved(second)
    expect(second.get_by_label("Text for buyers")).to_have_value("Pages into signatures.")

    # The faster one sees it come, and is told whose it is.
    expect(name_of(first)).to_have_value("Foldwright Two")
    expect(first.get_by_label("Name at the desk")).to_have_value("The software")
    expect(first.get_by_text(re.compile("^Saved .* in the draft, by Noor Vermaat"))).to_be_visible()

    # And the other way to settle it.
    first.context.set_offline(True)
    name_of(first).fill("Foldwright Three")
    expect(first.get_by_text("Not saved: no connection, trying again")).to_be_visible()
    name_of(second).fill("Foldwright Four")
    expect_saved(second)
    first.context.set_offline(False)
    first.get_by_role("button", name="Take theirs").click()
    expect(name_of(first)).to_have_value("Foldwright Four")


def test_a_release_is_looked_through_and_made(fresh: Running, browser: Browser, noted: Noted) -> None:
    page = sign_in(open_context(browser, noted).new_page(), fresh)
    page.get_by_role("button", name="Review and release").click()
    expect(page.get_by_role("region", name="parts change")).to_contain_text("Bench press")
    page.get_by_role("button", name="Make release 1").click()
    expect(page.get_by_text("There is nothing to release")).to_be_visible()
    expect(page.get_by_role("banner")).to_contain_text("Release 1, nothing changed since")
    stage(page, "Products")
    page.get_by_label("Text for buyers").fill("Another text")
    expect(page.get_by_role("banner")).to_contain_text("1 change since release 1")


def test_real_buyers_meet_the_release_and_test_buyers_the_draft(fresh: Running, browser: Browser, noted: Noted) -> None:
    context = open_context(browser, noted)
    page, desk = sign_in(context.new_page(), fresh), fresh.installation
    page.goto(f"{desk.desk_url}/s/ostrel/release")
    hindered = page.get_by_role("listitem").filter(has_text="No gateway is connected for live")
    expect(hindered).to_be_visible()
    expect(page.get_by_role("button", name="Open for real buyers")).to_be_disabled()
    hindered.get_by_role("link", name="Connect one under Payments").click()
    page.get_by_label("Merchant").last.fill("ostrel")
    page.get_by_label("Key for live mode").fill(desk.secrets.cards_live_key)
    page.get_by_role("button", name="Connect for live", exact=True).click()
    expect(page.get_by_text("It answers.").nth(1)).to_be_visible()
    page.goto(f"{desk.desk_url}/s/ostrel/release")
    expect(page.get_by_role("heading", name="Review and release")).to_be_visible()
    if page.get_by_role("button", name="Make release").count():
        page.get_by_role("button", name="Make release").click()
    expect(page.get_by_text("There is nothing to release")).to_be_visible()
    page.get_by_role("button", name="Open for real buyers").click()
    page.get_by_role("button", name="Open it").click()
    expect(page.get_by_role("heading", name="Open for real buyers")).to_be_visible()
    page.goto(f"{desk.desk_url}/s/ostrel/products/marbling")
    page.get_by_label("Amount in EUR").first.fill("85.00")
    expect_saved(page)

    buyer = open_context(browser, noted).new_page()
    buyer.goto(checkout_url(fresh, "marbling"))
    expect(buyer.get_by_role("button", name="EUR 79.00")).to_be_visible()
    expect(buyer.get_by_text("TEST", exact=True)).to_have_count(0)
    fill(buyer, "live@example.org")
    press_pay(buyer)
    expect(buyer.get_by_text("Your payment has arrived")).to_be_visible()
    ((mode, release, total),) = fresh.rows(
        "select mode, release, total from orders where buyer->>'email' = 'live@example.org'"
    )
    assert (mode, total) == ("live", 7900)
    assert release >= 1
    page.goto(f"{desk.desk_url}/s/ostrel/orders/live")
    expect(page.get_by_text("live@example.org")).to_be_visible()
    page.goto(f"{desk.desk_url}/s/ostrel/orders/test")
    expect(page.get_by_text("live@example.org")).to_have_count(0)

    page.goto(f"{desk.desk_url}/s/ostrel/on-the-site")
    link = page.get_by_role("region", name="Marbling, complete").get_by_role("link", name="opens the draft")
    given_out = str(link.get_attribute("href"))
    buyer.goto(given_out)
    expect(buyer.get_by_role("button", name="EUR 85.00")).to_be_visible()
    expect(buyer.get_by_text("TEST", exact=True)).to_be_visible()
    page.get_by_role("button", name="Withdraw the test links").click()
    page.get_by_role("button", name="Withdraw them").click()
    expect(page.get_by_text("The test links that were given out open nothing any more.")).to_be_visible()
    expect(link).not_to_have_attribute("href", given_out)
    buyer.goto(given_out)
    expect(buyer.get_by_role("button", name="EUR 79.00")).to_be_visible()
    expect(buyer.get_by_text("TEST", exact=True)).to_have_count(0)


def test_a_wrong_password_is_told_and_signing_out_ends_the_session(
    developer: Page, running: Running, browser: Browser, noted: Noted
) -> None:
    page = open_context(browser, noted).new_page()
    page.goto(running.installation.desk_url)
    page.get_by_label("Email").fill("dev@ostrel.example")
    page.get_by_label("Password").fill("wrong")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("do not belong together")
    developer.get_by_role("button", name="account and signing out").click()
    developer.get_by_role("menuitem", name="Sign out").click()
    expect(developer.get_by_role("heading", name="Sign in to the desk")).to_be_visible()
    developer.goto(f"{running.installation.desk_url}/s/ostrel/orders")
    expect(developer.get_by_role("heading", name="Sign in to the desk")).to_be_visible()
