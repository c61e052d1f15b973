"""Orders as the desk shows them."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Literal
from uuid import UUID

from pydantic import BaseModel

from skurrow.core.money import format_amount
from skurrow.core.papers.paper import Paper, PaperKind
from skurrow.service import addresses
from skurrow.service.papers import paper_ubl
from skurrow.service.tax.place_names import place_name
from skurrow.store.orders.disputes import DisputeRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.orders.refunds import RefundRow
from skurrow.store.payments.transfers import TransferRow
from skurrow.web.desk.bodies import ModeName


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
    telephone: str | None
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


class BegunView(BaseModel):
    """A subscription that an order `began`, or is a charge of."""

    began: bool
    code: str
    what: str


class GoodsView(BaseModel):
    """A line of an order that is sent, and whether it was."""

    line: int
    name: str
    quantity: int
    sent: bool


class OrderView(OrderSummary):
    """An order with everything that belongs to it; `quote` as it was computed when it was placed. `goods`: what of it
    is sent."""

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
    subscriptions: list[BegunView]
    goods: list[GoodsView]


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


def card_from(order: OrderRow) -> str | None:
    """The country of the card, where it is another one than the buyer's."""
    buyer = order.kept.buyer
    card = buyer.evidence.card
    return place_name(card) if card and card != buyer.country else None


def refund_view(row: RefundRow) -> RefundView:
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


def dispute(row: DisputeRow) -> DisputeView:
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


def paper_view(found: Paper) -> PaperView:
    return PaperView(number=found.number, kind=found.kind, issued_on=found.issued_on, no_ubl=paper_ubl.why_not(found))


def buyer_view(order: OrderRow) -> BoughtBy:
    kept = order.kept
    buyer, sent, parcel = kept.buyer, kept.quote.delivery, kept.buyer.deliver_to
    check, evidence = buyer.tax_number_check, buyer.evidence
    seen = evidence.connection
    written = addresses.lines(buyer.country, buyer.address, buyer.name) if buyer.address.get("street") else []
    to = written if sent else []
    if parcel:
        to = addresses.lines(buyer.parcel_country, parcel, parcel.get("name", ""))
    return BoughtBy(
        country_name=place_name(buyer.country),
        address=written,
        parcel_to=to,
        delivery=sent.name if sent else None,
        telephone=buyer.telephone,
        company=buyer.company,
        tax_number=buyer.tax_number,
        number_answer=check.answer,
        number_name=check.name,
        number_reference=check.reference,
        seen_in=place_name(seen) if seen and seen != buyer.country else None,
        confirmed=bool(evidence.confirmed),
    )


def summary(order: OrderRow, given_back: int, held: bool) -> dict[str, Any]:
    kept = order.kept
    return {
        "code": order.code,
        "mode": order.mode,
        "state": order.state,
        "held": held,
        "name": kept.buyer.name,
        "email": kept.buyer.email,
        "what": kept.what,
        "amount": format_amount(order.total, order.currency),
        "currency": order.currency,
        "created_at": order.created_at,
        "paid_at": order.paid_at,
        "given_back": format_amount(given_back, order.currency) if given_back else None,
    }
