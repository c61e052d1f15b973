"""Doing what falls due of subscriptions: charges and their retries, ends, pauses, mails ahead. Each once, whoever dies.

What is due is found by a query over dates. A charge is an order with an attempt, committed together with the life
that says that a charge is under way; then the gateway is asked, between transactions; then what it said is settled as
of any order. The database has one renewal, and one open or paid attempt, a period. Two workers at one subscription wait
for its row, and the second one finds nothing due.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any
from uuid import UUID, uuid5

import structlog

from skurrow.core.quote.written import Quote
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Due, Life
from skurrow.gateway.protocol import Answer, Mode, NeedsApproval, NoAnswer, NotAccepted, Refused
from skurrow.service import calendars
from skurrow.service.codes import new_code
from skurrow.service.context import Context
from skurrow.service.events import money, record
from skurrow.service.orders import attempts, settling
from skurrow.service.payments import ways
from skurrow.service.payments.gateways import account_of, connections_for, gateway_of
from skurrow.service.recovery import ask_about
from skurrow.service.subscriptions import subscribing
from skurrow.service.subscriptions.happenings import happened
from skurrow.service.subscriptions.reckoning import Reckoned, reckoned
from skurrow.service.subscriptions.standing import Now, due_of, life_of, now_at, standing
from skurrow.store.book import Book
from skurrow.store.database import DATABASE_AWAY, site_transaction, siteless_transaction
from skurrow.store.orders import orders
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.payments import connections
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

_log = structlog.get_logger()
NOT_DUE = "not due"

MOST_TRIES = 6
"""After which what is due of a subscription and cannot be done is set aside for a person."""


async def renew(context: Context, most: int = 20) -> int:
    """Does what is due of live subscriptions; returns how many were looked at."""
    async with siteless_transaction(context.pool) as db:
        claimed = await subscriptions.claim_due(db, context.now(), most)

    async def one(site_id: UUID, subscription_id: UUID) -> None:
        try:
            await do_due(context, site_id, subscription_id)
        except (NoAnswer, NotAccepted, *DATABASE_AWAY):
            raise
        except Exception as error:
            async with site_transaction(context.pool, site_id) as db:
                trouble = type(error).__name__
                await subscriptions.note_trouble(db, site_id, subscription_id, trouble, MOST_TRIES, context.now())
            raise

    return await ask_about("subscription", claimed, one)


async def do_due(context: Context, site_id: UUID, subscription_id: UUID) -> str:
    """Does the one thing that is due of a subscription, if one is; returns what was done, in a word."""
    async with site_transaction(context.pool, site_id) as db:
        row = await subscriptions.subscription(db, site_id, subscription_id)
        if row is None:
            return "unknown"
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        # A renewal that failed has its order already, which is locked first, as everywhere.
        order = await orders.order_of_period(book, row.id, life_of(row).period)
        if order is not None:
            order = await orders.order_by_id(book, order.id, lock=True)
        row = await subscriptions.subscription(db, site_id, subscription_id, lock=True)
        if row is None:  # the test book was cleared in between
            return "unknown"
        now, life = await now_at(context, book), life_of(row)
        due = due_of(now, life)
        if due is None or due.at > context.book_now():  # somebody else did it, or the rules have changed
            await subscriptions.save_subscription(db, site_id, standing(now, row, life))
            return NOT_DUE
        if due.task != "charge":
            await _do(context, now, row, life, due)
            return due.task
        if order is not None and order.period != life.period:
            order = None
        begun = await _begin_charge(context, now, row, life, order)
    if begun is None:
        return "charge"
    await send(context, site_id, *begun)
    return "charge"


async def send(context: Context, site_id: UUID, connection: ConnectionRow, attempt: AttemptRow) -> None:
    """Asks the gateway for a charge whose attempt is committed, between transactions, and settles what it says."""
    outcome: Answer
    token = context.vault.open(attempt.sealed_token or b"")
    try:
        outcome = await gateway_of(context, connection).charge(attempts.request_of(attempt, token))
    except NoAnswer:
        await attempts.ask_soon(context, site_id, attempt.id)
        return
    except NotAccepted:  # the first time that the key was sent: nothing can have moved under it
        outcome = Refused("not_accepted")
    await settling.take(context, site_id, attempt.id, outcome)
    if isinstance(outcome, NeedsApproval):
        await _ask_customer(context, site_id, attempt)


# -- within -----------------------------------------------------------------------------------------------


async def _do(context: Context, now: Now, row: SubscriptionRow, life: Life, due: Due) -> None:
    """What is due that is no charge."""
    today = due.at.astimezone(now.zone).date()
    told: dict[str, Any] = {}
    if due.task == "resume":
        life = core.resumed(life, today)
    elif due.task == "pause":
        life = core.paused(life)
        told = {"resumes_on": life.resumes_on.isoformat()} if life.resumes_on else {}
    elif due.task == "end":
        life = core.ended(life, today)
    elif due.task == "give_up":
        life = core.given_up(life, today)
    else:
        life = core.told(life, due.key)
    row = standing(now, row, life)
    await subscriptions.save_subscription(now.book.db, now.book.site_id, row)
    kind = {"resume": "resumed", "pause": "paused", "end": "ended", "give_up": "ended"}.get(due.task, due.task)
    if kind == "ended":
        told = {"reason": life.end_reason}
    if due.key:
        told = {"key": due.key}
    await happened(context, now, row, kind, told)


async def _begin_charge(
    context: Context, now: Now, row: SubscriptionRow, life: Life, order: OrderRow | None
) -> tuple[ConnectionRow, AttemptRow] | None:
    """The next charge with its attempt; None where no gateway has to be asked."""
    if order is None:
        found = await reckoned(context, now, row, life)
        row, life = _supplied(row, life, found), core.charge(life)
        order = await _new_order(context, now.book, row, life, found)
    else:
        life = core.charge(life)
    row = standing(now, row, life)
    await subscriptions.save_subscription(now.book.db, now.book.site_id, row)
    if order.total == 0:
        await settling.paid_without_charge(context, now.book, order)
        return None
    connection = await connection_of(now.book, row)
    if connection is None or row.sealed_on_file is None:
        reason = "not_connected" if row.sealed_on_file is not None else "no_card"
        await subscribing.refused(context, now.book, order, reason)
        return None
    text = ways.statement_for(now.edition, [row.price], account_of(connection).statement)
    attempt = await attempts.open_attempt(
        context,
        now.book,
        order,
        connection,
        context.vault.open(row.sealed_on_file),
        {"text": text, "on_file": True},
    )
    return connection, attempt


def _supplied(row: SubscriptionRow, life: Life, found: Reckoned) -> SubscriptionRow:
    """The first payment of a set of instalments says how all of the set is taxed."""
    terms, number = (life.following, 0) if life.following is not None else (life.terms, life.next)
    if terms.kind != "instalments" or terms.rhythm.first_of_set(number) != number:
        return row
    supply = {"change": found.change, "release": found.release, "buyer": found.buyer}
    return replace(row, supply=supply)


async def _new_order(context: Context, book: Book, row: SubscriptionRow, life: Life, found: Reckoned) -> OrderRow:
    quoted = found.reckoning.quote(life.next)
    balance = min(life.balance, quoted.due_today)
    order = charge_order(context, row, life, found, quoted, "renewal", balance, {})
    # The same for every try, so that no period has two.
    order = replace(order, visit=uuid5(row.id, f"period {life.period}"))
    if not await orders.add_order(book.db, book.site_id, order):
        raise RuntimeError(f"period {life.period} of {row.code} has its renewal already")
    await record(context, book.db, book.site_id, order, "order.placed", money(quoted.due_today, quoted.currency))
    return order


def charge_order(
    context: Context,
    row: SubscriptionRow,
    life: Life,
    found: Reckoned,
    quoted: Quote,
    kind: str,
    from_balance: int,
    wanted: dict[str, Any],
) -> OrderRow:
    """A charge of a subscription as an order that is not paid yet."""
    item = {"price": life.terms.price, "quantity": life.terms.quantity, "variant": life.terms.variant}
    return OrderRow(
        id=context.new_id(),
        mode=row.mode,
        visit=context.new_id(),
        code=new_code(),
        checkout_id=row.checkout_id,
        change=found.change,
        release=found.release,
        state="open",
        buyer=found.buyer,
        currency=quoted.currency,
        total=quoted.due_today - from_balance,
        quote=quote_of_charge(found, quoted, life.next if kind == "renewal" else None),
        created_at=context.book_now(),
        paid_at=None,
        wanted={"items": [item], "coupons": [], **wanted},
        kind=kind,
        subscription_id=row.id,
        period=life.period,
        from_balance=from_balance,
        customer=row.customer,
    )


def quote_of_charge(found: Reckoned, quoted: Quote, number: int | None) -> dict[str, Any]:
    """A charge as its order keeps it. A payment of a set of instalments says how the set is documented; several
    payments at once are later ones."""
    written = quoted.as_json()
    of_set = found.reckoning.supplied_as(number if number is not None else 1)
    return written if of_set is None else {**written, "set": of_set}


async def connection_of(book: Book, row: SubscriptionRow) -> ConnectionRow | None:
    """Through which connection a subscription is charged: the present one of the gateway that keeps its card."""
    if row.connection_id is None:
        return None
    mode: Mode = "live" if row.mode == "live" else "test"
    kept = await connections.connection_by_id(book.db, book.site_id, row.connection_id)
    current = await connections_for(Book(book.db, book.site_id, mode))
    return next((one for one in current if kept is not None and one.adapter == kept.adapter), None)


async def _ask_customer(context: Context, site_id: UUID, attempt: AttemptRow) -> None:
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, attempt.mode)
        context = await calendars.of_book(context, book)
        order = await orders.order_by_id(book, attempt.order_id)
        assert order is not None
        assert order.subscription_id is not None
        row = await subscriptions.subscription(db, site_id, order.subscription_id)
        assert row is not None
        now = await now_at(context, Book(db, site_id, row.mode))
        await happened(context, now, row, "approval_asked", {"order": order.code, "try": row.life["tries"]}, order)
