"""Tapes of what was sold: an order as it was, a subscription's next charge."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from skurrow.core.tape.tape import Tape
from skurrow.service.orders import books
from skurrow.service.subscriptions import subscription_books
from skurrow.web.access import Means, Site
from skurrow.web.desk.bodies import ModeName
from skurrow.web.desk.tape.tapes import TapeRowView
from skurrow.web.routes import desk_router

router = desk_router()


class SoldTapeView(BaseModel):
    """A tape that is what it is: of whom, in which book, about what, and its rows."""

    name: str
    mode: Literal["test", "live"]
    about: str
    currency: str
    rows: list[TapeRowView]
    notes: list[str]


@router.get("/sites/{site}/books/{mode}/orders/{code}/tape")
async def show_order_tape(mode: ModeName, code: str, at: Site, context: Means) -> SoldTapeView:
    """An order as it was sold, with the reasons of its day."""
    found = await books.sold(context, at.site_id, mode, code)
    release = "" if found.order.release is None else f", release {found.order.release}"
    return _view(found.order.kept.buyer.name, mode, f"Order {code}, as it was sold{release}", found.tape)


@router.get("/sites/{site}/books/{mode}/subscriptions/{subscription}/tape")
async def show_next_charge_tape(mode: ModeName, subscription: str, at: Site, context: Means) -> SoldTapeView | None:
    """The next charge of a subscription, as it is known today; nothing where none comes by itself."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    tape = await subscription_books.next_tape(context, at.site_id, row)
    if tape is None:
        return None
    return _view(row.kept_buyer.name, mode, f"Subscription {subscription}, its next charge", tape)


def _view(name: str, mode: ModeName, about: str, tape: Tape) -> SoldTapeView:
    return SoldTapeView(
        name=name,
        mode=mode,
        about=about,
        currency=tape.currency,
        rows=[
            TapeRowView(key=row.key, kind=row.kind, label=row.label, amount=row.amount, reasons=list(row.reasons))
            for row in tape.rows
        ],
        notes=list(tape.notes),
    )
