"""The room of mails: words by language beside the mail as it arrives; and the confirmation page, safe to pass on."""

from __future__ import annotations

import re
import uuid

import httpx
from playwright.sync_api import Browser, BrowserContext, Page, expect

from skurrow.run.installation import ROOT
from tests.browser.conftest import (
    Noted,
    Running,
    checkout_url,
    expect_saved,
    fill,
    go,
    open_context,
    press_pay,
)
from tests.browser.members import account, link_in, mail
from tests.browser.test_accessibility import found_by_axe


def asked(running: Running, path: str) -> httpx.Response:
    """What the counter answers somebody who has nothing but an address."""
    installation = running.installation
    headers = {"Host": installation.counter_url.partition("//")[2]}
    return httpx.get(f"http://127.0.0.1:{installation.ports.web}{path}", headers=headers)


LOGO = ROOT / "demo" / "pictures" / "ostrel-logo.webp"


def test_what_is_typed_stands_in_the_mail_beside_it_and_in_the_one_that_is_sent(
    buyer: BrowserContext, developer: Page, running: Running
) -> None:
    go(developer, running, "mails/order_debit")
    arrives = developer.get_by_role("region", name="The mail as it arrives")
    inside = arrives.frame_locator("iframe")
    expect(inside.get_by_role("img", name="Ostrel Bindery")).to_be_visible()
    words = developer.get_by_label("Words of yours")
    words.fill("We begin at once.")
    expect(inside.get_by_text("We begin at once.")).to_be_visible()
    developer.get_by_role("button", name="Add the order's code to your words").click()
    expect(words).to_have_value("We begin at once. {order.code}")
    expect(inside.get_by_text("We begin at once. EXAMPLE2")).to_be_visible()
    expect(developer.get_by_text("Not in German and Dutch")).to_be_visible()
    developer.get_by_label("Language").select_option("nl")
    expect(words).to_have_value("")
    expect(inside.get_by_text("We begin at once")).to_have_count(0)
    words.fill("Wij beginnen meteen, {buyer.nam}.")
    expect(developer.get_by_text(re.compile(r"^There is no \{buyer\.nam\} in this mail"))).to_be_visible()
    words.fill("Wij beginnen meteen, {buyer.name}.")
    expect_saved(developer)
    expect(inside.get_by_text("Wij beginnen meteen, Maud Terlinden.")).to_be_visible()
    assert found_by_axe(developer) == []
    assert found_by_axe(developer, "dark") == []

    arrives.get_by_role("button", name="As plain text").click()
    expect(arrives.locator("pre")).to_contain_text("Wij beginnen meteen, Maud Terlinden.")
    arrives.get_by_role("button", name="Send it to me").click()
    expect(arrives.get_by_text("Sent to your address.")).to_be_visible()
    assert "This is a trial of a mail" in mail(running, "dev@ostrel.example", "[Trial]")
    for language in ("nl", "en"):
        developer.get_by_label("Language").select_option(language)
        words.fill("")
    expect_saved(developer)
    expect(developer.get_by_role("button", name="Undo: Mails")).to_be_visible()


def test_who_they_come_from_is_said_for_all_of_them(developer: Page, running: Running) -> None:
    go(developer, running, "mails")
    arrives = developer.get_by_role("region", name="The mail as it arrives")
    sender = developer.get_by_label("Name they come from")
    sender.fill("Ostrel, Deventer")
    expect(arrives.get_by_text("Ostrel, Deventer")).to_be_visible()
    developer.get_by_label("How what was bought is shown").select_option("no")
    expect(arrives.frame_locator("iframe").locator("img")).to_have_count(1)
    developer.get_by_label("How what was bought is shown").select_option("yes")
    expect(arrives.frame_locator("iframe").locator("img")).to_have_count(2)
    sender.fill("")
    expect_saved(developer)
    find = developer.get_by_label("Find a mail")
    find.fill("trial")
    expect(developer.get_by_role("link", name=re.compile("^Trial ends"))).to_have_count(2)


def test_a_confirmation_shows_what_is_personal_to_its_buyer_alone(
    buyer: BrowserContext, browser: Browser, noted: Noted, running: Running
) -> None:
    email = f"{uuid.uuid4().hex[:10]}@example.org"
    page = buyer.new_page()
    page.goto(checkout_url(running))
    page.get_by_label("Collect it in Deventer").check()
    fill(page, email)
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    address = page.url
    receipt = page.get_by_role("link", name=re.compile("^Your receipt TEST-R-")).get_attribute("href")
    assert receipt is not None
    page.reload()
    expect(page.get_by_text(f"For {email}")).to_be_visible()

    another = open_context(browser, noted)
    stranger = another.new_page()
    stranger.goto(address)
    expect(stranger.get_by_role("heading", name="Thank you")).to_be_visible()
    expect(stranger.get_by_text("Whose order this is, and its papers")).to_be_visible()
    assert "Jonna" not in stranger.content()
    assert email not in stranger.content()
    assert found_by_axe(stranger) == []
    assert asked(running, receipt).headers["Content-Type"] == "application/pdf"
    assert asked(running, re.sub("&key=.*", "", receipt)).status_code == 404
    stranger.get_by_role("link", name="Find my purchase").click()
    expect(stranger.get_by_role("heading", name="What you have bought")).to_be_visible()

    text = mail(running, email, "Your order ")
    stranger.goto(link_in(text, "thanks"))
    expect(stranger.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    expect(stranger).to_have_url(address)
    stranger.reload()
    expect(stranger.get_by_text(f"For {email}")).to_be_visible()
    third = another.new_page()
    third.goto(address)
    expect(third.get_by_text("Whose order this is, and its papers")).to_be_visible()
    account(third, running, email)
    third.get_by_role("link", name=re.compile("^Order ")).click()
    expect(third.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    another.close()


def test_a_logo_is_put_at_the_head(developer: Page, running: Running) -> None:
    go(developer, running, "site")
    developer.get_by_role("button", name="Take the logo out").click()
    expect_saved(developer)
    go(developer, running, "mails")
    inside = developer.get_by_role("region", name="The mail as it arrives").frame_locator("iframe")
    expect(inside.get_by_role("img", name="Ostrel Bindery")).to_have_count(0)
    developer.get_by_role("link", name="The site itself").click()
    developer.locator("input[type=file]").set_input_files(LOGO)
    expect(developer.get_by_role("img", name="Logo of Ostrel Bindery")).to_be_visible()
    expect_saved(developer)
