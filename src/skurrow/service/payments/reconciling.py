"""Comparing our books with each gateway's, every night and when somebody asks."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from typing import Literal
from uuid import UUID

import structlog

from skurrow.core.payments.reconciling import Booked, Difference, compared
from skurrow.gateway.protocol import Entry, NoAnswer, NotAccepted
from skurrow.gateway.registry import ABILITIES
from skurrow.service.context import Context
from skurrow.service.draft import configuration
from skurrow.service.payments.gateways import gateway_of
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store import clearings
from skurrow.store.book import Book
from skurrow.store.claims import Claimed
from skurrow.store.database import DATABASE_AWAY, site_transaction, siteless_transaction
from skurrow.store.payments import connections, reconciliations
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.payments.reconciliations import BookedRow, ReconciliationRow

_log = structlog.get_logger()
LOOK_BACK = timedelta(days=3)
"""What was compared before is compared again: it may have been settled, or contradicted, since."""

FURTHEST = timedelta(days=92)
RECENT = timedelta(seconds=5)
"""What moved since is left to the next comparison: clocks differ by a little."""


async def compare(context: Context, site_id: UUID, connection_id: UUID) -> ReconciliationRow:
    """Compares the books of a connection up to now. Raises NotFound, or Conflict where the gateway does not answer."""
    async with site_transaction(context.pool, site_id) as db:
        row = await connections.connection_by_id(db, site_id, connection_id)
        if row is None:
            raise NotFound("there is no such connection")
        if ABILITIES[row.adapter].by_person:
            raise Conflict("There are no other books to compare with: statements and people say what came in.")
        until = (context.now() - RECENT).replace(microsecond=0)  # gateways tell whole seconds
        since = await _since(Book(db, site_id, row.mode), row, until)
    try:
        theirs = await gateway_of(context, row).entries(since, until) if since < until else []
    except (NoAnswer, NotAccepted) as error:
        raise Conflict(f"The gateway does not answer ({error}). Nothing was compared.") from None
    async with site_transaction(context.pool, site_id) as db:
        differences = await _differences(Book(db, site_id, row.mode), row, since, until, theirs)
        found = ReconciliationRow(
            id=context.new_id(),
            mode=row.mode,
            connection_id=row.id,
            since=min(since, until - timedelta(seconds=1)),
            until=until,
            entries=len(theirs),
            differences=[one._asdict() for one in differences],
            at=context.now(),
        )
        await reconciliations.add_reconciliation(db, site_id, found)
    if differences:
        _log.error("books.differ", connection=str(row.id), differences=len(differences))
    return found


async def last(context: Context, site_id: UUID, connection_id: UUID) -> ReconciliationRow | None:
    """The newest comparison."""
    async with site_transaction(context.pool, site_id) as db:
        return await reconciliations.last_reconciliation(db, site_id, connection_id)


async def compare_due(context: Context, most: int = 5) -> int:
    """Compares with the gateways whose night has come; returns with how many."""
    async with siteless_transaction(context.pool) as db:
        claimed = await reconciliations.claim_comparisons(db, context.now(), most)
    for claim in claimed:
        try:
            await _compare_due(context, claim)
        except Conflict as error:
            _log.warning("books.not_compared", why=str(error))
        except DATABASE_AWAY:
            raise
        except Exception:
            _log.exception("books.not_compared", connection=str(claim.id))
    return len(claimed)


# -- within -----------------------------------------------------------------------------------------------


async def _compare_due(context: Context, claim: Claimed) -> None:
    async with site_transaction(context.pool, claim.site_id) as db:
        row = await connections.connection_by_id(db, claim.site_id, claim.id)
    if row is not None and not ABILITIES[row.adapter].by_person:
        await compare(context, claim.site_id, claim.id)
    zone = (await configuration.draft(context, claim.site_id)).edition.site.site.zone
    today = context.now().astimezone(zone).date()
    tonight = datetime.combine(today + timedelta(days=1), time(3), zone)
    async with site_transaction(context.pool, claim.site_id) as db:
        await reconciliations.compare_again(db, claim.site_id, claim.id, tonight)


async def _since(book: Book, row: ConnectionRow, until: datetime) -> datetime:
    """From when on: since it was connected or compared, and not before the test book was cleared."""
    before = await reconciliations.last_reconciliation(book.db, book.site_id, row.id)
    since = row.connected_at if before is None else max(before.until - LOOK_BACK, row.connected_at)
    if row.mode == "test":
        cleared = await reconciliations.cleared_at(book.db, book.site_id)
        since = max(since, cleared) if cleared else since
    return max(since, until - FURTHEST).replace(microsecond=0)


async def _differences(
    book: Book, row: ConnectionRow, since: datetime, until: datetime, theirs: list[Entry]
) -> list[Difference]:
    ours = await reconciliations.booked_in(book, row.id, since, until)
    keys = [_key(one) for one in theirs]
    ours += [
        one
        for one in await reconciliations.booked_as(book, row.id, keys)
        if all((one.kind, one.key) != (known.kind, known.key) for known in ours)
    ]
    waiting = {(one.kind, one.key) for one in ours if not one.settled}
    gone = await clearings.taken_out(book.db, book.site_id, keys) if book.mode == "test" else set[str]()
    there = [
        Booked(one.kind, _key(one), one.amount, one.currency)
        for one in theirs
        # what waits is asked about by recovery, which settles it
        if (one.kind, _key(one)) not in waiting and _key(one) not in gone
    ]
    return compared([_booked(one) for one in ours if one.settled], there)


def _booked(row: BookedRow) -> Booked:
    kinds: dict[str, Literal["charge", "refund", "dispute"]]
    kinds = {"charge": "charge", "refund": "refund", "dispute": "dispute"}
    return Booked(kinds[row.kind], row.key, row.amount, row.currency, row.code)


def _key(entry: Entry) -> str:
    """Our key or, where it is none of ours, the gateway's own name."""
    return str(entry.key) if entry.key is not None else entry.reference
