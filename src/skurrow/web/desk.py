"""The desk's API. Everything under `/desk/api`, for signed-in people, one site at a time."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Annotated, Any, Literal
from uuid import UUID

from fastapi import APIRouter, HTTPException, Query, Request, Response, status
from pydantic import BaseModel, ConfigDict, Field

from skurrow.core.money import divide_half_up, format_amount
from skurrow.gateway.protocol import Credentials
from skurrow.gateway.registry import ABILITIES, NAMES
from skurrow.service import books, configuration, gateways, placements, sign_in
from skurrow.service.configuration import SiteState
from skurrow.service.refusals import Conflict
from skurrow.store.orders import OrderRow
from skurrow.store.sites import PartRow
from skurrow.web.access import COOKIE, Desk, Means, Site
from skurrow.web.problems import problem

router = APIRouter(prefix="/desk/api", tags=["desk"])

ModeName = Literal["test", "live"]


class Given(BaseModel):
    """A request's body: no names that we do not know."""

    model_config = ConfigDict(extra="forbid")


# -- signing in -------------------------------------------------------------------------------------------


class SignIn(Given):
    """An email and a password."""

    email: Annotated[str, Field(min_length=1, max_length=254)]
    password: Annotated[str, Field(min_length=1, max_length=1000)]


class MySite(BaseModel):
    """A site that one can open."""

    code: str
    role: str


class Me(BaseModel):
    """Who is signed in."""

    name: str
    email: str
    sites: list[MySite]


@router.post("/session", status_code=status.HTTP_204_NO_CONTENT)
async def begin_session(body: SignIn, request: Request, response: Response, context: Means) -> None:
    """Signs in; the session's cookie comes with the answer."""
    address = request.client.host if request.client else "unknown"
    token = await sign_in.sign_in(context, body.email.strip(), body.password, address)
    if token is None:
        raise HTTPException(401, "This email and password do not belong together.")
    response.set_cookie(
        COOKIE,
        token,
        max_age=int(sign_in.SESSION_LIFE.total_seconds()),
        httponly=True,
        samesite="lax",
        secure=context.settings.desk_url.startswith("https:"),
        path="/desk/api",
    )


@router.delete("/session", status_code=status.HTTP_204_NO_CONTENT)
async def end_session(request: Request, response: Response, context: Means) -> None:
    """Signs out."""
    token = request.cookies.get(COOKIE)
    if token:
        await sign_in.sign_out(context, token)
    response.delete_cookie(COOKIE, path="/desk/api")


@router.get("/me")
async def me(desk: Desk) -> Me:
    """Who is signed in, with their sites."""
    sites = [MySite(code=m.code, role=m.role) for m in desk.memberships]
    return Me(name=desk.person.name, email=desk.person.email, sites=sites)


# -- the site ---------------------------------------------------------------------------------------------


class ReleaseView(BaseModel):
    """A release."""

    number: int
    change: int
    at: datetime
    by: str | None


class ChangedPart(BaseModel):
    """A part that was edited since the last release; `archived` when it was taken out."""

    kind: str
    id: str
    name: str
    at: datetime
    archived: bool


class StageView(BaseModel):
    """A stage of the work order: how it stands, in a word and in a few."""

    stage: str
    state: Literal["not_begun", "in_work", "ready", "attention", "later"]
    words: str
    attention: int


class SiteView(BaseModel):
    """A site: its draft against its last release. `change` is the newest change of the draft."""

    code: str
    name: str
    url: str
    change: int
    changed: list[ChangedPart]
    stages: list[StageView]
    release: ReleaseView | None
    live_since: datetime | None


class ReleaseRequest(Given):
    """`seen` is the change up to which the draft was looked through."""

    seen: int


@router.get("/sites/{site}")
async def show_site(at: Site, context: Means) -> SiteView:
    """How the site stands."""
    return _site_view(await configuration.site_state(context, at.site_id))


@router.post("/sites/{site}/releases", status_code=status.HTTP_201_CREATED)
async def make_release(body: ReleaseRequest, at: Site, context: Means) -> SiteView:
    """Releases the draft: from now on live buyers meet it."""
    await configuration.release(context, at.site_id, at.person.id, body.seen)
    return _site_view(await configuration.site_state(context, at.site_id))


def _site_view(state: SiteState) -> SiteView:
    made = state.release
    return SiteView(
        code=state.row.code,
        name=state.name,
        url=state.url,
        change=state.row.head_change,
        changed=[
            ChangedPart(kind=p.kind, id=p.part_id, name=_part_name(p), at=p.at, archived=p.body is None)
            for p in state.changed
        ],
        stages=[StageView(stage=s.stage, state=s.state, words=s.words, attention=s.attention) for s in state.stages],
        release=made and ReleaseView(number=made.number, change=made.change, at=made.at, by=made.by_name),
        live_since=state.row.live_since,
    )


def _part_name(part: PartRow) -> str:
    named = part.body if isinstance(part.body, dict) else {}
    return str(named.get("owner_name") or named.get("name") or part.part_id)


# -- products and checkouts -------------------------------------------------------------------------------


class Part(BaseModel):
    """A part of the draft as the site file writes it; `change` is to be sent back with an edit as `seen`."""

    id: str
    change: int
    at: datetime
    body: dict[str, Any]


class Edit(Given):
    """A new state of a part. `seen` is the change that the editor saw, 0 for a new part."""

    seen: Annotated[int, Field(ge=0)]
    body: dict[str, Any]


class AmountView(BaseModel):
    """What a price costs in a currency; converted from the base, or the owner's own."""

    currency: str
    amount: str
    converted: bool


class PriceAmounts(BaseModel):
    """A price with its amounts in every currency of the site."""

    price: str
    product: str
    name: str
    amounts: list[AmountView]


class Parts(BaseModel):
    """All parts of a kind, in their order; and every price there is, with its amounts, the base currency first."""

    parts: list[Part]
    prices: list[PriceAmounts]


def _part(row: PartRow) -> Part:
    return Part(id=row.part_id, change=row.change, at=row.at, body=row.body)


async def _list(context: Means, at: Site, kind: str) -> Parts:
    edition, parts = await configuration.draft(context, at.site_id)
    shown = [_part(p) for p in parts if p.kind == kind and p.body is not None]
    prices = [
        PriceAmounts(
            price=price_id,
            product=priced.product.id,
            name=priced.product.owner_name or priced.product.name,
            amounts=[
                AmountView(
                    currency=c.code,
                    amount=format_amount(priced.amounts[c.code], c.code),
                    converted=c.code in priced.converted,
                )
                for c in edition.site.currencies
            ],
        )
        for price_id, priced in edition.prices.items()
    ]
    return Parts(parts=shown, prices=prices)


async def _edit(context: Means, at: Site, kind: str, part_id: str, edit: Edit) -> Part | Response:
    try:
        row = await configuration.edit_part(
            context, at.site_id, at.person.id, kind, part_id, edit.seen, {**edit.body, "id": part_id}
        )
    except Conflict as conflict:
        current = _part(conflict.current).model_dump(mode="json")
        return problem(409, "Changed in the meantime", str(conflict), current=current)
    return _part(row)


@router.get("/sites/{site}/products")
async def list_products(at: Site, context: Means) -> Parts:
    """The draft's products."""
    return await _list(context, at, "product")


@router.put("/sites/{site}/products/{part_id}", response_model=Part)
async def edit_product(part_id: str, body: Edit, at: Site, context: Means) -> Part | Response:
    """Writes a product into the draft."""
    return await _edit(context, at, "product", part_id, body)


@router.get("/sites/{site}/checkouts")
async def list_checkouts(at: Site, context: Means) -> Parts:
    """The draft's checkouts."""
    return await _list(context, at, "checkout")


@router.put("/sites/{site}/checkouts/{part_id}", response_model=Part)
async def edit_checkout(part_id: str, body: Edit, at: Site, context: Means) -> Part | Response:
    """Writes a checkout into the draft."""
    return await _edit(context, at, "checkout", part_id, body)


# -- on the site ------------------------------------------------------------------------------------------


class PlacementView(BaseModel):
    """How a checkout is put on the site: its link, and the snippet of a button that opens it over the page."""

    checkout: str
    name: str
    link: str
    snippet: str
    script: str


@router.get("/sites/{site}/placements")
async def list_placements(at: Site, context: Means) -> list[PlacementView]:
    """Links and snippets of every checkout."""
    return [
        PlacementView(checkout=p.checkout, name=p.name, link=p.link, snippet=p.snippet, script=p.script)
        for p in await placements.placements(context, at.site_id)
    ]


# -- payments ---------------------------------------------------------------------------------------------


class ConnectRequest(Given):
    """What connects a gateway in one mode."""

    mode: ModeName
    merchant: Annotated[str, Field(min_length=1, max_length=120)]
    key: Annotated[str, Field(min_length=1, max_length=500)]


class ConnectionView(BaseModel):
    """A connected gateway. The key is never shown again."""

    id: UUID
    mode: ModeName
    merchant: str
    connected_at: datetime
    currencies: list[str]


class GatewayView(BaseModel):
    """A gateway that can be connected: what it can do, its cost, and its connections."""

    adapter: str
    name: str
    page: str
    abilities: dict[str, bool]
    fee_percent: str | None
    fee_fixed: str | None
    fee_example: str | None
    connections: list[ConnectionView]


class AnswerView(BaseModel):
    """What came of asking a gateway."""

    asked_at: datetime
    answers: bool
    problem: str | None
    last_event_at: datetime | None


@router.get("/sites/{site}/gateways")
async def list_gateways(at: Site, context: Means) -> list[GatewayView]:
    """The gateways there are, and how they are connected."""
    rows = await gateways.connected(context, at.site_id)
    views = []
    for adapter, name in NAMES.items():
        mine = [row for row in rows if row.adapter == adapter]
        account = mine[0].account if mine else None
        views.append(
            GatewayView(
                adapter=adapter,
                name=name,
                page=context.settings.gateways[adapter].browser,
                abilities={ability: getattr(ABILITIES[adapter], ability) for ability in ABILITIES[adapter].__slots__},
                fee_percent=account and account["fee_percent"],
                fee_fixed=account and account["fee_fixed"],
                fee_example=account and fee_of_fifty(account),
                connections=[
                    ConnectionView(
                        id=row.id,
                        mode="live" if row.mode == "live" else "test",
                        merchant=row.merchant,
                        connected_at=row.connected_at,
                        currencies=list(row.account["currencies"]),
                    )
                    for row in mine
                ],
            )
        )
    return views


@router.post("/sites/{site}/gateways/{adapter}/connections", status_code=status.HTTP_201_CREATED)
async def connect_gateway(adapter: str, body: ConnectRequest, at: Site, context: Means) -> ConnectionView:
    """Connects a gateway once it has answered, in place of an earlier connection in this mode."""
    credentials = Credentials(body.merchant.strip(), body.key.strip())
    row = await gateways.connect(context, at.site_id, adapter, body.mode, credentials)
    return ConnectionView(
        id=row.id,
        mode=body.mode,
        merchant=row.merchant,
        connected_at=row.connected_at,
        currencies=list(row.account["currencies"]),
    )


@router.post("/sites/{site}/connections/{connection}/questions")
async def ask_gateway(connection: UUID, at: Site, context: Means) -> AnswerView:
    """Asks a connected gateway whether it answers."""
    answer = await gateways.ask(context, at.site_id, connection)
    return AnswerView(
        asked_at=answer.asked_at,
        answers=answer.account is not None,
        problem=answer.problem,
        last_event_at=answer.last_event_at,
    )


def fee_of_fifty(account: dict[str, Any]) -> str:
    """The fee of a charge of 50.00, in words of the trade: 2.9 % + 0.30 makes 1.75."""
    share = Decimal(account["fee_percent"]) * 5000
    numerator, denominator = share.as_integer_ratio()
    fixed = int(Decimal(account["fee_fixed"]) * 100)
    return format_amount(divide_half_up(numerator, denominator * 100) + fixed, "EUR")


# -- orders -----------------------------------------------------------------------------------------------


class OrderSummary(BaseModel):
    """An order in a list."""

    code: str
    mode: ModeName
    state: Literal["open", "paid"]
    name: str
    email: str
    what: str
    amount: str
    currency: str
    created_at: datetime
    paid_at: datetime | None


class OrderList(BaseModel):
    """A page of one book; `next` is the cursor of the following page."""

    orders: list[OrderSummary]
    next: UUID | None


class ChargeView(BaseModel):
    """Money that moved."""

    reference: str
    amount: str
    currency: str
    card_ending: str | None
    at: datetime


class AttemptView(BaseModel):
    """One request to a gateway to move money."""

    key: UUID
    state: Literal["open", "paid", "refused"]
    reason: str | None
    amount: str
    currency: str
    opened_at: datetime
    closed_at: datetime | None
    asks: int


class EventView(BaseModel):
    """Something that happened to the order."""

    kind: str
    at: datetime
    body: dict[str, Any]


class OrderView(OrderSummary):
    """An order with everything that belongs to it; `quote` as it was computed when it was placed."""

    checkout: str
    country: str
    change: int
    release: int | None
    quote: dict[str, Any]
    charges: list[ChargeView]
    attempts: list[AttemptView]
    events: list[EventView]


@router.get("/sites/{site}/books/{mode}/orders")
async def list_orders(
    mode: ModeName,
    at: Site,
    context: Means,
    before: UUID | None = None,
    search: Annotated[str, Query(max_length=200)] = "",
) -> OrderList:
    """A page of one book, the newest orders first."""
    page = await books.page(context, at.site_id, mode, before, search)
    return OrderList(orders=[OrderSummary(**_summary(order)) for order in page.orders], next=page.next)


@router.get("/sites/{site}/books/{mode}/orders/{code}")
async def show_order(mode: ModeName, code: str, at: Site, context: Means) -> OrderView:
    """One order with its charges, attempts and events."""
    story = await books.story(context, at.site_id, mode, code)
    order = story.order
    return OrderView(
        **_summary(order),
        checkout=order.checkout_id,
        country=order.buyer["country"],
        change=order.change,
        release=order.release,
        quote=order.quote,
        charges=[
            ChargeView(
                reference=c.gateway_reference,
                amount=format_amount(c.amount, c.currency),
                currency=c.currency,
                card_ending=c.card_ending,
                at=c.charged_at,
            )
            for c in story.charges
        ],
        attempts=[
            AttemptView.model_validate(
                {
                    "key": a.id,
                    "state": a.state,
                    "reason": a.reason,
                    "amount": format_amount(a.amount, a.currency),
                    "currency": a.currency,
                    "opened_at": a.opened_at,
                    "closed_at": a.closed_at,
                    "asks": a.asks,
                }
            )
            for a in story.attempts
        ],
        events=[EventView(kind=e.kind, at=e.at, body=e.body) for e in story.events],
    )


def _summary(order: OrderRow) -> dict[str, Any]:
    return {
        "code": order.code,
        "mode": order.mode,
        "state": order.state,
        "name": order.buyer["name"],
        "email": order.buyer["email"],
        "what": ", ".join(line["name"] for line in order.quote["lines"]),
        "amount": format_amount(order.total, order.currency),
        "currency": order.currency,
        "created_at": order.created_at,
        "paid_at": order.paid_at,
    }
