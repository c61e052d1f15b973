"""Products and checkouts: the parts of the draft that are edited."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from skurrow.core.money import format_amount
from skurrow.service import configuration
from skurrow.service.refusals import Conflict
from skurrow.store.sites import PartRow
from skurrow.web.access import Means, Site
from skurrow.web.desk.bodies import Given
from skurrow.web.problems import problem

router = APIRouter()


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
