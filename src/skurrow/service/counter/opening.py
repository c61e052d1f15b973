"""Opening a checkout: for a buyer who comes, for a test, and for a preview from the desk."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from ipaddress import ip_address
from uuid import UUID

from pydantic_core import Url

from skurrow.core.countries import COUNTRIES
from skurrow.core.edition import Edition
from skurrow.core.site.checkouts import Checkout
from skurrow.core.site.stand_in_buyers import StandInBuyer
from skurrow.core.tape.comparisons import savings
from skurrow.gateway.protocol import Mode
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.counter.baskets import NOTHING_IN_IT, Basket, Thing, basket_at, things_of_link
from skurrow.service.counter.coupons import brought_by, can_be_typed
from skurrow.service.counter.currencies import in_currency, met_in, sold_in
from skurrow.service.counter.earlier import Earlier, earlier_of
from skurrow.service.counter.pricing import Offered, first_chosen, offered_of
from skurrow.service.counter.selling_states import check_open, stopped_prices
from skurrow.service.counter.visit import PREVIEWING, Visit, hour_of, is_test_pass, signed
from skurrow.service.draft.configuration import edition_at, met
from skurrow.service.orders import holding
from skurrow.service.payments.gateways import connections_at
from skurrow.service.payments.ways import CounterWay, at_counter
from skurrow.service.refusals import Closed, NotFound
from skurrow.store.book import Book
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.draft import sites
from skurrow.store.orders import selling_states
from skurrow.store.payments.connections import ConnectionRow

PREVIEW_LIFE = timedelta(hours=12)


@dataclass(frozen=True, slots=True)
class Filled:
    """What is filled in beforehand for a stand-in buyer."""

    email: str
    name: str
    country: str
    region: str | None = None
    postal_code: str | None = None
    tax_number: str | None = None
    way: str | None = None


@dataclass(frozen=True, slots=True)
class Counter:
    """What a checkout page needs to be shown. `currencies` can be chosen, where there is a `chooser`; the link has
    `asked` for one of them. `brought` is what the link brings along, in place of what lies in the `basket`
    or, if it `adds`, beside it. `savings`
    say what some prices save, `before` what some cost before they came down. This browser is a test buyer's until
    `tries_until`, if that ends by itself."""

    visit: str
    site_id: UUID
    mode: Mode
    site_name: str
    site_url: str
    colour: str
    checkout: Checkout
    currency: str
    currencies: tuple[str, ...]
    chooser: bool
    home: str
    countries: frozenset[str]
    offered: list[Offered]
    first: str
    coupons: bool
    coupon: str | None
    pay: list[CounterWay]
    sends: bool
    filled: Filled | None = None
    asked: bool = False
    basket: Basket = NOTHING_IN_IT
    brought: tuple[Thing, ...] | None = None
    adds: bool = False
    savings: dict[str, str] = field(default_factory=dict)
    before: dict[str, str] = field(default_factory=dict)
    tries_until: datetime | None = None


async def open_preview(context: Context, token: str) -> Counter:
    """Begins a test visit of a stand-in buyer, as the desk has put it into a token. Raises NotFound, Closed."""
    found = previewed(context, token)
    site_id, buyer = found.site_id, found.buyer
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, "test")
        site = await sites.site(db, site_id)
        if site is None:
            raise NotFound("there is no such site")
        change, release = await met(book)
        edition = await edition_at(context, db, site.id, change)
        if found.checkout not in edition.checkouts:
            raise NotFound("there is no such checkout")
        checkout = edition.checkouts[found.checkout]
        connected = await connections_at(book, checkout)
        held = filled_basket(edition, checkout)
        left = await left_at(book, edition, shown_at(checkout, held))
        there = await calendars.of_book(context, book)
        currency = buyer.currency if buyer.currency in edition.currencies else None
        visit = Visit(
            context.new_id(), site.id, checkout.id, "test", change, release, context.now(), currency, None, PREVIEWING
        )
        earlier = await earlier_of(context, db, site.id, edition, release)
    if not connected:
        raise Closed("No gateway is connected for test. Connect one under Payments to try the checkout.")
    counter = counter_of(there, visit, edition, connected, left, held, card=buyer.card, earlier=earlier)
    filled = Filled(
        email=buyer.email,
        name=buyer.person,
        country=buyer.country,
        region=buyer.region,
        postal_code=buyer.postal_code,
        tax_number=buyer.tax_number if buyer.business else None,
        way=buyer.pays_with,
    )
    return replace(counter, filled=filled)


@dataclass(frozen=True, slots=True)
class Previewed:
    """A checkout of a site, and the stand-in buyer before whom it is opened."""

    site_id: UUID
    checkout: str
    buyer: StandInBuyer


def preview_token(context: Context, site_id: UUID, checkout_id: str, buyer: StandInBuyer) -> str:
    """What opens a checkout for a stand-in buyer, as they are or were changed in place."""
    data = {
        "s": str(site_id),
        "c": checkout_id,
        "b": buyer.model_dump(mode="json", exclude_defaults=True),
        "t": context.now().isoformat(timespec="seconds"),
    }
    return context.signer.sign("preview", data)


def previewed(context: Context, token: str) -> Previewed:
    """What such a token opens. Raises NotFound for one that is not ours, or too old."""
    data = context.signer.read("preview", token)
    if data is None or context.now() - datetime.fromisoformat(data["t"]) > PREVIEW_LIFE:
        raise NotFound("there is no such preview")
    return Previewed(UUID(data["s"]), data["c"], StandInBuyer.model_validate(data["b"]))


async def open_counter(
    context: Context,
    code: str,
    test_pass: str | None = None,
    coupon: str | None = None,
    address: str = "",
    currency: str | None = None,
    country: str | None = None,
    items: str | None = None,
    basket: UUID | None = None,
    add: str | None = None,
) -> Counter:
    """Begins a visit at a public address, from an `address` on the net that seems to be in a `country`, in the
    `currency` that the link asks for if that can be paid, with the `items` that it brings (or those to `add` to
    what there is) and the `basket` that the website keeps. Raises NotFound for an unknown one, Closed when nothing can
    be paid, or nothing is sold.

    Before a site has gone live, those who bring its test pass are test buyers and meet the draft; so does whoever comes
    if the website is on this machine, or the owner lets everybody try. Afterwards buyers are real and meet the last
    release, unless they bring the test pass.
    """
    target = None
    if code.isprintable():
        async with siteless_transaction(context.pool) as db:
            target = await sites.target_of(db, code)
    if target is None:
        raise NotFound("there is no such checkout")
    async with site_transaction(context.pool, target.site_id) as db:
        site = await sites.site(db, target.site_id)
        if site is None:
            raise NotFound("there is no such checkout")
        row = await selling_states.selling(db, site.id)
        tries = row.test_pass if is_test_pass(context, site, row.test_pass, test_pass) else None
        mode: Mode = "test" if site.live_since is None or tries is not None else "live"
        book = Book(db, site.id, mode)
        change, release = await met(book)
        edition = await edition_at(context, db, site.id, change)
        if site.live_since is None and tries is None and not (site.everybody_tries or on_this_machine(edition)):
            raise Closed(f"{edition.site.site.name} does not sell here yet.", edition.site.site)
        checkout = edition.checkouts.get(target.checkout_id)
        if checkout is None:
            if await sites.revision(db, site.id, "checkout", target.checkout_id, change) is not None:
                raise Closed("This is not sold here any more.", edition.site.site)
            raise NotFound("there is no such checkout")
        if tries is None:
            check_open(row, edition, checkout.id, checkout.only, under_way=False)
        connected = await connections_at(book, checkout)
        written = items or add
        brought, wrong = things_of_link(edition, checkout, written) if written else (None, [])
        held = await basket_at(book, edition, checkout, basket, wrong)
        prices = shown_at(checkout, held, brought or ())
        left = await left_at(book, edition, prices)
        there = await calendars.of_book(context, book)
        earlier = await earlier_of(context, db, site.id, edition, release)
    if not connected:
        shop = edition.site.site
        raise Closed(f"{shop.name} cannot take payments at the moment.", shop)
    by_link = await brought_by(context, site.id, edition, coupon, address) if coupon else None
    began = context.now()
    visit = Visit(context.new_id(), site.id, checkout.id, mode, change, release, began, coupon=by_link, tries=tries)
    gone = frozenset() if tries is not None else stopped_prices(row, edition, prices)
    choosable, asked = sold_in(edition, connected, prices), currency.strip().upper() if currency else None
    visit = in_currency(visit, edition, met_in(choosable, asked, country))
    counter = counter_of(there, visit, edition, connected, left, held, gone=gone, more=brought or (), earlier=earlier)
    by_items = None if brought is None else tuple(brought)
    hour = hour_of(context, test_pass) if tries is not None else None
    until = None if hour is None else hour.until
    return replace(counter, asked=asked in choosable, brought=by_items, adds=not items, tries_until=until)


def filled_basket(edition: Edition, checkout: Checkout) -> Basket:
    """What lies in the basket of a preview: where a checkout lists nothing, the first thing that it sells."""
    first = next(edition.sold_at(checkout), None) if checkout.everyday and not checkout.prices else None
    if first is None:
        return NOTHING_IN_IT
    priced = edition.prices[first]
    return Basket(sold=(Thing(first, priced.price.at_counter.min, next(iter(priced.variants), None)),))


def on_this_machine(edition: Edition) -> bool:
    """Whether the website is on this machine, where only its developer comes by."""
    host = (Url(str(edition.site.site.url)).host or "").strip("[]").rstrip(".")
    if host == "localhost" or host.endswith(".localhost"):
        return True
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return False


def shown_at(checkout: Checkout, basket: Basket, more: Iterable[Thing] = ()) -> list[str]:
    """The prices that a checkout shows: its own, those in the basket that it sells, and `more`."""
    return list(dict.fromkeys([*checkout.prices, *(one.price for one in (*basket.sold, *more))]))


async def left_at(book: Book, edition: Edition, prices: Iterable[str]) -> dict[tuple[str, str], int]:
    """What is left of the stocks that prices need."""
    products = [edition.prices[price].product.id for price in prices]
    return await holding.left_of(book, edition, products)


def counter_of(
    context: Context,
    visit: Visit,
    edition: Edition,
    connected: Sequence[ConnectionRow],
    left: dict[tuple[str, str], int],
    basket: Basket = NOTHING_IN_IT,
    card: str | None = None,
    gone: frozenset[str] = frozenset(),
    more: Iterable[Thing] = (),
    earlier: Earlier | None = None,
) -> Counter:
    """What the visit's checkout page shows on the day of its book; `card` is how a stand-in buyer's card behaves,
    `gone` the prices that are stopped, `more` what the link brings, `earlier` what buyers met before."""
    shop, checkout = edition.site.site, edition.checkouts[visit.checkout_id]
    prices = shown_at(checkout, basket, more)
    currency = visit.currency or edition.base
    return Counter(
        visit=signed(context, visit),
        site_id=visit.site_id,
        mode=visit.mode,
        site_name=shop.name,
        site_url=shop.url,
        colour=shop.colour,
        checkout=checkout,
        currency=currency,
        currencies=tuple(dict.fromkeys((*sold_in(edition, connected, prices), currency))),
        chooser=shop.currency_chooser,
        home=shop.country,
        countries=COUNTRIES,
        offered=[offered_of(edition, left, price, price in gone) for price in prices],
        first=first_chosen(edition, prices) if prices else "",
        basket=basket,
        savings=savings(edition, prices, currency),
        before=earlier.before(checkout.id, prices, currency) if earlier is not None else {},
        coupon=visit.coupon if checkout.coupons != "none" else None,
        coupons=can_be_typed(edition, checkout, context.book_now().astimezone(shop.zone).date()),
        pay=at_counter(context, edition, connected, currency, card),
        sends=bool(edition.zones.all),
    )
