"""Giving something back: said by anybody, acknowledged to the buyer alone, looked after once."""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest
from psycopg import sql

from skurrow.service.account import signing_in, their_data
from skurrow.service.account.signing_in import Customer
from skurrow.service.changes import acting, running
from skurrow.service.counter.visit import Choice
from skurrow.service.limits import GIVE_BACKS_MAILBOX
from skurrow.service.mail import mail
from skurrow.service.orders import books, give_backs, sent
from skurrow.service.orders.give_backs import Typed
from skurrow.service.papers import papers
from skurrow.service.refusals import Conflict, NotFound, TooMany
from skurrow.store.database import run, site_transaction, value
from tests.conftest import Shop
from tests.service.counter.test_selling import opened, pay, story
from tests.service.living import ADDRESS, buy, own_cards, subscription
from tests.service.orders.test_order_mail import put_by

cards = own_cards
PLACE = "203.0.113.7"


async def say(shop: Shop, order: str = "", email: str = "jo@example.org", **more: Any) -> give_backs.Acknowledged:
    words = {"name": "Jo", "email": email, "order": order, "what": "the moss kit", "words": "", **more}
    asked_as = words.pop("asked_as", uuid.uuid4())
    return await give_backs.ask(shop.context, shop.site_id, "test", asked_as, Typed(**words), PLACE)


async def bought(shop: Shop) -> str:
    await pay(shop, await opened(shop))
    return (await story(shop)).order.code


async def as_owner(shop: Shop) -> None:
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await run(db, "update members set role = 'owner' where site_id = %(site)s", {"site": shop.site_id})


async def test_a_buyers_word_is_kept_once_and_acknowledged_by_mail_with_when_it_came(shop: Shop) -> None:
    await as_owner(shop)
    code, asked_as = await bought(shop), uuid.uuid4()
    first = await say(shop, code.lower(), asked_as=asked_as, words="It is too big")
    assert await say(shop, code, asked_as=asked_as) == first
    (row,) = await give_backs.listed(shop.context, shop.site_id, "test")
    assert (row.order_code, row.code, row.state, row.words) == (code, first.code, "open", "It is too big")
    told = [one for one in await put_by(shop) if "give back" in one[0]]
    ((subject, text, to),) = told
    assert (subject, to) == (f"[Test] What you give back of your order {code}", "jo@example.org")
    assert "“the moss kit\nIt is too big”" in text
    assert str(first.at.astimezone().year) in text
    ((noted, body, _),) = await put_by(shop, "give back")
    assert noted == f"[Test] Asked back: {code}"
    assert (
        f"something back of the order {code}:\n\nthe moss kit\n\nhttp://localhost:8400/s/ostrel/asked-back/test" in body
    )
    assert [event.kind for event in (await story(shop)).events][-1] == "order.asked_back"


@pytest.mark.parametrize("email", ["someone@else.example", "jo@example.org"])
async def test_nothing_tells_a_stranger_whether_there_is_such_an_order(shop: Shop, email: str) -> None:
    code = await bought(shop)
    before = len(await put_by(shop))
    found = await say(shop, code if email != "jo@example.org" else "NOTHERE2", email)
    assert len(found.code) == len(code)
    assert len(await put_by(shop)) == before, "nobody is mailed"
    (row,) = await give_backs.listed(shop.context, shop.site_id, "test")
    assert (row.order_code, row.email) == (None, email)
    await give_backs.decide(shop.context, shop.site_id, "test", row.id, shop.person_id, "declined", "Who are you?")
    assert len(await put_by(shop)) == before


async def test_owners_hear_of_what_fits_no_order_too_but_not_without_end(shop: Shop) -> None:
    await as_owner(shop)
    for n in range(give_backs.MOST_NOTED + 3):
        await say(shop, "NOTHERE2", f"buyer{n}@mail.example")
    noted = await put_by(shop, "give back")
    assert len(noted) == give_backs.MOST_NOTED
    assert "of an order that is not known by what they typed" in noted[0][1]
    assert len(await give_backs.listed(shop.context, shop.site_id, "test")) == give_backs.MOST_NOTED + 3
    await say(shop, await bought(shop))
    assert len(await put_by(shop, "give back")) == give_backs.MOST_NOTED + 1


async def test_nobody_has_a_web_address_of_theirs_mailed_in_the_shops_name(shop: Shop) -> None:
    code = await bought(shop)
    await say(shop, code, what="All", words="Claim your prize at prizes.example")
    text = (await put_by(shop))[-1][1]
    assert "“All”" in text
    assert "prizes.example" not in text
    (row,) = await give_backs.listed(shop.context, shop.site_id, "test")
    assert "prizes.example" in row.words, "the desk reads all of it"


async def test_somebody_looks_after_it_once_and_says_why_not(shop: Shop) -> None:
    code = await bought(shop)
    await say(shop, code)
    await say(shop, code, what="the thread")
    thread, kit = await give_backs.listed(shop.context, shop.site_id, "test")
    decide = give_backs.decide
    await decide(shop.context, shop.site_id, "test", kit.id, shop.person_id, "done", "")
    await decide(shop.context, shop.site_id, "test", thread.id, shop.person_id, "declined", "It was cut.")
    with pytest.raises(Conflict, match="Noor Vermaat has looked after it already"):
        await decide(shop.context, shop.site_id, "test", kit.id, shop.person_id, "declined", "No")
    with pytest.raises(NotFound):
        await decide(shop.context, shop.site_id, "live", kit.id, shop.person_id, "done", "")
    (text,) = [one[1] for one in await put_by(shop) if one[0].startswith("[Test] About what you give back")]
    assert "“It was cut.”" in text
    assert [event.kind for event in (await story(shop)).events][-2:] == [
        "order.give_back_done",
        "order.give_back_declined",
    ]


async def test_nobody_fills_a_mailbox_with_it(shop: Shop) -> None:
    code = await bought(shop)
    shop.context.settings = replace(shop.context.settings, leeway=1)
    for _ in range(GIVE_BACKS_MAILBOX.most):
        await say(shop, code)
    with pytest.raises(TooMany, match="said several times already"):
        await say(shop, code)


async def test_clearing_the_test_book_takes_them_along(shop: Shop) -> None:
    await say(shop, "", "a@b.example")
    await say(shop, await bought(shop))
    await books.clear_test_book(shop.context, shop.site_id, shop.person_id)
    assert await give_backs.listed(shop.context, shop.site_id, "test") == []


def jo(shop: Shop) -> Customer:
    return Customer(shop.site_id, "ostrel", "test", "jo@example.org")


async def test_a_customer_has_all_that_is_kept_of_them_as_a_file_and_nothing_of_others(shop: Shop) -> None:
    code = await bought(shop)
    await say(shop, code)
    await pay(shop, await opened(shop), email="other@example.org", name="Somebody Else")
    found = await their_data.as_file(shop.context, jo(shop))
    assert [one["code"] for one in found["orders"]] == [code]
    assert found["orders"][0]["buyer"]["email"] == "jo@example.org"
    assert [one["order"] for one in found["papers"]] == [code]
    assert [one["what"] for one in found["given_back"]] == ["the moss kit"]
    assert "Somebody Else" not in str(found)


async def test_of_who_is_forgotten_the_books_stay_and_nothing_else(shop: Shop) -> None:
    choice = Choice(variant="moss", delivery="collect", coupons=("bind10",))
    await pay(shop, await opened(shop), choice=choice, expected="43.20")
    code = (await story(shop)).order.code
    await say(shop, code, words="Jo says hello")
    order = (await story(shop)).order
    (before,) = await papers.of_order(shop.context, shop.site_id, "test", order.id)
    await their_data.forget(shop.context, jo(shop))
    after = (await story(shop)).order
    assert (after.total, after.quote, after.state) == (order.total, order.quote, "paid")
    assert after.kept.buyer.country == "NL"
    assert await papers.of_order(shop.context, shop.site_id, "test", order.id) == [before]
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        for table in ("orders", "mails", "give_backs", "attempts", "events", "coupon_uses", "coupon_counts"):
            query = sql.SQL("select count(*) from {} t where t::text ilike '%jo@example%' or t::text like '%Jo says%'")
            found = await (await db.execute(query.format(sql.Identifier(table)))).fetchone()
            assert found == (0,), table
    at = await signing_in.shop(shop.context, "ostrel", True)
    await signing_in.send_link(shop.context, at, "jo@example.org", "en", PLACE)
    assert [one for one in await put_by(shop, "account") if one[2]] == []
    await pay(shop, await opened(shop))
    assert len((await their_data.as_file(shop.context, jo(shop)))["orders"]) == 1, "who comes again is somebody new"


async def test_nobody_is_forgotten_while_a_parcel_needs_their_address_or_a_payment_is_under_way(shop: Shop) -> None:
    choice = Choice(variant="moss", delivery="post")
    await pay(shop, await opened(shop), choice=choice, expected="52.95", address=ADDRESS)
    code = (await story(shop)).order.code
    with pytest.raises(Conflict, match=f"The order {code} was not sent yet"):
        await their_data.forget(shop.context, jo(shop))
    await sent.mark_sent(shop.context, shop.site_id, "test", code, shop.person_id, uuid.uuid4(), "")
    await their_data.forget(shop.context, jo(shop))
    await pay(shop, await opened(shop), "approval", email="jo@example.org")
    with pytest.raises(Conflict, match="waits for its payment"):
        await their_data.forget(shop.context, jo(shop))


async def test_a_parcel_of_which_nobody_says_that_it_was_sent_is_waited_for_a_month(shop: Shop) -> None:
    choice = Choice(variant="moss", delivery="post")
    await pay(shop, await opened(shop), choice=choice, expected="52.95", address=ADDRESS)
    shop.clock.ahead += their_data.TO_SEND + timedelta(hours=1)
    await their_data.forget(shop.context, jo(shop))
    assert (await story(shop)).order.kept.buyer.name == "Forgotten"


async def test_who_is_forgotten_as_a_buyer_keeps_what_they_are_written_as_somebody_of_the_desk(shop: Shop) -> None:
    await bought(shop)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await mail.put_by(shop.context, db, shop.site_id, "invitation x", "jo@example.org", "Come", "Work with us")
    await their_data.forget(shop.context, jo(shop))
    assert [one[::2] for one in await put_by(shop, "invitation")] == [("Come", "jo@example.org")]
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        count = "select count(*) from mails where key like %(of)s and (to_address <> '' or subject <> '')"
        assert await value(db, count, {"of": "order %"}) == 0


async def test_nobody_is_forgotten_while_something_of_theirs_is_running(shop: Shop) -> None:
    await buy(shop, "parcel-month", email="jo@example.org")
    with pytest.raises(Conflict, match="is still running"):
        await their_data.forget(shop.context, jo(shop))
    ending = acting.Ending(when="at_once", unused="kept")
    await running.cancel(shop.context, shop.site_id, await subscription(shop, "jo@example.org"), ending=ending)
    await their_data.forget(shop.context, jo(shop))
    shop.clock.ahead += timedelta(days=1)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        query = "select count(*) from subscriptions where sealed_on_file is not null or buyer::text like %(like)s"
        left = await value(db, query, {"like": "%jo@%"})
    assert left == 0
