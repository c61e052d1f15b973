"""Giving money back, as an owner does it at the desk and a buyer finds it on the confirmation page."""

from __future__ import annotations

import re
import uuid

import pytest
from playwright.sync_api import BrowserContext, Page, expect

from tests.browser.conftest import Running, checkout_url, fill, go, press_pay


@pytest.fixture
def email() -> str:
    return f"{uuid.uuid4().hex[:10]}@example.org"


def bought(buyer: BrowserContext, running: Running, email: str, behaviour: str = "approved") -> Page:
    """The confirmation page of a kit that was paid and is collected."""
    page = buyer.new_page()
    page.goto(checkout_url(running))
    fill(page, email, behaviour, f"Jonna {email[:8]}")
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible(timeout=60_000)
    return page


def open_order(desk: Page, running: Running, email: str) -> None:
    go(desk, running, "orders/test")
    desk.get_by_role("searchbox").fill(email)
    desk.get_by_role("link", name=re.compile(f"Jonna {email[:8]}")).click()
    expect(desk.get_by_text(email)).to_be_visible()


def test_a_line_is_given_back_in_part_and_the_buyer_gets_a_credit_note(
    desk: Page, workshop: Running, buyer: BrowserContext, email: str
) -> None:
    page = bought(buyer, workshop, email)
    before = workshop.rows("select remaining from stock_levels where product_id = 'coptic-kit' and mode = 'test'")
    open_order(desk, workshop, email)
    tape = desk.get_by_role("complementary", name="Tape")
    expect(tape).to_contain_text(f"made out to Jonna {email[:8]}")
    expect(tape).to_contain_text("as it was sold")
    expect(tape.locator("li.due")).to_contain_text("EUR 48.00")
    desk.get_by_role("button", name="Give money back").click()
    amount = desk.get_by_label("Amount of Coptic stitch kit, Moss")
    amount.fill("48.01")
    expect(desk.get_by_text("At most 48.00 EUR of “Coptic stitch kit, Moss” can be given back")).to_be_visible()
    expect(desk.get_by_role("button", name="Give back", exact=True)).to_be_disabled()
    amount.fill("24")
    desk.get_by_label("Pieces of Coptic stitch kit, Moss back into stock").fill("1")
    expect(desk.get_by_text("EUR 24.00 goes back, with 4.17 tax in it, and a credit note is written.")).to_be_visible()
    desk.get_by_label("Why, for your books").fill("A board was torn")
    desk.get_by_role("button", name="Give back EUR 24.00").click()
    desk.get_by_role("button", name="Give it back").click()
    story = desk.get_by_role("region", name="Given back")
    expect(story).to_contain_text("EUR 24.00 for Coptic stitch kit, Moss, given back")
    expect(story).to_contain_text("“A board was torn”")
    expect(desk.get_by_role("region", name="Papers")).to_contain_text(re.compile(r"Credit note TEST-C-\d{4}-\d{5}"))
    expect(desk.get_by_role("link", name=re.compile("24.00 given back"))).to_be_visible()
    after = workshop.rows("select remaining from stock_levels where product_id = 'coptic-kit' and mode = 'test'")
    assert after[0][0] == before[0][0] + 1
    page.reload()
    expect(page.get_by_role("link", name=re.compile(r"Your credit note TEST-C-"))).to_be_visible()
    desk.get_by_role("button", name="Give money back").click()
    expect(desk.get_by_text("24.00 left")).to_be_visible()
    desk.get_by_role("button", name="Everything that is left").click()
    desk.get_by_role("button", name="Give back EUR 24.00").click()
    desk.get_by_role("button", name="Give it back").click()
    expect(desk.get_by_role("link", name=re.compile("48.00 given back"))).to_be_visible()
    desk.get_by_role("button", name="Give money back").click()
    expect(desk.get_by_text("Everything was given back.")).to_be_visible()


@pytest.mark.parametrize(
    ("behaviour", "told"), [("no_refund", "refused: the card or account takes nothing back"), ("cut", "given back")]
)
def test_what_the_gateway_says_of_a_refund_is_told(
    desk: Page, workshop: Running, buyer: BrowserContext, email: str, behaviour: str, told: str
) -> None:
    bought(buyer, workshop, email, behaviour)
    open_order(desk, workshop, email)
    desk.get_by_role("button", name="Give money back").click()
    desk.get_by_role("button", name="Everything that is left").click()
    desk.get_by_role("button", name="Give back EUR 48.00").click()
    desk.get_by_role("button", name="Give it back").click()
    expect(desk.get_by_role("region", name="Given back")).to_contain_text(told, timeout=60_000)


def test_the_promised_days_stand_on_the_product_and_at_the_order(
    desk: Page, workshop: Running, buyer: BrowserContext, email: str
) -> None:
    go(desk, workshop, "products/coptic-kit")
    desk.get_by_role("textbox", name="Days to give it back").fill("14")
    expect(desk.get_by_text(re.compile(r"^Saved \d\d:\d\d in the draft"))).to_be_visible()
    page = bought(buyer, workshop, email)
    expect(
        page.get_by_text(re.compile(r"^Coptic stitch kit, Moss can be given back until \d+ \w+ \d{4}\.$"))
    ).to_be_visible()
    open_order(desk, workshop, email)
    desk.get_by_role("button", name="Give money back").click()
    expect(desk.get_by_text(re.compile(r"48.00 left; promised until \d{4}-\d\d-\d\d"))).to_be_visible()
    go(desk, workshop, "products/coptic-kit")
    desk.get_by_role("textbox", name="Days to give it back").fill("")
    expect(desk.get_by_text(re.compile(r"^Saved \d\d:\d\d in the draft"))).to_be_visible()


def test_a_dispute_is_shown_at_the_order_as_soon_as_the_gateway_tells_of_it(
    desk: Page, workshop: Running, buyer: BrowserContext, email: str
) -> None:
    bought(buyer, workshop, email, "disputed")
    open_order(desk, workshop, email)
    expect(desk.get_by_text("The buyer disputes EUR 48.00 at their bank", exact=True)).to_be_visible(timeout=60_000)
    desk.get_by_role("button", name="Give money back").click()
    desk.get_by_role("button", name="Everything that is left").click()
    desk.get_by_role("button", name="Give back EUR 48.00").click()
    desk.get_by_role("button", name="Give it back").click()
    expect(desk.get_by_text("The buyer has disputed this charge at their bank")).to_be_visible()
