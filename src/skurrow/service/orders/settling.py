"""Settling charge attempts: whoever learns first what became of one writes it down, once.

Three may learn it: the request that sent the charge, recovery that asks about open attempts, and a message from the
gateway. All of them end in `settle`, which is harmless when repeated.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, time, timedelta
from uuid import UUID

import structlog

from skurrow.core.edition import Edition
from skurrow.core.money import format_amount
from skurrow.core.payments.ways import USUAL_DAYS, USUAL_HOLD_DAYS
from skurrow.core.words import sentence
from skurrow.gateway.protocol import Accepted, Answer, Approved, Kept, Mode, NeedsApproval, Outcome, Refused
from skurrow.gateway.registry import ABILITIES
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.events import money, record
from skurrow.service.orders import holding, order_mail
from skurrow.service.orders.attempts import wait_for_approval
from skurrow.service.orders.order_mail import Told
from skurrow.service.papers import papers
from skurrow.service.payments.gateways import gateway_of
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.subscriptions import subscribing
from skurrow.store.book import Book
from skurrow.store.database import Connection, site_transaction
from skurrow.store.orders import attempts, charges, holds, order_events, orders, reviews
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.charges import ChargeRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.papers import papers as papers_kept
from skurrow.store.payments import connections
from skurrow.store.payments.connections import ConnectionRow

_log = structlog.get_logger()

MOST_TRIES = 6
"""After which a message that cannot be handled is set aside for a person."""

WAITING = timedelta(hours=6)
"""How often a bank is asked about money that comes in days, if no message comes."""

REMINDER = timedelta(days=3)
"""So long before an order has to be paid its buyer is reminded, if they had twice that."""

ANOTHERS = "another connection's"
"""What a message comes to that is about an attempt of another connection: nothing."""

NEVER = timedelta(days=36500)


async def settle(
    context: Context, site_id: UUID, attempt_id: UUID, outcome: Outcome, told_by: UUID | None = None
) -> str:
    """Records what became of an attempt; returns what was done, in a word. `told_by` is the connection whose message
    says so, where one does: it counts for its own attempts only.

    An attempt that is settled already stays as it is. What contradicts our books is written down for a person and
    changes nothing by itself.
    """
    async with site_transaction(context.pool, site_id) as db:
        return await settle_within(context, db, site_id, attempt_id, outcome, told_by)


async def settle_within(
    context: Context,
    db: Connection,
    site_id: UUID,
    attempt_id: UUID,
    outcome: Outcome,
    told_by: UUID | None = None,
) -> str:
    """The same within a transaction. Call it last: papers lock the series of their numbers."""
    found = await attempts.attempt(db, site_id, attempt_id)
    if found is None:
        return "unknown"
    if told_by is not None and not await connections.one_account(db, told_by, found.connection_id):
        return ANOTHERS
    book = Book(db, site_id, found.mode)
    context = await calendars.of_book(context, book)
    order = await orders.order_by_id(book, found.order_id, lock=True)
    attempt = await attempts.attempt(db, site_id, attempt_id, lock=True)
    if order is None or attempt is None:  # the test book was cleared in between
        return "unknown"
    if attempt.state != "open":
        return await _compare(context, book, attempt, outcome)
    if isinstance(outcome, Approved):
        if (outcome.amount, outcome.currency) != (attempt.amount, attempt.currency):
            return await note_contradiction(context, book, attempt, "another amount was charged")
        await _paid(context, book, order, attempt, outcome, told_by)
        return "paid"
    await attempts.close_attempt(db, site_id, attempt.id, "refused", outcome.reason, context.now(), told_by)
    await holds.give_back(book, order.id)
    await record(context, db, site_id, attempt, "charge.refused", {"reason": outcome.reason})
    if order.subscription_id is not None:
        by_buyer = bool(attempt.sent.get("keep"))
        await subscribing.refused(context, book, order, outcome.reason, by_buyer)
    if order.state == "waiting":
        await _waits_no_more(context, book, order, attempt, outcome.reason)
    return "refused"


async def take(context: Context, site_id: UUID, attempt_id: UUID, answer: Answer, days: int = USUAL_DAYS) -> str:
    """Writes down a gateway's answer, whatever it is; returns what was done, in a word. What people pay by themselves
    is to be paid within so many days."""
    if isinstance(answer, NeedsApproval):
        await wait_for_approval(context, site_id, attempt_id, answer)
        return "to be approved"
    if isinstance(answer, Accepted):
        return await accept(context, site_id, attempt_id, answer, days)
    return await settle(context, site_id, attempt_id, answer)


async def accept(context: Context, site_id: UUID, attempt_id: UUID, accepted: Accepted, days: int) -> str:
    """The order stands and waits for its money: a bank's word on it, or a person's."""
    async with site_transaction(context.pool, site_id) as db:
        found = await attempts.attempt(db, site_id, attempt_id)
        if found is None:
            return "unknown"
        book = Book(db, site_id, found.mode)
        context = await calendars.of_book(context, book)
        order = await orders.order_by_id(book, found.order_id, lock=True)
        attempt = await attempts.attempt(db, site_id, attempt_id, lock=True)
        row = await connections.connection_by_id(db, site_id, found.connection_id)
        assert order is not None
        assert attempt is not None
        assert row is not None
        if attempt.state != "open":
            return "settled before"
        now, by_person = context.now(), ABILITIES[row.adapter].by_person
        if attempt.waits is not None:
            await attempts.ask_at(db, site_id, attempt.id, now + WAITING)
            return "waiting"
        edition = await edition_at(context, db, site_id, order.change)
        zone = edition.site.site.zone
        due = context.book_now() + timedelta(days=days) if by_person else None
        if accepted.expected is not None:
            due = datetime.combine(accepted.expected, time(12), zone)
        remind_at = reminder_of(row.adapter, context.book_now(), due)
        ask_at = now + WAITING
        if by_person:  # an invoice waits for longer than it may
            ask_at = remind_at or (None if row.adapter == "invoice" else due) or now + NEVER
        await attempts.wait_for(db, site_id, attempt.id, "person" if by_person else "bank", due, ask_at, remind_at)
        await orders.set_state(db, site_id, order, "waiting")
        if by_person:
            until = context.book_now() + timedelta(days=min(_hold_days(edition, row.adapter), days))
            await holds.hold_until(book, order.id, until)
        body = {"due": due.astimezone(zone).date().isoformat()} if due is not None else {}
        await record(context, db, site_id, attempt, "order.waiting", {"gateway": row.adapter, **body})
        on = due.astimezone(zone).date() if due is not None else None
        await order_mail.waits(context, book, edition, replace(order, state="waiting"), attempt, row, on)
        if row.adapter == "invoice":
            await papers.issue(context, book, edition, order, None, row.adapter)
    return "waiting"


def reminder_of(adapter: str, now: datetime, due: datetime | None) -> datetime | None:
    """When somebody who pays an order by themselves is reminded, where there is time for that."""
    if due is None or adapter not in order_mail.REMINDED or due - REMINDER - now <= REMINDER:
        return None
    return due - REMINDER


async def settle_by_hand(
    context: Context, site_id: UUID, mode: Mode, code: str, by: UUID, paid: bool, note: str
) -> None:
    """A person says that a waiting order was paid, or that it will not be. Raises NotFound, Conflict."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        found = await orders.order_by_code(book, code)
        if found is None:
            raise NotFound("there is no such order in this book")
        context = await calendars.of_book(context, book)
        # Locked before anything is written that points at it: two would wait for each other otherwise.
        order = await orders.order_by_id(book, found.id, lock=True)
        assert order is not None
        tried = await attempts.attempts_of(book, order.id)
        attempt = next((one for one in tried if one.state == "open" and one.waits == "person"), None)
        if attempt is None:
            raise Conflict(f"The order {code} does not wait for a person. It is {order.state}.")
        body = {"by": str(by), "note": note.strip()}
        await record(context, db, site_id, attempt, "order.paid_by_hand" if paid else "order.given_up", body)
        outcome: Outcome = Refused("not_paid")
        if paid:
            outcome = Approved(f"by hand {attempt.id}", attempt.amount, attempt.currency, context.book_now())
        await settle_within(context, db, site_id, attempt.id, outcome)


async def paid_without_charge(
    context: Context,
    book: Book,
    order: OrderRow,
    connection_id: UUID | None = None,
    kept: Kept | None = None,
) -> None:
    """An order of which nothing is left to pay is paid as it stands. There is a paper only where it cost something,
    which was paid with what the customer had left. Call it last, as above."""
    await orders.mark_paid(book.db, book.site_id, order, context.book_now())
    await holds.keep(book, order.id)
    await record(context, book.db, book.site_id, order, "order.paid", money(order.from_balance, order.currency))
    edition = await edition_at(context, book.db, book.site_id, order.change)
    await _subscribed(context, book, edition, order, connection_id, kept)
    done = replace(order, state="paid", paid_at=context.book_now())
    await order_mail.paid(context, book, edition, done, papers.kind_of(edition, order) if order.from_balance else None)
    if order.from_balance:
        await papers.issue(context, book, edition, order, None, "")


async def _subscribed(
    context: Context,
    book: Book,
    edition: Edition,
    order: OrderRow,
    connection_id: UUID | None,
    kept: Kept | None,
) -> None:
    """What a paid order makes of subscriptions."""
    if order.subscription_id is not None:
        await subscribing.carried_on(context, book, order, connection_id, kept)
    else:
        await subscribing.begin(context, book, edition, order, connection_id, kept)


# -- within -----------------------------------------------------------------------------------------------


async def days_to_pay(context: Context, site_id: UUID, attempt: AttemptRow, row: ConnectionRow) -> int:
    """Within how many days an attempt is to be paid, by the configuration that its buyer met."""
    async with site_transaction(context.pool, site_id) as db:
        order = await orders.order_by_id(Book(db, site_id, attempt.mode), attempt.order_id)
        assert order is not None
        edition = await edition_at(context, db, site_id, order.change)
    found = next((one.days for one in edition.site.payments.ways if one.gateway == row.adapter), None)
    return found or USUAL_DAYS


async def _waits_no_more(context: Context, book: Book, order: OrderRow, attempt: AttemptRow, reason: str) -> None:
    """A waiting order can be paid in another way; one that has its invoice is cancelled with a credit note. The buyer
    is told, unless they gave it up themselves."""
    row = await connections.connection_by_id(book.db, book.site_id, attempt.connection_id)
    edition = await edition_at(context, book.db, book.site_id, order.change)
    if row is None or row.adapter != "invoice":
        await orders.set_state(book.db, book.site_id, order, "open")
        if reason != "given_up" and order.subscription_id is None:
            told = Told(reason=reason, key=str(attempt.id))
            await order_mail.tell(context, book, edition, order, "order_not_paid", told)
        return
    await orders.set_state(book.db, book.site_id, order, "cancelled")
    await record(context, book.db, book.site_id, attempt, "order.cancelled", {})
    await papers.issue_cancellation(context, book, edition, order)
    kept = [one for one in await papers_kept.papers_of(book, order.id) if one.kind == "credit_note"]
    await order_mail.tell(context, book, edition, order, "order_cancelled", Told(papers=kept))


async def _paid(
    context: Context,
    book: Book,
    order: OrderRow,
    attempt: AttemptRow,
    outcome: Approved,
    told_by: UUID | None,
) -> None:
    now = context.book_now()
    await attempts.close_attempt(book.db, book.site_id, attempt.id, "paid", None, context.now(), told_by)
    edition = await edition_at(context, book.db, book.site_id, order.change)
    row = await connections.connection_by_id(book.db, book.site_id, attempt.connection_id)
    assert row is not None
    if not outcome.amount:  # a card was kept, and nothing charged
        await record(context, book.db, book.site_id, attempt, "card.kept", {})
        await paid_without_charge(context, book, order, attempt.connection_id, outcome.kept)
        return
    charge = ChargeRow(
        id=context.new_id(),
        mode=order.mode,
        order_id=order.id,
        attempt_id=attempt.id,
        connection_id=attempt.connection_id,
        gateway_reference=outcome.reference,
        currency=outcome.currency,
        amount=outcome.amount,
        card_ending=outcome.card_ending,
        charged_at=outcome.at,
    )
    await charges.add_charge(book.db, book.site_id, charge)
    if attempt.waits == "person":
        await _hold_again(context, book, edition, order, attempt)
    await orders.mark_paid(book.db, book.site_id, order, now)
    await holds.keep(book, order.id)
    amount = {"amount": format_amount(outcome.amount, outcome.currency), "currency": outcome.currency}
    await record(context, book.db, book.site_id, attempt, "charge.made", {**amount, "reference": outcome.reference})
    await record(context, book.db, book.site_id, attempt, "order.paid", amount)
    await _subscribed(context, book, edition, order, attempt.connection_id, outcome.kept)
    at_gateway = gateway_of(context, row).record_address(outcome.reference)
    paper = papers.kind_of(edition, order, row.adapter)
    await order_mail.paid(context, book, edition, replace(order, state="paid", paid_at=now), paper, at_gateway)
    await papers.issue(context, book, edition, order, charge, row.adapter)


async def _hold_again(context: Context, book: Book, edition: Edition, order: OrderRow, attempt: AttemptRow) -> None:
    """Money has come for an order whose stock and coupons may have gone back meanwhile: they are taken again. What
    others have by now is for a person to decide; the sale stands."""
    if await holds.holds_anything(book, order.id):
        return
    asked = order.kept.wanted
    wanted = [item.need for item in asked.items]
    shorts = await holding.hold_late(book, order.id, edition, wanted, asked.coupons, order.customer)
    reasons = []
    for short in shorts:
        if short.coupon is not None:
            reasons.append(sentence("paid_after_its_coupon", coupon=short.coupon))
            await record(context, book.db, book.site_id, attempt, "order.short", {"coupon": short.coupon})
        elif short.product is not None:
            product = edition.product(short.product)
            reasons.append(sentence("paid_after_its_hold", name=product.name if product else short.product))
            await record(context, book.db, book.site_id, attempt, "order.short", {"product": short.product})
    if reasons:
        await reviews.add_review(book, order.id, reasons, context.now())


def _hold_days(edition: Edition, gateway: str) -> int:
    found = next((one.hold_days for one in edition.site.payments.ways if one.gateway == gateway), None)
    return found or USUAL_HOLD_DAYS


async def _compare(context: Context, book: Book, attempt: AttemptRow, outcome: Outcome) -> str:
    if isinstance(outcome, Approved) and attempt.state == "refused":
        return await note_contradiction(context, book, attempt, "a refused attempt was charged after all")
    if not isinstance(outcome, Approved) and attempt.state == "paid":
        row = await connections.connection_by_id(book.db, book.site_id, attempt.connection_id)
        if row is not None and ABILITIES[row.adapter].by_person:
            return "settled before"  # the refusal is our own, and came after the money; no books differ
        return await note_contradiction(context, book, attempt, "a charge of ours was called refused")
    return "settled before"


async def note_contradiction(context: Context, book: Book, attempt: AttemptRow, why: str) -> str:
    """Writes down, once, that the gateway's books and ours differ; a person has to look."""
    known = await order_events.events_of(book, attempt.order_id)
    if not any(e.kind == "charge.contradicted" and e.body.get("attempt") == str(attempt.id) for e in known):
        await record(context, book.db, book.site_id, attempt, "charge.contradicted", {"why": why})
        _log.error("attempt.contradicted", attempt=str(attempt.id), why=why)
    return "contradicted"
