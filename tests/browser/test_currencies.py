"""What the desk promises, a buyer meets: one amount on the tape, at the counter, at the gateway, on the paper and in
the mail; and the currency that a buyer pays in."""

from __future__ import annotations

import re
import uuid
from collections.abc import Iterator
from decimal import Decimal

import pytest
from babel.numbers import format_currency
from playwright.sync_api import Browser, BrowserContext, FrameLocator, Page, expect

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
from tests.browser.members import mail

BUYERS = {
    "utrecht": "Consumer, Utrecht",
    "hamburg": "Consumer, Hamburg, on a phone",
    "ghent": "Book-arts workshop, Ghent",
    "london": "Consumer, London, in pounds",
    "new-york": "Consumer, New York, in dollars",
    "portland": "Consumer, Portland, in dollars",
    "kyoto": "Consumer, Kyoto, in yen",
    "no-funds": "Whose card is refused",
    "fails-later": "Whose card fails at the second renewal",
    "elsewhere": "Whose card is from elsewhere",
    "slow": "Whose bank takes its time",
    "cut": "Whose connection is cut",
    "approval": "Whose bank asks for approval",
    "wallet": "Who pays off-site, by wallet",
    "transfer": "Who pays by bank transfer",
    "returning": "Who has bought before",
}


@pytest.fixture(params=[DESKTOP, PHONE], ids=["1280", "390"])
def briton(request: pytest.FixtureRequest, browser: Browser, noted: Noted) -> Iterator[BrowserContext]:
    """A buyer's browser that seems to be in Britain."""
    context = open_context(browser, noted, viewport=request.param, locale="en-GB")
    yield context
    context.close()
    assert noted.problems == []


def test_the_demo_has_no_other_stand_in_buyers(developer: Page, running: Running) -> None:
    parts = running.rows("select distinct part_id from part_revisions where kind = 'stand_in_buyer'")
    assert {one for (one,) in parts} >= BUYERS.keys()
    go(developer, running, "stand-in-buyers")
    for name in BUYERS.values():
        expect(developer.get_by_role("link", name=name).first).to_be_visible()


@pytest.mark.apart
def test_every_stand_in_buyer_pays_what_their_tape_shows(developer: Page, running: Running) -> None:
    for buyer, name in BUYERS.items():
        if buyer in WAYS:
            continue  # below: they leave for windows of their own, or wait
        go(developer, running, f"checkouts/marbling?buyer={buyer}")
        strip = developer.get_by_role("region", name=f"Tape for {name}")
        expect(strip).to_contain_text("Marbling, complete, draft")  # before the sheet is there, another price's stands
        row = strip.locator('[data-row="due"]')
        expect(row).to_have_text(re.compile(r"^[A-Z]{3} [\d,.]+$"))
        promised = str(row.text_content())
        go(developer, running, f"checkouts/marbling?preview=phone&buyer={buyer}")
        counter = developer.frame_locator('iframe[title^="Preview"]')
        email = filled_in(counter)
        expect(counter.get_by_role("button", name=re.compile(f" · {re.escape(promised)}$"))).to_be_visible()
        press_pay(counter)
        if buyer == "approval":
            bank = counter.frame_locator('iframe[title="Approval by your bank"]')
            bank.get_by_role("button", name="Approve").click()
        if buyer == "no-funds":
            expect(counter.get_by_text("not enough money in the account")).to_be_visible()
            assert running.rows("select 1 from orders where buyer->>'email' = %s and state = 'paid'", email) == []
            assert running.rows("select 1 from mails where to_address = %s", email) == []
            continue
        expect(counter.get_by_role("heading", name="Thank you")).to_be_visible(timeout=60_000)
        everywhere_the_same(running, email, promised)


WAYS = {"wallet": "Stand-in Wallet", "transfer": "Bank transfer"}
"""How these buyers pay, which is chosen for them."""


def test_who_pays_by_wallet_and_by_transfer_pays_what_their_tape_shows(developer: Page, running: Running) -> None:
    for buyer in WAYS:
        go(developer, running, f"checkouts/marbling?preview=desktop&buyer={buyer}")
        row = developer.get_by_role("region", name=f"Tape for {BUYERS[buyer]}").locator('[data-row="due"]')
        expect(row).to_have_text(re.compile(r"^[A-Z]{3} [\d,.]+$"))
        promised = str(row.text_content())
        with developer.expect_popup() as opened:
            developer.get_by_role("link", name="In a window of its own").click()
        page = opened.value
        email = page.get_by_label("Email").input_value()
        expect(page.get_by_role("radio", name=WAYS[buyer])).to_be_checked()
        expect(page.get_by_role("button", name=re.compile(f" · {re.escape(promised)}$"))).to_be_visible()
        press_pay(page)
        if buyer == "wallet":
            page.get_by_role("button", name="Pay", exact=True).click()
            expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
            everywhere_the_same(running, email, promised, "wallet")
        else:
            expect(page.get_by_role("heading", name="Your order stands")).to_be_visible()
            expect(page.get_by_text(promised).first).to_be_visible()
            subject = "please transfer €79.00"
            assert promised == "EUR 79.00"
            assert "Please transfer €79.00 until" in mail(running, email, subject)
        page.close()


def test_the_page_after_paying_is_looked_at_without_paying(developer: Page, running: Running) -> None:
    ((before,),) = running.rows("select count(*) from orders")
    go(developer, running, "checkouts/kit?preview=phone&buyer=ghent")
    developer.get_by_label("Which page").select_option("After paying")
    page = developer.frame_locator('iframe[title^="Preview"]')
    expect(page.get_by_role("heading", name="Thank you, Lieve Aerden")).to_be_visible()
    expect(page.get_by_text("Coptic stitch kit, Moss")).to_be_visible()
    with developer.expect_download() as paper:
        page.get_by_role("link", name=re.compile("Your invoice TEST-")).click()
    assert paper.value.suggested_filename.endswith(".pdf")
    developer.get_by_label("Which page").select_option("After ordering: Bank transfer")
    expect(page.get_by_role("heading", name="Your order stands, Lieve Aerden")).to_be_visible()
    expect(page.get_by_text("Account (IBAN)")).to_be_visible()
    developer.get_by_role("button", name="Begin anew").click()
    expect(page.get_by_label("Email")).to_have_value("workshop@standin.example")
    assert running.rows("select count(*) from orders") == [(before,)]


def filled_in(counter: FrameLocator) -> str:
    """What a preview does not fill in by itself is typed; the address of the buyer's mail."""
    expect(counter.locator("dl")).to_be_visible()
    if counter.get_by_label("Company").count():
        counter.get_by_label("Company").fill("Book-arts workshop")
        for label, typed in (("Street", "Kraanlei 3"), ("City", "Gent")):
            field = counter.get_by_label(label)
            if field.count():
                field.first.fill(typed)
    card = counter.frame_locator('iframe[title="Card details"]')
    expect(card.get_by_label("Card number")).not_to_have_value("")
    return counter.get_by_label("Email").input_value()


def everywhere_the_same(running: Running, email: str, promised: str, gateway: str = "cards") -> None:
    """The order, the charge at the gateway, the paper and the mail all come to what was promised."""
    currency, amount = promised.replace(",", "").split(" ")
    ((order, code),) = running.rows(
        "select id, code from orders where buyer->>'email' = %s and state = 'paid' order by id desc limit 1", email
    )
    keys = {str(key) for (key,) in running.rows("select id from attempts where order_id = %s", order)}
    at_gateway = [(c["currency"], c["amount"]) for c in running.charges(gateway) if c["key"] in keys]
    assert at_gateway == [(currency, amount)]
    papers = running.rows("select document->>'currency', document->>'total' from papers where order_id = %s", order)
    assert papers == [(currency, amount)]
    text = mail(running, email, f"Your order {code}")
    shown = format_currency(Decimal(amount), currency, locale="en_GB").replace("\xa0", " ")
    assert f"\nTotal: {shown}\n" in text.replace("\xa0", " "), text
    assert f"{shown} was paid." in text


def test_the_currency_is_guessed_changed_and_kept_for_the_next_checkout(
    briton: BrowserContext, running: Running
) -> None:
    page = briton.new_page()
    page.goto(checkout_url(running))
    chooser = page.get_by_label("You pay in")
    expect(chooser).to_have_value("GBP")
    expect(page.get_by_text("Our guess from your country.")).to_be_visible()
    page.get_by_label("Country").first.select_option("NL")  # until one is chosen, it follows the country
    expect(chooser).to_have_value("EUR")
    expect(page.get_by_role("button", name=re.compile("· EUR 52.95$"))).to_be_visible()
    chooser.select_option("USD")
    expect(page.get_by_role("button", name=re.compile(r"· USD [\d.]+$"))).to_be_visible()
    expect(page.get_by_text("Our guess from your country.")).to_have_count(0)
    page.get_by_label("Country").first.select_option("JP")
    expect(page.get_by_text("Reckoning")).to_have_count(0)
    expect(chooser).to_have_value("USD")
    page.reload()
    expect(chooser).to_have_value("USD")
    page.goto(checkout_url(running, "patterns"))
    expect(chooser).to_have_value("USD")
    page.goto(checkout_url(running, "patterns") + "?currency=jpy")  # a link says more than an earlier choice
    expect(chooser).to_have_value("JPY")
    expect(page.get_by_role("button", name=re.compile(r"· JPY [\d,]+$"))).to_be_visible()
    page.goto(checkout_url(running, "marbling"))
    expect(chooser).to_have_value("JPY")


def test_a_buyer_from_the_website_pays_in_pounds(briton: BrowserContext, running: Running) -> None:
    email = f"{uuid.uuid4().hex[:10]}@example.org"
    page = briton.new_page()
    page.goto(checkout_url(running, "marbling"))
    button = page.get_by_role("button", name=re.compile(r"· GBP [\d.]+$"))
    expect(button).to_be_visible()
    promised = re.findall(r"GBP [\d.,]+", str(button.text_content()))[0]
    fill(page, email)
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    expect(page.get_by_text(promised).first).to_be_visible()
    running.charged_once(email)
    ((order, code),) = running.rows("select id, code from orders where buyer->>'email' = %s", email)
    keys = {str(key) for (key,) in running.rows("select id from attempts where order_id = %s", order)}
    assert [f"{c['currency']} {c['amount']}" for c in running.charges() if c["key"] in keys] == [promised]
    assert f"Total: £{promised[4:]}" in mail(running, email, f"Your order {code}")


def test_the_owner_hides_the_choice_and_reads_what_each_is_paid_with(
    developer: Page, browser: Browser, noted: Noted, running: Running
) -> None:
    go(developer, running, "currencies")
    listed = developer.get_by_role("listitem").filter(has_text="JPY")
    expect(listed).to_have_text(re.compile("^JPY: Card"))
    tick = developer.get_by_label("Buyers may choose another currency")
    expect(tick).to_be_checked()
    saved = "select count(*) from part_revisions where kind = 'site'"
    ((before,),) = running.rows(saved)
    tick.uncheck()
    try:
        for _ in range(100):
            if running.rows(saved) != [(before,)]:
                break
            developer.wait_for_timeout(100)
        page = open_context(browser, noted, locale="en-GB").new_page()
        page.goto(checkout_url(running, "marbling"))
        expect(page.get_by_text("You pay in British Pound (GBP), the money of your country.")).to_be_visible()
        expect(page.get_by_label("You pay in")).to_have_count(0)
    finally:
        tick.check()
    expect_saved(developer)
