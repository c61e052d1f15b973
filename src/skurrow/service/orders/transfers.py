"""Money that comes in by bank transfer: statements are read, each entry finds its order or is set aside for a person.

Everything is harmless when repeated: an entry counts once, whatever statements it stands in.
"""

from __future__ import annotations

import asyncio
import hashlib
from dataclasses import dataclass, replace
from datetime import UTC, datetime, time
from typing import Literal
from uuid import UUID

from skurrow.core.money import format_amount
from skurrow.core.payments.transfers import Expected, Incoming, codes_in, match
from skurrow.gateway.protocol import Approved, Mode
from skurrow.service.context import Context
from skurrow.service.orders import settling, statements
from skurrow.service.orders.statements import Credit
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts
from skurrow.store.payments import connections, transfers
from skurrow.store.payments.transfers import PayableRow, StatementRow, TransferRow

CODE_LENGTH = 8
PAGE = 50


@dataclass(frozen=True, slots=True)
class Taken:
    """What came of a statement: how many entries, how many of them new, matched, and set aside."""

    format: str
    entries: int
    new: int
    matched: int
    aside: int


async def take_statement(context: Context, site_id: UUID, mode: Mode, name: str, content: bytes, by: UUID) -> Taken:
    """Reads a statement and matches what is new in it, also after the account was turned off: orders may still wait.

    Raises InvalidInput; Conflict where no account was ever connected.
    """
    found = await asyncio.to_thread(statements.read, content)
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        row = await connections.last_connection(book, "transfer")
        if row is None:
            raise Conflict(f"No bank account is connected for {mode}. Connect it under Payments first.")
        known: set[tuple[str, str]] = set()
        for account in {one.account for one in found.credits}:
            keys = [one.key for one in found.credits if one.account == account]
            known |= {(account, key) for key in await transfers.known_keys(book, account, keys)}
        new = [one for one in found.credits if (one.account, one.key) not in known]
        statement = StatementRow(
            id=context.new_id(),
            mode=mode,
            connection_id=row.id,
            name=name[:200],
            format=found.format,
            digest=hashlib.sha256(content).digest(),
            entries=len(found.credits),
            new_entries=len(new),
            at=context.now(),
            by=by,
        )
        await transfers.add_statement(db, site_id, statement)
    matched = 0
    for credit in new:
        matched += await _take(context, site_id, mode, statement.id, credit)
    return Taken(found.format, len(found.credits), len(new), matched, len(new) - matched)


async def page(
    context: Context, site_id: UUID, mode: Mode, before: UUID | None, aside: bool
) -> tuple[list[TransferRow], UUID | None]:
    """A page of what came in, the newest first, with where the next one begins."""
    async with site_transaction(context.pool, site_id) as db:
        found = await transfers.transfers_before(Book(db, site_id, mode), before, aside, PAGE + 1)
    return found[:PAGE], found[PAGE - 1].id if len(found) > PAGE else None


async def uploaded(context: Context, site_id: UUID, mode: Mode) -> list[StatementRow]:
    """The statements that were uploaded last."""
    async with site_transaction(context.pool, site_id) as db:
        return await transfers.last_statements(Book(db, site_id, mode), 10)


async def decide(
    context: Context,
    site_id: UUID,
    mode: Mode,
    transfer_id: UUID,
    decision: Literal["take", "done"],
    code: str | None,
    note: str,
    by: UUID,
) -> None:
    """What becomes of an entry that was set aside: it pays an order (the one it names, or `code`), or a person is done
    with it otherwise, as when it was given back. Raises NotFound, Conflict."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        found = await transfers.transfer(book, transfer_id)
        if found is None:
            raise NotFound("there is no such transfer")
        # The order is locked first, as it is where a statement is taken up.
        order = await _named(book, code or found.order_code) if decision == "take" else None
        row = await transfers.transfer(book, transfer_id, lock=True)
        if row is None or row.state != "aside":
            raise Conflict("Somebody has decided about this meanwhile.")
        if order is None:
            done = replace(row, state="done", note=note.strip())
            await transfers.decide_transfer(db, site_id, done, by, context.now())
            return
        if order.attempt_id is None:
            raise Conflict(f"The order {order.code} does not wait for a transfer. It is {order.state}.")
        if row.currency != order.currency:
            raise Conflict(f"The order {order.code} is in {order.currency}.")
        before = order.before - (row.amount if row.order_id == order.id and row.reason == "under" else 0)
        if row.amount + before < order.total:
            missing = format_amount(order.total - row.amount - before, order.currency)
            raise Conflict(
                f"{missing} {order.currency} are missing for the order {order.code}. Ask the buyer for them."
            )
        taken = replace(row, state="matched", order_id=order.id, attempt_id=order.attempt_id, note=note.strip())
        await transfers.decide_transfer(db, site_id, taken, by, context.now())
        await transfers.settle_earlier(book, order.id, order.attempt_id)
        await _settle(context, book, taken)


# -- within -----------------------------------------------------------------------------------------------


async def _take(context: Context, site_id: UUID, mode: Mode, statement_id: UUID, credit: Credit) -> bool:
    """Writes one entry down with what it is for; says whether it has paid an order."""
    codes = codes_in(credit.text, CODE_LENGTH)
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        payable = {one.code: one for one in await transfers.payable_by(book, codes)} if codes else {}
        expected = {code: _expected(one) for code, one in payable.items()}
        found = match(Incoming(credit.amount, credit.currency, credit.text), expected, codes)
        order = payable.get(found.code) if found.code else None
        matched = found.aside is None and order is not None and order.attempt_id is not None
        attempt_id = order.attempt_id if matched and order else None
        if found.aside == "double" and order is not None and _is_what_was_seen(order, credit):
            attempt_id = order.by_hand  # a person has seen this money before its statement came
        row = TransferRow(
            id=context.new_id(),
            mode=mode,
            statement_id=statement_id,
            account=credit.account,
            bank_key=credit.key,
            currency=credit.currency,
            amount=credit.amount,
            booked_on=credit.booked_on,
            payer=credit.payer,
            payer_account=credit.payer_account,
            text=credit.text,
            state="aside" if attempt_id is None else "matched",
            reason=found.aside if attempt_id is None else None,
            order_id=order.id if order else None,
            attempt_id=attempt_id,
        )
        if not await transfers.add_transfer(db, site_id, row):
            return False  # somebody else uploads the same statement
        if matched and order is not None and order.attempt_id is not None:
            await transfers.settle_earlier(book, order.id, order.attempt_id)
            await _settle(context, book, row)
    return attempt_id is not None


def _is_what_was_seen(order: PayableRow, credit: Credit) -> bool:
    """Whether money is what a person has marked the order as paid by."""
    return order.by_hand is not None and (credit.amount, credit.currency) == (order.total, order.currency)


async def _settle(context: Context, book: Book, row: TransferRow) -> None:
    """The order of a matched transfer is paid: by what was due, whatever came in beyond it."""
    assert row.attempt_id is not None
    attempt = await attempts.attempt(book.db, book.site_id, row.attempt_id)
    assert attempt is not None
    at = datetime.combine(row.booked_on, time(12), UTC)
    outcome = Approved(f"transfer {row.id}", attempt.amount, attempt.currency, at)
    done = await settling.settle_within(context, book.db, book.site_id, attempt.id, outcome)
    assert done == "paid", done  # it is locked, and was seen waiting: anything else takes the entry back with it


async def _named(book: Book, code: str | None) -> PayableRow:
    found = await transfers.payable_by(book, [code.strip().upper()]) if code else []
    if not found:
        raise NotFound(f"there is no order {code} in this book" if code else "say which order it is for")
    return found[0]


def _expected(row: PayableRow) -> Expected:
    state: Literal["waiting", "paid", "given_up"] = "given_up"
    if row.state == "paid":
        state = "paid"
    elif row.state == "waiting" and row.attempt_id is not None:
        state = "waiting"
    return Expected(row.code, row.total, row.currency, state, row.before)
