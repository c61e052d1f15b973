"""What a change of a subscription would come to, shown before it is agreed to.

A change is shown first, with what it costs, under a token; whoever agrees sends the token back, and gets what was
shown, whatever has become of prices meanwhile. Where the subscription itself has changed since, or it comes to another
amount for another reason (a refund, a new address), it has to be shown again.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any, Literal
from uuid import UUID

from skurrow.core.bounds import MOST_PIECES
from skurrow.core.edition import Edition
from skurrow.core.mailboxes import mailbox
from skurrow.core.money import format_amount
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.quote.written import Quote
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions import plan_change
from skurrow.core.subscriptions.life import Life, NotNow
from skurrow.core.subscriptions.plan_change import Credit, Step
from skurrow.core.subscriptions.reckoning import Reckoning
from skurrow.core.subscriptions.terms import Terms, terms_for
from skurrow.service import calendars
from skurrow.service.changes.renewing import charge_order
from skurrow.service.context import Context
from skurrow.service.orders import refunds
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.subscriptions.reckoning import Reckoned, beside_of, buyer_of, reckoned
from skurrow.service.subscriptions.standing import Now, life_of, now_at, serving
from skurrow.service.subscriptions.subscription_mail import plan_of
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import orders
from skurrow.store.orders.orders import OrderRow
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

AGREED_WITHIN = timedelta(minutes=30)
"""How long what was shown can be agreed to."""

Kind = Literal["change", "restart", "pay_off"]


@dataclass(frozen=True, slots=True)
class Proposal:
    """A change as it is shown: to which plan (in words) and how many; what it comes to; and the token to agree with.
    `from_balance` of the charge is paid with credit and balance, `due` by card."""

    kind: Kind
    price: str
    plan: str
    quantity: int
    step: Step
    quote: Quote | None
    from_balance: int
    due: int
    balance: int
    currency: str
    token: str


@dataclass(frozen=True, slots=True)
class Plan:
    """A plan that can be changed to: up or down, its amount a charge as a text, and how often."""

    price: str
    name: str
    way: plan_change.Direction
    amount: str
    every: str


async def plans(context: Context, site_id: UUID, row: SubscriptionRow) -> list[Plan]:
    """The other steps of the ladder that a subscription is on, as its customer may take them."""
    async with site_transaction(context.pool, site_id) as db:
        now = await serving(context, await now_at(context, Book(db, site_id, row.mode)), row)
    life = life_of(row)
    product, found = now.edition.product(life.terms.product), []
    for price in (product.ladder or []) if product is not None else []:
        way = plan_change.direction(product, life.terms.price, price) if product is not None else None
        if way is None or not _may_have(now.edition, price, row):
            continue
        terms = terms_for(now.edition, price, life.terms, life.terms.quantity)
        amount = format_amount(terms.unit * terms.quantity, terms.currency)
        found.append(Plan(price, plan_of(now.edition, price), way, amount, terms.every))
    return found


async def propose(
    context: Context,
    site_id: UUID,
    row: SubscriptionRow,
    price: str | None = None,
    quantity: int | None = None,
    kind: Kind = "change",
) -> Proposal:
    """What a change would come to, now. Raises NotNow, or InvalidInput for a plan that there is no way to."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        now, life = await serving(context, await now_at(context, book), row), life_of(row)
        asked = _Asked(
            kind,
            price or life.terms.price,
            life.terms.quantity if quantity is None else quantity,
            context.book_now(),
            now.change,
            now.release,
            mark_of(life),
        )
        work = await worked_out(context, now, row, life, asked)
        return replace(work.proposal, token=_signed(context, site_id, row, asked, work.proposal))


# -- within -----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Asked:
    kind: Kind
    price: str
    quantity: int
    at: datetime
    change: int
    release: int | None
    mark: str


@dataclass(frozen=True, slots=True)
class _Work:
    """A change worked out: without an order it costs nothing now, and the terms follow later."""

    proposal: Proposal
    terms: Terms
    order: OrderRow | None


def read(context: Context, site_id: UUID, row: SubscriptionRow, token: str) -> tuple[_Asked, list[int]]:
    """What was asked, and the amounts that were shown."""
    data = context.signer.read("proposal", token)
    if data is None or (data["s"], data["i"]) != (str(site_id), str(row.id)):
        raise NotFound("this was never shown")
    if context.now() - datetime.fromisoformat(data["t"]) > AGREED_WITHIN:
        raise Conflict("This was shown too long ago. Look at it again.")
    at = datetime.fromisoformat(data["a"])
    return _Asked(data["k"], data["p"], data["q"], at, data["g"], data["r"], data["v"]), data["m"]


def amounts_of(shown: Proposal) -> list[int]:
    return [shown.due, shown.from_balance, shown.balance, shown.step.charge_tax]


def _signed(context: Context, site_id: UUID, row: SubscriptionRow, asked: _Asked, shown: Proposal) -> str:
    data = {
        "s": str(site_id),
        "i": str(row.id),
        "k": asked.kind,
        "p": asked.price,
        "q": asked.quantity,
        "a": asked.at.isoformat(),
        "g": asked.change,
        "r": asked.release,
        "v": asked.mark,
        "m": amounts_of(shown),
        "t": context.now().isoformat(timespec="seconds"),
    }
    return context.signer.sign("proposal", data)


def mark_of(life: Life) -> str:
    """The same as long as a subscription stands the same, mails that went out aside."""
    plain = life.model_dump(mode="json", exclude={"told"})
    return hashlib.blake2b(json.dumps(plain, sort_keys=True).encode(), digest_size=12).hexdigest()


def _may_have(edition: Edition, price: str, row: SubscriptionRow) -> bool:
    named = edition.prices[price].price.for_ if price in edition.prices else None
    return price in edition.prices and (named is None or row.customer in {mailbox(one) for one in named})


async def worked_out(context: Context, now: Now, row: SubscriptionRow, life: Life, asked: _Asked) -> _Work:
    if asked.kind == "pay_off":
        return await _pay_off(context, now, row, life, asked)
    if not 1 <= asked.quantity <= MOST_PIECES:
        raise InvalidInput([Problem(("quantity",), f"At least one, at most {MOST_PIECES}", "Write how many")])
    if asked.kind == "restart":
        core.check_restarting(life)
        way: plan_change.Direction = "up"
    else:
        core.check_changing(life)
        way = _way(now.edition, row, life, asked)
    like = life.terms if asked.kind == "restart" else life.terms.counted_anew(life.next)
    if asked.kind == "restart":
        like = like.model_copy(update={"promises": ()})
    terms = _terms(now.edition, life, asked, like)
    today = asked.at.astimezone(now.zone).date()
    trial = life.state == "trial"
    first = today if way == "up" and not trial else life.until
    reckoning = Reckoning(now.edition, terms, buyer_of(row.buyer), first, await beside_of(context, now, row, life))
    charge = reckoning.on(0)
    credit = Credit(0, 0)
    if asked.kind == "change" and row.paid_order_id is not None:
        credit = core.unused(life, asked.at, now.rules, now.zone)
        paid = await orders.order_by_id(now.book, row.paid_order_id)
        assert paid is not None
        credit = plan_change.at_most(credit, await refunds.left_of_line(context, now.book, paid))
    span = plan_change.span_of(now.edition, life.since, life.until)
    next_on = plan_change.next_after(terms.rhythm, first)
    step = plan_change.step(way, span, credit, (charge.total, charge.tax), next_on, trial)
    if step.when == "paid_time_ends" or trial:
        proposal = _proposal(context, now, row, life, asked, terms, step, None, life.balance, 0)
        return _Work(proposal, terms, None)
    quoted = reckoning.quote(0)
    held = life.balance + credit.amount
    from_balance = min(held, quoted.due_today)
    proposal = _proposal(context, now, row, life, asked, terms, step, quoted, held, from_balance)
    wanted: dict[str, Any] = {"at": asked.at.isoformat(), "terms": terms.model_dump(mode="json")}
    if credit.amount:
        wanted |= {"credit": list(credit), "credit_of": str(row.paid_order_id)}
    found = Reckoned(reckoning, asked.change, asked.release, row.buyer)
    changing = life.model_copy(update={"terms": terms})
    order = charge_order(context, row, changing, found, quoted, asked.kind, from_balance, wanted)
    return _Work(proposal, terms, order)


async def _pay_off(context: Context, now: Now, row: SubscriptionRow, life: Life, asked: _Asked) -> _Work:
    """All payments of the present set of instalments that are left, at once."""
    left = core.remaining_payments(life)
    if not left:
        raise NotNow("There are no payments left to make.")
    if life.charging:
        raise NotNow("A charge is under way. Try again when it is decided.")
    found = await reckoned(context, now, row, life)
    today = asked.at.astimezone(now.zone).date()
    quoted = found.reckoning.quote(life.next, left, on=today)
    from_balance = min(life.balance, quoted.due_today)
    after = life.terms.rhythm.day(life.counted_from, life.next + left)
    step = Step(
        "now", Credit(0, 0), quoted.due_today, quoted.tax_total, quoted.due_today - from_balance,
        life.balance - from_balance, after or today,
    )  # fmt: skip
    proposal = _proposal(context, now, row, life, asked, life.terms, step, quoted, life.balance, from_balance)
    order = charge_order(context, row, life, found, quoted, "pay_off", from_balance, {"payments": left})
    return _Work(proposal, life.terms, order)


def _way(edition: Edition, row: SubscriptionRow, life: Life, asked: _Asked) -> plan_change.Direction:
    product = edition.product(life.terms.product)
    if asked.price != life.terms.price:
        if asked.quantity != life.terms.quantity:
            raise InvalidInput([Problem(("quantity",), "One thing after the other", "Change the plan, then how many")])
        way = plan_change.direction(product, life.terms.price, asked.price) if product is not None else None
        if way is None or not _may_have(edition, asked.price, row):
            message = "There is no way from this plan to that one"
            raise InvalidInput([Problem(("price",), message, "Choose another one", "ladder")])
        return way
    if asked.quantity == life.terms.quantity and life.following is None:
        raise InvalidInput([Problem(("price",), "This is the plan already", "Choose another one", "same")])
    limits = edition.prices[asked.price].price.at_counter if asked.price in edition.prices else None
    if limits is not None and not limits.min <= asked.quantity <= limits.max:
        message = f"From {limits.min} to {limits.max} of these can be had"
        raise InvalidInput([Problem(("quantity",), message, "Write a number within that", "quantity")])
    return "up" if asked.quantity > life.terms.quantity else "down"


def _terms(edition: Edition, life: Life, asked: _Asked, like: Terms) -> Terms:
    if asked.kind == "change" and asked.price == life.terms.price:  # how many: what was promised stays
        same = {"starts": 0, "start": None, "start_unit": 0, "free": False, "quantity": asked.quantity}
        return like.model_copy(update=same)
    if asked.price not in edition.prices:
        if asked.kind == "restart":
            return like.model_copy(update={"starts": 0, "start": None, "free": False, "quantity": asked.quantity})
        raise InvalidInput([Problem(("price",), "There is no such plan", "Choose another one", "unknown")])
    return terms_for(edition, asked.price, like, asked.quantity)


def _proposal(
    context: Context,
    now: Now,
    row: SubscriptionRow,
    life: Life,
    asked: _Asked,
    terms: Terms,
    step: Step,
    quoted: Quote | None,
    held: int,
    from_balance: int,
) -> Proposal:
    due = 0 if quoted is None else quoted.due_today - from_balance
    return Proposal(
        kind=asked.kind,
        price=terms.price,
        plan=plan_of(now.edition, terms.price),
        quantity=terms.quantity,
        step=step,
        quote=quoted,
        from_balance=from_balance,
        due=due,
        balance=held - from_balance,
        currency=terms.currency,
        token="",
    )
