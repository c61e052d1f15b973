"""The calendar of the test book: what date it is there, and moving it forward.

Moving is work in the background, done thing by thing: what falls due next is found by a query over dates, the calendar
is set to its time, at the gateways too, and it is done there and then. A worker that dies leaves the calendar where it
had come to, and another one goes on.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta
from uuid import UUID

from skurrow.service.context import Context
from skurrow.store import calendars
from skurrow.store.book import Book
from skurrow.store.database import siteless_statement


async def of_book(context: Context, book: Book) -> Context:
    """The means with the date of a site's book, within a transaction."""
    if book.mode != "test" or context.at is not None:
        return context
    return moved(context, await calendars.ahead_of(book.db, book.site_id))


async def of_site(context: Context, site_id: UUID, mode: str) -> Context:
    """The same, outside of one."""
    if mode != "test" or context.at is not None:
        return context
    async with siteless_statement(context.pool) as db:
        return moved(context, await calendars.asked_alone(db, site_id))


def moved(context: Context, ahead: timedelta) -> Context:
    """The means with the date of a test book that is so far ahead of the clock."""
    return replace(context, ahead=ahead) if context.at is None and ahead != context.ahead else context


def standing_at(context: Context, at: datetime) -> Context:
    """The means with a book whose calendar stands still."""
    return replace(context, at=at, ahead=timedelta())
