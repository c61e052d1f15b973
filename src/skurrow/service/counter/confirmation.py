"""The page of a paid order, and its papers."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from skurrow.core.papers.paper import Paper
from skurrow.core.site.site import Site
from skurrow.gateway.protocol import Mode
from skurrow.service.context import Context
from skurrow.service.counter.progress import Awaited, awaited_of, back_token
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


async def paper_of(context: Context, token: str, number: str) -> Paper:
    """A paper of a confirmed order. Raises NotFound."""
    found = await papers.of_order(context, *_confirmed(context, token))
    for one in found:
        if one.number == number:
            return one
    raise NotFound("there is no such paper")


# -- within -----------------------------------------------------------------------------------------------


def _confirmed(context: Context, token: str) -> tuple[UUID, Mode, UUID]:
    """Site, mode and order that a confirmation's address names. Raises NotFound."""
    data = context.signer.read("confirmation", token)
    if data is None:
        raise NotFound("there is no such page")
    return UUID(data["s"]), data["m"], UUID(data["o"])
