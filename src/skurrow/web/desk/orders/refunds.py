"""Giving money back: what can be, what it would come to, and doing it."""

from __future__ import annotations

from datetime import date
from typing import Annotated
from uuid import UUID

from pydantic import AfterValidator, BaseModel, Field

from skurrow.core.bounds import MOST_PIECES, printable
from skurrow.core.money import format_amount, parse_amount
from skurrow.core.payments.refunds import Asked
from skurrow.service.orders import refunds
from skurrow.web.access import Means, Selling, Site
from skurrow.web.desk.bodies import Given, ModeName
from skurrow.web.desk.orders.order_views import RefundView, refund_view
from skurrow.web.routes import desk_router

router = desk_router()


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
    put_back: Annotated[int, Field(ge=0, le=MOST_PIECES)] = 0

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
    return refund_view(row)
