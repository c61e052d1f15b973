"""The power goes, the database stops, the web process is killed: nothing is lost, nothing is charged twice."""

from __future__ import annotations

import json
import re
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor

import httpx
import pytest
from playwright.sync_api import Browser, expect

from tests.browser.conftest import (
    Noted,
    Running,
    checkout_url,
    fill,
    new_running,
    open_context,
    press_pay,
    run_and_remove,
    sign_in,
)
from tests.gateway.test_standin_cards import NUMBERS


@pytest.fixture(scope="module")
def fragile() -> Iterator[Running]:
    """An installation whose parts are stopped and killed."""
    with run_and_remove(new_running("failures")) as made:
        yield made


@pytest.mark.parametrize("events", ["arriving", "lost"])
def test_killed_between_sending_a_charge_and_recording_its_outcome(
    fragile: Running, browser: Browser, noted: Noted, events: str
) -> None:
    email = f"killed-{events}@example.org"
    page = open_context(browser, noted).new_page()
    page.goto(checkout_url(fragile))
    fill(page, email, "slow")
    with page.expect_request("**/counter/api/pay"):
        press_pay(page)
    page.wait_for_timeout(1000)
    assert [c["outcome"] for c in fragile.charges()][:1] == ["pending"], "the gateway is at work on it"
    fragile.kill("web")
    if events == "lost":
        fragile.kill("worker")
        fragile.kill("cards")  # it forgets what it had not finished, as if the request had never come
        fragile.start("cards")
        fragile.start("worker")
    expect(page.get_by_text("has not answered yet")).to_be_visible()
    fragile.start("web")
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible(timeout=40_000)
    fragile.charged_once(email)


def buy_stubbornly(fragile: Running, n: int) -> str:
    """Buys over HTTP as an impatient buyer would, two presses at a time, until it is known what became of it."""
    ports, email = fragile.installation.ports, f"flood{n}@example.org"
    headers = {"host": f"counter.localhost:{ports.web}"}
    web = httpx.Client(base_url=f"http://127.0.0.1:{ports.web}", headers=headers, timeout=20)
    card = {"merchant": "ostrel", "mode": "test", "expires": "2031-12", "code": "123"}

    def again(ask: Callable[[], httpx.Response]) -> httpx.Response:
        last = ""
        for _ in range(400):
            try:
                answer = ask()
                if answer.status_code < 500:
                    return answer
                last = f"{answer.status_code} {answer.text[:300]}"
            except httpx.HTTPError as error:
                last = repr(error)
            time.sleep(0.1)
        raise AssertionError(f"it never answered: {last}")

    def pay(behaviour: str) -> str:
        tokens = f"http://127.0.0.1:{ports.cards}/tokens"
        token = httpx.post(tokens, json={**card, "number": NUMBERS[behaviour]}).json()["token"]
        body = {
            "visit": visit,
            "email": email,
            "name": "Flood",
            "country": "NL",
            "token": token,
            "expected": "48.00",
        } | {"variant": "moss", "delivery": "collect"}
        return str(again(lambda: web.post("/counter/api/pay", json=body)).json()["state"])

    page = again(lambda: web.get("/buy/ostrel-kit")).text
    found = re.search(r'id="boot">(.*?)</script>', page, re.S)
    assert found
    visit = json.loads(found[1])["counter"]["visit"]
    with ThreadPoolExecutor(2) as presses:
        for behaviour in ("no_funds", "approved") if n % 3 == 0 else ("cut",) if n % 3 == 1 else ("approved",):
            list(presses.map(pay, [behaviour, behaviour]))
            for _ in range(300):
                found_out = again(lambda: web.post("/counter/api/progress", json={"visit": visit})).json()
                state = found_out["state"]
                if state in {"paid", "refused"}:
                    break
                if state in {"none", "open"}:
                    pay(behaviour)
                time.sleep(0.1)
    return state if state == "paid" else str(found_out)


def test_a_flood_of_buyers_while_processes_are_killed_charges_each_once(fragile: Running) -> None:
    buyers = 36  # of a stock of 40, from which the tests above may have bought two
    with ThreadPoolExecutor(8) as flood:
        bought = [flood.submit(buy_stubbornly, fragile, n) for n in range(buyers)]
        for victim in ("web", "worker", "web", "worker", "web"):
            time.sleep(1.2)
            fragile.kill(victim)
            fragile.start(victim)
        states = [one.result() for one in bought]
    assert states == ["paid"] * buyers
    for n in range(buyers):
        fragile.charged_once(f"flood{n}@example.org")
    ours = fragile.rows("select sum(amount), count(*) from charges")
    approved = [c for c in fragile.charges() if c["outcome"] == "approved"]
    assert ours == [(sum(round(float(c["amount"]) * 100) for c in approved), len(approved))]
    assert fragile.rows("select count(*) from attempts where state = 'open'") == [(0,)]
    ((paid,),) = fragile.rows("select count(*) from orders where state = 'paid'")
    assert fragile.rows("select remaining from stock_levels") == [(40 - paid,)]
    assert fragile.rows("select state, count(*) from stock_holds group by state") == [("sold", paid)]


def test_a_stopped_database_is_a_clear_state_and_recovers_by_itself(
    fragile: Running, browser: Browser, noted: Noted
) -> None:
    buyer = open_context(browser, noted).new_page()
    buyer.goto(checkout_url(fragile, "patterns"))
    fill(buyer, "waiting@example.org")
    signed = open_context(browser, noted)
    desk = sign_in(signed.new_page(), fragile)
    desk.goto(f"{fragile.installation.desk_url}/s/ostrel/products/coptic-kit")
    text = desk.get_by_label("Text for buyers")
    expect(text).to_be_visible()

    fragile.stop("postgres")
    text.fill("Typed while the database was away")
    expect(desk.get_by_text("Not saved: no connection, trying again")).to_be_visible(timeout=60_000)
    press_pay(buyer)
    expect(buyer.get_by_text("has not answered yet")).to_be_visible(timeout=60_000)
    stranger = open_context(browser, noted).new_page()
    answer = stranger.goto(checkout_url(fragile))
    assert answer is not None
    assert answer.status == 503
    expect(stranger.get_by_role("heading", name="One moment, please")).to_be_visible()
    late = signed.new_page()
    late.goto(fragile.installation.desk_url)
    expect(late.get_by_text("Skurrow is not answering")).to_be_visible(timeout=60_000)
    nobody = open_context(browser, noted).new_page()
    nobody.goto(fragile.installation.desk_url)
    nobody.get_by_label("Email").fill("dev@ostrel.example")
    nobody.get_by_label("Password").fill(fragile.installation.secrets.demo_password)
    nobody.get_by_role("button", name="Sign in").click()
    expect(nobody.get_by_role("alert")).to_contain_text("cannot reach its database", timeout=60_000)

    fragile.start("postgres")
    expect(desk.get_by_text("Saved")).to_be_visible(timeout=60_000)
    expect(buyer.get_by_text("Nothing was charged.")).to_be_visible(timeout=60_000)
    expect(buyer.get_by_label("Email")).to_have_value("waiting@example.org")
    press_pay(buyer)
    expect(buyer.get_by_role("heading", name="Thank you")).to_be_visible(timeout=60_000)
    fragile.charged_once("waiting@example.org")
    stranger.get_by_role("link", name="Try again").click()
    expect(stranger.get_by_label("Email")).to_be_visible()
    expect(late.get_by_role("navigation", name="Work order")).to_be_visible(timeout=60_000)
    nobody.get_by_role("button", name="Sign in").click()
    expect(nobody.get_by_role("navigation", name="Work order")).to_be_visible(timeout=60_000)
