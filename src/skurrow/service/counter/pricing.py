"""What a visit comes to: the quote for what was chosen, and which ways of delivery and payment there are."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import Literal

from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.mailboxes import mailbox
from skurrow.core.money import format_amount
from skurrow.core.order import Buyer, QuoteRefused, read_order
from skurrow.core.payments.ways import offers
from skurrow.core.problems import Path, Problem
from skurrow.core.quote.delivery_choices import ways_of
from skurrow.core.quote.quote import quote, quotes_by_way
from skurrow.core.quote.written import Quote
from skurrow.core.site.checkouts import Checkout
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.counter.coupons import coupons_asked, coupons_tried
from skurrow.service.counter.visit import NOTHING_CHOSEN, Choice, Taken, Visit
from skurrow.service.draft.configuration import edition_of
from skurrow.service.orders import holding
from skurrow.service.orders.holding import NEW, KnownCustomer
from skurrow.service.payments.ways import lately_usable, sale_of
from skurrow.service.tax.tax_numbers import Checked, known_answer
from skurrow.store.book import Book
from skurrow.store.database import Connection, site_transaction


@dataclass(frozen=True, slots=True)
class Way:
    """A way of delivery that can be chosen; `amount` as a text, what the buyer pays for it, `telephone` whether
    they are asked for a number, or need to give one."""

    id: str
    name: str
    amount: str
    pick_up: bool
    telephone: Literal["asked", "needed"] | None


@dataclass(frozen=True, slots=True)
class Priced:
    """A quote with the ways of delivery there are, the one it is for, and what is known of the tax number."""

    quote: Quote
    ways: list[Way]
    way: str | None
    number: Checked | None

    @property
    def sent(self) -> Way | None:
        """The way in which it is sent; None where nothing is, or it is collected."""
        return next((one for one in self.ways if one.id == self.way and not one.pick_up), None)

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


async def quote_visit(
    context: Context,
    visit: Visit,
    buyer: Buyer,
    choice: Choice = NOTHING_CHOSEN,
    customer: str = "",
    address: str = "",
) -> Priced:
    """What the visit's checkout costs a buyer, who asks from an `address` on the net. Raises QuoteRefused."""
    edition = await edition_of(context, visit.site_id, visit.change)
    context = await calendars.of_site(context, visit.site_id, visit.mode)
    asked = await coupons_tried(context, edition, visit, choice, address)
    known, number = NEW, None
    if asked or edition.automatic or (buyer.business and buyer.tax_number):
        async with site_transaction(context.pool, visit.site_id) as db:
            known = await holding.known_of(Book(db, visit.site_id, visit.mode), edition, mailbox(customer), asked)
            number = await number_of(context, db, visit, buyer)
    return price_for(edition, visit, buyer, choice, context.book_now(), known, number)


async def ways_to_pay(context: Context, visit: Visit, priced: Priced, country: str) -> list[str]:
    """The gateways with which a visit's order can be paid, in the owner's order."""
    edition = await edition_of(context, visit.site_id, visit.change)
    checkout = edition.checkouts[visit.checkout_id]
    connected = [one for one in await lately_usable(context, visit.site_id, visit.mode) if checkout.takes(one.gateway)]
    sale = sale_of(priced.quote, country, priced.collected)
    return [offer.gateway for offer in offers(edition, connected, sale) if offer.why_not is None]


async def number_of(context: Context, db: Connection, visit: Visit, buyer: Buyer) -> Checked | None:
    """What is known of a business's tax number; None where there is none."""
    if not buyer.business or not buyer.tax_number:
        return None
    return await known_answer(context, Book(db, visit.site_id, visit.mode), buyer.tax_number, buyer.country)


def confirmed(buyer: Buyer, number: Checked | None) -> Buyer:
    """The buyer with what the official look-up says of their number."""
    return buyer if number is None else buyer.model_copy(update={"tax_number_confirmed": number.confirmed})


def price_for(
    edition: Edition,
    visit: Visit,
    buyer: Buyer,
    choice: Choice,
    at: datetime,
    known: KnownCustomer,
    number: Checked | None,
) -> Priced:
    """What a choice at the visit's checkout costs under an edition. Raises QuoteRefused."""
    currency = visit.currency or edition.base
    chosen = chosen_items(edition, visit, choice, at.astimezone(edition.site.site.zone).date())
    own = edition.own_discount(edition.checkouts[visit.checkout_id], currency)
    items = [
        {
            "price": priced.price.id,
            "quantity": _quantity(priced, taken),
            "variant": taken.variant,
            "chosen": taken.chosen,
            "own_discount": own and own.model_dump(),
        }
        for taken, priced in chosen
    ]
    order = {
        "at": at,
        "currency": currency,
        "items": items,
        "coupons": coupons_asked(edition, visit, choice),
        "customer": {"orders": known.orders},
    }
    try:
        buyer = confirmed(buyer, number)
        asked = read_order({**order, "buyer": buyer})
        ways = ways_of(edition, [priced for _, priced in chosen], buyer)
        if not ways:
            return Priced(quote(edition, asked, known.used_up), [], None, number)
        quotes = quotes_by_way(edition, asked, [way.id for way in ways], known.used_up)
        way = choice.delivery if choice.delivery in quotes else next(iter(quotes))
        listed = [
            Way(way.id, way.method.name, _costs(quotes[way.id]), way.method.pick_up, way.method.telephone)
            for way in ways
            if way.id in quotes
        ]
        return Priced(quotes[way], listed, way, number)
    except QuoteRefused as refused:
        if choice.items:
            raise
        # whoever has chosen one thing knows nothing of a list
        cut = [replace(p, path=p.path[2:] if p.path[:1] == ("items",) else p.path) for p in refused.problems]
        raise QuoteRefused(cut) from None


def _costs(quoted: Quote) -> str:
    """What delivery costs with the first charge that has a parcel, as the owner wrote it."""
    sent = quoted.sent or next((day.sent for day in quoted.later if day.sent is not None), None)
    return format_amount(sent.amount if sent else 0, quoted.currency)


def chosen_items(edition: Edition, visit: Visit, choice: Choice, today: date) -> list[tuple[Taken, PricedProduct]]:
    """What was chosen, each with its price, as it can be ordered `today`. Raises QuoteRefused."""
    checkout = edition.checkouts[visit.checkout_id]
    if checkout.takes_several and not choice.items and choice.price is None:
        raise QuoteRefused([Problem(("items",), "Nothing has been chosen yet", "Choose something", "nothing_chosen")])
    if len(choice.items) > 1 and not checkout.takes_several:
        message = "Only one of these can be chosen here"
        raise QuoteRefused([Problem(("items", 1), message, "Leave the others out", "only_one")])
    found: list[tuple[Taken, PricedProduct]] = []
    problems: list[Problem] = []
    for i, taken in enumerate(choice.taken):
        path: Path = ("items", i) if choice.items else ()
        try:
            found.append((taken, _priced_at(edition, checkout, taken, path)))
        except QuoteRefused as refused:
            problems += refused.problems
    problems = problems or [*_too_many(found, bool(choice.items)), *_not_together(found, today)]
    if problems:
        raise QuoteRefused(problems)
    return found


def _priced_at(edition: Edition, checkout: Checkout, taken: Taken, path: Path) -> PricedProduct:
    """The price of one thing that is taken, if the checkout sells it; else the one chosen at first. Raises
    QuoteRefused."""
    name = first_chosen(edition, checkout.prices) if taken.price is None and checkout.prices else taken.price or ""
    if not edition.is_sold_at(checkout, name):
        message = "This is not sold here any more"
        raise QuoteRefused([Problem((*path, "price"), message, "Choose one of the others", "unknown")])
    priced = edition.prices[name]
    if priced.product.variants and taken.variant is None:
        words = f"“{priced.product.name}” comes in several variants"
        raise QuoteRefused([Problem((*path, "variant"), words, "Choose one", "missing")])
    return priced


def _quantity(priced: PricedProduct, taken: Taken) -> int:
    return priced.price.at_counter.min if taken.quantity is None else taken.quantity


def _too_many(chosen: Sequence[tuple[Taken, PricedProduct]], listed: bool) -> Iterator[Problem]:
    """Of each price so many can be ordered at once, in all variants together."""
    so_far: dict[str, int] = {}
    for i, (taken, priced) in enumerate(chosen):
        limits, quantity = priced.price.at_counter, _quantity(priced, taken)
        so_far[priced.price.id] = so_far.get(priced.price.id, 0) + quantity
        if not limits.min <= quantity or so_far[priced.price.id] > limits.max:
            words = f"At most {limits.max} can be ordered at once, and at least {limits.min}"
            path: Path = ("items", i, "quantity") if listed else ("quantity",)
            yield Problem(path, words, "Change how many", "quantity")


def _not_together(chosen: Sequence[tuple[Taken, PricedProduct]], today: date) -> Iterator[Problem]:
    """What is charged only when it comes out is ordered by itself, and of a ladder there is one step."""
    if len(chosen) < 2:
        return
    steps: set[str] = set()
    for i, (_, priced) in enumerate(chosen):
        product, name = priced.product, priced.product.name
        out = product.available_from
        if product.charged == "at_release" and out is not None and out > today:
            message = f"“{name}” is paid for when it comes out, and ordered by itself"
            yield Problem(("items", i, "price"), message, "Leave the others out, or this", "alone")
        if priced.price.id in (product.ladder or ()):
            if product.id in steps:
                message = f"Of “{name}” one plan can be had at a time"
                yield Problem(("items", i, "price"), message, "Leave one of them out", "one_step")
            steps.add(product.id)


def first_chosen(edition: Edition, prices: Sequence[str]) -> str:
    """The price of some that is chosen at first: a product's default, or the first."""
    return next((one for one in prices if edition.prices[one].price.default), prices[0])


def offered_of(edition: Edition, left: dict[tuple[str, str], int], price: str, stopped: bool) -> Offered:
    priced = edition.prices[price]
    if stopped:  # as good as sold out
        return Offered(priced, 0, {one.id: 0 for one in priced.product.variants})
    variants = {one.id: holding.most_of(edition, left, price, one.id) for one in priced.product.variants}
    return Offered(priced, holding.most_of(edition, left, price, None), variants)
