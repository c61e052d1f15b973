"""How a subscription stands at a moment: its life as stored, what is due next, and when to look again."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import timedelta
from zoneinfo import ZoneInfo

from skurrow.core.edition import Edition
from skurrow.core.site.subscriptions import Subscriptions
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Due, Life
from skurrow.service.context import Context
from skurrow.service.draft import configuration
from skurrow.service.draft.configuration import edition_at
from skurrow.store.book import Book
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

OURS = frozenset({"not_accepted", "not_connected"})
"""Reasons for a refusal that are not the customer's."""

AGAIN = timedelta(hours=6)
"""After which a charge is tried again that failed for a reason of ours."""


@dataclass(frozen=True, slots=True)
class Now:
    """A book with the configuration that its subscriptions meet at present: the last release, or in the test book the
    draft."""

    book: Book
    edition: Edition
    change: int
    release: int | None

    @property
    def rules(self) -> Subscriptions:
        """How subscriptions are looked after."""
        return self.edition.site.subscriptions

    @property
    def zone(self) -> ZoneInfo:
        """The zone of its days."""
        return self.edition.site.site.zone


async def now_at(context: Context, book: Book) -> Now:
    """A book with the configuration that its subscriptions meet at present."""
    change, release = await configuration.met(book)
    return Now(book, await edition_at(context, book.db, book.site_id, change), change, release)


async def serving(context: Context, now: Now, row: SubscriptionRow) -> Now:
    """The configuration that serves what a subscription has: the present one; or, where its product or price is
    archived, the one that it was bought or last changed under."""
    if row.price in now.edition.prices:
        return now
    edition = await edition_at(context, now.book.db, now.book.site_id, row.change)
    return replace(now, edition=edition, change=row.change, release=row.release)


def life_of(row: SubscriptionRow) -> Life:
    """How a subscription stands."""
    return Life.model_validate(row.life)


def due_of(now: Now, life: Life) -> Due | None:
    """What falls due next."""
    return core.due(life, now.rules, now.zone)


def standing(now: Now, row: SubscriptionRow, life: Life) -> SubscriptionRow:
    """The row of a subscription that stands so, with what is looked for beside it."""
    due = due_of(now, life)
    product = now.edition.product(life.terms.product)
    return replace(
        row,
        product=life.terms.product,
        price=life.terms.price,
        ladder=bool(product and product.ladder and life.terms.price in product.ladder),
        state=life.state,
        next_on=life.next_on,
        due_at=None if due is None else due.at,
        life=life.model_dump(mode="json"),
    )
