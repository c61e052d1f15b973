"""Mails that wait to be sent, and those that were."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from skurrow.store.claims import Claimed
from skurrow.store.database import Connection, one, rows, run


@dataclass(frozen=True, slots=True)
class Mail:
    """A mail that waits to be sent; its text is sealed. The `papers` are attached to it, by their ids, and
    the invoice or receipt of the order `papers_of`; its page shows `pictures`, by their names."""

    id: UUID
    key: str
    to_address: str
    subject: str
    sealed_text: bytes
    created_at: datetime
    sent_at: datetime | None
    sealed_page: bytes | None = None
    from_name: str = ""
    dated_at: datetime | None = None
    papers: list[UUID] = field(default_factory=list)
    papers_of: UUID | None = None
    reply_to: str = ""
    pictures: list[str] = field(default_factory=list)


# -- mail -------------------------------------------------------------------------------------------------


async def add_mail(connection: Connection, site_id: UUID, mail: Mail) -> None:
    """Puts a mail by to be sent; one with the same key is sent once."""
    await run(
        connection,
        "insert into mails (id, site_id, key, to_address, subject, sealed_text, created_at, send_at, sealed_page,"
        " from_name, dated_at, papers, papers_of, reply_to, pictures) values"
        " (%(id)s, %(site)s, %(key)s, %(to)s, %(subject)s, %(text)s, %(at)s, %(at)s, %(page)s,"
        " %(from)s, %(dated)s, %(papers)s, %(papers_of)s, %(reply_to)s, %(pictures)s)"
        " on conflict (site_id, key) do nothing",
        {
            "id": mail.id,
            "site": site_id,
            "key": mail.key,
            "to": mail.to_address,
            "subject": mail.subject,
            "text": mail.sealed_text,
            "at": mail.created_at,
            "page": mail.sealed_page,
            "from": mail.from_name,
            "dated": mail.dated_at,
            "papers": mail.papers,
            "papers_of": mail.papers_of,
            "reply_to": mail.reply_to,
            "pictures": mail.pictures,
        },
    )


async def claim_mails(connection: Connection, now: datetime, most: int) -> list[Claimed]:
    """Mails to be sent now; needs no site."""
    return await rows(
        connection, Claimed, "select site_id, id from claim_mails(%(now)s, %(most)s)", {"now": now, "most": most}
    )


async def note_mail_trouble(
    connection: Connection, site_id: UUID, mail_id: UUID, trouble: str, most: int, at: datetime
) -> None:
    """A mail could not be sent; after so many tries it is set aside."""
    await run(
        connection,
        "update mails set trouble = %(trouble)s,"
        " set_aside_at = case when tries >= %(most)s then %(at)s else set_aside_at end"
        " where site_id = %(site)s and id = %(id)s and sent_at is null",
        {"site": site_id, "id": mail_id, "trouble": trouble, "most": most, "at": at},
    )


async def mail(connection: Connection, site_id: UUID, mail_id: UUID) -> Mail | None:
    """One mail."""
    return await one(
        connection,
        Mail,
        "select id, key, to_address, subject, sealed_text, created_at, sent_at, sealed_page, from_name, dated_at,"
        " papers, papers_of, reply_to, pictures from mails"
        " where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": mail_id},
    )


async def mail_sent(connection: Connection, site_id: UUID, mail_id: UUID, at: datetime) -> None:
    """Notes that a mail was handed over; its text is not kept."""
    await run(
        connection,
        "update mails set sent_at = %(at)s, sealed_text = '', sealed_page = null"
        " where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": mail_id, "at": at},
    )
