"""What is known of a sale, turned into what a buyer is shown."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from babel import Locale

from skurrow.core.countries import COUNTRIES
from skurrow.core.papers.paper import Paper
from skurrow.core.products.price_words import price_words
from skurrow.core.quote.written import Quote
from skurrow.core.site.products import Picture
from skurrow.core.tape.tape import wanted_of
from skurrow.service import addresses
from skurrow.service.counter.baskets import Basket
from skurrow.service.counter.confirmation import Personal
from skurrow.service.counter.opening import Counter
from skurrow.service.counter.pricing import Offered
from skurrow.service.counter.progress import Progress
from skurrow.service.papers import paper_ubl
from skurrow.service.refusal_words import at_counter
from skurrow.service.tax.countries import currency_of
from skurrow.service.tax.tax_numbers import Checked
from skurrow.web.counter.views import (
    AddressFieldView,
    AddressFormView,
    BasketView,
    ConfirmedPaper,
    CounterView,
    CountryName,
    FilledView,
    NumberView,
    PayWayView,
    PersonalView,
    PictureView,
    PriceView,
    ProgressView,
    ThingView,
    VariantView,
)

NAMES = Locale("en").territories


_NUMBER_WORDS = {
    "malformed": "This number has a wrong form or a wrong digit. Look at it once more; as it is, tax is charged.",
    "valid": "{name}: the number is valid.",
    "invalid": "The official register does not know this number. As it is, tax is charged.",
    "no_answer": "The official register does not answer at the moment. You can pay all the same, with tax.",
}
_FEW = 10


def number_view(checked: Checked) -> NumberView:
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
        currency=currency_of(country),
        fields=fields,
        place_by_postal_code=form.place_by_postal_code,
        tax_number=form.tax_number,
    )


def for_buyers(quoted: Quote) -> dict[str, Any]:
    """The quote without notes that are for the desk."""
    written = quoted.as_json(explained=False)
    written["notes"] = [{"code": note.code, "text": note.text} for note in quoted.notes if not note.silent]
    return written


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
        saving=counter.savings.get(priced.price.id),
        before=f"{currency} {earlier}" if (earlier := counter.before.get(priced.price.id)) else None,
        about=priced.product.text,
        refund_days=priced.product.refund_days,
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


def price_views(counter: Counter) -> list[PriceView]:
    """The prices of a checkout, in the currency of its visit."""
    return [_price_view(counter, one) for one in counter.offered]


def basket_view(basket: Basket) -> BasketView:
    """What lies in a basket."""
    things = [ThingView.model_validate(one, from_attributes=True) for one in basket.sold]
    return BasketView(things=things, elsewhere=basket.elsewhere, unsold=list(basket.unsold))


def counter_view(counter: Counter, guessed: str | None = None) -> CounterView:
    country = counter.filled.country if counter.filled else guessed or counter.home
    names = {code: str(NAMES.get(code, code)) for code in counter.countries & COUNTRIES}
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
        currencies=list(counter.currencies),
        chooser=counter.chooser,
        asked=counter.asked,
        prices=price_views(counter),
        price=counter.first,
        several=counter.checkout.takes_several,
        everyday=counter.checkout.everyday,
        listed=counter.checkout.prices,
        basket=basket_view(counter.basket),
        brought=counter.brought and [ThingView.model_validate(one, from_attributes=True) for one in counter.brought],
        adds=counter.adds,
        coupons=counter.coupons,
        coupon_words=counter.checkout.coupon_words,
        coupon=counter.coupon,
        pay=[PayWayView.model_validate(way, from_attributes=True) for way in counter.pay],
        tries_until=counter.tries_until,
        filled=counter.filled and FilledView.model_validate(counter.filled, from_attributes=True),
    )


def progress_view(progress: Progress) -> ProgressView:
    message: str | None = None
    if progress.state == "refused":
        message = at_counter(progress.reason)
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


def personal_view(found: Personal | None, token: str) -> PersonalView:
    if found is None:
        return PersonalView()
    return PersonalView(
        name=found.name, email=found.email, papers=[_paper_view(one, token, found.key) for one in found.papers]
    )


def _paper_view(paper: Paper, token: str, key: str) -> ConfirmedPaper:
    ubl = paper.buyer.person is not None and paper_ubl.why_not(paper) is None
    query = urlencode({"number": paper.number, "key": key})
    return ConfirmedPaper(
        kind=paper.kind.replace("_", " "),
        number=paper.number,
        pdf=f"/thanks/{token}/paper.pdf?{query}",
        ubl=f"/thanks/{token}/paper.xml?{query}" if ubl else None,
    )
