"""The account page, where customers look after what they have, and the page of a mailed link to pay or approve."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query, Request, Response, status
from pydantic_core import to_json

from skurrow.service.account import cards, signing_in, their_data, theirs
from skurrow.service.account.their_address import NewAddress, change_address
from skurrow.service.changes import acting, agreeing, proposing, running
from skurrow.service.refusals import NotFound
from skurrow.store import database
from skurrow.web import pages
from skurrow.web.access import Means, address_of
from skurrow.web.account.access import At, Who, let_out
from skurrow.web.account.given import BuyerChange, CardApproved, CardRequest
from skurrow.web.account.showing import address_view, brand, done_view, my_purchase, my_subscription, typed
from skurrow.web.account.views import AccountDone, MyAccount, MySubscription
from skurrow.web.counter.pages import away, framers
from skurrow.web.counter.views import PayWayView
from skurrow.web.desk.subscriptions.changes import (
    AgreeRequest,
    CancelRequest,
    PauseRequest,
    ProposalView,
    ProposeRequest,
    proposal_view,
)
from skurrow.web.files import FileKind, paper_file
from skurrow.web.routes import new_router

router = new_router(tag="account")


# -- what is theirs ---------------------------------------------------------------------------------------


@router.get("/counter/api/account/{code}/mine")
async def show_mine(who: Who, context: Means) -> MyAccount:
    """Everything on the account page."""
    rows = await theirs.theirs(context, who)
    fields = await cards.fields(context, who.site_id, who.mode)
    return MyAccount(
        email=who.email,
        has_password=await signing_in.has_password(context, who),
        subscriptions=[await my_subscription(context, who, row) for row in rows],
        purchases=[my_purchase(context, who, one) for one in await theirs.purchases(context, who)],
        address=address_view(rows[0]) if rows else None,
        pay=[PayWayView.model_validate(way, from_attributes=True) for way in fields.ways],
    )


@router.post("/counter/api/account/{code}/subscriptions/{subscription}/proposal")
async def my_proposal(subscription: str, body: ProposeRequest, who: Who, context: Means) -> ProposalView:
    """What a change would come to; nothing is done."""
    row = await theirs.one_of_theirs(context, who, subscription)
    if body.kind == "change":
        await theirs.check_may(context, who, "change" if body.price else "quantity")
    return proposal_view(await proposing.propose(context, who.site_id, row, body.price, body.quantity, body.kind))


@router.post("/counter/api/account/{code}/subscriptions/{subscription}/agree")
async def my_agreement(subscription: str, body: AgreeRequest, who: Who, context: Means) -> AccountDone:
    """Does what was shown."""
    row = await theirs.one_of_theirs(context, who, subscription)
    return done_view(await agreeing.agree(context, who.site_id, row, body.token))


@router.post("/counter/api/account/{code}/subscriptions/{subscription}/cancellation")
async def my_cancellation(subscription: str, body: CancelRequest, who: Who, context: Means) -> MySubscription:
    """Ends it, as its price says; a reason is asked for, and never demanded."""
    await theirs.check_may(context, who, "cancel")
    row = await theirs.one_of_theirs(context, who, subscription)
    ending = acting.Ending(body.reason, shown_at=body.shown_at)
    return await my_subscription(context, who, await running.cancel(context, who.site_id, row, ending=ending))


@router.delete("/counter/api/account/{code}/subscriptions/{subscription}/cancellation")
async def my_change_of_mind(subscription: str, who: Who, context: Means) -> MySubscription:
    """Takes back what was to happen when the paid time ends."""
    row = await theirs.one_of_theirs(context, who, subscription)
    return await my_subscription(context, who, await running.take_back(context, who.site_id, row))


@router.post("/counter/api/account/{code}/subscriptions/{subscription}/pause")
async def my_pause(subscription: str, body: PauseRequest, who: Who, context: Means) -> MySubscription:
    """Pauses it when the paid time ends."""
    await theirs.check_may(context, who, "pause")
    row = await theirs.one_of_theirs(context, who, subscription)
    return await my_subscription(context, who, await running.pause(context, who.site_id, row, body.resumes_on))


@router.delete("/counter/api/account/{code}/subscriptions/{subscription}/pause")
async def my_going_on(subscription: str, who: Who, context: Means) -> MySubscription:
    """Goes on with it: it is charged at once."""
    row = await theirs.one_of_theirs(context, who, subscription)
    return await my_subscription(context, who, await running.resume(context, who.site_id, row))


@router.post("/counter/api/account/{code}/subscriptions/{subscription}/card")
async def my_card(subscription: str, body: CardRequest, who: Who, context: Means, request: Request) -> AccountDone:
    """Puts another card on file; where a charge has failed, it is paid with it at once."""
    row = await theirs.one_of_theirs(context, who, subscription)
    await cards.check_cards(context, row, address_of(request))
    done = await cards.new_card(context, who.site_id, row, body.way, body.token)
    return done_view(await cards.note_card(context, row, address_of(request), done))


@router.post("/counter/api/account/{code}/subscriptions/{subscription}/card-approved")
async def my_card_approved(subscription: str, body: CardApproved, who: Who, context: Means) -> AccountDone:
    """Whether a card that waits for its approval is on file now."""
    row = await theirs.one_of_theirs(context, who, subscription)
    return done_view(await cards.card_approved(context, who.site_id, row, body.way, body.key))


@router.put("/counter/api/account/{code}/address")
async def my_address(body: BuyerChange, who: Who, context: Means) -> MyAccount:
    """Changes name, address and tax number of all that is running."""
    given = NewAddress(
        body.name.strip(),
        typed(body.address),
        typed(body.deliver_to) if body.deliver_to is not None else None,
        (body.company or "").strip() or None,
        body.tax_number,
        (body.telephone or "").strip() or None,
    )
    await change_address(context, who, given)
    return await show_mine(who, context)


@router.get("/counter/api/account/{code}/subscriptions/{subscription}/paper.{kind}", response_class=Response)
async def my_paper(
    subscription: str, kind: FileKind, number: Annotated[str, Query(max_length=60)], who: Who, context: Means
) -> Response:
    """One of their receipts, invoices or credit notes."""
    row = await theirs.one_of_theirs(context, who, subscription)
    for _, paper in await theirs.papers_of(context, who, row):
        if paper.number == number:
            return await paper_file(context, who.site_id, paper, kind)
    raise NotFound("you have no such paper")


@router.get("/counter/api/account/{code}/data.json", response_class=Response)
async def my_data(who: Who, context: Means) -> Response:
    """Everything that is kept of them, as a file."""
    content = to_json(await their_data.as_file(context, who), indent=2)
    headers = {"Content-Disposition": f'attachment; filename="{who.code}.json"', "Cache-Control": "no-store"}
    return Response(content, media_type="application/json", headers=headers)


@router.post("/counter/api/account/{code}/forget", status_code=status.HTTP_204_NO_CONTENT)
async def forget_me(at: At, who: Who, context: Means, response: Response) -> None:
    """Forgets them; the books stay."""
    await their_data.forget(context, who)
    let_out(response, at)


# -- pages ------------------------------------------------------------------------------------------------


@router.get("/account/{code}", include_in_schema=False)
async def account_page(code: str, context: Means, test: bool = False) -> Response:
    """The account page, on its own or within the shop's own website."""
    try:
        at = await signing_in.shop(context, code, test)
        fields = await cards.fields(context, at.site_id, at.mode)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such page", 404)
    except database.DATABASE_AWAY:
        return away()
    boot = {"page": "account", "code": code, "mode": at.mode, **brand(at.name, at.url, at.colour)}
    boot["time_zone"] = at.edition.site.site.time_zone
    gateways = [way.origin for way in fields.ways if way.origin]
    return pages.counter(boot, f"Your account · {at.name}", 200, gateways, framers(context, at.url))
