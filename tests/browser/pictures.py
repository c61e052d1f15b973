"""Takes the pictures of `docs/screenshots/` from the demo: `./test --pictures`."""

from __future__ import annotations

import re
import shutil

from playwright.sync_api import Page, sync_playwright

from skurrow.run.installation import ROOT
from tests.browser.conftest import (
    DESKTOP,
    PHONE,
    Noted,
    Running,
    checkout_url,
    expect_saved,
    fill,
    go,
    new_running,
    open_context,
    open_over_page,
    press_pay,
    run_and_remove,
    sign_in,
)
from tests.browser.members import account, join, move

FOLDER = ROOT / "docs" / "screenshots"
BUYERS = [
    ("Ilse Brandsma", "ilse@example.org", "kit", "approved"),
    ("Okoro Adaeze", "okoro@example.org", "press", "approved"),
    ("Jan Duursma", "jan@example.org", "patterns", "no_funds"),
    ("Mirthe Vonk", "mirthe@example.org", "class", "approved"),
    ("Piet Zandstra", "piet@example.org", "marbling", "approved"),
    ("Jonna Kok", "jonna@example.org", "kit", "approved"),
]


def take(page: Page, name: str) -> None:
    """One picture, once fonts and frames are there."""
    page.evaluate("document.fonts.ready")
    page.wait_for_timeout(700)
    page.screenshot(path=FOLDER / f"{name}.png")


def main() -> None:
    """All of them."""
    shutil.rmtree(FOLDER, ignore_errors=True)
    FOLDER.mkdir(parents=True)
    with run_and_remove(new_running("pictures")) as running, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])

        def fresh(**options: object) -> Page:
            return open_context(browser, Noted(), **options).new_page()

        _buyers(running, fresh())
        _for_buyers(running, fresh(viewport=PHONE), fresh(viewport=DESKTOP))
        _desk(running, fresh())
        _subscribers(running, fresh(viewport=PHONE), fresh())
        browser.close()


def _buyers(running: Running, page: Page) -> None:
    for name, email, checkout, behaviour in BUYERS:
        page.goto(checkout_url(running, checkout))
        page.evaluate("localStorage.clear()")
        page.reload()
        fill(page, email, behaviour, name)
        press_pay(page)
        page.get_by_text("Thank you" if behaviour == "approved" else "The card was refused").wait_for()


def _for_buyers(running: Running, phone: Page, desktop: Page) -> None:
    phone.goto(checkout_url(running))
    take(phone, "counter-phone")
    fill(phone, "jonna@example.org")
    press_pay(phone)
    phone.get_by_text("Thank you").wait_for()
    take(phone, "confirmation-phone")
    phone.goto(checkout_url(running))
    phone.get_by_role("button", name="Buy another").click()
    fill(phone, "maud@example.org", name="Maud Terlinden")
    phone.get_by_role("radio", name="Bank transfer").check()
    press_pay(phone)
    phone.get_by_text("Your order stands").wait_for()
    take(phone, "transfer-phone")
    phone.goto(f"{checkout_url(running, 'shop')}?items=kit:2:moss,patterns,parcel-month")
    phone.get_by_role("list", name="Later charges").wait_for()
    phone.get_by_role("heading", name="Your basket").evaluate("one => one.scrollIntoView()")
    take(phone, "basket-phone")
    counter = open_over_page(desktop, running)
    counter.frame_locator("iframe").get_by_label("Card number").wait_for()
    take(desktop, "website-with-counter")


def _desk(running: Running, page: Page) -> None:
    sign_in(page, running)
    go(page, running, "release")
    page.get_by_label("What it is about").fill("Everything, for the first time")
    page.get_by_role("button", name="Make release 1").click()
    page.get_by_text("There is nothing to release").wait_for()
    go(page, running, "checkouts/kit")
    page.get_by_label("Heading", exact=True).fill("The Coptic stitch kit")
    expect_saved(page)
    take(page, "checkouts")
    _dearer_kit(page, running, "52.00")
    page.locator(".tax button").first.click()
    take(page, "products")
    for name, sheet in {
        "payments": "payments",
        "ways-to-pay": "ways-to-pay",
        "on-the-site": "on-the-site",
        "orders": "orders/test",
        "release": "release",
        "delivery": "delivery",
        "papers": "papers",
        "mails": "mails/order_paid",
        "tax": "tax-and-delivery",
    }.items():
        go(page, running, sheet)
        if name == "tax":
            germany = page.get_by_role("row", name=re.compile("^Germany"))
            germany.get_by_role("button").first.click()
            page.get_by_role("heading", name="What that means").evaluate("heading => heading.scrollIntoView()")
        if name == "mails":
            page.frame_locator("iframe").get_by_text("Thank you for your order.").wait_for()
        take(page, name)


def _subscribers(running: Running, phone: Page, desk: Page) -> None:
    """Members of the club, a few months on: one who pays, one whose card fails, one in a trial."""
    for name, card, checkout in [
        ("Piet Zandstra", "fails_later", "club"),
        ("Okoro Adaeze", "approved", "evening"),
        ("Maud Terlinden", "approved", "club"),
    ]:
        join(phone, running, f"{name.partition(' ')[0].lower()}@example.org", card, checkout, name)
        phone.evaluate("localStorage.clear()")
    sign_in(desk, running)
    go(desk, running, "subscriptions/test")
    for words in ("A week on", "A month on", "A month on"):
        move(desk, words)
    desk.reload()
    desk.get_by_role("row").nth(3).wait_for()
    take(desk, "subscriptions")
    go(desk, running, "outlook/test")
    desk.get_by_role("heading", name="Churn").wait_for()
    take(desk, "outlook")
    account(phone, running, "maud@example.org")
    plan = phone.get_by_role("article", name="Paper parcel")
    plan.get_by_role("button", name="Change the plan").click()
    plan.get_by_label(re.compile("^By the year")).check()
    plan.get_by_role("button", name="Show what it costs").click()
    plan.get_by_text("Due now").wait_for()
    take(phone, "account-phone")


def _dearer_kit(page: Page, running: Running, amount: str) -> None:
    """The kit's price is edited, so that the tape shows what it was."""
    go(page, running, "products/coptic-kit")
    page.locator('[data-row="due"]').first.wait_for()
    page.get_by_label("Amount in EUR", exact=True).fill(amount)
    page.locator('s[aria-label^="was"]').first.wait_for()
    expect_saved(page)


if __name__ == "__main__":
    main()
