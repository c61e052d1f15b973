"""What payments make of subscriptions: an order begins them, a paid renewal carries one on, a refused one fails.

All of it happens in the transaction that settles the payment. Whoever locks an order and a subscription locks the order
first.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.money import parse_amount
from skurrow.core.payments import refunds
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Life
from skurrow.core.subscriptions.plan_change import Credit
from skurrow.core.subscriptions.terms import Terms
from skurrow.gateway.protocol import Kept
from skurrow.service.codes import new_code
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.papers import papers
from skurrow.service.subscriptions import subscription_mail
from skurrow.service.subscriptions.happenings import happened, note, whole_money
from skurrow.service.subscriptions.standing import AGAIN, OURS, Now, life_of, now_at, serving, standing
from skurrow.store.book import Book
from skurrow.store.orders import orders
from skurrow.store.orders.orders import OrderRow
from skurrow.store.subscriptions import credits, subscriptions
from skurrow.store.subscriptions.credits import CreditRow
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

_DONE = {"renewal": "charged", "pay_off": "paid_off", "change": "changed", "restart": "restarted"}


async def begin(
    context: Context,
    book: Book,
    edition: Edition,
    order: OrderRow,
    connection_id: UUID | None,
    kept: Kept | None,
) -> list[SubscriptionRow]:
    """Begins what a paid order has bought, in the transaction that marks it paid."""
    begun = []
    now = Now(book, edition, order.change, order.release)
    stored = order.kept
    for plan in stored.wanted.subscriptions:
        terms = Terms.model_validate(plan.terms)
        line = stored.quote.lines[plan.line]
        paid = parse_amount(line.total, order.currency), parse_amount(line.tax, order.currency)
        life = core.begin(
            terms,
            plan.counted_from,
            order.created_at,
            paid,
            kept.expires if kept else None,
            plan.begun,
        )
        row = SubscriptionRow(
            id=context.new_id(),
            mode=order.mode,
            code=new_code(),
            order_id=order.id,
            change=order.change,
            release=order.release,
            checkout_id=order.checkout_id,
            customer=order.customer,
            buyer=order.buyer,
            connection_id=connection_id if kept else None,
            sealed_on_file=context.vault.seal(kept.token) if kept else None,
            card_ending=kept.ending if kept else None,
            product=terms.product,
            price=terms.price,
            ladder=False,
            state=life.state,
            currency=terms.currency,
            next_on=None,
            due_at=None,
            paid_order_id=order.id,
            supply={"change": order.change, "release": order.release, "buyer": order.buyer},
            life={},
            started_at=context.book_now(),
        )
        row = standing(now, row, life)
        begun_so: dict[str, Any] = {"order": order.code, **({"trial": True} if life.state == "trial" else {})}
        if len(stored.quote.lines) > 1:
            begun_so["beside"] = True
        await subscriptions.add_subscription(book.db, book.site_id, row)
        await happened(context, now, row, "begun", begun_so, order)
        begun.append(row)
    return begun


async def carried_on(
    context: Context,
    book: Book,
    order: OrderRow,
    connection_id: UUID | None,
    kept: Kept | None,
) -> SubscriptionRow:
    """A charge of a subscription was paid, in the transaction that marks it so."""
    assert order.subscription_id is not None
    row = await subscriptions.subscription(book.db, book.site_id, order.subscription_id, lock=True)
    assert row is not None
    now, life = await now_at(context, book), life_of(row)
    line, asked = order.kept.quote.lines[0], order.kept.wanted
    paid = parse_amount(line.total, order.currency), parse_amount(line.tax, order.currency)
    row = replace(row, paid_order_id=order.id)
    body: dict[str, Any] = {"order": order.code, **whole_money(order)}
    if order.kind in ("renewal", "pay_off"):
        life = core.with_balance(life, life.balance - order.from_balance)
    if order.kind == "renewal":
        life = core.charged(life, paid, now.zone)
    elif order.kind == "pay_off":
        today = context.book_now().astimezone(now.zone).date()
        assert asked.payments is not None
        life = core.charged(life, paid, now.zone, asked.payments, today)
    else:
        life = await _changed(context, now, row, order, life, paid)
        row = replace(row, change=order.change, release=order.release)
        served = (await serving(context, now, row)).edition
        body |= {"price": life.terms.price, "plan": subscription_mail.plan_of(served, life.terms.price)}
    body |= {name: who for name, who in (("by", asked.by), ("person", asked.person)) if who is not None}
    if kept is not None:
        life = life.model_copy(update={"card_expires": kept.expires})
        row = replace(
            row,
            connection_id=connection_id,
            sealed_on_file=context.vault.seal(kept.token),
            card_ending=kept.ending,
        )
    row = standing(now, row, life)
    await subscriptions.save_subscription(book.db, book.site_id, row)
    await happened(context, now, row, _DONE[order.kind], body, order)
    if row.state == "completed" and order.kind == "renewal":
        await happened(context, now, row, "completed", {})
    return row


async def refused(context: Context, book: Book, order: OrderRow, reason: str, by_buyer: bool = False) -> None:
    """A charge of a subscription was refused, in the transaction that closes the attempt. One that the buyer has made
    themselves, with another card, is told to them at once, and does not count as a try."""
    assert order.subscription_id is not None
    row = await subscriptions.subscription(book.db, book.site_id, order.subscription_id, lock=True)
    assert row is not None
    now, life = await now_at(context, book), life_of(row)
    if not life.charging:
        return
    if reason in OURS:
        life = core.put_off(life, context.book_now() + AGAIN)
    elif order.kind == "renewal" and not by_buyer:
        life = core.failed(life)
    else:
        life = core.not_done(life)
    row = standing(now, row, life)
    await subscriptions.save_subscription(book.db, book.site_id, row)
    told = {"order": order.code, "reason": reason, "try": life.tries, **whole_money(order)}
    if reason in OURS or by_buyer:
        await note(context, book, row, "put_off" if reason in OURS else "charge_failed", told)
    else:
        kind = "charge_failed" if order.kind == "renewal" else "not_changed"
        await happened(context, now, row, kind, told, order)


async def credit_unused(context: Context, book: Book, row: SubscriptionRow, order: OrderRow, credit: Credit) -> None:
    """Writes down that unused time of an order was credited, with its credit note. The balance is the caller's."""
    edition = await edition_at(context, book.db, book.site_id, order.change)
    line = next(one for one in refunds.sold(edition, order.quote, []) if one.line == 0)
    part = refunds.credited(line, credit.amount, credit.tax)
    made = CreditRow(
        context.new_id(), row.mode, row.id, order.id, order.currency, credit.amount,
        [part.as_json(order.currency)], context.book_now(),
    )  # fmt: skip
    await credits.add_credit(book.db, book.site_id, made)
    await papers.issue_for_credit(context, book, edition, order, made)


async def given_back(context: Context, book: Book, order: OrderRow, by: Mapping[str, str]) -> None:
    """A person has decided that an order, which the caller has locked, is given back: what it began ends now. Raises
    NotNow while a charge is under way."""
    for one in await subscriptions.subscriptions_of_order(book, order.id):
        row = await subscriptions.subscription(book.db, book.site_id, one.id, lock=True)
        if row is None or life_of(row).over:
            continue
        now = await now_at(context, book)
        life = core.given_back(life_of(row), context.book_now().astimezone(now.zone).date())
        row = standing(now, row, life)
        await subscriptions.save_subscription(book.db, book.site_id, row)
        await happened(context, now, row, "ended", {"reason": life.end_reason, **by})


# -- within -----------------------------------------------------------------------------------------------


async def _changed(
    context: Context,
    now: Now,
    row: SubscriptionRow,
    order: OrderRow,
    life: Life,
    paid: tuple[int, int],
) -> Life:
    """Other terms hold from now on; what was unused of the old ones is credited."""
    asked = order.wanted
    at = datetime.fromisoformat(asked["at"])
    terms = Terms.model_validate(asked["terms"])
    credit = Credit(*asked.get("credit", (0, 0)))
    if credit.amount:
        of = await orders.order_by_id(now.book, UUID(asked["credit_of"]))
        assert of is not None
        await credit_unused(context, now.book, row, of, credit)
    balance = life.balance + credit.amount - order.from_balance
    return core.changed(life, terms, at, at.astimezone(now.zone).date(), paid, balance)
