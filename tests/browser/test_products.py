"""What is sold, through the real interface: prices as sentences, variants, stock, bundles, coupons, files."""

from __future__ import annotations

import re
import uuid
from datetime import date
from pathlib import Path

import pytest
from PIL import Image
from playwright.sync_api import Browser, BrowserContext, Page, expect

from tests.browser.conftest import (
    DESKTOP,
    Noted,
    Running,
    checkout_url,
    expect_saved,
    fill,
    find,
    go,
    open_context,
    press_pay,
    type_day,
)


@pytest.fixture
def email() -> str:
    return f"{uuid.uuid4().hex[:10]}@example.org"


# -- at the counter ---------------------------------------------------------------------------------------------


def test_a_variant_a_number_and_a_coupon_are_chosen_and_paid(
    buyer: BrowserContext, running: Running, email: str
) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running))
    summary = page.locator("dl")
    expect(summary).to_contain_text("Coptic stitch kit, Moss")
    page.get_by_text("Chalk").click()
    expect(page.get_by_role("img", name="The kit with chalk white boards")).to_be_visible()
    page.get_by_role("button", name="One more").click()
    expect(summary).to_contain_text("2 × Coptic stitch kit, Chalk")
    page.get_by_label("How many").fill("30")
    expect(page.get_by_label("How many")).to_have_value("10")
    page.get_by_label("How many").fill("2")
    page.get_by_role("button", name="Use a coupon").click()
    page.get_by_label("Coupon", exact=True).fill("bnd10")
    page.get_by_label("Coupon", exact=True).press("Enter")
    expect(page.get_by_text("There is no coupon “bnd10”")).to_be_visible()
    page.get_by_label("Coupon", exact=True).fill("bind10")
    page.get_by_role("button", name="Use coupon").click()
    expect(summary).to_contain_text("BIND10, 10 % off")
    press_pay(page)
    hindrance = page.get_by_role("alert").filter(has_text="It cannot be paid yet. Nothing was charged.")
    expect(hindrance).to_contain_text("There is no coupon “bnd10”")
    expect(page.get_by_label("Coupon", exact=True)).to_be_focused()
    page.get_by_role("button", name="Leave out coupon bnd10").click()
    expect(hindrance).to_have_count(0)
    expect(summary).to_contain_text("BIND10, 10 % off")
    expect(page.get_by_role("status").filter(has_text="Due today: EUR 86.40")).to_have_count(1)
    fill(page, email)
    page.reload()
    expect(page.get_by_label("Email")).to_have_value(email)
    expect(summary).to_contain_text("EUR 86.40")
    fill(page, email)
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    expect(page.get_by_text("EUR 86.40")).to_be_visible()
    ((total, wanted),) = running.rows("select total, wanted from orders where buyer->>'email' = %s", email)
    assert total == 8640
    assert wanted == {
        "items": [{"price": "kit", "quantity": 2, "variant": "chalk"}],
        "coupons": ["BIND10"],
        "delivery": "collect",
    }


def test_what_is_paid_again_and_again_shows_every_date_before_the_button(
    buyer: BrowserContext, running: Running
) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running, "club"))
    dates = page.get_by_role("list", name="Later charges").get_by_role("listitem")
    expect(dates).to_have_count(12)
    page.get_by_label("By the year").check()
    expect(dates).to_have_count(1)
    expect(page.get_by_text("Paper parcel: EUR 240.00 every year, until you cancel.", exact=True)).to_be_visible()
    page.goto(checkout_url(running, "evening"))
    expect(page.get_by_text("You pay nothing now, and later:")).to_be_visible()
    expect(page.get_by_text("free until").first).to_be_visible()
    expect(page.get_by_text(re.compile("^Nothing is charged if you cancel before"))).to_be_visible()
    expect(page.get_by_role("button", name="Begin · nothing to pay now")).to_be_visible()


def test_a_link_brings_a_coupon_along(buyer: BrowserContext, running: Running) -> None:
    page = buyer.new_page()
    page.goto(checkout_url(running) + "?coupon=BIND10")
    expect(page.locator("dl")).to_contain_text("EUR 48.15")


def test_the_last_piece_is_sold_and_then_it_is_sold_out(
    browser: Browser, desk: Page, workshop: Running, noted: Noted, email: str
) -> None:
    go(desk, workshop, "products/bench-press")
    left = desk.get_by_label("Left in test")
    left.fill("1")
    desk.get_by_role("button", name="Set what was counted").click()
    expect(desk.get_by_role("button", name="Set what was counted")).to_have_count(0)
    expect(left).to_have_value("1")
    with open_context(browser, noted, viewport=DESKTOP) as buyer:
        page = buyer.new_page()
        page.goto(checkout_url(workshop, "press"))
        expect(page.get_by_text("The last one.")).to_be_visible()
        fill(page, email)
        press_pay(page)
        expect(page.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
        other = buyer.new_page()
        other.goto(checkout_url(workshop, "press"))
        expect(other.get_by_text("You have bought this")).to_be_visible()
        other.get_by_role("button", name="Buy another").click()
        expect(other.get_by_text("sold out").first).to_be_visible()
        expect(other.get_by_text("It cannot be paid now.")).to_be_visible()
        expect(other.get_by_text("Ostrel Bindery has none left at the moment. Nothing is charged.")).to_be_visible()
        expect(other.get_by_role("button", name="EUR")).to_have_count(0)
    go(desk, workshop, "products/bench-press")
    expect(desk.get_by_label("Left in test")).to_have_value("0")
    desk.get_by_label("Left in test").fill("6")
    desk.get_by_role("button", name="Set what was counted").click()
    expect(desk.get_by_role("button", name="Set what was counted")).to_have_count(0)


# -- at the desk ------------------------------------------------------------------------------------------------


def test_a_price_is_a_sentence_and_the_tape_shows_its_future(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "products/foldwright")
    year = desk.get_by_role("region", name="Price By the year", exact=True)
    tape = desk.locator("[aria-label^='Tape for']")
    year.get_by_role("button", name="Put it on the tape").click()
    expect(tape).to_contain_text("19.00")
    year.get_by_label("How it is charged").select_option("in instalments")
    year.get_by_label("Number of payments").fill("4")
    year.get_by_label("Every", exact=True).select_option("month")
    expect_saved(desk)
    expect(year.get_by_text("4 payments, 76.00 in all, against 59.00 EUR at once: 17.00 more, 28.8 %.")).to_be_visible()
    expect(year.get_by_role("row")).to_have_count(4)
    expect(tape.locator("li.later")).to_have_count(3)
    tape.locator("li.later button").first.click()
    expect(tape).to_contain_text("Foldwright: 19.00, payment 2 of 4.")
    year.get_by_label("How it begins").select_option("after a free time")
    year.get_by_label("Free for").select_option("1 month")
    expect_saved(desk)
    expect(tape.locator("li.due")).to_contain_text("EUR 0.00")
    year.get_by_label("Number of payments").fill("1o")
    expect(year.get_by_text("must be a whole number")).to_be_visible()
    expect(desk.get_by_text("Not right yet")).to_be_visible()
    year.get_by_label("How it is charged").select_option("again and again")
    year.get_by_label("Every", exact=True).select_option("year")
    expect_saved(desk)
    ((body,),) = workshop.rows(
        "select body from part_revisions where part_id = 'foldwright' order by change desc limit 1"
    )
    assert body["prices"][1] == {
        **{"id": "foldwright-year", "kind": "recurring", "every": "P1Y", "label": "By the year"},
        "amount": {"EUR": "19.00"},
    }


def test_amounts_are_ink_where_they_are_typed_and_pencil_where_they_are_converted(
    desk: Page, workshop: Running
) -> None:
    go(desk, workshop, "products/marbling-papers")
    dollars = desk.get_by_label("Five marbling papers in USD")
    expect(dollars).to_have_value("")
    expect(dollars).to_have_attribute("placeholder", "30.95")
    dollars.fill("29.50")
    expect_saved(desk)
    desk.get_by_label("Currency", exact=True).select_option("USD")
    expect(desk.locator("[aria-label^='Tape for'] li.due")).to_contain_text("USD 42.17")
    dollars.fill("")
    expect_saved(desk)
    go(desk, workshop, "currencies")
    desk.get_by_label("USD: units for one of the base").fill("1.20")
    expect_saved(desk)
    go(desk, workshop, "products/marbling-papers")
    expect(desk.get_by_label("Five marbling papers in USD")).to_have_attribute("placeholder", "34.95")
    go(desk, workshop, "currencies")
    desk.get_by_label("USD: units for one of the base").fill("1.08")
    expect_saved(desk)
    desk.get_by_label("Sell in another currency").select_option("CHF, Swiss Franc")
    expect(desk.get_by_role("button", name="Add the currency")).to_be_disabled()
    desk.get_by_label("CHF for one EUR").fill("0,95")
    desk.get_by_role("button", name="Add the currency").click()
    expect_saved(desk)
    desk.get_by_role("button", name="Take out CHF").click()
    expect_saved(desk)


def test_an_amount_is_read_as_people_write_it_or_asked_about(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "products/saturday-class")
    amount = desk.get_by_label("Amount in EUR", exact=True).first
    before = amount.input_value()
    amount.fill("€ 1.234,50")
    expect(desk.get_by_text("read as 1234.50")).to_be_visible()
    expect(desk.get_by_role("complementary")).to_contain_text("EUR 1,234.50")
    expect(amount).to_have_value("€ 1.234,50")
    amount.blur()
    expect(amount).to_have_value("1234.50")
    amount.fill("1,234")
    expect(desk.get_by_text("This is no amount").first).to_be_visible()
    amount.press("Tab")
    desk.get_by_role("button", name="1.23", exact=True).click()
    expect(amount).to_have_value("1.23")
    amount.fill("18,5")
    amount.blur()
    expect(amount).to_have_value("18.5")
    amount.fill(before)
    expect_saved(desk)


def test_a_product_in_variants_with_a_picture_is_copied_moved_and_archived(
    desk: Page, workshop: Running, tmp_path: Path
) -> None:
    picture = tmp_path / "red-thread.png"
    Image.new("RGB", (900, 600), "#A23A2A").save(picture)
    go(desk, workshop, "products/linen-thread")
    listed = desk.get_by_role("navigation", name="All products").get_by_role("listitem")
    expect(listed.first).to_be_visible()
    before = listed.count()
    desk.get_by_role("button", name="Make a copy").click()
    expect(desk.get_by_role("heading", name="Linen thread set, copy")).to_be_visible()
    desk.get_by_role("button", name="Add a variant").click()
    desk.get_by_role("textbox", name="Name", exact=True).fill("Red")
    desk.get_by_label("Own amount, EUR").fill("13.50")
    desk.get_by_label("How stock is counted").select_option("is counted for each variant")
    desk.get_by_label("Opening stock").fill("7")
    expect_saved(desk)
    with desk.expect_file_chooser() as chooser:
        desk.get_by_role("button", name="Add a picture of Red").click()
        desk.get_by_role("button", name="Choose a picture", exact=True).first.click()
    chooser.value.set_files(picture)
    expect(desk.get_by_label("Picture of Red: what it shows")).to_have_value("red thread")
    expect_saved(desk)
    shown = desk.get_by_role("img", name="red thread")
    expect(shown).to_be_visible()
    assert shown.evaluate("image => image.naturalWidth") == 900
    expect(desk.locator("[aria-label^='Tape for']")).to_contain_text("13.50")
    expect(listed.last).to_contain_text("Linen thread set, copy")
    desk.get_by_role("button", name="Move up").click()
    expect(listed.last).not_to_contain_text("Linen thread set, copy")
    desk.get_by_role("status").get_by_role("button", name="Undo").click()
    expect(listed.last).to_contain_text("Linen thread set, copy")
    desk.get_by_role("button", name="Archive", exact=True).click()
    expect(desk.get_by_text("Archived: Linen thread set, copy.")).to_be_visible()
    expect(listed).to_have_count(before)


def test_a_bundle_tells_what_is_saved_and_cannot_hold_itself(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "products/first-book")
    expect(desk.get_by_text("65.00 against 72.00 EUR for its parts one by one: 7.00 less, 9.7 %.")).to_be_visible()
    desk.get_by_label("How many of thread").fill("3")
    expect(desk.get_by_text("65.00 against 84.00 EUR")).to_be_visible()
    desk.get_by_role("button", name="Put another in").click()
    expect(desk.get_by_role("combobox", name="Price to put in")).to_be_focused()
    find(desk, "Price to put in", "first book", "First book set")
    expect(desk.get_by_text("“First book set” would contain itself").first).to_be_visible()
    desk.get_by_role("button", name="Take out first-book").click()
    desk.get_by_label("How many of thread").fill("2")
    expect_saved(desk)


def test_a_coupon_says_what_it_costs(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "coupons/PARCEL3")
    cost = desk.get_by_role("row", name="Paper parcel, Month by month")
    expect(cost).to_contain_text("EUR 36.00")
    desk.get_by_label("Number of charges").fill("12")
    expect(cost).to_contain_text("EUR 144.00")
    desk.get_by_label("Percent", exact=True).fill("101")
    expect(desk.get_by_text("101 % cannot be taken off").first).to_be_visible()
    desk.get_by_label("Percent", exact=True).fill("50")
    desk.get_by_label("Number of charges").fill("3")
    expect_saved(desk)
    desk.get_by_role("button", name="Add a coupon").click()
    desk.get_by_label("Code").fill("parcel3")
    desk.get_by_role("button", name="Add the coupon").click()
    expect(desk.get_by_text("Another coupon is already called").first).to_be_visible()
    desk.get_by_label("Code").fill("SPRING-5")
    desk.get_by_label("Percent off").fill("5")
    desk.get_by_role("button", name="Add the coupon").click()
    expect(desk.get_by_role("heading", name="SPRING-5")).to_be_visible()
    desk.get_by_label("Percentage or amount").select_option("EUR")
    desk.get_by_label("Amount in EUR", exact=True).fill("4.00")
    desk.get_by_label("Last day").select_option("a day …")
    type_day(desk, "Last day", date(2027, 5, 31))
    expect_saved(desk)
    expect(desk.locator("[aria-label^='Tape for']")).to_contain_text("−4.00")
    expect(desk.get_by_text("?coupon=SPRING-5").first).to_be_visible()
    desk.get_by_role("button", name="Archive", exact=True).click()
    expect(desk.get_by_text("Archived: SPRING-5.")).to_be_visible()


def test_a_checkout_lets_buyers_choose_between_prices(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "checkouts/marbling")
    desk.get_by_role("button", name="Let buyers choose another price").click()
    find(desk, "Another price to choose from", "marbling", "3 payments")
    expect_saved(desk)
    tape = desk.locator("[aria-label^='Tape for']")
    desk.get_by_label("Price", exact=True).last.select_option(label="3 payments, one every month, EUR 29.00 each")
    expect(tape.locator("li.due")).to_contain_text("EUR 29.00")
    desk.get_by_role("button", name="Take out marbling-3").click()
    expect_saved(desk)


def test_a_csv_is_shown_row_by_row_before_it_is_stored(desk: Page, workshop: Running, tmp_path: Path) -> None:
    wrong, right = tmp_path / "wrong.csv", tmp_path / "right.csv"
    wrong.write_text("product_id,price_id,amount_EUR\nlinen-thread,thread,dear\n")
    right.write_text("product_id;price_id;amount_EUR\nlinen-thread;thread;12,50\nfoldwright;foldwright;59.00\n")
    go(desk, workshop, "products-csv")
    with desk.expect_download() as download:
        desk.get_by_role("link", name="Save all products as CSV").click()
    assert download.value.suggested_filename == "ostrel-products.csv"
    rows = Path(download.value.path()).read_text("utf-8-sig").splitlines()
    assert rows[0].startswith("product_id,product_name,")
    assert any(row.startswith("coptic-kit,Coptic stitch kit,,goods,") for row in rows)
    for file in (wrong, right):
        with desk.expect_file_chooser() as chooser:
            desk.get_by_role("button", name="Choose a").first.click()
        chooser.value.set_files(file)
        if file is wrong:
            expect(desk.get_by_role("row", name="amount_EUR")).to_contain_text("2")
            expect(desk.get_by_text("1 thing is wrong. Nothing was stored.")).to_be_visible()
    expect(desk.get_by_text("1 of 2 rows change something.")).to_be_visible()
    desk.get_by_role("button", name="Store 1 row").click()
    expect(desk.get_by_text("The products are as the file has them.")).to_be_visible()
    go(desk, workshop, "products/linen-thread")
    expect(desk.get_by_label("Amount in EUR", exact=True)).to_have_value("12.50")
    desk.get_by_label("Amount in EUR", exact=True).fill("12.00")
    expect_saved(desk)


def test_variants_with_pictures_come_by_csv_and_the_pictures_along(
    desk: Page, workshop: Running, tmp_path: Path
) -> None:
    rows, picture = tmp_path / "rows.csv", tmp_path / "Waxed Red.png"
    rows.write_text(
        "product_id,variant_id,variant_name,variant_stock,variant_picture,variant_picture_text,product_categories\n"
        'marbling-papers,waxed-red,Waxed red,12,Waxed Red.png,A red thread on card,"thread, tools"\n'
    )
    Image.new("RGB", (60, 40), "#8A2432").save(picture)
    go(desk, workshop, "products-csv")
    with desk.expect_file_chooser() as chooser:
        desk.get_by_role("button", name="Choose a file").click()
    chooser.value.set_files(rows)
    expect(desk.get_by_role("row", name="variant_picture")).to_contain_text("There is no picture “Waxed Red.png”")
    with desk.expect_file_chooser() as chooser:
        desk.get_by_role("button", name="Send pictures along").click()
    chooser.value.set_files(picture)
    expect(desk.get_by_text("1 of 1 picture kept.")).to_be_visible()
    expect(desk.get_by_text("1 of 1 rows change something.")).to_be_visible()
    desk.get_by_role("button", name="Store 1 row").click()
    expect(desk.get_by_text("The products are as the file has them.")).to_be_visible()
    go(desk, workshop, "products")
    desk.get_by_label("Find a product").fill("tools")
    desk.get_by_role("link", name="Five marbling papers").click()
    expect(desk.get_by_label("Categories")).to_have_value("thread, tools")
    expect(desk.get_by_role("list", name="Variants").get_by_label("Name")).to_have_value("Waxed red")
    desk.get_by_label("Categories").fill("thread, tools, for beginners,")
    expect_saved(desk)
    desk.reload()
    expect(desk.get_by_label("Categories")).to_have_value("thread, tools, for beginners")
    ((body,),) = workshop.rows(
        "select body from part_revisions where part_id = 'marbling-papers' order by change desc limit 1"
    )
    assert body["variants"][0]["picture"] == {"name": "waxed-red.webp", "text": "A red thread on card"}
    assert body["categories"] == ["thread", "tools", "for beginners"]


def test_the_site_file_goes_out_and_comes_back(desk: Page, workshop: Running, tmp_path: Path) -> None:
    go(desk, workshop, "site-file")
    with desk.expect_download() as download:
        desk.get_by_role("link", name="Save the draft as a site file").click()
    text = Path(download.value.path()).read_text()
    assert "format: skurrow-site/1" in text
    file = tmp_path / "site.yaml"
    file.write_text(text.replace("Five waxed linen threads", "Six waxed linen threads"))
    with desk.expect_file_chooser() as chooser:
        desk.get_by_role("button", name="Choose a file").click()
    chooser.value.set_files(file)
    expect(desk.get_by_text("1 part changes.")).to_be_visible()
    expect(desk.get_by_role("row", name="Linen thread set")).to_contain_text("Six waxed linen threads")
    desk.get_by_role("button", name="Make it the draft").click()
    expect(desk.get_by_text("The draft is as the file has it.")).to_be_visible()
    file.write_text("format: skurrow-site/1\nproducts: [{}]\n")
    with desk.expect_file_chooser() as chooser:
        desk.get_by_role("button", name="Choose a file").click()
    chooser.value.set_files(file)
    expect(desk.get_by_role("row", name="products[0].id")).to_contain_text("is missing")
    go(desk, workshop, "products/linen-thread")
    desk.get_by_label("Text for buyers").fill("Five waxed linen threads on card, enough for a dozen books.")
    expect_saved(desk)
