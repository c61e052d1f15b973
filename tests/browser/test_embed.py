"""The embed script: focus stays inside, Escape closes, the page behind stays put, strangers are not heard."""

from __future__ import annotations

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import PHONE, Noted, Running, open_context, open_over_page, type_card


@pytest.fixture
def page(browser: Browser, noted: Noted) -> Page:
    return open_context(browser, noted).new_page()


def dialogs(page: Page) -> int:
    return page.locator('dialog[data-skurrow="over_page"]').count()


def test_escape_closes_from_the_page_the_counter_and_the_card_fields(page: Page, running: Running) -> None:
    for place in ("close button", "counter", "card"):
        counter = open_over_page(page, running)
        if place == "close button":
            page.get_by_role("button", name="Close the checkout").focus()
        elif place == "counter":
            counter.get_by_label("Email").focus()
        else:
            counter.frame_locator('iframe[title="Card details"]').get_by_label("Card number").focus()
        page.keyboard.press("Escape")
        expect(page.locator("dialog")).to_have_count(0)
        expect(page.get_by_role("link", name="Buy the kit")).to_be_focused()


def test_focus_stays_inside_and_the_page_behind_does_not_scroll(page: Page, running: Running) -> None:
    counter = open_over_page(page, running)
    counter.get_by_label("Email").focus()
    for _ in range(30):
        page.keyboard.press("Tab")
        where = page.evaluate("document.activeElement?.closest('dialog') ? 'inside' : document.activeElement?.tagName")
        assert where in {"inside", "BODY"}, "only the checkout and the browser itself"
    page.evaluate("document.body.style.minHeight = '4000px'")
    page.mouse.move(40, 400)
    page.mouse.wheel(0, 1500)
    page.wait_for_timeout(300)
    assert page.evaluate("window.scrollY") == 0
    page.get_by_role("button", name="Close the checkout").click()
    page.mouse.wheel(0, 1500)
    page.wait_for_timeout(300)
    assert page.evaluate("window.scrollY") > 0


def test_what_was_typed_is_there_again_after_closing(page: Page, running: Running) -> None:
    counter = open_over_page(page, running)
    counter.get_by_label("Email").fill("kept@example.org")
    page.keyboard.press("Escape")
    page.get_by_role("link", name="Buy the kit").click()
    expect(counter.get_by_label("Email")).to_have_value("kept@example.org")


def test_messages_of_strangers_are_not_heard(page: Page, running: Running) -> None:
    open_over_page(page, running)
    page.evaluate("window.postMessage({skurrow: 'close'}, '*')")
    page.evaluate(
        """() => {
            const stranger = document.createElement('iframe');
            stranger.srcdoc = '<script>parent.postMessage({skurrow: "close"}, "*")</script>';
            document.querySelector('dialog').append(stranger);
        }"""
    )
    page.wait_for_timeout(500)
    assert dialogs(page) == 1


def test_a_page_that_is_not_the_site_cannot_frame_the_counter(page: Page, running: Running) -> None:
    page.goto(running.installation.cards_url)
    url = f"{running.installation.counter_url}/buy/ostrel-kit"
    page.evaluate("url => { const f = document.createElement('iframe'); f.src = url; document.body.append(f); }", url)
    page.wait_for_timeout(800)
    expect(page.frame_locator("iframe").get_by_label("Email")).to_have_count(0)


def test_without_javascript_the_link_leads_to_the_checkout(browser: Browser, running: Running, noted: Noted) -> None:
    page = open_context(browser, noted, java_script_enabled=False, viewport=PHONE).new_page()
    page.goto(f"{running.installation.website_url}/kits")
    page.get_by_role("link", name="Buy the kit").click()
    page.wait_for_url(f"{running.installation.counter_url}/buy/ostrel-kit")
    assert "Your Coptic stitch kit" in page.title()


def test_with_a_modifier_the_link_stays_a_link(page: Page, running: Running) -> None:
    page.goto(f"{running.installation.website_url}/kits")
    left_alone = page.get_by_role("link", name="Buy the kit").evaluate(
        """link => {
            const click = new MouseEvent("click", { bubbles: true, cancelable: true, ctrlKey: true });
            const stop = event => { link.dataset.prevented = event.defaultPrevented; event.preventDefault(); };
            window.addEventListener("click", stop, { once: true });
            link.dispatchEvent(click);
            return link.dataset.prevented;
        }"""
    )
    assert left_alone == "false"
    assert dialogs(page) == 0


def test_enter_in_the_card_fields_pays(page: Page, running: Running) -> None:
    counter = open_over_page(page, running)
    counter.get_by_label("Collect it in Deventer").check()
    counter.get_by_label("Email").fill("enter@example.org")
    counter.get_by_label("Name", exact=True).fill("Enter")
    type_card(counter, "9100246810121409")
    page.keyboard.press("Enter")
    expect(counter.get_by_role("heading", name="Thank you, Enter")).to_be_visible()
