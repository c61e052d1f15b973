"""Tapes at the desk: what the thing being edited costs stand-in buyers and real ones, before anything is saved."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, datetime, time
from itertools import islice
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from skurrow.core.countries import COUNTRIES
from skurrow.core.draft.parts import can_apply, with_part
from skurrow.core.draft.review import as_buyer, as_customer
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.order import OwnDiscount
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.site.products import Product
from skurrow.core.site.stand_in_buyers import CardBehaviour, StandInBuyer
from skurrow.core.tape.comparisons import Comparison, CouponCost, comparisons, coupon_costs
from skurrow.core.tape.tape import Future, Tape, Toll, Wanted, future, tape, wanted_of
from skurrow.gateway.protocol import Mode
from skurrow.gateway.registry import account_from, usable_as
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.counter.pricing import first_chosen
from skurrow.service.payments import ways
from skurrow.service.refusals import NotFound
from skurrow.store.database import site_transaction
from skurrow.store.draft import sites

TEST: Mode = "test"
LIVE: Mode = "live"

REAL = "real"
"""Stands where a stand-in buyer's id would, for real buyers."""


@dataclass(frozen=True, slots=True)
class MadeOutTo:
    """Whom a tape is made out to: a stand-in buyer's id or REAL, with what was changed in place (None: nothing)."""

    id: str
    country: str | None = None
    currency: str | None = None
    business: bool | None = None
    card: CardBehaviour | None = None
    on: date | None = None


@dataclass(frozen=True, slots=True)
class Unsaved:
    """A part as it stands in an editor."""

    kind: str
    part_id: str
    body: dict[str, Any]


@dataclass(frozen=True, slots=True)
class BuyerTape:
    """A tape, the buyer it is made out to with what was changed in place, the day, the release where it is of one,
    and what the way to pay is called that they choose."""

    asked: str
    buyer: StandInBuyer
    on: date
    release: int | None
    mode: Mode
    tape: Tape
    way: str | None = None


@dataclass(frozen=True, slots=True)
class Tried:
    """What is tried on the tapes: which of the prices, how many, in which variant, with which coupon; None is what
    comes by itself."""

    price: str | None = None
    quantity: int | None = None
    variant: str | None = None
    coupon: str | None = None


@dataclass(frozen=True, slots=True)
class Beside:
    """What stands beside tapes, in the base currency: the first charges of each price, prices against each other, and
    what the coupon costs that the tapes are about."""

    futures: dict[str, Future]
    comparisons: list[Comparison]
    costs: list[CouponCost]


@dataclass(frozen=True, slots=True)
class Tapes:
    """Tapes of one price side by side; `choices` are the prices that could stand in its place. `problems` is what is
    wrong with the unsaved edit: the tapes are then as it was saved last."""

    change: int
    price: PricedProduct
    wanted: Wanted
    choices: list[PricedProduct]
    tapes: list[BuyerTape]
    problems: list[Problem]
    edition: Edition
    beside: Beside


async def tapes(
    context: Context,
    site_id: UUID,
    about: tuple[str, str] | None,
    tried: Tried,
    buyers: list[MadeOutTo],
    unsaved: Unsaved | None,
) -> Tapes | None:
    """Tapes of a price, a product, a checkout or a coupon (kind and id; None: the first checkout). None where nothing
    is sold.

    Raises NotFound for what is not there, InvalidInput for a change in place that cannot be.
    """
    async with site_transaction(context.pool, site_id) as db:
        seen = await sites.glance(db, site_id)
        if seen is None:
            raise NotFound("there is no such site")
        there = calendars.moved(context, seen.ahead)
        state = await context.states.at(db, site_id, seen.head_change)
        released = await context.states.at(db, site_id, seen.release_change) if seen.release_change else None
        tolls = {mode: [toll_of(one) for one in seen.connected if one["mode"] == mode] for mode in ("test", "live")}
    edition, problems = _with_unsaved(state.edition, unsaved)
    priced = subject(edition, about)
    if priced is None:
        return None
    choices = choices_of(edition, about, priced)
    priced = next((one for one in choices if one.price.id == tried.price), priced)
    wanted = _wanted(edition, priced, about, tried)
    made = []
    for choice in buyers:
        real = choice.id == REAL
        of = released.edition if real and released else edition
        if real and (released is None or priced.price.id not in of.prices):
            nothing = Problem((), "Real buyers do not meet this yet", "Release it first", "not_released")
            buyer, now = _changed(edition, real_buyer(edition), choice), _at(context.now(), edition, choice.on)
            made.append(BuyerTape(choice.id, buyer, now.date(), None, "live", Tape(buyer.currency, (), (), (nothing,))))
            continue
        buyer = _changed(of, real_buyer(of) if real else _stand_in(of, choice.id), choice)
        at = _at(context.now() if real else there.book_now(), of, choice.on)
        taken = tolls["live" if real else "test"] or tolls["test"]
        taken = [toll for toll in taken if _takes(of, about, toll.usable.gateway)]
        abroad = buyer.card == "elsewhere"
        suggested = wanted_of(of.prices[priced.price.id], buyer.currency)
        here = replace(
            wanted,
            chosen=suggested.chosen,
            coupons=tuple(c for c in wanted.coupons if c in of.coupons),
            own_discount=_off_at(of, about, buyer.currency),
        )
        customer = as_customer(buyer)
        rows = tape(of, here, buyer.currency, as_buyer(buyer), at, taken, abroad, buyer.pays_with, customer)
        way = _called(of, buyer.pays_with)
        release, mode = (seen.release_number if real else None), (LIVE if real else TEST)
        made.append(BuyerTape(choice.id, buyer, at.date(), release, mode, rows, way))
    told = beside(edition, priced.product, about, there.book_now())
    return Tapes(state.change, priced, wanted, choices, made, problems, edition, told)


def beside(edition: Edition, product: Product, about: tuple[str, str] | None, at: datetime) -> Beside:
    """What stands beside the tapes of a product, at a moment of the book that the tapes are of."""
    costs: list[CouponCost] = []
    if about is not None and about[0] == "coupon" and about[1] in edition.coupons:
        costs = coupon_costs(edition, about[1], edition.base, at)
    return Beside(
        {price.id: future(edition, edition.prices[price.id], edition.base, at) for price in product.prices},
        comparisons(edition, product, edition.base),
        costs,
    )


def toll_of(connected: dict[str, Any]) -> Toll:
    """A connected gateway with what it takes."""
    account = account_from(connected["account"])
    return Toll(usable_as(connected["adapter"], account), ways.tariff(account))


def subject(edition: Edition, about: tuple[str, str] | None) -> PricedProduct | None:
    """The price that tapes are about: itself, a product's default or first, a checkout's, one that a coupon is for."""
    kind, name = about or ("", "")
    if kind == "price" and name in edition.prices:
        return edition.prices[name]
    if kind == "product" and name in edition.places["products"]:
        prices = edition.site.products[edition.places["products"][name]].prices
        chosen = next((price for price in prices if price.default), prices[0])
        return edition.prices[chosen.id]
    if kind == "coupon" and name in edition.coupons:
        for_it = _prices_of_coupon(edition, name)
        if for_it:
            return for_it[0]
    checkout = edition.checkouts.get(name) if kind == "checkout" else None
    if checkout is None and edition.site.checkouts:
        checkout = edition.site.checkouts[0]
    if checkout is not None:
        sold = checkout.prices or list(islice(edition.sold_at(checkout), _MOST_CHOICES))
        if sold:
            return edition.prices[first_chosen(edition, sold)]
    return next(iter(edition.prices.values()), None)


def choices_of(edition: Edition, about: tuple[str, str] | None, priced: PricedProduct) -> list[PricedProduct]:
    """The prices that a tape can be turned to: a checkout's, those that a coupon is for, else the product's."""
    kind, name = about or ("", "")
    if kind == "checkout" and name in edition.checkouts:
        sold = islice(edition.sold_at(edition.checkouts[name]), _MOST_CHOICES)
        return [edition.prices[price] for price in sold] or [priced]
    if kind == "coupon" and name in edition.coupons:
        return _prices_of_coupon(edition, name) or [priced]
    return [edition.prices[price.id] for price in priced.product.prices]


def _off_at(edition: Edition, about: tuple[str, str] | None, currency: str) -> OwnDiscount | None:
    """What the checkout that tapes are about takes off by itself."""
    kind, name = about or ("", "")
    checkout = edition.checkouts.get(name) if kind == "checkout" else None
    return None if checkout is None else edition.own_discount(checkout, currency)


def _called(edition: Edition, gateway: str | None) -> str | None:
    """What buyers read for a gateway; a site may name one that no release of ours knows."""
    if gateway is None or ways.kind_of_known(gateway) is None:
        return gateway
    return ways.shown_as(edition, gateway)[0]


def _takes(edition: Edition, about: tuple[str, str] | None, gateway: str) -> bool:
    """Whether a gateway is offered where tapes are about a checkout."""
    kind, name = about or ("", "")
    checkout = edition.checkouts.get(name) if kind == "checkout" else None
    return checkout is None or checkout.takes(gateway)


_MOST_CHOICES = 50


def _prices_of_coupon(edition: Edition, name: str) -> list[PricedProduct]:
    only = edition.coupons[name].only
    fitting = (
        one
        for one in edition.prices.values()
        if (only is None or one.product.id in only) and one.price.offered and one.rhythm.count > 0
    )
    return list(islice(fitting, _MOST_CHOICES))


def _wanted(edition: Edition, priced: PricedProduct, about: tuple[str, str] | None, tried: Tried) -> Wanted:
    """What is tried, as far as it can be; a product in variants is tried in its first."""
    variant = tried.variant if tried.variant in priced.variants else next(iter(priced.variants), None)
    coupon = about[1] if about is not None and about[0] == "coupon" else tried.coupon
    coupons = (coupon,) if coupon in edition.coupons else ()
    return replace(wanted_of(priced, edition.base, tried.quantity, variant), coupons=coupons)


def real_buyer(edition: Edition) -> StandInBuyer:
    """What stands for real buyers on a tape: a consumer at home who pays in the base currency."""
    return StandInBuyer(
        id=REAL,
        name="Real buyers",
        person="A real buyer",
        email="buyer@example.org",
        country=edition.site.site.country,
        currency=edition.base,
    )


def made_out(edition: Edition, wanted: MadeOutTo) -> StandInBuyer:
    """A stand-in buyer with what was changed in place. Raises NotFound, InvalidInput."""
    return _changed(edition, _stand_in(edition, wanted.id), wanted)


# -- within -----------------------------------------------------------------------------------------------


def _with_unsaved(edition: Edition, unsaved: Unsaved | None) -> tuple[Edition, list[Problem]]:
    if unsaved is None or not can_apply(unsaved.kind):
        return edition, []
    try:
        return with_part(edition, unsaved.kind, unsaved.part_id, unsaved.body), []
    except InvalidInput as error:
        return edition, error.problems


def _stand_in(edition: Edition, name: str) -> StandInBuyer:
    found = edition.stand_in_buyers.get(name)
    if found is None:
        raise NotFound(f"there is no stand-in buyer {name}")
    return found


def _changed(edition: Edition, buyer: StandInBuyer, wanted: MadeOutTo) -> StandInBuyer:
    """The buyer with what was changed in place; a changed country takes the rest of the address with it."""
    changes: dict[str, Any] = {}
    if wanted.country is not None and wanted.country != buyer.country:
        if wanted.country not in COUNTRIES:
            raise InvalidInput([Problem(("country",), f"“{wanted.country}” is no country", "Choose another")])
        changes |= {"country": wanted.country, "region": None, "postal_code": None, "tax_number": None}
    if wanted.currency is not None:
        changes["currency"] = wanted.currency
    if wanted.business is not None:
        changes["business"] = wanted.business
        if not wanted.business:
            changes["tax_number"] = None
    if wanted.card is not None:
        changes["card"] = wanted.card
    changed = buyer.model_copy(update=changes)
    if changed.currency not in edition.currencies:
        sold = ", ".join(edition.currencies)
        raise InvalidInput(
            [Problem(("currency",), f"The site does not sell in {changed.currency}", f"Choose one of {sold}")]
        )
    return changed


def _at(now: datetime, edition: Edition, on: date | None) -> datetime:
    """Now, in the site's zone, or noon of another day there."""
    zone: ZoneInfo = edition.site.site.zone
    now = now.astimezone(zone)
    return now if on is None or on == now.date() else replace_day(on, zone)


def replace_day(on: date, zone: ZoneInfo) -> datetime:
    """Noon of a day."""
    return datetime.combine(on, time(12), zone)
