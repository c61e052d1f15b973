"""Walking the website as a test buyer: a browser is marked for an hour, by one press at the desk.

The mark travels in two ways. The website's own script keeps it in the website's storage and adds it to every link of
the counter; a cookie of the counter's, the only one that buyers' pages ever set, is there for plain links.
"""

from __future__ import annotations

from urllib.parse import quote

from fastapi import Request, Response
from fastapi.responses import RedirectResponse

from skurrow.service.counter import placements
from skurrow.service.counter.visit import TestHour, hour_of
from skurrow.service.refusals import NotFound
from skurrow.store import database
from skurrow.web import pages
from skurrow.web.access import Means
from skurrow.web.counter.pages import TESTER, away
from skurrow.web.routes import new_router

router = new_router(tag="counter")

_NO_STORE = {"Cache-Control": "no-store", "Referrer-Policy": "no-referrer"}


@router.get("/try/{token}", include_in_schema=False)
async def begin_trying(token: str, context: Means) -> Response:
    """Marks this browser, and leads to the website, which is told by what follows the sign #: no server sees that."""
    hour = hour_of(context, token)
    try:
        if hour is None:
            raise NotFound("this link is over")
        website = await placements.website_of(context, hour)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such page", 404)
    except database.DATABASE_AWAY:
        return away()
    answer = RedirectResponse(f"{website}#skurrow-test={_until(hour)}.{quote(token)}", 303, _NO_STORE)
    answer.set_cookie(
        TESTER,
        token,
        max_age=int((hour.until - context.now()).total_seconds()),
        path="/",
        secure=context.settings.counter_url.startswith("https:"),
        httponly=True,
        samesite="lax",
    )
    return answer


@router.get("/stop-trying", include_in_schema=False)
async def stop_trying(request: Request, context: Means) -> Response:
    """Ends it before the hour is over, and leads back to the website."""
    hour = hour_of(context, request.cookies.get(TESTER))
    try:
        website = await placements.website_of(context, hour) if hour is not None else None
    except NotFound:
        website = None
    except database.DATABASE_AWAY:
        return away()
    answer: Response = pages.counter({"page": "tried"}, "No test buyer any more", 200)
    if website is not None:
        answer = RedirectResponse(f"{website}#skurrow-test=", 303, _NO_STORE)
    answer.delete_cookie(TESTER, path="/")
    return answer


# -- within -----------------------------------------------------------------------------------------------


def _until(hour: TestHour) -> int:
    """In milliseconds since 1970, as a page reckons."""
    return int(hour.until.timestamp() * 1000)
