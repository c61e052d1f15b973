"""Filling in whose mailbox stored addresses are, where that is not done yet: run right after the migrations.

The database lowers ASCII letters by itself; an address with others in it is compared by what the core says. Rows that
were one and are two now, or the other way round, are listed in `mailbox_collisions`.
"""

from __future__ import annotations

from typing import Any

import psycopg
from psycopg.rows import dict_row

from skurrow.core.mailboxes import mailbox

Owner = psycopg.Connection[Any]


def fill(connection: Owner) -> int:
    """Fills in what is missing; returns how many collisions were found on the way."""
    with connection.transaction():
        if not _anything(connection):
            return 0
        before = _collisions(connection)
        _people(connection)
        _orders(connection)
        _subscriptions(connection)
        _coupons(connection)
        return _collisions(connection) - before


def _anything(connection: Owner) -> bool:
    """Whether some row has no mailbox yet; every one that is written now has."""
    found = connection.execute(
        "select exists (select from people where mailbox is null and not exists (select from mailbox_collisions c"
        " where c.row_id = people.id)) or exists (select from orders where customer = '')"
        " or exists (select from invitations where mailbox is null and ended_at is null and not exists"
        " (select from mailbox_collisions c where c.row_id = invitations.id))"
    ).fetchone()
    return bool(found and found[0])


def _collisions(connection: Owner) -> int:
    found = connection.execute("select count(*) from mailbox_collisions").fetchone()
    return int(found[0]) if found else 0


_PEOPLE = (
    ("people", "select id, null::uuid as site_id, email, mailbox from people order by created_at, id",
     "update people set mailbox = %s where id = %s"),
    ("invitations",
     "select id, site_id, email, mailbox from invitations where ended_at is null order by created_at, id",
     "update invitations set mailbox = %s where id = %s"),
)  # fmt: skip


def _people(connection: Owner) -> None:
    """The first of several with one mailbox has it; the others are listed, and sign in with another address only."""
    for table, query, update in _PEOPLE:
        taken: set[Any] = set()
        for row in _rows(connection, query):
            key = (row["site_id"], mailbox(row["email"]))
            if key in taken:
                _note(connection, row, f"{table}: another has this mailbox; give it another address", key[1])
            elif row["mailbox"] is None:
                connection.execute(update.encode(), (key[1], row["id"]))
            taken.add(key)


def _orders(connection: Owner) -> None:
    # Paid orders are kept as they are by a trigger; what is added here is no change of theirs.
    connection.execute("alter table orders disable trigger user")
    connection.execute(
        "update orders set customer = mailbox_of(buyer ->> 'email')"
        " where customer = '' and mailbox_of(buyer ->> 'email') is not null"
    )
    for row in _rows(connection, "select id, buyer ->> 'email' as email from orders where customer = ''"):
        connection.execute("update orders set customer = %s where id = %s", (mailbox(row["email"] or ""), row["id"]))
    connection.execute("alter table orders enable trigger user")


def _subscriptions(connection: Owner) -> None:
    """Those of addresses with other than ASCII letters; the others are compared as before."""
    for row in _rows(
        connection,
        "select id, site_id, mode, customer, buyer ->> 'email' as email from subscriptions"
        " where mailbox_of(buyer ->> 'email') is distinct from customer",
    ):
        after = mailbox(row["email"] or row["customer"])
        if after == row["customer"]:
            continue
        for other, what in (
            (row["customer"], "was one customer with another"),
            (after, "is one customer with another"),
        ):
            shared = connection.execute(
                "select 1 from subscriptions where site_id = %s and mode = %s and customer = %s and id <> %s limit 1",
                (row["site_id"], row["mode"], other, row["id"]),
            ).fetchone()
            if shared:
                _note(connection, row, f"subscriptions: {what}, whose mailbox is compared otherwise now", other)
        connection.execute("update subscriptions set customer = %s where id = %s", (after, row["id"]))


def _coupons(connection: Owner) -> None:
    """Uses are counted anew by the customers of their orders."""
    connection.execute(
        "update coupon_uses u set customer = o.customer from orders o where o.site_id = u.site_id and o.mode = u.mode"
        " and o.id = u.order_id and u.customer <> o.customer"
    )
    connection.execute("delete from coupon_counts where customer <> ''")
    connection.execute(
        "insert into coupon_counts (site_id, mode, coupon_id, customer, taken)"
        " select site_id, mode, coupon_id, customer, count(*) from coupon_uses where customer <> '' group by 1, 2, 3, 4"
    )


def _note(connection: Owner, row: dict[str, Any], what: str, key: str) -> None:
    connection.execute(
        "insert into mailbox_collisions (site_id, what, mailbox, row_id) values (%s, %s, %s, %s)",
        (row["site_id"], what, key, row["id"]),
    )


def _rows(connection: Owner, query: str) -> list[dict[str, Any]]:
    return connection.cursor(row_factory=dict_row).execute(query.encode()).fetchall()
