"""The page of a mailed link, to pay or approve a charge of a subscription."""

from __future__ import annotations

from uuid import UUID

from fastapi import Request, Response

from skurrow.core.money import format_amount
from skurrow.service.account import cards, renewal_link
from skurrow.service.refusals import NotFound
from skurrow.service.subscriptions.standing import life_of
from skurrow.store import database
from skurrow.store.subscriptions.subscriptions import SubscriptionRow
from skurrow.web import pages
from skurrow.web.access import Means, address_of
from skurrow.web.account.given import RenewalCard, RenewalLink
from skurrow.web.account.showing import brand, done_view
from skurrow.web.account.views import AccountDone, RenewalView
from skurrow.web.counter.pages import away
from skurrow.web.counter.views import PayWayView
from skurrow.web.routes import new_router

router = new_router(tag="account")


# -- a mailed link ----------------------------------------------------------------------------------------


@router.post("/counter/api/renewal")
async def show_renewal(body: RenewalLink, context: Means) -> RenewalView:
    """How the charge stands that a mailed link is about."""
    site_id, row = await renewal_link.of_renewal_link(context, body.link)
    return await _renewal(context, site_id, row)


@router.post("/counter/api/renewal-card")
async def pay_renewal(body: RenewalCard, context: Means, request: Request) -> AccountDone:
    """Pays it with a card that was just typed, which is kept."""
    site_id, row = await renewal_link.of_renewal_link(context, body.link)
    await cards.check_cards(context, row, address_of(request))
    done = await renewal_link.pay_renewal(context, site_id, row, body.way, body.token)
    return done_view(await cards.note_card(context, row, address_of(request), done))


@router.get("/renewal/{token}", include_in_schema=False)
async def renewal_page(token: str, context: Means) -> Response:
    """The page of a mailed link, on which a charge is paid or approved without signing in; it is never framed."""
    try:
        site_id, row = await renewal_link.of_renewal_link(context, token)
        found = await renewal_link.open_renewal(context, site_id, row)
        fields = await cards.fields(context, site_id, "live" if row.mode == "live" else "test")
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such page", 404)
    except database.DATABASE_AWAY:
        return away()
    boot = {"page": "renewal", "link": token, "mode": row.mode, **brand(found.shop, found.url, found.colour)}
    gateways = [way.origin for way in fields.ways if way.origin]
    return pages.counter(boot, f"{life_of(row).terms.name} · {found.shop}", 200, gateways, ["'none'"])


async def _renewal(context: Means, site_id: UUID, row: SubscriptionRow) -> RenewalView:
    found = await renewal_link.open_renewal(context, site_id, row)
    fields = await cards.fields(context, site_id, "live" if row.mode == "live" else "test")
    life = life_of(row)
    return RenewalView(
        state=found.state,
        what=life.terms.name,
        amount=format_amount(found.total, row.currency),
        currency=row.currency,
        approve_at=found.approve_at,
        charging=life.charging,
        pay=[PayWayView.model_validate(way, from_attributes=True) for way in fields.ways],
    )
