"""Mail: put by in the transaction that causes it, handed over by a worker afterwards, until it is taken."""

from __future__ import annotations

import asyncio
import smtplib
from collections.abc import Sequence
from datetime import datetime
from email.headerregistry import Address
from email.message import EmailMessage
from email.utils import format_datetime
from uuid import UUID

import structlog

from skurrow.core.bounds import in_one_line
from skurrow.core.edition import Edition
from skurrow.core.mailboxes import mailbox
from skurrow.service.context import Context
from skurrow.service.mail import mail_pictures
from skurrow.service.mail.letters import Letter
from skurrow.service.papers.papers import as_file, of_row
from skurrow.store import mail
from skurrow.store.book import Book
from skurrow.store.claims import Claimed
from skurrow.store.database import DATABASE_AWAY, Connection, site_transaction, siteless_transaction
from skurrow.store.mail import Mail
from skurrow.store.papers.papers import papers_to_send
from skurrow.store.people import members

_log = structlog.get_logger()

MOST_TRIES, MOST_HANDED = 5, 80
"""After which a mail is set aside: one that cannot be put together, and one that no server has taken for three days."""


async def put_by(
    context: Context,
    db: Connection,
    site_id: UUID,
    key: str,
    to: str,
    subject: str,
    text: str,
    page: str | None = None,
    from_name: str = "",
    dated: datetime | None = None,
    papers: Sequence[UUID] = (),
    papers_of: UUID | None = None,
    reply_to: str = "",
    pictures: Sequence[str] = (),
) -> None:
    """Puts a mail by; the same key twice is one mail. `page` is its HTML, which shows `pictures`; `dated` is when it
    says that it was written, where that is not now; `papers`, and the invoice or receipt of an order, are attached
    when it is sent."""
    await mail.add_mail(
        db,
        site_id,
        Mail(
            context.new_id(),
            key,
            to,
            subject,
            context.vault.seal(text),
            context.now(),
            None,
            context.vault.seal(page) if page else None,
            from_name,
            dated,
            list(papers),
            papers_of,
            reply_to,
            list(pictures),
        ),
    )


async def put_by_for_customer(
    context: Context,
    book: Book,
    edition: Edition,
    key: str,
    to: str,
    letter: Letter,
    papers: Sequence[UUID] = (),
    papers_of: UUID | str | None = None,
) -> None:
    """Puts a letter of the shop by. One of the test book says so, is dated by its calendar, and goes to nobody but
    colleagues unless all mail goes to the stand-in mailbox."""
    if not to or not await may_reach(context, book, to):  # nobody writes to who is forgotten
        return
    is_test = book.mode == "test"
    await put_by(
        context,
        book.db,
        book.site_id,
        key,
        to,
        f"[Test] {letter.subject}" if is_test else letter.subject,
        letter.text,
        letter.page,
        sender(edition),
        context.book_now() if is_test else None,
        papers,
        UUID(str(papers_of)) if papers_of else None,
        answers_to(edition),
        letter.pictures,
    )


def sender(edition: Edition) -> str:
    """The name that a site's mails come from."""
    return edition.site.mails.sender or edition.site.site.name


def answers_to(edition: Edition) -> str:
    """Where answers to them go; nothing where nobody says."""
    return edition.site.mails.reply_to or edition.site.papers.email or ""


async def may_reach(context: Context, book: Book, to: str) -> bool:
    """Whether an address may be written to about something in a book: of the test book only colleagues are, unless all
    mail goes to the stand-in mailbox."""
    if book.mode == "live" or context.settings.mail_is_stand_in:
        return True
    return mailbox(to) in {mailbox(one.email) for one in await members.members(book.db, book.site_id)}


async def send(context: Context, most: int = 20) -> int:
    """Hands over what is due; returns how many were tried. What is not taken is tried again later."""
    async with siteless_transaction(context.pool) as db:
        claimed = await mail.claim_mails(db, context.now(), most)
    for claim in claimed:
        try:
            await _send(context, claim)
        except DATABASE_AWAY:
            raise
        except (OSError, smtplib.SMTPException) as error:
            _log.warning("mail.not_taken", mail=str(claim.id), kind=type(error).__name__)
            await _trouble(context, claim, type(error).__name__, MOST_HANDED)
        except Exception as error:
            _log.exception("mail.not_sent", mail=str(claim.id))
            await _trouble(context, claim, type(error).__name__, MOST_TRIES)
    return len(claimed)


async def _trouble(context: Context, claim: Claimed, trouble: str, most: int) -> None:
    async with site_transaction(context.pool, claim.site_id) as db:
        await mail.note_mail_trouble(db, claim.site_id, claim.id, trouble, most, context.now())


async def _send(context: Context, claim: Claimed) -> None:
    async with site_transaction(context.pool, claim.site_id) as db:
        letter = await mail.mail(db, claim.site_id, claim.id)
        if letter is None or letter.sent_at is not None:
            return
        rows = await papers_to_send(db, claim.site_id, letter.papers, letter.papers_of)
    message = EmailMessage()
    # Names of long ago may have had several lines; no header has.
    message["From"] = Address(in_one_line(letter.from_name) or "Skurrow", addr_spec=context.settings.mail_from)
    message["To"] = letter.to_address
    message["Subject"] = in_one_line(letter.subject)
    message["Date"] = format_datetime(letter.dated_at or letter.created_at)
    # The same for every try, so that a mailbox can tell that it has the mail already.
    message["Message-ID"] = f"<{letter.id}@{context.settings.mail_from.partition('@')[2]}>"
    if letter.reply_to:
        message["Reply-To"] = letter.reply_to
    message.set_content(context.vault.open(letter.sealed_text))
    if letter.sealed_page:
        message.add_alternative(context.vault.open(letter.sealed_page), subtype="html")
        *_, shown = message.iter_parts()
        assert isinstance(shown, EmailMessage)
        for one in await mail_pictures.of(context, claim.site_id, letter.pictures):
            shown.add_related(one.content, "image", one.kind, cid=f"<{one.name}>", disposition="inline")
    for row in rows:
        drawn = await as_file(context, claim.site_id, of_row(row), "pdf")
        main, _, sub = drawn.media_type.partition("/")
        message.add_attachment(drawn.content, maintype=main, subtype=sub, filename=drawn.name)
    await asyncio.to_thread(context.settings.smtp.hand_over, message)
    async with site_transaction(context.pool, claim.site_id) as db:
        await mail.mail_sent(db, claim.site_id, claim.id, context.now())
