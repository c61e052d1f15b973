"""Moving members over from elsewhere: a file is read, shown row by row, and then begins all that it names or nothing.

Nothing is charged before the day that a row names. Who has the same product already is not moved over again.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from uuid import UUID

from skurrow.core.mailboxes import mailbox
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.members_csv import Member, RowProblem, read, understand
from skurrow.gateway.protocol import Mode
from skurrow.gateway.registry import ABILITIES
from skurrow.service import calendars
from skurrow.service.codes import new_code
from skurrow.service.context import Context
from skurrow.service.payments.gateways import connections_for
from skurrow.service.subscriptions.happenings import happened
from skurrow.service.subscriptions.standing import Now, now_at, standing
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow


@dataclass(frozen=True, slots=True)
class MovedOver:
    """What a file would do, or did: the members in it, and everything that is wrong, with which nothing is done."""

    members: list[Member]
    problems: list[RowProblem]
    done: bool


async def move_over(context: Context, site_id: UUID, mode: Mode, text: str, by: UUID, dry: bool) -> MovedOver:
    """Reads a file and, unless it is a `dry` run, begins what it names: all or nothing."""
    rows, problems = read(text)
    if problems:
        return MovedOver([], problems, False)
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        context = await calendars.of_book(context, book)
        now = await now_at(context, book)
        today = context.book_now().astimezone(now.zone).date()
        found, problems = understand(now.edition, rows, today)
        connected = {row.adapter: row for row in await connections_for(book)}
        for member in found:
            problems += await _wrong(book, member, connected)
        if problems or dry:
            return MovedOver(found, sorted(problems, key=lambda one: (one.row, one.column)), False)
        for member in found:
            await _begin(context, book, now, member, connected, by)
    return MovedOver(found, [], True)


async def _wrong(book: Book, member: Member, connected: dict[str, ConnectionRow]) -> list[RowProblem]:
    problems = []
    email, gateway = member.cells["email"], member.cells.get("gateway")
    await subscriptions.alone_on_ladder(book, mailbox(email), member.terms.product)
    for row in await subscriptions.subscriptions_of_customer(book, mailbox(email)):
        if row.product == member.terms.product and row.state not in ("ended", "completed"):
            message = f"{email} has {member.terms.name} already ({row.code})"
            problems.append(RowProblem(member.row, "email", message, "Leave the row out"))
            break
    if gateway is not None and (gateway not in connected or not ABILITIES[gateway].recurring):
        message = f"“{gateway}” is not connected, or cannot charge again"
        usable = ", ".join(name for name in connected if ABILITIES[name].recurring) or "a gateway that can"
        problems.append(RowProblem(member.row, "gateway", message, f"Connect it, or use {usable}"))
    return problems


async def _begin(
    context: Context,
    book: Book,
    now: Now,
    member: Member,
    connected: dict[str, ConnectionRow],
    by: UUID,
) -> None:
    cells, terms = member.cells, member.terms
    life = core.begin(terms, member.next_on, context.book_now(), card_expires=cells.get("card_expires"), begun=False)
    kept = cells.get("on_file")
    row = SubscriptionRow(
        id=context.new_id(),
        mode=book.mode,
        code=new_code(),
        order_id=None,
        change=now.change,
        release=now.release,
        checkout_id="",
        customer=mailbox(cells["email"]),
        buyer=_buyer(cells),
        connection_id=connected[cells["gateway"]].id if kept else None,
        sealed_on_file=context.vault.seal(kept) if kept else None,
        card_ending=cells.get("card_ending"),
        product=terms.product,
        price=terms.price,
        ladder=False,
        state=life.state,
        currency=terms.currency,
        next_on=None,
        due_at=None,
        paid_order_id=None,
        supply={},
        life={},
        started_at=context.book_now(),
    )
    row = standing(now, replace(row), life)
    await subscriptions.add_subscription(book.db, book.site_id, row)
    await happened(context, now, row, "moved_over", {"by": "desk", "person": str(by), "key": "moved over"})


def _buyer(cells: dict[str, str]) -> dict[str, object]:
    """A buyer as an order would keep them."""
    found: dict[str, object] = {"email": cells["email"], "name": cells["name"], "country": cells["country"]}
    parts = {name: cells[name] for name in ("street", "postal_code", "city", "region") if name in cells}
    if parts:
        found["address"] = parts
    if "company" in cells:
        found |= {"business": True, "company": cells["company"]}
        if "tax_number" in cells:
            found["tax_number"] = cells["tax_number"]
    return found
