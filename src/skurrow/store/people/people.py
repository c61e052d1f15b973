"""People, their sessions, and failed sign-ins. Sessions are known by the hash of their token."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.core.mailboxes import mailbox
from skurrow.store.database import Connection, one, rows, run


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody who can sign in to the desk."""

    id: UUID
    email: str
    name: str
    password_hash: str
    sealed_totp: bytes | None = None
    totp_step: int = 0


@dataclass(frozen=True, slots=True)
class Membership:
    """A site that a person can open, and as what."""

    site_id: UUID
    code: str
    role: str
    name: str
    archived: bool


@dataclass(frozen=True, slots=True)
class SessionRow:
    """A session of a person; `agent` is what the browser says of itself."""

    id: UUID
    token_hash: bytes
    created_at: datetime
    seen_at: datetime | None
    expires_at: datetime
    agent: str


@dataclass(frozen=True, slots=True)
class SignedIn:
    """A session's person with their sites; `seen_at` is when it was noted last that the session is in use."""

    person: Person
    memberships: list[Membership]
    seen_at: datetime | None


async def add_person(connection: Connection, person: Person, at: datetime) -> None:
    """Adds a person; their email must not be taken."""
    await run(
        connection,
        "insert into people (id, email, mailbox, name, password_hash, created_at)"
        " values (%(id)s, %(email)s, %(mailbox)s, %(name)s, %(hash)s, %(at)s)",
        {
            "id": person.id,
            "email": person.email,
            "mailbox": mailbox(person.email),
            "name": person.name,
            "hash": person.password_hash,
            "at": at,
        },
    )


async def person_by_email(connection: Connection, email: str) -> Person | None:
    """The person whose mailbox that address is."""
    return await one(
        connection,
        Person,
        "select id, email, name, password_hash, sealed_totp, totp_step from people where mailbox = %(mailbox)s",
        {"mailbox": mailbox(email)},
    )


async def signed_in(connection: Connection, token_hash: bytes, now: datetime) -> SignedIn | None:
    """Whose session it is, while it lasts: in one statement, since everything at the desk begins with it."""
    cursor = await connection.execute(
        "select people.id, email, people.name, password_hash, sealed_totp, totp_step, seen_at,"
        " array(select row(site_id, code, role, sites.name, archived) from sites_with_names(people.id) sites)"
        " from sessions join people on people.id = person_id"
        " where token_hash = %(hash)s and expires_at > %(now)s",
        {"hash": token_hash, "now": now},
        binary=True,
    )
    row = await cursor.fetchone()
    if row is None:
        return None
    *person, seen_at, sites = row
    return SignedIn(Person(*person), [Membership(*site) for site in sites], seen_at)


async def add_session(
    connection: Connection, token_hash: bytes, person_id: UUID, now: datetime, expires: datetime, agent: str = ""
) -> None:
    """Begins a session, and forgets this person's old ones."""
    await run(
        connection,
        "delete from sessions where person_id = %(person)s and expires_at <= %(now)s",
        {"person": person_id, "now": now},
    )
    await run(
        connection,
        "insert into sessions (token_hash, person_id, created_at, expires_at, agent, seen_at)"
        " values (%(hash)s, %(person)s, %(now)s, %(expires)s, %(agent)s, %(now)s)",
        {"hash": token_hash, "person": person_id, "now": now, "expires": expires, "agent": agent},
    )


async def end_session(connection: Connection, token_hash: bytes) -> None:
    """Ends a session; one that is gone already is no error."""
    await run(connection, "delete from sessions where token_hash = %(hash)s", {"hash": token_hash})


async def seen(connection: Connection, token_hash: bytes, now: datetime, since: datetime) -> None:
    """Notes that a session is in use, unless that was noted since then already."""
    await run(
        connection,
        "update sessions set seen_at = %(now)s"
        " where token_hash = %(hash)s and (seen_at is null or seen_at < %(since)s)",
        {"hash": token_hash, "now": now, "since": since},
    )


async def sessions_of(connection: Connection, person_id: UUID, now: datetime) -> list[SessionRow]:
    """The sessions of a person that have not run out, the newest first."""
    return await rows(
        connection,
        SessionRow,
        "select id, token_hash, created_at, seen_at, expires_at, agent from sessions"
        " where person_id = %(person)s and expires_at > %(now)s order by created_at desc, id",
        {"person": person_id, "now": now},
    )


async def end_session_of(connection: Connection, person_id: UUID, session_id: UUID) -> int:
    """Ends one of a person's sessions; returns how many there were."""
    return await run(
        connection,
        "delete from sessions where person_id = %(person)s and id = %(id)s",
        {"person": person_id, "id": session_id},
    )


async def set_two_step(connection: Connection, person_id: UUID, sealed_totp: bytes | None, step: int) -> None:
    """Turns the second step on, or (None) off."""
    await run(
        connection,
        "update people set sealed_totp = %(key)s, totp_step = %(step)s where id = %(id)s",
        {"id": person_id, "key": sealed_totp, "step": step},
    )


async def use_step(connection: Connection, person_id: UUID, step: int) -> bool:
    """Uses a time step up; False if it, or a later one, was used before."""
    return (
        await run(
            connection,
            "update people set totp_step = %(step)s where id = %(id)s and totp_step < %(step)s",
            {"id": person_id, "step": step},
        )
        == 1
    )


async def replace_recovery_codes(connection: Connection, person_id: UUID, hashes: list[bytes]) -> None:
    """Puts new recovery codes in place of the old ones."""
    await run(connection, "delete from recovery_codes where person_id = %(id)s", {"id": person_id})
    for code_hash in hashes:
        await run(
            connection,
            "insert into recovery_codes (person_id, code_hash) values (%(id)s, %(hash)s)",
            {"id": person_id, "hash": code_hash},
        )


async def use_recovery_code(connection: Connection, person_id: UUID, code_hash: bytes, now: datetime) -> bool:
    """Uses a recovery code up; False if there is none, or it was used before."""
    return (
        await run(
            connection,
            "update recovery_codes set used_at = %(now)s"
            " where person_id = %(id)s and code_hash = %(hash)s and used_at is null",
            {"id": person_id, "hash": code_hash, "now": now},
        )
        == 1
    )


async def memberships(connection: Connection, person_id: UUID) -> list[Membership]:
    """The sites of a person."""
    return await rows(
        connection,
        Membership,
        "select site_id, code, role, name, archived from sites_with_names(%(person)s)",
        {"person": person_id},
    )


# -- passwords --------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class ResetRow:
    """A link with which a password can be set anew."""

    created_at: datetime
    used_at: datetime | None


async def set_password(connection: Connection, person_id: UUID, password_hash: str) -> None:
    """Sets a person's password."""
    await run(
        connection,
        "update people set password_hash = %(hash)s where id = %(id)s",
        {"id": person_id, "hash": password_hash},
    )


async def end_sessions(connection: Connection, person_id: UUID, but: bytes) -> None:
    """Ends all sessions of a person but one."""
    await run(
        connection,
        "delete from sessions where person_id = %(id)s and token_hash <> %(but)s",
        {"id": person_id, "but": but},
    )


async def add_reset(
    connection: Connection, token_hash: bytes, person_id: UUID, at: datetime, expires: datetime
) -> None:
    """Keeps a link; old ones of the person go."""
    await run(
        connection,
        "delete from password_resets where person_id = %(person)s and expires_at < %(at)s - interval '1 day'",
        {"person": person_id, "at": at},
    )
    await run(
        connection,
        "insert into password_resets (token_hash, person_id, created_at, expires_at)"
        " values (%(hash)s, %(person)s, %(at)s, %(expires)s)",
        {"hash": token_hash, "person": person_id, "at": at, "expires": expires},
    )


async def resets_since(connection: Connection, person_id: UUID, since: datetime) -> list[ResetRow]:
    """The links of a person since then; whoever else asks for one of theirs waits."""
    await run(connection, "select 1 from people where id = %(id)s for update", {"id": person_id})
    return await rows(
        connection,
        ResetRow,
        "select created_at, used_at from password_resets where person_id = %(id)s and created_at > %(since)s",
        {"id": person_id, "since": since},
    )


async def use_reset(connection: Connection, token_hash: bytes, at: datetime) -> Person | None:
    """Whose link it is, once; None where it is unknown, too old, or was used."""
    return await one(
        connection,
        Person,
        "with used as (update password_resets set used_at = %(at)s where token_hash = %(hash)s and used_at is null"
        " and expires_at > %(at)s returning person_id)"
        " select id, email, name, password_hash, sealed_totp, totp_step from people join used on person_id = id",
        {"hash": token_hash, "at": at},
    )


async def end_resets(connection: Connection, person_id: UUID, at: datetime) -> None:
    """Ends the links of a person that were not used."""
    await run(
        connection,
        "update password_resets set used_at = %(at)s where person_id = %(id)s and used_at is null",
        {"id": person_id, "at": at},
    )
