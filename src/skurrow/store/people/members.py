"""Members of a site, invitations to become one, and the mail that waits to be sent."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.core.mailboxes import mailbox
from skurrow.store.claims import Claimed
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
