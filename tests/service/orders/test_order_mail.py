"""Mails about orders: each sale tells its buyer, in their language, once, with its papers attached."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any
from uuid import uuid4

import httpx
import pytest
from pypdf import PdfReader

from skurrow.core.order import Buyer
from skurrow.core.payments.refunds import Asked
from skurrow.core.problems import InvalidInput
from skurrow.service.account import signing_in, theirs
from skurrow.service.changes import moving
from skurrow.service.counter import paying, pricing
from skurrow.service.counter.visit import Choice
from skurrow.service.draft import configuration
from skurrow.service.mail import mail
from skurrow.service.mail.mail_words import MAILS, PLAIN
from skurrow.service.orders import asking, books, refunds, sent, settling
from skurrow.service.orders.order_mail import MOST_UNPAID
from skurrow.service.orders.settling import REMINDER
from skurrow.service.refusals import Conflict
from skurrow.store.database import rows, run, site_transaction
from tests.conftest import Shop
from tests.payments import payment_of
from tests.service.counter import test_several as several
from tests.service.counter.test_selling import buy_for_real, opened, pay, story
from tests.service.living import ADDRESS, edit, move, own_cards
from tests.service.payments.test_ways import COLLECT, POST, all_ways, pressed  # noqa: F401
from tests.service.people.test_people import mailbox  # noqa: F401

cards = own_cards

PACKED = "We pack on Tuesdays and Fridays. Kits travel in card, without plastic."
"""What the demo's owner says in the mail of a paid order."""


async def put_by(shop: Shop, of: str = "order") -> list[tuple[str, str, str]]:
    """Subjects, texts and addresses of the mails about orders, or something else, the first one first."""
    query = "select subject, sealed_text, to_address from mails where key like %(of)s order by created_at, id"
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        found = await rows(db, PutBy, query, {"of": f"{of} %"})
    return [(one.subject, shop.context.vault.open(one.sealed_text), one.to_address) for one in found]


@dataclass(frozen=True)
class PutBy:
    subject: str
    sealed_text: bytes
    to_address: str


async def code_of(shop: Shop) -> str:
    return (await story(shop)).order.code


async def test_whoever_bought_once_is_thanked_with_what_it_came_to_and_what_comes_next(shop: Shop) -> None:
    choice = Choice(variant="moss", quantity=2, delivery="post")
    await pay(shop, await opened(shop), choice=choice, expected="96.00", address=ADDRESS)
    code = await code_of(shop)
    ((subject, text, to),) = await put_by(shop)
    assert (subject, to) == (f"[Test] Your order {code} at Ostrel Bindery", "jo@example.org")
    rows = "2 × Coptic stitch kit, Moss: €96.00\nPost: free\nwith VAT 21 % (NL): €16.66\nTotal: €96.00"
    assert text.startswith(f"Hello Jo,\n\nThank you for your order.\n\n{rows}\n\n{PACKED}\n\n€96.00 was paid.\n")
    assert re.search(r"Your receipt is attached\.", text)
    assert "It is sent to: Jo, Brink 1, 7411 BR DEVENTER, NETHERLANDS." in text
    assert "answer this mail, or write to books@ostrel.example" in text.lower()
    assert "/thanks/" in text


async def test_it_is_in_the_language_of_the_buyer_and_amounts_as_they_write_them(shop: Shop) -> None:
    await pay(shop, await opened(shop), language="nl-NL")
    ((subject, text, _),) = await put_by(shop)
    assert subject.startswith("[Test] Je bestelling ")
    assert "Totaal: € 48,00" in text
    assert "Je haalt het op bij Ostrel Bindery." in text


async def test_the_paper_is_attached_and_answers_reach_the_seller(shop: Shop, mailbox: str) -> None:  # noqa: F811
    await pay(shop, await opened(shop))
    assert await mail.send(shop.context) == 1
    assert await mail.send(shop.context) == 0
    (paper,) = (await story(shop)).papers
    async with httpx.AsyncClient() as client:
        (kept,) = (await client.get(f"{mailbox}/mails")).json()
        (name,) = kept["attached"]
        file = await client.get(f"{mailbox}/mail/{kept['id']}/attached/{name}")
    assert (kept["reply_to"], file.headers["content-type"]) == ("books@ostrel.example", "application/pdf")
    assert paper.written in PdfReader(_as_file(file.content)).pages[0].extract_text()


def _as_file(content: bytes) -> Any:
    from io import BytesIO

    return BytesIO(content)


async def test_a_receipt_travels_with_the_mail_of_a_plan_too(shop: Shop, mailbox: str) -> None:  # noqa: F811
    visit = await opened(shop, "ostrel-club")
    choice = Choice(price="parcel-month", delivery="collect")
    await pay(shop, visit, choice=choice, expected="24.00", address=ADDRESS)
    assert await put_by(shop) == []  # the plan's own mail thanks for it
    assert await mail.send(shop.context) == 1
    async with httpx.AsyncClient() as client:
        (kept,) = (await client.get(f"{mailbox}/mails")).json()
    assert len(kept["attached"]) == 1


async def test_a_worker_that_dies_between_sending_and_noting_sends_the_same_mail(
    shop: Shop,
    mailbox: str,  # noqa: F811
) -> None:
    await pay(shop, await opened(shop))
    assert await mail.send(shop.context) == 1
    async with site_transaction(shop.context.pool, shop.site_id) as db:  # our commit after the server's yes was lost
        (text,) = [shop.context.vault.seal("Once more")]
        await run(
            db, "update mails set sent_at = null, sealed_text = %(t)s, send_at = now() - interval '1 h'", {"t": text}
        )
    assert await mail.send(shop.context) == 1
    async with httpx.AsyncClient() as client:
        assert len((await client.get(f"{mailbox}/mails")).json()) == 1


async def test_a_transfer_is_asked_for_reminded_of_and_thanked_for(all_ways: Shop) -> None:  # noqa: F811
    visit = await opened(all_ways)
    await pressed(all_ways, visit, "transfer")
    code = await code_of(all_ways)
    ((subject, text, _),) = await put_by(all_ways)
    assert subject == f"[Test] Your order {code} at Ostrel Bindery: please transfer €48.00"
    assert "Please transfer €48.00 until " in text
    assert re.search(r"Pay it to Ostrel Bindery, account NL\d\d [A-Z0-9 ]+, with the reference RF", text)
    assert await asking.recover(all_ways.context) == 0
    due = (await story(all_ways)).attempts[0].due_at
    assert due is not None
    all_ways.clock.ahead = due - all_ways.clock() - REMINDER + timedelta(hours=1)
    assert await asking.recover(all_ways.context) == 1
    assert await asking.recover(all_ways.context) == 0
    assert (await story(all_ways)).order.state == "waiting"
    assert [one[0] for one in await put_by(all_ways)][1:] == [
        f"[Test] Your order {code} at Ostrel Bindery waits for €48.00"
    ]
    await settling.settle_by_hand(
        all_ways.context, all_ways.site_id, "test", code, all_ways.person_id, paid=True, note=""
    )
    assert [one[0] for one in await put_by(all_ways)][2:] == [f"[Test] Your order {code} at Ostrel Bindery"]


async def test_the_calendar_of_the_test_book_reminds_once_and_then_ends_the_wait(all_ways: Shop) -> None:  # noqa: F811
    await pressed(all_ways, await opened(all_ways), "transfer")
    due = (await story(all_ways)).attempts[0].due_at
    assert due is not None
    assert await move(all_ways, "next") == 1
    assert abs((await moving.shown(all_ways.context, all_ways.site_id)).at - due + REMINDER) < timedelta(minutes=1)
    assert [" waits for €48.00" in one[0] for one in await put_by(all_ways)] == [False, True]
    assert await move(all_ways, "next") == 1
    assert (await story(all_ways)).order.state == "open"
    assert [one[0].rsplit(" ", 3)[-1] for one in await put_by(all_ways)][2:] == ["paid"]
    # The clock, which comes to the same days later on, finds nothing left to do.
    all_ways.clock.ahead += timedelta(days=30)
    assert await asking.recover(all_ways.context) == 0
    assert len(await put_by(all_ways)) == 3


async def test_an_invoice_is_reminded_of_by_the_calendar_and_waits_on_as_it_does_by_the_clock(
    all_ways: Shop,  # noqa: F811
) -> None:
    await pressed(all_ways, await opened(all_ways), "invoice", choice=replace(COLLECT, quantity=3), expected="144.00")
    assert await move(all_ways, "month") == 1
    assert (await story(all_ways)).order.state == "waiting"
    assert "waits for €144.00" in (await put_by(all_ways))[-1][0]
    assert await move(all_ways, "month") == 0


async def test_one_that_was_not_paid_in_time_is_told(all_ways: Shop) -> None:  # noqa: F811
    await pressed(all_ways, await opened(all_ways), "transfer")
    due = (await story(all_ways)).attempts[0].due_at
    assert due is not None
    for at in (due - REMINDER, due):
        all_ways.clock.ahead += at - all_ways.clock() + timedelta(minutes=1)
        assert await asking.recover(all_ways.context) == 1
    subject, text, _ = (await put_by(all_ways))[-1]
    assert subject.endswith("was not paid")
    assert "It was not paid in time." in text
    assert "Order it again: http://counter.localhost:8400/buy/ostrel-kit" in text


async def test_an_invoice_is_attached_and_its_cancellation_too(all_ways: Shop) -> None:  # noqa: F811
    await pressed(all_ways, await opened(all_ways), "invoice", choice=replace(COLLECT, quantity=3), expected="144.00")
    code = await code_of(all_ways)
    ((subject, text, _),) = await put_by(all_ways)
    assert subject == f"[Test] Your order {code} at Ostrel Bindery, on invoice"
    assert re.search(r"Your invoice is attached\.", text)
    await settling.settle_by_hand(
        all_ways.context, all_ways.site_id, "test", code, all_ways.person_id, paid=False, note=""
    )
    subject, text, _ = (await put_by(all_ways))[-1]
    assert subject == f"[Test] Your order {code} at Ostrel Bindery is cancelled"
    assert re.search(r"The credit note is attached\.", text)


async def test_what_is_given_back_is_told_once_with_its_credit_note(shop: Shop) -> None:
    await pay(shop, await opened(shop))
    code, key = await code_of(shop), uuid4()
    for _ in range(2):
        await refunds.refund(shop.context, shop.site_id, None, "test", code, key, [Asked(0, "8.00")], "8.00")
    mails = (await put_by(shop))[1:]
    assert [one[0] for one in mails] == [f"[Test] €8.00 of your order {code} is given back"]
    assert re.search(r"The credit note is attached\.", mails[0][1])


async def test_a_parcel_that_is_marked_as_sent_is_told_once_for_each_press(shop: Shop) -> None:
    await pay(
        shop, await opened(shop), choice=Choice(variant="moss", delivery="post"), expected="52.95", address=ADDRESS
    )
    code = await code_of(shop)
    assert (await books.story(shop.context, shop.site_id, "test", code)).goods
    carrier, first = "https://carrier.example/track#1", uuid4()
    for asked_as, follow in ((first, carrier), (first, carrier), (uuid4(), ""), (uuid4(), "")):
        await sent.mark_sent(shop.context, shop.site_id, "test", code, shop.person_id, asked_as, follow)
    with pytest.raises(Conflict):  # somebody else has said it of this parcel
        await sent.mark_sent(shop.context, shop.site_id, "test", code, shop.person_id, uuid4(), carrier)
    mails = (await put_by(shop))[1:]
    assert [one[0] for one in mails] == [f"[Test] Your order {code} from Ostrel Bindery is on its way"] * 3
    assert "See where it is: https://carrier.example/track#1" in mails[0][1]
    assert "See your order: http://counter.localhost:8400/thanks/" in mails[1][1]


async def test_the_things_of_an_order_are_sent_one_by_one(shop: Shop) -> None:
    visit = await several.visiting(shop)
    items = (several.KIT, several.PATTERNS, several.THREAD, several.PRESS)
    assert (await several.pay(shop, visit, several.taking(*items))).state == "paid"
    code = await code_of(shop)

    async def send(*lines: int) -> list[tuple[int, bool]]:
        await sent.mark_sent(shop.context, shop.site_id, "test", code, shop.person_id, uuid4(), "", lines)
        return [(one.line, one.sent) for one in (await books.story(shop.context, shop.site_id, "test", code)).goods]

    with pytest.raises(InvalidInput):
        await send(1)  # a download
    assert await send(0) == [(0, True), (2, False), (3, False)]
    assert await send(2, 3) == [(0, True), (2, True), (3, True)]
    first, second = [one[1] for one in await put_by(shop) if "is on its way" in one[0]]
    assert "This part of your order was sent today: 2 × Coptic stitch kit, Moss." in first
    assert "The rest follows: 3 × Linen thread set; Bench press." in first
    assert "was sent today: 3 × Linen thread set; Bench press." in second
    assert "The rest follows" not in second
    who = signing_in.Customer(shop.site_id, "ostrel", "test", "maud@standin.example")
    (bought,) = await theirs.purchases(shop.context, who)
    assert [names for _, _, names in bought.sent] == [
        ["Coptic stitch kit, Moss"],
        ["Linen thread set", "Bench press"],
    ]
    begun = [one[1] for one in await put_by(shop, "subscription") if one[0] == "[Test] Your Bench press"]
    assert f"It was paid with your order {code}: " in begun[0]
    assert "Paid today" not in begun[0]


async def test_what_is_collected_is_not_sent(shop: Shop) -> None:
    await pay(shop, await opened(shop))
    assert not (await story(shop)).goods
    with pytest.raises(Conflict):
        await sent.mark_sent(shop.context, shop.site_id, "test", await code_of(shop), shop.person_id, uuid4(), "")


async def test_nobody_writes_to_a_strangers_mailbox_in_the_shops_name(all_ways: Shop) -> None:  # noqa: F811
    visit = await opened(all_ways)
    for name in ("Win at prizes.example", "See https://prizes.example/now"):
        payment = payment_of(
            "stranger@example.org", name, "NL", None, "48.00", COLLECT, way="transfer", address_seen="203.0.113.9"
        )
        await paying.pay(all_ways.context, visit, payment)
    ((_, text, _),) = await put_by(all_ways)
    assert text.startswith("Hello,\n")
    assert "prizes" not in text


async def test_an_order_that_waits_again_says_again_how_it_is_paid_and_nobodys_mailbox_is_filled(
    all_ways: Shop,  # noqa: F811
) -> None:
    all_ways.context.settings = replace(all_ways.context.settings, leeway=1)
    for _ in range(4):
        visit = await opened(all_ways)
        for _ in range(2):
            assert (await pressed(all_ways, visit, "transfer")).state == "waiting"
            await paying.give_up(all_ways.context, visit)
    subjects = [one[0] for one in await put_by(all_ways)]
    assert len(subjects) == MOST_UNPAID
    assert all("please transfer" in one for one in subjects)
    assert len(set(subjects)) == 3  # twice for an order that was given up and placed again


async def test_what_was_free_says_no_address_that_leads_elsewhere(shop: Shop) -> None:
    await edit(shop, "coupon", "BIND10", percent="100")
    choice = Choice(variant="moss", delivery="post", coupons=("BIND10",))
    address = {**ADDRESS, "street": "See prizes.example today"}
    visit = await opened(shop)
    priced = await pricing.quote_visit(shop.context, visit, Buyer(country="NL"), choice)
    assert priced.quote.due_today == 495  # the parcel is paid for
    await pay(shop, visit, choice=choice, expected="4.95", address=address)
    ((_, text, _),) = await put_by(shop)
    assert "prizes.example" in text  # who has paid is told where it goes
    await edit(shop, "delivery", "-", zones=[{**zone, "methods": [FREE]} for zone in await zones_of(shop)])
    visit = await opened(shop)
    free = replace(choice, delivery="gift")
    await pay(shop, visit, choice=free, token=None, expected="0.00", address=address, email="another@example.org")
    text = (await put_by(shop))[-1][1]
    assert "There was nothing to pay." in text
    assert "prizes.example" not in text


FREE = {"id": "gift", "name": "As a gift", "amount": {"EUR": "0.00"}}


async def zones_of(shop: Shop) -> list[dict[str, Any]]:
    state = await configuration.draft(shop.context, shop.site_id)
    found: list[dict[str, Any]] = state.parts["delivery", "-"].body["zones"]
    return found


async def test_owners_read_of_each_sale_once_with_where_it_stands(shop: Shop) -> None:
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await run(db, "update members set role = 'owner' where site_id = %(s)s", {"s": shop.site_id})
    await pay(shop, await opened(shop))
    told = await story(shop)
    (note,) = [one for one in await put_by(shop) if one[2] == "dev@ostrel.example"]
    assert note[0] == "[Test] Sale of EUR 48.00: Coptic stitch kit, Moss"
    assert "Jo (jo@example.org) has bought something for EUR 48.00." in note[1]
    assert f"http://localhost:8400/s/ostrel/orders/test/{told.order.code}" in note[1]
    assert told.record is not None
    assert told.record in note[1]


async def test_a_real_buyers_mail_says_nothing_of_a_test(shop: Shop) -> None:
    await buy_for_real(shop)
    ((subject, _, _),) = await put_by(shop)
    assert subject.startswith("Your order ")


@pytest.mark.parametrize(("to", "reaches"), [("jo@example.org", False), ("dev@ostrel.example", True)])
async def test_test_mail_reaches_colleagues_only_where_mail_leaves_the_machine(
    shop: Shop, to: str, reaches: bool
) -> None:
    shop.context.settings = replace(shop.context.settings, mail_is_stand_in=False)
    await pay(shop, await opened(shop), email=to)
    assert bool(await put_by(shop)) is reaches


def test_every_language_says_the_same_things() -> None:
    for words in (MAILS, PLAIN):
        kinds = {language: set(found) for language, found in words.items()}
        assert len(kinds) == 3
        assert kinds["nl"] == kinds["en"] == kinds["de"]
