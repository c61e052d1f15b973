"""Whoever buys once: the mail with the papers, the account page, and the parcel on its way."""

from __future__ import annotations

import re
import uuid

import httpx
from playwright.sync_api import BrowserContext, Page, expect

from tests.browser.conftest import Running, checkout_url, go, press_pay, type_card
from tests.browser.members import account, link_in, mail
from tests.gateway.test_standin_cards import NUMBERS


def test_who_bought_once_gets_a_mail_signs_in_and_finds_it_all(
    buyer: BrowserContext, developer: Page, running: Running
) -> None:
    email = f"{uuid.uuid4().hex[:10]}@example.org"
    page = buyer.new_page()
    page.goto(checkout_url(running))
    expect(page.get_by_text(re.compile("^Boards, linen thread, needles and forty sheets"))).to_be_visible()
    page.get_by_label("Email").fill(email)
    page.get_by_label("Name", exact=True).fill("Jonna Kok")
    for label, typed in (("Street and number", "Brink 1"), ("Postal code", "7411 BR"), ("City", "Deventer")):
        page.get_by_label(label).first.fill(typed)
    type_card(page, NUMBERS["approved"])
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    ((code,),) = running.rows("select code from orders where buyer->>'email' = %s", email)

    text = mail(running, email, f"Your order {code} at Ostrel Bindery")
    assert "Total: " in text
    assert "It is sent to: Jonna Kok, Brink 1" in text
    page.goto(link_in(text, "thanks"))
    expect(page.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    page.get_by_role("link", name="all that you have bought").click()
    expect(page.get_by_role("heading", name="What you have bought")).to_be_visible()

    account(page, running, email)
    bought = page.get_by_role("region", name="Coptic stitch kit, Moss")
    expect(bought).to_contain_text(re.compile(r"EUR 52\.95, paid on \d+ \w+ \d{4}\."))
    with page.expect_download() as saved:
        bought.get_by_role("link", name=re.compile("^Receipt TEST-R-")).click()
    assert saved.value.path().read_bytes().startswith(b"%PDF")

    go(developer, running, f"orders/test/{code}")
    developer.get_by_role("button", name="Mark as sent").click()
    follow = developer.get_by_label("Where it can be followed")
    follow.fill("not an address at all")
    developer.get_by_role("button", name="It was sent").click()
    expect(developer.get_by_text(re.compile("valid|address", re.IGNORECASE)).first).to_be_visible()
    expect(follow).to_have_value("not an address at all")
    follow.fill("carrier.example/track#7")
    developer.get_by_role("button", name="It was sent").click()
    expect(developer.get_by_role("link", name="Follow it")).to_have_attribute("href", "https://carrier.example/track#7")
    text = mail(running, email, f"Your order {code} from Ostrel Bindery is on its way")
    assert "See where it is: https://carrier.example/track#7" in text
    page.reload()
    expect(bought).to_contain_text(re.compile(r"Sent on \d+ \w+ \d{4}\."))
    expect(bought.get_by_role("link", name="See where it is")).to_be_visible()
    mails = httpx.get(f"http://127.0.0.1:{running.installation.ports.mailbox}/mails").json()
    mine = [one for one in mails if one["to"] == email]
    assert [bool(one["attached"]) for one in mine if "is on its way" in one["subject"]] == [False]
    assert [len(one["attached"]) for one in mine if f"order {code} at" in one["subject"]] == [1]


def test_a_strangers_address_finds_nothing(buyer: BrowserContext, running: Running) -> None:
    page = buyer.new_page()
    page.goto(f"{running.installation.counter_url}/account/ostrel?test=1")
    email = f"{uuid.uuid4().hex[:10]}@example.org"
    page.get_by_label("Email").fill(email)
    page.get_by_role("button", name="Send me a link").click()
    expect(page.get_by_role("heading", name="Look into your mailbox")).to_be_visible()
    assert running.rows("select 1 from mails where to_address = %s", email) == []
