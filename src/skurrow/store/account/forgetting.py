"""Forgetting a customer: what is theirs alone goes, what the books need stays without them."""

from __future__ import annotations

from typing import Any, LiteralString
from uuid import UUID

from psycopg.types.json import Jsonb

from skurrow.store.book import Book
from skurrow.store.database import run

_ENDED: tuple[LiteralString, ...] = (
    "delete from account_sessions where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s",
    "delete from account_links where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s",
    "delete from account_passwords where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s",
    "delete from typed_passwords where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s",
    "update give_backs set name = '', email = '', what = '', words = '' where site_id = %(site)s and mode = %(mode)s"
    " and (lower(email) = any(%(emails)s) or order_id in (select id from orders"
    "  where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s))",
    "update coupon_uses set customer = %(as)s where site_id = %(site)s and mode = %(mode)s and customer = %(customer)s",
    "update coupon_counts set customer = %(as)s where site_id = %(site)s and mode = %(mode)s"
    " and customer = %(customer)s",
    # What waits to be sent is not sent any more. Mails of the test book are those that its calendar has dated; what
    # somebody of the desk gets about their own sign-in is none of it.
    "update mails set to_address = '', subject = '', sealed_text = '', sealed_page = null,"
    " sent_at = coalesce(sent_at, created_at) where site_id = %(site)s and lower(to_address) = any(%(emails)s)"
    " and (dated_at is not null) = (%(mode)s = 'test')"
    " and key like any (array['order %%', 'subscription %%', 'account link %%'])",
)


async def alone(book: Book, customer: str) -> None:
    """Whoever else forgets the same customer waits until this transaction ends."""
    await run(
        book.db,
        "select pg_advisory_xact_lock(hashtextextended(%(name)s, 9))",
        {"name": f"{book.site_id} {book.mode} {customer}"},
    )


async def end(book: Book, customer: str, emails: list[str], known_as: str) -> None:
    """Passwords, sessions and links of a customer go, and what was written to them or by them, under any of their
    `emails` as they typed them (in small letters); coupons were used by whom they are `known_as`."""
    names = {"site": book.site_id, "mode": book.mode, "customer": customer, "emails": emails, "as": known_as}
    for statement in _ENDED:
        await run(book.db, statement, names)


async def forget_buyer(book: Book, order_id: UUID, known_as: str, buyer: dict[str, Any]) -> None:
    """Of an order's buyer that stays which is given; it is `known_as` somebody whom nobody finds."""
    await run(
        book.db,
        "update orders set customer = %(as)s, buyer = %(buyer)s"
        " where site_id = %(site)s and mode = %(mode)s and id = %(id)s",
        {"site": book.site_id, "mode": book.mode, "id": order_id, "as": known_as, "buyer": Jsonb(buyer)},
    )


async def forget_customer(
    book: Book, subscription_id: UUID, known_as: str, buyer: dict[str, Any], supply: dict[str, Any]
) -> None:
    """The same for a subscription; its card is charged by nobody any more."""
    await run(
        book.db,
        "update subscriptions set customer = %(as)s, buyer = %(buyer)s, supply = %(supply)s,"
        " sealed_on_file = null, card_ending = null where site_id = %(site)s and mode = %(mode)s and id = %(id)s",
        {
            "site": book.site_id,
            "mode": book.mode,
            "id": subscription_id,
            "as": known_as,
            "buyer": Jsonb(buyer),
            "supply": Jsonb(supply),
        },
    )
