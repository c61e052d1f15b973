"""axe-core finds nothing on any screen (WCAG 2.2 AA tags), in both colour schemes; no text is cut off."""

from __future__ import annotations

import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, Page, expect

from skurrow.run.installation import ROOT
from tests.browser.conftest import (
    PHONE,
    Noted,
    Running,
    checkout_url,
    expect_saved,
    fill,
    open_context,
    press_pay,
    sign_in,
)
from tests.browser.members import account, join, open_of

TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]


def found_by_axe(page: Page, scheme: str = "light") -> list[str]:
    page.evaluate("document.fonts.ready")
    narrow = cut_off(page) if scheme == "light" else []
    # Of the rules, only contrast depends on the colours.
    only = {"type": "tag", "values": TAGS} if scheme == "light" else {"type": "rule", "values": ["color-contrast"]}
    result = Axe().run(page, options={"runOnly": only, "iframes": False, "resultTypes": ["violations"]})
    found = [
        f"{v['id']}: {v['help']}: {[node['target'] for node in v['nodes']]}" for v in result.response["violations"]
    ]
    return [*found, *narrow]


CUT_OFF = """() => {
  const found = [];
  for (const element of document.body.querySelectorAll("*")) {
    const style = getComputedStyle(element), box = element.getBoundingClientRect();
    if (box.width < 2 || box.height < 2 || style.visibility === "hidden") continue;
    const field = element.matches("input:not([type=radio], [type=checkbox], [type=file], [type=search]), select");
    const text = field
      ? element.value || element.placeholder
      : [...element.childNodes].filter((node) => node.nodeType === 3).map((node) => node.data).join(" ").trim();
    if (!text) continue;
    // Whatever hides its overflow, the text's own box or one around it that has no room for it.
    const short = element.scrollWidth > element.clientWidth + 1 && (field || style.overflowX !== "visible");
    let around = element.parentElement, outside = false, scrolls = false;
    for (; around && !outside; around = around.parentElement) {
      const overflow = getComputedStyle(around).overflowX, edge = around.getBoundingClientRect();
      scrolls = overflow === "auto" || overflow === "scroll";
      if (scrolls) break;
      outside = overflow !== "visible" && edge.width > 2 && (box.right > edge.right + 1 || box.left < edge.left - 1);
    }
    const beyond = !scrolls && box.right > document.documentElement.clientWidth + 1;
    if (short || outside || beyond) found.push(`<${element.localName}> ${text.slice(0, 60)}`);
  }
  return found;
}"""


def cut_off(page: Page) -> list[str]:
    """Texts of which a part cannot be read, for their box, or one around it, is too narrow."""
    return [f"cut off: {text}" for text in page.evaluate(CUT_OFF)]


@pytest.fixture(scope="module")
def sold(running: Running, browser: Browser) -> str:
    """An order, so that the books have something to show; the address of its confirmation."""
    page = open_context(browser, Noted()).new_page()
    page.goto(checkout_url(running))
    fill(page, "axe@example.org")
    press_pay(page)
    page.wait_for_url("**/thanks/*")
    return page.url


DESK = [
    *("products", "products/new", "products/nothing", "payments", "tax-and-delivery", "checkouts", "on-the-site"),
    *("routes", "rehearsals", "orders/test", "orders/live", "release", "release/history", "people", "site", "nowhere"),
    *("stand-in-buyers", "stand-in-buyers/nobody", "checkouts/kit?preview=phone", "checkouts/kit?preview=desktop"),
    *("products/paper-parcel", "products/first-book", "products/evening-bench?price=bench-taste"),
    *("payments/transfer", "ways-to-pay", "payment-costs", "transfers/test", "orders/test?show=held"),
    *("delivery", "papers", "mails", "asked-back", "tax-report?book=test", "tax-report?book=live"),
    *("coupons", "coupons/new", "coupons/nothing", "currencies", "products-csv", "site-file"),
    *("subscriptions/test", "subscriptions/live", "subscriptions/test/nothing", "outlook/test", "outlook/live"),
    *("renewals", "move-over/test", "on-sale", "aside"),
    *("products/coptic-kit?beside=hamburg,london", "products/coptic-kit?buyer=real"),
]


def test_the_walk_goes_through_every_room() -> None:
    listed = set(re.findall(r'path: "([^"]+)"', (ROOT / "ui/src/desk/room/rooms.ts").read_text()))
    assert len(listed) > 25
    walked = {sheet.partition("?")[0] for sheet in DESK}
    assert listed - {room for room in listed if any(f"{at}/".startswith(f"{room}/") for at in walked)} == {
        "release/back"
    }


OUTSIDE = ["account", "new-site", "kit", "invited/nothing", "reset", "reset#nothing"]


@pytest.mark.apart
@pytest.mark.parametrize("part", range(4))
def test_every_sheet_of_the_desk(running: Running, browser: Browser, noted: Noted, sold: str, part: int) -> None:
    page = open_context(browser, noted, color_scheme="light").new_page()
    sign_in(page, running)
    problems = {}
    for sheet in DESK[part::4]:
        page.goto(f"{running.installation.desk_url}/s/ostrel/{sheet}")
        expect(page.get_by_role("main")).to_be_visible()
        expect(page.get_by_role("main").get_by_role("heading", level=1)).to_be_visible()
        problems[sheet] = in_both_schemes(page)
    assert {sheet: told for sheet, told in problems.items() if told} == {}


@pytest.mark.apart
def test_the_desk_outside_of_a_site(running: Running, browser: Browser, noted: Noted) -> None:
    page = open_context(browser, noted, color_scheme="light").new_page()
    page.goto(running.installation.desk_url)
    expect(page.get_by_role("heading", name="Sign in to the desk")).to_be_visible()
    problems = {"sign-in": in_both_schemes(page)}
    sign_in(page, running)
    for place in OUTSIDE:
        page.goto(f"{running.installation.desk_url}/{place}")
        expect(page.get_by_role("heading", level=1).first).to_be_visible()
        problems[place] = in_both_schemes(page)
    assert {place: told for place, told in problems.items() if told} == {}


def in_both_schemes(page: Page) -> list[str]:
    """What axe finds in light, and after it in dark."""
    found = found_by_axe(page)
    page.emulate_media(color_scheme="dark")
    found += [f"dark: {told}" for told in found_by_axe(page, "dark")]
    page.emulate_media(color_scheme="light")
    return found


@pytest.mark.apart
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_what_is_open_at_the_desk(running: Running, browser: Browser, noted: Noted, scheme: str) -> None:
    page = sign_in(open_context(browser, noted, color_scheme=scheme).new_page(), running)
    problems = opened(page, running, scheme)
    assert {what: told for what, told in problems.items() if told} == {}


def opened(page: Page, running: Running, scheme: str) -> dict[str, list[str]]:
    """What axe finds in lists, menus, reasons and questions that are open."""
    found = {}
    page.goto(f"{running.installation.desk_url}/s/ostrel/products/coptic-kit")
    page.get_by_role("button", name="VAT 21 % NL").click()
    found["reason"] = found_by_axe(page, scheme)
    page.get_by_role("combobox", name="Jump to anything").click()
    expect(page.get_by_role("listbox")).to_be_visible()
    # The list hides the rest of the page from assistive technology for as long as it is open; Tab leaves and closes it.
    hidden = ("aria-hidden-focus", "landmark-one-main", "page-has-heading-one", "region")
    found["jump"] = [told for told in found_by_axe(page, scheme) if not told.startswith(hidden)]
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="this site and others").click()
    expect(page.get_by_role("menu")).to_be_visible()
    found["menu"] = found_by_axe(page, scheme)
    page.keyboard.press("Escape")
    page.get_by_role("main").focus()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Shortcuts")).to_be_visible()
    found["shortcuts"] = found_by_axe(page, scheme)
    page.keyboard.press("Escape")
    page.get_by_label("Amount in EUR", exact=True).fill("4x")
    expect(page.get_by_text("Not saved: something has to be corrected")).to_be_visible()
    found["not saved"] = found_by_axe(page, scheme)
    page.get_by_label("Amount in EUR", exact=True).fill("48.00")
    expect_saved(page)
    return found


@pytest.mark.apart
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_a_subscription_at_the_desk_and_at_its_customers(
    running: Running, browser: Browser, noted: Noted, scheme: str
) -> None:
    email = f"axe-{scheme}@mail.example.org"
    phone = open_context(browser, noted, viewport=PHONE, color_scheme=scheme).new_page()
    join(phone, running, email)
    account(phone, running, email)
    problems = {"account": found_by_axe(phone, scheme)}
    plan = phone.get_by_role("article", name="Paper parcel")
    for opens in ("Change the plan", "Cancel", "Use another card"):
        plan.get_by_role("button", name=opens, exact=True).click()
        problems[opens] = found_by_axe(phone, scheme)
        phone.reload()
    desk = sign_in(open_context(browser, noted, color_scheme=scheme).new_page(), running)
    open_of(desk, running, email)
    expect(desk.get_by_role("region", name="Its line in time")).to_be_visible()
    problems["line in time"] = found_by_axe(desk, scheme)
    desk.get_by_role("button", name="Change it").click()
    problems["changing it"] = found_by_axe(desk, scheme)
    desk.goto(f"{running.installation.counter_url}/account/ostrel?test=1")
    expect(desk.get_by_label("Email")).to_be_visible()
    problems["sign-in"] = found_by_axe(desk, scheme)
    assert {place: told for place, told in problems.items() if told} == {}


@pytest.mark.apart
def test_the_counter_and_its_pages(running: Running, browser: Browser, noted: Noted, sold: str) -> None:
    page = open_context(browser, noted, viewport=PHONE).new_page()
    problems = {}
    counter = running.installation.counter_url
    for name, url in {"checkout": checkout_url(running), "unknown": f"{counter}/buy/x", "confirmation": sold}.items():
        page.goto(url)
        expect(page.get_by_role("heading", level=1)).to_be_visible()
        problems[name] = found_by_axe(page)
    page.goto(checkout_url(running))
    fill(page, "axe3@example.org")
    page.get_by_role("radio", name="Direct debit").check()
    problems["ways to pay"] = found_by_axe(page)
    page.get_by_role("radio", name="Bank transfer").check()
    press_pay(page)
    expect(page.get_by_text("Your order stands")).to_be_visible()
    problems["waiting"] = found_by_axe(page)
    page.get_by_role("button", name="Pay in another way").click()
    page.get_by_role("radio", name="Stand-in Wallet").check()
    expect(page.get_by_role("button", name="EUR 48.00")).to_have_attribute("aria-disabled", "false")
    press_pay(page)
    page.get_by_role("button", name="Cancel").wait_for()
    page.goto(checkout_url(running))
    expect(page.get_by_role("heading", name="Pay with Stand-in Wallet")).to_be_visible()
    problems["leaving"] = found_by_axe(page)
    page.get_by_role("button", name="Pay in another way").click()
    expect(page.get_by_label("Email")).to_be_visible()
    for name in ("club", "evening", "press"):
        page.goto(checkout_url(running, name))
        expect(
            page.get_by_role("list", name="Later charges").or_(page.get_by_text("Nothing is charged later"))
        ).to_be_visible()
        problems[name] = found_by_axe(page)
    page.goto(checkout_url(running))
    page.get_by_role("button", name="Use a coupon").click()
    page.get_by_label("Coupon", exact=True).fill("nothing")
    page.get_by_role("button", name="Use coupon").click()
    expect(page.get_by_text("There is no coupon “nothing”")).to_be_visible()
    problems["coupon"] = found_by_axe(page)
    page.goto(checkout_url(running, "patterns"))
    press_pay(page)
    expect(page.get_by_text("Type your name.")).to_be_visible()
    problems["missing fields"] = found_by_axe(page)
    fill(page, "axe2@example.org", "lost")
    press_pay(page)
    expect(page.get_by_text("The card was refused")).to_be_visible()
    problems["refused"] = found_by_axe(page)
    assert {name: told for name, told in problems.items() if told} == {}


@pytest.mark.apart
def test_the_stand_ins_and_the_page_under_the_checkout(running: Running, browser: Browser, noted: Noted) -> None:
    page = open_context(browser, noted).new_page()
    cards, website = running.installation.cards_url, running.installation.website_url
    problems = {}
    fields = f"{cards}/fields?merchant=ostrel&mode=test&parent={running.installation.counter_url}"
    debit = fields.replace(cards, running.installation.debit_url)
    mailbox = f"http://mailbox.localhost:{running.installation.ports.mailbox}"
    urls = [
        cards,
        fields,
        debit,
        running.installation.wallet_url,
        running.installation.debit_url,
        f"{cards}/records/unknown",
        mailbox,
        *(f"{website}/{name}" for name in ("", "kits", "paper", "classes", "about", "thank-you")),
    ]
    for url in urls:
        page.goto(url)
        problems[url] = found_by_axe(page)
    page.goto(f"{website}/kits")
    page.get_by_role("link", name="Buy the kit").click()
    expect(page.locator("dialog iframe")).to_be_visible()
    problems["over the page"] = found_by_axe(page)
    # The card fields alone have no heading of their own: they are part of the checkout that frames them.
    for one in (fields, debit):
        problems[one] = [told for told in problems[one] if not told.startswith("page-has-heading-one")]
    assert {url: told for url, told in problems.items() if told} == {}
