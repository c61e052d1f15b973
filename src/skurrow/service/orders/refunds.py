"""Giving money back: recorded before the gateway is asked, once however often it is pressed, at most what was paid.

With the refund that was made come its credit note and, if wanted, pieces back into stock, all in one transaction.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from functools import partial
from uuid import UUID

import structlog

from skurrow.core.edition import Edition
from skurrow.core.money import format_amount
from skurrow.core.payments import refunds as core
from skurrow.core.payments.refunds import Asked, Part, Sold
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.products.stock import needs
from skurrow.gateway.protocol import (
    Mode,
    NoAnswer,
    NotAccepted,
    Refunded,
    RefundOutcome,
    RefundRefused,
    RefundRequest,
)
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.events import money, record
from skurrow.service.orders import order_mail
from skurrow.service.orders.order_mail import Told
from skurrow.service.papers import papers
from skurrow.service.payments.gateways import gateway_of
from skurrow.service.recovery import ask_about
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store.book import Book
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.orders import charges, disputes, holds, order_events, orders, refunds
from skurrow.store.orders.charges import ChargeRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.orders.refunds import RefundRow
from skurrow.store.papers import papers as papers_kept
from skurrow.store.payments import connections
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.subscriptions import credits

_log = structlog.get_logger()


@dataclass(frozen=True, slots=True)
class Refundable:
    """What of an order can be given back; `until` is the last day by the shop's promise, for each line that has one.

    `counted` are the lines whose pieces can go back into stock, `today` is the day in the site's zone.
    """

    currency: str
    parts: list[Sold]
    until: dict[int, date]
    counted: frozenset[int]
    today: date


@dataclass(frozen=True, slots=True)
class Reckoned:
    """What would be given back, in minor units of the currency, with the tax in it."""

    currency: str
    amount: int
    tax: int
    parts: list[Part]


async def refundable(context: Context, site_id: UUID, mode: Mode, code: str) -> Refundable:
    """What can be given back of an order. Raises NotFound."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        context = await calendars.of_book(context, book)
        order, edition, parts, _ = await _parts(context, book, code)
    until, counted = {}, set()
    for number, line in enumerate(order.kept.quote.lines):
        assert order.paid_at is not None
        day = core.refund_until(edition, line.price, order.paid_at.astimezone(edition.site.site.zone).date())
        if day is not None:
            until[number] = day
        if line.price in edition.prices and needs(edition, [(line.price, line.variant, 1)]):
            counted.add(number)
    today = context.book_now().astimezone(edition.site.site.zone).date()
    return Refundable(order.currency, parts, until, frozenset(counted), today)


async def reckon(context: Context, site_id: UUID, mode: Mode, code: str, asked: Sequence[Asked]) -> Reckoned:
    """What a refund would come to; nothing is done. Raises NotFound or InvalidInput."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        order, _, parts, charge = await _parts(context, book, code)
        return await _reckon_charged(book, order, charge, core.refund(parts, asked, order.currency))


async def refund(
    context: Context,
    site_id: UUID,
    by: UUID | None,
    mode: Mode,
    code: str,
    asked_as: UUID,
    asked: Sequence[Asked],
    expected: str,
    note: str = "",
) -> RefundRow:
    """Gives money back, once for each `asked_as`; returns the refund, which may still be open. The same key for
    something else is refused.

    Raises NotFound, InvalidInput, or Conflict where it comes to another amount than was shown.
    """
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        order, _, parts, charge = await _parts(context, book, code, lock=True)
        context = await calendars.of_book(context, book)
        known = await refunds.refund_asked_as(book, asked_as)
        if known is not None:
            if known.order_id != order.id or core.by_line(known.parts, order.currency) != core.asked_by_line(
                asked, order.currency
            ):
                amount = format_amount(known.amount, known.currency)
                raise Conflict(f"This form has been used for {amount} {known.currency} before. Reload the order.")
            return known
        found = await _reckon_charged(book, order, charge, core.refund(parts, asked, order.currency))
        if format_amount(found.amount, order.currency) != expected:
            amount = format_amount(found.amount, order.currency)
            raise Conflict(f"It comes to {amount} {order.currency} now: something else was given back meanwhile.")
        begun = await _begin(context, book, by, order, charge, asked_as, found, note)
    return await send(context, site_id, begun)


@dataclass(frozen=True, slots=True)
class Begun:
    """A refund that is recorded, and what the gateway is asked with."""

    row: RefundRow
    charge: ChargeRow
    connection: ConnectionRow


async def begin_unused(
    context: Context, book: Book, by: UUID | None, order: OrderRow, asked_as: UUID, amount: int
) -> tuple[Begun | None, int]:
    """Begins to give back up to an amount of the first line of an order that its caller has locked, in the caller's
    transaction; `send` asks the gateway afterwards. Returns with it what was paid with a balance (see `unused_of`)."""
    money, rest = await unused_of(context, book, order, amount)
    charge = await _charge_of(book, order)
    if charge is None or not money:
        return None, rest
    _, parts = await _parts_of(context, book, order)
    asked = [Asked(0, format_amount(money, order.currency))]
    found = _reckoned(order.currency, core.refund(parts, asked, order.currency))
    note = "The unused part of a subscription."
    return await _begin(context, book, by, order, charge, asked_as, found, note), rest


async def unused_of(context: Context, book: Book, order: OrderRow, amount: int) -> tuple[int, int]:
    """What of an amount the gateway would give back of the first line of an order, and what was paid with a balance and
    so cannot be: in minor units. Nothing is given back of a charge that is disputed: the bank decides about that."""
    if any(one.state != "won" for one in await disputes.disputes_of(book, order.id)):
        return 0, 0
    charge = await _charge_of(book, order)
    amount = min(amount, await left_of_line(context, book, order))
    money = 0 if charge is None else min(amount, await _left_of(book, order, charge))
    return money, amount - money


async def left_of_line(context: Context, book: Book, order: OrderRow) -> int:
    """What of the first line of a paid order was not given back or credited yet, in minor units."""
    _, parts = await _parts_of(context, book, order)
    return sum(part.left for part in parts if part.line == 0)


async def send(context: Context, site_id: UUID, begun: Begun) -> RefundRow:
    """Asks the gateway for a refund that is committed, between transactions, and settles what it says."""
    row = begun.row
    outcome: RefundOutcome
    try:
        outcome = await gateway_of(context, begun.connection).refund(_request(row, begun.charge))
    except NoAnswer:
        async with site_transaction(context.pool, site_id) as db:
            await refunds.ask_at(db, site_id, row.id, context.now())
        return row
    except NotAccepted:  # the first time that the key was sent: nothing can have moved under it
        outcome = RefundRefused("not_accepted")
    await settle(context, site_id, row.id, outcome)
    async with site_transaction(context.pool, site_id) as db:
        settled = await refunds.refund(db, site_id, row.id)
    assert settled is not None
    return settled


async def settle(
    context: Context, site_id: UUID, refund_id: UUID, outcome: RefundOutcome, told_by: UUID | None = None
) -> str:
    """Records what became of a refund; returns what was done, in a word. Harmless when repeated. `told_by` is the
    connection whose message says so, where one does: it counts for what was charged through it only."""
    async with site_transaction(context.pool, site_id) as db:
        found = await refunds.refund(db, site_id, refund_id)
        if found is None:
            return "unknown"
        book = Book(db, site_id, found.mode)
        if told_by is not None:
            taken = await charges.charges_of(book, found.order_id)
            charged = next(one for one in taken if one.id == found.charge_id)
            if not await connections.one_account(db, told_by, charged.connection_id):
                return "another connection's"
        context = await calendars.of_book(context, book)
        order = await orders.order_by_id(book, found.order_id, lock=True)
        row = await refunds.refund(db, site_id, refund_id, lock=True)
        assert order is not None
        assert row is not None
        if row.state != "open":
            made = isinstance(outcome, Refunded)
            if made != (row.state == "made"):
                await _contradicted(
                    context,
                    book,
                    row,
                    f"a refund that is {row.state} here is not at the gateway",
                )
                return "contradicted"
            return "settled before"
        now = context.book_now()
        if isinstance(outcome, RefundRefused):
            await refunds.close_refund(db, site_id, row.id, "refused", outcome.reason, None, now, told_by)
            body = {"reason": outcome.reason, **money(row.amount, row.currency)}
            await record(context, db, site_id, row, "refund.refused", body)
            return "refused"
        if (outcome.amount, outcome.currency) != (row.amount, row.currency):
            await _contradicted(context, book, row, "another amount was given back")
            return "contradicted"
        await refunds.close_refund(db, site_id, row.id, "made", None, (outcome.reference, outcome.at), now, told_by)
        edition = await edition_at(context, db, site_id, order.change)
        await back_into_stock(book, edition, order, row)
        body = {"reference": outcome.reference, **money(row.amount, row.currency)}
        await record(context, db, site_id, row, "refund.made", body)
        charge = await _charge_of(book, order)
        assert charge is not None
        connection = await connections.connection_by_id(db, site_id, charge.connection_id)
        assert connection is not None
        await papers.issue_credit_note(context, book, edition, order, charge, row, connection.adapter)
        notes = [one for one in await papers_kept.papers_of(book, order.id) if one.refund_id == row.id]
        told = Told(amount=row.amount, papers=notes, key=str(row.id))
        await order_mail.tell(context, book, edition, order, "order_refunded", told)
    return "made"


async def recover(context: Context, most: int = 20) -> int:
    """Asks about refunds whose outcome nobody knows; returns how many were asked about."""
    async with siteless_transaction(context.pool) as db:
        claimed = await refunds.claim_open_refunds(db, context.now(), most)
    return await ask_about("refund", claimed, partial(_recover_one, context))


async def back_into_stock(book: Book, edition: Edition, order: OrderRow, row: RefundRow, out: bool = False) -> None:
    """Puts pieces back that a refund says came back; or takes them `out` again."""
    lines = order.kept.quote.lines
    back = [(lines[part["line"]], part["put_back"]) for part in row.parts if part["line"] is not None]
    wanted = [(line.price, line.variant, pieces) for line, pieces in back if pieces and line.price in edition.prices]
    for need in needs(edition, wanted):
        await holds.put_back(book, need.product, need.variant, -need.quantity if out else need.quantity)


# -- within -----------------------------------------------------------------------------------------------


async def _parts(
    context: Context, book: Book, code: str, lock: bool = False
) -> tuple[OrderRow, Edition, list[Sold], ChargeRow]:
    order = await orders.order_by_code(book, code)
    if order is not None and lock:
        order = await orders.order_by_id(book, order.id, lock=True)
    charge = await _charge_of(book, order) if order is not None else None
    if order is None or charge is None:
        raise NotFound("there is no such charge in this book")
    if lock and any(one.state != "won" for one in await disputes.disputes_of(book, order.id)):
        raise Conflict("The buyer has disputed this charge at their bank, which decides about the money.")
    return order, *await _parts_of(context, book, order), charge


async def _parts_of(context: Context, book: Book, order: OrderRow) -> tuple[Edition, list[Sold]]:
    edition = await edition_at(context, book.db, book.site_id, order.change)
    made = await refunds.refunds_of(book, order.id)
    earlier = [one.parts for one in made if one.state != "refused"]
    earlier += [one.parts for one in await credits.credits_of(book, order.id)]
    return edition, core.sold(edition, order.quote, earlier)


async def _begin(
    context: Context,
    book: Book,
    by: UUID | None,
    order: OrderRow,
    charge: ChargeRow,
    asked_as: UUID,
    found: Reckoned,
    note: str,
) -> Begun:
    now = context.now()
    row = RefundRow(
        id=context.new_id(),
        mode=order.mode,
        order_id=order.id,
        charge_id=charge.id,
        asked_as=asked_as,
        currency=order.currency,
        amount=found.amount,
        parts=[part.as_json(order.currency) for part in found.parts],
        note=note.strip(),
        by=by,
        state="open",
        reason=None,
        gateway_reference=None,
        opened_at=now,
        closed_at=None,
        ask_at=now + context.settings.first_ask,
        asks=0,
    )
    await refunds.add_refund(book.db, book.site_id, row)
    await record(context, book.db, book.site_id, row, "refund.asked", money(row.amount, row.currency))
    connection = await connections.connection_by_id(book.db, book.site_id, charge.connection_id)
    assert connection is not None
    return Begun(row, charge, connection)


async def _left_of(book: Book, order: OrderRow, charge: ChargeRow) -> int:
    """What of a charge was not given back yet. Of an order that was paid with a balance, too, that is less than what
    was sold."""
    made = await refunds.refunds_of(book, order.id)
    return charge.amount - sum(one.amount for one in made if one.state != "refused")


async def _reckon_charged(book: Book, order: OrderRow, charge: ChargeRow, parts: list[Part]) -> Reckoned:
    """What parts come to. Raises InvalidInput for more than was charged: the rest was paid with the balance."""
    found = _reckoned(order.currency, parts)
    left = await _left_of(book, order, charge)
    if found.amount > left:
        most = f"{format_amount(left, order.currency)} {order.currency}"
        message = f"At most {most} can be given back: the rest was paid with the customer's balance"
        raise InvalidInput([Problem(("parts",), message, "Write a smaller amount", "too_much")])
    return found


async def _charge_of(book: Book, order: OrderRow) -> ChargeRow | None:
    found = await charges.charges_of(book, order.id)
    return found[0] if found else None


def _reckoned(currency: str, parts: list[Part]) -> Reckoned:
    return Reckoned(currency, sum(part.amount for part in parts), sum(part.tax for part in parts), parts)


def _request(row: RefundRow, charge: ChargeRow) -> RefundRequest:
    """The request, the same each time: gateways know the charge by its attempt's key."""
    return RefundRequest(row.id, charge.attempt_id, row.amount, row.currency)


async def _recover_one(context: Context, site_id: UUID, refund_id: UUID) -> None:
    async with site_transaction(context.pool, site_id) as db:
        row = await refunds.refund(db, site_id, refund_id)
        if row is None or row.state != "open":
            return
        order = await orders.order_by_id(Book(db, site_id, row.mode), row.order_id)
        assert order is not None
        charge = await _charge_of(Book(db, site_id, order.mode), order)
        assert charge is not None
        connection = await connections.connection_by_id(db, site_id, charge.connection_id)
        assert connection is not None
    gateway, request = gateway_of(context, connection), _request(row, charge)
    outcome = await gateway.look_up_refund(request) or await gateway.refund(request)
    done = await settle(context, site_id, row.id, outcome)
    _log.info("refund.recovered", refund=str(row.id), outcome=done, asks=row.asks)


async def _contradicted(context: Context, book: Book, row: RefundRow, why: str) -> None:
    """Writes down, once, that the gateway's books and ours differ; a person has to look."""
    known = await order_events.events_of(book, row.order_id)
    if not any(e.kind == "refund.contradicted" and e.body.get("refund") == str(row.id) for e in known):
        await record(context, book.db, book.site_id, row, "refund.contradicted", {"why": why})
        _log.error("refund.contradicted", refund=str(row.id), why=why)
