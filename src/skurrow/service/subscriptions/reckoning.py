"""What a charge of a subscription comes to, by its terms and for its buyer."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from skurrow.core.order import Buyer
from skurrow.core.quote.kept import KeptBuyer
from skurrow.core.subscriptions.life import Life
from skurrow.core.subscriptions.reckoning import Beside, Reckoning
from skurrow.core.subscriptions.together import beside
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.subscriptions.standing import Now, life_of, serving
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow


def buyer_of(kept: Mapping[str, Any]) -> Buyer:
    """A buyer as an order or subscription keeps them, as far as amounts depend on it."""
    return KeptBuyer.model_validate(kept).as_buyer()


@dataclass(frozen=True, slots=True)
class Reckoned:
    """How the next charges of a subscription are reckoned: under which change and release, for whom."""

    reckoning: Reckoning
    change: int
    release: int | None
    buyer: dict[str, Any]


async def reckoned(context: Context, now: Now, row: SubscriptionRow, life: Life) -> Reckoned:
    """The charges of a subscription from the next one on. Tax and delivery are those of the present configuration; a
    set of instalments keeps those of its first payment, a product that is gone those that it was bought under."""
    change, release, buyer, edition = now.change, now.release, row.buyer, now.edition
    terms, counted_from = life.next_terms, life.until if life.following is not None else life.counted_from
    number = 0 if life.following is not None else life.next
    if terms.kind == "instalments" and terms.rhythm.first_of_set(number) != number:
        product = edition.product(terms.product)
        if product is None or product.kind != "service":
            change, release, buyer = row.supply["change"], row.supply.get("release"), row.supply["buyer"]
            edition = await edition_at(context, now.book.db, now.book.site_id, change)
    others = await beside_of(context, now, row, life)
    try:
        found = Reckoning(edition, terms, buyer_of(buyer), counted_from, others)
    except KeyError:
        change, release = row.change, row.release
        edition = await edition_at(context, now.book.db, now.book.site_id, change)
        found = Reckoning(edition, terms, buyer_of(buyer), counted_from, others)
    return Reckoned(found, change, release, buyer)


async def beside_of(context: Context, now: Now, row: SubscriptionRow, life: Life) -> list[Beside]:
    """The other plans of the order that began a subscription, as they stand now."""
    if life.terms.plans < 2 or row.order_id is None:
        return []
    found: list[Beside] = []
    for other in await subscriptions.subscriptions_of_order(now.book, row.order_id):
        if other.id != row.id:
            edition = (await serving(context, now, other)).edition
            found += beside(life_of(other), edition, _parcels_of(other) == _parcels_of(row))
    return found


def _parcels_of(row: SubscriptionRow) -> tuple[str | None, Mapping[str, str]]:
    buyer = row.kept_buyer
    return buyer.parcel_country, buyer.deliver_to or buyer.address or {}
