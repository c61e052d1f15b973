"""Orders with their attempts, charges and events. Every query names the site, and the mode comes with the order."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.core.quote.kept import KeptOrder
from skurrow.store.book import Book
from skurrow.store.database import Connection, one, rows, run, value


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

    @property
    def kept(self) -> KeptOrder:
        """What it has stored, read with types."""
        return KeptOrder(self.buyer, self.wanted, self.quote)


_ORDER = (
    "select id, mode, visit, code, checkout_id, change, release, state, buyer, currency, total, quote,"
    " created_at, paid_at, wanted, kind, subscription_id, period, from_balance, customer from orders "
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


async def order_of_visit(book: Book, visit: UUID, lock: bool = False) -> OrderRow | None:
    """The order of a buyer's visit; locked until the transaction ends if asked for."""
    query = _ORDER + "where site_id = %(site)s and mode = %(mode)s and visit = %(visit)s"
    parameters = {"site": book.site_id, "mode": book.mode, "visit": visit}
    if lock:
        return await one(book.db, OrderRow, query + " for update", parameters)
    return await one(book.db, OrderRow, query, parameters)


async def order_by_id(book: Book, order_id: UUID, lock: bool = False) -> OrderRow | None:
    """An order of one mode."""
    query = _ORDER + "where site_id = %(site)s and mode = %(mode)s and id = %(id)s"
    parameters = {"site": book.site_id, "mode": book.mode, "id": order_id}
    if lock:
        return await one(book.db, OrderRow, query + " for update", parameters)
    return await one(book.db, OrderRow, query, parameters)


async def order_by_code(book: Book, code: str) -> OrderRow | None:
    """An order by the code that people read."""
    return await one(
        book.db,
        OrderRow,
        _ORDER + "where site_id = %(site)s and mode = %(mode)s and code = %(code)s",
        {"site": book.site_id, "mode": book.mode, "code": code},
    )


async def orders_before(book: Book, before: UUID | None, search: str, most: int, show: str = "all") -> list[OrderRow]:
    """Orders of one book, the newest first, from before an order; `search` is part of code, email, name or of the
    number of a paper; `show` a state, "held" ones, or all."""
    return await rows(
        book.db,
        OrderRow,
        _ORDER + _LISTED,
        {"site": book.site_id, "mode": book.mode, "before": before, "search": search, "most": most, "show": show},
    )


async def paid_by(book: Book, customer: str) -> int:
    """How many orders a customer, by their mailbox, has paid in this book; renewals are no orders of theirs."""
    found = await value(
        book.db,
        "select count(*) from orders where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s"
        " and kind = 'sale' and state = 'paid'",
        {"site": book.site_id, "mode": book.mode, "customer": customer},
    )
    return int(found)


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


async def purchases_of(book: Book, customer: str, most: int) -> list[OrderRow]:
    """What a customer, by their mailbox, has bought and what stands and waits, the newest first; renewals are none."""
    return await rows(
        book.db,
        OrderRow,
        _ORDER + "where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s and kind = 'sale'"
        " and state in ('paid', 'waiting', 'cancelled') order by id desc limit %(most)s",
        {"site": book.site_id, "mode": book.mode, "customer": customer, "most": most},
    )


async def orders_of_customer(book: Book, customer: str, most: int | None, lock: bool = False) -> list[OrderRow]:
    """The orders of a customer, by their mailbox, renewals and unpaid ones too, the newest first (`most` None: all of
    them); locked until the transaction ends if asked for."""
    query = _ORDER + "where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s"
    query += " order by id desc limit %(most)s"
    return await rows(
        book.db,
        OrderRow,
        query + " for update" if lock else query,
        {"site": book.site_id, "mode": book.mode, "customer": customer, "most": most},
    )


async def orders_of_subscription(book: Book, subscription_id: UUID) -> list[OrderRow]:
    """The charges of a subscription after the order that began it, the first one first."""
    return await rows(
        book.db,
        OrderRow,
        _ORDER + "where site_id = %(site)s and mode = %(mode)s and subscription_id = %(id)s order by id",
        {"site": book.site_id, "mode": book.mode, "id": subscription_id},
    )


async def paying_for(book: Book, customer: str, product: str, but: UUID) -> bool:
    """Whether a customer is paying, with another order than `but`, for something that begins a subscription of a
    product."""
    found = await value(
        book.db,
        "select exists (select from orders o where o.site_id = %(site)s and o.mode = %(mode)s"
        " and o.state in ('open', 'waiting') and o.customer = %(customer)s and o.id <> %(but)s"
        " and o.wanted -> 'subscriptions' @> %(wanted)s and exists (select from attempts a"
        " where a.site_id = o.site_id and a.mode = o.mode and a.order_id = o.id and a.state = 'open'))",
        {
            "site": book.site_id,
            "mode": book.mode,
            "customer": customer,
            "but": but,
            "wanted": Jsonb([{"terms": {"product": product}}]),
        },
    )
    return bool(found)


async def order_of_period(book: Book, subscription_id: UUID, period: int) -> OrderRow | None:
    """The renewal of a subscription with a number."""
    return await one(
        book.db,
        OrderRow,
        _ORDER + "where site_id = %(site)s and mode = %(mode)s and subscription_id = %(id)s and period = %(period)s"
        " and kind = 'renewal'",
        {"site": book.site_id, "mode": book.mode, "id": subscription_id, "period": period},
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
