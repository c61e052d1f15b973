"""The two books: orders with their charges, attempts and events."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from fastapi import Query, Response, status
from pydantic import AfterValidator, Field, HttpUrl, UrlConstraints

from skurrow.core.bounds import printable
from skurrow.core.money import format_amount
from skurrow.service.orders import books, sent, settling
from skurrow.service.papers import papers
from skurrow.service.subscriptions.standing import life_of
from skurrow.web.access import Means, Selling, Site
from skurrow.web.desk.bodies import Given, ModeName
from skurrow.web.desk.orders.order_views import (
    AttemptView,
    AwaitedView,
    BegunView,
    ChargeView,
    EventView,
    GoodsView,
    HeldView,
    OrderList,
    OrderSummary,
    OrderView,
    buyer_view,
    card_from,
    dispute,
    paper_view,
    refund_view,
    summary,
    transfer_line,
)
from skurrow.web.files import FileKind, paper_file
from skurrow.web.routes import desk_router

router = desk_router()


class ByHand(Given):
    """A person's word on a waiting order: it was paid, or it will not be."""

    paid: bool
    note: Annotated[str, Field(max_length=500), AfterValidator(printable)] = ""


class SentRequest(Given):
    """A parcel was sent, said once for each `asked_as`; `follow` is the web address where the carrier shows it, `lines`
    the numbers of what is in it (none: all of it)."""

    asked_as: UUID
    follow: Annotated[HttpUrl, UrlConstraints(max_length=500)] | None = None
    lines: Annotated[list[Annotated[int, Field(ge=0, le=500)]], Field(max_length=500)] = Field(default_factory=list)


class HeldDecision(Given):
    """What a person decides about a held order."""

    state: Literal["passed", "given_back"]


OrderFilter = Literal["all", "waiting", "held", "paid", "open"]


@router.get("/sites/{site}/books/{mode}/orders")
async def list_orders(
    mode: ModeName,
    at: Site,
    context: Means,
    before: UUID | None = None,
    search: Annotated[str, Query(max_length=200)] = "",
    show: OrderFilter = "all",
) -> OrderList:
    """A page of one book, the newest orders first; all of them, or those that wait or are held for a person."""
    page = await books.page(context, at.site_id, mode, before, search, show)
    listed = [
        OrderSummary(**summary(order, page.given_back.get(order.id, 0), order.id in page.held)) for order in page.orders
    ]
    return OrderList(orders=listed, next=page.next)


@router.get("/sites/{site}/books/{mode}/orders/{code}")
async def show_order(mode: ModeName, code: str, at: Site, context: Means) -> OrderView:
    """One order with its charges, attempts and events."""
    story = await books.story(context, at.site_id, mode, code)
    order = story.order
    return OrderView(
        **summary(
            order,
            sum(one.amount for one in story.refunds if one.state == "made"),
            story.review is not None and story.review.state == "open",
        ),
        checkout=order.checkout_id,
        buyer=buyer_view(order),
        country=order.kept.buyer.country,
        change=order.change,
        release=order.release,
        subscriptions=[
            BegunView(began=one.order_id == order.id, code=one.code, what=life_of(one).terms.name)
            for one in story.subscriptions
        ],
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
        papers=[paper_view(papers.of_row(row)) for row in story.papers],
        refunds=[refund_view(row) for row in story.refunds],
        disputes=[dispute(row) for row in story.disputes],
        paid_by=story.paid_by,
        record=story.record,
        card_from=card_from(order),
        awaited=None if story.awaited is None else AwaitedView.model_validate(story.awaited, from_attributes=True),
        transfers=[transfer_line(row) for row in story.transfers],
        review=None if story.review is None else HeldView.model_validate(story.review, from_attributes=True),
        goods=[GoodsView.model_validate(one, from_attributes=True) for one in story.goods],
    )


@router.post("/sites/{site}/books/{mode}/orders/{code}/sent", status_code=status.HTTP_204_NO_CONTENT)
async def mark_sent(mode: ModeName, code: str, body: SentRequest, at: Selling, context: Means) -> None:
    """Marks a parcel of an order as sent; the buyer gets a mail."""
    follow = str(body.follow or "")
    await sent.mark_sent(context, at.site_id, mode, code, at.person.id, body.asked_as, follow, body.lines)


@router.post("/sites/{site}/books/{mode}/orders/{code}/by-hand", status_code=status.HTTP_204_NO_CONTENT)
async def settle_by_hand(mode: ModeName, code: str, body: ByHand, at: Selling, context: Means) -> None:
    """Marks a waiting order as paid, or as one that will not be."""
    await settling.settle_by_hand(context, at.site_id, mode, code, at.person.id, body.paid, body.note)


@router.post("/sites/{site}/books/{mode}/orders/{code}/held", status_code=status.HTTP_204_NO_CONTENT)
async def decide_held(mode: ModeName, code: str, body: HeldDecision, at: Selling, context: Means) -> None:
    """Lets a held order through, or notes that it is given back."""
    await books.decide_review(context, at.site_id, mode, code, body.state, at.person.id)


_NUMBER = Annotated[str, Query(min_length=1, max_length=60)]


@router.get("/sites/{site}/books/{mode}/paper.{kind}", response_class=Response)
async def paper_as_file(mode: ModeName, kind: FileKind, number: _NUMBER, at: Site, context: Means) -> Response:
    """An invoice or receipt by its number: to read and print, or as UBL with the semantics of EN 16931."""
    return await paper_file(context, at.site_id, await papers.numbered(context, at.site_id, mode, number), kind)
