"""What a buyer meets: the counter's pages and its API. A buyer has no cookie; the visit's token says who asks."""

from __future__ import annotations

from dataclasses import asdict
from datetime import date, datetime
from typing import Annotated, Any, Literal
from urllib.parse import urlencode
from uuid import UUID

from babel import Locale
from fastapi import Query, Request, Response
from fastapi.responses import FileResponse
from iptocc import country_code
from pydantic import AfterValidator, BaseModel, ConfigDict, EmailStr, Field
from pydantic_core import to_json

from skurrow.core import places
from skurrow.core.bounds import one_line
from skurrow.core.countries import COUNTRIES
from skurrow.core.money import format_amount
from skurrow.core.papers.papers import Paper
from skurrow.core.products.price_words import price_words
from skurrow.core.quote.quote import Quote
from skurrow.core.site.site import Country, Name, Picture, origin_of
from skurrow.core.tape.tape import wanted_of
from skurrow.service import addresses
from skurrow.service.counter import checking, opening, paying, pricing, returning
from skurrow.service.counter.confirmation import Confirmation, paper_of
from skurrow.service.counter.confirmation import confirmation as paid_page
from skurrow.service.counter.opening import Counter
from skurrow.service.counter.payment import Payment
from skurrow.service.counter.placing import needs_card
from skurrow.service.counter.pricing import Offered
from skurrow.service.counter.progress import Progress
from skurrow.service.counter.progress import progress as progress_now
from skurrow.service.counter.visit import Buying, Choice, Where, held_visit, read_visit
from skurrow.service.draft import pictures
from skurrow.service.draft.configuration import edition_of
from skurrow.service.papers import paper_ubl
from skurrow.service.people import passwords
from skurrow.service.refusals import Closed, NotFound
from skurrow.service.tax import tax_numbers
from skurrow.service.tax.tax_numbers import Checked
from skurrow.store import database
from skurrow.web import pages
from skurrow.web.access import Means, address_of
from skurrow.web.files import FileKind, paper_file
from skurrow.web.pages import BUILT
from skurrow.web.problems import DATABASE_AWAY
from skurrow.web.routes import new_router

router = new_router(tag="counter")

_NAMES = Locale("en").territories
_VISIT = Annotated[str, Field(min_length=1, max_length=1000)]

REFUSALS = {
    "no_funds": "The bank says there is not enough money in the account. Try another card.",
    "lost": "The bank does not take this card any more. Try another card, or ask your bank.",
    "expired": "The bank says this card has expired. Try another card.",
    "card_details": "The card details were not kept long enough. Type the card once more.",
    "not_approved": "The charge was not approved. Nothing was charged; pay again, or in another way.",
    "given_up": "You did not wait for it. Nothing was charged.",
    "returned": "Your bank has sent the direct debit back. Nothing was charged; pay in another way.",
    "closed": "The bank says that this account is closed. Use another one.",
    "not_paid": "The time in which it was to be paid is over. Order again, or pay in another way.",
    "not_taken": "This order cannot be taken. Nothing was charged. Ask the shop if you do not know why.",
    "not_accepted": "The shop's payment service is not working at the moment. Try again later, or tell the shop.",
    "other": "The bank refused this card and did not say why. Try another card, or ask your bank.",
}
"""What a buyer reads when a charge was refused, by reason."""


GatewayToken = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,200}$")]
"""A one-time token of a gateway's fields: letters, digits, hyphens and underscores, nothing that could steer a call."""


class _Given(BaseModel):
    model_config = ConfigDict(extra="forbid")


class CountryName(BaseModel):
    """A country, or a region of one, that can be chosen."""

    code: str
    name: str


class FilledView(BaseModel):
    """What is filled in beforehand for a stand-in buyer."""

    email: str
    name: str
    country: str
    region: str | None
    postal_code: str | None
    tax_number: str | None


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

    `suggested` is what is filled in where the buyer chooses the amount; `kind` is what is sold, and `sends` whether it
    can be sent.
    """

    id: str
    product: str
    kind: str
    sends: bool
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


class AddressFieldView(BaseModel):
    """One field of an address; `choices` where it is one of a list."""

    name: str
    label: str
    required: bool
    autocomplete: str
    example: str | None
    choices: list[CountryName]


class AddressFormView(BaseModel):
    """How a country writes addresses, whether the postal code decides about tax, and what a business's number is
    called where it matters."""

    country: str
    fields: list[AddressFieldView]
    place_by_postal_code: bool
    tax_number: str | None


class WindowView(BaseModel):
    """A payment method of the browser's own window, and what it is told."""

    method: str
    data: dict[str, str]


class PayWayView(BaseModel):
    """A way to pay: in the gateway's own `fields`, at its own site, or by the buyer in person. `waits`: the order waits
    for the money. `window`: the browser's own payment window can pay with it."""

    gateway: str
    label: str
    text: str
    kind: Literal["fields", "off_site", "person"]
    waits: bool
    fields_address: str | None
    origin: str | None
    window: WindowView | None


class CounterView(BaseModel):
    """All that a checkout page shows but the amounts. `price` is chosen at first; `coupon` came with the link.

    `country` is where the buyer seems to be (`guessed`) or the seller's own, with its address form.
    """

    visit: str
    mode: Literal["test", "live"]
    site_name: str
    site_url: str
    colour: str
    heading: str
    text: str | None
    button: str
    country: str
    guessed: bool
    form: AddressFormView
    countries: list[CountryName]
    currency: str
    prices: list[PriceView]
    price: str
    coupons: bool
    coupon: str | None
    pay: list[PayWayView]
    filled: FilledView | None = None


class _Chosen(_Given):
    """What the buyer has chosen; None is what is chosen at first."""

    price: Annotated[str, Field(max_length=60)] | None = None
    quantity: Annotated[int, Field(ge=1, le=9999)] | None = None
    variant: Annotated[str, Field(max_length=60)] | None = None
    chosen: Annotated[str, Field(max_length=20)] | None = None
    coupons: Annotated[list[Annotated[str, Field(min_length=1, max_length=40)]], Field(max_length=10)] = []
    delivery: Annotated[str, Field(max_length=60)] | None = None

    def choice(self) -> Choice:
        """The same for the service."""
        return Choice(self.price, self.quantity, self.variant, self.chosen, tuple(self.coupons), self.delivery)


_Part = Annotated[str, Field(max_length=200), AfterValidator(one_line)]


class AddressGiven(_Given):
    """An address as far as it is typed, in the fields of the country's form."""

    street: _Part | None = None
    district: _Part | None = None
    city: _Part | None = None
    region: _Part | None = None
    postal_code: Annotated[str, Field(max_length=20)] | None = None
    sorting_code: Annotated[str, Field(max_length=20)] | None = None


class ParcelTo(AddressGiven):
    """Where and to whom a parcel goes that does not go to the buyer."""

    name: Annotated[str, Field(max_length=120), AfterValidator(one_line)] = ""
    country: Country


class _Buying(_Chosen):
    """Who buys: country and address, where parcels go, and a business with its tax number."""

    visit: _VISIT
    country: Country
    address: AddressGiven = AddressGiven()
    deliver_to: ParcelTo | None = None
    business: bool = False
    tax_number: Annotated[str, Field(max_length=40), AfterValidator(one_line)] | None = None

    def buying(self) -> Buying:
        """The same for the service."""
        to = self.deliver_to
        return Buying(
            Where(self.country, self.address.region, self.address.postal_code),
            Where(to.country, to.region, to.postal_code) if to else None,
            self.business,
            self.tax_number,
        )


class QuoteRequest(_Buying):
    """A buyer and a choice; the email address where it is known, for what is limited by customer."""

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
    """One tax in the total, or an amount without tax."""

    place: str
    name: str
    rate: str
    treatment: str = "standard"
    base: str
    amount: str


class QuoteDelivery(BaseModel):
    """What is paid for delivery today; `amount` is its price as the owner wrote it."""

    name: str
    amount: str
    total: str


class WayView(BaseModel):
    """A way of delivery that can be chosen, and what it costs."""

    id: str
    name: str
    amount: str
    pick_up: bool


class NumberView(BaseModel):
    """What is known of a tax number."""

    state: Literal["malformed", "valid", "invalid", "no_answer"]
    words: str


class QuoteNote(BaseModel):
    """Something the buyer should know."""

    code: str
    text: str


class QuoteView(BaseModel):
    """What a buyer has to pay, as the core has computed it. `keeps`: what they pay with is kept, to be charged later.

    `untaxed_total` is the tax that came off because none is due. `ways` are the ways of delivery there are, `way` the
    one that is reckoned with; `pay_with` the gateways that take it;
    `region` follows from the postal code where it does; `seen_in` asks the buyer which
    country is right.
    """

    currency: str
    tax_included: bool = True
    lines: list[QuoteLine]
    delivery: QuoteDelivery | None = None
    untaxed_total: str | None = None
    ways: list[WayView] = []
    way: str | None = None
    number: NumberView | None = None
    needs_postal_code: bool = False
    region: str | None = None
    seen_in: CountryName | None = None
    taxes: list[QuoteTax]
    discounts: list[QuoteDiscount] = []
    discount_total: str
    due_today: str
    tax_total: str
    later: list[QuoteLater] = []
    plan: list[str] = []
    keeps: bool = False
    pay_with: list[str] = []
    notes: list[QuoteNote]


class PayRequest(_Buying):
    """A press of the pay button. `expected` is the amount that stood beside it; without an amount there is no token.
    `lives_here`: the buyer has said that the country is right, whatever the connection seems to say. A `password` is
    for the account page, where subscriptions are looked after."""

    email: EmailStr
    name: Name
    company: Annotated[str, Field(max_length=120), AfterValidator(one_line)] | None = None
    lives_here: bool = False
    password: Annotated[str, Field(max_length=1000)] | None = None
    way: Annotated[str, Field(max_length=60)] | None = None
    token: GatewayToken | None = None
    expected: Annotated[str, Field(max_length=20)]


class NumberRequest(_Given):
    """A business's tax number as it was typed, and its country."""

    visit: _VISIT
    country: Country
    number: Annotated[str, Field(min_length=1, max_length=40)]


class VisitRequest(_Given):
    """A visit."""

    visit: _VISIT


class ResumeRequest(_Given):
    """The visit that the browser has kept, and the one that came with the page."""

    visit: _VISIT
    fresh: _VISIT


class ComeBack(_Given):
    """The way back that the address carried, the visit that came with the page, and the one that the browser keeps."""

    back: Annotated[str, Field(min_length=1, max_length=1000)]
    fresh: _VISIT
    visit: _VISIT | None = None


class ProgressView(BaseModel):
    """How far the order is; `message` is for the buyer, `confirmation` an address once it is paid or waits for its
    money, `approve_at` the page of the gateway where the buyer approves the charge first, leaving for it if it is
    `off_site`; `way` is the gateway."""

    state: Literal["none", "open", "pending", "refused", "waiting", "paid", "cancelled"]
    message: str | None = None
    confirmation: str | None = None
    paid_at: datetime | None = None
    approve_at: str | None = None
    off_site: bool = False
    way: str | None = None


class Resumed(BaseModel):
    """A visit gone on with."""

    counter: CounterView
    progress: ProgressView


# -- the API ----------------------------------------------------------------------------------------------


@router.post("/counter/api/resume")
async def resume(body: ResumeRequest, context: Means, request: Request) -> Resumed:
    """Goes on with a visit that the browser has kept."""
    counter, progress = await returning.resume(context, body.visit, body.fresh)
    view = _counter_view(counter, _guessed_country(request))
    return Resumed(counter=view, progress=_progress_view(progress))


@router.post("/counter/api/come-back")
async def come_back(body: ComeBack, context: Means, request: Request) -> Resumed:
    """Tells a buyer who comes back from paying elsewhere how the order stands. Asked again, until that is decided."""
    counter, progress = await returning.come_back(context, body.back, body.fresh, body.visit)
    return Resumed(counter=_counter_view(counter, _guessed_country(request)), progress=_progress_view(progress))


@router.post("/counter/api/quote", response_model=QuoteView)
async def quote(body: QuoteRequest, context: Means, request: Request) -> Response:
    """What the buyer has to pay. The core's own JSON goes out as it is; it holds at least what is declared."""
    visit = read_visit(context, body.visit)
    priced = await pricing.quote_visit(context, visit, body.buying(), body.choice(), body.email, address_of(request))
    edition = await edition_of(context, visit.site_id, visit.change)
    written = _for_buyers(priced.quote)
    written["keeps"] = bool(priced.quote.later) and needs_card(edition, priced.quote)
    written["ways"] = [asdict(way) for way in priced.ways]
    written["way"] = priced.way
    written["number"] = _number_view(priced.number).model_dump() if priced.number else None
    written["pay_with"] = await pricing.ways_to_pay(context, visit, priced, body.country)
    written["needs_postal_code"] = checking.needs_postal_code(edition, body.country)
    region = places.region_of(body.country, body.address.region, body.address.postal_code)
    written["region"] = region.partition("-")[2] if region else None
    seen = _seen_in(request)
    if checking.asks_where(priced.quote, body.country, seen):
        written["seen_in"] = {"code": seen, "name": str(_NAMES.get(seen or "", seen))}
    return Response(to_json(written), media_type="application/json")


@router.post("/counter/api/tax-number")
async def tax_number(body: NumberRequest, context: Means) -> NumberView:
    """Asks the official look-up about a business's tax number; it may not answer, and the sale goes on."""
    visit = read_visit(context, body.visit)
    return _number_view(await tax_numbers.ask(context, visit.site_id, visit.mode, body.number, body.country))


@router.get("/counter/api/address/{country}")
async def address_form(country: Country, response: Response) -> AddressFormView:
    """How a country writes addresses."""
    response.headers["Cache-Control"] = "public, max-age=86400"
    return form_view(country)


@router.post("/counter/api/pay")
async def pay(body: PayRequest, context: Means, request: Request) -> ProgressView:
    """Pays once, however often it is asked."""
    visit = read_visit(context, body.visit)
    payment = Payment(
        body.email,
        body.name,
        body.country,
        body.token,
        body.expected,
        body.choice(),
        body.address.model_dump(),
        body.deliver_to.model_dump() if body.deliver_to else None,
        body.business,
        body.company,
        body.tax_number,
        _seen_in(request),
        body.lives_here,
        body.way,
        address_of(request),
        language(request),
        body.password,
    )
    if body.password:
        passwords.check(body.password)
    return _progress_view(await paying.pay(context, visit, payment))


@router.post("/counter/api/give-up")
async def give_up(body: VisitRequest, context: Means) -> ProgressView:
    """Ends the wait for an open payment, so that the order can be paid in another way."""
    return _progress_view(await paying.give_up(context, held_visit(context, body.visit)))


@router.post("/counter/api/progress")
async def progress(body: VisitRequest, context: Means) -> ProgressView:
    """How far the order is."""
    return _progress_view(await progress_now(context, held_visit(context, body.visit)))


# -- pages ------------------------------------------------------------------------------------------------


def _not_open(closed: Closed) -> Response:
    shop = None if closed.shop is None else {"name": closed.shop.name, "url": closed.shop.url}
    return pages.counter({"page": "closed", "message": str(closed), "shop": shop}, "Not open", 503)


@router.get("/buy/{code}", include_in_schema=False)
async def checkout_page(
    code: str,
    context: Means,
    request: Request,
    test: Annotated[str | None, Query(max_length=500)] = None,
    coupon: Annotated[str | None, Query(max_length=40)] = None,
    back: Annotated[str | None, Query(max_length=1000)] = None,
) -> Response:
    """The checkout as a page, on its own or in a frame. `back` says which order somebody comes back from paying."""
    try:
        counter = await opening.open_counter(context, code, test, coupon, address_of(request))
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such checkout", 404)
    except Closed as closed:
        return _not_open(closed)
    except database.DATABASE_AWAY:
        return away()
    view = _counter_view(counter, _guessed_country(request))
    boot = {"page": "checkout", "code": code, "counter": view.model_dump(mode="json"), "back": back}
    title = f"{view.heading} · {counter.site_name}"
    return pages.counter(boot, title, 200, _origins(counter), _framers(context, counter.site_url))


@router.get("/preview/{token}", include_in_schema=False)
async def preview_page(token: str, context: Means) -> Response:
    """The working checkout for a stand-in buyer, with what they type filled in; the desk alone may frame it."""
    try:
        counter = await opening.open_preview(context, token)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such preview", 404)
    except Closed as closed:
        return _not_open(closed)
    except database.DATABASE_AWAY:
        return away()
    view = _counter_view(counter)
    boot = {"page": "checkout", "code": None, "counter": view.model_dump(mode="json")}
    return pages.counter(boot, view.heading, 200, _origins(counter), [context.settings.desk_url])


@router.get("/thanks/{token}", include_in_schema=False)
async def confirmation_page(token: str, context: Means) -> Response:
    """The confirmation of a paid order; worth keeping, so its address lasts."""
    try:
        found = await paid_page(context, token)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such page", 404)
    except database.DATABASE_AWAY:
        return away()
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
        "state": order.state,
        "paid_at": order.paid_at.isoformat() if order.paid_at else None,
        "paid_by": found.paid_by,
        "awaited": _awaited_boot(found),
        "back": found.back,
        "checkout": found.checkout_code,
        "again": f"/buy/{found.checkout_code}" if found.checkout_code else None,
        "amount": format_amount(order.total, order.currency),
        "quote": QuoteView.model_validate(order.quote).model_dump(mode="json"),
        "papers": [_paper_boot(one, token) for one in found.papers],
        "promises": _promises(found.papers[0]) if found.papers else [],
    }
    return pages.counter(boot, f"Thank you · {found.site_name}", 200, [], _framers(context, found.site_url))


@router.get("/thanks/{token}/paper.{kind}", include_in_schema=False)
async def confirmed_paper(
    token: str, kind: FileKind, number: Annotated[str, Query(max_length=60)], context: Means
) -> Response:
    """A paper of a paid order, by its number."""
    try:
        return await paper_file(await paper_of(context, token, number), kind)
    except NotFound:
        return pages.counter({"page": "unknown"}, "No such paper", 404)
    except database.DATABASE_AWAY:
        return away()


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


def _origins(counter: Counter) -> list[str]:
    """Where a checkout's frames may come from. Banks' pages of a gateway are on its origin."""
    return [way.origin for way in counter.pay if way.origin is not None]


def _awaited_boot(found: Confirmation) -> dict[str, Any] | None:
    """What a waiting order's page says of paying."""
    awaited = found.awaited
    if awaited is None:
        return None
    written = asdict(awaited)
    for name in ("due_on", "expected_on"):
        written[name] = written[name].isoformat() if written[name] else None
    return {**written, "may_give_up": awaited.gateway != "invoice"}


def _promises(paper: Paper) -> list[dict[str, str]]:
    """Until when what was bought can be given back by the shop's promise."""
    return [
        {"name": line.name, "until": line.refund_until.isoformat()}
        for line in paper.lines
        if line.refund_until is not None
    ]


def _paper_boot(paper: Paper, token: str) -> dict[str, str | None]:
    """Where a paper of a confirmed order is; businesses are offered it for their bookkeeping programs, too."""
    ubl = paper.buyer.person is not None and paper_ubl.why_not(paper) is None
    query = urlencode({"number": paper.number})
    return {
        "kind": paper.kind.replace("_", " "),
        "number": paper.number,
        "pdf": f"/thanks/{token}/paper.pdf?{query}",
        "ubl": f"/thanks/{token}/paper.xml?{query}" if ubl else None,
    }


_NUMBER_WORDS = {
    "malformed": "This number has a wrong form or a wrong digit. Look at it once more; as it is, tax is charged.",
    "valid": "{name}: the number is valid.",
    "invalid": "The official register does not know this number. As it is, tax is charged.",
    "no_answer": "The official register does not answer at the moment. You can pay all the same, with tax.",
}


def _number_view(checked: Checked) -> NumberView:
    words = _NUMBER_WORDS[checked.state].format(name=checked.name or "Thank you")
    return NumberView(state=checked.state, words=words)


def form_view(country: str) -> AddressFormView:
    """How a country writes addresses."""
    form = addresses.form(country)
    fields = [
        AddressFieldView(
            name=one.name,
            label=one.label,
            required=one.required,
            autocomplete=one.autocomplete,
            example=one.example,
            choices=[CountryName(code=code, name=name) for code, name in one.choices],
        )
        for one in form.fields
    ]
    return AddressFormView(
        country=country,
        fields=fields,
        place_by_postal_code=form.place_by_postal_code,
        tax_number=form.tax_number,
    )


def _seen_in(request: Request) -> str | None:
    """The country that the connection seems to come from, by where its address was given out: weak evidence."""
    found = country_code(address_of(request))
    return found if found in COUNTRIES else None


def language(request: Request) -> str | None:
    """The browser's first language, in which mails are written where we can."""
    first = request.headers.get("accept-language", "").split(",")[0].split(";")[0].strip()
    return first if first and len(first) <= _LONGEST_LANGUAGE and first.replace("-", "").isalnum() else None


_LONGEST_LANGUAGE = 20


def _guessed_country(request: Request) -> str | None:
    """The country of the connection or, if that says nothing, of the browser's first language.

    American English says nothing: it is what browsers come with everywhere.
    """
    first = request.headers.get("accept-language", "").split(",")[0].split(";")[0].strip()
    region = "" if first.casefold() == "en-us" else first.partition("-")[2].upper()
    return _seen_in(request) or (region if region in COUNTRIES else None)


def away() -> Response:
    """What is shown while the database is away."""
    return pages.counter({"page": "away", "message": DATABASE_AWAY}, "One moment", 503)


def _framers(context: Means, site_url: str) -> list[str]:
    """Who may show the counter in a frame: the site itself, the desk, and the stand-ins of this machine."""
    return [origin_of(site_url), context.settings.desk_url, *context.settings.stand_in_origins]


def _for_buyers(quoted: Quote) -> dict[str, Any]:
    """The quote without notes that are for the desk."""
    written = quoted.as_json(explained=False)
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
        kind=priced.product.kind,
        sends=priced.product.kind == "goods" and counter.sends,
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


def _counter_view(counter: Counter, guessed: str | None = None) -> CounterView:
    country = counter.filled.country if counter.filled else guessed or counter.home
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
        country=country,
        guessed=guessed is not None and counter.filled is None,
        form=form_view(country),
        countries=[CountryName(code=code, name=name) for code, name in ordered],
        currency=counter.currency,
        prices=[_price_view(counter, one) for one in counter.offered],
        price=counter.first,
        coupons=counter.coupons,
        coupon=counter.coupon,
        pay=[PayWayView.model_validate(way, from_attributes=True) for way in counter.pay],
        filled=counter.filled and FilledView.model_validate(counter.filled, from_attributes=True),
    )


def _progress_view(progress: Progress) -> ProgressView:
    message: str | None = None
    if progress.state == "refused":
        message = REFUSALS.get(progress.reason or "other", REFUSALS["other"])
    where: Any = progress.confirmation and f"/thanks/{progress.confirmation}"
    return ProgressView(
        state=progress.state,
        message=message,
        confirmation=where,
        paid_at=progress.paid_at,
        approve_at=progress.approve_at,
        off_site=progress.off_site,
        way=progress.way,
    )
