"""The account page, where customers look after what they have, and the page of a mailed link to pay or approve."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal
from urllib.parse import urlencode
from uuid import UUID

from fastapi import Depends, HTTPException, Query, Request, Response, status
from pydantic import AfterValidator, BaseModel, Field

from skurrow.core.bounds import one_line
from skurrow.core.money import format_amount
from skurrow.service.account import cards, renewal_link, signing_in, theirs
from skurrow.service.account.signing_in import Customer, Entered, Shop
from skurrow.service.changes import acting, agreeing, proposing, running
from skurrow.service.refusals import NotFound
from skurrow.service.subscriptions import subscription_books
from skurrow.service.subscriptions.standing import life_of
from skurrow.service.subscriptions.subscription_mail import plan_of
from skurrow.service.tax import tax_numbers
from skurrow.store import database
from skurrow.store.subscriptions.subscriptions import SubscriptionRow
from skurrow.web import pages
from skurrow.web.access import Means, address_of, where_of
from skurrow.web.counter import AddressFormView, AddressGiven, GatewayToken, PayWayView, away, form_view, language
from skurrow.web.desk.bodies import Given
from skurrow.web.desk.session import KNOWN_SECONDS
from skurrow.web.desk.subscriptions import (
    AgreeRequest,
    CancelRequest,
    ChangeDone,
    ComingCharge,
    PauseRequest,
    PlanChoice,
    ProposalView,
    ProposeRequest,
    SubscriptionState,
    coming_view,
    plan_view,
    proposal_view,
    summary,
)
from skurrow.web.files import FileKind, paper_file
from skurrow.web.routes import new_router

router = new_router(tag="account")

_REFUSED = {
    "no_funds": "Your bank says that there is not enough money on the account.",
    "lost": "Your bank says that this card was reported lost.",
    "expired": "This card has expired.",
    "not_approved": "Your bank has not approved it.",
    "closed": "This account is closed.",
    "card_details": "Type the card once more.",
}


class LinkRequest(Given):
    """Whose link is asked for."""

    email: Annotated[str, Field(min_length=3, max_length=254)]


class EnterRequest(Given):
    """The token of a mailed link, and the visit that this browser has kept from a checkout, if it has."""

    token: Annotated[str, Field(max_length=200)]
    visit: Annotated[str, Field(max_length=1000)] | None = None


class PasswordSignIn(Given):
    """An email and a password."""

    email: Annotated[str, Field(min_length=3, max_length=254)]
    password: Annotated[str, Field(min_length=1, max_length=1000)]


class NewPassword(Given):
    """A password to sign in with."""

    password: Annotated[str, Field(min_length=1, max_length=1000)]


class PaperLink(BaseModel):
    """A receipt, an invoice or a credit note."""

    kind: str
    number: str
    on: date
    amount: str
    currency: str
    pdf: str


class MySubscription(BaseModel):
    """What a customer sees of a subscription of theirs; `may` says what they may do now."""

    code: str
    state: SubscriptionState
    what: str
    plan: str
    amount: str
    currency: str
    every: str
    quantity: int
    next_on: date | None
    ends_on: date | None
    ended_on: date | None
    paid_until: date
    pausing: bool
    resumes_on: date | None
    following: str | None
    balance: str | None
    charging: bool
    card_ending: str | None
    card_expires: str | None
    coming: list[ComingCharge]
    plans: list[PlanChoice]
    quantity_least: int
    quantity_most: int
    ends_when: Literal["paid_time", "at_once"]
    gives_back: bool
    may: list[str]
    papers: list[PaperLink]
    renewal: str | None


class MyParcelTo(BaseModel):
    """Where parcels go that do not go to the buyer; the form of the country."""

    name: str
    country: str
    address: dict[str, str]
    form: AddressFormView


class MyAddress(BaseModel):
    """Whom papers are made out to, and where parcels go unless `deliver_to` says where; the form of the country."""

    name: str
    country: str
    address: dict[str, str]
    deliver_to: MyParcelTo | None
    business: bool
    company: str | None
    tax_number: str | None
    form: AddressFormView


class MyAccount(BaseModel):
    """Everything on a customer's account page."""

    email: str
    has_password: bool
    subscriptions: list[MySubscription]
    address: MyAddress | None
    pay: list[PayWayView]


class CardRequest(Given):
    """A card or an account that was just typed into a gateway's fields."""

    way: Annotated[str, Field(max_length=60)]
    token: GatewayToken


class CardApproved(Given):
    """A card that is kept once the buyer has approved it."""

    way: Annotated[str, Field(max_length=60)]
    key: UUID


class ParcelNamed(AddressGiven):
    """To whom and where parcels go that do not go to the buyer; their country stays."""

    name: Annotated[str, Field(min_length=1, max_length=120), AfterValidator(one_line)]


class BuyerChange(Given):
    """Whom papers are made out to, and where parcels go."""

    name: Annotated[str, Field(min_length=1, max_length=120), AfterValidator(one_line)]
    address: AddressGiven
    deliver_to: ParcelNamed | None = None
    company: Annotated[str, Field(max_length=120), AfterValidator(one_line)] | None = None
    tax_number: Annotated[str, Field(max_length=40)] | None = None


class AccountDone(ChangeDone):
    """What came of it; `key` names a card that is kept once it is approved."""

    key: str | None = None


class RenewalView(BaseModel):
    """A charge that waits to be paid or approved."""

    state: Literal["approve", "pay", "paid", "over"]
    what: str
    amount: str
    currency: str
    approve_at: str | None
    charging: bool
    pay: list[PayWayView]


class RenewalCard(CardRequest):
    """The same, of whoever follows a mailed link."""

    link: Annotated[str, Field(max_length=2000)]


class RenewalLink(Given):
    """A mailed link."""

    link: Annotated[str, Field(max_length=2000)]


async def _shop(code: str, context: Means, test: bool = False) -> Shop:
    return await signing_in.shop(context, code, test)


At = Annotated[Shop, Depends(_shop)]


def _cookie(at: Shop) -> str:
    return f"skurrow_account_{at.code}_{at.mode}"


def _known(at: Shop) -> str:
    return f"skurrow_known_{at.code}_{at.mode}"


async def _customer(request: Request, at: At, context: Means) -> Customer:
    found = await signing_in.who_is(context, at, request.cookies.get(_cookie(at)))
    if found is None:
        raise HTTPException(401, "Sign in first.")
    return found


Who = Annotated[Customer, Depends(_customer)]

# -- signing in -------------------------------------------------------------------------------------------


@router.post("/counter/api/account/{code}/link", status_code=status.HTTP_204_NO_CONTENT)
async def send_link(body: LinkRequest, at: At, context: Means, request: Request) -> None:
    """Mails a link to sign in with; the answer is the same for whoever has bought nothing."""
    await signing_in.send_link(context, at, body.email, language(request), address_of(request))


@router.post("/counter/api/account/{code}/enter", status_code=status.HTTP_204_NO_CONTENT)
async def enter(body: EnterRequest, at: At, context: Means, response: Response) -> None:
    """Signs in with a mailed link."""
    _let_in(response, context, at, await signing_in.enter(context, at, body.token, body.visit))


@router.post("/counter/api/account/{code}/password-sign-in", status_code=status.HTTP_204_NO_CONTENT)
async def enter_with_password(
    body: PasswordSignIn, at: At, context: Means, request: Request, response: Response
) -> None:
    """Signs in with a password."""
    where = where_of(request, _known(at))
    _let_in(response, context, at, await signing_in.enter_with_password(context, at, body.email, body.password, where))


@router.put("/counter/api/account/{code}/password", status_code=status.HTTP_204_NO_CONTENT)
async def set_password(body: NewPassword, who: Who, at: At, context: Means, request: Request) -> None:
    """Sets a password; other browsers are signed out."""
    await signing_in.set_password(context, who, request.cookies.get(_cookie(at), ""), body.password)


@router.post("/counter/api/account/{code}/leave", status_code=status.HTTP_204_NO_CONTENT)
async def leave(at: At, context: Means, request: Request, response: Response) -> None:
    """Signs out."""
    await signing_in.leave(context, at, request.cookies.get(_cookie(at), ""))
    response.delete_cookie(_cookie(at), path="/counter/api/account/")


# -- what is theirs ---------------------------------------------------------------------------------------


@router.get("/counter/api/account/{code}/mine")
async def show_mine(who: Who, context: Means) -> MyAccount:
    """Everything on the account page."""
    rows = await theirs.theirs(context, who)
    fields = await cards.fields(context, who.site_id, who.mode)
    return MyAccount(
        email=who.email,
        has_password=await signing_in.has_password(context, who),
        subscriptions=[await _mine(context, who, row) for row in rows],
        address=_address(rows[0]) if rows else None,
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
    return _done(await agreeing.agree(context, who.site_id, row, body.token))


@router.post("/counter/api/account/{code}/subscriptions/{subscription}/cancellation")
async def my_cancellation(subscription: str, body: CancelRequest, who: Who, context: Means) -> MySubscription:
    """Ends it, as its price says; a reason is asked for, and never demanded."""
    await theirs.check_may(context, who, "cancel")
    row = await theirs.one_of_theirs(context, who, subscription)
    return await _mine(context, who, await running.cancel(context, who.site_id, row, reason=body.reason))


@router.delete("/counter/api/account/{code}/subscriptions/{subscription}/cancellation")
async def my_change_of_mind(subscription: str, who: Who, context: Means) -> MySubscription:
    """Takes back what was to happen when the paid time ends."""
    row = await theirs.one_of_theirs(context, who, subscription)
    return await _mine(context, who, await running.take_back(context, who.site_id, row))


@router.post("/counter/api/account/{code}/subscriptions/{subscription}/pause")
async def my_pause(subscription: str, body: PauseRequest, who: Who, context: Means) -> MySubscription:
    """Pauses it when the paid time ends."""
    await theirs.check_may(context, who, "pause")
    row = await theirs.one_of_theirs(context, who, subscription)
    return await _mine(context, who, await running.pause(context, who.site_id, row, body.resumes_on))


@router.delete("/counter/api/account/{code}/subscriptions/{subscription}/pause")
async def my_going_on(subscription: str, who: Who, context: Means) -> MySubscription:
    """Goes on with it: it is charged at once."""
    row = await theirs.one_of_theirs(context, who, subscription)
    return await _mine(context, who, await running.resume(context, who.site_id, row))


@router.post("/counter/api/account/{code}/subscriptions/{subscription}/card")
async def my_card(subscription: str, body: CardRequest, who: Who, context: Means, request: Request) -> AccountDone:
    """Puts another card on file; where a charge has failed, it is paid with it at once."""
    row = await theirs.one_of_theirs(context, who, subscription)
    await cards.check_cards(context, row, address_of(request))
    done = await cards.new_card(context, who.site_id, row, body.way, body.token)
    return _done(await cards.note_card(context, row, address_of(request), done))


@router.post("/counter/api/account/{code}/subscriptions/{subscription}/card-approved")
async def my_card_approved(subscription: str, body: CardApproved, who: Who, context: Means) -> AccountDone:
    """Whether a card that waits for its approval is on file now."""
    row = await theirs.one_of_theirs(context, who, subscription)
    return _done(await cards.card_approved(context, who.site_id, row, body.way, body.key))


@router.put("/counter/api/account/{code}/address")
async def my_address(body: BuyerChange, who: Who, context: Means) -> MyAccount:
    """Changes name, address and tax number of all that is running."""
    for row in await theirs.theirs(context, who):
        if life_of(row).over:
            continue
        changes: dict[str, Any] = {
            "name": body.name.strip(),
            "address": _typed(body.address),
        }
        to = row.buyer.get("deliver_to")
        if to and body.deliver_to is not None:
            changes["deliver_to"] = {"country": to["country"], **_typed(body.deliver_to)}
        if row.buyer.get("business"):
            changes["company"] = (body.company or "").strip() or row.buyer.get("company")
            if body.tax_number:
                country = row.buyer["country"]
                found = await tax_numbers.ask(context, who.site_id, who.mode, body.tax_number, country)
                changes["tax_number"] = found.number
                changes["tax_number_check"] = {
                    "answer": found.state,
                    "name": found.name,
                    "reference": found.reference,
                }
        await running.change_buyer(context, who.site_id, row, changes)
    return await show_mine(who, context)


@router.get("/counter/api/account/{code}/subscriptions/{subscription}/paper.{kind}", response_class=Response)
async def my_paper(
    subscription: str, kind: FileKind, number: Annotated[str, Query(max_length=60)], who: Who, context: Means
) -> Response:
    """One of their receipts, invoices or credit notes."""
    row = await theirs.one_of_theirs(context, who, subscription)
    for _, paper in await theirs.papers_of(context, who, row):
        if paper.number == number:
            return await paper_file(paper, kind)
    raise NotFound("you have no such paper")


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
    return _done(await cards.note_card(context, row, address_of(request), done))


# -- pages ------------------------------------------------------------------------------------------------


@router.get("/account/{code}", include_in_schema=False)
async def account_page(code: str, context: Means, test: bool = False) -> Response:
    """The account page; it is never framed."""
    try:
        at = await signing_in.shop(context, code, test)
        fields = await cards.fields(context, at.site_id, at.mode)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such page", 404)
    except database.DATABASE_AWAY:
        return away()
    boot = {"page": "account", "code": code, "mode": at.mode, **_brand(at.name, at.url, at.colour)}
    gateways = [way.origin for way in fields.ways if way.origin]
    return pages.counter(boot, f"Your account · {at.name}", 200, gateways, ["'none'"])


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
    boot = {"page": "renewal", "link": token, "mode": row.mode, **_brand(found.shop, found.url, found.colour)}
    gateways = [way.origin for way in fields.ways if way.origin]
    return pages.counter(boot, f"{life_of(row).terms.name} · {found.shop}", 200, gateways, ["'none'"])


# -- within -----------------------------------------------------------------------------------------------


def _brand(name: str, url: str, colour: str) -> dict[str, str]:
    return {"site_name": name, "site_url": url, "colour": colour}


def _let_in(response: Response, context: Means, at: Shop, entered: Entered) -> None:
    session_seconds = int(signing_in.SESSION_LIFE.total_seconds())
    cookies = ((_cookie(at), entered.session, session_seconds), (_known(at), entered.known, KNOWN_SECONDS))
    for name, value, seconds in cookies:
        response.set_cookie(
            name,
            value,
            max_age=seconds,
            path="/counter/api/account/",
            secure=context.settings.counter_url.startswith("https:"),
            httponly=True,
            samesite="strict",
        )


def _done(done: acting.Done) -> AccountDone:
    message = None
    if done.state == "refused":
        message = _REFUSED.get(done.reason or "", "Your bank has refused it, and does not say why.")
    return AccountDone(state=done.state, message=message, approve_at=done.approve_at, key=done.key)


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


_BY_RULE = {"change": "change", "quantity": "quantity", "pause": "pause", "resume": "pause", "cancel": "cancel"}


async def _mine(context: Means, who: Customer, row: SubscriptionRow) -> MySubscription:
    story = await subscription_books.story(context, who.site_id, row)
    life, currency = story.life, row.currency
    allowed = story.edition.site.subscriptions.customers_may
    may = [
        what
        for what, why_not in story.can.items()
        if why_not is None and (what not in _BY_RULE or _BY_RULE[what] in allowed) and what != "cancel_at_once"
    ]
    edition = story.edition  # never the draft's, for live customers
    limits = edition.prices[row.price].price.at_counter if row.price in edition.prices else None
    link = context.signer.sign("renewal", {"s": str(who.site_id), "m": row.mode, "i": str(row.id)})
    waits = life.state == "failing" or life.charging
    test = {"test": "1"} if row.mode == "test" else {}
    base = f"/counter/api/account/{who.code}/subscriptions/{row.code}/paper.pdf"
    return MySubscription(
        **{
            name: value
            for name, value in summary(row, life).items()
            if name in MySubscription.model_fields and name not in ("may",)
        },
        plan=story.plan,
        ended_on=life.ended_on,
        paid_until=life.until,
        resumes_on=life.resumes_on,
        following=plan_of(edition, life.following.price) if life.following else None,
        balance=format_amount(life.balance, currency) if life.balance else None,
        charging=life.charging,
        card_ending=row.card_ending,
        card_expires=life.card_expires,
        coming=[coming_view(one, currency) for one in story.coming],
        plans=[plan_view(one) for one in await proposing.plans(context, who.site_id, row)],
        quantity_least=limits.min if limits else 1,
        quantity_most=limits.max if limits else life.terms.quantity,
        ends_when=life.terms.ends.when,
        gives_back=life.terms.ends.unused == "given_back",
        may=may,
        papers=[
            PaperLink(
                kind=paper.kind.replace("_", " "),
                number=paper.number,
                on=paper.issued_on,
                amount=paper.total,
                currency=paper.currency,
                pdf=f"{base}?{urlencode({'number': paper.number, **test})}",
            )
            for _, paper in await theirs.papers_of(context, who, row)
        ],
        renewal=f"/renewal/{link}" if waits else None,
    )


def _typed(given: AddressGiven) -> dict[str, str]:
    return {name: text.strip() for name, text in given.model_dump().items() if text and text.strip()}


def _address(row: SubscriptionRow) -> MyAddress:
    buyer, to = row.buyer, row.buyer.get("deliver_to")
    return MyAddress(
        name=buyer["name"],
        country=buyer["country"],
        address=buyer.get("address") or {},
        deliver_to=to
        and MyParcelTo(
            name=to.get("name", ""),
            country=to["country"],
            address={name: text for name, text in to.items() if name not in ("name", "country")},
            form=form_view(to["country"]),
        ),
        business=bool(buyer.get("business")),
        company=buyer.get("company"),
        tax_number=buyer.get("tax_number"),
        form=form_view(buyer["country"]),
    )
