"""Giving something back, on a phone and at a desk: without signing in, with a receipt, looked after, and mailed."""

from __future__ import annotations

import json
import re
import uuid

from playwright.sync_api import BrowserContext, Page, expect

from tests.browser.conftest import Running, checkout_url, fill, go, press_pay
from tests.browser.members import account, mail
from tests.browser.test_accessibility import found_by_axe


def buy(page: Page, running: Running, email: str) -> str:
    page.goto(checkout_url(running))
    page.get_by_label("Collect it in Deventer").check()
    fill(page, email)
    press_pay(page)
    expect(page.get_by_role("heading", name="Thank you, Jonna Kok")).to_be_visible()
    ((code,),) = running.rows("select code from orders where buyer->>'email' = %s", email)
    return str(code)


def test_a_buyer_gives_back_without_signing_in_and_somebody_looks_after_it(
    buyer: BrowserContext, developer: Page, running: Running
) -> None:
    email = f"{uuid.uuid4().hex[:10]}@example.org"
    page = buyer.new_page()
    code = buy(page, running, email)
    page.get_by_role("link", name="Give something back").click()
    expect(page.get_by_role("heading", name="Give something back")).to_be_visible()
    assert found_by_axe(page) == []
    expect(page.get_by_label("Number of the order")).to_have_value(code)
    press = page.get_by_role("button", name="Look at it once more")
    press.click()
    expect(page.get_by_text("Write your name.")).to_be_visible()
    page.get_by_label("Name").fill("Jonna Kok")
    page.get_by_label("Email that it was bought with").fill("no address")
    page.get_by_label("What you give back").fill("The moss kit")
    press.click()
    expect(page.get_by_text("Write it as in name@example.org.")).to_be_visible()
    expect(page.get_by_label("What you give back")).to_have_value("The moss kit")
    page.get_by_label("Email that it was bought with").fill(email)
    press.click()
    expect(page.get_by_role("heading", name="Is this right?")).to_be_visible()
    page.get_by_role("button", name="Change something").click()
    expect(page.get_by_label("What you give back")).to_have_value("The moss kit")
    press.click()
    page.get_by_role("button", name="Confirm: I give this back").dblclick()
    expect(page.get_by_role("heading", name="Ostrel Bindery has received it")).to_be_visible()
    assert found_by_axe(page) == []
    assert "“The moss kit”" in mail(running, email, f"What you give back of your order {code}")

    go(developer, running, f"orders/test/{code}")
    expect(developer.get_by_text("The buyer gives something back", exact=True)).to_be_visible()
    developer.get_by_text("says what. Give the money back below").get_by_role("link").click()
    asked = developer.get_by_role("region", name="Jonna Kok").filter(has_text=code)
    expect(asked).to_have_count(1)
    assert found_by_axe(developer) == []
    assert found_by_axe(developer, "dark") == []
    asked.get_by_role("button", name="Decline …").click()
    asked.get_by_role("button", name="Decline it").click()
    expect(asked.get_by_text(re.compile("needs an answer to the buyer"))).to_be_visible()
    asked.get_by_label("Why it is not taken back").fill("The thread was cut already.")
    asked.get_by_role("button", name="Decline it").click()
    expect(asked.get_by_text("“The thread was cut already.”")).to_be_visible()
    assert "“The thread was cut already.”" in mail(running, email, "About what you give back")


def test_a_customer_takes_their_data_along_and_is_forgotten(buyer: BrowserContext, running: Running) -> None:
    email = f"{uuid.uuid4().hex[:10]}@example.org"
    page = buyer.new_page()
    code = buy(page, running, email)
    account(page, running, email)
    page.get_by_role("region", name="Coptic stitch kit, Moss").get_by_role("button", name="Give something back").click()
    expect(page.get_by_label("Email that it was bought with")).to_have_value(email)
    page.get_by_role("button", name="Leave it").click()
    with page.expect_download() as saved:
        page.get_by_role("link", name="Everything that is kept of you, as a file").click()
    kept = json.loads(saved.value.path().read_text())
    assert [one["code"] for one in kept["orders"]] == [code]
    page.get_by_role("button", name="Be forgotten").click()
    assert found_by_axe(page) == []
    page.get_by_role("button", name="Forget me").click()
    expect(page.get_by_role("button", name="Send me a link")).to_be_visible()
    assert running.rows("select name from (select buyer->>'name' as name from orders where code = %s) o", code) == [
        ("Forgotten",)
    ]
    assert running.rows("select 1 from orders where buyer->>'email' = %s", email) == []
    page.reload()
    expect(page.get_by_role("button", name="Send me a link")).to_be_visible()
