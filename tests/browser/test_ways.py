"""Every way to pay, every test card and every fault, through the real counter; and what the desk makes of them."""

from __future__ import annotations

import contextlib
import json
import re
import time
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, BrowserContext, Error, FrameLocator, Page, Playwright, expect

from skurrow.standin.cards import CARDS, Card
from skurrow.standin.debit import ACCOUNTS
from tests.browser.conftest import (
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
    type_card,
)
from tests.service.statements import camt


@pytest.fixture(scope="module")
def running() -> Iterator[Running]:
    with run_and_remove(new_running("ways")) as made:
        yield made


@pytest.fixture
def developer(browser: Browser, running: Running, noted: Noted) -> Iterator[Page]:
    context = open_context(browser, noted)
    yield sign_in(context.new_page(), running)
    context.close()
    assert noted.problems == []


@pytest.fixture
def buyers(browser: Browser) -> Iterator[Callable[[], Page]]:
    """Buyers on a phone who have never been here, as many as are wanted."""
    made: list[BrowserContext] = []
    noted = Noted()

    def one() -> Page:
        made.append(open_context(browser, noted, viewport=PHONE))
        return made[-1].new_page()

    yield one
    for context in made:
        context.close()
    assert noted.problems == []


Buyers = Callable[[], Page]


def at_checkout(buyers: Buyers, running: Running, way: str | None = None) -> tuple[Page, str]:
    """A buyer who has filled in the checkout, with the way to pay chosen."""
    page, email = buyers(), f"{uuid.uuid4().hex[:8]}@example.org"
    page.goto(checkout_url(running))
    fill(page, email)
    if way is not None:
        page.get_by_role("radio", name=way).check()
    return page, email


def thanked(page: Page) -> None:
    expect(page.get_by_role("heading", name=re.compile("^Thank you"))).to_be_visible(timeout=25_000)


def stands(page: Page) -> None:
    expect(page.get_by_role("heading", name=re.compile("^Your order stands"))).to_be_visible()


def api(running: Running, name: str) -> httpx.Client:
    """A stand-in gateway as its merchant."""
    key = running.installation.test_gateways()[f"standin-{name}"]
    url = f"http://127.0.0.1:{getattr(running.installation.ports, name)}"
    return httpx.Client(base_url=url, auth=(key.merchant, key.key))


# -- every test card, every fault -------------------------------------------------------------------------

REFUSED = {"no_funds": "not enough money", "lost": "does not take this card", "expired": "has expired"}


@pytest.mark.parametrize("card", CARDS, ids=lambda card: str(card.behaviour))
def test_every_test_card_does_what_its_story_says(buyers: Buyers, running: Running, card: Card) -> None:
    page, email = at_checkout(buyers, running)
    type_card(page, card.number)
    press_pay(page)
    if card.behaviour in REFUSED:
        expect(page.get_by_text("The card was refused. Nothing was charged.")).to_be_visible()
        expect(page.get_by_text(REFUSED[card.behaviour])).to_be_visible()
        assert running.rows("select state from orders where buyer->>'email' = %s", email) == [("open",)]
        return
    if card.behaviour == "approval":
        page.frame_locator('iframe[title="Approval by your bank"]').get_by_role("button", name="Approve").click()
    thanked(page)
    running.charged_once(email)
    if card.behaviour == "disputed":
        for _ in range(50):
            if running.rows(
                "select 1 from disputes d join orders o on o.id = d.order_id where o.buyer->>'email' = %s", email
            ):
                return
            time.sleep(0.2)
        raise AssertionError("the dispute was never told")


@pytest.mark.parametrize("fault", ["error", "lost", "cut", "slow", "twice", "late", "forgotten"])
def test_every_fault_ends_in_one_charge(buyers: Buyers, running: Running, fault: str) -> None:
    """A fault that keeps everything from being answered ends after some seconds; the buyer only waits."""
    page, email = at_checkout(buyers, running)
    with api(running, "cards") as cards:
        cards.put("/faults", json={fault: 1, "seconds": 2, "seed": 5}).raise_for_status()
        try:
            press_pay(page)
            if fault in ("error", "lost", "cut"):
                expect(page.get_by_text("has not answered yet")).to_be_visible()
            else:
                thanked(page)
        finally:
            cards.put("/faults", json={}).raise_for_status()
    thanked(page)
    running.charged_once(email)


def test_the_stand_in_misbehaves_as_its_own_page_is_told(buyers: Buyers, running: Running) -> None:
    page = buyers()
    page.goto(running.installation.cards_url)
    form = page.get_by_role("form", name="Faults, test")
    form.get_by_label("error").fill("1")
    form.get_by_role("button").click()
    expect(page.get_by_role("form", name="Faults, test").get_by_label("error")).to_have_value("1.0")
    with api(running, "cards") as cards:
        assert cards.get(f"/charges/{uuid.uuid4()}").status_code == 503
    page.get_by_role("form", name="Faults, test").get_by_label("error").fill("0")
    page.get_by_role("form", name="Faults, test").get_by_role("button").click()
    with api(running, "cards") as cards:
        assert cards.get(f"/charges/{uuid.uuid4()}").status_code == 404


# -- the browser's own payment window -------------------------------------------------------------------------


def in_window(page: Page, browser: Browser, button: str) -> None:
    """Presses a button in the window that the browser has opened for a payment of `page`; it is no page of a tab."""
    session = browser.new_browser_cdp_session()

    def targets(ending: str) -> list[str]:
        found = session.send("Target.getTargets")["targetInfos"]
        return [one["targetId"] for one in found if one["url"].endswith(ending)]

    attached: dict[str, str] = {}

    def say(target: str, method: str, **more: Any) -> None:
        """Says something to a window or worker that no tab belongs to."""
        with contextlib.suppress(Error):  # it has just gone
            if target not in attached:
                answer = session.send("Target.attachToTarget", {"targetId": target, "flatten": False})
                attached[target] = answer["sessionId"]
            message = json.dumps({"id": 1, "method": method, "params": more})
            session.send("Target.sendMessageToTarget", {"sessionId": attached[target], "message": message})

    press = (
        "(() => { const ready = document.getElementById('total')?.textContent.startsWith('EUR');"
        f" const wanted = [...document.querySelectorAll('button')].find(one => one.textContent.startsWith('{button}'));"
        " if (ready && wanted) wanted.click(); })()"
    )
    opened = False
    for _ in range(20):
        page.wait_for_timeout(1000)  # never asleep: the browser waits for us with what it opens
        for worker in targets("/pay-worker.js"):
            say(worker, "Runtime.runIfWaitingForDebugger")
        for window in targets("/pay-window"):
            opened = True
            say(window, "Runtime.evaluate", expression=press, userGesture=True)
        if opened and not targets("/pay-window"):
            break
    session.detach()
    assert opened, "the browser opened no window"


def test_the_browsers_own_window_pays_with_a_card_that_it_keeps(playwright: Playwright, running: Running) -> None:
    """The window needs a whole browser; what our other tests drive has none, and is offered none."""
    whole = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
    try:
        noted = Noted()
        page, email = open_context(whole, noted).new_page(), f"{uuid.uuid4().hex[:8]}@example.org"
        page.goto(checkout_url(running))
        page.get_by_label("Collect it in Deventer").check()
        offered = page.get_by_role("button", name="Pay with a card that your browser keeps")
        offered.click()
        expect(page.get_by_text("Type the email address")).to_be_visible()
        page.get_by_label("Email").fill(email)
        page.get_by_label("Name", exact=True).fill("Jonna Kok")
        page.wait_for_timeout(600)
        offered.click()
        in_window(page, whole, "Approved")
        thanked(page)
        running.charged_once(email)
        assert noted.problems == []
    finally:
        whole.close()


def test_a_browser_without_such_a_window_is_not_offered_it(buyers: Buyers, running: Running) -> None:
    page, _ = at_checkout(buyers, running)
    page.wait_for_timeout(800)
    expect(page.get_by_role("button", name="Pay with a card that your browser keeps")).to_have_count(0)


# -- the wallet -------------------------------------------------------------------------------------------


def test_a_buyer_leaves_for_the_wallet_and_comes_back_to_their_confirmation(buyers: Buyers, running: Running) -> None:
    page, email = at_checkout(buyers, running, "Stand-in Wallet")
    expect(page.locator("iframe")).to_have_count(0)
    press_pay(page)
    page.wait_for_url(f"{running.installation.wallet_url}/approvals/*")
    page.get_by_role("button", name="Pay", exact=True).click()
    thanked(page)
    expect(page.get_by_text("by Stand-in Wallet")).to_be_visible()
    assert running.rows("select state from orders where buyer->>'email' = %s", email) == [("paid",)]


def test_who_cancels_at_the_wallet_reads_so_and_pays_by_card(buyers: Buyers, running: Running) -> None:
    page, email = at_checkout(buyers, running, "Stand-in Wallet")
    press_pay(page)
    page.get_by_role("button", name="Cancel").click()
    expect(page.get_by_text("The payment was refused. Nothing was charged.")).to_be_visible()
    assert "back=" not in page.url
    expect(page.get_by_label("Email")).to_have_value(email)
    type_card(page, CARDS[0].number)
    press_pay(page)
    thanked(page)
    running.charged_once(email)


def test_who_never_comes_back_is_known_all_the_same(buyers: Buyers, running: Running) -> None:
    page, email = at_checkout(buyers, running, "Stand-in Wallet")
    press_pay(page)
    page.get_by_role("button", name="Pay, but do not go back").click()
    expect(page.get_by_role("heading", name="Paid")).to_be_visible()
    for _ in range(100):
        if running.rows("select state from orders where buyer->>'email' = %s", email) == [("paid",)]:
            break
        time.sleep(0.2)
    assert running.rows("select state from orders where buyer->>'email' = %s", email) == [("paid",)]


def test_who_closes_the_wallet_goes_on_there_or_pays_in_another_way(buyers: Buyers, running: Running) -> None:
    page, _ = at_checkout(buyers, running, "Stand-in Wallet")
    press_pay(page)
    page.get_by_role("button", name="Cancel").wait_for()
    page.goto(checkout_url(running))
    expect(page.get_by_role("heading", name="Pay with Stand-in Wallet")).to_be_visible()
    expect(page.get_by_role("link", name="Go to Stand-in Wallet")).to_be_visible()
    page.get_by_role("button", name="Pay in another way").click()
    type_card(page, CARDS[0].number)
    press_pay(page)
    thanked(page)


def test_over_the_website_the_wallet_is_left_for_from_the_top_window(
    browser: Browser, running: Running, noted: Noted
) -> None:
    page = open_context(browser, noted).new_page()
    counter: FrameLocator = open_over_page(page, running)
    fill(counter, f"{uuid.uuid4().hex[:8]}@example.org")
    counter.get_by_role("radio", name="Stand-in Wallet").check()
    press_pay(counter)
    counter.get_by_role("link", name="Go to Stand-in Wallet").click()
    page.wait_for_url(f"{running.installation.wallet_url}/approvals/*")
    page.get_by_role("button", name="Pay", exact=True).click()
    thanked(page)


# -- direct debit, transfer, by hand --------------------------------------------------------------------------


def test_a_direct_debit_waits_and_is_paid_when_its_day_has_come(buyers: Buyers, running: Running) -> None:
    page, email = at_checkout(buyers, running, "Direct debit")
    fields = page.frame_locator('iframe[title="Direct debit details"]')
    press_pay(page)
    expect(fields.get_by_text("Type the number of the account.")).to_be_visible()
    fields.get_by_label("Account number (IBAN)").fill(ACCOUNTS[0].number.lower())
    fields.get_by_label("Account holder").fill("Jonna Kok")
    press_pay(page)
    expect(fields.get_by_text("Tick this, so that the account may be charged.")).to_be_visible()
    fields.get_by_role("checkbox").check()
    press_pay(page)
    stands(page)
    expect(page.get_by_text("will be collected from your account")).to_be_visible()
    calendar = buyers()
    calendar.goto(running.installation.debit_url)
    form = calendar.get_by_role("form", name="Calendar, test")
    form.get_by_label("Days").fill("3")
    form.get_by_role("button").click()
    for _ in range(60):
        if running.rows("select state from orders where buyer->>'email' = %s", email) == [("paid",)]:
            break
        time.sleep(0.2)
    page.reload()
    thanked(page)
    expect(page.get_by_text("by direct debit from the account ending in 3001")).to_be_visible()


def test_a_transfer_is_found_in_a_statement_and_what_does_not_fit_is_looked_at(
    buyers: Buyers, developer: Page, running: Running, tmp_path: Path
) -> None:
    page, email = at_checkout(buyers, running, "Bank transfer")
    expect(page.get_by_role("button", name=re.compile("^Order · EUR 48"))).to_be_visible()
    press_pay(page)
    stands(page)
    expect(page.get_by_text("NL51 ZZZZ 0123 4567 89")).to_be_visible()
    code = page.get_by_role("img", name="A code with the same for your banking app")
    assert code.evaluate("image => image.naturalWidth") > 0
    ((order,),) = running.rows("select code from orders where buyer->>'email' = %s", email)
    reference = page.locator("dd", has_text=order[:4]).first.inner_text().replace("Copy", "").strip()
    statement = tmp_path / "november.xml"
    statement.write_bytes(camt([("48.00", reference, "Jonna Kok"), ("12.00", "no idea", "Somebody Else")]))
    go(developer, running, "transfers")
    with developer.expect_file_chooser() as chooser:
        developer.get_by_role("button", name="Upload a statement").click()
    chooser.value.set_files(statement)
    expect(developer.get_by_text("1 order was paid by it")).to_be_visible()
    aside = developer.get_by_role("article", name="EUR 12.00 from Somebody Else")
    expect(aside.get_by_text("No order is named.")).to_be_visible()
    aside.get_by_label("Note").fill("Given back by hand")
    aside.get_by_role("button", name="Done with it").click()
    expect(developer.get_by_text("Nothing has to be looked at.")).to_be_visible()
    developer.get_by_label("Show").select_option("Everything that came in")
    expect(developer.get_by_text("Given back by hand")).to_be_visible()
    page.reload()
    thanked(page)
    expect(page.get_by_text("by bank transfer")).to_be_visible()


def test_what_is_no_statement_is_refused_in_words(developer: Page, running: Running, tmp_path: Path) -> None:
    wrong = tmp_path / "letter.txt"
    wrong.write_text("Dear bank")
    go(developer, running, "transfers")
    with developer.expect_file_chooser() as chooser:
        developer.get_by_role("button", name="Upload a statement").click()
    chooser.value.set_files(wrong)
    expect(developer.get_by_role("alert").get_by_text("neither camt.053 nor MT940")).to_be_visible()


def test_who_waits_for_a_transfer_pays_by_card_after_all(buyers: Buyers, running: Running) -> None:
    page, email = at_checkout(buyers, running, "Bank transfer")
    press_pay(page)
    stands(page)
    address = page.url
    page.get_by_role("button", name="Pay in another way").click()
    expect(page.get_by_label("Email")).to_have_value(email)
    page.get_by_role("radio", name="Card", exact=True).check()
    type_card(page, CARDS[0].number)
    press_pay(page)
    thanked(page)
    running.charged_once(email)
    page.goto(address)
    thanked(page)


def test_what_is_paid_on_collection_is_marked_at_the_desk(buyers: Buyers, developer: Page, running: Running) -> None:
    page, email = at_checkout(buyers, running, "Pay when you collect it")
    press_pay(page)
    stands(page)
    ((code,),) = running.rows("select code from orders where buyer->>'email' = %s", email)
    go(developer, running, f"orders/test/{code}")
    expect(developer.get_by_text("Waiting to be paid: Pay when you collect it")).to_be_visible()
    developer.get_by_label("Show orders that").select_option("Waiting for money")
    expect(developer.get_by_role("link", name=re.compile("waiting")).first).to_be_visible()
    developer.get_by_role("button", name="Mark as paid").click()
    developer.get_by_role("button", name="It is paid").click()
    expect(developer.get_by_text("Somebody marked it as paid.")).to_be_visible()
    page.reload()
    thanked(page)


# -- what the owner decides ---------------------------------------------------------------------------------


def test_the_owner_decides_what_is_offered_in_which_order_and_limits_hold_orders(
    buyers: Buyers, developer: Page, running: Running
) -> None:
    go(developer, running, "ways-to-pay")
    listed = developer.get_by_role("list", name="Ways to pay, as they are offered")
    wallet = listed.get_by_role("listitem").filter(has=developer.get_by_label("What buyers read for Stand-in Wallet"))
    wallet.get_by_role("button", name="Move up").click()
    developer.get_by_label("What buyers read for Stand-in Wallet").fill("Your wallet")
    developer.get_by_label("Countries for Stand-in Wallet").fill("nl, xx")
    expect(developer.get_by_text("is no country. Write two capital letters").last).to_be_visible()
    developer.get_by_label("Countries for Stand-in Wallet").fill("nl")
    developer.get_by_role("button", name="Add a limit").click()
    developer.get_by_label("Above").last.fill("40.00")
    expect_saved(developer)
    matrix = developer.get_by_role("region", name="Buyers by ways to pay")
    expect(matrix.get_by_role("row", name=re.compile("Consumer, London"))).to_contain_text("Not offered in GB.")
    page, email = buyers(), f"{uuid.uuid4().hex[:8]}@example.org"
    page.goto(checkout_url(running))
    radios = page.get_by_role("group", name="How you pay").get_by_role("radio")
    expect(radios.first).to_have_attribute("value", "standin-wallet")
    expect(page.get_by_text("Your wallet")).to_be_visible()
    page.get_by_role("radio", name="Card", exact=True).check()
    fill(page, email)
    press_pay(page)
    thanked(page)
    ((code,),) = running.rows("select code from orders where buyer->>'email' = %s", email)
    go(developer, running, f"orders/test/{code}")
    expect(developer.get_by_text("The order is above 40.00 EUR.")).to_be_visible()
    expect(developer.get_by_role("navigation", name="Work order")).to_contain_text("1 held order")
    developer.get_by_role("button", name="Let it through").click()
    expect(developer.get_by_text("Noor Vermaat let it through")).to_be_visible()
    go(developer, running, "ways-to-pay")
    developer.get_by_role("button", name="Remove this limit").last.click()
    expect_saved(developer)


def test_what_payments_cost_is_compared(developer: Page, running: Running) -> None:
    go(developer, running, "payment-costs")
    table = developer.get_by_role("region", name="Costs compared")
    expect(table.get_by_role("row", name=re.compile("^Card"))).to_contain_text("1.75")
    developer.get_by_label("Where the card is from").select_option("from another country")
    expect(table.get_by_role("row", name=re.compile("^Card"))).to_contain_text("2.50")
    developer.get_by_label("Sales a year").fill("1000")
    expect(table.get_by_role("row", name=re.compile("^Direct debit"))).to_contain_text("708.00")
    developer.get_by_label("Basket").fill("five")
    expect(developer.get_by_role("alert")).to_contain_text("is not an amount")


def test_a_bank_account_is_turned_on_after_its_number_was_looked_at(developer: Page, running: Running) -> None:
    go(developer, running, "payments/transfer")
    developer.get_by_label("Account holder").fill("Ostrel Bindery")
    developer.get_by_label("IBAN for live buyers").fill("NL52 ZZZZ 0123 4567 89")
    developer.get_by_role("button", name="Turn on for live").click()
    expect(developer.get_by_text("This is no IBAN", exact=False)).to_be_visible()
    developer.get_by_label("IBAN for live buyers").fill("NL51 ZZZZ 0123 4567 89")
    developer.get_by_role("button", name="Turn on for live").click()
    expect(developer.get_by_text("Buyers pay to").last).to_contain_text("NL51ZZZZ0123456789")


def test_a_gateway_is_connected_by_one_press_at_its_own_site(developer: Page, running: Running) -> None:
    go(developer, running, "payments/standin-wallet")
    developer.get_by_role("button", name="Connect for live at its site").click()
    expect(developer.get_by_role("heading", name="Let skurrow in?")).to_be_visible()
    developer.get_by_role("button", name="No", exact=True).click()
    expect(developer.get_by_text("You have not let Skurrow in there.")).to_be_visible()
    developer.get_by_role("button", name="Connect for live at its site").click()
    developer.get_by_role("button", name="Let it in").click()
    expect(developer.get_by_text("Connected as ostrel")).to_have_count(2)
    expect(developer.get_by_text("✓ It answers.")).to_have_count(2)
