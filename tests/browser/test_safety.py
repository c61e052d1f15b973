"""What keeps sales and accounts safe, as its users meet it: stopping, setting aside, passwords, planted links."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect
from ruamel.yaml import YAML

from skurrow.run.demo import EMAIL
from skurrow.run.installation import ROOT
from tests.browser.conftest import (
    PHONE,
    Noted,
    Running,
    checkout_url,
    fill,
    find,
    go,
    new_running,
    open_context,
    press_pay,
    run_and_remove,
    sign_in,
)
from tests.browser.members import join, mail
from tests.browser.test_accessibility import DESK

Buyers = Callable[[], Page]


@pytest.fixture
def buyers(browser: Browser) -> Iterator[Buyers]:
    """Buyers on a phone who have never been here."""
    made: list[BrowserContext] = []
    noted = Noted()

    def one() -> Page:
        made.append(open_context(browser, noted, viewport=PHONE))
        return made[-1].new_page()

    yield one
    for context in made:
        context.close()
    assert noted.problems == []


def thanked(page: Page) -> None:
    expect(page.get_by_role("heading", name=re.compile("^Thank you"))).to_be_visible()


def test_a_product_is_stopped_under_a_buyers_hands_and_sold_again(
    desk: Page, workshop: Running, buyers: Buyers
) -> None:
    under_way = buyers()
    under_way.goto(checkout_url(workshop))
    fill(under_way, "under-way@example.org")
    go(desk, workshop, "on-sale")
    desk.get_by_label("What buyers read of it").fill("The awls are sharper than they should be.")
    desk.get_by_role("button", name="Stop a product or a checkout").click()
    find(desk, "Which one is stopped at once", "coptic", "Coptic stitch kit")
    expect(desk.get_by_role("row", name=re.compile("^Coptic stitch kit product, stopped"))).to_be_visible()
    expect(desk.get_by_role("banner")).to_contain_text("1 part is stopped")

    press_pay(under_way)
    expect(under_way.get_by_text("The awls are sharper than they should be.")).to_be_visible()
    expect(under_way.get_by_label("Email")).to_have_value("under-way@example.org")
    comes = buyers()
    comes.goto(checkout_url(workshop))
    expect(comes.get_by_role("heading", name="Not on sale at the moment")).to_be_visible()
    assert (
        workshop.rows(
            "select 1 from charges c join orders o on o.id = c.order_id where o.buyer->>'email' = %s",
            "under-way@example.org",
        )
        == []
    )

    desk.get_by_role("button", name="Sell it again").click()
    expect(desk.get_by_text("Nothing is stopped by itself.")).to_be_visible()
    press_pay(under_way)
    thanked(under_way)
    workshop.charged_once("under-way@example.org")


def test_the_whole_site_is_stopped_and_opened_with_words_for_buyers(
    desk: Page, workshop: Running, buyers: Buyers
) -> None:
    desk.get_by_role("button", name="this site and others").click()
    desk.get_by_role("menuitem", name="On sale").click()
    desk.get_by_label("What buyers read instead of the checkout").fill("We are moving house until Friday.")
    desk.get_by_role("button", name="Stop all sales now").click()
    expect(desk.get_by_text("Stopped. Nobody can order anything.")).to_be_visible()
    expect(desk.get_by_role("banner")).to_contain_text("All sales are stopped")
    comes = buyers()
    comes.goto(checkout_url(workshop))
    expect(comes.get_by_text("We are moving house until Friday.")).to_be_visible()
    desk.get_by_label("What buyers read instead of the checkout").fill("Back on Saturday.")
    desk.get_by_role("button", name="Say this instead").click()
    expect(desk.get_by_text("Buyers read: “Back on Saturday.”")).to_be_visible()
    comes.reload()
    expect(comes.get_by_text("Back on Saturday.")).to_be_visible()
    desk.get_by_role("button", name="Take orders again").click()
    desk.get_by_role("button", name="Take orders", exact=True).click()
    expect(desk.get_by_text("Orders are taken.")).to_be_visible()
    expect(desk.get_by_role("banner")).not_to_contain_text("stopped")
    comes.reload()
    expect(comes.get_by_label("Email")).to_be_visible()


def test_what_was_set_aside_is_seen_anywhere_and_tried_again(desk: Page, workshop: Running, buyers: Buyers) -> None:
    join(buyers(), workshop, "aside@example.org")
    mail(workshop, "aside@example.org", "")
    workshop.rows(
        "update mails set sent_at = null, set_aside_at = now(), tries = 5, trouble = 'SMTPRecipientsRefused'"
        " where to_address = 'aside@example.org' returning id"
    )
    go(desk, workshop, "products")
    desk.get_by_role("banner").get_by_role("link", name=re.compile("set aside$")).click()
    row = desk.get_by_role("row", name=re.compile("SMTPRecipientsRefused")).first
    expect(row).to_be_visible()
    while desk.get_by_role("button", name="Try again").count():
        before = desk.get_by_role("button", name="Try again").count()
        desk.get_by_role("button", name="Try again").first.click()
        expect(desk.get_by_role("button", name="Try again")).to_have_count(before - 1)
    expect(desk.get_by_role("heading", name="Nothing is set aside")).to_be_visible()
    expect(desk.get_by_role("banner").get_by_role("link", name=re.compile("set aside$"))).to_have_count(0)


def test_a_password_nobody_remembers_is_set_anew_by_mail(browser: Browser, noted: Noted, workshop: Running) -> None:
    desk = workshop.installation.desk_url
    page = open_context(browser, noted).new_page()
    page.goto(desk)
    page.get_by_role("link", name="I do not know my password").click()
    expect(page.get_by_role("button", name="Send me a link")).to_be_visible()  # the page before it has the field, too
    page.get_by_label("Email").fill(EMAIL)
    page.get_by_role("button", name="Send me a link").click()
    expect(page.get_by_role("heading", name="Look into your mailbox")).to_be_visible()
    found = re.search(rf"{desk}/reset#\S+", mail(workshop, EMAIL, "Set your password anew"))
    assert found is not None
    page.goto("about:blank")
    page.goto(found[0])
    page.get_by_label("New password").fill("short")
    page.get_by_role("button", name="Set it").click()
    expect(page.get_by_text("A password has at least 10 characters")).to_be_visible()
    assert page.url == f"{desk}/reset", "the token stays in no history"
    page.get_by_label("New password").fill("three quiet otters")
    page.get_by_role("button", name="Set it").click()
    page.get_by_role("link", name="Sign in with it").click()
    page.get_by_label("Email").fill(EMAIL)
    page.get_by_label("Password").fill("three quiet otters")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("navigation", name="Work order")).to_be_visible()
    stranger = open_context(browser, noted).new_page()
    stranger.goto(found[0])
    stranger.get_by_label("New password").fill("four loud otters here")
    stranger.get_by_role("button", name="Set it").click()
    expect(stranger.get_by_role("link", name="Ask for another link")).to_be_visible()

    page.goto(f"{desk}/account")
    page.get_by_label("Present password").fill("not it at all")
    page.get_by_label("New password").fill(workshop.installation.secrets.demo_password)
    page.get_by_role("button", name="Change it").click()
    expect(page.get_by_label("Present password")).to_have_attribute("aria-invalid", "true")
    page.get_by_label("Present password").fill("three quiet otters")
    page.get_by_role("button", name="Change it").click()
    expect(page.get_by_text("Your password is changed")).to_be_visible()
    sign_in(open_context(browser, noted).new_page(), workshop)
    assert noted.problems == []


def test_a_link_of_anothers_order_plants_nothing(buyers: Buyers, running: Running) -> None:
    attacker = buyers()
    attacker.goto(checkout_url(running))
    fill(attacker, "attacker@example.org", name="Mallory Kok")
    attacker.get_by_role("radio", name="Bank transfer").check()
    press_pay(attacker)
    expect(attacker.get_by_role("heading", name=re.compile("^Your order stands"))).to_be_visible()
    theirs = attacker.evaluate("Object.entries(localStorage).filter(([key]) => key.startsWith('visit '))")
    assert len(theirs) == 1
    with attacker.expect_request(re.compile(r"\?back=")) as went:
        attacker.get_by_role("button", name="Pay in another way").click()
    victim = buyers()
    victim.goto(went.value.url)
    expect(victim.get_by_label("Email")).to_be_visible()
    expect(victim.get_by_label("Email")).to_have_value("")
    kept = victim.evaluate("Object.entries(localStorage).filter(([key]) => key.startsWith('visit '))")
    assert len(kept) == 1
    assert kept != theirs
    fill(victim, "victim@example.org")
    press_pay(victim)
    thanked(victim)
    ((state,),) = running.rows("select state from orders where buyer->>'email' = 'attacker@example.org'")
    assert state != "paid"
    running.charged_once("victim@example.org")


def test_a_link_to_another_host_opens_as_a_plain_link(buyers: Buyers, running: Running) -> None:
    page = buyers()
    page.goto(f"{running.installation.website_url}/kits")
    page.evaluate(
        """url => {
            const link = document.createElement('a');
            Object.assign(link, {href: url, textContent: 'Cheaper here'});
            link.dataset.skurrowPlace = 'over_page';
            document.querySelector('main, body').prepend(link);
        }""",
        running.installation.cards_url,
    )
    page.get_by_role("link", name="Cheaper here").click()
    page.wait_for_url(f"{running.installation.cards_url}**")
    expect(page.locator("dialog")).to_have_count(0)


PAYLOAD = "<img src=x onerror=a>"
FREE = {"name", "owner_name", "text", "heading", "street", "city", "button", "label"}


def laden(value: Any, key: str = "", above: str = "") -> Any:
    """A site file with markup in every text that is for people."""
    if isinstance(value, dict):
        return {name: laden(one, name, key) for name, one in value.items()}
    if isinstance(value, list):
        return [laden(one, key, above) for one in value]
    is_file = key == "name" and above == "picture"
    return f"{PAYLOAD} {value}" if key in FREE and isinstance(value, str) and not is_file else value


@pytest.mark.apart
def test_markup_in_every_text_is_text_on_every_page(browser: Browser) -> None:
    noted, said = Noted(), list[str]()
    with run_and_remove(new_running("markup")) as shop:
        context = open_context(browser, noted)
        context.on("console", lambda one: said.append(one.text))
        page = sign_in(context.new_page(), shop)
        address = f"{shop.installation.desk_url}/desk/api/sites/ostrel/site-file"
        text = json.dumps(laden(YAML(typ="safe").load(ROOT / "demo" / "site.yaml")), default=str)
        origin = {"origin": shop.installation.desk_url}
        shown = page.request.post(address, data={"text": text}, headers=origin)
        assert shown.ok, shown.text()
        change = shown.json()["change"]
        assert page.request.post(address, data={"text": text, "seen": change}, headers=origin).ok

        looked = 0

        def look(url: str) -> None:
            nonlocal looked
            if url != page.url:
                page.goto(url)
            expect(page.get_by_role("heading", level=1).first).to_be_visible()
            page.wait_for_load_state("networkidle")
            for frame in page.frames:
                assert frame.locator('img[src="x"]').count() == 0, url
            looked += PAYLOAD in page.locator("body").inner_text()

        buyer = f"{PAYLOAD} Kok"
        page.goto(checkout_url(shop))
        expect(page.locator("dl")).to_be_visible()
        look(page.url)
        join(page, shop, "markup@example.org", name=buyer)
        look(page.url)
        for sheet in DESK:
            look(f"{shop.installation.desk_url}/s/ostrel/{sheet}")
        page.get_by_role("main").press("?")
        ((code,),) = shop.rows("select code from orders where buyer->>'email' = 'markup@example.org'")
        look(f"{shop.installation.desk_url}/s/ostrel/orders/test/{code}")
        look(f"{shop.installation.counter_url}/account/ostrel?test=1")
        mail(shop, "markup@example.org", "")
        page.goto(f"http://mailbox.localhost:{shop.installation.ports.mailbox}")
        assert page.locator('img[src="x"]').count() == 0
        page.goto(f"{shop.installation.website_url}/kits")
        assert page.locator('img[src="x"]').count() == 0
        context.close()
    assert noted.problems == []
    assert [one for one in said if "Content Security Policy" in one or "a is not defined" in one] == []
    assert looked > 15, "the texts were shown"
