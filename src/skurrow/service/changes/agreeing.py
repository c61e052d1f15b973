"""Changes that were agreed to: their charge, and what follows when it is paid."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from typing import Any
from uuid import UUID, uuid5

from skurrow.core.money import format_amount
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions import plan_change
from skurrow.core.subscriptions.life import Life, NotNow
from skurrow.service import calendars
from skurrow.service.changes.acting import CUSTOMER, Actor, Done, GivenBack
from skurrow.service.changes.proposing import AGREED_WITHIN, amounts_of, mark_of, read, worked_out
from skurrow.service.changes.renewing import connection_of, send
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.events import money
from skurrow.service.orders import refunds, settling
from skurrow.service.orders.attempts import open_attempt
from skurrow.service.payments.gateways import account_of
from skurrow.service.payments.ways import statement_for
from skurrow.service.refusals import Conflict
from skurrow.service.subscriptions.happenings import happened
from skurrow.service.subscriptions.standing import Now, life_of, now_at, standing
from skurrow.service.subscriptions.subscribing import credit_unused
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts, orders
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow


async def agree(context: Context, site_id: UUID, row: SubscriptionRow, token: str, by: Actor = CUSTOMER) -> Done:
    """Does what was shown. Raises NotNow, Conflict where the subscription has changed since or it was too long ago."""
    asked, shown = read(context, site_id, row, token)
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        assert found is not None
        row, life = found, life_of(found)
        if mark_of(life) != asked.mark:
            raise Conflict("Something has changed since this was shown. Look at it again.")
        # The configuration that it was shown under; what falls due later is reckoned by the present one.
        now = Now(book, await edition_at(context, db, site_id, asked.change), asked.change, asked.release)
        work = await worked_out(context, now, row, life, asked)
        if amounts_of(work.proposal) != shown:
            raise Conflict("It comes to another amount now. Look at it again.")
        now = await now_at(context, book)
        if work.order is None:
            life = core.follow(life, work.terms)
            row = standing(now, row, life)
            await subscriptions.save_subscription(db, site_id, row)
            told = {"price": work.terms.price, "plan": work.proposal.plan, "quantity": work.terms.quantity, **by.words}
            at_once = life.following is None
            await happened(context, now, row, "changed" if at_once else "will_change", told)
            return Done("now" if at_once else "later")
        begun = await _begin(context, now, row, life, work.order, by)
    if begun is None:
        return Done("now")
    await send(context, site_id, *begun)
    return await outcome_of(context, site_id, work.order)


async def outcome_of(context: Context, site_id: UUID, order: OrderRow) -> Done:
    """How far the charge of a change is."""
    async with site_transaction(context.pool, site_id) as db:
        tried = await attempts.attempts_of(Book(db, site_id, order.mode), order.id)
    last = tried[-1]
    if last.state == "paid":
        return Done("now")
    if last.state == "refused":
        return Done("refused", last.reason)
    return Done("pending", approve_at=last.approve_at)


async def _begin(
    context: Context,
    now: Now,
    row: SubscriptionRow,
    life: Life,
    order: OrderRow,
    by: Actor,
) -> tuple[ConnectionRow, AttemptRow] | None:
    """The charge of a change, recorded; None where nothing is left to be charged, and it is done."""
    connection = await connection_of(now.book, row)
    if order.total and (connection is None or row.sealed_on_file is None):
        raise NotNow("There is no card to charge. Add one first.")
    order = replace(order, wanted={**order.wanted, **by.words})
    await orders.add_order(now.book.db, now.book.site_id, order)
    # A pay-off is the charge that was due next; anything else leaves the next charge as it is until it is paid.
    row = standing(now, row, life.model_copy(update={"charging": True}))
    await subscriptions.save_subscription(now.book.db, now.book.site_id, row)
    if not order.total:
        await settling.paid_without_charge(context, now.book, order)
        return None
    assert connection is not None
    assert row.sealed_on_file is not None
    text = statement_for(now.edition, [row.price], account_of(connection).statement)
    attempt = await open_attempt(
        context,
        now.book,
        order,
        connection,
        context.vault.open(row.sealed_on_file),
        {"text": text, "on_file": True},
    )
    return connection, attempt


async def would_give_back(context: Context, site_id: UUID, row: SubscriptionRow) -> GivenBack:
    """What ending a subscription at once, and giving its unused part back, would give back now."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        now, at = await now_at(context, book), context.book_now()
        worth = core.unused(life_of(row), at, now.rules, now.zone).amount
        paid = None
        if worth and row.paid_order_id is not None:
            paid = await orders.order_by_id(book, row.paid_order_id)
        if paid is None:
            return GivenBack(at, 0, 0)
        return GivenBack(at, *await refunds.unused_of(context, book, paid, worth))


async def end_and_give_back(
    context: Context,
    site_id: UUID,
    row: SubscriptionRow,
    body: dict[str, Any],
    by: Actor,
    shown_at: datetime | None = None,
) -> SubscriptionRow:
    """Ends a subscription now and gives the unused part of what was paid back: both are written down at once, then the
    gateway is asked. What was paid with a balance goes back to the balance. The part is as it was at `shown_at`, unless
    that was too long ago. Raises NotNow, Conflict."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        order = None
        if row.paid_order_id is not None:
            order = await orders.order_by_id(book, row.paid_order_id, lock=True)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        if found is None or found.paid_order_id != row.paid_order_id:
            raise Conflict("Something has changed since this was shown. Look at it again.")
        now, life = await now_at(context, book), life_of(found)
        at = context.book_now()
        if shown_at is not None and at - AGREED_WITHIN < shown_at < at:
            at = max(shown_at, life.since)  # it may have been renewed since
        unused = core.unused(life, at, now.rules, now.zone)
        life = core.cancel_at_once(life, context.book_now().astimezone(now.zone).date())
        begun, rest = None, 0
        if order is not None and unused.amount:
            key = uuid5(row.id, f"unused of period {life.period}")
            begun, rest = await refunds.begin_unused(context, book, by.person, order, key, unused.amount)
        row = standing(now, found, core.with_balance(life, life.balance + rest))
        await subscriptions.save_subscription(db, site_id, row)
        body = {**body, "said": body["reason"], "reason": life.end_reason}
        if begun is not None:
            body |= money(begun.row.amount, row.currency)
        if rest:
            body["kept"] = format_amount(rest, row.currency)
        await happened(context, now, row, "ended", body)
        if order is not None and rest:
            await credit_unused(context, book, row, order, plan_change.at_most(unused, rest))
    if begun is not None:
        await refunds.send(context, site_id, begun)
    return row
