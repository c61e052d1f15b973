"""A process that sells without end, each sale with its paper; tests start many and kill them.

Reads its task as JSON from standard input, and prints the number of each paper once it is committed.
"""

from __future__ import annotations

import asyncio
import json
import secrets
import sys
from datetime import UTC, datetime
from typing import Any
from uuid import UUID

from skurrow.core.order import read_order
from skurrow.core.quote.quote import quote
from skurrow.service.context import Context, Settings, open_context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.papers import papers
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import orders
from skurrow.store.orders.charges import ChargeRow
from skurrow.store.orders.orders import OrderRow

BUYER = {"name": "Jo", "email": "jo@example.org", "country": "NL"}


def an_order(context: Context, change: int, quoted: dict[str, Any], total: int, business: bool) -> OrderRow:
    """An order that is about to be paid."""
    buyer = {**BUYER, **({"business": True, "company": "Jo & Co"} if business else {})}
    return OrderRow(
        id=context.new_id(),
        mode="test",
        visit=context.new_id(),
        code=secrets.token_hex(6).upper(),
        checkout_id="kit",
        change=change,
        release=None,
        state="open",
        buyer=buyer,
        currency="EUR",
        total=total,
        quote=quoted,
        created_at=context.now(),
        paid_at=None,
        wanted={},
    )


def a_charge(context: Context, order: OrderRow) -> ChargeRow:
    """What it was paid with."""
    new = context.new_id
    return ChargeRow(
        id=new(),
        mode=order.mode,
        order_id=order.id,
        attempt_id=new(),
        connection_id=new(),
        gateway_reference=order.code,
        currency=order.currency,
        amount=order.total,
        card_ending="1409",
        charged_at=context.now(),
    )


async def main() -> None:
    """Sells until it is killed."""
    task = json.loads(sys.stdin.readline())
    settings = Settings(
        database_url=task["database"],
        master_keys=(task["master_key"],),
        desk_url="http://localhost:8400",
        counter_url="http://counter.localhost:8400",
        events_url="http://127.0.0.1:9",
        gateways={},
    )
    site_id, change = UUID(task["site"]), int(task["change"])
    async with open_context(settings) as context:
        await context.pool.wait()
        async with site_transaction(context.pool, site_id) as db:
            edition = await edition_at(context, db, site_id, change)
        asked = {"at": datetime.now(UTC), "currency": "EUR", "items": [{"price": "kit"}], "buyer": {"country": "NL"}}
        found = quote(edition, read_order(asked))
        n = 0
        while True:
            n += 1
            order = an_order(context, change, found.as_json(), 0, business=n % 4 == 0)  # nothing due: no attempt
            async with site_transaction(context.pool, site_id) as db:
                await orders.add_order(db, site_id, order)
                await orders.mark_paid(db, site_id, order, context.now())
                charge = a_charge(context, order)
                await papers.issue(context, Book(db, site_id, order.mode), edition, order, charge, "standin-cards")
            print(order.code, flush=True)


if __name__ == "__main__":
    asyncio.run(main())
