"""The page after paying, looked at without paying: of an invented sale at a checkout, for a stand-in buyer."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, timedelta
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.papers.paper import Paper, Payment, Sold
from skurrow.core.papers.papers import number_text, paper, series_for
from skurrow.core.payments.ways import Sale
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.counter.confirmation import Confirmation, Personal
from skurrow.service.counter.opening import previewed
from skurrow.service.counter.progress import Awaited
from skurrow.service.draft.configuration import edition_at, met
from skurrow.service.mail.letters import account_address
from skurrow.service.orders.transfer_slips import transfer_slip
from skurrow.service.papers import papers
from skurrow.service.payments import ways
from skurrow.service.payments.gateways import account_of, connections_at
from skurrow.service.refusals import NotFound
from skurrow.service.tape.invented import CODE, ENDING, invented
from skurrow.service.tax.place_names import place_name
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.draft import sites
from skurrow.store.orders.orders import OrderRow
from skurrow.store.payments.connections import ConnectionRow


@dataclass(frozen=True, slots=True)
class After:
    """A way in which an order at a checkout may go on without the buyer's money, as they read of it."""

    gateway: str
    label: str


async def waiting_ways(context: Context, site_id: UUID, checkout: str) -> list[After]:
    """The ways of a checkout after which an order waits for its buyer's money."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, "test")
        change, _ = await met(book)
        edition = await edition_at(context, db, site_id, change)
        found = edition.checkouts.get(checkout)
        connected = [] if found is None else await connections_at(book, found)
    return [
        After(offer.gateway, offer.label)
        for offer in ways.offers_for(edition, connected, Sale(edition.site.site.country, edition.base, 1))
        if ways.kind_of(offer.gateway) == "person"
    ]


async def after_paying(context: Context, token: str, way: str | None = None) -> tuple[Confirmation, Personal]:
    """The page as the buyer of a preview would meet it: paid or, with the gateway of a `way`, waiting for their money.
    Raises NotFound where there is no such preview, or they can buy nothing there."""
    seen = previewed(context, token)
    async with site_transaction(context.pool, seen.site_id) as db:
        book = Book(db, seen.site_id, "test")
        site = await sites.site(db, seen.site_id)
        if site is None:
            raise NotFound("there is no such site")
        change, _ = await met(book)
        edition = await edition_at(context, db, site.id, change)
        checkout = edition.checkouts.get(seen.checkout)
        if checkout is None:
            raise NotFound("there is no such checkout")
        connected = await connections_at(book, checkout)
        at = (await calendars.of_book(context, book)).book_now()
    prices = (edition.prices[name] for name in edition.sold_at(checkout))
    order = invented(edition, seen.buyer, at, "en", prices, context.new_id)
    today = at.astimezone(edition.site.site.zone).date()
    row = next((one for one in connected if one.adapter == way), None)
    if way is not None and (row is None or ways.kind_of(way) != "person"):
        raise NotFound("there is no such way to pay")
    awaited = None if row is None else _awaited(edition, order, row, today)
    if awaited is not None:
        order = replace(order, state="waiting", paid_at=None)
    made = [_paper(edition, order, today)] if awaited is None and order.total else []
    paid_by = papers.paid_by("standin-cards", ENDING) if made else ""
    account = account_address(context, site.code, "test")
    page = Confirmation(edition.site.site, order, paid_by, made, awaited, "", None, account)
    return page, Personal(seen.buyer.person, seen.buyer.email, made, "")


async def paper_after_paying(context: Context, token: str) -> tuple[UUID, Paper]:
    """The paper of the same sale, with its site. Raises NotFound."""
    _, mine = await after_paying(context, token)
    if not mine.papers:
        raise NotFound("there is no such paper")
    return previewed(context, token).site_id, mine.papers[0]


# -- within -----------------------------------------------------------------------------------------------


def _paper(edition: Edition, order: OrderRow, on: date) -> Paper:
    kind = papers.kind_of(edition, order)
    number = number_text("test", series_for(edition.site, kind, on), 1)
    payment = Payment(on=on, way=f"card ending in {ENDING}", reference="a sample")
    return paper(edition, Sold(CODE, "test", order.buyer, order.quote, on, payment), number, None, place_name)


def _awaited(edition: Edition, order: OrderRow, row: ConnectionRow, today: date) -> Awaited:
    """What the order waits for where it is paid by people."""
    sale = Sale(order.kept.buyer.country, order.currency, order.total)
    offer = next(one for one in ways.offers_for(edition, [row], sale) if one.gateway == row.adapter)
    slip = None
    if row.adapter == "transfer":
        slip = transfer_slip(account_of(row).details, order.code, order.total, order.currency)
    return Awaited(row.adapter, offer.label, offer.text, today + timedelta(days=offer.days), None, slip)
