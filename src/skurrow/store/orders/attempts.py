"""Charge attempts: opened before the gateway is asked, and closed by whoever learns first what became of one."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.claims import Claimed
from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class AttemptRow:
    """One request to a gateway to move money; `id` is the key under which the gateway knows it.

    `approve_at` is where the buyer approves it first, if they do; `off_site`: they leave for it. `waits`: the order
    waits for a bank's or a person's word on it, a person's until `due_at`; they are reminded at `remind_at`. `sent` is
    what else was sent. What was seen of card, connection and buyer are keyed hashes.
    """

    id: UUID
    mode: str
    order_id: UUID
    connection_id: UUID
    currency: str
    amount: int
    state: str
    reason: str | None
    sealed_token: bytes | None = field(repr=False)
    opened_at: datetime
    closed_at: datetime | None
    ask_at: datetime
    asks: int
    approve_at: str | None = None
    off_site: bool = False
    waits: str | None = None
    due_at: datetime | None = None
    sent: dict[str, Any] = field(default_factory=dict)
    card_seen: str | None = None
    address_seen: str | None = None
    buyer_seen: str | None = None
    subscription_id: UUID | None = None
    period: int | None = None
    remind_at: datetime | None = None


@dataclass(frozen=True, slots=True)
class TryRow:
    """An earlier try to pay, found by the same card, address or buyer."""

    by: str
    at: datetime


_ATTEMPT = (
    "select id, mode, order_id, connection_id, currency, amount, state, reason, sealed_token, opened_at,"
    " closed_at, ask_at, asks, approve_at, off_site, waits, due_at, sent, card_seen, address_seen, buyer_seen,"
    " subscription_id, period, remind_at from attempts "
)

_NEXT_WAITING = """
  where site_id = %(site)s and mode = 'test' and state = 'open' and coalesce(remind_at, due_at) <= %(until)s
    and not (remind_at is null and waits = 'person' and connection_id in
      (select c.id from connections c where c.site_id = %(site)s and c.adapter = 'invoice'))
  order by coalesce(remind_at, due_at), id limit 1
"""


# -- attempts ---------------------------------------------------------------------------------------------


async def add_attempt(connection: Connection, site_id: UUID, attempt: AttemptRow) -> None:
    """Opens an attempt; the database refuses a second one that is open or paid."""
    await run(
        connection,
        "insert into attempts (id, site_id, mode, order_id, connection_id, currency, amount, sealed_token,"
        " opened_at, ask_at, sent, card_seen, address_seen, buyer_seen, subscription_id, period) values (%(id)s,"
        " %(site)s, %(mode)s, %(order)s, %(connection)s, %(currency)s, %(amount)s, %(token)s, %(at)s, %(ask_at)s,"
        " %(sent)s, %(card)s, %(address)s, %(buyer)s, %(subscription)s, %(period)s)",
        {
            "id": attempt.id,
            "site": site_id,
            "mode": attempt.mode,
            "order": attempt.order_id,
            "connection": attempt.connection_id,
            "currency": attempt.currency,
            "amount": attempt.amount,
            "token": attempt.sealed_token,
            "at": attempt.opened_at,
            "ask_at": attempt.ask_at,
            "sent": Jsonb(attempt.sent),
            "card": attempt.card_seen,
            "address": attempt.address_seen,
            "buyer": attempt.buyer_seen,
            "subscription": attempt.subscription_id,
            "period": attempt.period,
        },
    )


async def tries_since(book: Book, since: datetime, seen: dict[str, str]) -> list[TryRow]:
    """Tries since an instant by any of what was `seen`: keyed hashes by "card", "address" and "buyer"."""
    return await rows(
        book.db,
        TryRow,
        """
        (select 'card' as by, opened_at as at from attempts where site_id = %(site)s and mode = %(mode)s
          and card_seen = %(card)s and opened_at > %(since)s order by opened_at desc limit 1001)
        union all
        (select 'address', opened_at from attempts where site_id = %(site)s and mode = %(mode)s
          and address_seen = %(address)s and opened_at > %(since)s order by opened_at desc limit 1001)
        union all
        (select 'buyer', opened_at from attempts where site_id = %(site)s and mode = %(mode)s
          and buyer_seen = %(buyer)s and opened_at > %(since)s order by opened_at desc limit 1001)
        """,
        {
            "site": book.site_id,
            "mode": book.mode,
            "since": since,
            "card": seen.get("card"),
            "address": seen.get("address"),
            "buyer": seen.get("buyer"),
        },
    )


async def lately_of(book: Book, customer: str, since: datetime) -> int:
    """How many charges of orders that a customer, by their mailbox, has not paid were opened since an instant."""
    found = await value(
        book.db,
        "select count(*) from attempts a"
        " join orders o on o.site_id = a.site_id and o.mode = a.mode and o.id = a.order_id"
        " where o.site_id = %(site)s and o.mode = %(mode)s and o.customer = %(customer)s and o.kind = 'sale'"
        " and o.state <> 'paid' and a.opened_at > %(since)s",
        {"site": book.site_id, "mode": book.mode, "customer": customer, "since": since},
    )
    return int(found)


async def refused_since(book: Book, by: str, mark: str, since: datetime) -> int:
    """How many charges by the same card or address were refused since an instant, or are being decided."""
    found = await value(
        book.db,
        "select count(*) from attempts where site_id = %(site)s and mode = %(mode)s"
        " and (card_seen = %(card)s or address_seen = %(address)s)"
        " and opened_at > %(since)s and (state = 'refused' or state = 'open' and waits is null)",
        {
            "site": book.site_id,
            "mode": book.mode,
            "card": mark if by == "card" else None,
            "address": mark if by == "address" else None,
            "since": since,
        },
    )
    return int(found)


@dataclass(frozen=True, slots=True)
class Waiting:
    """How many orders wait for a person's money: of a customer, and from an address."""

    of_customer: int
    of_address: int


async def waiting_of(book: Book, customer: str, address: str | None, but: UUID) -> Waiting:
    """How many other orders than one wait for a person's money; whoever else of the customer's orders waits."""
    await run(
        book.db,
        "select pg_advisory_xact_lock(hashtextextended(%(name)s, 9))",
        {"name": f"{book.site_id} {book.mode} {customer}"},
    )
    found = await one(
        book.db,
        Waiting,
        "select (select count(*) from orders o where o.site_id = %(site)s and o.mode = %(mode)s"
        "  and o.customer = %(customer)s and o.state = 'waiting' and o.id <> %(but)s) as of_customer,"
        " (select count(*) from attempts a where a.site_id = %(site)s and a.mode = %(mode)s"
        "  and a.address_seen = %(address)s and a.state = 'open' and a.waits = 'person' and a.order_id <> %(but)s)"
        " as of_address",
        {"site": book.site_id, "mode": book.mode, "customer": customer, "address": address, "but": but},
    )
    assert found is not None
    return found


async def attempts_of(book: Book, order_id: UUID) -> list[AttemptRow]:
    """The attempts of an order, the first one first."""
    return await rows(
        book.db,
        AttemptRow,
        _ATTEMPT + "where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )


async def attempt(connection: Connection, site_id: UUID, attempt_id: UUID, lock: bool = False) -> AttemptRow | None:
    """An attempt by its key."""
    query = _ATTEMPT + "where site_id = %(site)s and id = %(id)s"
    parameters = {"site": site_id, "id": attempt_id}
    if lock:
        return await one(connection, AttemptRow, query + " for update", parameters)
    return await one(connection, AttemptRow, query, parameters)


async def close_attempt(
    connection: Connection,
    site_id: UUID,
    attempt_id: UUID,
    state: str,
    reason: str | None,
    at: datetime,
    told_by: UUID | None = None,
) -> None:
    """Closes an open attempt as `paid` or `refused`; its token is forgotten. `told_by` is the connection whose message
    said so; the database refuses any but its own."""
    await run(
        connection,
        "update attempts set state = %(state)s, reason = %(reason)s, closed_at = %(at)s, sealed_token = null,"
        " approve_at = null, told_by = %(told_by)s"
        " where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": attempt_id, "state": state, "reason": reason, "at": at, "told_by": told_by},
    )


async def approve_at(
    connection: Connection,
    site_id: UUID,
    attempt_id: UUID,
    address: str,
    off_site: bool,
    ask_at: datetime,
    until: datetime | None = None,
) -> None:
    """Where the buyer approves an open attempt, until when if that is known, and when its outcome is asked for."""
    await run(
        connection,
        "update attempts set approve_at = %(address)s, off_site = %(off_site)s, ask_at = %(at)s, due_at = %(until)s"
        " where site_id = %(site)s and id = %(id)s and state = 'open'",
        {"site": site_id, "id": attempt_id, "address": address, "off_site": off_site, "at": ask_at, "until": until},
    )


async def next_waiting_test(connection: Connection, site_id: UUID, until: datetime) -> AttemptRow | None:
    """The open test attempt about which something is due first, up to an instant: a reminder, its bank's word, the end
    of its buyer's time to approve, or of the time in which it was to be paid. An invoice waits for longer than that."""
    return await one(
        connection,
        AttemptRow,
        _ATTEMPT + _NEXT_WAITING,
        {"site": site_id, "until": until},
    )


async def reminded(connection: Connection, site_id: UUID, attempt_id: UUID) -> None:
    """Whoever is to pay it was reminded."""
    await run(
        connection,
        "update attempts set remind_at = null where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": attempt_id},
    )


async def wait_longer(connection: Connection, site_id: UUID, attempt_id: UUID, due_at: datetime) -> None:
    """What was due about an open attempt is expected later."""
    await run(
        connection,
        "update attempts set due_at = %(at)s where site_id = %(site)s and id = %(id)s and state = 'open'",
        {"site": site_id, "id": attempt_id, "at": due_at},
    )


async def wait_for(
    connection: Connection,
    site_id: UUID,
    attempt_id: UUID,
    waits: str,
    due_at: datetime | None,
    ask_at: datetime,
    remind_at: datetime | None = None,
) -> None:
    """Whose word an open attempt waits for, when they are reminded, and when it is looked at again."""
    await run(
        connection,
        "update attempts set waits = %(waits)s, due_at = %(due)s, ask_at = %(at)s, remind_at = %(remind)s"
        " where site_id = %(site)s and id = %(id)s and state = 'open'",
        {"site": site_id, "id": attempt_id, "waits": waits, "due": due_at, "at": ask_at, "remind": remind_at},
    )


async def ask_at(connection: Connection, site_id: UUID, attempt_id: UUID, at: datetime) -> None:
    """When the outcome of an open attempt is asked for."""
    await run(
        connection,
        "update attempts set ask_at = %(at)s where site_id = %(site)s and id = %(id)s and state = 'open'",
        {"site": site_id, "id": attempt_id, "at": at},
    )


async def claim_open_attempts(connection: Connection, now: datetime, most: int) -> list[Claimed]:
    """Attempts whose outcome should be asked for; needs no site."""
    return await rows(
        connection,
        Claimed,
        "select site_id, id from claim_open_attempts(%(now)s, %(most)s)",
        {"now": now, "most": most},
    )
