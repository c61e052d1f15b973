"""The open list of prices: read-only, kept by browsers and caches for a minute, for any page and any cart to read."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import Query, Response
from pydantic import BaseModel

from skurrow.core.money import format_amount
from skurrow.core.products.price_words import price_words
from skurrow.service.counter import price_list
from skurrow.service.counter.price_list import Listed, PriceList, amounts_of
from skurrow.web.access import Means
from skurrow.web.routes import new_router

router = new_router(tag="counter")

_KEPT = "public, max-age=60, stale-while-revalidate=600"
_MOST_NAMED = 100


class ListedVariant(BaseModel):
    """A variant, with what one piece costs in each currency."""

    id: str
    name: str
    amounts: dict[str, str]
    sold_out: bool


class ListedPrice(BaseModel):
    """A price that can be bought: what one piece costs in each currency (where the buyer chooses the amount, the
    least), how often it is charged in ISO 8601, how many can be ordered at once, and the address of its checkout."""

    id: str
    product: str
    name: str
    label: str | None
    words: str
    kind: Literal["once", "recurring", "instalments", "free"]
    chosen: bool
    amounts: dict[str, str]
    every: str | None
    payments: int | None
    smallest: int
    largest: int
    variants: list[ListedVariant]
    sold_out: bool
    link: str | None


class PriceListView(BaseModel):
    """What a site sells. `tax_included` says of each currency whether its amounts include tax; `mode` test: the site
    has not sold to real buyers yet. `next` is the last price's id where more follow."""

    site: str
    mode: Literal["test", "live"]
    currencies: list[str]
    tax_included: dict[str, bool]
    prices: list[ListedPrice]
    next: str | None


@router.get("/counter/prices/{code}")
async def open_prices(
    code: str,
    context: Means,
    response: Response,
    only: Annotated[str | None, Query(max_length=7000)] = None,
    after: Annotated[str | None, Query(max_length=60)] = None,
) -> PriceListView:
    """The prices of a site, 500 at a time; `only` names some, as in `kit,thread`."""
    names = None if only is None else list(dict.fromkeys(only.split(",")))[:_MOST_NAMED]
    found = await price_list.price_list(context, code, names, after)
    response.headers["Cache-Control"] = _KEPT
    response.headers["Access-Control-Allow-Origin"] = "*"
    edition = found.edition
    return PriceListView(
        site=edition.site.site.name,
        mode=found.mode,
        currencies=list(edition.currencies),
        tax_included={currency: edition.tax_included(currency) for currency in edition.currencies},
        prices=[_view(found, one) for one in found.listed],
        next=found.listed[-1].offered.priced.price.id if found.more else None,
    )


def _view(found: PriceList, one: Listed) -> ListedPrice:
    edition, priced = found.edition, one.offered.priced
    price, limits = priced.price, priced.price.at_counter
    gone = {name: left is not None and left < limits.min for name, left in one.offered.variants_left.items()}
    left = one.offered.left
    return ListedPrice(
        id=price.id,
        product=priced.product.id,
        name=priced.product.name,
        label=price.label,
        words=price_words(priced, edition.base),
        kind=price.kind,
        chosen=priced.chosen is not None,
        amounts=_written(amounts_of(edition, priced)),
        every=price.every,
        payments=price.payments,
        smallest=limits.min,
        largest=limits.max,
        variants=[
            ListedVariant(
                id=of.id, name=of.name, amounts=_written(amounts_of(edition, priced, of.id)), sold_out=gone[of.id]
            )
            for of in priced.product.variants
        ],
        sold_out=all(gone.values()) if gone else left is not None and left < limits.min,
        link=one.link,
    )


def _written(amounts: dict[str, int]) -> dict[str, str]:
    return {currency: format_amount(amount, currency) for currency, amount in amounts.items()}
