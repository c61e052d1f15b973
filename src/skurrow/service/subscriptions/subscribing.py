"""What payments make of subscriptions: an order begins them, a paid renewal carries one on, a refused one fails.

All of it happens in the transaction that settles the payment. Whoever locks an order and a subscription locks the order
first.
"""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from skurrow.core.edition import Edition
from skurrow.core.money import format_amount, parse_amount
from skurrow.core.order import Address, Buyer
from skurrow.core.payments import refunds
from skurrow.core.site.site import Subscriptions
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Due, Life
from skurrow.core.subscriptions.plan_change import Credit
from skurrow.core.subscriptions.terms import Reckoning, Terms
from skurrow.gateway.protocol import Kept
from skurrow.service.context import Context
from skurrow.service.draft import configuration
from skurrow.service.draft.configuration import edition_at
from skurrow.service.papers import papers
from skurrow.service.subscriptions import subscription_mail
from skurrow.store.database import Connection
from skurrow.store.orders import orders
from skurrow.store.orders.orders import OrderRow
from skurrow.store.subscriptions import credits, subscription_events, subscriptions
from skurrow.store.subscriptions.credits import CreditRow
from skurrow.store.subscriptions.subscription_events import SubscriptionEventRow
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

_CODE_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"


OURS = frozenset({"not_accepted", "not_connected"})
"""Reasons for a refusal that are not the customer's."""


AGAIN = timedelta(hours=6)
"""After which a charge is tried again that failed for a reason of ours."""


@dataclass(frozen=True, slots=True)
class Now:
    """The configuration that a subscription meets at present: the last release, or in test mode the draft."""

    edition: Edition
    change: int
    release: int | None

    @property
    def rules(self) -> Subscriptions:
        """How subscriptions are looked after."""
        return self.edition.site.subscriptions

    @property
    def zone(self) -> ZoneInfo:
        """The zone of its days."""
        return self.edition.site.site.zone


async def now_at(context: Context, db: Connection, site_id: UUID, mode: str) -> Now:
    """The configuration that subscriptions of a mode meet at present."""
    change, release = await configuration.met(db, site_id, mode)
    return Now(await edition_at(context, db, site_id, change), change, release)


def life_of(row: SubscriptionRow) -> Life:
    """How a subscription stands."""
    return Life.model_validate(row.life)


def due_of(now: Now, life: Life) -> Due | None:
    """What falls due next."""
    return core.due(life, now.rules, now.zone)


async def begin(
    context: Context,
    db: Connection,
    site_id: UUID,
    edition: Edition,
    order: OrderRow,
    connection_id: UUID | None,
    kept: Kept | None,
) -> list[SubscriptionRow]:
    """Begins what a paid order has bought, in the transaction that marks it paid."""
    begun = []
    now = Now(edition, order.change, order.release)
    for plan in order.wanted.get("subscriptions", []):
        terms = Terms.model_validate(plan["terms"])
        line = order.quote["lines"][plan["line"]]
        paid = parse_amount(line["total"], order.currency), parse_amount(line["tax"], order.currency)
        life = core.begin(
            terms,
            date.fromisoformat(plan["counted_from"]),
            order.created_at,
            paid,
            kept.expires if kept else None,
            plan["begun"],
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
        begun_so = {"order": order.code, **({"trial": True} if life.state == "trial" else {})}
        await subscriptions.add_subscription(db, site_id, row)
        await happened(context, db, site_id, now, row, "begun", begun_so, order)
        begun.append(row)
    return begun


async def carried_on(
    context: Context,
    db: Connection,
    site_id: UUID,
    order: OrderRow,
    connection_id: UUID | None,
    kept: Kept | None,
) -> SubscriptionRow:
    """A charge of a subscription was paid, in the transaction that marks it so."""
    assert order.subscription_id is not None
    row = await subscriptions.subscription(db, site_id, order.subscription_id, lock=True)
    assert row is not None
    now, life = await now_at(context, db, site_id, order.mode), life_of(row)
    line = order.quote["lines"][0]
    paid = parse_amount(line["total"], order.currency), parse_amount(line["tax"], order.currency)
    row = replace(row, paid_order_id=order.id)
    body: dict[str, Any] = {"order": order.code, **_money(order)}
    if order.kind in ("renewal", "pay_off"):
        life = core.with_balance(life, life.balance - order.from_balance)
    if order.kind == "renewal":
        life = core.charged(life, paid, now.zone)
    elif order.kind == "pay_off":
        today = context.book_now().astimezone(now.zone).date()
        life = core.charged(life, paid, now.zone, int(order.wanted["payments"]), today)
    else:
        life = await _changed(context, db, site_id, now, row, order, life, paid)
        row = replace(row, change=order.change, release=order.release)
        body |= {"price": life.terms.price, "plan": subscription_mail.plan_of(now.edition, life.terms.price)}
    body |= {name: order.wanted[name] for name in ("by", "person") if name in order.wanted}
    if kept is not None:
        life = life.model_copy(update={"card_expires": kept.expires})
        row = replace(
            row,
            connection_id=connection_id,
            sealed_on_file=context.vault.seal(kept.token),
            card_ending=kept.ending,
        )
    row = standing(now, row, life)
    await subscriptions.save_subscription(db, site_id, row)
    await happened(context, db, site_id, now, row, _DONE[order.kind], body, order)
    if row.state == "completed" and order.kind == "renewal":
        await happened(context, db, site_id, now, row, "completed", {})
    return row


_DONE = {"renewal": "charged", "pay_off": "paid_off", "change": "changed", "restart": "restarted"}


async def refused(
    context: Context, db: Connection, site_id: UUID, order: OrderRow, reason: str, by_buyer: bool = False
) -> None:
    """A charge of a subscription was refused, in the transaction that closes the attempt. One that the buyer has made
    themselves, with another card, is told to them at once, and does not count as a try."""
    assert order.subscription_id is not None
    row = await subscriptions.subscription(db, site_id, order.subscription_id, lock=True)
    assert row is not None
    now, life = await now_at(context, db, site_id, order.mode), life_of(row)
    if not life.charging:
        return
    if reason in OURS:
        life = core.put_off(life, context.book_now() + AGAIN)
    elif order.kind == "renewal" and not by_buyer:
        life = core.failed(life)
    else:
        life = core.not_done(life)
    row = standing(now, row, life)
    await subscriptions.save_subscription(db, site_id, row)
    told = {"order": order.code, "reason": reason, "try": life.tries, **_money(order)}
    if reason in OURS or by_buyer:
        await note(context, db, site_id, row, "put_off" if reason in OURS else "charge_failed", told)
    else:
        kind = "charge_failed" if order.kind == "renewal" else "not_changed"
        await happened(context, db, site_id, now, row, kind, told, order)


def standing(now: Now, row: SubscriptionRow, life: Life) -> SubscriptionRow:
    """The row of a subscription that stands so, with what is looked for beside it."""
    due = due_of(now, life)
    product = now.edition.product(life.terms.product)
    return replace(
        row,
        product=life.terms.product,
        price=life.terms.price,
        ladder=bool(product and product.ladder and life.terms.price in product.ladder),
        state=life.state,
        next_on=life.next_on,
        due_at=None if due is None else due.at,
        life=life.model_dump(mode="json"),
    )


async def happened(
    context: Context,
    db: Connection,
    site_id: UUID,
    now: Now,
    row: SubscriptionRow,
    kind: str,
    body: Mapping[str, Any],
    order: OrderRow | None = None,
) -> None:
    """Writes down what happened to a subscription, and puts the mail about it by."""
    await note(context, db, site_id, row, kind, body)
    told = {**body, "key": body.get("key") or ""}
    coming = None
    if order is not None:
        told |= {"order": f"{order.code} {body.get('try', '')}".strip(), "order_id": str(order.id)}
        told["minor"] = order.total + (order.from_balance if kind == "charged" else 0)
    if kind in _SAY_NEXT:
        coming = await next_charge(context, db, site_id, now, row)
    await subscription_mail.tell(context, db, site_id, now.edition, row, kind, told, coming)


_SAY_NEXT = frozenset(
    {
        *("begun", "charged", "paid_off", "trial_ends", "renewal_ahead", "card_expires", "changed", "will_change"),
        *("restarted", "taken_back", "resumed", "moved_over"),
    }
)


async def next_charge(
    context: Context, db: Connection, site_id: UUID, now: Now, row: SubscriptionRow
) -> tuple[date, int] | None:
    """The day and the amount of the next charge, as it is known today; None where there is none to come."""
    life = life_of(row)
    if life.next_on is None:
        return None
    found = await reckoned(context, db, site_id, now, row, life)
    charge = found.reckoning.on(0 if life.following is not None else life.next)
    return charge.on, charge.total


async def note(
    context: Context, db: Connection, site_id: UUID, row: SubscriptionRow, kind: str, body: Mapping[str, Any]
) -> None:
    """Writes down what happened to a subscription."""
    event = SubscriptionEventRow(context.new_id(), row.mode, row.id, kind, dict(body), context.book_now())
    await subscription_events.add_subscription_event(db, site_id, event)


def new_code() -> str:
    """A code that people read; it names an order or a subscription."""
    return "".join(secrets.choice(_CODE_LETTERS) for _ in range(8))


def buyer_of(kept: Mapping[str, Any]) -> Buyer:
    """A buyer as an order or subscription keeps them, as far as amounts depend on it."""
    address, to = kept.get("address") or {}, kept.get("deliver_to")
    answer = (kept.get("tax_number_check") or {}).get("answer")
    return Buyer(
        country=kept["country"],
        region=address.get("region"),
        postal_code=address.get("postal_code"),
        business=bool(kept.get("business")),
        tax_number=kept.get("tax_number"),
        tax_number_confirmed={"valid": True, "invalid": False}.get(answer or ""),
        deliver_to=Address(
            country=to.get("country") or kept["country"],
            region=to.get("region"),
            postal_code=to.get("postal_code"),
        )
        if to
        else None,
    )


@dataclass(frozen=True, slots=True)
class Reckoned:
    """How the next charges of a subscription are reckoned: under which change and release, for whom."""

    reckoning: Reckoning
    change: int
    release: int | None
    buyer: dict[str, Any]


async def reckoned(
    context: Context, db: Connection, site_id: UUID, now: Now, row: SubscriptionRow, life: Life
) -> Reckoned:
    """The charges of a subscription from the next one on. Tax and delivery are those of the present configuration; a
    set of instalments keeps those of its first payment, a product that is gone those that it was bought under."""
    change, release, buyer, edition = now.change, now.release, row.buyer, now.edition
    terms, counted_from = life.next_terms, life.until if life.following is not None else life.counted_from
    number = 0 if life.following is not None else life.next
    if terms.kind == "instalments" and terms.rhythm.first_of_set(number) != number:
        product = edition.product(terms.product)
        if product is None or product.kind != "service":
            change, release, buyer = row.supply["change"], row.supply.get("release"), row.supply["buyer"]
            edition = await edition_at(context, db, site_id, change)
    try:
        found = Reckoning(edition, terms, buyer_of(buyer), counted_from)
    except KeyError:
        change, release = row.change, row.release
        edition = await edition_at(context, db, site_id, change)
        found = Reckoning(edition, terms, buyer_of(buyer), counted_from)
    return Reckoned(found, change, release, buyer)


async def credit_unused(
    context: Context, db: Connection, site_id: UUID, row: SubscriptionRow, order: OrderRow, credit: Credit
) -> None:
    """Writes down that unused time of an order was credited, with its credit note. The balance is the caller's."""
    edition = await edition_at(context, db, site_id, order.change)
    line = next(one for one in refunds.sold(edition, order.quote, []) if one.line == 0)
    part = refunds.credited(line, credit.amount, credit.tax)
    made = CreditRow(
        context.new_id(), row.mode, row.id, order.id, order.currency, credit.amount,
        [part.as_json(order.currency)], context.book_now(),
    )  # fmt: skip
    await credits.add_credit(db, site_id, made)
    await papers.issue_for_credit(context, db, site_id, edition, order, made)


async def given_back(context: Context, db: Connection, site_id: UUID, order: OrderRow, by: Mapping[str, str]) -> None:
    """A person has decided that an order, which the caller has locked, is given back: what it began ends now. Raises
    NotNow while a charge is under way."""
    for one in await subscriptions.subscriptions_of_order(db, site_id, order.mode, order.id):
        row = await subscriptions.subscription(db, site_id, one.id, lock=True)
        if row is None or life_of(row).over:
            continue
        now = await now_at(context, db, site_id, order.mode)
        life = core.given_back(life_of(row), context.book_now().astimezone(now.zone).date())
        row = standing(now, row, life)
        await subscriptions.save_subscription(db, site_id, row)
        await happened(context, db, site_id, now, row, "ended", {"reason": life.end_reason, **by})


# -- within -----------------------------------------------------------------------------------------------


async def _changed(
    context: Context,
    db: Connection,
    site_id: UUID,
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
        of = await orders.order_by_id(db, site_id, row.mode, UUID(asked["credit_of"]))
        assert of is not None
        await credit_unused(context, db, site_id, row, of, credit)
    balance = life.balance + credit.amount - order.from_balance
    return core.changed(life, terms, at, at.astimezone(now.zone).date(), paid, balance)


def _money(order: OrderRow) -> dict[str, str]:
    whole = order.total + order.from_balance
    return {"amount": format_amount(whole, order.currency), "currency": order.currency}
