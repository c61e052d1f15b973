"""Lists that are full and lists that are empty, roles that only look, stages that come later."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from skurrow.service.people.sign_in import hash_password
from tests.browser.conftest import Noted, Running, expect_saved, go, open_context, sign_in

MANY = 130


@pytest.fixture(scope="module")
def crowded(workshop: Running, browser: Browser) -> str:
    """A site of its own with very many products; its code."""
    page = sign_in(open_context(browser, Noted()).new_page(), workshop)
    headers = {"origin": workshop.installation.desk_url}
    site = {"name": "Crowded", "url": "https://zz-crowded.example", "country": "NL", "currency": "EUR"}
    desk = f"{workshop.installation.desk_url}/desk/api/sites"
    made = page.request.post(desk, headers=headers, data={**site, "time_zone": "Europe/Amsterdam"})
    code = str(made.json()["code"])
    for n in range(MANY):
        price = {"id": f"p{n}", "kind": "once", "amount": {"EUR": "2.00"}}
        body = {"name": f"Sheet number {n}", "kind": "goods", "prices": [price]}
        path = f"{desk}/{code}/parts/product/sheet-{n}"
        assert page.request.put(path, headers=headers, data={"seen": 0, "body": body}).ok
    page.context.close()
    return code


@pytest.fixture
def looking(workshop: Running, browser: Browser, noted: Noted) -> Iterator[Page]:
    """An onlooker at the demo's site, signed in."""
    password = "only looking here"
    workshop.rows(
        "with person as (insert into people (id, email, mailbox, name, password_hash, created_at)"
        " values (gen_random_uuid(), 'looker@ostrel.example', 'looker@ostrel.example', 'Lou Looker', %s, now())"
        " on conflict do nothing"
        " returning id), member as (insert into members (site_id, person_id, role)"
        " select sites.id, person.id, 'onlooker' from sites, person where code = 'ostrel' returning 1)"
        " select count(*) from member",
        hash_password(password),
    )
    page = open_context(browser, noted).new_page()
    page.goto(workshop.installation.desk_url)
    page.get_by_label("Email").fill("looker@ostrel.example")
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("navigation", name="Work order")).to_be_visible()
    yield page
    page.context.close()
    assert noted.problems == []


def products_of(page: Page, running: Running, code: str) -> None:
    page.goto(f"{running.installation.desk_url}/s/{code}/products")
    expect(page.get_by_role("navigation", name="All products").get_by_role("link").first).to_be_visible()


def test_a_long_list_comes_page_by_page(desk: Page, workshop: Running, crowded: str) -> None:
    products_of(desk, workshop, crowded)
    listed = desk.get_by_role("navigation", name="All products").get_by_role("link")
    expect(listed).to_have_count(50)
    for count in (100, MANY):
        desk.get_by_role("button", name="Show more").click()
        expect(listed).to_have_count(count)
    expect(desk.get_by_role("button", name="Show more")).to_have_count(0)
    expect(desk.get_by_role("link", name="Products").first).to_contain_text(f"{MANY} products")


def test_a_list_is_searched_as_one_types(desk: Page, workshop: Running, crowded: str) -> None:
    products_of(desk, workshop, crowded)
    listed = desk.get_by_role("navigation", name="All products").get_by_role("link")
    desk.get_by_label("Find a product").fill("NUMBER 12")
    expect(desk.get_by_text("11 fit")).to_be_visible()
    expect(listed).to_have_count(11)
    desk.get_by_label("Find a product").fill("number 128")
    expect(desk.get_by_text("1 fits")).to_be_visible()
    desk.get_by_label("Find a product").fill("nothing like it")
    expect(desk.get_by_text("No product is called that.")).to_be_visible()
    desk.get_by_label("Find a product").fill("")
    expect(listed).to_have_count(50)


def test_arrows_walk_through_a_list(desk: Page, workshop: Running, crowded: str) -> None:
    products_of(desk, workshop, crowded)
    desk.get_by_label("Find a product").focus()
    desk.keyboard.press("ArrowDown")
    expect(desk.get_by_role("link", name="Sheet number 0 EUR")).to_be_focused()
    desk.keyboard.press("ArrowDown")
    desk.keyboard.press("ArrowDown")
    expect(desk.get_by_role("link", name="Sheet number 2 EUR")).to_be_focused()
    desk.keyboard.press("End")
    expect(desk.get_by_role("link", name="Sheet number 49 EUR")).to_be_focused()
    desk.keyboard.press("Home")
    desk.keyboard.press("Enter")
    expect(desk.get_by_role("heading", name="Sheet number 0", level=1)).to_be_visible()


def test_a_site_with_products_and_no_checkout_says_what_comes_next(desk: Page, workshop: Running, crowded: str) -> None:
    desk.goto(f"{workshop.installation.desk_url}/s/{crowded}/checkouts")
    expect(desk.get_by_role("heading", name="No checkout yet")).to_be_visible()
    desk.goto(f"{workshop.installation.desk_url}/s/{crowded}/on-the-site")
    expect(desk.get_by_role("heading", name="Nothing to put on the site yet")).to_be_visible()
    desk.goto(f"{workshop.installation.desk_url}/s/{crowded}/stand-in-buyers")
    for name in ("Netherlands, at home", "Belgium, a business", "Germany, a consumer"):
        expect(desk.get_by_role("textbox", name="What the desk calls them")).to_have_value(name)
        desk.get_by_role("button", name="Archive", exact=True).click()
        expect(desk.get_by_text(f"Archived: {name}.")).to_be_visible()
    expect(desk.get_by_role("heading", name="No stand-in buyer yet")).to_be_visible()
    expect(desk.get_by_role("region", name="Tape for Real buyers")).to_contain_text("Real buyers do not meet this yet")
    desk.goto(f"{workshop.installation.desk_url}/s/{crowded}/release")
    expect(desk.get_by_role("heading", name=re.compile(r"^\d+ parts change"))).to_be_visible()
    expect(desk.get_by_text("There are no stand-in buyers to try it on.")).to_be_visible()

    # What was archived stands below its list, also after a reload, and comes back by one press.
    desk.goto(f"{workshop.installation.desk_url}/s/{crowded}/stand-in-buyers")
    desk.get_by_role("button", name="Archived: 3").click()
    desk.get_by_role("button", name="Bring back").last.click()
    expect(desk.get_by_text("Netherlands, at home is back.")).to_be_visible()
    expect(desk.get_by_role("textbox", name="What the desk calls them")).to_have_value("Netherlands, at home")
    expect(desk.get_by_role("button", name="Archived: 2")).to_be_visible()


@pytest.mark.parametrize("stage", ["routes", "rehearsals"])
def test_a_stage_that_comes_later_says_what_will_stand_there(desk: Page, workshop: Running, stage: str) -> None:
    go(desk, workshop, stage)
    words = str(desk.get_by_role("main").inner_text())
    assert len(words.split()) > 12, words
    expect(desk.get_by_role("link", name=re.compile("Comes later"))).to_have_count(2)


def test_an_onlooker_reads_everything_and_changes_nothing(looking: Page, workshop: Running) -> None:
    go(looking, workshop, "products/coptic-kit")
    for field in ("Name for buyers", "Amount in EUR", "Text for buyers", "Kind"):
        expect(looking.get_by_label(field, exact=True)).to_be_disabled()
    for button in ("Add a product", re.compile("^Archive$"), "Add another price", "Undo"):
        expect(looking.get_by_role("button", name=button)).to_have_count(0)
    expect(looking.get_by_role("region", name="Tape for Consumer, Utrecht")).to_contain_text("EUR")
    looking.get_by_label("Made out to").select_option("Consumer, Kyoto, in yen")
    expect(looking.get_by_role("region", name="Tape for Consumer, Kyoto, in yen")).to_contain_text("JPY")
    go(looking, workshop, "release")
    expect(looking.get_by_role("button", name=re.compile("Make release|Open for real buyers"))).to_have_count(
        looking.get_by_role("button", name="Open for real buyers", disabled=True).count()
    )
    go(looking, workshop, "people")
    expect(looking.get_by_role("button", name="Send the invitation")).to_have_count(0)
    expect(looking.get_by_role("button", name="Leave this site")).to_be_visible()


def test_the_draft_is_put_back_and_each_part_can_be_brought_forward_again(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "release")
    if desk.get_by_role("button", name=re.compile("^Make release")).count():
        desk.get_by_role("button", name=re.compile("^Make release")).click()
    expect(desk.get_by_text("There is nothing to release")).to_be_visible()
    number = int(workshop.rows("select max(number) from releases")[0][0])
    go(desk, workshop, "products/marbling-papers")
    desk.get_by_label("Amount in EUR", exact=True).fill("31.00")
    expect_saved(desk)
    go(desk, workshop, "release/history")
    expect(desk.get_by_role("main")).to_contain_text("29.00 31.00")
    row = desk.get_by_role("row").filter(has=desk.get_by_role("rowheader", name=f"{number}, the last"))
    row.get_by_role("button", name="Put the draft back to it").click()
    row.get_by_role("button", name="Put the draft back", exact=True).click()
    expect(desk.get_by_text(f"The draft is as release {number} was.")).to_be_visible()
    expect(desk.get_by_role("banner")).to_contain_text(f"Release {number}, nothing changed since")
    go(desk, workshop, "products/marbling-papers")
    expect(desk.get_by_label("Amount in EUR", exact=True)).to_have_value("29.00")
