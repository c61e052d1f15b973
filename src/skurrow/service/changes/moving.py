"""Moving the calendar of a test book forward: all that falls due on the way is done, at its own time, in order."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal
from uuid import UUID

import structlog

from skurrow.core.durations import first_instant, later
from skurrow.core.problems import InvalidInput, Problem
from skurrow.gateway.protocol import Approved, NoAnswer, NotAccepted, Refused
from skurrow.service.calendars import of_book, standing_at
from skurrow.service.changes import renewing
from skurrow.service.context import Context
from skurrow.service.orders import asking, settling
from skurrow.service.payments.gateways import connections_for, gateway_of
from skurrow.service.refusals import Conflict
from skurrow.service.subscriptions.standing import now_at
from skurrow.store import calendars
from skurrow.store.book import Book
from skurrow.store.database import DATABASE_AWAY, Connection, site_transaction, siteless_transaction
from skurrow.store.orders import attempts
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.payments import connections
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.subscriptions import subscriptions

_log = structlog.get_logger()
MOST_AHEAD = timedelta(days=366 * 20)
CLAIM = timedelta(minutes=1)

STEPS = 25
"""Things done before another look at whether it is to stop."""

Leap = Literal["day", "week", "month", "year", "next"]

Waiting = tuple[datetime, UUID | None, AttemptRow | None]
"""What is due when: of a subscription, or about an attempt."""


@dataclass(frozen=True, slots=True)
class Shown:
    """What the calendar of a site says: its date, whether that is the clock's, and, while it is being moved, from when
    to when, how far it has come and how many things were done. `next_at` is when something is due next."""

    at: datetime
    by_clock: bool
    moving: bool
    began_from: datetime | None
    target: datetime | None
    done: int
    trouble: str | None
    next_at: datetime | None


async def shown(context: Context, site_id: UUID) -> Shown:
    """What the calendar says."""
    async with site_transaction(context.pool, site_id) as db:
        row = await calendars.calendar(db, site_id)
        ahead = row.ahead if row else timedelta()
        at = context.now() + ahead
        due = await _next(db, site_id, at + MOST_AHEAD)
    if row is None:
        return Shown(at, True, False, None, None, 0, None, due and due[0])
    return Shown(
        row.at or at,
        not ahead,
        row.target is not None,
        row.began_from,
        row.target,
        row.done,
        row.trouble,
        due and due[0],
    )


async def move(
    context: Context, site_id: UUID, by: UUID | None, leap: Leap | None = None, to: datetime | None = None
) -> None:
    """Begins to move the calendar: on by a day, a month …, to when something is due next, or to an instant. Raises
    InvalidInput for one that has passed or is too far, Conflict where it is being moved, or nothing is due."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, "test")
        context = await of_book(context, book)
        now, at = await now_at(context, book), context.book_now()
        target = to
        if leap == "next":
            due = await _next(db, site_id, at + MOST_AHEAD)
            if due is None:
                raise Conflict("Nothing is due in the test book.")
            target = max(due[0], at)
        elif leap is not None:
            today = at.astimezone(now.zone)
            months, days = {"day": (0, 1), "week": (0, 7), "month": (1, 0), "year": (12, 0)}[leap]
            day = later(today.date(), months, days)
            same = datetime.combine(day, today.time(), now.zone)
            target = max(same, first_instant(day, now.zone))
        assert target is not None
        if target < at:
            message = f"The calendar says {at.astimezone(now.zone):%Y-%m-%d} already, and never goes back"
            raise InvalidInput([Problem(("to",), message, "Choose a later day, or clear the test book")])
        if target > context.now() + MOST_AHEAD:
            raise InvalidInput([Problem(("to",), "This is more than 20 years from now", "Choose an earlier day")])
        # The rules may have changed since what is due was noted.
        await subscriptions.recheck(book, at)
        if not await calendars.begin_move(db, site_id, at, target, by):
            raise Conflict("The calendar is being moved already.")


async def stop(context: Context, site_id: UUID) -> None:
    """Leaves the calendar where it has come to."""
    async with site_transaction(context.pool, site_id) as db:
        await calendars.end_move(db, site_id)


async def go_on(context: Context, most: int = 4) -> int:
    """Moves calendars that are to be moved; returns how many."""
    async with siteless_transaction(context.pool) as db:
        claimed = await calendars.claim_moving(db, context.now(), most)
    for claim in claimed:
        try:
            await finish(context, claim.site_id)
        except DATABASE_AWAY:
            raise
        except Exception as error:
            trouble = "A gateway did not answer. Move on when it does."
            if isinstance(error, NoAnswer | NotAccepted):
                _log.warning("calendar.no_answer", site=str(claim.site_id), why=str(error))
            else:
                trouble = "Something that fell due could not be done. What it was is in Skurrow's log."
                _log.exception("calendar.not_moved", site=str(claim.site_id))
            async with site_transaction(context.pool, claim.site_id) as db:
                await calendars.end_move(db, claim.site_id, trouble)
    return len(claimed)


async def finish(context: Context, site_id: UUID) -> int:
    """Moves a calendar to where it is to go, thing by thing; returns how many things were done."""
    done = 0
    while True:
        for _ in range(STEPS):
            moved = await _step(context, site_id)
            if moved is None:
                return done
            done += moved


# -- within -----------------------------------------------------------------------------------------------


async def _step(context: Context, site_id: UUID) -> int | None:
    """Does what is due next, at its time, or goes to the target; None when it is there, or was stopped."""
    async with site_transaction(context.pool, site_id) as db:
        row = await calendars.calendar(db, site_id)
        if row is None or row.target is None or row.at is None:
            return None
        due = await _next(db, site_id, row.target)
        at = row.target if due is None else max(due[0], row.at)
        gateways = await connections_for(Book(db, site_id, "test"))
    for one in gateways:
        await gateway_of(context, one).move_calendar(at)
    async with site_transaction(context.pool, site_id) as db:
        ahead = at - context.now()
        if not await calendars.step_to(db, site_id, at, ahead, context.now() + CLAIM):
            return None
        if due is None:
            await calendars.end_move(db, site_id)
            return None
    there = standing_at(context, at)
    _, subscription_id, attempt = due
    if attempt is not None:
        await _ask(there, site_id, attempt)
    elif subscription_id is not None and await renewing.do_due(there, site_id, subscription_id) == renewing.NOT_DUE:
        return 0  # it was only looked at anew
    async with site_transaction(context.pool, site_id) as db:
        await calendars.count_done(db, site_id)
    return 1


async def _next(db: Connection, site_id: UUID, until: datetime) -> Waiting | None:
    """What is due next in the test book up to an instant: of a subscription, or about an open attempt."""
    row = await subscriptions.next_due_test(db, site_id, until)
    attempt = await attempts.next_waiting_test(db, site_id, until)
    at = None if attempt is None else attempt.remind_at or attempt.due_at
    if at is not None and (row is None or at <= row.at):
        return at, None, attempt
    return None if row is None else (row.at, row.id, None)


async def _ask(context: Context, site_id: UUID, attempt: AttemptRow) -> None:
    """What became of an attempt whose day has come: by its bank, by the buyer who was to approve it, or by nobody."""
    async with site_transaction(context.pool, site_id) as db:
        connection: ConnectionRow | None = await connections.connection_by_id(db, site_id, attempt.connection_id)
        assert connection is not None
        if attempt.remind_at is not None:
            if not await asking.remind(context, Book(db, site_id, attempt.mode), attempt, connection):
                await attempts.reminded(db, site_id, attempt.id)
            return
    if attempt.waits == "person":
        await settling.settle(context, site_id, attempt.id, Refused("not_paid"))
        return
    answer = await gateway_of(context, connection).look_up(attempt.id)
    if not isinstance(answer, Approved | Refused):
        # Not decided yet, whatever was expected: looked at again a day later.
        async with site_transaction(context.pool, site_id) as db:
            await attempts.wait_longer(db, site_id, attempt.id, context.book_now() + timedelta(days=1))
        return
    await settling.take(context, site_id, attempt.id, answer)
