"""Tax and delivery through the real interface: what the developer sets up, and what buyers then meet."""

from __future__ import annotations

import io
import re
import uuid

import pdfplumber
import pytest
from playwright.sync_api import Browser, BrowserContext, Locator, Page, expect

from tests.browser.conftest import (
    PHONE,
    Noted,
    Running,
    checkout_url,
    expect_saved,
    fill,
    go,
    open_context,
    press_pay,
    type_card,
)
from tests.gateway.test_standin_cards import NUMBERS


@pytest.fixture
def email() -> str:
    return f"{uuid.uuid4().hex[:10]}@example.org"


# -- at the counter ---------------------------------------------------------------------------------------------


def test_a_parcel_to_hamburg_its_country_guessed_its_address_checked(
    browser: Browser, noted: Noted, running: Running, email: str
) -> None:
    page = open_context(browser, noted, viewport=PHONE, locale="de-DE").new_page()
    page.goto(checkout_url(running))
    summary = page.locator("dl")
    expect(page.get_by_label("Country")).to_have_value("DE")
    expect(page.get_by_text("Our guess. Change it if you live elsewhere.")).to_be_visible()
    expect(summary).to_contain_text("with VAT 19 % (DE)")
    expect(summary).to_contain_text("EUR 57.50")
    page.get_by_label("Email").fill(email)
    page.get_by_label("Name", exact=True).fill("Jonte Brehmer")
    page.get_by_label("Street and number").fill("Weg 1")
    page.get_by_label("Postal code").fill("2009")
    page.get_by_label("City").fill("Hamburg")
    type_card(page, NUMBERS["approved"])
    press_pay(page)
    expect(page.get_by_text("There is no such postal code in this country")).to_be_visible()
    expect(page.get_by_label("Street and number")).to_have_value("Weg 1")
    page.get_by_label("Postal code").fill("20095")
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you, Jonte Brehmer")).to_be_visible()
    expect(page.locator("dl")).to_contain_text("Post")
    running.charged_once(email)


def test_the_form_follows_the_country_and_nothing_typed_is_lost(buyer: BrowserContext, running: Running) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running))
    page.get_by_label("Street and number").fill("Brink 3")
    page.get_by_label("Country").select_option("US")
    expect(page.get_by_label("State")).to_be_visible()
    expect(page.get_by_label("Street and number")).to_have_value("Brink 3")
    page.get_by_label("ZIP code").fill("10001")
    expect(page.get_by_label("State")).to_have_value("NY")
    page.get_by_label("Country").select_option("JP")
    expect(page.get_by_label("Prefecture")).to_be_visible()
    expect(page.get_by_text("Customs may ask whoever receives it for import tax.")).to_be_visible()
    expect(page.locator("dl")).to_contain_text("less tax, which is not due here")
    page.get_by_text("Send it to another address").click()
    expect(page.get_by_label("For whom")).to_be_visible()
    page.get_by_label("Country").nth(1).select_option("NL")
    expect(page.locator("dl")).to_contain_text("with VAT 21 % (NL)")
    page.reload()
    expect(page.get_by_label("For whom")).to_be_visible()


def test_collecting_it_costs_nothing_and_asks_for_no_address(buyer: BrowserContext, running: Running) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running))
    expect(page.get_by_label("Street and number")).to_be_visible()
    page.get_by_label("Collect it in Deventer").check()
    expect(page.get_by_label("Street and number")).to_have_count(0)
    expect(page.locator("dl")).to_contain_text("EUR 48.00")
    expect(page.get_by_text("Nothing is sent: collect it from Ostrel Bindery.")).to_be_visible()


def test_a_business_with_a_valid_number_pays_no_tax(buyer: BrowserContext, running: Running, email: str) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running, "marbling"))
    page.get_by_label("Country").select_option("BE")
    expect(page.locator("dl")).to_contain_text("with VAT 21 % (BE)")
    page.get_by_label("I buy for a business").check()
    number = page.get_by_label("VAT number")
    number.fill("BE0999000031")
    number.blur()
    expect(page.get_by_text("This number has a wrong form or a wrong digit.")).to_be_visible()
    number.fill("BE 0999.000.030")
    number.blur()
    expect(page.get_by_text("the number is valid.")).to_be_visible()
    expect(page.locator("dl")).to_contain_text("EUR 65.29")
    fill(page, email)
    press_pay(page)
    expect(page.get_by_text("The company is missing. Type its name: the invoice bears it.")).to_be_visible()
    page.get_by_label("Company").fill("Atelier Ganzenveer")
    page.get_by_label("Street and number").fill("Kaai 1")
    page.get_by_label("Postal code").fill("9000")
    page.get_by_label("City").fill("Gent")
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    running.charged_once(email)
    invoice = page.get_by_role("link", name=re.compile(r"Your invoice TEST-I-\d{4}-\d{5} \(PDF\)"))
    assert saved(page, invoice).startswith(b"%PDF-")
    assert b"VATEX-EU-AE" in saved(page, page.get_by_role("link", name="for your bookkeeping program (UBL)"))


def saved(page: Page, link: Locator) -> bytes:
    """What a link saves."""
    with page.expect_download() as download:
        link.click()
    return download.value.path().read_bytes()


# -- at the desk --------------------------------------------------------------------------------------------------


def test_the_map_marks_what_an_edit_changed_and_opens_to_the_reason(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "tax-and-delivery")
    table = desk.get_by_role("group", name="Map of treatments")
    germany = table.get_by_role("row", name=re.compile("^Germany"))
    expect(germany).to_contain_text("19 % DE")
    germany.get_by_role("button").first.click()
    expect(desk.get_by_role("status").filter(has_text="Germany, goods")).to_contain_text("one-stop shop")
    desk.get_by_role("button", name="Take out the EU one-stop shop").click()
    expect_saved(desk)
    expect(germany).to_contain_text("21 % NL19 % DE")
    expect(desk.get_by_text("Consumers across EU borders are taxed at home.")).to_be_visible()
    desk.get_by_label("Also registered in").select_option("EU-OSS")
    desk.get_by_role("button", name="Add the registration").click()
    expect_saved(desk)
    expect(germany).to_contain_text("19 % DE")
    desk.get_by_label("to businesses with a valid number").check()
    expect(germany).to_contain_text("intra-EU")


def test_a_registration_that_cannot_be_is_told_beside_it(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "tax-and-delivery")
    desk.get_by_label("Also registered in").select_option("AU")
    desk.get_by_role("button", name="Add the registration").click()
    told = desk.get_by_role("region", name="Where it is registered").get_by_text("the site does not sell in it")
    expect(told).to_be_visible()
    desk.get_by_role("button", name="Take out Australia").click()
    expect_saved(desk)


def test_a_zone_is_added_and_an_address_tried(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "delivery")
    tester = desk.get_by_role("region", name="Try an address")
    expect(tester.get_by_role("row", name=re.compile("^Post"))).to_contain_text("EUR 9.50")
    desk.get_by_role("button", name="Add a zone").click()
    zone = desk.get_by_role("region", name="Zone Elsewhere").last
    zone.get_by_label("Name of the zone").fill("Islands")
    zone = desk.get_by_role("region", name="Zone Islands")
    zone.get_by_label("Places of Islands").fill("DE 2749, NL 88")
    zone.get_by_label("Amount of Post").fill("12.50")
    expect_saved(desk)
    zone.get_by_label("How Post is charged").select_option("by_value")
    expect_saved(desk)
    zone.get_by_role("button", name="Add a step to Post").click()
    limit = zone.get_by_label("Value of step 2 of Post")
    expect(limit).to_be_focused()
    expect(limit).to_have_value("")  # nobody makes up a limit
    desk.keyboard.type("120,50")
    zone.get_by_label("Amount of step 2 of Post").fill("3.00")
    expect_saved(desk)
    zone.get_by_label("How Post is charged").select_option("amount")
    zone.get_by_label("Amount of Post").fill("12.50")
    expect_saved(desk)
    tester.get_by_label("Postal code").fill("27498")
    expect(tester.get_by_role("row", name=re.compile("^Post"))).to_contain_text("EUR 12.50")
    zone.get_by_label("Places of Islands").fill("XX")
    expect(zone.get_by_text("is no country, region or beginning of postal codes")).to_be_visible()
    zone.get_by_role("button", name="Take out the zone Islands").click()
    expect_saved(desk)
    tester.get_by_label("Country").select_option("JP")
    expect(tester.get_by_role("row", name=re.compile("^Post"))).to_contain_text("EUR 19.00")


def test_the_report_says_what_was_paid_and_that_it_adds_up(
    buyer: BrowserContext, developer: Page, running: Running, email: str
) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running, "marbling"))
    page.get_by_label("Country").select_option("LU")
    fill(page, email)
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    go(developer, running, "tax-report")
    row = developer.get_by_role("row", name=re.compile("^Luxembourg"))
    expect(row).to_contain_text("VAT 17 %")
    expect(row).to_contain_text(re.compile("EUR (67.52|135.04)"))
    in_all = re.compile(r"^EUR .* in all; the (\d+ orders were|order was) paid with")
    expect(developer.get_by_text(in_all)).to_be_visible()
    developer.get_by_label("Book").select_option("live")
    expect(developer.get_by_text("Nothing was paid in these days.")).to_be_visible()


def test_papers_name_the_seller_are_numbered_and_can_be_seen_beforehand(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "papers")
    desk.get_by_role("textbox", name="Registered name").fill("Ostrel & Daughter B.V.")
    desk.get_by_role("textbox", name="How numbers of receipts begin").fill("I-{year}-")
    wrong = desk.get_by_text("Receipts have the numbers of invoices. Let theirs begin in another way.")
    expect(wrong.first).to_be_visible()
    desk.get_by_role("textbox", name="How numbers of receipts begin").fill("K-")
    expect_saved(desk)
    line = desk.get_by_role("listitem").filter(has_text="The next receipt is K-00001, in the test book TEST-K-00001.")
    pdf = saved(desk, line.get_by_role("link", name="See a sample receipt"))
    with pdfplumber.open(io.BytesIO(pdf)) as found:
        assert "Ostrel & Daughter B.V." in found.pages[0].extract_text()
    go(desk, workshop, "tax-and-delivery")
    number = desk.get_by_role("textbox", name="Tax number in Netherlands")
    number.fill("NL999900073B18")
    expect(desk.get_by_text("is no tax number of NL: its form or a check digit is wrong").first).to_be_visible()
    number.fill("NL999900073B17")
    expect_saved(desk)


def test_an_orders_paper_is_at_the_desk_and_found_by_its_number(
    desk: Page, workshop: Running, buyer: BrowserContext, email: str
) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(workshop, "kit"))
    fill(page, email)
    press_pay(page)
    receipt = page.get_by_role("link", name="Your receipt TEST-")
    number = re.search(r"TEST-\S+", receipt.inner_text())
    assert number is not None
    expect(page.get_by_role("link", name="UBL")).to_have_count(0)
    go(desk, workshop, "orders?book=test")
    desk.get_by_role("searchbox").fill(number[0])
    desk.get_by_role("link", name=re.compile("Jonna Kok")).first.click()
    papers = desk.get_by_role("region", name="Papers")
    expect(papers).to_contain_text(f"Receipt {number[0]}")
    assert saved(desk, papers.get_by_role("link", name="PDF")).startswith(b"%PDF-")
    assert number[0].encode() in saved(desk, papers.get_by_role("link", name="UBL (EN 16931)"))
