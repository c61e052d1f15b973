"""Visits: a buyer's way into a checkout, and which configuration they meet there.

A visit is a signed token that the browser keeps. It names the checkout, the state of the configuration that the
buyer met, and an id of its own: one visit can become one order, however many tabs, presses and reloads it sees.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from skurrow.core.countries import COUNTRIES
from skurrow.core.delivery.choices import ways_of
from skurrow.core.delivery.methods import PricedMethod
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.mailboxes import mailbox
from skurrow.core.money import format_amount
from skurrow.core.order import Address, Buyer, Order, QuoteRefused, read_order
from skurrow.core.payments.ways import offers
from skurrow.core.problems import Problem
from skurrow.core.quote.quote import Quote, quote
from skurrow.core.site.site import Checkout, StandInBuyer
from skurrow.gateway.protocol import Mode
from skurrow.service import calendars, holding, limits
from skurrow.service.configuration import edition_at, edition_of, met
from skurrow.service.context import Context
from skurrow.service.gateways import connections_for
from skurrow.service.limits import COUPON, COUPON_SITE, COUPON_WORD, FEW
from skurrow.service.refusals import Closed, NotFound
from skurrow.service.selling_states import check_open, stopped_prices
from skurrow.service.tax_numbers import Checked, known_answer
from skurrow.service.ways import CounterWay, at_counter, lately_usable, sale_of
from skurrow.store.database import Connection, site_transaction, siteless_transaction
from skurrow.store.draft import sites
from skurrow.store.draft.sites import SiteRow
from skurrow.store.orders import selling_states
from skurrow.store.payments.connections import ConnectionRow

VISIT_LIFE = timedelta(days=2)
"""How long a buyer under way keeps what they began with; then the page is opened anew."""

PREVIEW_LIFE = timedelta(hours=12)


@dataclass(frozen=True, slots=True)
class Visit:
    """A buyer under way: `change` and `release` say which configuration they met; `currency` None is the base;
    `coupon` came with the link; `tries` is the number of the test pass of whoever tries it."""

    id: UUID
    site_id: UUID
    checkout_id: str
    mode: Mode
    change: int
    release: int | None
    began_at: datetime
    currency: str | None = None
    coupon: str | None = None
    tries: int | None = None

    @property
    def hindered(self) -> bool:
        """Whether this buyer is one of those whom a stop is for."""
        return self.tries is None


PREVIEWING = -1
"""Where a test pass would have its number, of whoever tries it from the desk."""


@dataclass(frozen=True, slots=True)
class Choice:
    """What the buyer has chosen at a checkout: one of its prices (None: the one chosen at first), how many, in which
    variant, at which amount, with which coupons typed, and the way of delivery (None: the first there is)."""

    price: str | None = None
    quantity: int | None = None
    variant: str | None = None
    chosen: str | None = None
    coupons: tuple[str, ...] = ()
    delivery: str | None = None


NOTHING_CHOSEN = Choice()


@dataclass(frozen=True, slots=True)
class Where:
    """A place as far as amounts depend on it."""

    country: str
    region: str | None = None
    postal_code: str | None = None


@dataclass(frozen=True, slots=True)
class Buying:
    """Who buys, as far as amounts depend on it; `deliver_to` where parcels go elsewhere."""

    place: Where
    deliver_to: Where | None = None
    business: bool = False
    tax_number: str | None = None

    def as_core(self, confirmed: bool | None) -> Buyer:
        """The same for a quote, with what the official look-up says of the number."""
        to = self.deliver_to
        return Buyer(
            country=self.place.country,
            region=self.place.region or None,
            postal_code=self.place.postal_code or None,
            business=self.business,
            tax_number=self.tax_number or None,
            tax_number_confirmed=confirmed,
            deliver_to=Address(country=to.country, region=to.region or None, postal_code=to.postal_code or None)
            if to
            else None,
        )


@dataclass(frozen=True, slots=True)
class Way:
    """A way of delivery that can be chosen; `amount` as a text, what the buyer pays for it."""

    id: str
    name: str
    amount: str
    pick_up: bool


@dataclass(frozen=True, slots=True)
class Priced:
    """A quote with the ways of delivery there are, the one it is for, and what is known of the tax number."""

    quote: Quote
    ways: list[Way]
    way: str | None
    number: Checked | None

    @property
    def collected(self) -> bool:
        """Whether what is bought is collected."""
        return any(one.id == self.way and one.pick_up for one in self.ways)


@dataclass(frozen=True, slots=True)
class Offered:
    """A price that can be chosen, with how many are left of it in each variant (None: not counted)."""

    priced: PricedProduct
    left: int | None
    variants_left: dict[str, int | None]


@dataclass(frozen=True, slots=True)
class Filled:
    """What is filled in beforehand for a stand-in buyer."""

    email: str
    name: str
    country: str
    region: str | None = None
    postal_code: str | None = None
    tax_number: str | None = None


@dataclass(frozen=True, slots=True)
class Counter:
    """What a checkout page needs to be shown."""

    visit: str
    site_id: UUID
    mode: Mode
    site_name: str
    site_url: str
    colour: str
    checkout: Checkout
    currency: str
    home: str
    countries: frozenset[str]
    offered: list[Offered]
    first: str
    coupons: bool
    coupon: str | None
    pay: list[CounterWay]
    sends: bool
    filled: Filled | None = None


async def open_preview(context: Context, token: str) -> Counter:
    """Begins a test visit of a stand-in buyer, as the desk has put it into a token. Raises NotFound, Closed."""
    data = context.signer.read("preview", token)
    if data is None or context.now() - datetime.fromisoformat(data["t"]) > PREVIEW_LIFE:
        raise NotFound("there is no such preview")
    site_id = UUID(data["s"])
    async with site_transaction(context.pool, site_id) as db:
        site = await sites.site(db, site_id)
        if site is None:
            raise NotFound("there is no such site")
        change, release = await met(db, site.id, "test")
        edition = await edition_at(context, db, site.id, change)
        connected = await connections_for(db, site.id, "test")
        if data["c"] not in edition.checkouts:
            raise NotFound("there is no such checkout")
        left = await left_at(db, site.id, "test", edition, edition.checkouts[data["c"]])
    if not connected:
        raise Closed("No gateway is connected for test. Connect one under Payments to try the checkout.")
    currency = data["u"] if data["u"] in edition.currencies else None
    visit = Visit(
        context.new_id(), site.id, data["c"], "test", change, release, context.now(), currency, None, PREVIEWING
    )
    counter = counter_of(context, visit, edition, connected, left, card=data["k"])
    return replace(counter, filled=Filled(data["e"], data["n"], data["l"], data.get("r"), data.get("z"), data.get("x")))


def preview_token(context: Context, site_id: UUID, checkout_id: str, buyer: StandInBuyer) -> str:
    """What opens a checkout for a stand-in buyer."""
    data = {
        "s": str(site_id),
        "c": checkout_id,
        "e": buyer.email,
        "n": buyer.person,
        "l": buyer.country,
        "u": buyer.currency,
        "r": buyer.region,
        "z": buyer.postal_code,
        "x": buyer.tax_number if buyer.business else None,
        "k": buyer.card,
        "t": context.now().isoformat(timespec="seconds"),
    }
    return context.signer.sign("preview", data)


async def open_counter(
    context: Context, code: str, test_pass: str | None = None, coupon: str | None = None, address: str = ""
) -> Counter:
    """Begins a visit at a public address, from an `address` on the net. Raises NotFound for an unknown one, Closed when
    nothing can be paid, or nothing is sold.

    Before a site has gone live every buyer is a test buyer and meets the draft. Afterwards buyers are real and
    meet the last release, unless they bring the site's test pass.
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
        tries = row.test_pass if _is_test_pass(context, site, row.test_pass, test_pass) else None
        mode: Mode = "test" if site.live_since is None or tries is not None else "live"
        change, release = await met(db, site.id, mode)
        edition = await edition_at(context, db, site.id, change)
        checkout = edition.checkouts.get(target.checkout_id)
        if checkout is None:
            raise NotFound("there is no such checkout")
        if tries is None:
            check_open(row, edition, checkout.id, checkout.prices, under_way=False)
        connected = await connections_for(db, site.id, mode)
        left = await left_at(db, site.id, mode, edition, checkout)
    if not connected:
        shop = edition.site.site
        raise Closed(f"{shop.name} cannot take payments at the moment.", shop)
    brought = await _brought(context, site.id, edition, coupon, address) if coupon else None
    began = context.now()
    visit = Visit(context.new_id(), site.id, checkout.id, mode, change, release, began, coupon=brought, tries=tries)
    gone = frozenset() if tries is not None else stopped_prices(row, edition, checkout.prices)
    return counter_of(context, visit, edition, connected, left, gone=gone)


def read_visit(context: Context, token: str) -> Visit:
    """The visit of a token; raises NotFound for one that is not ours or too old."""
    visit = held_visit(context, token)
    if context.now() - visit.began_at > VISIT_LIFE:
        raise NotFound("this visit is over")
    return visit


def held_visit(context: Context, token: str) -> Visit:
    """The visit of a token, however old: whoever holds it is the buyer, though nothing new begins with it."""
    data = context.signer.read("visit", token)
    if data is None:
        raise NotFound("this visit is not known")
    return Visit(
        UUID(data["v"]),
        UUID(data["s"]),
        data["c"],
        data["m"],
        data["g"],
        data["r"],
        datetime.fromisoformat(data["t"]),
        data.get("u"),
        data.get("k"),
        data.get("p"),
    )


async def quote_visit(
    context: Context,
    visit: Visit,
    buying: Buying,
    choice: Choice = NOTHING_CHOSEN,
    customer: str = "",
    address: str = "",
) -> Priced:
    """What the visit's checkout costs a buyer, who asks from an `address` on the net. Raises QuoteRefused."""
    edition = await edition_of(context, visit.site_id, visit.change)
    context = await calendars.of_site(context, visit.site_id, visit.mode)
    asked = await coupons_tried(context, edition, visit, choice, address)
    used_up: frozenset[str] = frozenset()
    number = None
    if asked or edition.automatic or (buying.business and buying.tax_number):
        async with site_transaction(context.pool, visit.site_id) as db:
            used_up = await holding.used_up(db, visit.site_id, visit.mode, edition, mailbox(customer), asked)
            number = await number_of(context, db, visit, buying)
    return price_for(edition, visit, buying, choice, context.book_now(), used_up, number)


async def ways_to_pay(context: Context, visit: Visit, priced: Priced, country: str) -> list[str]:
    """The gateways with which a visit's order can be paid, in the owner's order."""
    edition = await edition_of(context, visit.site_id, visit.change)
    connected = await lately_usable(context, visit.site_id, visit.mode)
    sale = sale_of(priced.quote, country, priced.collected)
    return [offer.gateway for offer in offers(edition, connected, sale) if offer.why_not is None]


async def number_of(context: Context, db: Connection, visit: Visit, buying: Buying) -> Checked | None:
    """What is known of a business's tax number; None where there is none."""
    if not buying.business or not buying.tax_number:
        return None
    return await known_answer(context, db, visit.site_id, visit.mode, buying.tax_number, buying.place.country)


def coupon_called(edition: Edition, typed: str) -> str | None:
    """The coupon that somebody means who typed this: small and capital letters are alike."""
    folded = typed.strip().casefold()
    return next((name for name in edition.coupons if name.casefold() == folded), None)


def coupons_asked(edition: Edition, visit: Visit, choice: Choice) -> list[str]:
    """The coupons of an order: what the link brought, then what was typed. Raises QuoteRefused for an unknown one."""
    found = [visit.coupon] if visit.coupon is not None and visit.coupon in edition.coupons else []
    problems = []
    for i, typed in enumerate(choice.coupons):
        name = coupon_called(edition, typed)
        if name is None:
            message = f"There is no coupon “{typed.strip()}”"
            problems.append(Problem(("coupons", i), message, "Look at how it is spelt, or leave it out", "unknown"))
        else:
            found.append(name)
    if problems:
        raise QuoteRefused(problems)
    return found


async def coupons_tried(context: Context, edition: Edition, visit: Visit, choice: Choice, address: str) -> list[str]:
    """The same, where wrong ones are counted by address and site, so that nobody finds one by guessing. Raises
    QuoteRefused, also for right ones once too many were wrong."""
    if not choice.coupons:
        return coupons_asked(edition, visit, choice)
    if await _guesses_too_often(context, visit.site_id, address):
        remedy = "Wait ten minutes, or pay without one"
        raise QuoteRefused([Problem(("coupons", 0), "Too many wrong coupons were tried", remedy, "too_many")])
    try:
        return coupons_asked(edition, visit, choice)
    except QuoteRefused:
        for typed in choice.coupons:
            if coupon_called(edition, typed) is None:
                await _note_guess(context, visit.site_id, address, typed)
        raise


async def _brought(context: Context, site_id: UUID, edition: Edition, coupon: str, address: str) -> str | None:
    """The coupon that a link brings; a wrong one is counted as one that is typed."""
    found = coupon_called(edition, coupon)
    if found is None:
        await _note_guess(context, site_id, address, coupon)
    return None if await _guesses_too_often(context, site_id, address) else found


async def _guesses_too_often(context: Context, site_id: UUID, address: str) -> bool:
    if await limits.is_over(context, COUPON, f"{site_id} {address}"):
        return True
    if not await limits.is_over(context, COUPON_SITE, str(site_id)):
        return False
    return await limits.so_far(context, COUPON, f"{site_id} {address}") >= FEW


async def _note_guess(context: Context, site_id: UUID, address: str, typed: str) -> None:
    """The same word again, as while other fields are typed, is no new guess."""
    word = typed.strip().casefold()
    if await limits.so_far(context, COUPON_WORD, f"{site_id} {address} {word}"):
        return
    await limits.note(
        context,
        (COUPON_WORD, f"{site_id} {address} {word}"),
        (COUPON, f"{site_id} {address}"),
        (COUPON_SITE, str(site_id)),
    )


async def left_at(
    db: Connection, site_id: UUID, mode: str, edition: Edition, checkout: Checkout
) -> dict[tuple[str, str], int]:
    """What is left of the stocks that a checkout's prices need."""
    products = [edition.prices[price].product.id for price in checkout.prices]
    return await holding.left_of(db, site_id, mode, edition, products)


def test_pass(context: Context, site_id: UUID, number: int) -> str:
    """What makes a buyer a test buyer at a site that has gone live, until the pass of this number is withdrawn."""
    return context.signer.sign("test-pass", [str(site_id), number])


def counter_of(
    context: Context,
    visit: Visit,
    edition: Edition,
    connected: Sequence[ConnectionRow],
    left: dict[tuple[str, str], int],
    card: str | None = None,
    gone: frozenset[str] = frozenset(),
) -> Counter:
    """What the visit's checkout page shows; `card` is how a stand-in buyer's card behaves, `gone` the prices that are
    stopped."""
    shop, checkout = edition.site.site, edition.checkouts[visit.checkout_id]
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
        home=shop.country,
        countries=COUNTRIES,
        offered=[_offered(edition, left, price, price in gone) for price in checkout.prices],
        first=first_chosen(edition, checkout.prices),
        coupon=visit.coupon,
        coupons=any(not one.coupon.automatic for one in edition.coupons.values()),
        pay=at_counter(context, edition, connected, currency, card),
        sends=bool(edition.zones.all),
    )


def _is_test_pass(context: Context, site: SiteRow, number: int, given: str | None) -> bool:
    return given is not None and context.signer.read("test-pass", given) == [str(site.id), number]


def signed(context: Context, visit: Visit) -> str:
    """A visit as the token that the browser keeps."""
    data: dict[str, Any] = {
        "v": str(visit.id),
        "s": str(visit.site_id),
        "c": visit.checkout_id,
        "m": visit.mode,
        "g": visit.change,
        "r": visit.release,
        "t": visit.began_at.isoformat(timespec="seconds"),
    }
    if visit.currency is not None:
        data["u"] = visit.currency
    if visit.coupon is not None:
        data["k"] = visit.coupon
    if visit.tries is not None:
        data["p"] = visit.tries
    return context.signer.sign("visit", data)


def price_for(
    edition: Edition,
    visit: Visit,
    buying: Buying,
    choice: Choice,
    at: datetime,
    used_up: frozenset[str],
    number: Checked | None,
) -> Priced:
    """What a choice at the visit's checkout costs under an edition. Raises QuoteRefused."""
    priced = chosen_price(edition, visit, choice)
    limits = priced.price.at_counter
    quantity = limits.min if choice.quantity is None else choice.quantity
    if not limits.min <= quantity <= limits.max:
        words = f"At most {limits.max} can be ordered at once, and at least {limits.min}"
        raise QuoteRefused([Problem(("quantity",), words, "Change how many", "quantity")])
    if priced.product.variants and choice.variant is None:
        words = f"“{priced.product.name}” comes in several variants"
        raise QuoteRefused([Problem(("variant",), words, "Choose one", "missing")])
    item = {"price": priced.price.id, "quantity": quantity, "variant": choice.variant, "chosen": choice.chosen}
    order = {
        "at": at,
        "currency": visit.currency or edition.base,
        "items": [item],
        "coupons": coupons_asked(edition, visit, choice),
        "buyer": {"country": buying.place.country},
    }
    try:
        buyer = buying.as_core(number.confirmed if number else None)
        asked = read_order(order).model_copy(update={"buyer": buyer})
        ways = ways_of(edition, [priced], buyer)
        if not ways:
            return Priced(quote(edition, asked, used_up), [], None, number)
        quotes = _by_way(edition, asked, ways, used_up)
        chosen = choice.delivery if choice.delivery in quotes else next(iter(quotes))
        listed = [
            Way(way.id, way.method.name, _costs(quotes[way.id]), way.method.pick_up) for way in ways if way.id in quotes
        ]
        return Priced(quotes[chosen], listed, chosen, number)
    except QuoteRefused as refused:  # the buyer knows nothing of a list of items
        cut = [replace(p, path=p.path[2:] if p.path[:1] == ("items",) else p.path) for p in refused.problems]
        raise QuoteRefused(cut) from None


def _by_way(edition: Edition, asked: Order, ways: Sequence[PricedMethod], used_up: frozenset[str]) -> dict[str, Quote]:
    """The quote with each way of delivery that can be had for this. Raises QuoteRefused where none can."""
    found: dict[str, Quote] = {}
    refused: QuoteRefused | None = None
    for way in ways:
        try:
            found[way.id] = quote(edition, asked.model_copy(update={"delivery": way.id}), used_up)
        except QuoteRefused as error:
            refused = refused or error
    if refused is not None and not found:
        raise refused
    return found


def _costs(quoted: Quote) -> str:
    """What delivery costs with the first charge that has a parcel, as the owner wrote it."""
    sent = quoted.sent or next((day.sent for day in quoted.later if day.sent is not None), None)
    return format_amount(sent.amount if sent else 0, quoted.currency)


def chosen_price(edition: Edition, visit: Visit, choice: Choice) -> PricedProduct:
    """The price that was chosen, if the checkout sells it; else the one chosen at first. Raises QuoteRefused."""
    prices = edition.checkouts[visit.checkout_id].prices
    if choice.price is None:
        return edition.prices[first_chosen(edition, prices)]
    if choice.price not in prices:
        message = "This is not sold here any more"
        raise QuoteRefused([Problem(("price",), message, "Choose one of the others", "unknown")])
    return edition.prices[choice.price]


def first_chosen(edition: Edition, prices: list[str]) -> str:
    """The price that is chosen at first: a product's default, or the first."""
    return next((one for one in prices if edition.prices[one].price.default), prices[0])


def _offered(edition: Edition, left: dict[tuple[str, str], int], price: str, stopped: bool) -> Offered:
    priced = edition.prices[price]
    if stopped:  # as good as sold out
        return Offered(priced, 0, {one.id: 0 for one in priced.product.variants})
    variants = {one.id: holding.most_of(edition, left, price, one.id) for one in priced.product.variants}
    return Offered(priced, holding.most_of(edition, left, price, None), variants)
