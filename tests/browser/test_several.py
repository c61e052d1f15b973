"""Several things in one order, through the real interface: a basket is filled, kept, handed over, paid and sent."""

from __future__ import annotations

import re
import uuid
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, FrameLocator, Locator, Page, expect

from tests.browser.conftest import (
    Noted,
    Running,
    checkout_url,
    expect_saved,
    fill,
    go,
    open_context,
    open_over_page,
    press_pay,
)
from tests.browser.members import mail
from tests.browser.test_accessibility import found_by_axe
from tests.browser.test_currencies import everywhere_the_same

ADDRESS = {"Street and house number": "Brink 1", "Postal code": "7411 BR", "City": "Deventer"}


@pytest.fixture(autouse=True)
def kits_for_everybody(running: Running) -> Iterator[None]:
    """Baskets take many of the forty kits that all browser tests share: there are as many before and after."""
    restock(running)
    yield
    restock(running)


def restock(running: Running) -> None:
    running.rows(
        "update stock_levels set remaining = 40 where mode = 'test' and product_id = 'coptic-kit' returning remaining"
    )


def offered(page: Page, name: str) -> Locator:
    """What is offered under a name."""
    return page.get_by_role("region", name="What there is").get_by_role("listitem").filter(has_text=name)


def add(page: Page, name: str) -> None:
    offered(page, name).get_by_role("button", name="Add").click()


def taken(counter: Page | FrameLocator, name: str) -> Locator:
    """A line of the basket."""
    return counter.get_by_role("region", name="Your basket").get_by_role("listitem").filter(has_text=name)


def promised_at(counter: Page | FrameLocator) -> str:
    """What the pay button says that is charged, once it has been reckoned."""
    button = counter.get_by_role("button", name=re.compile(r" · [A-Z]{3} [\d.,]+$"))
    expect(button).to_be_enabled()
    return str(re.findall(r"[A-Z]{3} [\d.,]+$", str(button.text_content()))[0])


@pytest.mark.parametrize("currency", ["EUR", "GBP"])
def test_a_mixed_basket_is_filled_kept_and_paid_at_once(buyer: BrowserContext, running: Running, currency: str) -> None:
    email = f"{uuid.uuid4().hex[:10]}@example.org"
    page = buyer.new_page()
    page.goto(f"{checkout_url(running, 'shop')}?currency={currency}")
    expect(page.get_by_text("Nothing yet. Add what you would like.")).to_be_visible()
    expect(page.get_by_label("Email")).to_have_count(0)
    add(page, "Coptic stitch kit")
    offered(page, "Coptic stitch kit").get_by_label("Which one").select_option("chalk")
    add(page, "Coptic stitch kit")
    add(page, "Folding patterns, volume one")
    add(page, "Paper parcel")
    expect(offered(page, "Folding patterns").get_by_role("button", name="In your basket")).to_be_disabled()
    chalk = taken(page, "Coptic stitch kit, Chalk")
    chalk.get_by_role("button", name="One more").click()
    expect(page.get_by_role("link", name=re.compile(rf"^5 things in your basket, {currency}"))).to_be_visible()
    assert found_by_axe(page) == []
    page.reload()
    expect(chalk.get_by_label("How many")).to_have_value("2")
    page.goto("about:blank")
    page.goto(f"{checkout_url(running, 'shop')}?currency={currency}")
    taken(page, "Coptic stitch kit, Moss").get_by_role("button", name="Take out").click()
    expect(taken(page, "Coptic stitch kit, Moss")).to_have_count(0)
    fill(page, email)
    page.get_by_label("Postal code").fill("7411 BR") if page.get_by_label("Postal code").count() else None
    promised = promised_at(page)
    expect(page.get_by_text(re.compile("^Paper parcel: .* every month, until you cancel"))).to_be_visible()
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    expect(page.get_by_text("2 × Coptic stitch kit, Chalk")).to_be_visible()
    running.charged_once(email)
    everywhere_the_same(running, email, promised)
    assert "It was paid with your order" in mail(running, email, "Your Paper parcel")
    page.goto(checkout_url(running, "shop"))
    page.get_by_role("button", name="Buy another").click()
    expect(page.get_by_text("Nothing yet. Add what you would like.")).to_be_visible()
    page.goto(f"{checkout_url(running, 'shop')}?add=papers")  # something new is no second look at what was bought
    expect(taken(page, "Five marbling papers")).to_be_visible()
    promised_at(page)


def test_the_website_hands_its_basket_to_every_frame(browser: Browser, noted: Noted, running: Running) -> None:
    page = open_context(browser, noted).new_page()
    counter = open_over_page(page, running, "/paper", "Add to your basket")
    papers = taken(counter, "Five marbling papers")
    expect(papers).to_be_visible()
    counter.get_by_role("region", name="What there is").get_by_role("button", name="Add").nth(1).click()
    expect(taken(counter, "Linen thread set")).to_be_visible()
    expect(counter.get_by_role("button", name=re.compile(r"· EUR [\d.]+$"))).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.locator("dialog")).to_have_count(0)
    page.get_by_role("link", name="Add to your basket").click()
    expect(papers.get_by_label("How many")).to_have_value("2")
    page.get_by_role("button", name="Close the checkout").click()
    page.goto(f"{running.installation.website_url}/paper")
    page.get_by_role("link", name="Your basket", exact=True).click()
    expect(papers.get_by_label("How many")).to_have_value("2")
    expect(taken(counter, "Linen thread set")).to_be_visible()


def test_a_link_brings_a_basket_and_says_what_it_could_not(buyer: BrowserContext, running: Running) -> None:
    page = buyer.new_page()
    page.goto(f"{checkout_url(running, 'shop')}?items=kit:2:moss,thread:3,cushion:1,kit:1:red")
    said = page.get_by_role("status").filter(has_text="Not everything could be taken.")
    expect(said).to_contain_text("“cushion” is not sold here.")
    expect(said).to_contain_text("“Coptic stitch kit” does not come in “red”.")
    thread = taken(page, "Linen thread set")
    expect(thread.get_by_label("How many")).to_have_value("3")
    expect(taken(page, "Coptic stitch kit, Moss").get_by_label("How many")).to_have_value("2")
    said.get_by_role("button", name="I have read it").click()
    expect(said).to_have_count(0)
    expect(page).not_to_have_url(re.compile("items="))
    with page.expect_response("**/counter/api/basket"):
        thread.get_by_role("button", name="One fewer").click()
    page.reload()
    expect(thread.get_by_label("How many")).to_have_value("2")
    page.goto(f"{checkout_url(running, 'kit')}?items=kit:3:chalk")  # where one is chosen, a link chooses it
    expect(page.get_by_role("radio", name="Chalk")).to_be_checked()
    expect(page.get_by_label("How many")).to_have_value("3")


def test_what_cannot_be_ordered_is_said_at_its_line(buyer: BrowserContext, running: Running) -> None:
    page = buyer.new_page()
    page.goto(f"{checkout_url(running, 'shop')}?items=kit:4:moss,kit:4:chalk,kit:4:indigo")
    wrong = taken(page, "Coptic stitch kit, Indigo")
    expect(wrong).to_contain_text("At most 10 can be ordered at once")
    fill_and_press(page)
    expect(page.get_by_text("It cannot be paid yet. Nothing was charged.")).to_be_visible()
    wrong.get_by_role("button", name="Take out").click()
    promised_at(page)


def fill_and_press(page: Page) -> None:
    page.get_by_label("Email").fill("jo@example.org")
    page.get_by_label("Name", exact=True).fill("Jo")
    page.locator("button[type=submit]").click()


def test_the_owner_lets_buyers_take_several_and_takes_something_off(
    developer: Page, browser: Browser, noted: Noted, running: Running
) -> None:
    go(developer, running, "checkouts/marbling")
    developer.get_by_label("Buyers take").select_option("several")
    developer.get_by_label("Off each thing bought here").select_option("percent")
    developer.get_by_label("Per cent").fill("25")
    expect_saved(developer)
    try:
        due = developer.locator('[data-row="due"]').first
        expect(due).to_have_text("EUR 59.25")
        page = open_context(browser, noted).new_page()
        page.goto(checkout_url(running, "marbling"))
        add(page, "Marbling, complete")
        expect(page.get_by_text("25 % off")).to_be_visible()
        assert promised_at(page) == "EUR 59.25"
        page.get_by_label("Country").select_option("DE")
        expect(page.get_by_role("button", name=re.compile("EUR 59.25"))).to_be_visible()
        developer.get_by_label("Buyers take").select_option("everyday")
        expect(developer.get_by_text("“The everyday shop” is the everyday checkout already").first).to_be_visible()
    finally:
        developer.get_by_label("Buyers take").select_option("one")
        developer.get_by_label("Off each thing bought here").select_option("none")
        expect_saved(developer)


def test_a_product_is_sold_from_its_sheet_in_one_press(
    developer: Page, browser: Browser, noted: Noted, running: Running
) -> None:
    go(developer, running, "products/marbling-first")
    sold = developer.get_by_role("region", name="Where it is sold")
    expect(sold.get_by_role("listitem")).to_have_count(1)  # at the everyday one
    sold.get_by_role("button", name="Copy link of The everyday shop").click()
    link = developer.evaluate("navigator.clipboard.readText()")
    page = open_context(browser, noted).new_page()
    page.goto(link)
    expect(taken(page, "Marbling, first sheets")).to_be_visible()
    sold.get_by_role("button", name="Sell it", exact=True).click()
    expect(sold.get_by_role("link", name="Marbling, first sheets")).to_be_visible()
    sold.get_by_role("button", name="Copy link of Marbling, first sheets").click()
    page.goto(developer.evaluate("navigator.clipboard.readText()"))
    expect(page.get_by_role("button", name=re.compile("EUR 24.00"))).to_be_visible()


def test_the_things_of_an_order_are_marked_as_sent_one_by_one(
    developer: Page, browser: Browser, noted: Noted, running: Running
) -> None:
    email = f"{uuid.uuid4().hex[:10]}@example.org"
    page = open_context(browser, noted).new_page()
    page.goto(f"{checkout_url(running, 'shop')}?items=kit:1:moss,thread,patterns")
    expect(page.locator("dl")).to_be_visible()
    fill(page, email)
    page.get_by_role("radio", name="Post").check()
    for label, typed in (
        ("address.street", "Brink 1"),
        ("address.postal_code", "7411 BR"),
        ("address.city", "Deventer"),
    ):
        page.locator(f'[name="{label}"]').fill(typed)
    promised_at(page)
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    ((code,),) = running.rows("select code from orders where buyer->>'email' = %s", email)
    go(developer, running, f"orders/test/{code}")
    parcel = developer.get_by_role("region", name="The parcel")
    parcel.get_by_role("button", name="Mark as sent").click()
    expect(parcel.get_by_role("checkbox")).to_have_count(2)  # a download is in no parcel
    parcel.get_by_label("Linen thread set").uncheck()
    parcel.get_by_role("button", name="It was sent").click()
    expect(parcel).to_contain_text("Not sent yet: Linen thread set.")
    assert "The rest follows: Linen thread set." in mail(running, email, f"Your order {code} from")
    parcel.get_by_role("button", name="Mark the rest as sent").click()
    expect(parcel.get_by_label("Linen thread set")).to_be_checked()
    parcel.get_by_role("button", name="It was sent").click()
    expect(parcel.get_by_role("button", name="Send another")).to_be_visible()
