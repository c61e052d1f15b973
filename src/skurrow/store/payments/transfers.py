"""Bank statements that were uploaded, and the money in them. Every query names the site and the mode."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from skurrow.store.book import Book
from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class StatementRow:
    """A statement: how much money came in by it, and how much of it was not known yet."""

    id: UUID
    mode: str
    connection_id: UUID
    name: str
    format: str
    digest: bytes
    entries: int
    new_entries: int
    at: datetime
    by: UUID | None


@dataclass(frozen=True, slots=True)
class TransferRow:
    """Money that came in: `matched` to an attempt, set `aside` for a reason, or `done` with by a person."""

    id: UUID
    mode: str
    statement_id: UUID
    account: str
    bank_key: str
    currency: str
    amount: int
    booked_on: date
    payer: str
    payer_account: str
    text: str
    state: str
    reason: str | None
    order_id: UUID | None
    attempt_id: UUID | None
    note: str = ""
    decided_at: datetime | None = None
    order_code: str | None = None
    decided_by: str | None = None


@dataclass(frozen=True, slots=True)
class PayableRow:
    """An order that a transfer may be for, with its attempt that waits for a person, what came in for it before that
    was too little, and, where a person has marked it as paid and no transfer was found for that yet, that attempt."""

    id: UUID
    code: str
    state: str
    currency: str
    total: int
    attempt_id: UUID | None
    before: int
    by_hand: UUID | None


_TRANSFER = (
    "select t.id, t.mode, t.statement_id, t.account, t.bank_key, t.currency, t.amount, t.booked_on, t.payer,"
    " t.payer_account, t.text, t.state, t.reason, t.order_id, t.attempt_id, t.note, t.decided_at, o.code as order_code,"
    " p.name as decided_by from transfers t"
    " left join orders o on o.site_id = t.site_id and o.mode = t.mode and o.id = t.order_id"
    " left join people p on p.id = t.decided_by "
)


async def add_statement(connection: Connection, site_id: UUID, row: StatementRow) -> None:
    """Writes down that a statement was uploaded."""
    await run(
        connection,
        "insert into statements (id, site_id, mode, connection_id, name, format, digest, entries, new_entries, at, by)"
        " values (%(id)s, %(site)s, %(mode)s, %(connection)s, %(name)s, %(format)s, %(digest)s, %(entries)s, %(new)s,"
        " %(at)s, %(by)s)",
        {
            "id": row.id,
            "site": site_id,
            "mode": row.mode,
            "connection": row.connection_id,
            "name": row.name,
            "format": row.format,
            "digest": row.digest,
            "entries": row.entries,
            "new": row.new_entries,
            "at": row.at,
            "by": row.by,
        },
    )


async def last_statements(book: Book, most: int) -> list[StatementRow]:
    """The newest statements."""
    return await rows(
        book.db,
        StatementRow,
        "select id, mode, connection_id, name, format, digest, entries, new_entries, at, by from statements"
        " where site_id = %(site)s and mode = %(mode)s order by id desc limit %(most)s",
        {"site": book.site_id, "mode": book.mode, "most": most},
    )


async def known_keys(book: Book, account: str, keys: list[str]) -> set[str]:
    """Which entries of an account are known from statements before."""
    found = await value(
        book.db,
        "select coalesce(array_agg(bank_key), '{}') from transfers where site_id = %(site)s and mode = %(mode)s"
        " and account = %(account)s and bank_key = any(%(keys)s)",
        {"site": book.site_id, "mode": book.mode, "account": account, "keys": keys},
    )
    return set(found or [])


async def add_transfer(connection: Connection, site_id: UUID, row: TransferRow) -> bool:
    """Writes down money that came in; False if it is known (then nothing is written)."""
    touched = await run(
        connection,
        "insert into transfers (id, site_id, mode, statement_id, account, bank_key, currency, amount, booked_on, payer,"
        " payer_account, text, state, reason, order_id, attempt_id) values (%(id)s, %(site)s, %(mode)s, %(statement)s,"
        " %(account)s, %(key)s, %(currency)s, %(amount)s, %(on)s, %(payer)s, %(payer_account)s, %(text)s, %(state)s,"
        " %(reason)s, %(order)s, %(attempt)s) on conflict (site_id, mode, account, bank_key) do nothing",
        {
            "id": row.id,
            "site": site_id,
            "mode": row.mode,
            "statement": row.statement_id,
            "account": row.account,
            "key": row.bank_key,
            "currency": row.currency,
            "amount": row.amount,
            "on": row.booked_on,
            "payer": row.payer,
            "payer_account": row.payer_account,
            "text": row.text,
            "state": row.state,
            "reason": row.reason,
            "order": row.order_id,
            "attempt": row.attempt_id,
        },
    )
    return touched == 1


async def transfers_before(book: Book, before: UUID | None, aside: bool, most: int) -> list[TransferRow]:
    """Money that came in, the newest first, from before an entry; all of it, or what is set aside."""
    return await rows(
        book.db,
        TransferRow,
        _TRANSFER
        + "where t.site_id = %(site)s and t.mode = %(mode)s and (%(before)s::uuid is null or t.id < %(before)s)"
        " and (not %(aside)s or t.state = 'aside') order by t.id desc limit %(most)s",
        {"site": book.site_id, "mode": book.mode, "before": before, "aside": aside, "most": most},
    )


async def transfer(book: Book, transfer_id: UUID, lock: bool = False) -> TransferRow | None:
    """One entry; if it is locked, nobody else decides about it until the transaction ends."""
    query = _TRANSFER + "where t.site_id = %(site)s and t.mode = %(mode)s and t.id = %(id)s"
    parameters = {"site": book.site_id, "mode": book.mode, "id": transfer_id}
    if lock:
        return await one(book.db, TransferRow, query + " for update of t", parameters)
    return await one(book.db, TransferRow, query, parameters)


async def transfers_of(book: Book, order_id: UUID) -> list[TransferRow]:
    """What came in for an order."""
    return await rows(
        book.db,
        TransferRow,
        _TRANSFER + "where t.site_id = %(site)s and t.mode = %(mode)s and t.order_id = %(order)s order by t.id",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )


async def decide_transfer(
    connection: Connection,
    site_id: UUID,
    row: TransferRow,
    by: UUID,
    at: datetime,
) -> None:
    """Notes what became of an entry that was set aside."""
    await run(
        connection,
        "update transfers set state = %(state)s, order_id = %(order)s, attempt_id = %(attempt)s, note = %(note)s,"
        " decided_at = %(at)s, decided_by = %(by)s where site_id = %(site)s and mode = %(mode)s and id = %(id)s",
        {
            "site": site_id,
            "mode": row.mode,
            "id": row.id,
            "state": row.state,
            "order": row.order_id,
            "attempt": row.attempt_id,
            "note": row.note,
            "at": at,
            "by": by,
        },
    )


async def settle_earlier(book: Book, order_id: UUID, attempt_id: UUID) -> None:
    """What came in for an order before and was too little, belongs to its payment now."""
    await run(
        book.db,
        "update transfers set state = 'matched', attempt_id = %(attempt)s where site_id = %(site)s and mode = %(mode)s"
        " and order_id = %(order)s and state = 'aside' and reason = 'under'",
        {"site": book.site_id, "mode": book.mode, "order": order_id, "attempt": attempt_id},
    )


async def payable_by(book: Book, codes: list[str]) -> list[PayableRow]:
    """The orders with these codes, as far as a transfer may be for them; locked, so that nobody else settles them.

    They are locked by a statement of their own: whatever the wait was for is seen by the one that reads.
    """
    parameters = {"site": book.site_id, "mode": book.mode, "codes": codes}
    await run(
        book.db,
        "select 1 from orders where site_id = %(site)s and mode = %(mode)s and code = any(%(codes)s)"
        " order by id for update",
        parameters,
    )
    return await rows(
        book.db,
        PayableRow,
        """
        select o.id, o.code, o.state, o.currency, o.total,
          (select a.id from attempts a where a.site_id = o.site_id and a.mode = o.mode and a.order_id = o.id
            and a.state = 'open' and a.waits = 'person') as attempt_id,
          (select coalesce(sum(t.amount), 0)::bigint from transfers t where t.site_id = o.site_id and t.mode = o.mode
            and t.order_id = o.id and t.state = 'aside' and t.reason = 'under' and t.currency = o.currency) as before,
          (select c.attempt_id from charges c where c.site_id = o.site_id and c.mode = o.mode and c.order_id = o.id
            and c.gateway_reference = 'by hand ' || c.attempt_id and not exists (select 1 from transfers t
              where t.site_id = c.site_id and t.mode = c.mode and t.order_id = c.order_id
              and t.attempt_id = c.attempt_id)) as by_hand
        from orders o where o.site_id = %(site)s and o.mode = %(mode)s and o.code = any(%(codes)s)
        """,
        parameters,
    )


async def aside(connection: Connection, site_id: UUID) -> int:
    """How much money of both books is set aside for a person, by entries."""
    found = await value(
        connection,
        "select count(*) from transfers where site_id = %(site)s and state = 'aside'",
        {"site": site_id},
    )
    return int(found or 0)
