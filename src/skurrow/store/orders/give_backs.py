"""What buyers have said that they give back. Every query names the site and the book."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal
from uuid import UUID

from skurrow.store.book import Book
from skurrow.store.database import Connection, one, rows, run, value

GiveBackState = Literal["open", "done", "declined"]


@dataclass(frozen=True, slots=True)
class GiveBackRow:
    """A buyer's word, as it was typed, under a `code` that they were told. `order_id` and `order_code` say of which
    order it is, where that is known; `decided_by` is who has looked after it, by name."""

    id: UUID
    mode: str
    code: str
    order_id: UUID | None
    order_code: str | None
    name: str
    email: str
    typed_order: str
    what: str
    words: str
    at: datetime
    state: GiveBackState = "open"
    answer: str = ""
    decided_at: datetime | None = None
    decided_by: str | None = None


_GIVE_BACK = (
    "select g.id, g.mode, g.code, g.order_id, o.code as order_code, g.name, g.email, g.typed_order, g.what, g.words,"
    " g.at, g.state, g.answer, g.decided_at, p.name as decided_by from give_backs g"
    " left join orders o on o.site_id = g.site_id and o.mode = g.mode and o.id = g.order_id"
    " left join people p on p.id = g.decided_by where g.site_id = %(site)s and g.mode = %(mode)s"
)


async def add_give_back(book: Book, row: GiveBackRow) -> bool:
    """Keeps a buyer's word; False where it is kept already."""
    touched = await run(
        book.db,
        "insert into give_backs (site_id, mode, id, code, order_id, name, email, typed_order, what, words, at) values"
        " (%(site)s, %(mode)s, %(id)s, %(code)s, %(order)s, %(name)s, %(email)s, %(typed)s, %(what)s, %(words)s,"
        " %(at)s) on conflict do nothing",
        {
            "site": book.site_id,
            "mode": book.mode,
            "id": row.id,
            "code": row.code,
            "order": row.order_id,
            "name": row.name,
            "email": row.email,
            "typed": row.typed_order,
            "what": row.what,
            "words": row.words,
            "at": row.at,
        },
    )
    return touched == 1


async def give_back(book: Book, row_id: UUID) -> GiveBackRow | None:
    """One of them."""
    query = _GIVE_BACK + " and g.id = %(id)s"
    return await one(book.db, GiveBackRow, query, {"site": book.site_id, "mode": book.mode, "id": row_id})


async def give_backs(book: Book, most: int) -> list[GiveBackRow]:
    """Those of a book: the open ones first, then the newest."""
    query = _GIVE_BACK + " order by g.state <> 'open', g.at desc, g.id limit %(most)s"
    return await rows(book.db, GiveBackRow, query, {"site": book.site_id, "mode": book.mode, "most": most})


async def give_backs_from(book: Book, emails: list[str], orders: list[UUID]) -> list[GiveBackRow]:
    """Those that name an email address (in small letters), or are of some orders, the newest first."""
    query = _GIVE_BACK + " and (lower(g.email) = any(%(emails)s) or g.order_id = any(%(orders)s)) order by g.at desc"
    return await rows(
        book.db,
        GiveBackRow,
        query,
        {"site": book.site_id, "mode": book.mode, "emails": emails, "orders": orders},
    )


async def decide_give_back(book: Book, row_id: UUID, state: str, answer: str, by: UUID, at: datetime) -> bool:
    """Somebody has looked after an open one; False where it is not open any more."""
    touched = await run(
        book.db,
        "update give_backs set state = %(state)s, answer = %(answer)s, decided_at = %(at)s, decided_by = %(by)s"
        " where site_id = %(site)s and mode = %(mode)s and id = %(id)s and state = 'open'",
        {
            "site": book.site_id,
            "mode": book.mode,
            "id": row_id,
            "state": state,
            "answer": answer,
            "at": at,
            "by": by,
        },
    )
    return touched == 1


async def without_order_since(book: Book, since: datetime) -> int:
    """How many have come since an instant that fit no order."""
    found = await value(
        book.db,
        "select count(*) from give_backs where site_id = %(site)s and mode = %(mode)s and order_id is null"
        " and at > %(since)s",
        {"site": book.site_id, "mode": book.mode, "since": since},
    )
    return int(found or 0)


async def open_give_backs(connection: Connection, site_id: UUID) -> int:
    """How many of both books wait for a person."""
    found = await value(
        connection,
        "select count(*) from give_backs where site_id = %(site)s and state = 'open'",
        {"site": site_id},
    )
    return int(found or 0)


async def clear_test_give_backs(connection: Connection, site_id: UUID) -> None:
    """Those of the test book go."""
    await run(connection, "delete from give_backs where site_id = %(site)s and mode = 'test'", {"site": site_id})
