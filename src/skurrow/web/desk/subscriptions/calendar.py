"""The calendar of the test book."""

from __future__ import annotations

from datetime import date, datetime, time
from typing import Literal
from uuid import UUID

from fastapi import status
from pydantic import BaseModel

from skurrow.core.problems import InvalidInput, Problem
from skurrow.service.changes import moving
from skurrow.service.draft.configuration import draft
from skurrow.web.access import Configuring, Means, Site
from skurrow.web.desk.bodies import Given
from skurrow.web.routes import desk_router

router = desk_router()


class CalendarView(BaseModel):
    """The calendar of the test book. While it is being moved: from when to when, and how far it has come."""

    at: datetime
    day: date
    by_clock: bool
    moving: bool
    began_from: datetime | None
    target: datetime | None
    done: int
    trouble: str | None
    next_at: datetime | None
    next_day: date | None


class CalendarRequest(Given):
    """How far the calendar is moved: on by something, to when something is due next, or to a day."""

    leap: Literal["day", "week", "month", "year", "next"] | None = None
    to: date | None = None


@router.get("/sites/{site}/calendar")
async def show_calendar(at: Site, context: Means) -> CalendarView:
    """What the calendar of the test book says."""
    return await _calendar(context, at.site_id)


@router.post("/sites/{site}/calendar", status_code=status.HTTP_202_ACCEPTED)
async def move_calendar(body: CalendarRequest, at: Configuring, context: Means) -> CalendarView:
    """Begins to move it; everything that falls due on the way is done, at its own time."""
    to = None
    if body.to is not None:
        zone = (await draft(context, at.site_id)).edition.site.site.zone
        to = datetime.combine(body.to, time(12), zone)
    if (to is None) == (body.leap is None):
        message = "Say either by how much, or to which day"
        raise InvalidInput([Problem(("leap",), message, "Choose one of them", "missing")])
    await moving.move(context, at.site_id, at.person.id, body.leap, to)
    return await _calendar(context, at.site_id)


@router.delete("/sites/{site}/calendar")
async def stop_calendar(at: Configuring, context: Means) -> CalendarView:
    """Leaves it where it has come to."""
    await moving.stop(context, at.site_id)
    return await _calendar(context, at.site_id)


# -- within -----------------------------------------------------------------------------------------------


async def _calendar(context: Means, site_id: UUID) -> CalendarView:
    found = await moving.shown(context, site_id)
    zone = (await draft(context, site_id)).edition.site.site.zone
    return CalendarView(
        at=found.at,
        day=found.at.astimezone(zone).date(),
        by_clock=found.by_clock,
        moving=found.moving,
        began_from=found.began_from,
        target=found.target,
        done=found.done,
        trouble=found.trouble,
        next_at=found.next_at,
        next_day=found.next_at.astimezone(zone).date() if found.next_at else None,
    )
