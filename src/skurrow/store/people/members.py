"""Members of a site, invitations to become one, and the mail that waits to be sent."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.core.mailboxes import mailbox
from skurrow.store.database import Connection, one, rows, run


@dataclass(frozen=True, slots=True)
class Member:
    """A person who works on a site."""

    person_id: UUID
    name: str
    email: str
    role: str


@dataclass(frozen=True, slots=True)
class Invitation:
    """An invitation to a site; ended when it was accepted or withdrawn."""

    id: UUID
    site_id: UUID
    email: str
    role: str
    created_at: datetime
    expires_at: datetime
    ended_at: datetime | None


@dataclass(frozen=True, slots=True)
class Mail:
    """A mail that waits to be sent; its text is sealed."""

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


@dataclass(frozen=True, slots=True)
class Claimed:
    """A mail that this worker is to send now."""

    site_id: UUID
    id: UUID


async def members(connection: Connection, site_id: UUID) -> list[Member]:
    """The members of a site, by name."""
    return await rows(
        connection,
        Member,
        "select person_id, people.name, people.email, role from members join people on people.id = person_id"
        " where site_id = %(site)s order by lower(people.name), person_id",
        {"site": site_id},
    )


async def hold_members(connection: Connection, site_id: UUID) -> None:
    """Has changes of the members wait for each other until the transaction ends."""
    await run(connection, "select 1 from sites where id = %(site)s for update", {"site": site_id})


async def add_member(connection: Connection, site_id: UUID, person_id: UUID, role: str) -> None:
    """Lets a person work on the site; whoever does already keeps their role."""
    await run(
        connection,
        "insert into members (site_id, person_id, role) values (%(site)s, %(person)s, %(role)s)"
        " on conflict (site_id, person_id) do nothing",
        {"site": site_id, "person": person_id, "role": role},
    )


async def change_role(connection: Connection, site_id: UUID, person_id: UUID, role: str) -> int:
    """Gives a member another role; returns how many there were."""
    return await run(
        connection,
        "update members set role = %(role)s where site_id = %(site)s and person_id = %(person)s",
        {"site": site_id, "person": person_id, "role": role},
    )


async def remove_member(connection: Connection, site_id: UUID, person_id: UUID) -> int:
    """Ends a membership; returns how many there were."""
    return await run(
        connection,
        "delete from members where site_id = %(site)s and person_id = %(person)s",
        {"site": site_id, "person": person_id},
    )


_INVITATION = "select id, site_id, email, role, created_at, expires_at, ended_at from invitations"


async def open_invitations(connection: Connection, site_id: UUID) -> list[Invitation]:
    """Invitations that can still be accepted, and those that ran out, the newest first."""
    return await rows(
        connection,
        Invitation,
        f"{_INVITATION} where site_id = %(site)s and ended_at is null order by created_at desc, id",
        {"site": site_id},
    )


async def invitation(connection: Connection, site_id: UUID, invitation_id: UUID) -> Invitation | None:
    """One invitation."""
    return await one(
        connection,
        Invitation,
        f"{_INVITATION} where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": invitation_id},
    )


async def add_invitation(connection: Connection, found: Invitation, token_hash: bytes, by: UUID) -> None:
    """Adds an invitation."""
    await run(
        connection,
        "insert into invitations (id, site_id, email, mailbox, role, token_hash, created_at, by, expires_at)"
        " values (%(id)s, %(site)s, %(email)s, %(mailbox)s, %(role)s, %(hash)s, %(at)s, %(by)s, %(expires)s)",
        {
            "id": found.id,
            "site": found.site_id,
            "email": found.email,
            "mailbox": mailbox(found.email),
            "role": found.role,
            "hash": token_hash,
            "at": found.created_at,
            "by": by,
            "expires": found.expires_at,
        },
    )


async def end_invitation(connection: Connection, site_id: UUID, invitation_id: UUID, kind: str, at: datetime) -> int:
    """Ends an invitation that is open; returns how many there were."""
    return await run(
        connection,
        "update invitations set ended_at = %(at)s, end_kind = %(kind)s"
        " where site_id = %(site)s and id = %(id)s and ended_at is null",
        {"site": site_id, "id": invitation_id, "at": at, "kind": kind},
    )


async def site_of_invitation(connection: Connection, token_hash: bytes) -> Claimed | None:
    """The site and the id of the invitation with a token; needs no site."""
    return await one(connection, Claimed, "select site_id, id from invitation_site(%(hash)s)", {"hash": token_hash})


# -- mail -------------------------------------------------------------------------------------------------


async def add_mail(connection: Connection, site_id: UUID, mail: Mail) -> None:
    """Puts a mail by to be sent; one with the same key is sent once."""
    await run(
        connection,
        "insert into mails (id, site_id, key, to_address, subject, sealed_text, created_at, send_at, sealed_page,"
        " from_name, dated_at) values (%(id)s, %(site)s, %(key)s, %(to)s, %(subject)s, %(text)s, %(at)s, %(at)s,"
        " %(page)s, %(from)s, %(dated)s) on conflict (site_id, key) do nothing",
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
        "select id, key, to_address, subject, sealed_text, created_at, sent_at, sealed_page, from_name, dated_at"
        " from mails"
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
