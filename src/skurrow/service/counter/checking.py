"""What is checked before a charge is opened: whether it is sold, to whom, where, and how often it was tried."""

from __future__ import annotations

from datetime import timedelta

from skurrow.core.edition import Edition
from skurrow.core.mailboxes import mailbox
from skurrow.core.order import QuoteRefused
from skurrow.core.problems import Problem
from skurrow.core.quote.written import Quote
from skurrow.service import addresses, calendars, telephones
from skurrow.service.context import Context
from skurrow.service.counter.payment import HasPlan, Payment
from skurrow.service.counter.pricing import Priced
from skurrow.service.counter.selling_states import check_open
from skurrow.service.counter.visit import PREVIEWING, Visit
from skurrow.service.draft.configuration import edition_at
from skurrow.service.payments import ways
from skurrow.service.refusals import NotFound, TooMany
from skurrow.service.subscriptions import subscription_mail
from skurrow.service.subscriptions.subscription_mail import plan_of
from skurrow.store.book import Book
from skurrow.store.database import Connection, site_transaction
from skurrow.store.orders import attempts, orders
from skurrow.store.orders.orders import OrderRow
from skurrow.store.orders.selling_states import SellingRow
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

MOST_REFUSED = {"address": (10, timedelta(hours=1)), "card": (6, timedelta(hours=24))}
"""Refused charges of a site after which no more are tried: from one address, with one card."""

MOST_WAITING, MOST_WAITING_OF_ADDRESS = 3, 6
"""Orders of one customer, and from one address, that may wait for a person's money at once."""


def check_sold(selling: SellingRow, edition: Edition, visit: Visit, quoted: Quote) -> None:
    """Raises Closed where the site, the checkout or a product was stopped since the visit began, NotFound where the
    test pass that it was begun with was withdrawn."""
    if visit.tries not in (None, PREVIEWING, selling.test_pass):
        raise NotFound("the test links of this shop were withdrawn")
    if visit.hindered:
        for line in quoted.lines:
            check_open(selling, edition, visit.checkout_id, [line.item.price], under_way=True)


async def check_tries(context: Context, db: Connection, visit: Visit, gateway: str, marks: dict[str, str]) -> None:
    """Nobody finds out by trying which of many cards work. Raises TooMany."""
    if ways.kind_of(gateway) != "fields":
        return
    now = context.now()
    for by, (most, within) in MOST_REFUSED.items():
        if by in marks:
            n = await attempts.refused_since(Book(db, visit.site_id, visit.mode), by, marks[by], now - within)
            if n >= most * context.settings.leeway:
                words = "Too many cards were refused. Nothing was charged. Try again later, or pay in another way."
                raise TooMany(words, int(within.total_seconds()))


async def check_waiting(
    context: Context,
    db: Connection,
    visit: Visit,
    order: OrderRow,
    payment: Payment,
    gateway: str,
    marks: dict[str, str],
) -> None:
    """Nobody holds a shop's stock with orders that they do not pay. Raises TooMany."""
    if ways.kind_of(gateway) != "person":
        return
    waiting = await attempts.waiting_of(
        Book(db, visit.site_id, visit.mode), payment.customer, marks.get("address"), order.id
    )
    for n, most in ((waiting.of_customer, MOST_WAITING), (waiting.of_address, MOST_WAITING_OF_ADDRESS)):
        if n >= most * context.settings.leeway:
            raise TooMany(
                f"{n} orders wait for their money already. Pay one of them, or have the shop cancel it, first.", 3600
            )


def check_place(edition: Edition, priced: Priced, payment: Payment) -> None:
    """An address is needed for what is sent and for a business's invoice; what is digital needs to be known where the
    buyer lives."""
    problems: list[Problem] = []
    buyer = payment.buyer
    sent = priced.sent
    to = buyer.deliver_to if sent else None
    if buyer.business and not buyer.company:
        problems.append(
            Problem(("company",), "The company is missing", "Type its name: the invoice bears it", "missing")
        )
    if to is not None:
        problems += addresses.problems(to.get("country") or buyer.country, to, ("deliver_to",))
        if not to.get("name"):
            problems.append(Problem(("deliver_to", "name"), "The name is missing", "Type who it is for", "missing"))
    if sent and sent.telephone:
        problems += telephones.problems(buyer.telephone, buyer.parcel_country, sent.telephone == "needed")
    if buyer.business or (sent and to is None):
        problems += addresses.problems(buyer.country, buyer.address, ("address",))
    elif not sent and needs_postal_code(edition, buyer.country) and not buyer.address.get("postal_code"):
        problems.append(
            Problem(("address", "postal_code"), "The postal code is missing", "Type it: tax depends on it", "missing")
        )
    if problems:
        raise QuoteRefused(problems)
    if asks_where(priced.quote, buyer.country, buyer.evidence.connection) and not buyer.evidence.confirmed:
        message = "The connection seems to come from another country than the one chosen"
        raise QuoteRefused([Problem(("place",), message, "Say which is right", "place_conflict")])


def needs_postal_code(edition: Edition, country: str) -> bool:
    """Whether the tax of what is not sent hangs on a buyer's postal code in this country."""
    if country in ("US", "CA"):
        return any((one.place or "").startswith(country) for one in edition.site.tax.registrations)
    return addresses.form(country).place_by_postal_code and edition.site.tax.exempt is None


def asks_where(quoted: Quote, country: str, seen_in: str | None) -> bool:
    """Whether a buyer of something digital is asked which country they live in: evidence of it must not disagree."""
    digital = any(line.charged.priced.what.kind == "digital" for line in quoted.lines)
    return digital and seen_in is not None and seen_in != country


def check_customer(quoted: Quote, payment: Payment) -> None:
    """Prices for named customers are sold to those only."""
    for line in quoted.lines:
        named = line.charged.priced.price.for_
        if named is not None and payment.customer not in {mailbox(one) for one in named}:
            message = f"“{line.name}” is for invited customers, and this address is not among them"
            raise QuoteRefused([Problem(("email",), message, "Use the address that was invited", "not_invited")])


async def check_ladder(
    db: Connection, edition: Edition, visit: Visit, order: OrderRow, priced: Priced, payment: Payment
) -> None:
    """Nobody gets two steps of one ladder by accident, not even from two windows at once. Raises HasPlan."""
    book = Book(db, visit.site_id, visit.mode)
    for line in priced.quote.lines:
        product = line.charged.priced.product
        if line.item.price not in (product.ladder or ()):
            continue
        customer = payment.customer
        await subscriptions.alone_on_ladder(book, customer, product.id)
        row = await subscriptions.on_ladder(book, customer, product.id)
        paying = await orders.paying_for(book, customer, product.id, order.id)
        if row is not None or paying:
            raise HasPlan(product.name, plan_of(edition, line.item.price), row)


async def tell_of_plan(context: Context, visit: Visit, row: SubscriptionRow, wanted: str) -> None:
    """Sends whoever has the plan a link to change it; once a visit. Which plan they have is told to nobody else."""
    async with site_transaction(context.pool, visit.site_id) as db:
        context = await calendars.of_book(context, Book(db, visit.site_id, visit.mode))
        edition = await edition_at(context, db, visit.site_id, visit.change)
        told = {"plan": wanted, "key": f"{wanted} {context.now().date()}"}  # once a day, whoever asks how often
        await subscription_mail.tell(context, Book(db, visit.site_id, row.mode), edition, row, "has_plan", told)
