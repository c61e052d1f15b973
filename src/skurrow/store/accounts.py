"""How customers sign in to their account page: links, sessions and passwords. Every query names the site."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

from skurrow.store.database import Connection, one, run, value


@dataclass(frozen=True, slots=True)
class Signed:
    """Who a link or a session is for."""

    mode: str
    customer: str
    expires_at: datetime


@dataclass(frozen=True, slots=True)
class PasswordRow:
    """A customer's password, and whether they have shown that the address is theirs."""

    password_hash: str = field(repr=False)
    visit: UUID
    proved: bool


def _kept(site_id: UUID, token_hash: bytes, found: Signed, at: datetime) -> dict[str, Any]:
    return {
        "hash": token_hash,
        "site": site_id,
        "mode": found.mode,
        "customer": found.customer,
        "at": at,
        "expires": found.expires_at,
    }


async def links_since(connection: Connection, site_id: UUID, mode: str, customer: str, since: datetime) -> int:
    """How many links a customer was sent since an instant."""
    found = await value(
        connection,
        "select count(*) from account_links where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s"
        " and created_at > %(since)s",
        {"site": site_id, "mode": mode, "customer": customer, "since": since},
    )
    return int(found)


async def add_link(connection: Connection, site_id: UUID, token_hash: bytes, found: Signed, at: datetime) -> None:
    """Keeps a link; old ones of the site go."""
    await run(
        connection,
        "delete from account_links where site_id = %(site)s and expires_at < %(at)s - interval '1 day'",
        {"site": site_id, "at": at},
    )
    await run(
        connection,
        "insert into account_links (token_hash, site_id, mode, customer, created_at, expires_at)"
        " values (%(hash)s, %(site)s, %(mode)s, %(customer)s, %(at)s, %(expires)s)",
        _kept(site_id, token_hash, found, at),
    )


async def use_link(connection: Connection, site_id: UUID, token_hash: bytes, at: datetime) -> Signed | None:
    """Who a link is for, once; None where it is unknown, too old, or was used."""
    return await one(
        connection,
        Signed,
        "update account_links set used_at = %(at)s where site_id = %(site)s and token_hash = %(hash)s"
        " and used_at is null and expires_at > %(at)s returning mode, customer, expires_at",
        {"site": site_id, "hash": token_hash, "at": at},
    )


async def add_session(connection: Connection, site_id: UUID, token_hash: bytes, found: Signed, at: datetime) -> None:
    """Begins a session; those that are over go."""
    await run(connection, "delete from account_sessions where site_id = %(site)s and expires_at < %(at)s",
              {"site": site_id, "at": at})  # fmt: skip
    await run(
        connection,
        "insert into account_sessions (token_hash, site_id, mode, customer, created_at, expires_at)"
        " values (%(hash)s, %(site)s, %(mode)s, %(customer)s, %(at)s, %(expires)s)",
        _kept(site_id, token_hash, found, at),
    )


async def session(connection: Connection, site_id: UUID, token_hash: bytes, at: datetime) -> Signed | None:
    """Whose session it is."""
    return await one(
        connection,
        Signed,
        "select mode, customer, expires_at from account_sessions where site_id = %(site)s and token_hash = %(hash)s"
        " and expires_at > %(at)s",
        {"site": site_id, "hash": token_hash, "at": at},
    )


async def end_session(connection: Connection, site_id: UUID, token_hash: bytes) -> None:
    """Ends a session."""
    await run(
        connection,
        "delete from account_sessions where site_id = %(site)s and token_hash = %(hash)s",
        {"site": site_id, "hash": token_hash},
    )


async def end_sessions(connection: Connection, site_id: UUID, mode: str, customer: str, but: bytes) -> None:
    """Ends all sessions of a customer but one."""
    await run(
        connection,
        "delete from account_sessions where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s"
        " and token_hash <> %(but)s",
        {"site": site_id, "mode": mode, "customer": customer, "but": but},
    )


async def password(connection: Connection, site_id: UUID, mode: str, customer: str) -> PasswordRow | None:
    """A customer's password; locked until the transaction ends."""
    return await one(
        connection,
        PasswordRow,
        "select password_hash, visit, proved from account_passwords"
        " where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s for update",
        {"site": site_id, "mode": mode, "customer": customer},
    )


async def set_password(
    connection: Connection, site_id: UUID, mode: str, customer: str, row: PasswordRow, at: datetime
) -> None:
    """Sets a password; one that is proved is not replaced by one that is not."""
    await run(
        connection,
        "insert into account_passwords (site_id, mode, customer, password_hash, visit, proved, set_at)"
        " values (%(site)s, %(mode)s, %(customer)s, %(password)s, %(visit)s, %(proved)s, %(at)s)"
        " on conflict (site_id, mode, customer) do update set password_hash = excluded.password_hash,"
        " visit = excluded.visit, proved = excluded.proved, set_at = excluded.set_at"
        " where excluded.proved or not account_passwords.proved",
        {
            "site": site_id,
            "mode": mode,
            "customer": customer,
            "password": row.password_hash,
            "visit": row.visit,
            "proved": row.proved,
            "at": at,
        },
    )


async def prove_password(connection: Connection, site_id: UUID, mode: str, customer: str) -> None:
    """Whoever set it has shown that the address is theirs."""
    await run(
        connection,
        "update account_passwords set proved = true"
        " where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s",
        {"site": site_id, "mode": mode, "customer": customer},
    )


async def drop_password(connection: Connection, site_id: UUID, mode: str, customer: str) -> None:
    """Somebody else may have set it."""
    await run(
        connection,
        "delete from account_passwords where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s",
        {"site": site_id, "mode": mode, "customer": customer},
    )
