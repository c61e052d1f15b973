"""How customers sign in to their account page: links, sessions and passwords. Every query names the site."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, LiteralString
from uuid import UUID

from skurrow.store.book import Book
from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class Signed:
    """Who a link or a session is for."""

    mode: str
    customer: str
    expires_at: datetime


@dataclass(frozen=True, slots=True)
class TypedPassword:
    """A password that was typed at a checkout, in a visit; nobody has shown yet whose address it was typed beside."""

    password_hash: str = field(repr=False)
    visit: UUID


@dataclass(frozen=True, slots=True)
class LinkRow:
    """A link that was mailed."""

    created_at: datetime
    used_at: datetime | None


def _kept(site_id: UUID, token_hash: bytes, found: Signed, at: datetime) -> dict[str, Any]:
    return {
        "hash": token_hash,
        "site": site_id,
        "mode": found.mode,
        "customer": found.customer,
        "at": at,
        "expires": found.expires_at,
    }


async def links_since(book: Book, customer: str, since: datetime) -> list[LinkRow]:
    """The links that a customer was sent since an instant; whoever else asks for one of theirs waits."""
    await run(
        book.db,
        "select pg_advisory_xact_lock(hashtextextended(%(name)s, 8))",
        {"name": f"{book.site_id} {book.mode} {customer}"},
    )
    return await rows(
        book.db,
        LinkRow,
        "select created_at, used_at from account_links where site_id = %(site)s and mode = %(mode)s"
        " and customer = %(customer)s and created_at > %(since)s",
        {"site": book.site_id, "mode": book.mode, "customer": customer, "since": since},
    )


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


async def end_sessions(book: Book, customer: str, but: bytes) -> None:
    """Ends all sessions of a customer but one."""
    await run(
        book.db,
        "delete from account_sessions where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s"
        " and token_hash <> %(but)s",
        {"site": book.site_id, "mode": book.mode, "customer": customer, "but": but},
    )


async def password(book: Book, customer: str) -> str | None:
    """The hash of a customer's password, which they have proved to be theirs."""
    found = await value(
        book.db,
        "select password_hash from account_passwords"
        " where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s",
        {"site": book.site_id, "mode": book.mode, "customer": customer},
    )
    return None if found is None else str(found)


async def set_password(book: Book, customer: str, password_hash: str, at: datetime) -> None:
    """Sets the password of a customer who is signed in."""
    await run(
        book.db,
        _SET + " on conflict (site_id, mode, customer) do update set password_hash = excluded.password_hash,"
        " set_at = excluded.set_at",
        {"site": book.site_id, "mode": book.mode, "customer": customer, "password": password_hash, "at": at},
    )


async def keep_first(book: Book, customer: str, password_hash: str, at: datetime) -> None:
    """Sets it unless there is one."""
    await run(
        book.db,
        _SET + " on conflict do nothing",
        {"site": book.site_id, "mode": book.mode, "customer": customer, "password": password_hash, "at": at},
    )


_SET: LiteralString = (
    "insert into account_passwords (site_id, mode, customer, password_hash, set_at)"
    " values (%(site)s, %(mode)s, %(customer)s, %(password)s, %(at)s)"
)


async def keep_typed(book: Book, customer: str, row: TypedPassword, at: datetime) -> None:
    """Keeps what was typed in a visit; the first one of a visit stays, and those of long ago go."""
    await run(
        book.db,
        "delete from typed_passwords where site_id = %(site)s and set_at < %(at)s - interval '60 days'",
        {"site": book.site_id, "at": at},
    )
    await run(
        book.db,
        "insert into typed_passwords (site_id, mode, customer, visit, password_hash, set_at)"
        " values (%(site)s, %(mode)s, %(customer)s, %(visit)s, %(password)s, %(at)s) on conflict do nothing",
        {
            "site": book.site_id,
            "mode": book.mode,
            "customer": customer,
            "visit": row.visit,
            "password": row.password_hash,
            "at": at,
        },
    )


async def take_typed(book: Book, customer: str) -> list[TypedPassword]:
    """What was typed beside an address, in whatever visits; it is not kept any longer."""
    return await rows(
        book.db,
        TypedPassword,
        "delete from typed_passwords where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s"
        " returning password_hash, visit",
        {"site": book.site_id, "mode": book.mode, "customer": customer},
    )
