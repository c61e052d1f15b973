"""What the official look-up answered about tax numbers."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.store.book import Book
from skurrow.store.database import Connection, one, run, value


@dataclass(frozen=True, slots=True)
class TaxNumberCheck:
    """One answer: `valid`, `invalid` or `no_answer`, with what the look-up calls the business and the asking."""

    id: UUID
    mode: str
    number: str
    answer: str
    name: str | None
    reference: str | None
    at: datetime


async def add_check(connection: Connection, site_id: UUID, check: TaxNumberCheck) -> None:
    """Keeps an answer."""
    await run(
        connection,
        "insert into tax_number_checks (id, site_id, mode, number, answer, name, reference, at)"
        " values (%(id)s, %(site)s, %(mode)s, %(number)s, %(answer)s, %(name)s, %(reference)s, %(at)s)",
        {
            "id": check.id,
            "site": site_id,
            "mode": check.mode,
            "number": check.number,
            "answer": check.answer,
            "name": check.name,
            "reference": check.reference,
            "at": check.at,
        },
    )


async def checks_since(book: Book, since: datetime) -> int:
    """How often the look-up was asked for a site since an instant."""
    found = await value(
        book.db,
        "select count(*) from tax_number_checks where site_id = %(site)s and mode = %(mode)s and at >= %(since)s",
        {"site": book.site_id, "mode": book.mode, "since": since},
    )
    return int(found)


async def newest_check(book: Book, number: str, since: datetime) -> TaxNumberCheck | None:
    """The newest answer about a number since an instant; one that says something goes before one that does not."""
    return await one(
        book.db,
        TaxNumberCheck,
        "select id, mode, number, answer, name, reference, at from tax_number_checks"
        " where site_id = %(site)s and mode = %(mode)s and number = %(number)s and at >= %(since)s"
        " order by (answer = 'no_answer'), id desc limit 1",
        {"site": book.site_id, "mode": book.mode, "number": number, "since": since},
    )
