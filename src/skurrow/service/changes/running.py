"""What is asked of a running subscription and costs nothing: an end, a pause, another address."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any
from uuid import UUID

from skurrow.core.problems import InvalidInput
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Life
from skurrow.service import addresses, calendars, telephones
from skurrow.service.changes import renewing
from skurrow.service.changes.acting import AS_SOLD, CUSTOMER, Actor, Ending
from skurrow.service.changes.agreeing import end_and_give_back
from skurrow.service.context import Context
from skurrow.service.subscriptions.happenings import happened
from skurrow.service.subscriptions.standing import life_of, now_at, standing
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow


async def cancel(
    context: Context,
    site_id: UUID,
    row: SubscriptionRow,
    by: Actor = CUSTOMER,
    ending: Ending = AS_SOLD,
) -> SubscriptionRow:
    """Ends a subscription, as its price says or as the desk does. Raises NotNow."""
    ends, body = life_of(row).terms.ends, {"reason": ending.reason.strip(), **by.words}
    when, unused = ending.when or ends.when, ending.unused or ends.unused
    if when == "at_once" and unused == "given_back":
        return await end_and_give_back(context, site_id, row, body, by, ending.shown_at)

    def end(life: Life, today: date) -> Life:
        return core.cancel(life) if when == "paid_time" else core.cancel_at_once(life, today)

    def kind(life: Life) -> str:
        return "ended" if life.state == "ended" else "cancelled"

    return await _change(context, site_id, row, end, kind, body)


async def take_back(context: Context, site_id: UUID, row: SubscriptionRow, by: Actor = CUSTOMER) -> SubscriptionRow:
    """Takes back what was to happen when the paid time ends. Raises NotNow."""
    return await _change(context, site_id, row, lambda life, _: core.take_back(life), "taken_back", by.words)


async def pause(
    context: Context, site_id: UUID, row: SubscriptionRow, resumes_on: date | None, by: Actor = CUSTOMER
) -> SubscriptionRow:
    """Pauses a subscription when its paid time ends. Raises NotNow."""
    body = {**by.words, **({"resumes_on": resumes_on.isoformat()} if resumes_on else {})}
    return await _change(context, site_id, row, lambda life, _: core.pause(life, resumes_on), "will_pause", body)


async def resume(context: Context, site_id: UUID, row: SubscriptionRow, by: Actor = CUSTOMER) -> SubscriptionRow:
    """Goes on after a pause: it is charged at once. Raises NotNow."""
    row = await _change(context, site_id, row, core.resumed, "resumed", by.words)
    await renewing.do_due(context, site_id, row.id)
    async with site_transaction(context.pool, site_id) as db:
        found = await subscriptions.subscription(db, site_id, row.id)
    assert found is not None
    return found


async def change_buyer(
    context: Context, site_id: UUID, row: SubscriptionRow, changes: dict[str, Any], by: Actor = CUSTOMER
) -> SubscriptionRow:
    """Changes name, address, telephone or tax number; what is reckoned from them follows with the next charge."""
    buyer = {**row.buyer, **changes}
    problems = []
    for where in ("address", "deliver_to"):
        given = buyer.get(where) or {}
        if row.buyer.get(where):
            problems += addresses.problems(given.get("country") or buyer["country"], given, (where,))
    if "telephone" in changes:
        to = (buyer.get("deliver_to") or {}).get("country") or buyer["country"]
        problems += telephones.problems(buyer["telephone"], to, needed=True)
        buyer["telephone"] = telephones.dialled(buyer["telephone"], to)
    if problems:
        raise InvalidInput(problems)
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        assert found is not None
        now = await now_at(context, book)
        changed = standing(now, replace(found, buyer=buyer), life_of(found))
        await subscriptions.save_subscription(db, site_id, changed)
        await happened(context, now, changed, "buyer_changed", by.words)
    return changed


async def _change(
    context: Context, site_id: UUID, row: SubscriptionRow, change: Any, kind: Any, body: dict[str, Any]
) -> SubscriptionRow:
    """Changes how a subscription stands, and tells its customer. Raises NotNow."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        assert found is not None
        now = await now_at(context, book)
        life = change(life_of(found), context.book_now().astimezone(now.zone).date())
        row = standing(now, found, life)
        await subscriptions.save_subscription(db, site_id, row)
        told = kind if isinstance(kind, str) else kind(life)
        if told == "ended":
            body = {**body, "said": body.get("reason", ""), "reason": life.end_reason}
        await happened(context, now, row, told, body)
    return row
