"""What a buyer has put together at the checkouts of one website, in one browser.

A basket is a row that holds things and nothing of a person. Its id is a random one that the website's own pages make up
and keep, and hand to each checkout (the checkout does, where they do not); it is no visit's token, and opens nothing:
whoever has it reads and changes what lies in it. What was ordered of it is out of it once it is paid, or waits.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import timedelta
from uuid import UUID

from skurrow.core.bounds import MOST_PIECES
from skurrow.core.edition import Edition
from skurrow.core.order import QuoteRefused
from skurrow.core.problems import Path, Problem
from skurrow.core.site.checkouts import Checkout
from skurrow.service import limits
from skurrow.service.context import Context
from skurrow.service.counter.visit import Visit
from skurrow.service.draft.configuration import edition_of
from skurrow.service.limits import BASKETS
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import baskets
from skurrow.store.orders.baskets import BasketRow

BASKET_LIFE = timedelta(days=60)
"""How long a basket that nobody touches is kept."""

MOST_ITEMS = 50


@dataclass(frozen=True, slots=True)
class Thing:
    """So many of a price, in a variant; `chosen` is the amount of one where the buyer chooses, in `chosen_in`."""

    price: str
    quantity: int
    variant: str | None = None
    chosen: str | None = None
    chosen_in: str | None = None

    @property
    def same(self) -> tuple[str, str | None]:
        """What makes it one thing: the price and the variant."""
        return self.price, self.variant


@dataclass(frozen=True, slots=True)
class Basket:
    """What lies in a basket and is `sold` at a checkout, how many things are sold `elsewhere` on the site, and in
    sentences what is sold no more or was not understood."""

    sold: tuple[Thing, ...] = ()
    elsewhere: int = 0
    unsold: tuple[str, ...] = ()


NOTHING_IN_IT = Basket()


async def basket_at(
    book: Book, edition: Edition, checkout: Checkout, basket: UUID | None, unsold: Sequence[str] = ()
) -> Basket:
    """What lies in a basket, as a checkout sells it; in one that is gone, or of the other book, nothing does."""
    row = None if basket is None else await baskets.basket(book, basket)
    return _seen(edition, checkout, [] if row is None else left_in(row), unsold)


async def put(
    context: Context,
    visit: Visit,
    basket: UUID,
    things: Sequence[Thing],
    anew: bool = False,
    address: str = "",
    more: bool = False,
) -> Basket:
    """Puts things into a basket, or changes how many are in it (0: takes them out): of each price and variant as many
    as are said or, with `more`, so many more. `anew`: what this checkout sells is taken out first. It begins with the
    first thing. Raises QuoteRefused, TooMany.
    """
    edition = await edition_of(context, visit.site_id, visit.change)
    checkout = edition.checkouts[visit.checkout_id]
    async with site_transaction(context.pool, visit.site_id) as db:
        known = await baskets.basket(Book(db, visit.site_id, visit.mode), basket)
    if known is None:
        await limits.spend(context, (BASKETS, f"{visit.site_id} {address}"))
    async with site_transaction(context.pool, visit.site_id) as db:
        book = Book(db, visit.site_id, visit.mode)
        if known is None:
            await baskets.begin(book, basket, context.now(), BASKET_LIFE)
        row = await baskets.basket(book, basket, lock=True)
        inside = [] if row is None else left_in(row)
        if anew:
            inside = [one for one in inside if not edition.is_sold_at(checkout, one.price)]
        inside = changed(edition, inside, things, more)
        settled = row is not None and row.ordered is not None
        await baskets.save_basket(book, basket, [asdict(one) for one in inside], settled, context.now())
        return _seen(edition, checkout, inside)


def changed(edition: Edition, inside: Sequence[Thing], things: Sequence[Thing], more: bool = False) -> list[Thing]:
    """What lies in a basket afterwards, in the order in which it came. Raises QuoteRefused for what cannot."""
    after = {one.same: one for one in inside}
    problems: list[Problem] = []
    for i, thing in enumerate(things):
        if thing.quantity <= 0:
            after.pop(thing.same, None)
            continue
        wrong = _wrong(edition, thing, ("items", i))
        if wrong is not None:
            problems.append(wrong)
            continue
        limits, before = edition.prices[thing.price].price.at_counter, after.get(thing.same)
        if more and before is not None:
            thing = replace(before, quantity=before.quantity + thing.quantity)
        after[thing.same] = replace(thing, quantity=min(limits.max, max(limits.min, thing.quantity)))
    if len(after) > MOST_ITEMS:
        message = f"A basket holds {MOST_ITEMS} things"
        problems.append(Problem(("items",), message, "Take something out first", "too_many"))
    if problems:
        raise QuoteRefused(problems)
    return list(after.values())


def things_of_link(edition: Edition, checkout: Checkout, written: str) -> tuple[list[Thing], list[str]]:
    """What a link brings: `kit:2:moss,thread:1`, each a price, how many and which variant; and in sentences what of it
    is not understood or not sold at this checkout. The same thing twice is as many together."""
    found: dict[tuple[str, str | None], Thing] = {}
    wrong: list[str] = []
    for part in [one.strip() for one in written.split(",") if one.strip()][: MOST_ITEMS + 1]:
        price, _, rest = part.partition(":")
        count, _, variant = rest.partition(":")
        if not edition.is_sold_at(checkout, price):
            wrong.append(f"“{price[:60]}” is not sold here.")
            continue
        number = 1 if not count else int(count) if count.isascii() and count.isdigit() and len(count) < 7 else 0
        if not 0 < number <= MOST_PIECES:
            wrong.append(f"“{edition.prices[price].product.name}”: “{count[:20]}” is no number of pieces.")
            continue
        priced = edition.prices[price]
        thing = Thing(price, number, variant or next(iter(priced.variants), None))
        problem = _wrong(edition, thing, ())
        if problem is not None:
            wrong.append(f"{problem.message}.")
            continue
        before = found.get(thing.same)
        number += before.quantity if before else 0
        most = priced.price.at_counter.max
        if number > most:
            wrong.append(f"“{priced.product.name}”: at most {most} can be ordered at once.")
        found[thing.same] = replace(thing, quantity=max(priced.price.at_counter.min, min(number, most)))
    if len(found) > MOST_ITEMS or (len(found) > 1 and not checkout.takes_several):
        kept = list(found.values())[: MOST_ITEMS if checkout.takes_several else 1]
        wrong.append(
            f"A basket holds {MOST_ITEMS} things."
            if checkout.takes_several
            else "Only one of these can be chosen here."
        )
        return kept, wrong
    return list(found.values()), wrong


def left_in(row: BasketRow) -> list[Thing]:
    """What is left in a basket of which something was ordered."""
    gone: dict[tuple[str, str | None], int] = {}
    for one in row.ordered or ():
        same = (one["price"], one.get("variant"))
        gone[same] = gone.get(same, 0) + one.get("quantity", 1)
    inside = (Thing(**one) for one in row.items)
    left = (replace(one, quantity=one.quantity - gone.get(one.same, 0)) for one in inside)
    return [one for one in left if one.quantity > 0]


# -- within -----------------------------------------------------------------------------------------------


def _wrong(edition: Edition, thing: Thing, path: Path) -> Problem | None:
    priced = edition.prices.get(thing.price)
    if priced is None or not priced.price.offered:
        message = f"There is no price “{thing.price[:60]}” to be had"
        return Problem((*path, "price"), message, "Leave it out", "unknown")
    name = priced.product.name
    if thing.variant is not None and thing.variant not in priced.variants:
        message = f"“{name}” does not come in “{thing.variant[:60]}”"
        return Problem((*path, "variant"), message, "Choose one of its variants", "unknown")
    if thing.variant is None and priced.variants:
        return Problem((*path, "variant"), f"“{name}” comes in several variants", "Choose one", "missing")
    return None


def _seen(edition: Edition, checkout: Checkout, inside: Iterable[Thing], unsold: Sequence[str] = ()) -> Basket:
    sold: list[Thing] = []
    gone, elsewhere = list(unsold), 0
    for one in inside:
        priced = edition.prices.get(one.price)
        if priced is None or _wrong(edition, one, ()) is not None:
            gone.append(f"“{priced.product.name if priced else one.price}” is not sold any more.")
        elif edition.is_sold_at(checkout, one.price):
            sold.append(one)
        else:
            elsewhere += 1
    return Basket(tuple(sold), elsewhere, tuple(dict.fromkeys(gone)))
