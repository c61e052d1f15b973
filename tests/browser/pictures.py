"""Takes the pictures of `docs/screenshots/` from the demo: `./test --pictures`."""

from __future__ import annotations

import shutil

from playwright.sync_api import Page, sync_playwright

from skurrow.run.installation import ROOT
from tests.browser.conftest import (
    DESKTOP,
    PHONE,
    Noted,
    Running,
    checkout_url,
    fill,
    new_running,
    open_context,
    open_over_page,
    press_pay,
    sign_in,
)

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
    running = new_running("pictures")
    try:
        running.start_all()
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])

            def fresh(**options: object) -> Page:
                return open_context(browser, Noted(), **options).new_page()

            _buyers(running, fresh())
            _for_buyers(running, fresh(viewport=PHONE), fresh(viewport=DESKTOP))
            for scheme in ("light", "dark"):
                _desk(running, fresh(color_scheme=scheme), dark=scheme == "dark")
            browser.close()
    finally:
        running.stop_all()
        running.installation.remove()
        shutil.rmtree(running.installation.folder, ignore_errors=True)


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
    fill(phone, "jonna@example.org", "lost")
    press_pay(phone)
    phone.get_by_text("The card was refused").wait_for()
    phone.get_by_text("The card was refused").scroll_into_view_if_needed()
    take(phone, "counter-refused-phone")
    fill(phone, "jonna@example.org")
    press_pay(phone)
    phone.get_by_text("Thank you").wait_for()
    take(phone, "confirmation-phone")
    counter = open_over_page(desktop, running)
    counter.frame_locator("iframe").get_by_label("Card number").wait_for()
    take(desktop, "website-with-counter")
    desktop.goto(running.installation.cards_url)
    desktop.evaluate(
        "document.querySelectorAll('[data-key]').forEach(key => key.textContent = 'made at the first start')"
    )
    take(desktop, "standin-cards")


def _desk(running: Running, page: Page, dark: bool) -> None:
    if not dark:
        page.goto(running.installation.desk_url)
        page.get_by_role("button", name="Sign in").wait_for()
        take(page, "sign-in")
    sign_in(page, running)
    sheets = {
        "products": "products/coptic-kit",
        "payments": "payments",
        "checkouts": "checkouts/kit",
        "on-the-site": "on-the-site",
        "orders": "orders/test",
        "release": "release",
    }
    for name, sheet in sheets.items():
        if dark and name not in {"products", "orders"}:
            continue
        page.goto(f"{running.installation.desk_url}/s/ostrel/{sheet}")
        page.get_by_role("main").get_by_role("heading", level=1).wait_for()
        take(page, f"{name}-dark" if dark else name)


if __name__ == "__main__":
    main()
