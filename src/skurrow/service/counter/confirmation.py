"""The page of a paid order, and its papers."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from uuid import UUID

from skurrow.core.papers.paper import Paper
from skurrow.core.site.site import Site
from skurrow.gateway.protocol import Mode
from skurrow.service import calendars
from skurrow.service.codes import KEY_LIFE, confirmation_key, opens_confirmation
from skurrow.service.context import Context
from skurrow.service.counter.progress import Awaited, awaited_of, back_token
from skurrow.service.counter.visit import held_visit
from skurrow.service.draft.configuration import edition_at
from skurrow.service.mail.letters import account_address
from skurrow.service.papers import papers
from skurrow.service.refusals import NotFound
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.draft import sites
from skurrow.store.orders import attempts, charges, orders
from skurrow.store.orders.orders import OrderRow
from skurrow.store.payments import connections


@dataclass(frozen=True, slots=True)
class Confirmation:
    """What the confirmation page recounts. `awaited` is what the order waits for; `back` says which visit it is of to
    whoever holds that, and to nobody else; `account` is where all that was bought stands."""

    shop: Site
    order: OrderRow
    paid_by: str
    papers: list[Paper]
    awaited: Awaited | None
    back: str
    checkout_code: str | None
    account: str | None


async def confirmation(context: Context, token: str) -> Confirmation:
    """What the page of an order recounts, paid, waiting, or gone back to open. Raises NotFound."""
    site_id, mode, order_id = _confirmed(context, token)
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        order = await orders.order_by_id(book, order_id)
        if order is None:
            raise NotFound("there is no such page")
        taken = await charges.charges_of(book, order_id)
        edition = await edition_at(context, db, site_id, order.change)
        tried = await attempts.attempts_of(book, order_id)
        kept = await papers.kept(book, order_id)
        code = await sites.address_of(db, site_id, order.checkout_id)
        site = await sites.site(db, site_id)
        if order.state == "open" and not any(one.waits for one in tried):
            raise NotFound("there is no such page")
        used = next((one for one in reversed(tried) if one.state in ("open", "paid")), None)
        row = None if used is None else await connections.connection_by_id(db, site_id, used.connection_id)
    paid_by = papers.paid_by(row.adapter, taken[0].card_ending) if row is not None and taken else ""
    awaited = None
    if order.state == "waiting" and used is not None and row is not None:
        awaited = awaited_of(edition, order, used, row)
    back = back_token(context, site_id, mode, order.visit)
    account = account_address(context, site.code, mode) if site is not None else None
    return Confirmation(edition.site.site, order, paid_by, kept, awaited, back, code, account)


@dataclass(frozen=True, slots=True)
class Personal:
    """What only the buyer sees of it: whose it is, and its papers, which the `key` opens."""

    name: str
    email: str
    papers: list[Paper]
    key: str


async def personal(context: Context, token: str, visit: str | None, key: str | None) -> Personal | None:
    """What is personal about a confirmed order: to the browser it was bought in, for a day, by its `visit`; to whoever
    follows a link that was mailed, or stands on the account page, by its `key`. None to anybody else, so that the
    page's address may be kept and passed on. Raises NotFound."""
    site_id, mode, order_id = _confirmed(context, token)
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        order = await orders.order_by_id(book, order_id)
        if order is None:
            raise NotFound("there is no such page")
        there = await calendars.of_book(context, book)
        if not opens_confirmation(context, order_id, key) and not _bought_here(there, order, visit):
            return None
        kept = await papers.kept(book, order_id)
    buyer = order.kept.buyer
    return Personal(buyer.name, buyer.email, kept, confirmation_key(context, order_id, KEY_LIFE))


async def paper_of(context: Context, token: str, number: str, key: str | None) -> tuple[UUID, Paper]:
    """A paper of a confirmed order, with its site. Raises NotFound, to whoever has no key as well."""
    site_id, mode, order_id = _confirmed(context, token)
    if opens_confirmation(context, order_id, key):
        for one in await papers.of_order(context, site_id, mode, order_id):
            if one.number == number:
                return site_id, one
    raise NotFound("there is no such paper")


# -- within -----------------------------------------------------------------------------------------------


def _bought_here(context: Context, order: OrderRow, visit: str | None) -> bool:
    """Whether a browser's visit is that of the order, and the order not yet a day old."""
    if visit is None or context.book_now() - (order.paid_at or order.created_at) > KEY_LIFE:
        return False
    with contextlib.suppress(NotFound):
        return held_visit(context, visit).id == order.visit
    return False


def _confirmed(context: Context, token: str) -> tuple[UUID, Mode, UUID]:
    """Site, mode and order that a confirmation's address names. Raises NotFound."""
    data = context.signer.read("confirmation", token)
    if data is None:
        raise NotFound("there is no such page")
    return UUID(data["s"]), data["m"], UUID(data["o"])
