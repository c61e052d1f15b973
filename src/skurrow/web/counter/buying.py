"""What a buyer meets: the counter's pages and its API. A buyer has no cookie; the visit's token says who asks."""

from __future__ import annotations

from fastapi import Request, Response
from pydantic_core import to_json

from skurrow.core import places
from skurrow.core.site.values import Country
from skurrow.service.counter import baskets, checking, confirmation, paying, pricing, returning
from skurrow.service.counter.payment import Payment
from skurrow.service.counter.placing import needs_card
from skurrow.service.counter.progress import progress as progress_now
from skurrow.service.counter.visit import held_visit, read_visit
from skurrow.service.draft.configuration import edition_of
from skurrow.service.people import passwords
from skurrow.service.tax import tax_numbers
from skurrow.web.access import Means, address_of
from skurrow.web.counter.given import (
    BasketRequest,
    ComeBack,
    ConfirmationRequest,
    CurrencyRequest,
    NumberRequest,
    PayRequest,
    QuoteRequest,
    ResumeRequest,
    VisitRequest,
)
from skurrow.web.counter.showing import (
    NAMES,
    basket_view,
    counter_view,
    for_buyers,
    form_view,
    number_view,
    personal_view,
    price_views,
    progress_view,
)
from skurrow.web.counter.views import (
    AddressFormView,
    InBasket,
    InCurrency,
    NumberView,
    PersonalView,
    ProgressView,
    QuoteView,
    Resumed,
)
from skurrow.web.counter.whence import guessed_country, language, seen_in_country
from skurrow.web.routes import new_router

router = new_router(tag="counter")


# -- the API ----------------------------------------------------------------------------------------------


@router.post("/counter/api/resume")
async def resume(body: ResumeRequest, context: Means, request: Request) -> Resumed:
    """Goes on with a visit that the browser has kept."""
    counter, progress = await returning.resume(context, body.visit, body.fresh, body.basket)
    view = counter_view(counter, guessed_country(request))
    return Resumed(counter=view, progress=progress_view(progress))


@router.post("/counter/api/come-back")
async def come_back(body: ComeBack, context: Means, request: Request) -> Resumed:
    """Tells a buyer who comes back from paying elsewhere how the order stands. Asked again, until that is decided."""
    counter, progress = await returning.come_back(context, body.back, body.fresh, body.visit, body.basket)
    return Resumed(counter=counter_view(counter, guessed_country(request)), progress=progress_view(progress))


@router.post("/counter/api/currency")
async def change_currency(body: CurrencyRequest, context: Means) -> InCurrency:
    """The same visit in another currency."""
    visit = read_visit(context, body.visit)
    counter = await returning.change_currency(context, visit, body.currency, body.basket)
    return InCurrency(visit=counter.visit, currency=counter.currency, prices=price_views(counter))


@router.post("/counter/api/basket")
async def basket(body: BasketRequest, context: Means, request: Request) -> InBasket:
    """Puts things into a basket, takes them out, or says what lies in it."""
    visit = read_visit(context, body.visit)
    if body.put or body.anew:
        things = [one.thing() for one in body.put]
        await baskets.put(context, visit, body.basket, things, body.anew, address_of(request), body.more)
    counter = await returning.with_basket(context, visit, body.basket)
    return InBasket(basket=basket_view(counter.basket), prices=price_views(counter))


@router.post("/counter/api/quote", response_model=QuoteView)
async def quote(body: QuoteRequest, context: Means, request: Request) -> Response:
    """What the buyer has to pay. The core's own JSON goes out as it is; it holds at least what is declared."""
    visit = read_visit(context, body.visit)
    priced = await pricing.quote_visit(context, visit, body.buyer(), body.choice(), body.email, address_of(request))
    edition = await edition_of(context, visit.site_id, visit.change)
    written = for_buyers(priced.quote)
    written["keeps"] = bool(priced.quote.later) and needs_card(edition, priced.quote)
    written["ways"] = priced.ways
    written["way"] = priced.way
    written["number"] = number_view(priced.number).model_dump() if priced.number else None
    written["pay_with"] = await pricing.ways_to_pay(context, visit, priced, body.country)
    written["needs_postal_code"] = checking.needs_postal_code(edition, body.country)
    region = places.region_of(body.country, body.address.region, body.address.postal_code)
    written["region"] = region.partition("-")[2] if region else None
    seen = seen_in_country(request)
    if checking.asks_where(priced.quote, body.country, seen):
        written["seen_in"] = {"code": seen, "name": str(NAMES.get(seen or "", seen))}
    return Response(to_json(written), media_type="application/json")


@router.post("/counter/api/tax-number")
async def tax_number(body: NumberRequest, context: Means) -> NumberView:
    """Asks the official look-up about a business's tax number; it may not answer, and the sale goes on."""
    visit = read_visit(context, body.visit)
    return number_view(await tax_numbers.ask(context, visit.site_id, visit.mode, body.number, body.country))


@router.get("/counter/api/address/{country}")
async def address_form(country: Country, response: Response) -> AddressFormView:
    """How a country writes addresses."""
    response.headers["Cache-Control"] = "public, max-age=86400"
    return form_view(country)


@router.post("/counter/api/pay")
async def pay(body: PayRequest, context: Means, request: Request) -> ProgressView:
    """Pays once, however often it is asked."""
    visit = read_visit(context, body.visit)
    buyer = body.kept(seen_in_country(request), language(request))
    payment = Payment(
        buyer,
        body.token,
        body.expected,
        body.choice(),
        body.way,
        address_of(request),
        body.password,
        body.currency,
        body.basket,
    )
    if body.password:
        passwords.check(body.password)
    return progress_view(await paying.pay(context, visit, payment))


@router.post("/counter/api/give-up")
async def give_up(body: VisitRequest, context: Means) -> ProgressView:
    """Ends the wait for an open payment, so that the order can be paid in another way."""
    return progress_view(await paying.give_up(context, held_visit(context, body.visit)))


@router.post("/counter/api/confirmation")
async def personal(body: ConfirmationRequest, context: Means) -> PersonalView:
    """What of a confirmation only its buyer sees; nothing of it to anybody else."""
    found = await confirmation.personal(context, body.token, body.visit, body.key)
    return personal_view(found, body.token)


@router.post("/counter/api/progress")
async def progress(body: VisitRequest, context: Means) -> ProgressView:
    """How far the order is."""
    return progress_view(await progress_now(context, held_visit(context, body.visit)))
