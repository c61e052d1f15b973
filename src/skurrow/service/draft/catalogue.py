"""What can be found at a site by name: lists of parts in pages, prices to choose from, and the jump box."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import islice
from typing import Any, Literal
from uuid import UUID

from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.money import format_amount
from skurrow.core.products.price_words import price_words as core_words
from skurrow.core.quote.discounts import percent_text
from skurrow.core.site.checkouts import Checkout
from skurrow.core.site.coupons import Coupon
from skurrow.core.site.products import Product
from skurrow.core.site.stand_in_buyers import CardBehaviour, StandInBuyer
from skurrow.core.site.whole import LISTS
from skurrow.service.context import Context
from skurrow.service.draft import configuration
from skurrow.service.states import State
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.draft.sites import PartRow
from skurrow.store.orders import orders

PAGE = 50
MOST_FOUND = 8

_CARDS: dict[CardBehaviour, str] = {
    "approved": "card approved",
    "elsewhere": "card of another country",
    "no_funds": "card without funds",
    "lost": "card reported lost",
    "expired": "card expired",
    "slow": "slow card",
    "no_answer": "no answer at first",
    "cut": "connection cut",
    "no_refund": "card that takes nothing back",
    "approval": "card that asks the bank",
    "disputed": "card with a dispute",
    "fails_once": "card that fails once",
    "fails_later": "card that fails later",
    "approval_later": "card that asks again",
}


@dataclass(frozen=True, slots=True)
class PartLine:
    """A part in a list: its name, and a few words about it."""

    id: str
    name: str
    words: str
    change: int


@dataclass(frozen=True, slots=True)
class PartPage:
    """A page of a list; `next` is the cursor of the following page, `total` how many fit the search."""

    lines: list[PartLine]
    next: str | None
    total: int


@dataclass(frozen=True, slots=True)
class Found:
    """Something to jump to."""

    kind: Literal["product", "price", "coupon", "checkout", "stand_in_buyer", "order"]
    id: str
    name: str
    words: str
    mode: str | None = None
    product: str | None = None


async def page(context: Context, site_id: UUID, kind: str, search: str, after: str | None) -> PartPage:
    """A page of the draft's parts of a kind, those whose name or id holds `search`."""
    state = await configuration.draft(context, site_id)
    sought = search.strip().casefold()
    listed = getattr(state.edition.site, LISTS[kind])
    fitting = [one for one in listed if not sought or sought in one.folded_name or sought in one.id]
    begin = next((i + 1 for i, one in enumerate(fitting) if one.id == after), 0)
    shown = fitting[begin : begin + PAGE]
    more = len(fitting) > begin + PAGE
    lines = [PartLine(o.id, o.desk_name, words_for(state.edition, o), state.parts[kind, o.id].change) for o in shown]
    return PartPage(lines, shown[-1].id if more else None, len(fitting))


async def part(context: Context, site_id: UUID, kind: str, part_id: str) -> tuple[State, PartRow | None]:
    """The draft, and one part of it if it is there."""
    state = await configuration.draft(context, site_id)
    found = state.parts.get((kind, part_id))
    return state, found if found is not None and found.body is not None else None


async def prices(context: Context, site_id: UUID, search: str, unsold: bool = False) -> list[PricedProduct]:
    """Prices whose name or product's name holds `search`, the first twenty; or only those that no checkout sells."""
    state = await configuration.draft(context, site_id)
    sold = {price for one in state.edition.site.checkouts for price in one.prices} if unsold else set[str]()
    sought = search.strip().casefold()
    found = []
    for one in state.edition.prices.values():
        if one.price.id in sold:
            continue
        if not sought or sought in one.product.folded_name or sought in one.price.id:
            found.append(one)
            if len(found) == 20:
                break
    return found


async def jump(context: Context, site_id: UUID, search: str) -> list[Found]:
    """Whatever bears a name that holds `search`: those that begin with it first, at most eight of a kind."""
    sought = search.strip().casefold()
    if not sought:
        return []
    state = await configuration.draft(context, site_id)
    edition = state.edition
    found: list[Found] = []
    for kind in ("product", "coupon", "checkout", "stand_in_buyer"):
        fitting = _best(getattr(edition.site, LISTS[kind]), sought)
        found += [Found(kind, one.id, one.desk_name, words_for(edition, one)) for one in fitting]
    priced = (one for one in edition.prices.values() if sought in one.price.id or _labelled(one, sought))
    found += [
        Found("price", one.price.id, one.price.label or one.price.id, price_words(edition, one), product=one.product.id)
        for one in islice(priced, MOST_FOUND)
    ]
    async with site_transaction(context.pool, site_id) as db:
        for mode in ("live", "test"):
            for order in await orders.orders_before(Book(db, site_id, mode), None, search.strip(), MOST_FOUND // 2):
                words = f"{order.code}, {order.currency} {format_amount(order.total, order.currency)}"
                found.append(Found("order", order.code, order.kept.buyer.name, words, mode))
    return found


def _best(listed: Iterable[Any], sought: str) -> list[Any]:
    """The first that fit, those whose name begins so before the others."""
    beginning: list[Any] = []
    holding: list[Any] = []
    for one in listed:
        name = one.folded_name
        if name.startswith(sought):
            beginning.append(one)
            if len(beginning) == MOST_FOUND:
                break
        elif len(holding) < MOST_FOUND and (sought in name or sought in one.id):
            holding.append(one)
    return [*beginning, *holding][:MOST_FOUND]


def _labelled(one: PricedProduct, sought: str) -> bool:
    label = one.price.label
    return label is not None and sought in label.casefold()


def words_for(edition: Edition, one: Product | Coupon | Checkout | StandInBuyer) -> str:
    """A few words about a part, for a list."""
    if isinstance(one, StandInBuyer):
        return f"{one.country}, {one.currency}, {_CARDS[one.card]}"
    if isinstance(one, Coupon):
        return coupon_words(edition, one)
    if isinstance(one, Checkout):
        if not one.prices:
            return "whatever a basket holds"
        priced = edition.prices[one.prices[0]]
        more = f" and {len(one.prices) - 1} more" if len(one.prices) > 1 else ""
        return f"{priced.product.desk_name}, {amount_words(edition, priced)}{more}"
    count = len(one.prices)
    first = amount_words(edition, edition.prices[one.prices[0].id])
    return first if count == 1 else f"{first} and {count - 1} more"


def coupon_words(edition: Edition, coupon: Coupon) -> str:
    """What a coupon takes off, and of what: "10 % off Coptic stitch kit"."""
    if coupon.percent is not None:
        words = f"{percent_text(coupon.percent)} % off"
    else:
        words = f"{edition.base} {format_amount(edition.coupons[coupon.id].amounts[edition.base], edition.base)} off"
    if coupon.only is not None:
        products = [product for name in coupon.only if (product := edition.product(name)) is not None]
        more = f" and {len(products) - 1} more" if len(products) > 1 else ""
        words += f" {products[0].desk_name}{more}" if products else ""
    if coupon.renewals is not None:
        words += ", every charge" if coupon.renewals == "all" else f", first {coupon.renewals} charges"
    return words + (", by itself" if coupon.automatic else "")


def amount_words(edition: Edition, priced: PricedProduct) -> str:
    """A price in the base currency: "EUR 48.00 once"."""
    return core_words(priced, edition.base)


def price_words(edition: Edition, priced: PricedProduct) -> str:
    """A price with its product: "Coptic stitch kit, EUR 48.00 once"."""
    return f"{priced.product.desk_name}, {amount_words(edition, priced)}"
