"""Subscriptions as the desk and their customers are shown them."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Literal
from uuid import UUID
from zoneinfo import ZoneInfo

from pydantic import BaseModel

from skurrow.core.durations import duration_words, parse_duration
from skurrow.core.money import format_amount
from skurrow.core.subscriptions.life import Life
from skurrow.service.changes import agreeing, proposing
from skurrow.service.changes.acting import GivenBack
from skurrow.service.subscriptions import subscription_books
from skurrow.service.subscriptions.subscription_mail import plan_of
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.subscriptions.subscriptions import SubscriptionRow
from skurrow.web.access import Means
from skurrow.web.desk.bodies import ModeName

SubscriptionState = Literal["trial", "active", "failing", "paused", "ended", "completed"]
_SECRET = frozenset({"person"})


class SubscriptionSummary(BaseModel):
    """A subscription in a list; `amount` is one regular charge, `every` how often in words."""

    code: str
    mode: ModeName
    state: SubscriptionState
    name: str
    email: str
    what: str
    price: str
    amount: str
    currency: str
    every: str
    quantity: int
    started_at: datetime
    next_on: date | None
    ends_on: date | None
    pausing: bool


class SubscriptionAttempt(BaseModel):
    """One request to a gateway for a charge."""

    state: Literal["open", "paid", "refused"]
    reason: str | None
    opened_at: datetime


class SubscriptionCharge(BaseModel):
    """A charge that fell due: an order of its own. Days are those of the site's zone."""

    code: str
    kind: Literal["sale", "renewal", "change", "pay_off", "restart"]
    state: Literal["open", "waiting", "paid", "cancelled"]
    amount: str
    from_balance: str | None
    fell_due: datetime
    on: date
    paid_on: date | None
    attempts: list[SubscriptionAttempt]


class SubscriptionEvent(BaseModel):
    """Something that happened."""

    kind: str
    at: datetime
    on: date
    body: dict[str, Any]


class ComingCharge(BaseModel):
    """A charge to come."""

    on: date
    total: str
    tax: str
    from_balance: str | None


class PromisedCharge(BaseModel):
    """What the buyer was shown for a day, and what was charged then: `came` is its total, once it was paid."""

    on: date
    total: str
    came: str | None
    order: str | None
    kept: Literal["yes", "no", "to_come", "replaced"]


class PlanChoice(BaseModel):
    """A plan that can be changed to."""

    price: str
    name: str
    way: Literal["up", "down"]
    amount: str
    every: str


class UnusedView(BaseModel):
    """What the unused part of the paid time is worth `at` an instant, to be sent back when it is ended: given back the
    way it was `paid`, and what was paid with the balance, to that (`kept`)."""

    at: datetime
    paid: str | None
    kept: str | None


class SubscriptionView(SubscriptionSummary):
    """One subscription as a line in time; `can` says what may be done, each with why not; `unused` what ending it at
    once would give back."""

    order: str | None
    plan: str
    following: str | None
    balance: str | None
    paid_until: date
    failing_since: date | None
    tries: int
    resumes_on: date | None
    ended_on: date | None
    end_reason: str | None
    charging: bool
    card_ending: str | None
    card_expires: str | None
    charges: list[SubscriptionCharge]
    events: list[SubscriptionEvent]
    coming: list[ComingCharge]
    promised: list[PromisedCharge]
    plans: list[PlanChoice]
    quantity_least: int
    quantity_most: int
    ends_when: Literal["paid_time", "at_once"]
    today: date
    can: dict[str, str | None]
    unused: UnusedView


def summary(row: SubscriptionRow, life: Life) -> dict[str, Any]:
    """A subscription as lists show it."""
    terms = life.terms
    return {
        "code": row.code,
        "mode": row.mode,
        "state": row.state,
        "name": row.kept_buyer.name,
        "email": row.kept_buyer.email,
        "what": terms.name,
        "price": terms.price,
        "amount": format_amount(terms.unit * terms.quantity, terms.currency),
        "currency": terms.currency,
        "every": duration_words(parse_duration(terms.every)),
        "quantity": terms.quantity,
        "started_at": row.started_at,
        "next_on": life.next_on,
        "ends_on": life.ends_on,
        "pausing": life.pausing,
    }


async def view(context: Means, site_id: UUID, row: SubscriptionRow) -> SubscriptionView:
    found = await subscription_books.story(context, site_id, row)
    life, currency = found.life, row.currency
    edition, zone = found.served, found.edition.site.site.zone
    limits = edition.prices[row.price].price.at_counter if row.price in edition.prices else None
    first = next((one for one in found.orders if one.kind == "sale"), None)
    return SubscriptionView(
        **summary(row, life),
        order=first and first.code,
        plan=found.plan,
        following=plan_of(edition, life.following.price) if life.following else None,
        balance=format_amount(life.balance, currency) if life.balance else None,
        paid_until=life.until,
        failing_since=life.failing_since,
        tries=life.tries,
        resumes_on=life.resumes_on,
        ended_on=life.ended_on,
        end_reason=life.end_reason,
        charging=life.charging,
        card_ending=row.card_ending,
        card_expires=life.card_expires,
        charges=[_charge(one, found.attempts[one.id], zone) for one in found.orders],
        events=[
            SubscriptionEvent(kind=one.kind, at=one.at, on=one.at.astimezone(zone).date(), body=_told(one.body))
            for one in found.events
        ],
        coming=[coming_view(one, currency) for one in found.coming],
        promised=[_promised(one, found.today, currency) for one in found.promised],
        plans=[plan_view(one) for one in await proposing.plans(context, site_id, row)],
        quantity_least=limits.min if limits else 1,
        quantity_most=limits.max if limits else life.terms.quantity,
        ends_when=life.terms.ends.when,
        today=found.today,
        can=found.can,
        unused=unused_view(await agreeing.would_give_back(context, site_id, row), currency),
    )


def unused_view(one: GivenBack, currency: str) -> UnusedView:
    """What ending it at once would give back."""
    return UnusedView(
        at=one.at,
        paid=format_amount(one.money, currency) if one.money else None,
        kept=format_amount(one.rest, currency) if one.rest else None,
    )


def coming_view(one: subscription_books.Coming, currency: str) -> ComingCharge:
    """A charge to come."""
    return ComingCharge(
        on=one.on,
        total=format_amount(one.total, currency),
        tax=format_amount(one.tax, currency),
        from_balance=format_amount(one.from_balance, currency) if one.from_balance else None,
    )


def plan_view(one: proposing.Plan) -> PlanChoice:
    """A plan that can be changed to."""
    every = duration_words(parse_duration(one.every))
    return PlanChoice(price=one.price, name=one.name, way=one.way, amount=one.amount, every=every)


def _told(body: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in body.items() if name not in _SECRET}


def _charge(order: OrderRow, attempts: list[AttemptRow], zone: ZoneInfo) -> SubscriptionCharge:
    return SubscriptionCharge(
        code=order.code,
        kind=order.kind,
        state=order.state,
        amount=format_amount(order.total, order.currency),
        from_balance=format_amount(order.from_balance, order.currency) if order.from_balance else None,
        fell_due=order.created_at,
        on=order.created_at.astimezone(zone).date(),
        paid_on=order.paid_at.astimezone(zone).date() if order.paid_at else None,
        attempts=[SubscriptionAttempt(state=one.state, reason=one.reason, opened_at=one.opened_at) for one in attempts],
    )


def _promised(one: subscription_books.Promised, today: date, currency: str) -> PromisedCharge:
    came = one.came
    paid = came is not None and came.state == "paid"
    charged = came.total + came.from_balance if came is not None else 0
    kept: Literal["yes", "no", "to_come", "replaced"] = "replaced" if one.replaced else "to_come"
    if paid and charged == one.total:
        kept = "yes"
    elif one.on <= today and not one.replaced:
        kept = "no"
    return PromisedCharge(
        on=one.on,
        total=format_amount(one.total, currency),
        came=format_amount(charged, currency) if paid else None,
        order=came.code if came is not None else None,
        kept=kept,
    )
