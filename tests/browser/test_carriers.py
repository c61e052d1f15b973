"""A number for whoever brings the parcel, from the desk to the order; and a test sale taken out again."""

from __future__ import annotations

import re
import uuid

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import (
    DESKTOP,
    PHONE,
    Noted,
    Running,
    checkout_url,
    expect_saved,
    fill,
    go,
    open_context,
    press_pay,
)


def to_be_sent(page: Page, email: str) -> None:
    """Fills in the checkout for a parcel."""
    fill(page, email)
    page.get_by_role("radio", name=re.compile("^Post")).check()
    for label, typed in (("Street and number", "Brink 3"), ("Postal code", "7411 BR"), ("City", "Deventer")):
        page.get_by_label(label).fill(typed)


@pytest.mark.parametrize("screen", [DESKTOP, PHONE], ids=["1280", "390"])
def test_a_buyer_gives_a_number_where_the_carrier_needs_one_and_the_sale_is_taken_out_again(
    desk: Page, workshop: Running, browser: Browser, noted: Noted, screen: dict[str, int]
) -> None:
    email = f"{uuid.uuid4().hex[:10]}@example.org"
    go(desk, workshop, "delivery")
    rings = desk.get_by_label("Whether buyers give a telephone number for Post").first
    rings.select_option("with a telephone number")
    expect_saved(desk)
    page = open_context(browser, noted, viewport=screen).new_page()
    page.goto(checkout_url(workshop))
    to_be_sent(page, email)
    number = page.get_by_label("Telephone, for the carrier")
    expect(number).to_be_visible()
    page.get_by_role("radio", name=re.compile("^Collect it")).check()
    expect(number).to_have_count(0)  # where it is collected, nobody asks
    page.get_by_role("radio", name=re.compile("^Post")).check()
    press_pay(page)
    expect(page.get_by_text("Type a telephone number: the carrier needs it.")).to_be_visible()
    expect(number).to_be_focused()
    number.fill("12")
    press_pay(page)
    expect(page.get_by_text("There is no such telephone number")).to_be_visible()
    page.reload()
    expect(number).to_have_value("12")
    number.fill("0570 612345")
    to_be_sent(page, email)
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    ((code,),) = workshop.rows("select code from orders where buyer->>'email' = %s", email)
    go(desk, workshop, f"orders/test/{code}")
    expect(desk.get_by_role("link", name="+31 570 612 345")).to_have_attribute("href", "tel:+31570612345")
    desk.get_by_role("button", name="Take it out of the test book").click()
    desk.get_by_role("button", name="Take it out", exact=True).click()
    expect(desk.get_by_text("Taken out: one test order.")).to_be_visible()
    assert workshop.rows("select 1 from orders where code = %s", code) == []
    go(desk, workshop, f"orders/test/{code}")
    expect(desk.get_by_text(f"There is no order {code} in this book.")).to_be_visible()
    go(desk, workshop, "delivery")
    rings.select_option("without a telephone number")
    expect_saved(desk)
