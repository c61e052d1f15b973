"""The two books: orders with their charges, attempts and events."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from fastapi import Query, Response, status
from pydantic import AfterValidator, BaseModel, Field

from skurrow.core.bounds import printable
from skurrow.core.money import format_amount, parse_amount
from skurrow.core.papers.papers import Paper, PaperKind
from skurrow.core.payments.refunds import Asked
from skurrow.service import addresses
from skurrow.service.orders import books, refunds, settling
from skurrow.service.papers import paper_ubl, papers
from skurrow.service.tax.place_names import place_name
from skurrow.store.orders.disputes import DisputeRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.orders.refunds import RefundRow
from skurrow.store.payments.transfers import TransferRow
from skurrow.web.access import Configuring, Means, Selling, Site
from skurrow.web.desk.bodies import Given, ModeName
from skurrow.web.files import FileKind, paper_file
from skurrow.web.routes import new_router

router = new_router()


class OrderSummary(BaseModel):
    """An order in a list."""

    code: str
    mode: ModeName
    state: Literal["open", "waiting", "paid", "cancelled"]
    held: bool
    name: str
    email: str
    what: str
    amount: str
    currency: str
    created_at: datetime
    paid_at: datetime | None
    given_back: str | None


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


class BoughtBy(BaseModel):
    """The buyer of an order: where parcels go, line by line, and a business with what was found about its number."""

    country_name: str
    address: list[str]
    parcel_to: list[str]
    delivery: str | None
    company: str | None
    tax_number: str | None
    number_answer: Literal["malformed", "valid", "invalid", "no_answer"] | None
    number_name: str | None
    number_reference: str | None
    seen_in: str | None
    confirmed: bool


class PaperView(BaseModel):
    """An invoice or receipt that was given out; `no_ubl` says why it cannot be had as UBL, if it cannot."""

    number: str
    kind: PaperKind
    issued_on: date
    no_ubl: str | None


class RefundView(BaseModel):
    """Money that goes back, or went, or that the gateway refused to give back."""

    id: UUID
    state: Literal["open", "made", "refused"]
    reason: str | None
    amount: str
    currency: str
    what: str
    note: str
    opened_at: datetime
    closed_at: datetime | None
    reference: str | None


class DisputeView(BaseModel):
    """What a buyer questions at their bank; `lost` means that the money has gone back to them."""

    state: Literal["open", "won", "lost"]
    amount: str
    currency: str
    reason: str
    reference: str
    opened_at: datetime
    decided_at: datetime | None


class AwaitedView(BaseModel):
    """What a waiting order waits for: a bank's word or a person's, until when, and by which reference."""

    gateway: str
    label: str
    by: Literal["bank", "person"]
    due_on: date | None
    overdue: bool
    reference: str | None


class TransferLine(BaseModel):
    """Money that came in for an order by bank transfer."""

    id: UUID
    amount: str
    currency: str
    booked_on: date
    payer: str
    payer_account: str
    text: str
    state: Literal["matched", "aside", "done"]
    reason: str | None
    order: str | None
    note: str
    decided_by: str | None
    decided_at: datetime | None


class HeldView(BaseModel):
    """Why an order was held for a person, and what was decided."""

    reasons: list[str]
    state: Literal["open", "passed", "given_back"]
    at: datetime
    decided_at: datetime | None
    decided_by: str | None


class OrderView(OrderSummary):
    """An order with everything that belongs to it; `quote` as it was computed when it was placed."""

    checkout: str
    buyer: BoughtBy
    country: str
    change: int
    release: int | None
    quote: dict[str, Any]
    charges: list[ChargeView]
    attempts: list[AttemptView]
    events: list[EventView]
    papers: list[PaperView]
    refunds: list[RefundView]
    disputes: list[DisputeView]
    paid_by: str | None
    record: str | None
    card_from: str | None
    awaited: AwaitedView | None
    transfers: list[TransferLine]
    review: HeldView | None


class ByHand(Given):
    """A person's word on a waiting order: it was paid, or it will not be."""

    paid: bool
    note: Annotated[str, Field(max_length=500), AfterValidator(printable)] = ""


class HeldDecision(Given):
    """What a person decides about a held order."""

    state: Literal["passed", "given_back"]


OrderFilter = Literal["all", "waiting", "held", "paid", "open"]


class TestBookView(BaseModel):
    """What clearing the test book would remove, and when that was done last."""

    orders: int
    cleared_at: datetime | None
    cleared_by: str | None
    cleared_orders: int | None


class Cleared(BaseModel):
    """How many test orders went."""

    orders: int


class RefundablePart(BaseModel):
    """A line (or, without a number, the delivery): what is left of it, how many pieces could go back into stock, and
    until when the shop promises to take it back."""

    line: int | None
    name: str
    left: str
    nothing_left: bool
    pieces: int
    until: date | None
    late: bool


class RefundableView(BaseModel):
    """What of an order can be given back."""

    currency: str
    parts: list[RefundablePart]


class RefundPart(Given):
    """An amount of a line (none: of the delivery), and pieces that go back into stock."""

    line: Annotated[int, Field(ge=0, le=500)] | None = None
    amount: Annotated[str, Field(max_length=20)]
    put_back: Annotated[int, Field(ge=0, le=9999)] = 0

    def asked(self) -> Asked:
        """The same for the core."""
        return Asked(self.line, self.amount.strip(), self.put_back)


class RefundPreviewRequest(Given):
    """What is to be given back."""

    parts: Annotated[list[RefundPart], Field(max_length=501)]


class RefundRequest(RefundPreviewRequest):
    """A press of the button: `asked_as` is made once for it, `expected` is the amount it shows."""

    asked_as: UUID
    expected: Annotated[str, Field(max_length=20)]
    note: Annotated[str, Field(max_length=500), AfterValidator(printable)] = ""


class RefundPreview(BaseModel):
    """What it comes to, with the tax in it."""

    currency: str
    amount: str
    tax: str


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
        OrderSummary(**_summary(order, page.given_back.get(order.id, 0), order.id in page.held))
        for order in page.orders
    ]
    return OrderList(orders=listed, next=page.next)


@router.get("/sites/{site}/test-book")
async def show_test_book(at: Site, context: Means) -> TestBookView:
    """How many test orders there are, and when they were cleared last."""
    found = await books.test_book(context, at.site_id)
    last = found.cleared
    return TestBookView(
        orders=found.orders,
        cleared_at=last and last.at,
        cleared_by=last and last.by_name,
        cleared_orders=last and last.orders,
    )


@router.delete("/sites/{site}/test-book")
async def clear_test_book(at: Configuring, context: Means) -> Cleared:
    """Clears the test book at one stroke: every test order with all that hangs on it, and nothing else."""
    return Cleared(orders=await books.clear_test_book(context, at.site_id, at.person.id))


@router.get("/sites/{site}/books/{mode}/orders/{code}")
async def show_order(mode: ModeName, code: str, at: Site, context: Means) -> OrderView:
    """One order with its charges, attempts and events."""
    story = await books.story(context, at.site_id, mode, code)
    order = story.order
    return OrderView(
        **_summary(
            order,
            sum(one.amount for one in story.refunds if one.state == "made"),
            story.review is not None and story.review.state == "open",
        ),
        checkout=order.checkout_id,
        buyer=_buyer(order),
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
        papers=[_paper(papers.of_row(row)) for row in story.papers],
        refunds=[_refund(row) for row in story.refunds],
        disputes=[_dispute(row) for row in story.disputes],
        paid_by=story.paid_by,
        record=story.record,
        card_from=_card_from(order),
        awaited=None if story.awaited is None else AwaitedView.model_validate(story.awaited, from_attributes=True),
        transfers=[transfer_line(row) for row in story.transfers],
        review=None if story.review is None else HeldView.model_validate(story.review, from_attributes=True),
    )


@router.post("/sites/{site}/books/{mode}/orders/{code}/by-hand", status_code=status.HTTP_204_NO_CONTENT)
async def settle_by_hand(mode: ModeName, code: str, body: ByHand, at: Selling, context: Means) -> None:
    """Marks a waiting order as paid, or as one that will not be."""
    await settling.settle_by_hand(context, at.site_id, mode, code, at.person.id, body.paid, body.note)


@router.post("/sites/{site}/books/{mode}/orders/{code}/held", status_code=status.HTTP_204_NO_CONTENT)
async def decide_held(mode: ModeName, code: str, body: HeldDecision, at: Selling, context: Means) -> None:
    """Lets a held order through, or notes that it is given back."""
    await books.decide_review(context, at.site_id, mode, code, body.state, at.person.id)


@router.get("/sites/{site}/books/{mode}/orders/{code}/refundable")
async def show_refundable(mode: ModeName, code: str, at: Site, context: Means) -> RefundableView:
    """What of an order can be given back, by line."""
    found = await refunds.refundable(context, at.site_id, mode, code)
    parts: dict[int | None, RefundablePart] = {}
    for one in found.parts:
        known = parts.get(one.line)
        left = one.left + (parse_amount(known.left, found.currency) if known else 0)
        until = None if one.line is None else found.until.get(one.line)
        parts[one.line] = RefundablePart(
            line=one.line,
            name=one.name,
            left=format_amount(left, found.currency),
            nothing_left=left == 0,
            pieces=one.quantity - one.put_back if one.line in found.counted else 0,
            until=until,
            late=until is not None and until < found.today,
        )
    return RefundableView(currency=found.currency, parts=list(parts.values()))


@router.post("/sites/{site}/books/{mode}/orders/{code}/refund-preview")
async def preview_refund(
    mode: ModeName, code: str, body: RefundPreviewRequest, at: Site, context: Means
) -> RefundPreview:
    """What a refund would come to; nothing is done."""
    found = await refunds.reckon(context, at.site_id, mode, code, [one.asked() for one in body.parts])
    return RefundPreview(
        currency=found.currency,
        amount=format_amount(found.amount, found.currency),
        tax=format_amount(found.tax, found.currency),
    )


@router.post("/sites/{site}/books/{mode}/orders/{code}/refunds")
async def give_back(mode: ModeName, code: str, body: RefundRequest, at: Selling, context: Means) -> RefundView:
    """Gives money back, once for each `asked_as`. `expected` is the amount that was shown."""
    asked = [one.asked() for one in body.parts]
    row = await refunds.refund(
        context, at.site_id, at.person.id, mode, code, body.asked_as, asked, body.expected, body.note
    )
    return _refund(row)


_NUMBER = Annotated[str, Query(min_length=1, max_length=60)]


@router.get("/sites/{site}/books/{mode}/paper.{kind}", response_class=Response)
async def paper_as_file(mode: ModeName, kind: FileKind, number: _NUMBER, at: Site, context: Means) -> Response:
    """An invoice or receipt by its number: to read and print, or as UBL with the semantics of EN 16931."""
    return await paper_file(await papers.numbered(context, at.site_id, mode, number), kind)


def transfer_line(row: TransferRow) -> TransferLine:
    """Money that came in, as the desk shows it."""
    return TransferLine.model_validate(
        {
            "id": row.id,
            "amount": format_amount(row.amount, row.currency),
            "currency": row.currency,
            "booked_on": row.booked_on,
            "payer": row.payer,
            "payer_account": row.payer_account,
            "text": row.text,
            "state": row.state,
            "reason": row.reason,
            "order": row.order_code,
            "note": row.note,
            "decided_by": row.decided_by,
            "decided_at": row.decided_at,
        }
    )


def _card_from(order: OrderRow) -> str | None:
    """The country of the card, where it is another one than the buyer's."""
    card = (order.buyer.get("evidence") or {}).get("card")
    return place_name(card) if card and card != order.buyer["country"] else None


def _refund(row: RefundRow) -> RefundView:
    return RefundView.model_validate(
        {
            "id": row.id,
            "state": row.state,
            "reason": row.reason,
            "amount": format_amount(row.amount, row.currency),
            "currency": row.currency,
            "what": ", ".join(dict.fromkeys(part["name"] for part in row.parts)),
            "note": row.note,
            "opened_at": row.opened_at,
            "closed_at": row.closed_at,
            "reference": row.gateway_reference,
        }
    )


def _dispute(row: DisputeRow) -> DisputeView:
    return DisputeView.model_validate(
        {
            "state": row.state,
            "amount": format_amount(row.amount, row.currency),
            "currency": row.currency,
            "reason": row.reason,
            "reference": row.gateway_reference,
            "opened_at": row.opened_at,
            "decided_at": row.decided_at,
        }
    )


def _paper(found: Paper) -> PaperView:
    return PaperView(number=found.number, kind=found.kind, issued_on=found.issued_on, no_ubl=paper_ubl.why_not(found))


def _buyer(order: OrderRow) -> BoughtBy:
    buyer = order.buyer
    address, parcel = buyer.get("address") or {}, buyer.get("deliver_to")
    check, evidence = buyer.get("tax_number_check") or {}, buyer.get("evidence") or {}
    seen = evidence.get("connection")
    written = addresses.lines(buyer["country"], address, buyer["name"]) if address.get("street") else []
    sent = order.quote.get("delivery")
    to = addresses.lines(parcel["country"], parcel, parcel.get("name", "")) if parcel else written if sent else []
    return BoughtBy(
        country_name=place_name(buyer["country"]),
        address=written,
        parcel_to=to,
        delivery=sent["name"] if sent else None,
        company=buyer.get("company"),
        tax_number=buyer.get("tax_number"),
        number_answer=check.get("answer"),
        number_name=check.get("name"),
        number_reference=check.get("reference"),
        seen_in=place_name(seen) if seen and seen != buyer["country"] else None,
        confirmed=bool(evidence.get("confirmed")),
    )


def _summary(order: OrderRow, given_back: int, held: bool) -> dict[str, Any]:
    return {
        "code": order.code,
        "mode": order.mode,
        "state": order.state,
        "held": held,
        "name": order.buyer["name"],
        "email": order.buyer["email"],
        "what": ", ".join(line["name"] for line in order.quote["lines"]),
        "amount": format_amount(order.total, order.currency),
        "currency": order.currency,
        "created_at": order.created_at,
        "paid_at": order.paid_at,
        "given_back": format_amount(given_back, order.currency) if given_back else None,
    }
