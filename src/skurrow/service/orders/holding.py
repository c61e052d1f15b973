"""What an order holds while it is being paid: stock and coupon uses. Taken in the transaction that opens the attempt,
given back in the one that learns that it failed, kept in the one that learns that it was paid."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.mailboxes import mailbox
from skurrow.core.products.stock import needs, stocks_of
from skurrow.store.book import Book
from skurrow.store.orders import holds, orders

Wanted = Iterable[tuple[str, str | None, int]]
"""Prices, each in a variant and so many."""


@dataclass(frozen=True, slots=True)
class Short:
    """Why an order cannot be held: a product of which only so many are left, or a coupon that is used up."""

    product: str | None = None
    variant: str = ""
    left: int = 0
    coupon: str | None = None


async def hold(
    book: Book,
    order_id: UUID,
    edition: Edition,
    wanted: Wanted,
    coupons: Iterable[str],
    customer: str,
) -> Short | None:
    """Holds what an order needs; or says what is short, and then the transaction has to be given up."""
    for need in needs(edition, wanted):
        await holds.open_level(book, need.product, need.variant, need.opening)
        if not await holds.take_stock(book, order_id, need.product, need.variant, need.quantity):
            level = await holds.level(book, need.product, need.variant)
            return Short(need.product, need.variant, level.remaining if level else 0)
    for name in sorted(coupons):
        coupon = edition.coupons[name].coupon
        for whose, most in (("", coupon.limit), (customer, coupon.per_customer)):
            if not await holds.take_coupon(book, name, whose, most):
                return Short(coupon=name)
        await holds.note_coupon_use(book, order_id, name, customer)
    return None


async def hold_late(
    book: Book,
    order_id: UUID,
    edition: Edition,
    wanted: Wanted,
    coupons: Iterable[str],
    customer: str,
) -> list[Short]:
    """Holds what a paid order needs after what it held had gone back, and says what others have meanwhile. The sale
    stands with its coupons, so their use counts even beyond the limit."""
    short = []
    for need in needs(edition, wanted):
        await holds.open_level(book, need.product, need.variant, need.opening)
        if not await holds.take_stock(book, order_id, need.product, need.variant, need.quantity):
            short.append(Short(need.product, need.variant))
    for name in sorted(coupons):
        coupon = edition.coupons[name].coupon
        taken = [
            await holds.take_coupon(book, name, whose, most) or not await holds.take_coupon(book, name, whose, None)
            for whose, most in (("", coupon.limit), (customer, coupon.per_customer))
        ]
        await holds.note_coupon_use(book, order_id, name, customer)
        if not all(taken):
            short.append(Short(coupon=name))
    return short


@dataclass(frozen=True, slots=True)
class KnownCustomer:
    """What an order's coupons depend on of whoever buys: those that can be used no more, and how many paid `orders`
    there were (counted only where a coupon asks)."""

    used_up: frozenset[str] = frozenset()
    orders: int = 0


NEW = KnownCustomer()


async def known_of(book: Book, edition: Edition, customer: str, asked: Iterable[str]) -> KnownCustomer:
    """What the coupons that come by themselves, and those asked for, depend on of this customer."""
    names = [name for name in {*edition.automatic, *asked} if name in edition.coupons]
    paid = 0
    if customer and any(edition.coupons[name].coupon.customer == "new" for name in names):
        paid = await orders.paid_by(book, customer)
        if book.mode == "test" and _is_returning(edition, customer):
            paid = max(paid, 1)
    return KnownCustomer(await _used_up(book, edition, customer, names), paid)


def _is_returning(edition: Edition, customer: str) -> bool:
    """Whether a customer of the test book is a stand-in buyer who has bought before, by what the site says of them."""
    return any(one.returning and mailbox(one.email) == customer for one in edition.site.stand_in_buyers)


async def _used_up(book: Book, edition: Edition, customer: str, names: list[str]) -> frozenset[str]:
    limited = [
        name
        for name in names
        if edition.coupons[name].coupon.limit is not None or edition.coupons[name].coupon.per_customer is not None
    ]
    if not limited:
        return frozenset()
    gone = set()
    for one in await holds.coupons_taken(book, limited, customer):
        coupon = edition.coupons[one.coupon_id].coupon
        most = coupon.limit if one.customer == "" else coupon.per_customer
        if most is not None and one.taken >= most:
            gone.add(one.coupon_id)
    return frozenset(gone)


async def left_of(book: Book, edition: Edition, products: Iterable[str]) -> dict[tuple[str, str], int]:
    """What is left of the stocks of products, those that they hold included; what was never touched has its opening."""
    found: dict[tuple[str, str], int] = {}
    waiting = list(products)
    names: set[str] = set()
    while waiting:
        name = waiting.pop()
        product = edition.product(name)
        if product is None or name in names:
            continue
        names.add(name)
        found |= {(name, variant): opening for variant, opening in stocks_of(product)}
        waiting += [edition.prices[content.price].product.id for content in product.contains]
    if not found:
        return found
    for level in await holds.levels(book, sorted(names)):
        key = (level.product_id, level.variant_id)
        if key in found:
            found[key] = level.remaining
    return found


def most_of(edition: Edition, left: dict[tuple[str, str], int], price: str, variant: str | None) -> int | None:
    """How many of a price can be sold with what is left; None where nothing is counted."""
    counted = [left[n.product, n.variant] // n.quantity for n in needs(edition, [(price, variant, 1)])]
    return min(counted) if counted else None
