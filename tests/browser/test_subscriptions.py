"""Subscriptions as people meet them: bought, renewed under the calendar, failing, approved, and looked after alone."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import UTC, date, datetime

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect

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
    run_and_remove,
    sign_in,
    type_card,
    type_day,
)
from tests.browser.members import account, join, link_in, mail, move, open_of, past_its_next_charge
from tests.gateway.test_standin_cards import NUMBERS


@pytest.fixture(scope="module")
def running() -> Iterator[Running]:
    with run_and_remove(new_running("subscriptions")) as made:
        yield made


@pytest.fixture
def developer(browser: Browser, running: Running, noted: Noted) -> Iterator[Page]:
    context = open_context(browser, noted)
    yield sign_in(context.new_page(), running)
    context.close()
    assert noted.problems == []


@pytest.fixture
def phone(browser: Browser, noted: Noted) -> Iterator[Page]:
    context = open_context(browser, noted, viewport=PHONE)
    yield context.new_page()
    context.close()


def test_a_trial_is_said_at_the_counter_kept_and_charged_when_the_calendar_comes_to_its_end(
    running: Running, developer: Page, phone: Page
) -> None:
    email = "trial@mail.example.org"
    phone.goto(checkout_url(running, "evening"))
    expect(phone.get_by_text("You pay nothing now, and later:")).to_be_visible()
    expect(phone.get_by_text(re.compile("^Nothing is charged if you cancel before"))).to_be_visible()
    join(phone, running, email, checkout="evening")
    later = phone.get_by_role("region", name="What is charged later")
    expect(later).to_contain_text("Nothing was charged today. Later:")
    expect(later).to_contain_text(re.compile(r"Nothing is charged if you cancel before \d+ \w+ \d{4}: look after"))
    expect(later.get_by_role("listitem").first).to_contain_text("EUR 15.00")
    expect(phone.get_by_text("Paid", exact=True)).to_have_count(0)
    later.get_by_role("link", name="look after what you have").click()
    expect(phone.get_by_role("heading", name="What you have bought")).to_be_visible()
    open_of(developer, running, email)
    expect(developer.get_by_text("in a trial; the next charge is on")).to_be_visible()
    for _ in range(2):
        move(developer, "A month on")
    expect(developer.get_by_text("active; the next charge is on")).to_be_visible()
    line = developer.get_by_role("region", name="Its line in time")
    expect(line.get_by_text(re.compile("^Renewal .*, paid"))).to_have_count(2)
    expect(line.get_by_text("A mail said that the trial ends.")).to_be_visible()
    promised = developer.get_by_role("region", name="Promised and come true")
    expect(promised.get_by_text("as promised").first).to_be_visible()
    expect(promised.get_by_text("otherwise")).to_have_count(0)
    assert "EUR 15.00" in line.inner_text()


def test_a_plan_that_was_begun_in_pounds_is_charged_in_pounds_under_the_calendar(
    running: Running, developer: Page, phone: Page
) -> None:
    email = "pounds@mail.example.org"
    phone.goto(f"{checkout_url(running, 'evening')}?currency=GBP")
    first = phone.get_by_role("list", name="Later charges").get_by_role("listitem").first
    expect(first).to_contain_text(re.compile(r"GBP \d+\.\d\d$"))
    promised = (first.text_content() or "").partition("GBP ")[2]
    fill(phone, email, name="Alma Whitlow")
    button = phone.get_by_role("button", name="Begin")
    button.scroll_into_view_if_needed()
    phone.wait_for_timeout(400)
    button.click()
    expect(phone.get_by_role("heading", name="Thank you, Alma Whitlow")).to_be_visible()
    open_of(developer, running, email)
    past_its_next_charge(developer)
    line = developer.get_by_role("region", name="Its line in time")
    expect(line.get_by_text(re.compile("^Renewal .*, paid")).first).to_be_visible()
    ((order,),) = running.rows(
        "select id from orders where buyer->>'email' = %s and kind = 'renewal' and state = 'paid'", email
    )
    keys = {str(key) for (key,) in running.rows("select id from attempts where order_id = %s", order)}
    assert [(c["currency"], c["amount"]) for c in running.charges() if c["key"] in keys] == [("GBP", promised)]
    papers = running.rows("select document->>'currency', document->>'total' from papers where order_id = %s", order)
    assert papers == [("GBP", promised)]
    assert f"£{promised} was paid for Evening bench." in mail(running, email, "Receipt for Evening bench")


def test_a_customer_looks_after_their_plan_alone(running: Running, developer: Page, phone: Page) -> None:
    email = "club@mail.example.org"
    join(phone, running, email)
    account(phone, running, email)
    card = phone.get_by_role("article", name="Paper parcel")
    expect(card.get_by_text("Month by month, EUR 24.00 every month")).to_be_visible()
    card.get_by_role("button", name="Change the plan").click()
    card.get_by_label(re.compile("^By the year")).check()
    card.get_by_role("button", name="Show what it costs").click()
    expect(card.get_by_text("Due now")).to_be_visible()
    card.get_by_role("button", name=re.compile("^Pay EUR")).click()
    expect(card.get_by_text("By the year, EUR 240.00 every year")).to_be_visible()
    card.get_by_role("button", name="Cancel", exact=True).click()
    expect(card.get_by_label("Why? (if you like)")).not_to_have_attribute("required", re.compile(""))
    card.get_by_role("button", name="Cancel it").click()
    card.get_by_role("button", name="Do not cancel it").click()
    expect(card.get_by_text(re.compile("^Next: EUR 240.00"))).to_be_visible()
    card.get_by_role("button", name="Cancel", exact=True).click()
    card.get_by_label(re.compile("^Why")).fill("Too much paper")
    card.get_by_role("button", name="Cancel it").click()
    expect(card.get_by_text(re.compile("^It is cancelled, and goes on until"))).to_be_visible()
    card.get_by_role("button", name="Do not cancel it").click()
    expect(card.get_by_text(re.compile("^Next: EUR 240.00"))).to_be_visible()
    card.get_by_text("Receipts and invoices").click()
    with phone.expect_download() as download:
        card.get_by_role("link", name=re.compile("^receipt")).first.click()
    assert download.value.suggested_filename.endswith(".pdf")
    card.get_by_role("button", name="Use another card").click()
    type_card(phone, NUMBERS["fails_once"])
    card.get_by_role("button", name="Keep this card").click()
    expect(card.get_by_text(re.compile("from the card or account that ends in 1207"))).to_be_visible()
    open_of(developer, running, email)
    expect(developer.get_by_text("“Too much paper”")).to_be_visible()
    assert "Your Paper parcel has changed" in "".join(
        one["subject"] for one in httpx.get(f"http://127.0.0.1:{running.installation.ports.mailbox}/mails").json()
    )
    phone.get_by_role("button", name="Sign out").click()
    expect(phone.get_by_role("heading", name="What you have bought")).to_be_visible()
    expect(phone.get_by_role("article", name="Paper parcel")).to_have_count(0)


def test_a_second_step_of_a_ladder_is_not_bought_but_changed(running: Running, phone: Page) -> None:
    email = "twice@mail.example.org"
    join(phone, running, email)
    phone.context.clear_cookies()
    phone.evaluate("localStorage.clear()")
    phone.goto(checkout_url(running, "club"))
    phone.get_by_label("By the year").check()
    fill(phone, email, name="Maud Terlinden")
    button = phone.get_by_role("button", name="Join the club")
    button.scroll_into_view_if_needed()
    phone.wait_for_timeout(400)
    button.click()
    expect(phone.get_by_text("has Paper parcel already, so nothing was charged")).to_be_visible()
    text = mail(running, email, "You have Paper parcel already")
    assert "/account/ostrel" in text


def test_a_failing_charge_is_paid_by_the_mailed_link(running: Running, developer: Page, phone: Page) -> None:
    email = "failing@mail.example.org"
    join(phone, running, email, "fails_later")
    open_of(developer, running, email)
    for _ in range(2):
        past_its_next_charge(developer)
    expect(developer.get_by_text("The last charge is not paid")).to_be_visible()
    phone.goto(link_in(mail(running, email, "did not go through"), "renewal"))
    expect(phone.get_by_role("heading", name="Pay EUR 24.00 for Paper parcel")).to_be_visible()
    type_card(phone, NUMBERS["no_funds"])
    phone.get_by_role("button", name="Pay EUR 24.00").click()
    expect(phone.get_by_text("Nothing was charged.")).to_be_visible()
    type_card(phone, NUMBERS["approved"])
    phone.get_by_role("button", name="Pay EUR 24.00").click()
    expect(phone.get_by_role("heading", name="Thank you")).to_be_visible()
    developer.reload()
    expect(developer.get_by_text("active; the next charge is on")).to_be_visible()


def test_a_renewal_that_the_bank_asks_about_is_approved_without_signing_in(
    running: Running, developer: Page, phone: Page
) -> None:
    email = "approving@mail.example.org"
    join(phone, running, email, "approval_later")
    open_of(developer, running, email)
    move(developer, "A month on")
    expect(developer.get_by_text("They were sent a link.")).to_be_visible()
    phone.goto(link_in(mail(running, email, "Your bank asks you"), "renewal"))
    expect(phone.get_by_role("heading", name="Approve EUR 24.00")).to_be_visible()
    phone.frame_locator('iframe[title="Approval by your bank"]').get_by_role("button", name="Approve").click()
    expect(phone.get_by_text("Everything is paid for Paper parcel")).to_be_visible()


def test_the_desk_acts_for_a_customer_and_says_so(running: Running, developer: Page, phone: Page) -> None:
    email = "helped@mail.example.org"
    join(phone, running, email)
    open_of(developer, running, email)
    developer.get_by_role("button", name="Change it").click()
    developer.get_by_label("To the plan").select_option("parcel-quarter")
    developer.get_by_role("button", name="Show what it costs").first.click()
    comes_to = developer.get_by_role("group", name="What it comes to")
    expect(comes_to.get_by_text("Credit for unused time")).to_be_visible()
    comes_to.get_by_role("button", name=re.compile("^Charge EUR")).click()
    expect(developer.get_by_role("cell", name="EUR 66.00 every 3 months")).to_be_visible()
    expect(developer.get_by_text("The desk did it for the customer.").first).to_be_visible()
    developer.get_by_role("button", name="Pause it").click()
    developer.get_by_role("button", name="Pause it").last.click()
    expect(developer.get_by_text(re.compile("active, and pauses from"))).to_be_visible()
    developer.get_by_role("button", name="Take the pause back").click()
    expect(developer.get_by_text(re.compile("active; the next charge is on"))).to_be_visible()
    developer.get_by_role("button", name="End it").click()
    developer.get_by_label("It ends", exact=True).select_option("at_once")
    developer.get_by_role("button", name="End it").last.click()
    developer.get_by_role("button", name="End the subscription").click()
    expect(developer.get_by_text(re.compile("ended since"))).to_be_visible()


def test_rules_and_ladders_are_set_at_the_desk(running: Running, developer: Page) -> None:
    go(developer, running, "renewals")
    retries = developer.get_by_label("Days after it fell due on which it is tried again")
    retries.fill("2, 5")
    expect_saved(developer)
    developer.get_by_label("Days of grace").fill("4")
    expect(developer.get_by_text(re.compile("By day 5 the 4 days of grace are over")).first).to_be_visible()
    developer.get_by_label("Days of grace").fill("14")
    expect_saved(developer)
    developer.get_by_label("pause", exact=True).uncheck()
    expect_saved(developer)
    developer.get_by_label("pause", exact=True).check()
    expect_saved(developer)
    go(developer, running, "products/evening-bench")
    developer.get_by_role("button", name="Let them change plan").click()
    expect_saved(developer)
    ladder = developer.get_by_role("region", name="Changing plan")
    expect(ladder.get_by_role("row")).to_have_count(3)
    ladder.get_by_role("button", name=re.compile("^Take .* off the ladder")).last.click()
    expect(ladder.get_by_role("row")).to_have_count(2)
    expect_saved(developer)


def test_members_are_moved_over_after_a_dry_run(running: Running, developer: Page) -> None:
    go(developer, running, "move-over/test")
    head = "email,name,country,price,next_on,amount\n"
    choose = developer.get_by_role("button", name=re.compile("Choose a"))
    with developer.expect_file_chooser() as chooser:
        choose.click()
    bad = head + "jo@old.example.org,Jo Early,NL,nothing,2036-03-01,21.00\n"
    chooser.value.set_files({"name": "members.csv", "mimeType": "text/csv", "buffer": bad.encode()})
    expect(developer.get_by_text("There is no recurring price “nothing”")).to_be_visible()
    with developer.expect_file_chooser() as chooser:
        choose.click()
    good = bad.replace("nothing", "parcel-month")
    chooser.value.set_files({"name": "members.csv", "mimeType": "text/csv", "buffer": good.encode()})
    expect(developer.get_by_text("Paper parcel: 21.00 EUR on 2036-03-01, without a card")).to_be_visible()
    developer.get_by_role("button", name="Begin 1 subscription").click()
    expect(developer.get_by_text("1 subscriptions have begun")).to_be_visible()
    open_of(developer, running, "Jo Early")
    expect(developer.get_by_text("It was moved over from elsewhere, without a charge.")).to_be_visible()


def test_the_outlook_says_what_comes_in(running: Running, developer: Page) -> None:
    go(developer, running, "outlook/test")
    expect(developer.get_by_role("heading", name="Recurring income")).to_be_visible()
    expect(developer.get_by_role("heading", name="To come, in EUR")).to_be_visible()


def test_the_tax_report_begins_in_the_year_of_its_book(running: Running, developer: Page) -> None:
    go(developer, running, "subscriptions/test")
    heading = developer.get_by_role("heading", name=re.compile("^In the test book it is"))
    year = re.findall(r"\d{4}", heading.inner_text())[0]
    if year == str(datetime.now(UTC).year):
        past = date(int(year) + 1, 1, 2)
        type_day(developer, "Move the date to", past)
        developer.get_by_role("button", name="Go there").click()
        year = str(past.year)
        expect(heading).to_contain_text(year, timeout=120_000)
    go(developer, running, "tax-report?book=test")
    first_day = developer.get_by_role("group", name="First day").get_by_role("spinbutton", name=re.compile("^year"))
    expect(first_day).to_have_text(year)
    expect(developer.get_by_role("heading", name="Tax report")).to_contain_text("TEST", ignore_case=True)
