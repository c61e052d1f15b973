"""Abuse without a name: stock held, cards and coupons tried, mailboxes filled, processors kept busy, things stopped."""

from __future__ import annotations

import asyncio
import io
import json
import logging
import time
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta
from typing import Any

import httpx
import psycopg
import pytest
import structlog
from PIL import Image

from skurrow.core.problems import InvalidInput
from skurrow.gateway.protocol import ChargeRequest, Credentials, NoAnswer, Reach, RefundRequest
from skurrow.gateway.standin import StandInCards
from skurrow.run.demo import EMAIL
from skurrow.service.changes import renewing
from skurrow.service.counter import opening, pricing, selling_states
from skurrow.service.counter.checking import MOST_REFUSED, MOST_WAITING
from skurrow.service.counter.visit import pass_token
from skurrow.service.draft import configuration, pictures
from skurrow.service.lanes import Lane
from skurrow.service.limits import COUPON, COUPON_SITE
from skurrow.service.logs import log_as_json, told
from skurrow.service.mail import mail
from skurrow.service.orders import gateway_events, letting_go, settling
from skurrow.service.payments import aside
from skurrow.service.people import sign_in
from skurrow.service.people.sign_in import Where
from skurrow.service.refusals import Closed, Conflict, NotFound, TooMany
from skurrow.service.smtp import SmtpServer
from skurrow.store.database import site_transaction
from skurrow.store.orders import selling_states as stored
from skurrow.store.subscriptions import subscriptions
from skurrow.web.app import make_app
from skurrow.web.guards import ONLY_TLS
from tests.conftest import IN_NL, PASSWORD, Shop, settings_for, strict
from tests.leaks import leaks
from tests.service.counter.test_selling import MOSS, go_live, opened, pay, released, story
from tests.service.living import buy, own_cards
from tests.service.orders.test_settling import secret_of, signed
from tests.service.papers.test_papers import COLLECT
from tests.service.payments.test_ways import all_ways, draft_payments, left, pressed
from tests.web.conftest import Web
from tests.web.test_ways import SITE, begun, boot, paying

cards = own_cards
__all__ = ["all_ways"]

NO_FUNDS, APPROVED = "9200246810122406", "9100246810121409"


# -- trying out -----------------------------------------------------------------------------------------------


async def test_of_many_cards_nobody_finds_out_which_work(shop: Shop) -> None:
    strict(shop.context)
    most, _ = MOST_REFUSED["address"]
    tried = 0
    for n in range(40):
        card, who = ("no_funds", "lost", "expired")[n % 3], f"{n}@x.example"
        try:
            done = await pay(shop, await opened(shop), card, address_seen="203.0.113.9", email=who)
        except TooMany:
            break
        assert done.state == "refused"
        tried += 1
    assert tried == most
    with pytest.raises(TooMany):
        await pay(shop, await opened(shop), address_seen="203.0.113.9")
    assert (await pay(shop, await opened(shop), address_seen="203.0.113.10")).state == "paid", "others buy"
    shop.clock.ahead += timedelta(hours=1, minutes=1)
    assert (await pay(shop, await opened(shop), address_seen="203.0.113.9")).state == "paid"


async def test_coupons_are_not_found_by_guessing_not_even_by_a_link(web: Web) -> None:
    strict(web.app.state.context)
    body: dict[str, Any] = {
        "visit": (await begun(web))["visit"],
        "country": "NL",
        "variant": "moss",
        "delivery": "collect",
    }
    for n in range(COUPON.most):
        if n % 2:
            await web.counter.get("/buy/ostrel-kit", params={"coupon": f"GUESS{n}"})
        else:
            for _ in range(3):  # the same again, as while other fields are typed, is no new guess
                answer = await web.counter.post("/counter/api/quote", json={**body, "coupons": [f"GUESS{n}"]})
                assert answer.json()["errors"][0]["code"] == "unknown"
    for guess in ("GUESS", "BIND10"):
        answer = await web.counter.post("/counter/api/quote", json={**body, "coupons": [guess]})
        assert (answer.status_code, answer.json()["errors"][0]["code"]) == (422, "too_many"), guess
        assert (
            boot((await web.counter.get("/buy/ostrel-kit", params={"coupon": guess})).text)["counter"]["coupon"] is None
        )
    paid = await web.counter.post("/counter/api/pay", json=paying(body["visit"], None, coupons=["BIND10"]))
    assert paid.status_code == 422
    assert (await web.counter.post("/counter/api/quote", json=body)).status_code == 200, "without one it goes on"
    assert COUPON_SITE.most > COUPON.most


async def test_a_coupon_that_is_right_is_right_for_others_meanwhile(shop: Shop) -> None:
    strict(shop.context)
    visit = await opened(shop)
    for n in range(COUPON.most + 1):
        with pytest.raises(InvalidInput):
            await pricing.quote_visit(shop.context, visit, IN_NL, replace(MOSS, coupons=(f"G{n}",)), "", "203.0.113.9")
    priced = await pricing.quote_visit(
        shop.context, visit, IN_NL, replace(MOSS, coupons=("BIND10",)), "", "203.0.113.10"
    )
    assert priced.quote.due_today == 4320


# -- holding stock --------------------------------------------------------------------------------------------


async def test_nobody_empties_a_shop_with_orders_that_they_never_pay(all_ways: Shop) -> None:
    strict(all_ways.context)
    for _ in range(MOST_WAITING):
        assert (await pressed(all_ways, await opened(all_ways), "transfer")).state == "waiting"
    with pytest.raises(TooMany, match="wait for their money"):
        await pressed(all_ways, await opened(all_ways), "transfer")
    assert await left(all_ways) == 40 - MOST_WAITING


async def test_unpaid_orders_hold_stock_for_as_long_as_the_owner_says_and_two_days_at_first(all_ways: Shop) -> None:
    await pressed(all_ways, await opened(all_ways), "transfer")
    assert await letting_go.let_go(all_ways.context) == 0
    all_ways.clock.ahead += timedelta(days=2, minutes=1)
    assert await letting_go.let_go(all_ways.context) == 1
    assert (await letting_go.let_go(all_ways.context), await left(all_ways)) == (0, 40)
    told_of = await story(all_ways)
    assert told_of.order.state == "waiting", "it can still be paid"
    assert "order.hold_ended" in {one.kind for one in told_of.events}
    ways = [{"gateway": "transfer", "hold_days": 5}, {"gateway": "standin-cards"}]
    await draft_payments(all_ways, ways=ways)
    await pressed(all_ways, await opened(all_ways), "transfer", email="b@example.org")
    all_ways.clock.ahead += timedelta(days=4)
    assert (await letting_go.let_go(all_ways.context), await left(all_ways)) == (0, 39)
    all_ways.clock.ahead += timedelta(days=2)
    assert (await letting_go.let_go(all_ways.context), await left(all_ways)) == (1, 40)


@pytest.mark.parametrize("short", [False, True])
async def test_what_is_paid_after_its_hold_takes_stock_and_coupon_again_or_waits_for_a_person(
    all_ways: Shop, short: bool
) -> None:
    with_coupon = replace(COLLECT, coupons=("BIND10",))
    await pressed(all_ways, await opened(all_ways), "collection", expected="43.20", choice=with_coupon)
    taken = "select customer, taken from coupon_counts where coupon_id = 'BIND10' order by customer"
    with psycopg.connect(all_ways.database.superuser, autocommit=True) as db:
        assert db.execute(taken).fetchall() == [("", 1), ("jo@example.org", 1)]
        all_ways.clock.ahead += timedelta(days=3)
        await letting_go.let_go(all_ways.context)
        assert db.execute(taken).fetchall() == [("", 0), ("jo@example.org", 0)]
        if short:
            db.execute("update stock_levels set remaining = 0")
            db.execute("update coupon_counts set taken = 500 where customer = ''")
        code = (await story(all_ways)).order.code
        await settling.settle_by_hand(all_ways.context, all_ways.site_id, "test", code, all_ways.person_id, True, "")
        assert db.execute(taken).fetchall() == [("", 501 if short else 1), ("jo@example.org", 1)]
    told_of = await story(all_ways)
    assert told_of.order.state == "paid", "the sale stands"
    assert await left(all_ways) == (0 if short else 39)
    assert (told_of.review.reasons if told_of.review else []) == (
        [
            "It was paid after its stock had been given to others, and Coptic stitch kit is short.",
            "It was paid after its coupon BIND10 had been used by others as often as it can be.",
        ]
        if short
        else []
    )
    told = [{**one.body, "attempt": ""} for one in told_of.events if one.kind == "order.short"]
    assert told == ([{"attempt": "", "product": "coptic-kit"}, {"attempt": "", "coupon": "BIND10"}] if short else [])


# -- keeping processors busy ----------------------------------------------------------------------------------


async def test_a_flood_of_passwords_at_the_counter_keeps_nobody_from_signing_in(web: Web) -> None:
    context = web.app.state.context
    hashes: list[float] = []
    run = context.lanes.customers.run

    async def counted(*given: Any) -> Any:
        hashes.append(time.monotonic())
        return await run(*given)

    context.lanes.customers.run = counted
    wrong = paying("x", "standin-cards", token="t", password="three plain words")
    presses = [web.counter.post("/counter/api/pay", json=wrong) for _ in range(60)]
    assert {one.status_code for one in await asyncio.gather(*presses)} == {404}
    visit = (await begun(web))["visit"]
    wrong = paying(visit, "standin-cards", token="t", password="three plain words", expected="1.00")
    presses = [web.counter.post("/counter/api/pay", json=wrong) for _ in range(20)]
    assert {one.status_code for one in await asyncio.gather(*presses)} == {409}
    assert hashes == [], "nothing is hashed before everything else is right"
    assert await sign_in.sign_in(context, EMAIL, PASSWORD, Where("203.0.113.9"))


async def test_a_lane_takes_so_many_and_no_more() -> None:
    lane = Lane("test", 1, 2)
    work = [lane.run(time.sleep, 0.05) for _ in range(8)]
    done = await asyncio.gather(*work, return_exceptions=True)
    assert [isinstance(one, TooMany) for one in done].count(True) == 5
    assert await lane.run(len, "abc") == 3, "room again"


async def test_a_picture_of_many_pixels_is_refused_before_it_is_decoded(web: Web) -> None:
    written = io.BytesIO()
    Image.new("L", (7000, 7000)).save(written, "PNG")
    assert len(written.getvalue()) < 300_000
    began = time.monotonic()
    with pytest.raises(InvalidInput, match="24 million pixels"):
        pictures.prepare(written.getvalue())
    assert time.monotonic() - began < 1.0, "its size is read, and nothing more"
    await web.sign_in()
    many = [web.desk.post(f"{SITE}/pictures", files={"picture": ("a.png", written.getvalue())}) for _ in range(6)]
    assert {one.status_code for one in await asyncio.gather(*many)} <= {422, 429}


async def test_a_plan_that_somebody_has_is_told_to_them_once_a_day_however_often_others_ask(shop: Shop) -> None:
    await buy(shop, "parcel-month")
    for _ in range(5):
        with pytest.raises(Conflict):
            await buy(shop, "parcel-year")
    with psycopg.connect(shop.database.superuser) as db:
        assert db.execute("select count(*) from mails where key like '%% has_plan %%'").fetchone() == (1,)


# -- steering calls to the gateway ----------------------------------------------------------------------------


@pytest.mark.parametrize("token", ["../account", "a/b", "a?b=c", "a#b", "%2e%2e", "a b", "t\n", "", "x" * 201, "ü"])
async def test_a_token_steers_no_call_to_the_gateway(web: Web, token: str) -> None:
    visit = (await begun(web))["visit"]
    answer = await web.counter.post("/counter/api/pay", json=paying(visit, "standin-cards", token=token))
    assert (answer.status_code, answer.json()["errors"][0]["path"]) == (422, "token")


@pytest.mark.parametrize(
    "answered",
    ["[]", "{}", "null", '{"key": 1}', "[" * 5000, '{"outcome": "approved"}', "x", '{"outcome": "pending", "key": "K"}',
     '{"key": "K", "outcome": "approved", "currency": "EUR", "amount": "1E+500000000", "id": "r", "at": "2026-11-24"}',
     '{"key": "K", "outcome": "pending", "approval": "../x y", "expected": null}',
     '{"key": "K", "outcome": "approved", "currency": "EUR", "amount": "48.00", "id": 7, "at": "x"}'],
)  # fmt: skip
async def test_an_answer_that_cannot_be_read_is_none(answered: str, shop: Shop) -> None:
    key = shop.context.new_id()
    asked: list[str] = []

    async def answer(request: httpx.Request) -> httpx.Response:
        asked.append(request.url.raw_path.decode())
        return httpx.Response(200, content=answered.replace("K", str(key)))

    async with httpx.AsyncClient(transport=httpx.MockTransport(answer)) as client:
        gateway = StandInCards(client, Reach("http://gateway", "http://gateway"), "test", Credentials("m", "k"))
        calls = [
            gateway.account(),
            gateway.charge(ChargeRequest(key, 4800, "EUR", "t")),
            gateway.look_up(key),
            gateway.refund(RefundRequest(key, key, 100, "EUR")),
            gateway.look_at("../account"),
            gateway.register_events("http://x"),
        ]
        for call in calls:
            try:
                found = await call
            except NoAnswer:
                continue
            assert "approvals/" in str(found) and " " not in str(getattr(found, "address", "")), found  # noqa: PT018
    assert asked[4] == "/tokens/%2E%2E%2Faccount"


# -- what cannot be handled -----------------------------------------------------------------------------------


async def test_a_message_that_cannot_be_handled_is_set_aside_and_can_be_tried_again(
    shop: Shop, monkeypatch: Any
) -> None:
    connection, secret = await secret_of(shop)
    odd: list[dict[str, Any]] = [{"key": 1}, {"type": "charge.approved", "data": [1]}, {"type": 5, "data": "x"}]
    for n, body in enumerate(odd):
        headers, content = signed(secret, body, f"odd{n}")
        await gateway_events.receive_event(shop.context, connection, headers, content)
    assert await gateway_events.handle_events(shop.context) == 3
    assert await gateway_events.handle_events(shop.context) == 0, "they say nothing, and that is the end of it"

    async def broken(*_: Any) -> str:
        raise RuntimeError("poison")

    headers, content = signed(secret, {"type": "charge.refused", "data": {"key": str(shop.context.new_id())}}, "poison")
    await gateway_events.receive_event(shop.context, connection, headers, content)
    right = gateway_events._handle_event
    monkeypatch.setattr(gateway_events, "_handle_event", broken)
    pauses, tries = [], 0
    while not (found := await aside.set_aside(shop.context, shop.site_id)):
        before = shop.clock()
        while not await gateway_events.handle_events(shop.context):
            shop.clock.ahead += timedelta(seconds=5)
        tries += 1
        pauses.append(shop.clock() - before)
        assert tries < 20
    assert tries == settling.MOST_TRIES
    assert pauses[-1] > pauses[2] > pauses[1], "with growing pauses"
    (one,) = found
    assert (one.row.kind, one.row.tries, one.row.trouble) == ("message", tries, "RuntimeError")
    shop.clock.ahead += timedelta(days=3)
    assert await gateway_events.handle_events(shop.context) == 0
    monkeypatch.setattr(gateway_events, "_handle_event", right)
    await aside.try_again(shop.context, shop.site_id, "message", one.row.id)
    assert await gateway_events.handle_events(shop.context) == 1
    assert await aside.set_aside(shop.context, shop.site_id) == []
    with pytest.raises(NotFound):
        await aside.try_again(shop.context, shop.site_id, "message", one.row.id)


async def test_a_name_of_several_lines_is_refused_and_one_of_long_ago_stops_no_mail(shop: Shop) -> None:
    state = await configuration.draft(shop.context, shop.site_id)
    part = state.parts["site", "-"]
    body = {**part.body, "name": "Ostrel\nBcc: all@example.org"}
    with pytest.raises(InvalidInput, match="several lines"):
        await configuration.edit_part(shop.context, shop.site_id, None, "site", "-", part.change, body)
    with psycopg.connect(shop.database.superuser, autocommit=True) as db:
        db.execute("alter table part_revisions disable trigger user")
        db.execute("update part_revisions set body = body || '{\"name\": \"Two\\nlines\"}' where kind = 'site'")
    shop.context.states = type(shop.context.states)()
    assert (await configuration.site_state(shop.context, shop.site_id)).name == "Two lines", "it is read all the same"
    async with site_transaction(shop.context.pool, shop.site_id) as own:
        await mail.put_by(
            shop.context, own, shop.site_id, "k", "jo@example.org", "A\nsubject", "text", None, "Two\nlines"
        )
    handed: list[Any] = []

    class Server(SmtpServer):
        def hand_over(self, message: Any) -> None:
            handed.append(message)

    shop.context.settings = replace(shop.context.settings, smtp=Server("127.0.0.1", 25))
    assert await mail.send(shop.context) == 1
    assert (handed[0]["Subject"], str(handed[0]["From"])) == ("A subject", "Two lines <skurrow@skurrow.example>")


async def test_a_mail_that_cannot_be_put_together_is_set_aside(shop: Shop) -> None:
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await mail.put_by(shop.context, db, shop.site_id, "k", "no address\nat all", "s", "t")
    for _ in range(mail.MOST_TRIES):
        assert await mail.send(shop.context) == 1
        shop.clock.ahead += timedelta(hours=2)
    assert await mail.send(shop.context) == 0
    (found,) = await aside.set_aside(shop.context, shop.site_id)
    assert found.row.kind == "mail"


async def test_a_renewal_that_cannot_be_done_is_set_aside(shop: Shop, monkeypatch: Any) -> None:
    bought = await buy(shop, "parcel-month")
    assert bought.progress.state == "paid"
    with psycopg.connect(shop.database.superuser, autocommit=True) as db:
        db.execute("alter table subscriptions disable trigger user")
        ((subscription,),) = db.execute("select id from subscriptions").fetchall()

    async def broken(*_: Any) -> str:
        raise RuntimeError("poison")

    monkeypatch.setattr(renewing, "do_due", broken)

    async def claimed(*_: Any) -> list[Any]:
        from skurrow.store.claims import Claimed

        return [Claimed(shop.site_id, subscription)]

    monkeypatch.setattr(subscriptions, "claim_due", claimed)
    for _ in range(renewing.MOST_TRIES):
        await renewing.renew(shop.context)
    (found,) = await aside.set_aside(shop.context, shop.site_id)
    assert (found.row.kind, found.row.trouble) == ("renewal", "RuntimeError")


# -- what logs say --------------------------------------------------------------------------------------------


@pytest.fixture
def served_log() -> Iterator[io.StringIO]:
    """What is logged, as a process that serves writes it."""
    before, handlers = structlog.get_config(), logging.getLogger().handlers
    written = io.StringIO()
    log_as_json(written)
    yield written
    structlog.configure(**before)
    logging.getLogger().handlers = handlers


def test_of_an_error_neither_what_it_says_nor_what_variables_held_is_written_down(served_log: io.StringIO) -> None:
    try:
        try:
            token = "chargeable-token-of-a-buyer"
            raise KeyError(token)
        except KeyError as error:
            raise ValueError(f"jo@buyers.example {token}") from error
    except ValueError as error:
        structlog.get_logger().exception("something.failed", exc_info=error)
        logging.getLogger("uvicorn.error").error("Exception in %s\n%s", "jo@buyers.example", error, exc_info=error)
        found = told(error)
    written = served_log.getvalue()
    assert [one["kind"] for one in found] == ["builtins.ValueError", "builtins.KeyError"]
    assert "test_abuse.py" in written
    for secret in ("chargeable", "jo@buyers"):
        assert secret not in written, written
    assert all(json.loads(line)["level"] == "error" for line in written.splitlines())


async def test_an_error_that_nobody_thought_of_is_answered_and_tells_nothing(
    web: Web, served_log: io.StringIO, monkeypatch: Any
) -> None:

    async def broken(*_: Any) -> None:
        raise RuntimeError("jo@buyers.example token")

    monkeypatch.setattr(opening, "open_counter", broken)
    answer = await web.counter.get("/buy/ostrel-kit")
    assert (answer.status_code, answer.headers["content-type"]) == (500, "application/problem+json")
    assert "jo@buyers" not in answer.text + served_log.getvalue()


@pytest.mark.parametrize(
    "line",
    [
        '{"event": "x", "who": "jo@buyers.example"}',
        '{"exc": "Key (customer)=(a.b@c.org) already exists"}',
        f'{{"card": "{APPROVED}"}}',
        '{"locals": {}}',
        "$argon2id$v=19$m=65536",
        "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw",
        "key W0t2Y3VycmVudC1tYXN0ZXIta2V5LW9mLXRlc3RzISE= of",
        "eyJ2IjoiMDE5MDAwMDAtMDAwMC03MDAwIn0",
    ],
)
def test_the_search_of_logs_finds_what_it_looks_for(line: str) -> None:
    assert leaks(line) != []
    assert leaks('{"event": "request", "route": "/counter/api/pay", "status": 200, "ms": 12.3}') == []


# -- what is said to browsers ---------------------------------------------------------------------------------


async def test_every_answer_says_to_keep_and_guess_nothing(web: Web) -> None:
    for client, path in (
        (web.desk, "/desk/api/me"),
        (web.counter, "/buy/nothing"),
        (web.desk, "/health"),
        (web.desk, "/"),
    ):
        answer = await client.get(path)
        assert (answer.headers["cache-control"], answer.headers["x-content-type-options"]) == ("no-store", "nosniff"), (
            path
        )
        assert "content-security-policy" in answer.headers
        assert "strict-transport-security" not in answer.headers


async def test_by_tls_browsers_come_by_nothing_else(web: Web) -> None:
    settings = replace(
        web.app.state.context.settings, counter_url="https://shop.example", desk_url="https://desk.example"
    )
    app = make_app(settings)
    app.state.context = web.app.state.context
    async with httpx.AsyncClient(transport=httpx.ASGITransport(app), base_url="https://shop.example") as client:
        assert (await client.get("/health")).headers["strict-transport-security"] == ONLY_TLS


async def test_refusals_are_documented_as_what_they_are(web: Web) -> None:
    for path, operations in web.app.openapi()["paths"].items():
        for operation in operations.values():
            for status, answer in operation["responses"].items():
                if status == "default" or status.startswith("4"):
                    assert list(answer["content"]) == ["application/problem+json"], path


# -- stops ----------------------------------------------------------------------------------------------------


@pytest.fixture
async def selling(shop: Shop) -> Shop:
    """The demo, released and open for real buyers."""
    await released(shop)
    await go_live(shop)
    return shop


@pytest.mark.parametrize("what", ["site", "product", "checkout"])
async def test_what_is_stopped_is_sold_to_nobody_not_even_who_is_about_to_pay(selling: Shop, what: Any) -> None:
    context, site, by = selling.context, selling.site_id, selling.person_id
    under_way = await opened(selling)
    assert under_way.mode == "live"
    if what == "site":
        await selling_states.set_site(context, site, by, "stopped", "We have found a mistake.")
    else:
        part = {"product": "coptic-kit", "checkout": "kit"}[what]
        await selling_states.stop_part(context, site, by, what, part, "We have found a mistake.")
    with pytest.raises(Closed, match="We have found a mistake"):
        await pay(selling, under_way)
    with pytest.raises(Closed, match="We have found a mistake"):
        await opened(selling)
    if what == "site":
        await selling_states.set_site(context, site, by, "opened", "")
    else:
        await selling_states.start_part(context, site, by, what, part)
    assert (await pay(selling, under_way)).state == "paid"
    found = await selling_states.selling(context, site)
    assert ([one.state for one in found.changes], found.stopped) == (["opened", "stopped"], [])


async def test_a_site_that_is_closed_lets_buyers_under_way_pay_and_makes_test_buyers_of_nobody(selling: Shop) -> None:
    under_way = await opened(selling)
    await selling_states.set_site(selling.context, selling.site_id, selling.person_id, "closed", "Back in May.")
    with pytest.raises(Closed, match=r"Back in May\."):
        await opened(selling)
    assert (await pay(selling, under_way)).state == "paid"
    async with site_transaction(selling.context.pool, selling.site_id) as db:
        row = await configuration.site_row(db, selling.site_id)
    assert row.live_since is not None
    tests = await opened(selling, test_pass=pass_token(selling.context, selling.site_id, 0))
    assert tests.mode == "test", "who tries it is not hindered"
    assert (await pay(selling, tests)).state == "paid"


async def test_a_bundle_is_stopped_with_what_it_holds(selling: Shop) -> None:
    await selling_states.stop_part(selling.context, selling.site_id, selling.person_id, "product", "coptic-kit", "")
    async with site_transaction(selling.context.pool, selling.site_id) as db:
        row = await stored.selling(db, selling.site_id)
    edition = (await configuration.draft(selling.context, selling.site_id)).edition
    holds = {price for price, one in edition.prices.items() if any(c.price == "kit" for c in one.product.contains)}
    assert selling_states.stopped_prices(row, edition, edition.prices) == {"kit", *holds}
    with pytest.raises(NotFound):
        await selling_states.stop_part(selling.context, selling.site_id, selling.person_id, "product", "nothing", "")


async def test_a_test_pass_that_was_withdrawn_opens_nothing_not_even_for_those_under_way(selling: Shop) -> None:
    old = pass_token(selling.context, selling.site_id, 0)
    under_way = await opened(selling, test_pass=old)
    await selling_states.withdraw_test_pass(selling.context, selling.site_id)
    assert (await opened(selling, test_pass=old)).mode == "live"
    with pytest.raises(NotFound, match="withdrawn"):
        await pay(selling, under_way)
    assert (await opened(selling, test_pass=pass_token(selling.context, selling.site_id, 1))).mode == "test"


async def test_forwarded_addresses_are_believed_of_the_named_proxy_only(shop: Shop) -> None:
    from uvicorn.middleware.proxy_headers import ProxyHeadersMiddleware

    from skurrow.web.server import server

    plain = server(settings_for(shop.database, shop.cards), 1).config
    plain.load()
    assert not isinstance(plain.loaded_app, ProxyHeadersMiddleware)
    assert plain.server_header is False
    behind = server(replace(settings_for(shop.database, shop.cards), proxies=("10.0.0.7",)), 1).config
    behind.load()
    proxied: Any = behind.loaded_app
    assert isinstance(proxied, ProxyHeadersMiddleware)
    assert "10.0.0.7" in proxied.trusted_hosts
    assert "127.0.0.1" not in proxied.trusted_hosts
