"""Tapes, previews and the jump box."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field
from pydantic_core import to_json

from skurrow.core.site import CardBehaviour
from skurrow.service import catalogue, configuration, tapes, visits
from skurrow.service.refusals import NotFound
from skurrow.service.tapes import BuyerTape, MadeOutTo, Unsaved
from skurrow.web.access import Means, Site
from skurrow.web.desk.bodies import Given
from skurrow.web.desk.parts import PriceAmounts, price_amounts
from skurrow.web.problems import FieldProblem

router = APIRouter()


class BuyerChoice(Given):
    """Whom a tape is made out to: the id of a stand-in buyer or "real", with what was changed in place."""

    id: Annotated[str, Field(min_length=1, max_length=60)]
    country: Annotated[str | None, Field(max_length=2)] = None
    currency: Annotated[str | None, Field(max_length=3)] = None
    business: bool | None = None
    card: CardBehaviour | None = None
    on: date | None = None


class UnsavedPart(Given):
    """A part as it stands in an editor, not saved yet."""

    kind: Literal["product", "checkout", "stand_in_buyer"]
    id: Annotated[str, Field(max_length=60)]
    body: dict[str, Any]


class Subject(Given):
    """What the tapes are about."""

    kind: Literal["price", "product", "checkout"]
    id: Annotated[str, Field(max_length=60)]


class TapeRequest(Given):
    """Tapes that are asked for."""

    about: Subject | None = None
    quantity: Annotated[int | None, Field(ge=1, le=9999)] = None
    buyers: Annotated[list[BuyerChoice], Field(min_length=1, max_length=8)]
    unsaved: UnsavedPart | None = None


class TapeRowView(BaseModel):
    """One row: what stays the same while the thing does (`key`), a label, an amount, and why."""

    key: str
    kind: Literal["line", "tax", "due", "fee", "keep"]
    label: str
    amount: str
    reasons: list[str]


class TapeView(BaseModel):
    """A tape and the buyer it is made out to."""

    id: str
    name: str
    mode: Literal["test", "live"]
    release: int | None
    country: str
    currency: str
    business: bool
    card: CardBehaviour
    screen: Literal["desktop", "phone"]
    on: date
    rows: list[TapeRowView]
    notes: list[str]
    problems: list[FieldProblem]


class TapesView(BaseModel):
    """Tapes of one price side by side. `problems` is what is wrong with the unsaved edit: the tapes are then as it
    was saved last. `prices` are those of the product, in every currency."""

    change: int
    price: str
    title: str
    quantity: int
    smallest: int
    largest: int
    tapes: list[TapeView]
    prices: list[PriceAmounts]
    problems: list[FieldProblem]


class PreviewRequest(Given):
    """A checkout, and the stand-in buyer before whom it is opened."""

    checkout: Annotated[str, Field(max_length=60)]
    buyer: BuyerChoice


class PreviewView(BaseModel):
    """Where the preview is."""

    address: str


class FoundView(BaseModel):
    """Something to jump to."""

    kind: Literal["product", "price", "checkout", "stand_in_buyer", "order"]
    id: str
    name: str
    words: str
    mode: str | None
    product: str | None


@router.post("/sites/{site}/tapes", response_model=TapesView | None)
async def make_tapes(body: TapeRequest, at: Site, context: Means) -> Response:
    """Tapes of what is being edited, before anything is saved. Changes nothing."""
    about = (body.about.kind, body.about.id) if body.about else None
    unsaved = Unsaved(body.unsaved.kind, body.unsaved.id, body.unsaved.body) if body.unsaved else None
    made = await tapes.tapes(context, at.site_id, about, body.quantity, [_choice(b) for b in body.buyers], unsaved)
    if made is None:
        return Response("null", media_type="application/json")
    edition, product = made.edition, made.price.product
    limits = made.price.price.quantity
    view = TapesView(
        change=made.change,
        price=made.price.price.id,
        title=product.desk_name,
        quantity=made.quantity,
        smallest=limits.min,
        largest=limits.max,
        tapes=[_tape(one) for one in made.tapes],
        prices=[price_amounts(edition, edition.prices[price.id]) for price in product.prices],
        problems=[FieldProblem(path=p.where, message=p.message, remedy=p.remedy, code=p.code) for p in made.problems],
    )
    return Response(to_json(view), media_type="application/json")


@router.post("/sites/{site}/previews")
async def open_preview(body: PreviewRequest, at: Site, context: Means) -> PreviewView:
    """The address of the working checkout, filled in for a stand-in buyer."""
    state = await configuration.draft(context, at.site_id)
    if body.checkout not in state.edition.checkouts:
        raise NotFound(f"there is no checkout “{body.checkout}”")
    buyer = tapes.made_out(state.edition, _choice(body.buyer))
    token = visits.preview_token(context, at.site_id, body.checkout, buyer)
    return PreviewView(address=f"{context.settings.counter_url}/preview/{token}")


@router.get("/sites/{site}/jump")
async def jump(at: Site, context: Means, q: Annotated[str, Query(max_length=200)] = "") -> list[FoundView]:
    """Whatever bears such a name."""
    found = await catalogue.jump(context, at.site_id, q)
    return [FoundView(kind=o.kind, id=o.id, name=o.name, words=o.words, mode=o.mode, product=o.product) for o in found]


def _choice(body: BuyerChoice) -> MadeOutTo:
    return MadeOutTo(body.id, body.country, body.currency, body.business, body.card, body.on)


def _tape(one: BuyerTape) -> TapeView:
    buyer = one.buyer
    return TapeView(
        id=one.asked,
        name=buyer.name,
        mode=one.mode,
        release=one.release,
        country=buyer.country,
        currency=buyer.currency,
        business=buyer.business,
        card=buyer.card,
        screen=buyer.screen,
        on=one.on,
        rows=[
            TapeRowView(key=r.key, kind=r.kind, label=r.label, amount=r.amount, reasons=list(r.reasons))
            for r in one.tape.rows
        ],
        notes=list(one.tape.notes),
        problems=[
            FieldProblem(path=p.where, message=p.message, remedy=p.remedy, code=p.code) for p in one.tape.problems
        ],
    )
