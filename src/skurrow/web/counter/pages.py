"""The counter's pages: a checkout, its preview, the confirmation, papers and pictures."""

from __future__ import annotations

from dataclasses import asdict
from datetime import timedelta
from typing import Annotated, Any
from uuid import UUID

from fastapi import Query, Request, Response
from fastapi.responses import FileResponse

from skurrow.core.money import format_amount
from skurrow.core.papers.paper import Paper
from skurrow.core.site.values import origin_of
from skurrow.service.counter import opening
from skurrow.service.counter.confirmation import Confirmation, paper_of
from skurrow.service.counter.confirmation import confirmation as paid_page
from skurrow.service.counter.opening import Counter
from skurrow.service.draft import pictures
from skurrow.service.refusals import Closed, NotFound
from skurrow.service.tape.confirmation_previews import after_paying, paper_after_paying
from skurrow.store import database
from skurrow.web import pages
from skurrow.web.access import Means, address_of
from skurrow.web.counter.showing import counter_view
from skurrow.web.counter.views import ConfirmedPaper, PersonalView, QuoteView
from skurrow.web.counter.whence import guessed_country
from skurrow.web.files import FileKind, paper_file
from skurrow.web.pages import BUILT
from skurrow.web.problems import DATABASE_AWAY
from skurrow.web.routes import new_router

router = new_router(tag="counter")

TESTER = "skurrow-test"
"""The cookie of a browser that is a test buyer's for an hour: the only one that buyers' pages set."""

_MAIL_COMES = timedelta(hours=1)
"""For which a confirmation says that a mail is on its way."""


def framers(context: Means, site_url: str) -> list[str]:
    """Who may show the counter in a frame: the site itself, the desk, and the stand-ins of this machine."""
    return [origin_of(site_url), context.settings.desk_url, *context.settings.stand_in_origins]


# -- pages ------------------------------------------------------------------------------------------------


def _not_open(closed: Closed) -> Response:
    shop = None if closed.shop is None else {"name": closed.shop.name, "url": closed.shop.url}
    return pages.counter({"page": "closed", "message": str(closed), "shop": shop}, "Not open", 503)


@router.get("/buy/{code}", include_in_schema=False)
async def checkout_page(
    code: str,
    context: Means,
    request: Request,
    test: Annotated[str | None, Query(max_length=500)] = None,
    coupon: Annotated[str | None, Query(max_length=40)] = None,
    currency: Annotated[str | None, Query(max_length=20)] = None,
    back: Annotated[str | None, Query(max_length=1000)] = None,
    items: Annotated[str | None, Query(max_length=4000)] = None,
    add: Annotated[str | None, Query(max_length=4000)] = None,
    basket: Annotated[str | None, Query(max_length=60)] = None,
) -> Response:
    """The checkout as a page, on its own or in a frame. `back` says which order somebody comes back from paying;
    `items` (`kit:2:moss,thread:1`) are taken in place of what lies in the `basket` that the website keeps, those to
    `add` beside it."""
    try:
        country = guessed_country(request)
        counter = await opening.open_counter(
            context,
            code,
            test or request.cookies.get(TESTER),
            coupon,
            address_of(request),
            currency,
            country,
            items,
            as_id(basket),
            add,
        )
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such checkout", 404)
    except Closed as closed:
        return _not_open(closed)
    except database.DATABASE_AWAY:
        return away()
    view = counter_view(counter, country)
    boot = {"page": "checkout", "code": code, "counter": view.model_dump(mode="json"), "back": back}
    title = f"{view.heading} · {counter.site_name}"
    return pages.counter(boot, title, 200, _origins(counter), framers(context, counter.site_url))


@router.get("/preview/{token}", include_in_schema=False)
async def preview_page(token: str, context: Means) -> Response:
    """The working checkout for a stand-in buyer, with what they type filled in; the desk alone may frame it."""
    try:
        counter = await opening.open_preview(context, token)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such preview", 404)
    except Closed as closed:
        return _not_open(closed)
    except database.DATABASE_AWAY:
        return away()
    view = counter_view(counter)
    boot = {"page": "checkout", "code": None, "counter": view.model_dump(mode="json")}
    return pages.counter(boot, view.heading, 200, _origins(counter), [context.settings.desk_url])


@router.get("/preview/{token}/thanks", include_in_schema=False)
async def preview_of_confirmation(
    token: str, context: Means, way: Annotated[str | None, Query(max_length=60)] = None
) -> Response:
    """The page after paying, of an invented sale, or after ordering with a `way` that waits for the buyer's money."""
    try:
        found, mine = await after_paying(context, token, way)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such preview", 404)
    except database.DATABASE_AWAY:
        return away()
    papers = [
        ConfirmedPaper(kind=one.kind.replace("_", " "), number=one.number, pdf=f"/preview/{token}/paper.pdf", ubl=None)
        for one in mine.papers
    ]
    shown = PersonalView(name=mine.name, email=mine.email, papers=papers)
    boot = {**_confirmation_boot(context, found), "mine": shown.model_dump(mode="json")}
    return pages.counter(boot, f"Thank you · {found.shop.name}", 200, [], [context.settings.desk_url])


@router.get("/preview/{token}/paper.pdf", include_in_schema=False)
async def preview_of_paper(token: str, context: Means) -> Response:
    """The paper of the same sale."""
    try:
        site_id, paper = await paper_after_paying(context, token)
        return await paper_file(context, site_id, paper, "pdf")
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such paper", 404)
    except database.DATABASE_AWAY:
        return away()


@router.get("/thanks/{token}", include_in_schema=False)
async def confirmation_page(token: str, context: Means) -> Response:
    """The confirmation of a paid order; worth keeping, so its address lasts."""
    try:
        found = await paid_page(context, token)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such page", 404)
    except database.DATABASE_AWAY:
        return away()
    boot = _confirmation_boot(context, found)
    return pages.counter(boot, f"Thank you · {found.shop.name}", 200, [], framers(context, found.shop.url))


@router.get("/thanks/{token}/paper.{kind}", include_in_schema=False)
async def confirmed_paper(
    token: str,
    kind: FileKind,
    number: Annotated[str, Query(max_length=60)],
    context: Means,
    key: Annotated[str | None, Query(max_length=500)] = None,
) -> Response:
    """A paper of a paid order, by its number, to whoever has the `key` of its page."""
    try:
        site_id, paper = await paper_of(context, token, number, key)
        return await paper_file(context, site_id, paper, kind)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such paper", 404)
    except database.DATABASE_AWAY:
        return away()


@router.get("/pictures/{site_id}/{name}", include_in_schema=False)
async def picture(site_id: UUID, name: str, context: Means) -> Response:
    """A picture of a site; a name never means another one, so it may be kept for ever."""
    found = await pictures.content(context, site_id, name)
    headers = {
        "Cache-Control": "public, max-age=31536000, immutable",
        "Content-Security-Policy": "default-src 'none'",
        "X-Content-Type-Options": "nosniff",
        "Access-Control-Allow-Origin": "*",
    }
    return Response(found, media_type=pictures.MEDIA_TYPE, headers=headers)


@router.get("/embed.js", include_in_schema=False)
async def embed_script() -> Response:
    """The script that opens checkouts over the page."""
    headers = {"Cache-Control": "public, max-age=300", "Access-Control-Allow-Origin": "*"}
    return FileResponse(BUILT / "embed.js", media_type="text/javascript", headers=headers)


# -- within -----------------------------------------------------------------------------------------------


def as_id(written: str | None) -> UUID | None:
    """An id of an address; None for what is none, as what was cut off when it was copied."""
    try:
        return UUID(written) if written else None
    except ValueError:
        return None


def _origins(counter: Counter) -> list[str]:
    """Where a checkout's frames may come from. Banks' pages of a gateway are on its origin."""
    return [way.origin for way in counter.pay if way.origin is not None]


def _confirmation_boot(context: Means, found: Confirmation) -> dict[str, Any]:
    """What the page of an order is told."""
    order = found.order
    return {
        "page": "confirmation",
        "mode": order.mode,
        "site_name": found.shop.name,
        "site_url": found.shop.url,
        "colour": found.shop.colour,
        "time_zone": found.shop.time_zone,
        "mail_comes": order.mode == "live" and context.now() - (order.paid_at or order.created_at) < _MAIL_COMES,
        "code": order.code,
        "state": order.state,
        "paid_at": order.paid_at.isoformat() if order.paid_at else None,
        "paid_by": found.paid_by,
        "awaited": _awaited_boot(found),
        "back": found.back,
        "checkout": found.checkout_code,
        "again": f"/buy/{found.checkout_code}" if found.checkout_code else None,
        "account": found.account,
        "amount": format_amount(order.total, order.currency),
        "quote": QuoteView.model_validate(order.quote).model_dump(mode="json"),
        "promises": _promises(found.papers[0]) if found.papers else [],
    }


def _awaited_boot(found: Confirmation) -> dict[str, Any] | None:
    """What a waiting order's page says of paying."""
    awaited = found.awaited
    if awaited is None:
        return None
    written = asdict(awaited)
    for name in ("due_on", "expected_on"):
        written[name] = written[name].isoformat() if written[name] else None
    return {**written, "may_give_up": awaited.gateway != "invoice"}


def _promises(paper: Paper) -> list[dict[str, str]]:
    """Until when what was bought can be given back by the shop's promise."""
    return [
        {"name": line.name, "until": line.refund_until.isoformat()}
        for line in paper.lines
        if line.refund_until is not None
    ]


def away() -> Response:
    """What is shown while the database is away."""
    return pages.counter({"page": "away", "message": DATABASE_AWAY}, "One moment", 503)
