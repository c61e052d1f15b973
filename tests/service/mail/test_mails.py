"""Mails in the owner's words: as they are previewed, sent, tried, and read; with logo and pictures, once."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from email import policy
from email.message import EmailMessage
from email.parser import BytesParser
from typing import Any, get_args
from uuid import uuid4

import httpx
import pytest
from aiosmtpd.controller import Controller

from skurrow.core.site.mails import ABOUT, FACTS
from skurrow.run.ports import any_free
from skurrow.service.context import Context
from skurrow.service.counter.visit import Choice
from skurrow.service.draft import pictures
from skurrow.service.limits import TRIALS
from skurrow.service.mail import mail
from skurrow.service.mail.mail_words import MAILS
from skurrow.service.orders import sent
from skurrow.service.papers import papers
from skurrow.service.refusals import NotFound, TooMany
from skurrow.service.smtp import SmtpServer
from skurrow.service.tape import mail_previews
from skurrow.store.database import run, site_transaction, value
from skurrow.web.desk.papers.mails import Language
from tests.conftest import Shop
from tests.service.counter.test_selling import opened, pay, story
from tests.service.living import ADDRESS, edit
from tests.service.orders.test_order_mail import put_by
from tests.service.papers.test_papers import text_of
from tests.service.people.test_people import mailbox  # noqa: F401
from tests.store.test_separation import picture

KIT = Choice(variant="moss", quantity=1, delivery="post")


async def with_logo(shop: Shop) -> str:
    name = await pictures.add(shop.context, shop.site_id, None, "mark.png", picture())
    await edit(shop, "site", "-", logo=name)
    return name


async def preview(shop: Shop, kind: str = "order_paid", language: str = "en", buyer: str = "utrecht") -> Any:
    return await mail_previews.preview(shop.context, shop.site_id, kind, buyer, language, None)


def test_every_mail_there_is_can_be_worded_and_every_fact_has_a_name() -> None:
    assert {language: set(words) for language, words in MAILS.items()} == {one: set(ABOUT) for one in MAILS}
    assert {name for about in ABOUT.values() for name in about.facts} == set(FACTS)
    for kind, about in ABOUT.items():
        has_day = any("{day}" in one for one in (*MAILS["en"][kind].sentences, MAILS["en"][kind].subject))
        assert ("day" in about.facts) == has_day or kind in {"trial_ends", "renewal_ahead"}, kind


async def test_a_sale_says_what_the_owner_says_in_the_language_of_its_buyer(shop: Shop) -> None:
    own = {
        "id": "order_paid",
        "subject": {"nl": "Dank je, {buyer.name}: {order.things}"},
        "text": {"nl": "{order.code} reist in karton.\nZonder plastic."},
    }
    await edit(
        shop,
        "mails",
        "-",
        own=[own],
        foot="Come by: {shop.name}",
        sender="Ostrel, Deventer",
        reply_to="ask@ostrel.example",
    )
    await pay(shop, await opened(shop), language="nl", choice=KIT, expected="52.95", address=ADDRESS)
    code = (await story(shop)).order.code
    ((subject, text, _),) = await put_by(shop)
    assert subject == "[Test] Dank je, Jo: Coptic stitch kit, Moss"
    assert f"\n\n{code} reist in karton.\nZonder plastic.\n\n" in text
    assert "Come by: Ostrel Bindery" in text
    assert "ask@ostrel.example" in text


async def test_without_words_in_its_language_a_mail_goes_out_in_ours(shop: Shop) -> None:
    await edit(shop, "mails", "-", own=[{"id": "order_paid", "subject": {"nl": "Dank"}, "text": {"nl": "Karton."}}])
    await pay(shop, await opened(shop), language="de")
    ((subject, text, _),) = await put_by(shop)
    assert "Dank" not in subject
    assert "Karton." not in text


async def test_whoever_types_an_address_as_their_name_does_not_have_it_mailed(shop: Shop) -> None:
    await edit(
        shop, "mails", "-", own=[{"id": "order_paid", "subject": "For {buyer.name}", "text": "Dear {buyer.name}"}]
    )
    await pay(shop, await opened(shop), name="Win at prizes.example now")
    ((subject, text, _),) = await put_by(shop)
    assert "prizes.example" not in subject
    assert "prizes.example" not in text.replace("It is sent to", "")


async def test_logo_and_what_was_bought_are_shown_within_the_mail_and_on_the_paper(
    shop: Shop,
    mailbox: str,  # noqa: F811
) -> None:
    name = await with_logo(shop)
    await pay(shop, await opened(shop), choice=KIT, expected="52.95", address=ADDRESS)
    assert await mail.send(shop.context) == 1
    async with httpx.AsyncClient() as client:
        (got,) = (await client.get(f"{mailbox}/mails")).json()
        page = (await client.get(f"{mailbox}/mail/{got['id']}/page")).text
    assert page.count('src="data:image/jpeg;base64,') == 2, "the logo, and what was bought"
    assert "cid:" not in page
    assert len(got["attached"]) == 1
    order = (await story(shop)).order
    (paper,) = await papers.of_order(shop.context, shop.site_id, "test", order.id)
    assert paper.logo == name
    drawn = await papers.as_file(shop.context, shop.site_id, paper, "pdf")
    assert b"/Subtype /Image" in drawn.content
    assert b"/Subtype /Image" not in papers.as_pdf(paper).content
    assert text_of(drawn.content) == text_of(papers.as_pdf(paper).content)
    assert drawn == await papers.as_file(shop.context, shop.site_id, paper, "pdf"), "the same paper, the same bytes"


class Losing:
    """A mail server that takes a mail, and whose first word about that is lost."""

    def __init__(self) -> None:
        self.taken: list[EmailMessage] = []

    async def handle_DATA(self, _server: object, _session: object, envelope: Any) -> str:
        message = BytesParser(policy=policy.default).parsebytes(envelope.content)
        assert isinstance(message, EmailMessage)
        self.taken.append(message)
        return "451 Try again" if len(self.taken) == 1 else "250 OK"


async def test_one_that_was_taken_without_our_knowing_is_the_same_mail_again(shop: Shop) -> None:
    name = await with_logo(shop)
    await pay(shop, await opened(shop), choice=KIT, expected="52.95", address=ADDRESS)
    server = Losing()
    controller = Controller(server, hostname="127.0.0.1", port=any_free())
    controller.start()
    try:
        shop.context.settings = replace(shop.context.settings, smtp=SmtpServer("127.0.0.1", controller.port))
        assert await mail.send(shop.context) == 1
        shop.clock.ahead += timedelta(minutes=30)
        assert await mail.send(shop.context) == 1
        shop.clock.ahead += timedelta(hours=30)
        assert await mail.send(shop.context) == 0
    finally:
        controller.stop()
    first, second = server.taken
    assert first["Message-ID"] == second["Message-ID"]
    assert (first["Subject"], first["Date"]) == (second["Subject"], second["Date"])
    shown = [one for one in second.walk() if one["Content-ID"]]
    assert next(one["Content-ID"] for one in shown) == f"<{name}>"
    assert {one.get_content_type() for one in shown} <= {"image/png", "image/jpeg"}
    assert "receipt" in str(next(one.get_filename() for one in second.iter_attachments()))


async def test_later_mails_of_an_order_are_in_the_owners_words_of_today(shop: Shop) -> None:
    await pay(shop, await opened(shop), choice=KIT, expected="52.95", address=ADDRESS)
    code = (await story(shop)).order.code
    await edit(shop, "mails", "-", own=[{"id": "order_sent", "text": "It is in card."}], sender="Ostrel, Deventer")
    name = await with_logo(shop)
    await sent.mark_sent(shop.context, shop.site_id, "test", code, shop.person_id, uuid4(), "")
    assert "It is in card." in (await put_by(shop))[-1][1]
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        query = "select from_name || array_to_string(pictures, ' ') from mails where key like %(key)s"
        assert await value(db, query, {"key": "% order_sent %"}) == f"Ostrel, Deventer{name} coptic-kit-moss.webp"


def test_the_desk_offers_the_languages_that_there_are() -> None:
    assert sorted(get_args(Language)) == sorted(MAILS)


async def test_owners_who_want_no_note_get_none(shop: Shop) -> None:
    await pay(shop, await opened(shop))
    assert len(await put_by(shop, "%sale")) == 0, "the fixture's people are developers"
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await run(db, "update members set role = 'owner' where site_id = %(site)s", {"site": shop.site_id})
    await pay(shop, await opened(shop))
    assert len(await put_by(shop, "%sale")) == 1
    await edit(shop, "mails", "-", note_owners=False)
    await pay(shop, await opened(shop))
    assert len(await put_by(shop, "%sale")) == 1


@pytest.mark.parametrize("language", sorted(MAILS))
async def test_every_mail_can_be_seen_as_it_will_arrive(shop: Shop, language: str) -> None:
    await with_logo(shop)
    own = [{"id": kind, "text": " ".join(f"{{{name}}}" for name in about.facts)} for kind, about in ABOUT.items()]
    await edit(shop, "mails", "-", own=own)
    for kind, about in ABOUT.items():
        found = await preview(shop, kind, language)
        assert found.subject
        assert "{" not in found.subject + found.text
        assert 'src="data:image/jpeg;base64,' in found.page
        assert "cid:" not in found.page
        if len(about.facts) > 1:  # the owner's paragraph, which names all that there is
            owners = [one for one in found.text.split("\n\n") if "Maud Terlinden" in one and "Ostrel Bindery" in one]
            assert owners, f"{kind} in {language} does not know what it says that it knows"


async def test_what_is_previewed_of_a_sale_is_what_is_sent_of_it(shop: Shop) -> None:
    await edit(shop, "mails", "-", own=[{"id": "order_paid", "text": "In card."}])
    seen = await preview(shop)
    assert seen.attached == ["Receipt"]
    await pay(shop, await opened(shop), choice=KIT, expected="52.95", address=ADDRESS)
    ((_, text, _),) = await put_by(shop)
    rows = seen.text.split("\n\n")[2]
    assert rows in text
    assert rows.endswith("Total: €52.95")


async def test_where_nothing_is_sold_that_it_could_be_about_it_says_so(shop: Shop) -> None:
    with pytest.raises(NotFound, match="there is no stand-in buyer nobody"):
        await preview(shop, buyer="nobody")
    with pytest.raises(NotFound, match="there is no such mail"):
        await preview(shop, "nothing")


async def test_one_on_trial_goes_to_whoever_asks_and_says_that_it_is_one(shop: Shop) -> None:
    shop.context.settings = replace(shop.context.settings, leeway=1)
    await try_out(shop.context, shop)
    ((subject, text, to),) = await put_by(shop, "trial")
    assert subject.startswith("[Trial] Your order EXAMPLE2")
    assert to == "me@studio.example"
    assert "This is a trial of a mail" in text
    for _ in range(TRIALS.most - 1):
        await try_out(shop.context, shop)
    with pytest.raises(TooMany):
        await try_out(shop.context, shop)


async def try_out(context: Context, shop: Shop) -> None:
    me = shop.person_id
    await mail_previews.on_trial(context, shop.site_id, me, "me@studio.example", "order_paid", "utrecht", "en", None)
