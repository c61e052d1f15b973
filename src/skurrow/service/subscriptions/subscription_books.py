"""Subscriptions as the desk and customers read them: lists, one as a line in time, what they will bring in."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from uuid import UUID

from skurrow.core.durations import later
from skurrow.core.edition import Edition
from skurrow.core.money import parse_amount
from skurrow.core.quote.kept import KeptQuote
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Life, NotNow
from skurrow.core.subscriptions.outlook import Churn, Outlook, churn
from skurrow.core.subscriptions.plan_change import direction
from skurrow.core.tape.sold import sold_tape
from skurrow.core.tape.tape import Tape
from skurrow.gateway.protocol import Mode
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.refusals import Closed, NotFound
from skurrow.service.subscriptions.reckoning import reckoned
from skurrow.service.subscriptions.standing import Now, due_of, life_of, now_at, serving
from skurrow.service.subscriptions.subscription_mail import plan_of
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts, orders
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.subscriptions import subscription_events, subscriptions
from skurrow.store.subscriptions.subscription_events import SubscriptionEventRow
from skurrow.store.subscriptions.subscriptions import Sought, SubscriptionRow

PAGE = 30
SHOWN = 12
"""Coming charges of one subscription that are shown."""

MONTHS = 12
"""Months of the outlook."""

_BATCH = 1000


@dataclass(frozen=True, slots=True)
class SubscriptionPage:
    """A page of a book; `counts` has how many there are in each state."""

    subscriptions: list[SubscriptionRow]
    counts: dict[str, int]
    next: UUID | None


@dataclass(frozen=True, slots=True)
class Coming:
    """A charge to come, in minor units: `total` with its `tax`, of which `from_balance` is paid already."""

    on: date
    total: int
    tax: int
    from_balance: int


@dataclass(frozen=True, slots=True)
class Promised:
    """A charge that was promised when it was bought, and what came of it: the order that fell due on that day. It is
    `replaced` where the customer has changed something since."""

    on: date
    total: int
    came: OrderRow | None
    replaced: bool


@dataclass(frozen=True, slots=True)
class SubscriptionStory:
    """A subscription with all its charges and what happened; what may be done with it, or why not; the configuration
    that it meets at present, and the one that serves what it has."""

    row: SubscriptionRow
    life: Life
    plan: str
    orders: list[OrderRow]
    attempts: dict[UUID, list[AttemptRow]]
    events: list[SubscriptionEventRow]
    coming: list[Coming]
    promised: list[Promised]
    today: date
    can: dict[str, str | None]
    edition: Edition
    served: Edition


async def page(context: Context, site_id: UUID, mode: Mode, before: UUID | None, sought: Sought) -> SubscriptionPage:
    """A page of one book, the newest first."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        found = await subscriptions.subscriptions_before(book, before, sought, PAGE + 1)
        counted = await subscriptions.counts(book)
    shown = found[:PAGE]
    counts = {one.state: one.count for one in counted}
    return SubscriptionPage(shown, counts, shown[-1].id if len(found) > PAGE else None)


async def by_code(context: Context, site_id: UUID, mode: Mode, code: str) -> SubscriptionRow:
    """A subscription by its code. Raises NotFound."""
    async with site_transaction(context.pool, site_id) as db:
        found = await subscriptions.subscription_by_code(Book(db, site_id, mode), code)
    if found is None:
        raise NotFound("there is no such subscription in this book")
    return found


async def story(context: Context, site_id: UUID, row: SubscriptionRow) -> SubscriptionStory:
    """One subscription as a line in time."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        now, life = await now_at(context, book), life_of(row)
        charges = await orders.orders_of_subscription(book, row.id)
        first = None
        if row.order_id is not None:
            first = await orders.order_by_id(book, row.order_id)
        listed = [*([first] if first is not None else []), *charges]
        tried = {one.id: await attempts.attempts_of(book, one.id) for one in listed}
        events = await subscription_events.subscription_events(book, row.id)
        coming = await coming_of(context, now, row, life)
        served = (await serving(context, now, row)).edition
    today = context.book_now().astimezone(now.zone).date()
    return SubscriptionStory(
        row=row,
        life=life,
        plan=plan_of(served, life.terms.price),
        orders=listed,
        attempts=tried,
        events=events,
        coming=coming,
        promised=_promised(now, life, first, charges, events) if first is not None else [],
        today=today,
        can=_can(served, life, today),
        edition=now.edition,
        served=served,
    )


async def coming_of(context: Context, now: Now, row: SubscriptionRow, life: Life) -> list[Coming]:
    """The charges to come, as they are known today. One that was refused comes on the day when it is tried again; where
    it is not, nothing comes by itself."""
    if life.next_on is None and not life.charging:
        return []
    again = due_of(now, life) if life.state == "failing" else None
    if again is not None and again.task == "give_up":
        return []
    found = await reckoned(context, now, row, life)
    left = life.balance
    listed: list[Coming] = []
    number = 0 if life.following is not None else life.next
    for charge in found.reckoning.following(number, later(max(life.until, date.min), 25, 0)):
        if life.ends_on is not None and charge.on >= life.ends_on:
            break
        from_balance = min(left, charge.total)
        left -= from_balance
        on = again.at.astimezone(now.zone).date() if again is not None and not listed else charge.on
        listed.append(Coming(on, charge.total, charge.tax, from_balance))
        if len(listed) == SHOWN:
            break
    return listed


async def next_tape(context: Context, site_id: UUID, row: SubscriptionRow) -> Tape | None:
    """The tape of the next charge, as it is known today; None where nothing comes by itself."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        now, life = await now_at(context, book), life_of(row)
        coming = await coming_of(context, now, row, life)
        if not coming:
            return None
        found = await reckoned(context, now, row, life)
    charge = coming[0]
    quoted = found.reckoning.quote(0 if life.following is not None else life.next)
    kept, country = KeptQuote.model_validate(quoted.as_json()), now.edition.site.site.country
    left = charge.total - charge.from_balance
    return sold_tape(kept, row.currency, country, charge.on, left, charge.from_balance)


@dataclass(frozen=True, slots=True)
class Foreseen:
    """What all that is running is expected to bring in, and how many leave."""

    outlook: Outlook
    months: list[date]
    churn: list[Churn]


async def foresee(context: Context, site_id: UUID, mode: Mode) -> Foreseen:
    """What comes in over the next months, recurring income, and churn of the last ones."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        context = await calendars.of_book(context, book)
        try:
            now = await now_at(context, book)
        except Closed:  # nothing was ever released, so nothing runs
            return Foreseen(Outlook(), [], [])
        today = context.book_now().astimezone(now.zone).date()
        counted = await subscriptions.runs(book, now.zone.key)
    found = Outlook()
    after: UUID | None = None
    while True:
        async with site_transaction(context.pool, site_id) as db:
            batch = await subscriptions.running(Book(db, site_id, mode), after, _BATCH)
        if not batch:
            break
        after = batch[-1].id
        await asyncio.to_thread(_add_all, found, batch, today)
    first = today.replace(day=1)
    runs = {(one.began, one.ended): one.many for one in counted}
    back = [later(first, -n, 0) for n in range(MONTHS - 1, -1, -1)]
    return Foreseen(found, [later(first, n, 0) for n in range(MONTHS)], churn(runs, back))


# -- within -----------------------------------------------------------------------------------------------


def _add_all(found: Outlook, batch: list[SubscriptionRow], today: date) -> None:
    for row in batch:
        found.add(life_of(row), today, MONTHS)


_STOPS = frozenset({"will_change", "cancelled", "will_pause", "ended"})
"""What replaces all that was promised for later, until it is taken back."""


def _promised(
    now: Now, life: Life, first: OrderRow, charges: list[OrderRow], events: list[SubscriptionEventRow]
) -> list[Promised]:
    """The charges that the buyer was shown, against what fell due on those days. What a change showed takes the place
    of what was promised for later before."""
    by_day = {one.created_at.astimezone(now.zone).date(): one for one in charges if one.kind == "renewal"}
    paid = [one for one in charges if one.kind in ("change", "restart") and one.state == "paid"]
    plans = first.kept.wanted.subscriptions
    own = next((plan.later for plan in plans if plan.line == life.terms.line), None) if len(plans) > 1 else None
    said = first.kept.quote.later if own is None else own
    promises = [_Promise(one.on, parse_amount(one.total, first.currency)) for one in said]
    for event in events:
        on = event.at.astimezone(now.zone).date()
        if event.kind == "taken_back":
            for one in promises:
                one.stopped = False
        elif event.kind in _STOPS:
            for one in promises:
                one.stopped = one.stopped or one.on > on
        elif event.kind in ("changed", "restarted"):
            for one in promises:
                one.replaced = one.replaced or one.on > on
            shown = next((one for one in paid if one.created_at <= event.at), None)
            if shown is not None:
                paid.remove(shown)
                promises += [
                    _Promise(one.on, parse_amount(one.total, shown.currency)) for one in shown.kept.quote.later
                ]
    listed = sorted(promises, key=lambda one: (one.on, one.replaced is False))
    return [
        Promised(one.on, one.total, None if one.replaced else by_day.get(one.on), one.replaced or one.stopped)
        for one in listed
    ]


@dataclass(slots=True)
class _Promise:
    """A promised charge; `stopped` until that is taken back, or `replaced` by what a change showed."""

    on: date
    total: int
    stopped: bool = False
    replaced: bool = False


def _can(edition: Edition, life: Life, today: date) -> dict[str, str | None]:
    """What may be done, each with why not, if it may not."""

    def why_not(change: Callable[[], object]) -> str | None:
        try:
            change()
        except NotNow as error:
            return str(error)
        return None

    product = edition.product(life.terms.product)
    ladder = (product.ladder or []) if product is not None else []
    steps = [price for price in ladder if product is not None and direction(product, life.terms.price, price)]
    changing = why_not(lambda: core.check_changing(life))
    limits = edition.prices[life.terms.price].price.at_counter if life.terms.price in edition.prices else None
    counted = limits is not None and limits.max > limits.min
    resuming = None if life.state == "paused" else "It is not paused."
    left = core.remaining_payments(life)
    return {
        "change": changing if steps else "There is no other plan to change to.",
        "quantity": changing if counted else "One can be had.",
        "pause": why_not(lambda: core.pause(life, None)),
        "resume": resuming,
        "cancel": why_not(lambda: core.cancel(life)),
        "cancel_at_once": why_not(lambda: core.cancel_at_once(life, today)),
        "take_back": why_not(lambda: core.take_back(life)),
        "pay_off": None if left and not life.charging else "There are no payments left to make.",
        "restart": why_not(lambda: core.check_restarting(life)),
        "card": None if not life.over or life.state == "ended" else "Nothing will be charged any more.",
    }
