"""The tape, the preview, and what arrives at the desk by itself."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Browser, FrameLocator, Locator, Page, expect

from tests.browser.conftest import (
    Noted,
    Running,
    checkout_url,
    expect_saved,
    fill,
    go,
    open_context,
    press_pay,
    sign_in,
)


def strip(page: Page, name: str = "Consumer, Utrecht") -> Locator:
    return page.get_by_role("region", name=f"Tape for {name}")


def due(page: Page, name: str = "Consumer, Utrecht") -> Locator:
    return strip(page, name).locator('[data-row="due"]')


def test_it_follows_what_is_typed_before_anything_is_saved(desk: Page, workshop: Running) -> None:
    held = []
    desk.route(
        "**/parts/product/bench-press",
        lambda route: held.append(route) if route.request.method == "PUT" else route.continue_(),
    )
    go(desk, workshop, "products/bench-press")
    expect(due(desk)).to_have_text("EUR 420.00")
    before = workshop.rows("select count(*) from part_revisions where part_id = 'bench-press'")
    desk.get_by_label("Amount in EUR", exact=True).first.fill("430.00")
    expect(due(desk)).to_have_text("EUR 430.00")
    struck = strip(desk).get_by_role("listitem").filter(has_text="Due today").locator("s")
    expect(struck).to_have_text("420.00")
    expect(strip(desk).locator('[data-row="tax NL VAT 0.21"], .tax [data-row]').first).to_have_class(
        re.compile("changed")
    )
    expect(desk.get_by_label("At once in GBP")).to_have_attribute("placeholder", "370.00")
    assert workshop.rows("select count(*) from part_revisions where part_id = 'bench-press'") == before

    # What is not right yet is said, and the tape stays what it was.
    desk.get_by_label("Amount in EUR", exact=True).first.fill("43o")
    expect(strip(desk)).to_contain_text("Not right yet")
    expect(due(desk)).to_have_text("EUR 420.00")
    desk.get_by_label("Amount in EUR", exact=True).first.fill("420.00")
    expect(strip(desk).locator("s")).to_have_count(0)
    desk.unroute_all(behavior="ignoreErrors")


def test_it_is_made_out_to_whom_one_likes_and_each_line_has_its_reason(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "products/coptic-kit")
    strip(desk).get_by_role("button", name="VAT 21 % NL").click()
    expect(strip(desk).get_by_text("Taxed at home, in NL, at 21 %.")).to_be_visible()
    expect(strip(desk).get_by_text("TEST", exact=True)).to_be_visible()
    desk.get_by_label("Made out to").select_option("Consumer, London, in pounds")
    expect(due(desk, "Consumer, London, in pounds")).to_have_text("GBP 48.21")
    desk.get_by_label("Currency", exact=True).select_option("JPY")
    expect(due(desk, "Consumer, London, in pounds")).to_have_text(re.compile(r"^JPY \d+,\d{3}$"))
    desk.get_by_label("Card", exact=True).select_option("without funds")
    strip(desk, "Consumer, London, in pounds").get_by_role("button", name="Keep beside").click()
    expect(desk.get_by_role("region", name="Tape for Consumer, London, in pounds")).to_have_count(2)
    address = desk.url
    for part in ("buyer=london", "currency=JPY", "card=no_funds", "beside=london"):
        assert part in address
    desk.reload()
    expect(desk.get_by_role("region", name="Tape for Consumer, London, in pounds")).to_have_count(2)
    expect(desk.get_by_label("Card", exact=True)).to_have_value("no_funds")
    desk.get_by_role("button", name="Take away").click()
    expect(desk.get_by_role("region", name="Tape for Consumer, London, in pounds")).to_have_count(1)
    desk.get_by_role("button", name="as kept").click()
    expect(due(desk, "Consumer, London, in pounds")).to_have_text("GBP 48.21")
    desk.get_by_label("Quantity", exact=True).fill("3")
    expect(due(desk, "Consumer, London, in pounds")).to_have_text("GBP 149.62")
    desk.get_by_label("Made out to").select_option("Real buyers")
    expect(strip(desk, "Real buyers").get_by_text("TEST", exact=True)).to_have_count(0)


def test_a_stand_in_buyer_is_duplicated_and_changed(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "stand-in-buyers/london")
    desk.get_by_role("button", name="Duplicate").click()
    expect(desk.get_by_role("heading", name="Consumer, London, in pounds, again")).to_be_visible()
    desk.get_by_role("textbox", name="What the desk calls them").fill("Consumer, Leeds, whose card has expired")
    desk.get_by_label("Their card is").select_option("expired")
    desk.get_by_label("Email").fill("nobody")
    expect(desk.get_by_text("Not saved: something has to be corrected")).to_be_visible()
    desk.get_by_label("Email").fill("leeds@standin.example")
    expect_saved(desk)
    desk.get_by_role("button", name="Make the tape out to them").click()
    expect(strip(desk, "Consumer, Leeds, whose card has expired")).to_be_visible()
    expect(desk.get_by_label("Card", exact=True)).to_have_value("expired")
    desk.get_by_role("button", name="Archive").click()
    expect(desk.get_by_text("Archived: Consumer, Leeds")).to_be_visible()
    desk.get_by_role("button", name="Undo", exact=True).click()
    expect(desk.get_by_role("heading", name="Consumer, Leeds")).to_be_visible()


@pytest.mark.parametrize("screen", ["phone", "desktop"])
def test_a_test_sale_is_made_in_the_preview_and_stands_in_the_test_book(
    desk: Page, workshop: Running, browser: Browser, noted: Noted, screen: str
) -> None:
    watching = sign_in(open_context(browser, noted).new_page(), workshop)
    go(watching, workshop, "orders/test")
    go(desk, workshop, f"checkouts/marbling?preview={screen}&buyer=utrecht")
    counter = desk.frame_locator('iframe[title^="Preview"]')
    expect(counter.get_by_label("Email")).to_have_value("maud@standin.example")
    expect(counter.get_by_label("Name", exact=True)).to_have_value("Maud Terlinden")
    card_is_filled_in(counter)
    press_pay(counter)
    expect(counter.get_by_role("heading", name="Thank you")).to_be_visible()
    told = desk.get_by_role("status").filter(has_text="is paid")
    expect(told).to_be_visible()
    code = str(told.locator(".mono").text_content())
    ((mode, state),) = workshop.rows("select mode, state from orders where code = %s", code)
    assert (mode, state) == ("test", "paid")

    # In another window the book has it without reloading.
    expect(watching.locator(f'a[href*="/orders/test/{code}"]')).to_contain_text("Maud Terlinden")
    told.get_by_role("link", name="See it in the test book").click()
    expect(desk.get_by_role("heading", name="Maud Terlinden")).to_be_visible()
    expect(desk.get_by_text("EUR 79.00 was charged.")).to_be_visible()


def card_is_filled_in(counter: FrameLocator) -> None:
    card = counter.frame_locator('iframe[title="Card details"]')
    expect(card.get_by_label("Card number")).not_to_have_value("")


def test_the_preview_refuses_as_the_buyers_card_does(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "checkouts/marbling?preview=phone&buyer=no-funds")
    counter = desk.frame_locator('iframe[title^="Preview"]')
    card_is_filled_in(counter)
    press_pay(counter)
    expect(counter.get_by_text("not enough money in the account")).to_be_visible()
    expect(desk.get_by_role("status").filter(has_text="was refused")).to_be_visible()


def test_a_lost_live_view_says_so_and_catches_up(desk: Page, workshop: Running, browser: Browser, noted: Noted) -> None:
    go(desk, workshop, "orders/test")
    workshop.stop("worker")
    buyer = open_context(browser, noted).new_page()
    buyer.goto(checkout_url(workshop, "class"))
    fill(buyer, "lost-view@example.org", "cut", name="Lotte Verloren")
    press_pay(buyer)
    row = desk.get_by_role("link", name=re.compile("Lotte Verloren"))
    expect(row).to_contain_text("not paid")
    buyer.close()
    workshop.stop("web")
    expect(desk.get_by_text("The live view is lost; trying again")).to_be_visible()
    workshop.start("worker")
    # Meanwhile the worker asks the gateway what became of it.
    for _ in range(300):
        if workshop.rows("select 1 from orders where buyer->>'email' = 'lost-view@example.org' and state = 'paid'"):
            break
        desk.wait_for_timeout(100)
    workshop.start("web")
    expect(row).to_contain_text(re.compile(r"· paid"), timeout=60_000)
    expect(desk.get_by_text("The live view is lost; trying again")).to_have_count(0)


def test_a_window_that_nobody_looks_at_gives_its_connection_back_and_catches_up(
    browser: Browser, workshop: Running, noted: Noted
) -> None:
    page = open_context(browser, noted).new_page()
    page.clock.install()
    sign_in(page, workshop)
    go(page, workshop, "orders/test")
    look = "Object.defineProperty(document, 'hidden', {{value: {}, configurable: true}});"
    look += "document.dispatchEvent(new Event('visibilitychange'))"
    page.evaluate(look.format("true"))
    page.clock.fast_forward(31_000)
    buyer = open_context(browser, noted).new_page()
    buyer.goto(checkout_url(workshop, "class"))
    fill(buyer, "unseen@example.org", name="Ula Ungesehen")
    press_pay(buyer)
    expect(buyer.get_by_role("heading", name="Thank you")).to_be_visible()
    buyer.close()
    row = page.get_by_role("link", name=re.compile("Ula Ungesehen"))
    page.wait_for_timeout(1500)
    expect(row).to_have_count(0)
    page.evaluate(look.format("false"))
    expect(row).to_contain_text("paid")
    assert noted.problems == []
