"""Orders with their attempts, charges and events. Every query names the site, and the mode comes with the order."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.database import Connection, one, rows, run, value
from skurrow.store.payments.connections import Claimed


@dataclass(frozen=True, slots=True)
class OrderRow:
    """An order; `total` in minor units of `currency`, `quote` as computed for what is `wanted`, under `change` and
    `release`.

    One that is a charge of a subscription says which, and of which `period`; `from_balance` of it was paid with what
    the customer had left with the seller, and is not in the total. `customer` is the mailbox of whoever bought.
    """

    id: UUID
    mode: str
    visit: UUID
    code: str
    checkout_id: str
    change: int
    release: int | None
    state: str
    buyer: dict[str, Any]
    currency: str
    total: int
    quote: dict[str, Any]
    created_at: datetime
    paid_at: datetime | None
    wanted: dict[str, Any]
    kind: str = "sale"
    subscription_id: UUID | None = None
    period: int | None = None
    from_balance: int = 0
    customer: str = ""


@dataclass(frozen=True, slots=True)
class AttemptRow:
    """One request to a gateway to move money; `id` is the key under which the gateway knows it.

    `approve_at` is where the buyer approves it first, if they do; `off_site`: they leave for it. `waits`: the order
    waits for a bank's or a person's word on it, a person's until `due_at`. `sent` is what else was sent. What was seen
    of card, connection and buyer are keyed hashes.
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


@dataclass(frozen=True, slots=True)
class TryRow:
    """An earlier try to pay, found by the same card, address or buyer."""

    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class ChargeRow:
    """Money that moved."""

    id: UUID
    mode: str
    order_id: UUID
    attempt_id: UUID
    connection_id: UUID
    gateway_reference: str
    currency: str
    amount: int
    card_ending: str | None
    charged_at: datetime


@dataclass(frozen=True, slots=True)
class EventRow:
    """Something that happened to an order."""

    id: UUID
    mode: str
    order_id: UUID
    kind: str
    body: dict[str, Any]
    at: datetime


_ORDER = (
    "select id, mode, visit, code, checkout_id, change, release, state, buyer, currency, total, quote,"
    " created_at, paid_at, wanted, kind, subscription_id, period, from_balance, customer from orders "
)
_ATTEMPT = (
    "select id, mode, order_id, connection_id, currency, amount, state, reason, sealed_token, opened_at,"
    " closed_at, ask_at, asks, approve_at, off_site, waits, due_at, sent, card_seen, address_seen, buyer_seen,"
    " subscription_id, period from attempts "
)
_LISTED = """
  where site_id = %(site)s and mode = %(mode)s
    and (%(before)s::uuid is null or id < %(before)s)
    and (%(show)s in ('all', 'held') or state = %(show)s)
    and (%(show)s <> 'held' or state in ('paid', 'waiting') and exists (select from reviews r
         where r.site_id = orders.site_id and r.mode = orders.mode and r.order_id = orders.id and r.state = 'open'))
    and (%(search)s = '' or position(lower(%(search)s) in
         lower(code || ' ' || (buyer->>'email') || ' ' || (buyer->>'name'))) > 0
         or exists (select from papers p where p.site_id = orders.site_id and p.mode = orders.mode
         and p.order_id = orders.id and position(lower(%(search)s) in lower(p.written)) > 0))
  order by id desc limit %(most)s
"""


async def order_of_visit(
    connection: Connection, site_id: UUID, mode: str, visit: UUID, lock: bool = False
) -> OrderRow | None:
    """The order of a buyer's visit; locked until the transaction ends if asked for."""
    query = _ORDER + "where site_id = %(site)s and mode = %(mode)s and visit = %(visit)s"
    parameters = {"site": site_id, "mode": mode, "visit": visit}
    if lock:
        return await one(connection, OrderRow, query + " for update", parameters)
    return await one(connection, OrderRow, query, parameters)


async def order_by_id(
    connection: Connection, site_id: UUID, mode: str, order_id: UUID, lock: bool = False
) -> OrderRow | None:
    """An order of one mode."""
    query = _ORDER + "where site_id = %(site)s and mode = %(mode)s and id = %(id)s"
    parameters = {"site": site_id, "mode": mode, "id": order_id}
    if lock:
        return await one(connection, OrderRow, query + " for update", parameters)
    return await one(connection, OrderRow, query, parameters)


async def order_by_code(connection: Connection, site_id: UUID, mode: str, code: str) -> OrderRow | None:
    """An order by the code that people read."""
    return await one(
        connection,
        OrderRow,
        _ORDER + "where site_id = %(site)s and mode = %(mode)s and code = %(code)s",
        {"site": site_id, "mode": mode, "code": code},
    )


async def orders_before(
    connection: Connection, site_id: UUID, mode: str, before: UUID | None, search: str, most: int, show: str = "all"
) -> list[OrderRow]:
    """Orders of one book, the newest first, from before an order; `search` is part of code, email, name or of the
    number of a paper; `show` a state, "held" ones, or all."""
    return await rows(
        connection,
        OrderRow,
        _ORDER + _LISTED,
        {"site": site_id, "mode": mode, "before": before, "search": search, "most": most, "show": show},
    )


async def add_order(connection: Connection, site_id: UUID, order: OrderRow) -> bool:
    """Adds an order; False if its visit has one already (then nothing is written)."""
    touched = await run(
        connection,
        "insert into orders (id, site_id, mode, visit, code, checkout_id, change, release, buyer, currency,"
        " total, quote, created_at, wanted, kind, subscription_id, period, from_balance, customer) values (%(id)s,"
        " %(site)s, %(mode)s, %(visit)s, %(code)s, %(checkout)s, %(change)s, %(release)s, %(buyer)s, %(currency)s,"
        " %(total)s, %(quote)s, %(at)s, %(wanted)s, %(kind)s, %(subscription)s, %(period)s, %(from_balance)s,"
        " %(customer)s) on conflict (site_id, mode, visit) do nothing",
        {
            "id": order.id,
            "site": site_id,
            "mode": order.mode,
            "visit": order.visit,
            "code": order.code,
            "checkout": order.checkout_id,
            "change": order.change,
            "release": order.release,
            "buyer": Jsonb(order.buyer),
            "currency": order.currency,
            "total": order.total,
            "quote": Jsonb(order.quote),
            "at": order.created_at,
            "wanted": Jsonb(order.wanted),
            "kind": order.kind,
            "subscription": order.subscription_id,
            "period": order.period,
            "from_balance": order.from_balance,
            "customer": order.customer,
        },
    )
    return touched == 1


async def orders_of_subscription(
    connection: Connection, site_id: UUID, mode: str, subscription_id: UUID
) -> list[OrderRow]:
    """The charges of a subscription after the order that began it, the first one first."""
    return await rows(
        connection,
        OrderRow,
        _ORDER + "where site_id = %(site)s and mode = %(mode)s and subscription_id = %(id)s order by id",
        {"site": site_id, "mode": mode, "id": subscription_id},
    )


async def paying_for(connection: Connection, site_id: UUID, mode: str, customer: str, product: str, but: UUID) -> bool:
    """Whether a customer is paying, with another order than `but`, for something that begins a subscription of a
    product."""
    found = await value(
        connection,
        "select exists (select from orders o where o.site_id = %(site)s and o.mode = %(mode)s"
        " and o.state in ('open', 'waiting') and o.customer = %(customer)s and o.id <> %(but)s"
        " and o.wanted -> 'subscriptions' @> %(wanted)s and exists (select from attempts a"
        " where a.site_id = o.site_id and a.mode = o.mode and a.order_id = o.id and a.state = 'open'))",
        {
            "site": site_id,
            "mode": mode,
            "customer": customer,
            "but": but,
            "wanted": Jsonb([{"terms": {"product": product}}]),
        },
    )
    return bool(found)


async def order_of_period(
    connection: Connection, site_id: UUID, mode: str, subscription_id: UUID, period: int
) -> OrderRow | None:
    """The renewal of a subscription with a number."""
    return await one(
        connection,
        OrderRow,
        _ORDER + "where site_id = %(site)s and mode = %(mode)s and subscription_id = %(id)s and period = %(period)s"
        " and kind = 'renewal'",
        {"site": site_id, "mode": mode, "id": subscription_id, "period": period},
    )


async def reprice_order(connection: Connection, site_id: UUID, order: OrderRow) -> None:
    """Notes what the buyer of an unpaid order has changed since."""
    await run(
        connection,
        "update orders set buyer = %(buyer)s, currency = %(currency)s, total = %(total)s, quote = %(quote)s,"
        " wanted = %(wanted)s, customer = %(customer)s"
        " where site_id = %(site)s and mode = %(mode)s and id = %(id)s",
        {
            "site": site_id,
            "mode": order.mode,
            "id": order.id,
            "buyer": Jsonb(order.buyer),
            "currency": order.currency,
            "total": order.total,
            "quote": Jsonb(order.quote),
            "wanted": Jsonb(order.wanted),
            "customer": order.customer,
        },
    )


async def mark_paid(connection: Connection, site_id: UUID, order: OrderRow, at: datetime) -> None:
    """An open order becomes paid."""
    await run(
        connection,
        "update orders set state = 'paid', paid_at = %(at)s"
        " where site_id = %(site)s and mode = %(mode)s and id = %(id)s",
        {"site": site_id, "mode": order.mode, "id": order.id, "at": at},
    )


async def set_state(connection: Connection, site_id: UUID, order: OrderRow, state: str) -> None:
    """An order begins to wait, is open again, or is cancelled."""
    await run(
        connection,
        "update orders set state = %(state)s where site_id = %(site)s and mode = %(mode)s and id = %(id)s",
        {"site": site_id, "mode": order.mode, "id": order.id, "state": state},
    )


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


async def tries_since(
    connection: Connection, site_id: UUID, mode: str, since: datetime, seen: dict[str, str]
) -> list[TryRow]:
    """Tries since an instant by any of what was `seen`: keyed hashes by "card", "address" and "buyer"."""
    return await rows(
        connection,
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
            "site": site_id,
            "mode": mode,
            "since": since,
            "card": seen.get("card"),
            "address": seen.get("address"),
            "buyer": seen.get("buyer"),
        },
    )


async def refused_since(connection: Connection, site_id: UUID, mode: str, by: str, mark: str, since: datetime) -> int:
    """How many charges by the same card or address were refused since an instant, or are being decided."""
    found = await value(
        connection,
        "select count(*) from attempts where site_id = %(site)s and mode = %(mode)s"
        " and (card_seen = %(card)s or address_seen = %(address)s)"
        " and opened_at > %(since)s and (state = 'refused' or state = 'open' and waits is null)",
        {
            "site": site_id,
            "mode": mode,
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


async def waiting_of(
    connection: Connection, site_id: UUID, mode: str, customer: str, address: str | None, but: UUID
) -> Waiting:
    """How many other orders than one wait for a person's money; whoever else of the customer's orders waits."""
    await run(
        connection,
        "select pg_advisory_xact_lock(hashtextextended(%(name)s, 9))",
        {"name": f"{site_id} {mode} {customer}"},
    )
    found = await one(
        connection,
        Waiting,
        "select (select count(*) from orders o where o.site_id = %(site)s and o.mode = %(mode)s"
        "  and o.customer = %(customer)s and o.state = 'waiting' and o.id <> %(but)s) as of_customer,"
        " (select count(*) from attempts a where a.site_id = %(site)s and a.mode = %(mode)s"
        "  and a.address_seen = %(address)s and a.state = 'open' and a.waits = 'person' and a.order_id <> %(but)s)"
        " as of_address",
        {"site": site_id, "mode": mode, "customer": customer, "address": address, "but": but},
    )
    assert found is not None
    return found


async def attempts_of(connection: Connection, site_id: UUID, mode: str, order_id: UUID) -> list[AttemptRow]:
    """The attempts of an order, the first one first."""
    return await rows(
        connection,
        AttemptRow,
        _ATTEMPT + "where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": site_id, "mode": mode, "order": order_id},
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
    """The open test attempt about which something is due first, up to an instant: its bank's word, the end of its
    buyer's time to approve, or of the time in which it was to be paid."""
    return await one(
        connection,
        AttemptRow,
        _ATTEMPT + "where site_id = %(site)s and mode = 'test' and state = 'open' and due_at <= %(until)s"
        " order by due_at, id limit 1",
        {"site": site_id, "until": until},
    )


async def wait_longer(connection: Connection, site_id: UUID, attempt_id: UUID, due_at: datetime) -> None:
    """What was due about an open attempt is expected later."""
    await run(
        connection,
        "update attempts set due_at = %(at)s where site_id = %(site)s and id = %(id)s and state = 'open'",
        {"site": site_id, "id": attempt_id, "at": due_at},
    )


async def wait_for(
    connection: Connection, site_id: UUID, attempt_id: UUID, waits: str, due_at: datetime | None, ask_at: datetime
) -> None:
    """Whose word an open attempt waits for, and when it is looked at again."""
    await run(
        connection,
        "update attempts set waits = %(waits)s, due_at = %(due)s, ask_at = %(at)s"
        " where site_id = %(site)s and id = %(id)s and state = 'open'",
        {"site": site_id, "id": attempt_id, "waits": waits, "due": due_at, "at": ask_at},
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


# -- charges and events -----------------------------------------------------------------------------------


async def add_charge(connection: Connection, site_id: UUID, charge: ChargeRow) -> None:
    """Records money that moved."""
    await run(
        connection,
        "insert into charges (id, site_id, mode, order_id, attempt_id, connection_id, gateway_reference, currency,"
        " amount, card_ending, charged_at) values (%(id)s, %(site)s, %(mode)s, %(order)s, %(attempt)s,"
        " %(connection)s, %(reference)s, %(currency)s, %(amount)s, %(ending)s, %(at)s)",
        {
            "id": charge.id,
            "site": site_id,
            "mode": charge.mode,
            "order": charge.order_id,
            "attempt": charge.attempt_id,
            "connection": charge.connection_id,
            "reference": charge.gateway_reference,
            "currency": charge.currency,
            "amount": charge.amount,
            "ending": charge.card_ending,
            "at": charge.charged_at,
        },
    )


async def charges_of(connection: Connection, site_id: UUID, mode: str, order_id: UUID) -> list[ChargeRow]:
    """The charges of an order."""
    return await rows(
        connection,
        ChargeRow,
        "select id, mode, order_id, attempt_id, connection_id, gateway_reference, currency, amount, card_ending,"
        " charged_at from charges where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": site_id, "mode": mode, "order": order_id},
    )


async def add_event(connection: Connection, site_id: UUID, event: EventRow) -> None:
    """Writes down what happened, in the transaction in which it does."""
    await run(
        connection,
        "insert into events (id, site_id, mode, order_id, kind, body, at)"
        " values (%(id)s, %(site)s, %(mode)s, %(order)s, %(kind)s, %(body)s, %(at)s)",
        {
            "id": event.id,
            "site": site_id,
            "mode": event.mode,
            "order": event.order_id,
            "kind": event.kind,
            "body": Jsonb(event.body),
            "at": event.at,
        },
    )


async def events_of(connection: Connection, site_id: UUID, mode: str, order_id: UUID) -> list[EventRow]:
    """What happened to an order, in order."""
    return await rows(
        connection,
        EventRow,
        "select id, mode, order_id, kind, body, at from events"
        " where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": site_id, "mode": mode, "order": order_id},
    )
