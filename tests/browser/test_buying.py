"""A buyer comes from the website, pays, and the order is at the desk; at 1280 and at 390 px."""

from __future__ import annotations

import uuid
from collections.abc import Callable

import pytest
from playwright.sync_api import BrowserContext, Page, expect

from tests.browser.conftest import (
    Noted,
    Running,
    checkout_url,
    fill,
    open_over_page,
    origin,
    press_pay,
    type_card,
)
from tests.gateway.test_standin_cards import NUMBERS


@pytest.fixture
def email() -> str:
    return f"{uuid.uuid4().hex[:10]}@example.org"


def test_from_the_websites_button_to_the_order_at_the_desk(
    buyer: BrowserContext, developer: Page, running: Running, email: str
) -> None:
    page = buyer.new_page()
    counter = open_over_page(page, running)
    fill(counter, email)
    press_pay(counter)
    expect(counter.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    expect(counter.get_by_text("EUR 48.00")).to_be_visible()
    counter.get_by_role("button", name="Back to Ostrel Bindery").click()
    expect(page.locator("dialog")).to_have_count(0)
    assert page.url == f"{running.installation.website_url}/kits"
    running.charged_once(email)
    developer.goto(f"{running.installation.desk_url}/s/ostrel/orders/test")
    developer.get_by_label("Find an order").fill(email)
    expect(developer.get_by_text(email)).to_be_visible()
    expect(developer.get_by_role("heading", name="Jonna Kok")).to_be_visible()
    expect(developer.get_by_text("by card ending in 1409")).to_be_visible()
    ((at,),) = running.rows(
        "select to_char(created_at at time zone 'Europe/Amsterdam', 'FMDD FMMonth YYYY \"at\" HH24:MI') from orders"
        " where buyer->>'email' = %s",
        email,
    )
    expect(developer.get_by_text(f"{at}, Amsterdam time").first).to_be_visible()
    for words in ("The order was placed: EUR 48.00.", "EUR 48.00 was charged.", "The order is paid."):
        expect(developer.get_by_text(words, exact=True)).to_be_visible()
    assert buyer.cookies() == [], "no cookie of anybody's"


@pytest.mark.parametrize(
    ("behaviour", "says"),
    [("no_funds", "not enough money"), ("lost", "does not take this card any more"), ("expired", "has expired")],
)
def test_a_refused_card_says_why_and_keeps_what_was_typed(
    buyer: BrowserContext, running: Running, email: str, behaviour: str, says: str
) -> None:
    counter = open_over_page(buyer.new_page(), running)
    fill(counter, email, behaviour)
    press_pay(counter)
    expect(counter.get_by_role("alert").filter(has_text="Nothing was charged")).to_contain_text(says)
    expect(counter.get_by_label("Email")).to_have_value(email)
    expect(counter.get_by_label("Name", exact=True)).to_have_value("Jonna Kok")
    card = counter.frame_locator('iframe[title="Card details"]').get_by_label("Card number")
    assert card.input_value().replace(" ", "") == NUMBERS[behaviour]
    type_card(counter, NUMBERS["approved"])
    press_pay(counter)
    expect(counter.get_by_role("heading", name="Thank you")).to_be_visible()
    running.charged_once(email)


def test_pressing_twice_charges_once(buyer: BrowserContext, running: Running, email: str) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running))
    fill(page, email, "slow")
    button = page.get_by_role("button", name="EUR")
    button.dblclick()
    page.get_by_role("button", name="One moment").click(force=True)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    running.charged_once(email)


def test_paying_from_two_tabs_charges_once(buyer: BrowserContext, running: Running, email: str) -> None:
    tabs = [buyer.new_page(), buyer.new_page()]
    for tab in tabs:
        tab.goto(checkout_url(running))
        fill(tab, email, "slow")
    for tab in tabs:
        press_pay(tab)
    for tab in tabs:
        expect(tab.get_by_role("heading", name="Thank you")).to_be_visible()
    running.charged_once(email)


def reload(page: Page) -> None:
    page.reload()


def leave_and_come_back(page: Page) -> None:
    page.goto("about:blank")
    page.go_back()


@pytest.mark.parametrize("interrupt", [reload, leave_and_come_back])
def test_interrupting_a_payment_charges_once(
    buyer: BrowserContext, running: Running, email: str, interrupt: Callable[[Page], None]
) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running))
    fill(page, email, "slow")
    with page.expect_request("**/counter/api/pay"):
        press_pay(page)
    interrupt(page)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible(timeout=60_000)
    running.charged_once(email)


def test_coming_back_after_paying_shows_the_order_and_another_can_be_bought(
    buyer: BrowserContext, running: Running, email: str
) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running))
    fill(page, email)
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    page.reload()
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    page.goto(checkout_url(running))
    expect(page.get_by_role("heading", name="You have bought this")).to_be_visible()
    running.charged_once(email)
    page.get_by_role("button", name="Buy another").click()
    fill(page, f"second-{email}")
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    running.charged_once(f"second-{email}")


@pytest.mark.parametrize("behaviour", ["no_answer", "cut"])
def test_a_gateway_that_does_not_answer_is_asked_until_it_is_known(
    buyer: BrowserContext, running: Running, email: str, behaviour: str
) -> None:
    running.stop("worker")
    page = buyer.new_page()
    page.goto(checkout_url(running))
    fill(page, email, behaviour)
    press_pay(page)
    expect(page.get_by_role("status").filter(has_text="has not answered yet")).to_contain_text("not be charged twice")
    ((state,),) = running.rows(
        "select attempts.state from attempts join orders on orders.id = order_id where buyer->>'email' = %s", email
    )
    if behaviour == "no_answer":
        assert state == "open", "the attempt is kept"
    running.start("worker")
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible(timeout=60_000)
    running.charged_once(email)


def test_missing_fields_are_told_beside_them_and_nothing_is_sent(
    buyer: BrowserContext, running: Running, noted: Noted
) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running))
    press_pay(page)
    expect(page.get_by_text("Type the email address")).to_be_visible()
    expect(page.get_by_text("Type your name.")).to_be_visible()
    expect(page.get_by_label("Email")).to_be_focused()
    page.get_by_label("Email").fill("jo@example.org")
    page.get_by_label("Name", exact=True).fill("Jo")
    type_card(page, "9100 2468 1012 1408")
    press_pay(page)
    card = page.frame_locator('iframe[title="Card details"]')
    expect(card.get_by_text("A digit seems to be wrong")).to_be_visible()
    expect(card.get_by_label("Card number")).to_be_focused()
    type_card(page, "4929 1234 1234 1234")
    press_pay(page)
    expect(card.get_by_text("Only stand-in cards are taken here")).to_be_visible()
    assert not [url for url, _ in noted.bodies if "/pay" in url or "/tokens" in url]


def test_a_country_changes_the_quote(buyer: BrowserContext, running: Running) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running, "marbling"))
    expect(page.get_by_text("with VAT 21 % (NL)")).to_be_visible()
    assert page.get_by_label("Country").locator("option").count() > 200
    page.get_by_label("Country").select_option(label="Finland")
    expect(page.get_by_text("with VAT 25.5 % (FI)")).to_be_visible()
    page.get_by_label("Country").select_option(label="Japan")
    expect(page.locator("dl")).to_contain_text("less tax, which is not due here")
    expect(page.locator("dl")).to_contain_text("JPY 11,074")  # the currency follows the country until one is chosen


def test_an_unknown_address_is_a_proper_page(buyer: BrowserContext, running: Running) -> None:
    page = buyer.new_page()
    answer = page.goto(f"{running.installation.counter_url}/buy/nothing")
    assert answer is not None
    assert answer.status == 404
    expect(page.get_by_role("heading", name="There is nothing at this address")).to_be_visible()


def test_at_320_px_nothing_is_cut_off(buyer: BrowserContext, running: Running) -> None:
    page = buyer.new_page()
    page.set_viewport_size({"width": 320, "height": 700})
    page.goto(checkout_url(running))
    expect(page.get_by_role("button", name="EUR")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") == 320


def test_the_card_number_goes_to_the_gateway_only(
    buyer: BrowserContext, running: Running, noted: Noted, email: str
) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running))
    fill(page, email)
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    number = NUMBERS["approved"]
    spaced = " ".join(number[i : i + 4] for i in range(0, 16, 4))
    holding = {origin(url) for url, body in noted.bodies if number in body or spaced in body}
    assert holding == {running.installation.cards_url}
    tables = [name for (name,) in running.rows("select tablename from pg_tables where schemaname = 'public'")]
    stored = "".join(str(running.rows(f"select {name}::text from {name}")) for name in tables)
    logs = "".join(file.read_text(errors="replace") for file in (running.installation.folder / "logs").iterdir())
    assert email in stored
    secrets = running.installation.secrets
    for text in (stored, logs):
        for hidden in (number, spaced, secrets.cards_test_key, secrets.master_key, secrets.demo_password):
            assert hidden not in text
    assert email not in logs


@pytest.mark.parametrize("answer", ["Approve the payment", "This is not me"])
def test_the_buyer_approves_the_charge_on_the_banks_page_or_does_not(
    buyer: BrowserContext, running: Running, email: str, answer: str
) -> None:
    page = buyer.new_page()
    counter = open_over_page(page, running)
    fill(counter, email, "approval")
    press_pay(counter)
    expect(counter.get_by_text("Your bank asks you to approve the payment.")).to_be_visible()
    bank = counter.frame_locator('iframe[title="Approval by your bank"]')
    expect(bank.get_by_text("EUR 48.00")).to_be_visible()
    assert running.rows("select count(*) from charges c join orders o on o.id = c.order_id"
                        " where o.buyer->>'email' = %s", email) == [(0,)]  # fmt: skip
    bank.get_by_role("button", name=answer).click()
    if answer == "Approve the payment":
        expect(counter.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible(timeout=60_000)
        running.charged_once(email)
        return
    expect(counter.get_by_text("The charge was not approved. Nothing was charged")).to_be_visible(timeout=60_000)
    expect(counter.get_by_label("Email")).to_have_value(email)
    type_card(counter, NUMBERS["approved"])
    press_pay(counter)
    expect(counter.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    running.charged_once(email)


def test_an_approval_is_gone_on_with_after_the_page_was_closed(
    buyer: BrowserContext, running: Running, email: str
) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running))
    fill(page, email, "approval")
    press_pay(page)
    expect(page.get_by_text("Your bank asks you to approve the payment.")).to_be_visible()
    page.close()
    again = buyer.new_page()
    again.goto(checkout_url(running))
    bank = again.frame_locator('iframe[title="Approval by your bank"]')
    bank.get_by_role("button", name="Approve the payment").click()
    expect(again.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible(timeout=60_000)
    running.charged_once(email)
