"""Tapes, previews and the jump box."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal
from urllib.parse import urlencode

from fastapi import Query, Response
from pydantic import BaseModel, Field
from pydantic_core import to_json

from skurrow.core.bounds import MOST_PIECES
from skurrow.core.money import format_amount
from skurrow.core.products.price_words import price_words
from skurrow.core.site.stand_in_buyers import CardBehaviour
from skurrow.core.tape.comparisons import Comparison, CouponCost
from skurrow.core.tape.tape import Future, RowKind
from skurrow.service.counter import opening
from skurrow.service.draft import catalogue, configuration
from skurrow.service.refusals import NotFound
from skurrow.service.tape import confirmation_previews, tapes
from skurrow.service.tape.tapes import BuyerTape, MadeOutTo, Tried, Unsaved
from skurrow.web.access import Means, Site
from skurrow.web.desk.bodies import Given
from skurrow.web.desk.draft.parts import PriceAmounts, price_amounts
from skurrow.web.problems import FieldProblem
from skurrow.web.routes import desk_router

router = desk_router()


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

    kind: Literal["product", "coupon", "checkout", "stand_in_buyer"]
    id: Annotated[str, Field(max_length=60)]
    body: dict[str, Any]


class Subject(Given):
    """What the tapes are about."""

    kind: Literal["price", "product", "coupon", "checkout"]
    id: Annotated[str, Field(max_length=60)]


class TapeRequest(Given):
    """Tapes that are asked for: of one of the subject's prices, so many, in a variant, with a coupon."""

    about: Subject | None = None
    price: Annotated[str | None, Field(max_length=60)] = None
    quantity: Annotated[int | None, Field(ge=1, le=MOST_PIECES)] = None
    variant: Annotated[str | None, Field(max_length=60)] = None
    coupon: Annotated[str | None, Field(max_length=40)] = None
    buyers: Annotated[list[BuyerChoice], Field(min_length=1, max_length=8)]
    unsaved: UnsavedPart | None = None


class TapeRowView(BaseModel):
    """One row: what stays the same while the thing does (`key`), a label, an amount, and why."""

    key: str
    kind: RowKind
    label: str
    amount: str
    reasons: list[str]


class TapeView(BaseModel):
    """A tape and the buyer it is made out to; `way` is what the way to pay is called that they choose."""

    id: str
    name: str
    mode: Literal["test", "live"]
    release: int | None
    country: str
    currency: str
    business: bool
    card: CardBehaviour
    way: str | None
    screen: Literal["desktop", "phone"]
    on: date
    rows: list[TapeRowView]
    notes: list[str]
    problems: list[FieldProblem]


class TriedPrice(BaseModel):
    """A price that the tape can be turned to."""

    price: str
    label: str
    words: str


class TriedName(BaseModel):
    """A variant or a coupon that can be tried on the tape."""

    id: str
    name: str


class FutureDay(BaseModel):
    """A charge: its day in words, and its amount."""

    day: str
    amount: str


class FutureView(BaseModel):
    """The first charges of one of the product's prices, in the base currency."""

    price: str
    days: list[FutureDay]
    more: str


class ComparisonView(BaseModel):
    """A price beside what it stands against, in words; `saved` is negative where it costs more."""

    price: str
    against: str
    words: str
    saved: str


class CouponCostView(BaseModel):
    """What a coupon takes off a price, for one buyer: of the first charge, and of all within a year."""

    price: str
    name: str
    first: str
    year: str
    why_not: str | None


class TapesView(BaseModel):
    """Tapes of one price side by side. `problems` is what is wrong with the unsaved edit: the tapes are then as it
    was saved last. `prices` are those of the product, in every currency."""

    change: int
    price: str
    title: str
    choices: list[TriedPrice]
    variant: str | None
    variants: list[TriedName]
    coupon: str | None
    coupons: list[TriedName]
    futures: list[FutureView]
    comparisons: list[ComparisonView]
    costs: list[CouponCostView]
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


class AfterView(BaseModel):
    """A page that comes after a checkout, by its address."""

    words: str
    address: str


class PreviewView(BaseModel):
    """Where the preview is, and the pages that may come after it, each under a few words."""

    address: str
    after: list[AfterView]


class FoundView(BaseModel):
    """Something to jump to."""

    kind: Literal["product", "price", "coupon", "checkout", "stand_in_buyer", "order"]
    id: str
    name: str
    words: str
    mode: str | None
    product: str | None


@router.post("/sites/{site}/tapes", response_model=TapesView | None)
async def make_tapes(body: TapeRequest, at: Site, context: Means) -> Response:
    """Tapes of what is being edited, before anything is saved. Changes nothing."""
    about = (body.about.kind, body.about.id) if body.about else None
    tried = Tried(body.price, body.quantity, body.variant, body.coupon)
    unsaved = Unsaved(body.unsaved.kind, body.unsaved.id, body.unsaved.body) if body.unsaved else None
    made = await tapes.tapes(context, at.site_id, about, tried, [_choice(b) for b in body.buyers], unsaved)
    if made is None:
        return Response("null", media_type="application/json")
    edition, product = made.edition, made.price.product
    limits = made.price.price.at_counter
    view = TapesView(
        change=made.change,
        price=made.price.price.id,
        title=product.desk_name,
        choices=[
            TriedPrice(
                price=one.price.id,
                label=one.price.label or one.product.desk_name,
                words=price_words(one, edition.base),
            )
            for one in made.choices
        ],
        variant=made.wanted.variant,
        variants=[TriedName(id=one.id, name=one.name) for one in product.variants],
        coupon=next(iter(made.wanted.coupons), None),
        coupons=[TriedName(id=one.id, name=one.desk_name) for one in edition.site.coupons[:_MOST_COUPONS]],
        futures=[_future(price, one) for price, one in made.beside.futures.items()],
        comparisons=[_comparison(one) for one in made.beside.comparisons],
        costs=[_cost(one) for one in made.beside.costs],
        quantity=made.wanted.quantity,
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
    token = opening.preview_token(context, at.site_id, body.checkout, buyer)
    address = f"{context.settings.counter_url}/preview/{token}"
    after = [AfterView(words="After paying", address=f"{address}/thanks")]
    for one in await confirmation_previews.waiting_ways(context, at.site_id, body.checkout):
        query = urlencode({"way": one.gateway})
        after.append(AfterView(words=f"After ordering: {one.label}", address=f"{address}/thanks?{query}"))
    return PreviewView(address=address, after=after)


@router.get("/sites/{site}/jump")
async def jump(at: Site, context: Means, q: Annotated[str, Query(max_length=200)] = "") -> list[FoundView]:
    """Whatever bears such a name."""
    found = await catalogue.jump(context, at.site_id, q)
    return [FoundView(kind=o.kind, id=o.id, name=o.name, words=o.words, mode=o.mode, product=o.product) for o in found]


_MOST_COUPONS = 50


def _future(price: str, made: Future) -> FutureView:
    return FutureView(
        price=price, days=[FutureDay(day=day, amount=amount) for day, amount in made.days], more=made.more
    )


def _comparison(one: Comparison) -> ComparisonView:
    saved = format_amount(one.saved, one.currency)
    return ComparisonView(price=one.price, against=one.against, words=one.words, saved=saved)


def _cost(one: CouponCost) -> CouponCostView:
    first, year = format_amount(one.first, one.currency), format_amount(one.year, one.currency)
    return CouponCostView(price=one.price, name=one.name, first=first, year=year, why_not=one.why_not)


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
        way=one.way,
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
