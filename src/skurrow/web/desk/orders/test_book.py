"""The test book as a whole, clearing it, and taking one sale out of it."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel

from skurrow.service.orders import books, taking_out
from skurrow.web.access import Configuring, Means, Site
from skurrow.web.routes import desk_router

router = desk_router()


class TestBookView(BaseModel):
    """What clearing the test book would remove, and when that was done last."""

    orders: int
    cleared_at: datetime | None
    cleared_by: str | None
    cleared_orders: int | None


class Cleared(BaseModel):
    """How many test orders went."""

    orders: int


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


@router.delete("/sites/{site}/test-book/{code}")
async def take_out_test_sale(code: str, at: Configuring, context: Means) -> Cleared:
    """Takes one sale out of the test book: its order, what that began, and all that hangs on them."""
    return Cleared(orders=await taking_out.take_out(context, at.site_id, code, at.person.id))
