"""What a buyer meets: the counter's pages and its API. A buyer has no cookie; the visit's token says who asks."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal
from urllib.parse import urlsplit
from uuid import UUID

from babel import Locale
from fastapi import APIRouter, Query, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, ConfigDict, EmailStr, Field
from pydantic_core import to_json

from skurrow.core.countries import COUNTRIES
from skurrow.core.money import format_amount
from skurrow.core.price_words import price_words
from skurrow.core.quote import Quote
from skurrow.core.site import Country, Name, Picture
from skurrow.core.tape import wanted_of
from skurrow.service import pictures, selling, visits
from skurrow.service.refusals import Closed, NotFound
from skurrow.service.selling import Payment, Progress
from skurrow.service.visits import Choice, Counter, Offered
from skurrow.store import database
from skurrow.web import pages
from skurrow.web.access import Means
from skurrow.web.pages import BUILT
from skurrow.web.problems import DATABASE_AWAY

router = APIRouter(tags=["counter"])

_NAMES = Locale("en").territories
_VISIT = Annotated[str, Field(min_length=1, max_length=1000)]

REFUSALS = {
    "no_funds": "The bank says there is not enough money in the account. Try another card.",
    "lost": "The bank does not take this card any more. Try another card, or ask your bank.",
    "expired": "The bank says this card has expired. Try another card.",
    "card_details": "The card details were not kept long enough. Type the card once more.",
    "not_accepted": "The shop's payment service is not working at the moment. Try again later, or tell the shop.",
    "other": "The bank refused this card and did not say why. Try another card, or ask your bank.",
}
"""What a buyer reads when a charge was refused, by reason."""


class _Given(BaseModel):
    model_config = ConfigDict(extra="forbid")


class CountryName(BaseModel):
    """A country that can be chosen."""

    code: str
    name: str


class FilledView(BaseModel):
    """What is filled in beforehand for a stand-in buyer."""

    email: str
    name: str
    country: str


class PictureView(BaseModel):
    """A picture by its address, and what it shows."""

    address: str
    text: str


class VariantView(BaseModel):
    """A variant that can be chosen; `left` says how many there are where that is counted and few."""

    id: str
    name: str
    sold_out: bool
    left: int | None
    picture: PictureView | None


class PriceView(BaseModel):
    """A price that can be chosen: what it is called, what it costs in a few words, and what has to be chosen about it.

    `chosen` is what is filled in where the buyer chooses the amount, and the least there is.
    """

    id: str
    product: str
    label: str
    words: str
    text: str | None
    smallest: int
    largest: int
    suggested: str | None
    sold_out: bool
    left: int | None
    variants: list[VariantView]
    picture: PictureView | None


class CounterView(BaseModel):
    """All that a checkout page shows but the amounts. `price` is chosen at first; `coupon` came with the link."""

    visit: str
    mode: Literal["test", "live"]
    site_name: str
    site_url: str
    colour: str
    heading: str
    text: str | None
    button: str
    country: str
    countries: list[CountryName]
    currency: str
    prices: list[PriceView]
    price: str
    coupons: bool
    coupon: str | None
    fields_address: str
    gateway_origin: str
    filled: FilledView | None = None


class _Chosen(_Given):
    """What the buyer has chosen; None is what is chosen at first."""

    price: Annotated[str, Field(max_length=60)] | None = None
    quantity: Annotated[int, Field(ge=1, le=9999)] | None = None
    variant: Annotated[str, Field(max_length=60)] | None = None
    chosen: Annotated[str, Field(max_length=20)] | None = None
    coupons: Annotated[list[Annotated[str, Field(min_length=1, max_length=40)]], Field(max_length=10)] = []

    def choice(self) -> Choice:
        """The same for the service."""
        return Choice(self.price, self.quantity, self.variant, self.chosen, tuple(self.coupons))


class QuoteRequest(_Chosen):
    """A buyer's country and choice; the email address where it is known, for what is limited by customer."""

    visit: _VISIT
    country: Country
    email: Annotated[str, Field(max_length=254)] = ""


class QuoteLine(BaseModel):
    """One thing bought."""

    price: str
    name: str
    quantity: int
    unit: str
    subtotal: str
    discount: str
    total: str


class QuoteLater(BaseModel):
    """What is charged on a later day."""

    on: date
    prices: list[str]
    tax: str
    total: str


class QuoteDiscount(BaseModel):
    """What a discount takes off today; `coupon` is None for one that the thing itself brings along."""

    coupon: str | None
    name: str
    words: str
    amount: str


class QuoteTax(BaseModel):
    """One tax in the total."""

    place: str
    name: str
    rate: str
    base: str
    amount: str


class QuoteNote(BaseModel):
    """Something the buyer should know."""

    code: str
    text: str


class QuoteView(BaseModel):
    """What a buyer has to pay, as the core has computed it. `payable` is false while Skurrow cannot charge it."""

    currency: str
    lines: list[QuoteLine]
    taxes: list[QuoteTax]
    discounts: list[QuoteDiscount] = []
    discount_total: str
    due_today: str
    tax_total: str
    later: list[QuoteLater] = []
    plan: list[str] = []
    payable: bool = True
    notes: list[QuoteNote]


class PayRequest(_Chosen):
    """A press of the pay button. `expected` is the amount that stood beside it; without an amount there is no token."""

    visit: _VISIT
    email: EmailStr
    name: Name
    country: Country
    token: Annotated[str, Field(min_length=1, max_length=200)] | None = None
    expected: Annotated[str, Field(max_length=20)]


class VisitRequest(_Given):
    """A visit."""

    visit: _VISIT


class ResumeRequest(_Given):
    """The visit that the browser has kept, and the one that came with the page."""

    visit: _VISIT
    fresh: _VISIT


class ProgressView(BaseModel):
    """How far the order is; `message` is for the buyer, `confirmation` an address once it is paid."""

    state: Literal["none", "open", "pending", "refused", "paid"]
    message: str | None = None
    confirmation: str | None = None
    paid_at: datetime | None = None


class Resumed(BaseModel):
    """A visit gone on with."""

    counter: CounterView
    progress: ProgressView


# -- the API ----------------------------------------------------------------------------------------------


@router.post("/counter/api/resume")
async def resume(body: ResumeRequest, context: Means) -> Resumed:
    """Goes on with a visit that the browser has kept."""
    counter, progress = await selling.resume(context, body.visit, body.fresh)
    return Resumed(counter=_counter_view(counter), progress=_progress_view(progress))


@router.post("/counter/api/quote", response_model=QuoteView)
async def quote(body: QuoteRequest, context: Means) -> Response:
    """What the buyer has to pay. The core's own JSON goes out as it is; it holds at least what is declared."""
    visit = visits.read_visit(context, body.visit)
    quoted = await visits.quote_visit(context, visit, body.country, body.choice(), body.email)
    return Response(to_json(_for_buyers(quoted)), media_type="application/json")


@router.post("/counter/api/pay")
async def pay(body: PayRequest, context: Means) -> ProgressView:
    """Pays once, however often it is asked."""
    visit = visits.read_visit(context, body.visit)
    payment = Payment(body.email, body.name, body.country, body.token, body.expected, body.choice())
    return _progress_view(await selling.pay(context, visit, payment))


@router.post("/counter/api/progress")
async def progress(body: VisitRequest, context: Means) -> ProgressView:
    """How far the order is."""
    return _progress_view(await selling.progress(context, visits.read_visit(context, body.visit)))


# -- pages ------------------------------------------------------------------------------------------------


@router.get("/buy/{code}", include_in_schema=False)
async def checkout_page(
    code: str,
    context: Means,
    test: Annotated[str | None, Query(max_length=500)] = None,
    coupon: Annotated[str | None, Query(max_length=40)] = None,
) -> Response:
    """The checkout as a page, on its own or in a frame."""
    try:
        counter = await visits.open_counter(context, code, test, coupon)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such checkout", 404)
    except Closed as closed:
        return pages.counter({"page": "closed", "message": str(closed)}, "Not open", 503)
    except database.DATABASE_AWAY:
        return _away()
    view = _counter_view(counter)
    boot = {"page": "checkout", "code": code, "counter": view.model_dump(mode="json")}
    title = f"{view.heading} · {counter.site_name}"
    return pages.counter(boot, title, 200, counter.gateway_origin, _framers(context, counter.site_url))


@router.get("/preview/{token}", include_in_schema=False)
async def preview_page(token: str, context: Means) -> Response:
    """The working checkout for a stand-in buyer, with what they type filled in; the desk alone may frame it."""
    try:
        counter = await visits.open_preview(context, token)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such preview", 404)
    except Closed as closed:
        return pages.counter({"page": "closed", "message": str(closed)}, "Not open", 503)
    except database.DATABASE_AWAY:
        return _away()
    view = _counter_view(counter)
    boot = {"page": "checkout", "code": None, "counter": view.model_dump(mode="json")}
    return pages.counter(boot, view.heading, 200, counter.gateway_origin, [context.settings.desk_url])


@router.get("/thanks/{token}", include_in_schema=False)
async def confirmation_page(token: str, context: Means) -> Response:
    """The confirmation of a paid order; worth keeping, so its address lasts."""
    try:
        found = await selling.confirmation(context, token)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such page", 404)
    except database.DATABASE_AWAY:
        return _away()
    order = found.order
    boot = {
        "page": "confirmation",
        "mode": order.mode,
        "site_name": found.site_name,
        "site_url": found.site_url,
        "colour": found.colour,
        "code": order.code,
        "name": order.buyer["name"],
        "email": order.buyer["email"],
        "paid_at": order.paid_at.isoformat() if order.paid_at else None,
        "card_ending": found.card_ending,
        "amount": format_amount(order.total, order.currency),
        "quote": QuoteView.model_validate(order.quote).model_dump(mode="json"),
    }
    return pages.counter(boot, f"Thank you · {found.site_name}", 200, None, _framers(context, found.site_url))


@router.get("/pictures/{site_id}/{name}", include_in_schema=False)
async def picture(site_id: UUID, name: str, context: Means) -> Response:
    """A picture of a site; a name never means another one, so it may be kept for ever."""
    found = await pictures.content(context, site_id, name)
    headers = {
        "Cache-Control": "public, max-age=31536000, immutable",
        "Content-Security-Policy": "default-src 'none'",
        "X-Content-Type-Options": "nosniff",
        "Access-Control-Allow-Origin": "*",
    }
    return Response(found, media_type=pictures.MEDIA_TYPE, headers=headers)


@router.get("/embed.js", include_in_schema=False)
async def embed_script() -> Response:
    """The script that opens checkouts over the page."""
    headers = {"Cache-Control": "public, max-age=300", "Access-Control-Allow-Origin": "*"}
    return FileResponse(BUILT / "embed.js", media_type="text/javascript", headers=headers)


# -- within -----------------------------------------------------------------------------------------------


def _away() -> Response:
    return pages.counter({"page": "away", "message": DATABASE_AWAY}, "One moment", 503)


def _framers(context: Means, site_url: str) -> list[str]:
    """Who may show the counter in a frame: the site itself, the desk, and the stand-ins of this machine."""
    parts = urlsplit(site_url)
    return [f"{parts.scheme}://{parts.netloc}", context.settings.desk_url, *context.settings.stand_in_origins]


def _for_buyers(quoted: Quote) -> dict[str, Any]:
    """The quote without notes that are for the desk, and whether it can be paid."""
    written = quoted.as_json(explained=False)
    written["payable"] = not quoted.later
    written["notes"] = [{"code": note.code, "text": note.text} for note in quoted.notes if not note.silent]
    return written


_FEW = 10


def _price_view(counter: Counter, one: Offered) -> PriceView:
    priced, currency = one.priced, counter.currency
    wanted = wanted_of(priced, currency)
    limits = priced.price.at_counter
    variants = [
        VariantView(
            id=variant.id,
            name=variant.name,
            sold_out=_sold_out(one.variants_left[variant.id], limits.min),
            left=_few(one.variants_left[variant.id]),
            picture=_picture(counter, variant.picture),
        )
        for variant in priced.product.variants
    ]
    gone = all(variant.sold_out for variant in variants) if variants else _sold_out(one.left, limits.min)
    return PriceView(
        id=priced.price.id,
        product=priced.product.name,
        label=priced.price.label or priced.product.name,
        words=price_words(priced, currency),
        text=priced.price.text,
        smallest=limits.min,
        largest=limits.max,
        suggested=wanted.chosen,
        sold_out=gone,
        left=_few(one.left),
        variants=variants,
        picture=_picture(counter, priced.product.picture),
    )


def _picture(counter: Counter, picture: Picture | None) -> PictureView | None:
    if picture is None:
        return None
    return PictureView(address=f"/pictures/{counter.site_id}/{picture.name}", text=picture.text)


def _sold_out(left: int | None, least: int) -> bool:
    return left is not None and left < least


def _few(left: int | None) -> int | None:
    return left if left is not None and left <= _FEW else None


def _counter_view(counter: Counter) -> CounterView:
    names = {code: str(_NAMES.get(code, code)) for code in counter.countries & COUNTRIES}
    ordered = sorted(names.items(), key=lambda entry: entry[1])
    return CounterView(
        visit=counter.visit,
        mode=counter.mode,
        site_name=counter.site_name,
        site_url=counter.site_url,
        colour=counter.colour,
        heading=counter.checkout.heading or counter.checkout.name,
        text=counter.checkout.text,
        button=counter.checkout.button,
        country=counter.home,
        countries=[CountryName(code=code, name=name) for code, name in ordered],
        currency=counter.currency,
        prices=[_price_view(counter, one) for one in counter.offered],
        price=counter.first,
        coupons=counter.coupons,
        coupon=counter.coupon,
        fields_address=counter.fields_address,
        gateway_origin=counter.gateway_origin,
        filled=counter.filled and FilledView.model_validate(counter.filled, from_attributes=True),
    )


def _progress_view(progress: Progress) -> ProgressView:
    message: str | None = None
    if progress.state == "refused":
        message = REFUSALS.get(progress.reason or "other", REFUSALS["other"])
    where: Any = progress.confirmation and f"/thanks/{progress.confirmation}"
    return ProgressView(state=progress.state, message=message, confirmation=where, paid_at=progress.paid_at)
