"""What orders hold while they are being paid: pieces of a stock, and uses of a coupon.

Rows are always locked in the same order, so that two buyers never wait for each other in a circle.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.store.book import Book
from skurrow.store.claims import Claimed
from skurrow.store.database import Connection, one, rows, run, value


@dataclass(frozen=True, slots=True)
class Level:
    """How much is left of a product or, where each has its own stock, of one of its variants ("": of the product)."""

    product_id: str
    variant_id: str
    remaining: int


@dataclass(frozen=True, slots=True)
class Taken:
    """How often a coupon was taken: in all, and by one customer."""

    coupon_id: str
    customer: str
    taken: int


async def levels(book: Book, products: list[str]) -> list[Level]:
    """What is left of products, as far as it was ever counted."""
    return await rows(
        book.db,
        Level,
        "select product_id, variant_id, remaining from stock_levels"
        " where site_id = %(site)s and mode = %(mode)s and product_id = any(%(products)s)"
        " order by product_id, variant_id",
        {"site": book.site_id, "mode": book.mode, "products": products},
    )


async def open_level(book: Book, product: str, variant: str, opening: int) -> None:
    """Begins a stock with its opening count; one that has begun stays as it is."""
    await run(
        book.db,
        "insert into stock_levels (site_id, mode, product_id, variant_id, remaining)"
        " values (%(site)s, %(mode)s, %(product)s, %(variant)s, %(opening)s) on conflict do nothing",
        {"site": book.site_id, "mode": book.mode, "product": product, "variant": variant, "opening": opening},
    )


async def take_stock(book: Book, order_id: UUID, product: str, variant: str, quantity: int) -> bool:
    """Holds pieces for an order; False where there are not enough, and nothing is held then."""
    parameters = {
        "site": book.site_id,
        "mode": book.mode,
        "order": order_id,
        "product": product,
        "variant": variant,
        "quantity": quantity,
    }
    touched = await run(
        book.db,
        "update stock_levels set remaining = remaining - %(quantity)s where site_id = %(site)s and mode = %(mode)s"
        " and product_id = %(product)s and variant_id = %(variant)s and remaining >= %(quantity)s",
        parameters,
    )
    if touched == 0:
        return False
    await run(
        book.db,
        "insert into stock_holds (site_id, mode, order_id, product_id, variant_id, quantity)"
        " values (%(site)s, %(mode)s, %(order)s, %(product)s, %(variant)s, %(quantity)s)",
        parameters,
    )
    return True


async def take_coupon(book: Book, coupon: str, customer: str, most: int | None) -> bool:
    """Counts one more use of a coupon, by a customer or ("") in all; False where `most` are taken."""
    parameters = {"site": book.site_id, "mode": book.mode, "coupon": coupon, "customer": customer, "most": most}
    await run(
        book.db,
        "insert into coupon_counts (site_id, mode, coupon_id, customer)"
        " values (%(site)s, %(mode)s, %(coupon)s, %(customer)s) on conflict do nothing",
        parameters,
    )
    touched = await run(
        book.db,
        "update coupon_counts set taken = taken + 1 where site_id = %(site)s and mode = %(mode)s"
        " and coupon_id = %(coupon)s and customer = %(customer)s and (%(most)s::bigint is null or taken < %(most)s)",
        parameters,
    )
    return touched == 1


async def note_coupon_use(book: Book, order_id: UUID, coupon: str, customer: str) -> None:
    """Writes down which order a use belongs to."""
    await run(
        book.db,
        "insert into coupon_uses (site_id, mode, order_id, coupon_id, customer)"
        " values (%(site)s, %(mode)s, %(order)s, %(coupon)s, %(customer)s)",
        {"site": book.site_id, "mode": book.mode, "order": order_id, "coupon": coupon, "customer": customer},
    )


async def coupons_taken(book: Book, coupons: list[str], customer: str) -> list[Taken]:
    """How often coupons were taken, in all and by a customer ("": in all only)."""
    return await rows(
        book.db,
        Taken,
        "select coupon_id, customer, taken from coupon_counts where site_id = %(site)s and mode = %(mode)s"
        " and coupon_id = any(%(coupons)s) and customer in ('', %(customer)s)",
        {"site": book.site_id, "mode": book.mode, "coupons": coupons, "customer": customer},
    )


async def give_back(book: Book, order_id: UUID) -> None:
    """Gives back what an order holds: its charge surely failed."""
    parameters = {"site": book.site_id, "mode": book.mode, "order": order_id}
    await run(
        book.db,
        """
        with held as (
          select product_id, variant_id, quantity from stock_holds
          where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s and state = 'held'
        ), locked as (
          select product_id, variant_id from stock_levels
          where site_id = %(site)s and mode = %(mode)s
            and (product_id, variant_id) in (select product_id, variant_id from held)
          order by product_id, variant_id for update
        )
        update stock_levels set remaining = remaining + held.quantity
        from held join locked using (product_id, variant_id)
        where stock_levels.site_id = %(site)s and stock_levels.mode = %(mode)s
          and stock_levels.product_id = held.product_id and stock_levels.variant_id = held.variant_id
        """,
        parameters,
    )
    await run(
        book.db,
        "delete from stock_holds where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s"
        " and state = 'held'",
        parameters,
    )
    await run(
        book.db,
        """
        with held as (
          select coupon_id, customer from coupon_uses
          where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s and state = 'held'
        ), locked as (
          select coupon_id, customer from coupon_counts
          where site_id = %(site)s and mode = %(mode)s
            and exists (select 1 from held where held.coupon_id = coupon_counts.coupon_id
                        and coupon_counts.customer in ('', held.customer))
          order by coupon_id, customer for update
        )
        update coupon_counts set taken = taken - 1 from locked
        where coupon_counts.site_id = %(site)s and coupon_counts.mode = %(mode)s
          and coupon_counts.coupon_id = locked.coupon_id and coupon_counts.customer = locked.customer
        """,
        parameters,
    )
    await run(
        book.db,
        "delete from coupon_uses where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s"
        " and state = 'held'",
        parameters,
    )


async def unsold(book: Book, order_id: UUID) -> None:
    """What an order has bought is only held again, as if it had not been paid yet: it is taken out of the test book."""
    parameters = {"site": book.site_id, "mode": book.mode, "order": order_id}
    for statement in ("update stock_holds set state = 'held'", "update coupon_uses set state = 'held'"):
        await run(
            book.db,
            statement + " where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s and mode = 'test'",
            parameters,
        )


async def hold_until(book: Book, order_id: UUID, until: datetime | None) -> None:
    """Until when an order holds what it holds; None: until it is decided."""
    parameters = {"site": book.site_id, "mode": book.mode, "order": order_id, "until": until}
    for statement in ("update stock_holds set until = %(until)s", "update coupon_uses set until = %(until)s"):
        await run(
            book.db,
            statement + " where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s and state = 'held'",
            parameters,
        )


async def holds_anything(book: Book, order_id: UUID) -> bool:
    """Whether an order holds stock or coupons that it has not been sold yet."""
    found = await value(
        book.db,
        "select exists (select from stock_holds where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s)"
        " or exists (select from coupon_uses where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s)",
        {"site": book.site_id, "mode": book.mode, "order": order_id},
    )
    return bool(found)


async def claim_ended(connection: Connection, now: datetime, most: int) -> list[Claimed]:
    """Orders that hold something for longer than they may, each by the date of its book; needs no site."""
    return await rows(
        connection,
        Claimed,
        "select site_id, id from claim_ended_holds(%(now)s, %(most)s)",
        {"now": now, "most": most},
    )


async def keep(book: Book, order_id: UUID) -> None:
    """What an order holds is sold and used: it was paid."""
    parameters = {"site": book.site_id, "mode": book.mode, "order": order_id}
    for statement in (
        "update stock_holds set state = 'sold', until = null",
        "update coupon_uses set state = 'used', until = null",
    ):
        await run(
            book.db,
            statement + " where site_id = %(site)s and mode = %(mode)s and order_id = %(order)s",
            parameters,
        )


async def put_back(book: Book, product: str, variant: str, pieces: int) -> None:
    """Pieces that were sold go back into a stock, if it is counted."""
    await run(
        book.db,
        "update stock_levels set remaining = remaining + %(pieces)s where site_id = %(site)s and mode = %(mode)s"
        " and product_id = %(product)s and variant_id = %(variant)s",
        {"site": book.site_id, "mode": book.mode, "product": product, "variant": variant, "pieces": pieces},
    )


async def recount(
    book: Book,
    level: Level,
    seen: int,
    count_id: UUID,
    at: datetime,
    by: UUID | None,
) -> bool:
    """Sets a stock to what was counted, and writes down who did; False if it is not `seen` any more."""
    parameters = {
        "site": book.site_id,
        "mode": book.mode,
        "product": level.product_id,
        "variant": level.variant_id,
        "after": level.remaining,
        "seen": seen,
        "id": count_id,
        "at": at,
        "by": by,
    }
    touched = await run(
        book.db,
        "update stock_levels set remaining = %(after)s where site_id = %(site)s and mode = %(mode)s"
        " and product_id = %(product)s and variant_id = %(variant)s and remaining = %(seen)s",
        parameters,
    )
    if touched == 0:
        return False
    await run(
        book.db,
        "insert into stock_counts (id, site_id, mode, product_id, variant_id, before, after, at, by)"
        " values (%(id)s, %(site)s, %(mode)s, %(product)s, %(variant)s, %(seen)s, %(after)s, %(at)s, %(by)s)",
        parameters,
    )
    return True


async def level(book: Book, product: str, variant: str) -> Level | None:
    """What is left of one stock."""
    return await one(
        book.db,
        Level,
        "select product_id, variant_id, remaining from stock_levels where site_id = %(site)s and mode = %(mode)s"
        " and product_id = %(product)s and variant_id = %(variant)s",
        {"site": book.site_id, "mode": book.mode, "product": product, "variant": variant},
    )
