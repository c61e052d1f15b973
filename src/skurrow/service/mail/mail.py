"""Mail: put by in the transaction that causes it, handed over by a worker afterwards, until it is taken."""

from __future__ import annotations

import asyncio
import smtplib
from datetime import datetime
from email.headerregistry import Address
from email.message import EmailMessage
from email.utils import format_datetime
from uuid import UUID

import structlog

from skurrow.core.bounds import in_one_line
from skurrow.service.context import Context
from skurrow.store import mail
from skurrow.store.claims import Claimed
from skurrow.store.database import DATABASE_AWAY, Connection, site_transaction, siteless_transaction
from skurrow.store.mail import Mail

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
) -> None:
    """Puts a mail by; the same key twice is one mail. `page` is its HTML; `dated` is when it says that it was written,
    where that is not now."""
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
        ),
    )


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
    message = EmailMessage()
    # Names of long ago may have had several lines; no header has.
    message["From"] = Address(in_one_line(letter.from_name) or "Skurrow", addr_spec=context.settings.mail_from)
    message["To"] = letter.to_address
    message["Subject"] = in_one_line(letter.subject)
    message["Date"] = format_datetime(letter.dated_at or letter.created_at)
    # The same for every try, so that a mailbox can tell that it has the mail already.
    message["Message-ID"] = f"<{letter.id}@{context.settings.mail_from.partition('@')[2]}>"
    message.set_content(context.vault.open(letter.sealed_text))
    if letter.sealed_page:
        message.add_alternative(context.vault.open(letter.sealed_page), subtype="html")
    await asyncio.to_thread(context.settings.smtp.hand_over, message)
    async with site_transaction(context.pool, claim.site_id) as db:
        await mail.mail_sent(db, claim.site_id, claim.id, context.now())
