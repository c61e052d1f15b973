"""What is asked of a subscription, by its customer or by the desk for them: another plan, how many, a pause, an end.
Whoever asks is recorded.

A change is shown first, with what it costs, under a token; whoever agrees sends the token back, and gets what was
shown, whatever has become of prices meanwhile. Where the subscription itself has changed since, or it comes to another
amount for another reason (a refund, a new address), it has to be shown again.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import Any, Literal
from uuid import UUID, uuid5

from skurrow.core.edition import Edition
from skurrow.core.mailboxes import mailbox
from skurrow.core.money import format_amount
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.quote.quote import Quote
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions import plan_change
from skurrow.core.subscriptions.life import Life, NotNow
from skurrow.core.subscriptions.plan_change import Credit, Step
from skurrow.core.subscriptions.terms import Reckoning, Terms, terms_for
from skurrow.service import addresses, calendars
from skurrow.service.changes import renewing
from skurrow.service.changes.renewing import charge_order, connection_of, send
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at
from skurrow.service.orders import refunds, settling
from skurrow.service.payments.gateways import account_of
from skurrow.service.payments.ways import statement
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.subscriptions.subscribing import (
    Now,
    Reckoned,
    buyer_of,
    credit_unused,
    happened,
    life_of,
    now_at,
    reckoned,
    standing,
)
from skurrow.service.subscriptions.subscription_mail import plan_of
from skurrow.store.database import Connection, site_transaction
from skurrow.store.orders import attempts, orders
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

AGREED_WITHIN = timedelta(minutes=30)
"""How long what was shown can be agreed to."""

Kind = Literal["change", "restart", "pay_off"]


@dataclass(frozen=True, slots=True)
class Actor:
    """Who asks: the customer (None), or a person of the desk for them."""

    person: UUID | None = None

    @property
    def words(self) -> dict[str, str]:
        """As it is written down."""
        return {"by": "customer"} if self.person is None else {"by": "desk", "person": str(self.person)}


CUSTOMER = Actor()


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
class Done:
    """What came of agreeing: `now`, `later` (when the paid time ends), `refused` with a reason, or still `pending`,
    maybe until it is approved at the bank; then `key` names what is to be approved."""

    state: Literal["now", "later", "refused", "pending"]
    reason: str | None = None
    approve_at: str | None = None
    key: str | None = None


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
        now, life = await now_at(context, db, site_id, row.mode), life_of(row)
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
        context = await calendars.of_book(context, db, site_id, row.mode)
        now, life = await now_at(context, db, site_id, row.mode), life_of(row)
        asked = _Asked(
            kind,
            price or life.terms.price,
            life.terms.quantity if quantity is None else quantity,
            context.book_now(),
            now.change,
            now.release,
            _mark(life),
        )
        work = await _worked_out(context, db, site_id, now, row, life, asked)
        return replace(work.proposal, token=_signed(context, site_id, row, asked, work.proposal))


async def agree(context: Context, site_id: UUID, row: SubscriptionRow, token: str, by: Actor = CUSTOMER) -> Done:
    """Does what was shown. Raises NotNow, Conflict where the subscription has changed since or it was too long ago."""
    asked, shown = _read(context, site_id, row, token)
    async with site_transaction(context.pool, site_id) as db:
        context = await calendars.of_book(context, db, site_id, row.mode)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        assert found is not None
        row, life = found, life_of(found)
        if _mark(life) != asked.mark:
            raise Conflict("Something has changed since this was shown. Look at it again.")
        # The configuration that it was shown under; what falls due later is reckoned by the present one.
        now = Now(await edition_at(context, db, site_id, asked.change), asked.change, asked.release)
        work = await _worked_out(context, db, site_id, now, row, life, asked)
        if _amounts(work.proposal) != shown:
            raise Conflict("It comes to another amount now. Look at it again.")
        now = await now_at(context, db, site_id, row.mode)
        if work.order is None:
            life = core.follow(life, work.terms)
            row = standing(now, row, life)
            await subscriptions.save_subscription(db, site_id, row)
            told = {"price": work.terms.price, "plan": work.proposal.plan, "quantity": work.terms.quantity, **by.words}
            at_once = life.following is None
            await happened(context, db, site_id, now, row, "changed" if at_once else "will_change", told)
            return Done("now" if at_once else "later")
        begun = await _begin(context, db, site_id, now, row, life, work.order, by)
    if begun is None:
        return Done("now")
    await send(context, site_id, *begun)
    return await outcome_of(context, site_id, work.order)


async def outcome_of(context: Context, site_id: UUID, order: OrderRow) -> Done:
    """How far the charge of a change is."""
    async with site_transaction(context.pool, site_id) as db:
        tried = await attempts.attempts_of(db, site_id, order.mode, order.id)
    last = tried[-1]
    if last.state == "paid":
        return Done("now")
    if last.state == "refused":
        return Done("refused", last.reason)
    return Done("pending", approve_at=last.approve_at)


async def cancel(
    context: Context,
    site_id: UUID,
    row: SubscriptionRow,
    by: Actor = CUSTOMER,
    reason: str = "",
    when: Literal["paid_time", "at_once"] | None = None,
    unused: Literal["kept", "given_back"] | None = None,
) -> SubscriptionRow:
    """Ends a subscription, as its price says or as the desk does. Raises NotNow."""
    ends = life_of(row).terms.ends
    when, unused = when or ends.when, unused or ends.unused
    if when == "at_once" and unused == "given_back":
        return await _end_and_give_back(context, site_id, row, {"reason": reason.strip(), **by.words}, by)

    def end(life: Life, today: date) -> Life:
        return core.cancel(life) if when == "paid_time" else core.cancel_at_once(life, today)

    def kind(life: Life) -> str:
        return "ended" if life.state == "ended" else "cancelled"

    return await _change(context, site_id, row, end, kind, {"reason": reason.strip(), **by.words})


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
    """Changes name, address or tax number; what is reckoned from them follows with the next charge."""
    buyer = {**row.buyer, **changes}
    problems = []
    for where in ("address", "deliver_to"):
        given = buyer.get(where) or {}
        if row.buyer.get(where):
            problems += addresses.problems(given.get("country") or buyer["country"], given, (where,))
    if problems:
        raise InvalidInput(problems)
    async with site_transaction(context.pool, site_id) as db:
        context = await calendars.of_book(context, db, site_id, row.mode)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        assert found is not None
        now = await now_at(context, db, site_id, row.mode)
        changed = standing(now, replace(found, buyer=buyer), life_of(found))
        await subscriptions.save_subscription(db, site_id, changed)
        await happened(context, db, site_id, now, changed, "buyer_changed", by.words)
    return changed


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


def _read(context: Context, site_id: UUID, row: SubscriptionRow, token: str) -> tuple[_Asked, list[int]]:
    """What was asked, and the amounts that were shown."""
    data = context.signer.read("proposal", token)
    if data is None or (data["s"], data["i"]) != (str(site_id), str(row.id)):
        raise NotFound("this was never shown")
    if context.now() - datetime.fromisoformat(data["t"]) > AGREED_WITHIN:
        raise Conflict("This was shown too long ago. Look at it again.")
    at = datetime.fromisoformat(data["a"])
    return _Asked(data["k"], data["p"], data["q"], at, data["g"], data["r"], data["v"]), data["m"]


def _amounts(shown: Proposal) -> list[int]:
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
        "m": _amounts(shown),
        "t": context.now().isoformat(timespec="seconds"),
    }
    return context.signer.sign("proposal", data)


def _mark(life: Life) -> str:
    """The same as long as a subscription stands the same, mails that went out aside."""
    plain = life.model_dump(mode="json", exclude={"told"})
    return hashlib.blake2b(json.dumps(plain, sort_keys=True).encode(), digest_size=12).hexdigest()


def _may_have(edition: Edition, price: str, row: SubscriptionRow) -> bool:
    named = edition.prices[price].price.for_ if price in edition.prices else None
    return price in edition.prices and (named is None or row.customer in {mailbox(one) for one in named})


async def _worked_out(
    context: Context, db: Connection, site_id: UUID, now: Now, row: SubscriptionRow, life: Life, asked: _Asked
) -> _Work:
    if asked.kind == "pay_off":
        return await _pay_off(context, db, site_id, now, row, life, asked)
    if not 1 <= asked.quantity <= 9999:
        raise InvalidInput([Problem(("quantity",), "At least one, at most 9999", "Write how many")])
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
    reckoning = Reckoning(now.edition, terms, buyer_of(row.buyer), first)
    charge = reckoning.on(0)
    credit = Credit(0, 0)
    if asked.kind == "change" and row.paid_order_id is not None:
        credit = core.unused(life, asked.at, now.rules, now.zone)
        paid = await orders.order_by_id(db, site_id, row.mode, row.paid_order_id)
        assert paid is not None
        credit = plan_change.at_most(credit, await refunds.left_of_line(context, db, site_id, paid))
    span = plan_change.span_of(now.edition, life.since, life.until)
    next_on = plan_change.next_after(terms.rhythm, first)
    step = plan_change.step(way, span, credit, (charge.total, charge.tax), next_on, trial)
    if step.when == "paid_time_ends" or trial:
        proposal = _proposal(context, site_id, now, row, life, asked, terms, step, None, life.balance, 0)
        return _Work(proposal, terms, None)
    quoted = reckoning.quote(0)
    held = life.balance + credit.amount
    from_balance = min(held, quoted.due_today)
    proposal = _proposal(context, site_id, now, row, life, asked, terms, step, quoted, held, from_balance)
    wanted: dict[str, Any] = {"at": asked.at.isoformat(), "terms": terms.model_dump(mode="json")}
    if credit.amount:
        wanted |= {"credit": list(credit), "credit_of": str(row.paid_order_id)}
    found = Reckoned(reckoning, asked.change, asked.release, row.buyer)
    changing = life.model_copy(update={"terms": terms})
    order = charge_order(context, row, changing, found, quoted, asked.kind, from_balance, wanted)
    return _Work(proposal, terms, order)


async def _pay_off(
    context: Context, db: Connection, site_id: UUID, now: Now, row: SubscriptionRow, life: Life, asked: _Asked
) -> _Work:
    """All payments of the present set of instalments that are left, at once."""
    left = core.remaining_payments(life)
    if not left:
        raise NotNow("There are no payments left to make.")
    if life.charging:
        raise NotNow("A charge is under way. Try again when it is decided.")
    found = await reckoned(context, db, site_id, now, row, life)
    today = asked.at.astimezone(now.zone).date()
    quoted = found.reckoning.quote(life.next, left, on=today)
    from_balance = min(life.balance, quoted.due_today)
    after = life.terms.rhythm.day(life.counted_from, life.next + left)
    step = Step(
        "now", Credit(0, 0), quoted.due_today, quoted.tax_total, quoted.due_today - from_balance,
        life.balance - from_balance, after or today,
    )  # fmt: skip
    proposal = _proposal(context, site_id, now, row, life, asked, life.terms, step, quoted, life.balance, from_balance)
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
    site_id: UUID,
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


async def _begin(
    context: Context,
    db: Connection,
    site_id: UUID,
    now: Now,
    row: SubscriptionRow,
    life: Life,
    order: OrderRow,
    by: Actor,
) -> tuple[ConnectionRow, AttemptRow] | None:
    """The charge of a change, recorded; None where nothing is left to be charged, and it is done."""
    connection = await connection_of(db, site_id, row)
    if order.total and (connection is None or row.sealed_on_file is None):
        raise NotNow("There is no card to charge. Add one first.")
    order = replace(order, wanted={**order.wanted, **by.words})
    await orders.add_order(db, site_id, order)
    # A pay-off is the charge that was due next; anything else leaves the next charge as it is until it is paid.
    row = standing(now, row, life.model_copy(update={"charging": True}))
    await subscriptions.save_subscription(db, site_id, row)
    if not order.total:
        await settling.paid_without_charge(context, db, site_id, order)
        return None
    assert connection is not None
    assert row.sealed_on_file is not None
    text = statement(now.edition.site.site.name, account_of(connection).statement)
    attempt = await settling.open_attempt(
        context, db, site_id, order, connection, context.vault.open(row.sealed_on_file), {"text": text, "on_file": True}
    )
    return connection, attempt


async def _end_and_give_back(
    context: Context, site_id: UUID, row: SubscriptionRow, body: dict[str, Any], by: Actor
) -> SubscriptionRow:
    """Ends a subscription now and gives the unused part of what was paid back: both are written down at once, then the
    gateway is asked. What was paid with a balance goes back to the balance. Raises NotNow, Conflict."""
    async with site_transaction(context.pool, site_id) as db:
        context = await calendars.of_book(context, db, site_id, row.mode)
        order = None
        if row.paid_order_id is not None:
            order = await orders.order_by_id(db, site_id, row.mode, row.paid_order_id, lock=True)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        if found is None or found.paid_order_id != row.paid_order_id:
            raise Conflict("Something has changed since this was shown. Look at it again.")
        now, life = await now_at(context, db, site_id, row.mode), life_of(found)
        unused = core.unused(life, context.book_now(), now.rules, now.zone)
        life = core.cancel_at_once(life, context.book_now().astimezone(now.zone).date())
        begun, rest = None, 0
        if order is not None and unused.amount:
            key = uuid5(row.id, f"unused of period {life.period}")
            begun, rest = await refunds.begin_unused(context, db, site_id, by.person, order, key, unused.amount)
        row = standing(now, found, core.with_balance(life, life.balance + rest))
        await subscriptions.save_subscription(db, site_id, row)
        body = {**body, "said": body["reason"], "reason": life.end_reason}
        await happened(context, db, site_id, now, row, "ended", body)
        if order is not None and rest:
            await credit_unused(context, db, site_id, row, order, plan_change.at_most(unused, rest))
    if begun is not None:
        await refunds.send(context, site_id, begun)
    return row


async def _change(
    context: Context, site_id: UUID, row: SubscriptionRow, change: Any, kind: Any, body: dict[str, Any]
) -> SubscriptionRow:
    """Changes how a subscription stands, and tells its customer. Raises NotNow."""
    async with site_transaction(context.pool, site_id) as db:
        context = await calendars.of_book(context, db, site_id, row.mode)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        assert found is not None
        now = await now_at(context, db, site_id, row.mode)
        life = change(life_of(found), context.book_now().astimezone(now.zone).date())
        row = standing(now, found, life)
        await subscriptions.save_subscription(db, site_id, row)
        told = kind if isinstance(kind, str) else kind(life)
        if told == "ended":
            body = {**body, "said": body.get("reason", ""), "reason": life.end_reason}
        await happened(context, db, site_id, now, row, told, body)
    return row
