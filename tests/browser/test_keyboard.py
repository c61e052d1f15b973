"""Keyboard alone: from signing in to a released product with a copied snippet. No pointer is used anywhere here."""

from __future__ import annotations

import json

from playwright.sync_api import Browser, Page, expect

from skurrow.run.demo import EMAIL
from tests.browser.conftest import Noted, Running, open_context

FOCUSED = """() => {
  const at = document.activeElement;
  const box = at?.getBoundingClientRect();
  const seen = box && box.width > 0 && box.height > 0 && box.bottom > 0 && box.top < innerHeight;
  const label = at?.getAttribute('aria-label') || (at?.labels?.[0]?.innerText) || at?.innerText || '';
  return {label: label.trim().split('\\n')[0], region: at?.closest('section')?.getAttribute('aria-label') ?? '', seen};
}"""


def choose(page: Page, name: str) -> None:
    """Goes down the open list to an entry by the arrow key, and takes it."""
    option = page.get_by_role("option", name=name)
    expect(option).to_be_visible()
    for _ in range(page.get_by_role("option").count()):
        page.keyboard.press("ArrowDown")
        if option.get_attribute("data-focused"):
            break
    expect(option).to_have_attribute("data-focused", "true")
    page.keyboard.press("Enter")


def tab_to(page: Page, label: str, region: str = "", most: int = 120) -> None:
    """Presses Tab until something of this name has the focus; it has to be where one can see it."""
    passed = []
    for _ in range(most):
        page.keyboard.press("Tab")
        at = page.evaluate(FOCUSED)
        passed.append(at["label"])
        if at["label"] == label and region in at["region"]:
            assert at["seen"], f"{label} has the focus and is out of sight"
            return
    raise AssertionError(f"Tab never came to “{label}”: {json.dumps(passed, ensure_ascii=False)}")


def test_from_signing_in_to_a_released_product_with_a_copied_snippet(
    workshop: Running, browser: Browser, noted: Noted
) -> None:
    context = open_context(browser, noted, permissions=["clipboard-read", "clipboard-write"])
    page = context.new_page()
    keys = page.keyboard
    page.goto(workshop.installation.desk_url)
    expect(page.get_by_label("Email")).to_be_focused()
    keys.type(EMAIL)
    tab_to(page, "Password")
    keys.type(workshop.installation.secrets.demo_password)
    keys.press("Enter")
    expect(page.get_by_role("navigation", name="Work order")).to_be_visible()

    # A product.
    keys.press("Alt+1")
    expect(page.get_by_role("heading", level=1)).to_be_visible()
    tab_to(page, "Add a product")
    keys.press("Enter")
    expect(page.get_by_label("Name for buyers")).to_be_focused()
    keys.type("Bone folder")
    tab_to(page, "Charge once, in EUR")
    keys.type("14.50")
    keys.press("Enter")
    expect(page.get_by_role("heading", name="Bone folder", level=1)).to_be_visible()

    # A checkout that sells it.
    keys.press("Alt+4")
    expect(page.get_by_role("main", name="Checkouts")).to_be_focused()
    tab_to(page, "Add a checkout")
    keys.press("Enter")
    expect(page.get_by_role("combobox", name="What the new checkout sells")).to_be_focused()
    keys.type("bone")
    choose(page, "Bone folder")
    expect(page.get_by_role("heading", name="Bone folder", level=1)).to_be_visible()
    expect(page.get_by_role("region", name="Tape for Consumer, Utrecht")).to_contain_text("EUR 19.45")

    # Its snippet.
    keys.press("Alt+5")
    expect(page.get_by_role("main", name="On the site")).to_be_focused()
    expect(page.get_by_role("region", name="Bone folder")).to_contain_text("Buy Bone folder")
    tab_to(page, "Copy snippet", region="Bone folder")
    keys.press("Enter")
    expect(page.get_by_role("button", name="Copied")).to_be_visible()
    assert "Buy Bone folder</a>" in page.evaluate("navigator.clipboard.readText()")

    # The release, found by the jump box and made by its shortcut.
    keys.press("Alt+j")
    keys.type("review")
    choose(page, "Review and release")
    expect(page.get_by_role("region", name="parts change")).to_contain_text("Bone folder")
    tab_to(page, "What it is about")
    keys.type("The bone folder")
    keys.press("Control+Enter")
    expect(page.get_by_text("There is nothing to release")).to_be_visible()
    ((change, note),) = workshop.rows("select change, note from releases order by number desc limit 1")
    assert note == "The bone folder"
    ((at,),) = workshop.rows("select change from part_revisions where kind = 'product' and part_id = 'bone-folder'")
    assert at <= change
    context.close()
    assert noted.problems == []


def test_shortcuts_are_listed_and_do_what_the_list_says(desk: Page) -> None:
    desk.get_by_role("main").focus()
    desk.keyboard.press("?")
    shown = desk.get_by_role("dialog", name="Shortcuts")
    for keys in ("Alt 1", "Alt J", "Alt B", "Ctrl Z", "Ctrl Enter"):
        expect(shown.get_by_text(keys, exact=True)).to_be_visible()
    desk.keyboard.press("Escape")
    expect(shown).to_have_count(0)
    desk.keyboard.press("Alt+8")
    expect(desk.get_by_role("main", name="Orders")).to_be_focused()
    desk.keyboard.press("Alt+b")  # what was sold has its buyer: nothing is turned
    expect(desk.get_by_role("complementary", name="Tape")).not_to_contain_text("Next buyer")
    desk.keyboard.press("Alt+1")
    expect(desk.get_by_role("region", name="Tape for Consumer, Utrecht")).to_be_visible()
    desk.keyboard.press("Alt+b")
    expect(desk.get_by_role("region", name="Tape for Consumer, Hamburg, on a phone")).to_be_visible()
    assert "buyer=hamburg" in desk.url
    desk.keyboard.press("Alt+t")
    expect(desk.get_by_label("Made out to")).to_be_focused()
    desk.keyboard.press("Alt+4")
    expect(desk.get_by_role("main", name="Checkouts")).to_be_focused()
    expect(desk.get_by_role("button", name="Preview and try it")).to_be_visible()
    desk.keyboard.press("Alt+p")
    expect(desk.locator('iframe[title^="Preview"]')).to_be_visible()
    assert "buyer=hamburg" in desk.url, "the tape goes along"
    assert "preview=phone" in desk.url, "this buyer looks at a phone"
