"""Subscriptions with what happened to them, and unused time that was credited. Every query names the site."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.core.quote.kept import KeptBuyer
from skurrow.store.book import Book
from skurrow.store.claims import Claimed
from skurrow.store.database import Connection, one, rows, run


@dataclass(frozen=True, slots=True)
class SubscriptionRow:
    """A subscription; `life` is how it stands, as the core reckons with it, `buyer` whose it is and `change` the
    configuration that its terms are of. `sealed_on_file` is what the gateway charges again."""

    id: UUID
    mode: str
    code: str
    order_id: UUID | None
    change: int
    release: int | None
    checkout_id: str
    customer: str
    buyer: dict[str, Any]
    connection_id: UUID | None
    sealed_on_file: bytes | None = field(repr=False)
    card_ending: str | None
    product: str
    price: str
    ladder: bool
    state: str
    currency: str
    next_on: date | None
    due_at: datetime | None
    paid_order_id: UUID | None
    supply: dict[str, Any]
    life: dict[str, Any]
    started_at: datetime

    @property
    def kept_buyer(self) -> KeptBuyer:
        """Whose it is, read with types."""
        return KeptBuyer.model_validate(self.buyer)


_SUBSCRIPTION = (
    "select id, mode, code, order_id, change, release, checkout_id, customer, buyer, connection_id, sealed_on_file,"
    " card_ending, product, price, ladder, state, currency, next_on, due_at, paid_order_id, supply, life, started_at"
    " from subscriptions "
)


def _all(site_id: UUID, row: SubscriptionRow) -> dict[str, Any]:
    return {
        "site": site_id,
        "id": row.id,
        "mode": row.mode,
        "code": row.code,
        "order": row.order_id,
        "change": row.change,
        "release": row.release,
        "checkout": row.checkout_id,
        "customer": row.customer,
        "buyer": Jsonb(row.buyer),
        "connection": row.connection_id,
        "on_file": row.sealed_on_file,
        "ending": row.card_ending,
        "product": row.product,
        "price": row.price,
        "ladder": row.ladder,
        "state": row.state,
        "currency": row.currency,
        "next_on": row.next_on,
        "due_at": row.due_at,
        "paid_order": row.paid_order_id,
        "supply": Jsonb(row.supply),
        "life": Jsonb(row.life),
        "started": row.started_at,
    }


async def add_subscription(connection: Connection, site_id: UUID, row: SubscriptionRow) -> None:
    """Adds a subscription."""
    await run(
        connection,
        "insert into subscriptions (id, site_id, mode, code, order_id, change, release, checkout_id, customer, buyer,"
        " connection_id, sealed_on_file, card_ending, product, price, ladder, state, currency, next_on, due_at,"
        " paid_order_id, supply, life, started_at) values (%(id)s, %(site)s, %(mode)s, %(code)s, %(order)s,"
        " %(change)s, %(release)s, %(checkout)s, %(customer)s, %(buyer)s, %(connection)s, %(on_file)s, %(ending)s,"
        " %(product)s, %(price)s, %(ladder)s, %(state)s, %(currency)s, %(next_on)s, %(due_at)s, %(paid_order)s,"
        " %(supply)s, %(life)s, %(started)s)",
        _all(site_id, row),
    )


async def save_subscription(connection: Connection, site_id: UUID, row: SubscriptionRow) -> None:
    """Writes down how a subscription stands now; whoever had claimed it lets go."""
    await run(
        connection,
        "update subscriptions set change = %(change)s, release = %(release)s, customer = %(customer)s,"
        " buyer = %(buyer)s, connection_id = %(connection)s, sealed_on_file = %(on_file)s, card_ending = %(ending)s,"
        " product = %(product)s, price = %(price)s, ladder = %(ladder)s, state = %(state)s, next_on = %(next_on)s,"
        " due_at = %(due_at)s, paid_order_id = %(paid_order)s, supply = %(supply)s, life = %(life)s,"
        " claimed_until = null, due_tries = 0, trouble = null, set_aside_at = null"
        " where site_id = %(site)s and mode = %(mode)s and id = %(id)s",
        _all(site_id, row),
    )


async def note_trouble(
    connection: Connection, site_id: UUID, subscription_id: UUID, trouble: str, most: int, at: datetime
) -> None:
    """What is due could not be done: it is tried again after a pause that grows, and set aside after so many tries."""
    await run(
        connection,
        "update subscriptions set trouble = %(trouble)s, due_tries = due_tries + 1,"
        " claimed_until = %(at)s + least(interval '6 hours', interval '2 minutes' * (3 ^ least(due_tries, 8))),"
        " set_aside_at = case when due_tries + 1 >= %(most)s then %(at)s else set_aside_at end"
        " where site_id = %(site)s and id = %(id)s",
        {"site": site_id, "id": subscription_id, "trouble": trouble, "most": most, "at": at},
    )


async def subscription(
    connection: Connection, site_id: UUID, subscription_id: UUID, lock: bool = False
) -> SubscriptionRow | None:
    """A subscription by its id; locked until the transaction ends if asked for. Lock its order first, if both are."""
    query = _SUBSCRIPTION + "where site_id = %(site)s and id = %(id)s"
    parameters = {"site": site_id, "id": subscription_id}
    if lock:
        return await one(connection, SubscriptionRow, query + " for update", parameters)
    return await one(connection, SubscriptionRow, query, parameters)


async def running_of_product(connection: Connection, site_id: UUID, product: str) -> dict[str, int]:
    """How many subscriptions of a product go on, in each book."""
    found = await rows(
        connection,
        _Many,
        "select mode, count(*) as many from subscriptions where site_id = %(site)s and product = %(product)s"
        " and state not in ('ended', 'completed') group by mode",
        {"site": site_id, "product": product},
    )
    return {one.mode: one.many for one in found}


@dataclass(frozen=True, slots=True)
class _Many:
    mode: str
    many: int


async def subscription_by_code(book: Book, code: str) -> SubscriptionRow | None:
    """A subscription by the code that people read."""
    return await one(
        book.db,
        SubscriptionRow,
        _SUBSCRIPTION + "where site_id = %(site)s and mode = %(mode)s and code = %(code)s",
        {"site": book.site_id, "mode": book.mode, "code": code},
    )


async def subscriptions_of_order(book: Book, order_id: UUID) -> list[SubscriptionRow]:
    """What an order began."""
    return await rows(
        book.db,
        SubscriptionRow,
        _SUBSCRIPTION + "where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s order by id",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )


async def subscriptions_of_customer(book: Book, customer: str) -> list[SubscriptionRow]:
    """All that a customer has or had, the newest first."""
    return await rows(
        book.db,
        SubscriptionRow,
        _SUBSCRIPTION + "where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s order by id desc",
        {"site": book.site_id, "mode": book.mode, "customer": customer},
    )


async def alone_on_ladder(book: Book, customer: str, product: str) -> None:
    """Whoever else asks for the same customer and ladder waits until this transaction ends."""
    await run(
        book.db,
        "select pg_advisory_xact_lock(hashtextextended(%(name)s, 7))",
        {"name": f"{book.site_id} {book.mode} {customer} {product}"},
    )


async def on_ladder(book: Book, customer: str, product: str) -> SubscriptionRow | None:
    """The step of a product's ladder that a customer is on."""
    return await one(
        book.db,
        SubscriptionRow,
        _SUBSCRIPTION + "where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s"
        " and product = %(product)s and ladder and state not in ('ended', 'completed') order by id limit 1",
        {"site": book.site_id, "mode": book.mode, "customer": customer, "product": product},
    )


@dataclass(frozen=True, slots=True)
class Sought:
    """Which subscriptions are listed: part of code, email, name or what it is of; in a state ("all", "ending" or "due"
    as well); of a price; with a charge up to a day."""

    search: str = ""
    show: str = "all"
    price: str = ""
    until: date | None = None


_LISTED = """
  where site_id = %(site)s and mode = %(mode)s
    and (%(before)s::uuid is null or id < %(before)s)
    and (%(show)s = 'all' or state = %(show)s or (%(show)s = 'ending' and life ->> 'ends_on' is not null)
         or (%(show)s = 'running' and state in ('trial', 'active', 'failing')))
    and (%(price)s = '' or price = %(price)s)
    and (%(until)s::date is null or next_on <= %(until)s)
    and (%(search)s = '' or position(lower(%(search)s) in
         lower(code || ' ' || (buyer ->> 'email') || ' ' || (buyer ->> 'name') || ' '
         || (life -> 'terms' ->> 'name'))) > 0)
  order by id desc limit %(most)s
"""


async def subscriptions_before(book: Book, before: UUID | None, sought: Sought, most: int) -> list[SubscriptionRow]:
    """Subscriptions of one book, the newest first, from before one."""
    return await rows(
        book.db,
        SubscriptionRow,
        _SUBSCRIPTION + _LISTED,
        {
            "site": book.site_id,
            "mode": book.mode,
            "before": before,
            "search": sought.search,
            "show": sought.show,
            "price": sought.price,
            "until": sought.until,
            "most": most,
        },
    )


async def running(book: Book, after: UUID | None, most: int) -> list[SubscriptionRow]:
    """Subscriptions that are not over, from after one."""
    return await rows(
        book.db,
        SubscriptionRow,
        _SUBSCRIPTION + "where site_id = %(site)s and mode = %(mode)s and state not in ('ended', 'completed')"
        " and (%(after)s::uuid is null or id > %(after)s) order by id limit %(most)s",
        {"site": book.site_id, "mode": book.mode, "after": after, "most": most},
    )


@dataclass(frozen=True, slots=True)
class StateCount:
    """How many subscriptions of a book are in a state."""

    state: str
    count: int


async def counts(book: Book) -> list[StateCount]:
    """How many there are in each state."""
    return await rows(
        book.db,
        StateCount,
        "select state, count(*)::int as count from subscriptions where site_id = %(site)s and mode = %(mode)s"
        " group by state",
        {"site": book.site_id, "mode": book.mode},
    )


async def claim_due(connection: Connection, now: datetime, most: int) -> list[Claimed]:
    """Live subscriptions of which something is due; needs no site."""
    return await rows(
        connection,
        Claimed,
        "select site_id, id from claim_due_subscriptions(%(now)s, %(most)s)",
        {"now": now, "most": most},
    )


async def recheck(book: Book, at: datetime) -> None:
    """Has all that is running looked at anew from an instant on: what is due next may have changed."""
    await run(
        book.db,
        "update subscriptions set due_at = least(due_at, %(at)s) where site_id = %(site)s and mode = %(mode)s"
        " and due_at is not null",
        {"site": book.site_id, "mode": book.mode, "at": at},
    )


@dataclass(frozen=True, slots=True)
class DueRow:
    """When something is due next, and of what."""

    id: UUID
    at: datetime


async def next_due_test(connection: Connection, site_id: UUID, until: datetime) -> DueRow | None:
    """The test subscription of which something is due first, up to an instant."""
    return await one(
        connection,
        DueRow,
        "select id, due_at as at from subscriptions where site_id = %(site)s and mode = 'test' and due_at <= %(until)s"
        " order by due_at, id limit 1",
        {"site": site_id, "until": until},
    )


@dataclass(frozen=True, slots=True)
class Runs:
    """How `many` subscriptions ran from a month to another, by their first days; without `ended` they run still."""

    began: date
    ended: date | None
    many: int


async def runs(book: Book, zone: str) -> list[Runs]:
    """From when to when recurring subscriptions ran, counted by months. A trial runs from its first payment."""
    return await rows(
        book.db,
        Runs,
        """
        with marks as (
          select e.subscription_id, e.id, date_trunc('month', e.at at time zone %(zone)s)::date as month,
                 e.kind <> 'ended' as running
          from subscription_events e
          join subscriptions s on s.site_id = e.site_id and s.mode = e.mode and s.id = e.subscription_id
          where e.site_id = %(site)s and e.mode = %(mode)s and s.life -> 'terms' ->> 'kind' = 'recurring'
            and e.kind in ('begun', 'charged', 'moved_over', 'restarted', 'ended')
            and not e.body @> '{"trial": true}'
        ), turns as (
          select *, lag(running, 1, false) over (partition by subscription_id order by id) as before from marks
        ), runs as (
          select month as began, running, lead(month) over (partition by subscription_id order by id) as ended
          from turns where running <> before
        )
        select began, ended, count(*)::int as many from runs where running group by began, ended
        """,
        {"site": book.site_id, "mode": book.mode, "zone": zone},
    )
