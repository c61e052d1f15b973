"""People, their sessions, and failed sign-ins. Sessions are known by the hash of their token."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

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
        "insert into people (id, email, name, password_hash, created_at)"
        " values (%(id)s, %(email)s, %(name)s, %(hash)s, %(at)s)",
        {"id": person.id, "email": person.email, "name": person.name, "hash": person.password_hash, "at": at},
    )


async def person_by_email(connection: Connection, email: str) -> Person | None:
    """The person with that email, written in whatever case."""
    return await one(
        connection,
        Person,
        "select id, email, name, password_hash, sealed_totp, totp_step from people"
        " where lower(email) = lower(%(email)s)",
        {"email": email},
    )


async def signed_in(connection: Connection, token_hash: bytes, now: datetime) -> SignedIn | None:
    """Whose session it is, while it lasts: in one statement, since everything at the desk begins with it."""
    cursor = await connection.execute(
        "select people.id, email, people.name, password_hash, sealed_totp, totp_step, seen_at,"
        " array(select row(site_id, code, role, sites.name) from sites_with_names(people.id) sites)"
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
        "select site_id, code, role, name from sites_with_names(%(person)s)",
        {"person": person_id},
    )


async def one_sign_in_at_a_time(connection: Connection) -> None:
    """Holds other sign-ins back until the transaction ends."""
    await run(connection, "select pg_advisory_xact_lock(58470002)")


async def add_sign_in_failure(connection: Connection, email: str, address: str, now: datetime) -> None:
    """Notes a failed sign-in."""
    await run(
        connection,
        "insert into sign_in_failures (email, address, at) values (lower(%(email)s), %(address)s, %(now)s)",
        {"email": email, "address": address, "now": now},
    )


@dataclass(frozen=True, slots=True)
class Failures:
    """Failed sign-ins: of this email from this address, of this email from anywhere, from this address."""

    of_both: int
    of_email: int
    of_address: int


async def sign_in_failures(connection: Connection, email: str, address: str, since: datetime) -> Failures:
    """Failed sign-ins since then."""
    found = await one(
        connection,
        Failures,
        "select count(*) filter (where email = lower(%(email)s) and address = %(address)s) as of_both,"
        " count(*) filter (where email = lower(%(email)s)) as of_email,"
        " count(*) filter (where address = %(address)s) as of_address from sign_in_failures"
        " where (email = lower(%(email)s) or address = %(address)s) and at > %(since)s",
        {"email": email, "address": address, "since": since},
    )
    return found or Failures(0, 0, 0)


async def forget_sign_in_failures(connection: Connection, before: datetime, email: str | None = None) -> None:
    """Forgets failures from before that time, and all of an email that has just signed in."""
    await run(
        connection,
        "delete from sign_in_failures where at <= %(before)s or email = lower(%(email)s)",
        {"before": before, "email": email or ""},
    )
