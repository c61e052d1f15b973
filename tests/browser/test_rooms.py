"""Undo, jumping, the history, people and accounts, several sites: the rooms around the work order."""

from __future__ import annotations

import re

import pyotp
from playwright.sync_api import Browser, Locator, Page, expect

from skurrow.run.demo import EMAIL
from tests.browser.conftest import Noted, Running, expect_saved, go, open_context, sign_in


def from_menu(page: Page, button: str, entry: str) -> None:
    page.get_by_role("button", name=button).click()
    page.get_by_role("menuitem", name=entry).click()


def test_edits_are_undone_and_done_again_across_sheets(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "products/marbling-first")
    desk.get_by_label("Amount in EUR", exact=True).fill("25.00")
    expect_saved(desk)
    expect(desk.get_by_role("link", name="Marbling, first sheets")).to_contain_text("EUR 25.00")
    desk.get_by_role("link", name="Checkouts").click()
    desk.get_by_label("Heading", exact=True).fill("Another heading")
    expect_saved(desk)
    expect(desk.get_by_role("button", name="Undo: The kit")).to_be_enabled()
    desk.get_by_role("main").focus()
    desk.keyboard.press("Control+z")
    expect(desk.get_by_label("Heading", exact=True)).to_have_value("Your Coptic stitch kit")
    desk.get_by_role("button", name="Undo: Marbling, first sheets").click()
    expect(desk.get_by_text("Undone: Marbling, first sheets")).to_be_visible()
    ((body,),) = workshop.rows(
        "select body from part_revisions where part_id = 'marbling-first' order by change desc limit 1"
    )
    assert body["prices"][0]["amount"] == {"EUR": "24.00"}
    desk.get_by_role("button", name="Do again: Marbling, first sheets").click()
    expect(desk.get_by_text("Done again: Marbling, first sheets")).to_be_visible()
    go(desk, workshop, "products/marbling-first")
    expect(desk.get_by_label("Amount in EUR", exact=True)).to_have_value("25.00")


def test_anything_is_jumped_to_by_its_name(desk: Page, workshop: Running) -> None:
    jump = desk.get_by_role("combobox", name="Jump to anything")
    for typed, option, heading in (
        ("folding", "Folding patterns, volume one", "Folding patterns, volume one"),
        ("kyoto", "Consumer, Kyoto, in yen", "Consumer, Kyoto, in yen"),
        ("two-step", "Your account", "Your account"),
    ):
        if not jump.is_visible():
            go(desk, workshop, "products")
        jump.click()
        desk.keyboard.type(typed)
        desk.get_by_role("listbox").get_by_role("option", name=option).first.click()
        expect(desk.get_by_role("heading", name=heading, level=1)).to_be_visible()
        assert desk.evaluate("window.scrollY") == 0, "the bar with the jump box has been scrolled away"
    go(desk, workshop, "products")
    jump.click()
    desk.keyboard.type("help")
    desk.get_by_role("listbox").get_by_role("option", name="Help: shortcuts").click()
    expect(desk.get_by_role("dialog", name="Shortcuts")).to_be_visible()
    desk.keyboard.press("Escape")
    jump.click()
    desk.keyboard.type("zzz")
    expect(desk.get_by_text("Nothing is called that.")).to_be_visible()


def test_going_back_to_a_release_and_the_history_of_it_all(desk: Page, workshop: Running) -> None:
    def release() -> int:
        go(desk, workshop, "release")
        desk.get_by_role("button", name="Make release").click()
        expect(desk.get_by_text("There is nothing to release")).to_be_visible()
        return int(workshop.rows("select max(number) from releases")[0][0])

    def priced(amount: str) -> None:
        go(desk, workshop, "products/saturday-class")
        desk.get_by_label("Amount in EUR", exact=True).fill(amount)
        expect_saved(desk)

    priced("96.00")
    first = release()
    priced("97.00")
    go(desk, workshop, "release")
    expect(desk.get_by_role("row", name="price class, EUR")).to_contain_text("96.00 97.00")
    notice = desk.get_by_role("region", name="What buyers will notice")
    expect(notice.get_by_role("row", name="Saturday class").first).to_contain_text("96.00")
    second = release()

    from_menu(desk, "this site and others", "Releases and edits")
    expect(desk.get_by_text(re.compile("Noor Vermaat")).first).to_be_visible()
    row = desk.get_by_role("row").filter(has=desk.get_by_role("rowheader", name=str(first), exact=True))
    row.get_by_role("link", name="Look at going back").click()
    expect(desk.get_by_role("heading", name=f"Back to release {first}")).to_be_visible()
    along = desk.get_by_role("checkbox", name="Product: Saturday class")
    expect(along).to_be_checked()
    along.uncheck()
    desk.get_by_role("button", name=f"Go back to release {first}").click()
    expect(desk.get_by_text(f"Release {second + 1} is made.")).to_be_visible()
    ((change,),) = workshop.rows("select change from releases where number = %s", second + 1)
    assert workshop.rows("select change from releases where number = %s", first) == [(change,)]
    go(desk, workshop, "products/saturday-class")
    expect(desk.get_by_label("Amount in EUR", exact=True)).to_have_value("97.00")


def test_going_back_takes_the_draft_along_and_an_edit_of_long_ago_is_taken_back(desk: Page, workshop: Running) -> None:
    def amount() -> Locator:
        go(desk, workshop, "products/saturday-class")
        return desk.get_by_label("Amount in EUR", exact=True)

    for price in ("9.00", "99.00"):
        amount().fill(price)
        expect_saved(desk)
        go(desk, workshop, "release")
        jump = desk.get_by_text(re.compile("becomes EUR .*That is a change by more than half"))
        expect(jump).to_be_visible()
        desk.get_by_role("button", name="Make release").click()
        expect(desk.get_by_text("There is nothing to release")).to_be_visible()
    ((last,),) = workshop.rows("select max(number) from releases")
    go(desk, workshop, f"release/back/{last - 1}")
    expect(desk.get_by_text("The next release would bring this back")).to_be_visible()
    desk.get_by_role("button", name=f"Go back to release {last - 1}").click()
    expect(desk.get_by_text(f"Release {last + 1} is made.")).to_be_visible()
    expect(amount()).to_have_value("9.00")
    expect(desk.get_by_role("banner")).to_contain_text("nothing changed since")

    from_menu(desk, "this site and others", "Releases and edits")
    desk.get_by_role("button", name="Take this edit back").first.click()
    expect(desk.get_by_text("Taken back, as a new edit.")).to_be_visible()
    expect(amount()).to_have_value("99.00")


def test_somebody_is_invited_by_mail_and_works_in_their_role(
    desk: Page, workshop: Running, browser: Browser, noted: Noted
) -> None:
    go(desk, workshop, "people")
    desk.get_by_label("Email").fill("owner@ostrel.example")
    desk.get_by_label("As", exact=True).select_option("owner")
    desk.get_by_role("button", name="Send the invitation").click()
    expect(desk.get_by_role("row", name="owner@ostrel.example")).to_contain_text("as an owner, until")

    page = open_context(browser, noted).new_page()
    for _ in range(100):
        page.goto(f"http://127.0.0.1:{workshop.installation.ports.mailbox}/")
        if page.get_by_text("owner@ostrel.example").count():
            break
        page.wait_for_timeout(200)
    page.get_by_role("link", name=re.compile("Work on Ostrel Bindery")).first.click()
    with page.expect_popup() as opened:
        page.get_by_role("link", name=re.compile("invited")).click()
    page = opened.value
    page.get_by_label("Your name").fill("Wessel Ostrel")
    page.get_by_label("A password for the desk").fill("short")
    page.get_by_role("button", name="Accept the invitation").click()
    expect(page.get_by_text("A password has at least 10 characters")).to_be_visible()
    page.get_by_label("A password for the desk").fill("long enough for a desk")
    page.get_by_role("button", name="Accept the invitation").click()
    expect(page.get_by_role("navigation", name="Work order")).to_be_visible()

    go(page, workshop, "products/linen-thread")
    expect(page.get_by_label("Amount in EUR", exact=True)).to_be_disabled()
    expect(page.get_by_role("button", name="Add a product")).to_have_count(0)
    page.get_by_label("Text for buyers").fill("Waxed by hand.")
    expect_saved(page)
    go(page, workshop, "payments")
    expect(page.get_by_text("Not connected for live. A developer of the site connects it.")).to_be_visible()
    expect(page.get_by_role("button", name="Use other keys")).to_have_count(0)
    expect(desk.get_by_role("row", name="Wessel Ostrel")).to_be_visible()
    desk.get_by_role("row", name="Wessel Ostrel").get_by_role("button", name="Remove").click()
    desk.get_by_role("button", name="Yes").click()
    expect(desk.get_by_text("Wessel Ostrel does not work on this site any more.")).to_be_visible()
    page.reload()
    expect(page.get_by_role("heading", name="No such site")).to_be_visible()


def test_a_second_step_is_turned_on_asked_for_and_turned_off(
    desk: Page, workshop: Running, browser: Browser, noted: Noted
) -> None:
    password = workshop.installation.secrets.demo_password
    from_menu(desk, "account and signing out", "Your account")
    desk.get_by_role("button", name="Turn it on").click()
    expect(desk.get_by_role("img", name="The key as a QR code")).to_be_visible()
    key = str(desk.locator("span.mono").first.text_content())
    desk.get_by_label("Code").fill("000000")
    desk.get_by_role("button", name=re.compile("Turn it on|Turn on")).last.click()
    expect(desk.get_by_text("This code does not fit the key")).to_be_visible()
    desk.get_by_label("Code").fill(pyotp.TOTP(key).now())
    desk.get_by_role("button", name=re.compile("Turn it on|Turn on")).last.click()
    expect(desk.get_by_text("Keep these recovery codes")).to_be_visible()
    recovery = str(desk.locator("pre").text_content()).split()
    assert len(recovery) == 8

    page = open_context(browser, noted).new_page()
    page.goto(workshop.installation.desk_url)
    page.get_by_label("Email").fill(EMAIL)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_label("Code").fill("123")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_text("This code does not fit")).to_be_visible()
    page.get_by_label("Code").fill(recovery[0])
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("navigation", name="Work order")).to_be_visible()

    # That session is seen, and ended, from the other.
    desk.reload()
    expect(desk.get_by_role("rowheader", name="this one")).to_be_visible()
    others = desk.get_by_role("button", name="Sign out there")
    for left in range(others.count() - 1, -1, -1):
        others.first.click()
        expect(others).to_have_count(left)
    page.reload()
    expect(page.get_by_role("heading", name="Sign in to the desk")).to_be_visible()

    desk.get_by_label("Your password, to turn it off").fill(password)
    desk.get_by_role("button", name=re.compile("[Tt]urn it off")).click()
    expect(desk.get_by_role("button", name="Turn it on")).to_be_visible()


def test_the_site_itself_is_edited_as_everything_is(desk: Page, workshop: Running) -> None:
    from_menu(desk, "this site and others", "The site itself")
    desk.get_by_label("Address of the website").fill("nonsense")
    expect(desk.get_by_text("Not saved: something has to be corrected")).to_be_visible()
    desk.get_by_label("Address of the website").fill("https://ostrel.example")
    desk.get_by_label("Colour of the pay button").fill("#234567")
    expect(desk.get_by_text("#234567")).to_be_visible()
    expect_saved(desk)
    desk.get_by_role("textbox", name="Name of the business").fill("Ostrel & Daughter")
    expect(desk.get_by_role("banner")).to_contain_text("Ostrel & Daughter")
    desk.get_by_role("button", name="Review and release").click()
    expect(desk.get_by_role("main").get_by_text("Ostrel & Daughter").first).to_be_visible()
    desk.get_by_role("button", name="Undo").click()
    expect(desk.get_by_text(re.compile("^Undone"))).to_be_visible()
    expect(desk.get_by_role("banner")).to_contain_text("Ostrel Bindery")


def test_a_country_is_what_its_field_shows_however_it_came_there(desk: Page, workshop: Running) -> None:
    """By keys, a press, pasting and touching; what is no country changes nothing and is said."""
    desk.set_viewport_size({"width": 1280, "height": 800})
    go(desk, workshop, "stand-in-buyers/utrecht")
    field = desk.get_by_role("main").get_by_role("combobox", name="Country")

    def chosen(country: str) -> None:
        expect(field).to_have_value(country)
        expect_saved(desk)
        code = {"Germany": "DE", "Austria": "AT", "Belgium": "BE", "Netherlands": "NL"}[country]
        stored = "select body->>'country' from part_revisions where part_id = 'utrecht' order by change desc limit 1"
        assert workshop.rows(stored) == [(code,)]

    field.click()
    expect(desk.get_by_role("listbox")).to_be_visible()
    box, lists = field.bounding_box(), desk.get_by_role("listbox").bounding_box()
    assert box
    assert lists
    assert lists["y"] >= box["y"] + box["height"] or lists["y"] + lists["height"] <= box["y"], "never over the field"
    desk.keyboard.press("Escape")
    expect(field).to_have_value("Netherlands")

    field.focus()
    desk.keyboard.press("Control+A")
    desk.keyboard.type("germ")
    desk.keyboard.press("Tab")
    chosen("Germany")

    desk.evaluate("navigator.clipboard.writeText('Österreich')")
    field.focus()
    desk.keyboard.press("Control+A")
    desk.keyboard.press("Control+V")
    desk.get_by_label("Postal code").click()
    chosen("Austria")

    field.click()
    field.fill("belg")
    desk.get_by_role("option", name="Belgium").click()
    chosen("Belgium")

    field.fill("Atlantis")
    desk.keyboard.press("Tab")
    expect(desk.get_by_text("“Atlantis” is no country: it is still Belgium.")).to_be_visible()
    expect(field).to_have_value("Belgium")
    field.fill("Nig")
    desk.keyboard.press("Tab")
    expect(desk.get_by_text("“Nig” can be Niger or Nigeria: it is still Belgium.")).to_be_visible()

    field.fill("nl")
    desk.keyboard.press("Tab")
    chosen("Netherlands")


def test_another_site_begins_empty_and_says_what_to_do(desk: Page, workshop: Running) -> None:
    from_menu(desk, "this site and others", "Add a site")
    expect(desk.get_by_role("heading", name="Add a site", level=1)).to_be_visible()
    desk.get_by_label("Name of the business").fill("Second shop")
    desk.get_by_label(re.compile("Address")).fill("no site at all")
    desk.get_by_role("button", name="Add the site").click()
    expect(desk.get_by_role("alert").or_(desk.locator('[slot="errorMessage"], .problem')).first).to_be_visible()
    desk.get_by_label(re.compile("Address")).fill("second.example")
    desk.get_by_role("button", name="Add the site").click()
    expect(desk.get_by_role("heading", name="Nothing is sold yet")).to_be_visible()
    expect(desk.get_by_role("link", name="Payments")).to_contain_text("connect a gateway")
    from_menu(desk, "this site and others", "Ostrel Bindery")
    expect(desk.get_by_role("link", name="Coptic stitch kit").first).to_be_visible()


def test_a_session_that_ends_leads_to_signing_in_and_loses_nothing(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "products/foldwright")
    workshop.rows("with gone as (delete from sessions returning 1) select count(*) from gone")
    desk.get_by_label("Text for buyers").fill("Typed while signed out.")
    expect(desk.get_by_role("heading", name="Sign in to the desk")).to_be_visible()
    desk.get_by_label("Email").fill(EMAIL)
    desk.get_by_label("Password").fill(workshop.installation.secrets.demo_password)
    desk.once("dialog", lambda dialog: dialog.accept())
    desk.get_by_role("button", name="Sign in").click()
    expect(desk.get_by_label("Text for buyers")).to_have_value("Typed while signed out.")
    expect_saved(desk)


def test_it_fits_a_narrow_window_and_four_hundred_percent(workshop: Running, browser: Browser, noted: Noted) -> None:
    # 1280 px at 400 % is 320 px wide (WCAG 2.2, 1.4.10: nothing scrolls in two directions).
    page = sign_in(open_context(browser, noted, viewport={"width": 320, "height": 640}).new_page(), workshop)
    wide = {}
    for sheet in ("products/coptic-kit", "products/new", "payments", "checkouts/kit", "on-the-site", "orders/test",
                  "stand-in-buyers/utrecht", "release", "release/history", "people", "routes"):  # fmt: skip
        go(page, workshop, sheet)
        wide[sheet] = page.evaluate("document.documentElement.scrollWidth")
    for path in ("account", "new-site", "kit"):
        page.goto(f"{workshop.installation.desk_url}/{path}")
        expect(page.get_by_role("heading", level=1).first).to_be_visible()
        wide[path] = page.evaluate("document.documentElement.scrollWidth")
    assert {sheet: width for sheet, width in wide.items() if width > 320} == {}
    go(page, workshop, "products/coptic-kit")
    page.get_by_role("button", name="Tape · EUR 52.95").click()
    expect(page.get_by_role("region", name="Tape for Consumer, Utrecht")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("region", name="Tape for Consumer, Utrecht")).to_be_hidden()


def test_who_asks_for_little_motion_gets_none(workshop: Running, browser: Browser, noted: Noted) -> None:
    page = sign_in(open_context(browser, noted, reduced_motion="reduce").new_page(), workshop)
    for sheet in ("products/coptic-kit", "release", "checkouts/kit?preview=phone"):
        go(page, workshop, sheet)
        moving = page.evaluate(
            """() => [...document.querySelectorAll('*')].filter(one => {
                 const style = getComputedStyle(one);
                 return [...style.animationDuration.split(','), ...style.transitionDuration.split(',')]
                   .some(time => parseFloat(time) > 0.01);
               }).map(one => one.outerHTML.slice(0, 80))"""
        )
        assert moving == [], sheet
