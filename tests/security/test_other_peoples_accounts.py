"""Getting into what is somebody else's: look-alike addresses, planted visits, another gateway's messages, passwords."""

from __future__ import annotations

import asyncio
from dataclasses import replace
from datetime import timedelta
from typing import Any
from uuid import UUID

import psycopg
import pytest
from psycopg import errors

from skurrow.core.mailboxes import mailbox
from skurrow.run.cluster import OWNER
from skurrow.run.demo import EMAIL
from skurrow.service.account import signing_in
from skurrow.service.counter import buyer_password, opening
from skurrow.service.counter.paying import pay
from skurrow.service.counter.progress import back_token
from skurrow.service.counter.visit import Choice, read_visit
from skurrow.service.counter.visit import signed as signed_visit
from skurrow.service.limits import LINK, SIGN_IN, SIGN_IN_MAILBOX
from skurrow.service.orders import gateway_events, refunds, settling
from skurrow.service.people import members, passwords, sign_in, two_step
from skurrow.service.people.sign_in import SecondStep, Where
from skurrow.service.refusals import NotFound, TooMany
from skurrow.store import mailbox_keys
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.people.people import person_by_email
from tests.conftest import PASSWORD, Shop, strict
from tests.payments import payment_of
from tests.service.counter.test_selling import opened
from tests.service.living import buy, own_cards, subscription
from tests.service.orders.test_settling import about, signed
from tests.service.payments.test_ways import all_ways, asked_again, order_state, pressed
from tests.web.conftest import Web
from tests.web.test_account import ask, mails_to, mine, token_for
from tests.web.test_ways import boot, paying

cards = own_cards
__all__ = ["all_ways"]

OWNERS, LOOK_ALIKE = "user@grosshandel.example", "user@großhandel.example"
ELSEWHERE = Where("203.0.113.9")


# -- look-alikes ----------------------------------------------------------------------------------------------


async def test_a_look_alike_address_gets_no_link_to_anothers_account(web: Web) -> None:
    await buy(web.shop, "parcel-month", email=OWNERS)
    assert (await ask(web, "POST", "/link", {"email": LOOK_ALIKE})).status_code == 204
    assert await mails_to(web, LOOK_ALIKE) == []
    assert not any("Sign in" in subject for subject, _ in await mails_to(web, OWNERS))


async def test_mail_goes_to_the_address_as_stored_however_it_was_typed(web: Web) -> None:
    await buy(web.shop, "parcel-month", email="Maud@Bücher.example")
    assert (await ask(web, "POST", "/link", {"email": "mAUD@xn--bcher-kva.EXAMPLE"})).status_code == 204
    subject, _ = (await mails_to(web, "Maud@Bücher.example"))[0]
    assert subject.startswith("[Test]")
    assert await mails_to(web, "mAUD@xn--bcher-kva.EXAMPLE") == []


async def test_two_who_look_alike_are_two_customers_everywhere(shop: Shop) -> None:
    await buy(shop, "parcel-month", email=OWNERS)
    await buy(shop, "parcel-month", email=LOOK_ALIKE)  # no second step of a ladder: somebody else's first
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        rows = await (await db.execute("select customer from subscriptions order by 1")).fetchall()
        ordered = await (await db.execute("select distinct customer from orders order by 1")).fetchall()
    assert rows == ordered == [(OWNERS,), (mailbox(LOOK_ALIKE),)]


async def test_one_mailbox_of_the_desk_is_one_person(shop: Shop) -> None:
    async with siteless_transaction(shop.context.pool) as db:
        person = await person_by_email(db, EMAIL)
        assert await person_by_email(db, "DEV@OSTREL.example") == person
    assert person is not None
    await members.invite(shop.context, shop.site_id, person, "jo@bücher.example", "owner")
    with pytest.raises(Exception, match="is invited already"):
        await members.invite(shop.context, shop.site_id, person, "JO@xn--bcher-kva.example", "owner")


async def test_rows_of_before_are_compared_anew_and_collisions_listed(shop: Shop) -> None:
    await buy(shop, "parcel-month", email=OWNERS)
    await buy(shop, "parcel-month", email=LOOK_ALIKE)
    with psycopg.connect(shop.database.owner, autocommit=True) as db:
        # As they were before: both one customer, by a folding that is not IDNA's; and orders that name none.
        db.execute("update subscriptions set customer = %s", (OWNERS,))
        db.execute("alter table orders disable trigger user")
        db.execute("update orders set customer = ''")
        db.execute("alter table orders enable trigger user")
        db.execute("update people set mailbox = null")
        assert mailbox_keys.fill(db) == 1
        assert mailbox_keys.fill(db) == 0, "once more is harmless"
        found = {row[0] for row in db.execute("select customer from subscriptions").fetchall()}
        listed = db.execute("select what, mailbox from mailbox_collisions").fetchall()
        assert db.execute("select count(*) from orders where customer = ''").fetchone() == (0,)
        assert db.execute("select mailbox from people").fetchall() == [(EMAIL,)]
    assert found == {OWNERS, mailbox(LOOK_ALIKE)}
    assert [(what.partition(":")[0], key) for what, key in listed] == [("subscriptions", OWNERS)]
    assert OWNER in shop.database.owner


# -- planted visits -------------------------------------------------------------------------------------------


async def test_a_way_back_plants_no_visit(web: Web) -> None:
    """The sender of a link learns nothing of whoever follows it, and neither holds the other's visit."""
    page = boot((await web.counter.get("/buy/ostrel-kit")).text)
    senders = page["counter"]["visit"]
    victim = boot((await web.counter.get(f"/buy/ostrel-kit?back={senders}")).text)
    fresh = victim["counter"]["visit"]
    assert fresh != senders
    answer = await web.counter.post("/counter/api/come-back", json={"back": senders, "fresh": fresh})
    assert answer.status_code == 404, "a visit is no way back"
    context = web.shop.context
    read = read_visit(context, senders)
    back = back_token(context, read.site_id, read.mode, read.id)
    told = (await web.counter.post("/counter/api/come-back", json={"back": back, "fresh": fresh})).json()
    assert told["counter"]["visit"] == fresh
    body = paying(fresh, "standin-cards", token=await web.shop.cards.token())
    assert (await web.counter.post("/counter/api/pay", json=body)).json()["state"] == "paid"
    progress = (await web.counter.post("/counter/api/progress", json={"visit": senders})).json()
    assert (progress["state"], progress["confirmation"]) == ("none", None)


async def test_who_holds_a_confirmation_link_does_not_hold_the_visit(web: Web) -> None:
    visit = boot((await web.counter.get("/buy/ostrel-kit")).text)["counter"]["visit"]
    body = paying(visit, "standin-cards", token=await web.shop.cards.token())
    paid = (await web.counter.post("/counter/api/pay", json=body)).json()
    page = await web.counter.get(paid["confirmation"])
    assert visit not in page.text
    back = boot(page.text)["back"]
    for path in ("progress", "give-up", "resume", "quote", "pay"):
        sent = {**body, "visit": back} if path in ("pay", "quote") else {"visit": back}
        sent |= {"fresh": back} if path == "resume" else {}
        answer = await web.counter.post(f"/counter/api/{path}", json=sent)
        assert answer.status_code in (404, 422), path


async def test_a_password_is_kept_from_the_press_that_opened_the_charge_and_never_replaced(web: Web) -> None:
    shop = web.shop
    counter = await opening.open_counter(shop.context, "ostrel-club")
    visit = read_visit(shop.context, counter.visit)
    choice = Choice(price="parcel-month", delivery="collect")
    payment = payment_of("maud@standin.example", "Maud", "NL", None, "24.00", choice, password="the owner's words")
    first = replace(payment, token=await shop.cards.token())
    assert (await pay(shop.context, visit, first)).state == "paid"
    # Whoever else holds the visit presses once more, with another password beside the same address.
    second = replace(payment, token=await shop.cards.token(), password="the thief's words")
    assert (await pay(shop.context, visit, second)).state == "paid"
    await buyer_password.password_at_checkout(
        shop.context, shop.site_id, "test", visit.id, payment.buyer.email, "the thief's words"
    )
    proof = {"token": await token_for(web, payment.buyer.email), "visit": signed_visit(shop.context, visit)}
    assert (await ask(web, "POST", "/enter", proof)).status_code == 204
    assert (await mine(web))["has_password"] is True
    for words, status in (("the thief's words", 422), ("the owner's words", 204)):
        body = {"email": payment.buyer.email, "password": words}
        assert (await ask(web, "POST", "/password-sign-in", body)).status_code == status, words


async def test_what_was_typed_elsewhere_counts_for_nobody(web: Web) -> None:
    bought = await buy(web.shop, "parcel-month")
    shop, email = web.shop, "maud@standin.example"
    for words in ("planted beforehand", "planted again"):
        await buyer_password.password_at_checkout(
            shop.context, shop.site_id, "test", shop.context.new_id(), email, words
        )
    mine_ = signed_visit(shop.context, bought.visit)
    assert (await ask(web, "POST", "/enter", {"token": await token_for(web, email), "visit": mine_})).status_code == 204
    assert (await mine(web))["has_password"] is False
    answer = await ask(web, "POST", "/password-sign-in", {"email": email, "password": "planted beforehand"})
    assert answer.status_code == 422


# -- messages of another gateway ------------------------------------------------------------------------------


async def _told(shop: Shop, adapter: str, body: dict[str, Any], message: str) -> str:
    """Has a message of a gateway come in, signed as it signs; what it came to."""
    rows = {row.adapter: row for row in await _connections(shop)}
    secret = shop.context.vault.open(rows[adapter].sealed_event_secret)
    headers, content = signed(secret, body, message)
    await gateway_events.receive_event(shop.context, rows[adapter].id, headers, content)
    await gateway_events.handle_events(shop.context)
    with psycopg.connect(shop.database.superuser) as db:
        found = db.execute("select outcome from gateway_events where message_id = %s", (message,)).fetchone()
    return str(found and found[0])


async def _connections(shop: Shop) -> list[Any]:
    from skurrow.service.payments import gateways

    return await gateways.connected(shop.context, shop.site_id)


async def test_a_message_of_one_gateway_settles_nothing_of_another(all_ways: Shop) -> None:
    shop = all_ways
    visit = await opened(shop)
    await pressed(shop, visit, "standin-cards", await shop.cards.token("9600246810126403"))
    with psycopg.connect(shop.database.superuser) as db:
        ((key, amount),) = db.execute("select id, amount from attempts where state = 'open'").fetchall()
    assert amount == 4800
    assert await _told(shop, "standin-debit", about(str(key)), "forged") == settling.ANOTHERS
    assert await order_state(shop) == "open"
    assert await _told(shop, "standin-cards", about(str(key)), "right") == "paid"
    assert await order_state(shop) == "paid"
    refund = {
        "key": None,
        "id": "r1",
        "amount": "48.00",
        "currency": "EUR",
        "outcome": "approved",
        "at": "2026-11-24T10:00:00Z",
    }
    elsewhere = {"type": "charge.refunded", "data": {"key": str(key), "refund": refund}}
    assert await _told(shop, "standin-debit", elsewhere, "refund") == settling.ANOTHERS
    dispute = {"id": "d1", "amount": "48.00", "currency": "EUR", "outcome": "lost", "reason": "other",
               "at": "2026-11-24T10:00:00Z"}  # fmt: skip
    questioned = {"type": "dispute.closed", "data": {"key": str(key), "dispute": dispute}}
    assert await _told(shop, "standin-debit", questioned, "dispute") == settling.ANOTHERS
    assert await _told(shop, "standin-cards", questioned, "dispute2") == "dispute.lost"


async def test_the_database_refuses_what_another_gateway_says(all_ways: Shop) -> None:
    shop = all_ways
    visit = await opened(shop)
    await pressed(shop, visit, "standin-cards", await shop.cards.token())
    await asked_again(shop, visit, "paid")
    ids = {row.adapter: row.id for row in await _connections(shop)}
    with psycopg.connect(shop.database.superuser) as db:
        for statement in (
            "update attempts set told_by = %s",
            "insert into charges (id, site_id, mode, order_id, attempt_id, connection_id, gateway_reference, currency,"
            " amount, charged_at) select gen_random_uuid(), site_id, mode, order_id, attempt_id, %s, 'x', currency,"
            " amount, charged_at from charges",
            "insert into disputes (id, site_id, mode, order_id, charge_id, gateway_reference, currency, amount, reason,"
            " state, opened_at, told_by) select gen_random_uuid(), site_id, mode, order_id, id, 'x', currency, amount,"
            " 'other', 'open', charged_at, %s from charges",
        ):
            with pytest.raises(errors.IntegrityError):
                db.execute(statement.encode(), (ids["standin-debit"],))
            db.rollback()


async def test_a_gateway_that_was_connected_again_is_still_heard_of_its_earlier_charges(all_ways: Shop) -> None:
    from skurrow.service.payments import gateways

    shop = all_ways
    await pressed(shop, await opened(shop), "standin-cards", await shop.cards.token("9600246810126403"))
    with psycopg.connect(shop.database.superuser) as db:
        ((key,),) = db.execute("select id from attempts where state = 'open'").fetchall()
    await gateways.connect(shop.context, shop.site_id, "standin-cards", "test", shop.cards.test)
    assert await _told(shop, "standin-cards", about(str(key)), "later") == "paid"


async def test_a_refund_is_told_of_by_its_own_gateway_only(all_ways: Shop) -> None:
    from skurrow.gateway.protocol import Refunded

    shop = all_ways
    ids = {row.adapter: row.id for row in await _connections(shop)}
    visit = await opened(shop)
    await pressed(shop, visit, "standin-cards", await shop.cards.token())
    with psycopg.connect(shop.database.superuser, autocommit=True) as db:
        ((charge, order, site),) = db.execute("select id, order_id, site_id from charges").fetchall()
        refund = shop.context.new_id()
        db.execute(
            "insert into refunds (id, site_id, mode, order_id, charge_id, asked_as, currency, amount, parts, opened_at,"
            " ask_at) values (%s, %s, 'test', %s, %s, gen_random_uuid(), 'EUR', 100, '[]', now(), now())",
            (refund, site, order, charge),
        )
    outcome = Refunded("r", 100, "EUR", shop.clock())
    told = await refunds.settle(shop.context, UUID(str(site)), refund, outcome, ids["standin-debit"])
    assert told == settling.ANOTHERS


# -- the desk's password --------------------------------------------------------------------------------------


async def _link(shop: Shop) -> str:
    await passwords.send_link(shop.context, EMAIL.upper(), ELSEWHERE)
    with psycopg.connect(shop.database.superuser) as db:
        row = db.execute("select sealed_text, to_address from mails order by id desc limit 1").fetchone()
    assert row is not None
    assert row[1] == EMAIL, "as it is stored"
    text = shop.context.vault.open(row[0])
    return text.partition("#")[2].split()[0]


async def test_a_forgotten_password_is_set_anew_by_a_mailed_link_once(shop: Shop) -> None:
    strict(shop.context)
    session = await sign_in.sign_in(shop.context, EMAIL, PASSWORD, ELSEWHERE)
    assert session
    first, second = await _link(shop), await _link(shop)
    await passwords.reset(shop.context, second, "quires and signatures")
    for used in (first, second, "x"):
        with pytest.raises(NotFound):
            await passwords.reset(shop.context, used, "something else again")
    assert await sign_in.who_is(shop.context, session) is None, "whoever was signed in is not any more"
    assert await sign_in.sign_in(shop.context, EMAIL, PASSWORD, ELSEWHERE) is None
    assert await sign_in.sign_in(shop.context, EMAIL, "quires and signatures", ELSEWHERE)
    late = await _link(shop)
    shop.clock.ahead = passwords.LINK_LIFE + timedelta(seconds=1)
    with pytest.raises(NotFound):
        await passwords.reset(shop.context, late, "something else again")


async def test_a_link_that_somebody_else_reads_opens_nothing_without_the_second_step(shop: Shop) -> None:
    import pyotp

    async with siteless_transaction(shop.context.pool) as db:
        person = await person_by_email(db, EMAIL)
    assert person is not None
    offer = two_step.offer(shop.context, person)
    await two_step.turn_on(shop.context, person, offer.sealed, pyotp.TOTP(offer.key).at(shop.clock()))
    await passwords.reset(shop.context, await _link(shop), "quires and signatures")
    with pytest.raises(SecondStep):
        await sign_in.sign_in(shop.context, EMAIL, "quires and signatures", ELSEWHERE)


async def test_nobody_learns_who_can_sign_in_nor_fills_a_mailbox(shop: Shop) -> None:
    strict(shop.context)
    for email in (EMAIL, "nobody@mail.example"):
        for _ in range(LINK.most):
            await passwords.send_link(shop.context, email, ELSEWHERE)
        with pytest.raises(TooMany):
            await passwords.send_link(shop.context, email, ELSEWHERE)
    for n in range(40):
        await passwords.send_link(shop.context, EMAIL, Where(f"198.51.100.{n}"))
    with psycopg.connect(shop.database.superuser) as db:
        assert db.execute("select count(*) from mails").fetchone() == (LINK.most,), "the last one is still good"
    shop.clock.ahead = passwords.APART + timedelta(seconds=1)
    await passwords.send_link(shop.context, EMAIL, Where("198.51.100.99"))
    with psycopg.connect(shop.database.superuser) as db:
        assert db.execute("select count(*) from mails").fetchone() == (LINK.most + 1,), "its owner is never shut out"


async def test_nobody_shuts_an_owner_out_of_a_browser_that_we_know(shop: Shop) -> None:
    strict(shop.context)
    async with siteless_transaction(shop.context.pool) as db:
        person = await person_by_email(db, EMAIL)
    assert person is not None
    known = sign_in.know_browser(shop.context, str(person.id))
    for n in range(SIGN_IN_MAILBOX.most):
        assert await sign_in.sign_in(shop.context, EMAIL, "wrong", Where(f"198.51.100.{n}")) is None
    with pytest.raises(TooMany):
        await sign_in.sign_in(shop.context, EMAIL, PASSWORD, Where("198.51.100.99"))
    assert await sign_in.sign_in(shop.context, EMAIL, PASSWORD, Where("198.51.100.99", known=known))
    forged = Where("198.51.100.98", known=sign_in.know_browser(shop.context, "somebody else"))
    with pytest.raises(TooMany):
        await sign_in.sign_in(shop.context, EMAIL, PASSWORD, forged)
    for _ in range(SIGN_IN.most):
        await sign_in.sign_in(shop.context, EMAIL, "wrong", Where("198.51.100.97", known=known))
    with pytest.raises(TooMany):
        await sign_in.sign_in(shop.context, EMAIL, PASSWORD, Where("198.51.100.97", known=known))


async def test_a_password_is_changed_by_whoever_knows_it_and_the_others_are_signed_out(web: Web) -> None:
    await web.sign_in()
    other = await sign_in.sign_in(web.shop.context, EMAIL, PASSWORD, ELSEWHERE)
    assert other
    for body, path in (
        ({"password": "wrong", "new": "quires and signatures"}, "password"),
        ({"password": PASSWORD, "new": "short"}, "new"),
    ):
        answer = await web.desk.put("/desk/api/password", json=body)
        assert (answer.status_code, [one["path"] for one in answer.json()["errors"]]) == (422, [path])
    done = await web.desk.put("/desk/api/password", json={"password": PASSWORD, "new": "quires and signatures"})
    assert done.status_code == 204
    assert (await web.desk.get("/desk/api/me")).status_code == 200, "this browser stays"
    assert await sign_in.who_is(web.shop.context, other) is None
    assert await mails_to(web, EMAIL), "a mail says so"


async def test_a_command_sets_a_password_where_no_mail_works(shop: Shop) -> None:
    await passwords.set_by_command(shop.context, EMAIL, "quires and signatures")
    assert await sign_in.sign_in(shop.context, EMAIL, "quires and signatures", ELSEWHERE)
    with pytest.raises(NotFound):
        await passwords.set_by_command(shop.context, "nobody@mail.example", "quires and signatures")


async def test_a_customer_is_never_shut_out_of_a_link(web: Web) -> None:
    """Others ask for links with their address from everywhere: there is always one that works in the mailbox."""
    strict(web.app.state.context)
    await buy(web.shop, "parcel-month")
    email, context = "maud@standin.example", web.app.state.context
    at = await signing_in.shop(context, "ostrel", True)
    before = len(await mails_to(web, email))
    for n in range(60):
        await signing_in.send_link(context, at, email, None, f"198.51.100.{n}")
    sent = len(await mails_to(web, email)) - before
    assert sent == LINK.most, "one client after the other, and five mails"
    token = (await mails_to(web, email))[0][1].partition("#")[2].split()[0]
    assert (await ask(web, "POST", "/enter", {"token": token})).status_code == 204, "the last one lets in"
    await signing_in.send_link(context, at, email, None, "192.0.2.1")
    assert len(await mails_to(web, email)) - before == LINK.most, "one that is not used yet is still there"
    assert (await subscription(web.shop)).customer == email
    with pytest.raises(TooMany):
        await asyncio.gather(
            *(signing_in.send_link(context, at, f"n{n}@x.example", None, "192.0.2.2") for n in range(30))
        )
