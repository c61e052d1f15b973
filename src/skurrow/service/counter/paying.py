"""Paying for a visit's order, once."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

from skurrow.core.edition import Edition
from skurrow.core.money import format_amount
from skurrow.core.order import QuoteRefused
from skurrow.core.payments.guarding import LONGEST, Facts, Judgement, judge
from skurrow.core.payments.ways import Offer
from skurrow.core.problems import Problem
from skurrow.gateway.protocol import Answer, NoAnswer, NotAccepted, Refused, Seen
from skurrow.service import calendars
from skurrow.service.context import Context
from skurrow.service.counter import buyer_password
from skurrow.service.counter.checking import (
    check_customer,
    check_ladder,
    check_place,
    check_sold,
    check_tries,
    check_waiting,
    tell_of_plan,
)
from skurrow.service.counter.coupons import coupons_tried
from skurrow.service.counter.payment import HasPlan, Payment
from skurrow.service.counter.placing import brought_up_to_date, hold_all, needs_card, order_as_typed, placed, priced_now
from skurrow.service.counter.pricing import Priced
from skurrow.service.counter.progress import Progress, progress, progress_of, what_else
from skurrow.service.counter.visit import Visit
from skurrow.service.draft.configuration import edition_at, edition_of
from skurrow.service.events import record
from skurrow.service.orders import settling
from skurrow.service.orders.attempts import ask_soon, open_attempt, request_of
from skurrow.service.payments import ways
from skurrow.service.payments.gateways import connections_at, connections_for, gateway_of
from skurrow.service.refusals import Closed, Conflict, TooMany
from skurrow.service.tax import tax_numbers
from skurrow.store.book import Book
from skurrow.store.database import Connection, site_transaction
from skurrow.store.orders import attempts, baskets, holds, orders, reviews, selling_states
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.payments import connections
from skurrow.store.payments.connections import ConnectionRow

MOST_ATTEMPTS = 10
"""Cards that may be tried for one order."""


async def pay(context: Context, visit: Visit, payment: Payment) -> Progress:
    """Pays for the visit's order once. Raises QuoteRefused, Conflict (another amount was shown), Closed.

    The attempt is committed before the gateway is asked; the gateway is asked between transactions; what it says is
    committed afterwards. If this process dies in between, recovery finds the open attempt.
    """
    try:
        opened = _Opened()
        done = await _pay(context, visit, payment, opened)
        if payment.password and opened.here and done.state != "refused":
            await buyer_password.password_at_checkout(
                context, visit.site_id, visit.mode, visit.id, payment.buyer.email, payment.password
            )
        return done
    except HasPlan as has:
        if has.row is None:
            message = f"{has.name} is being paid for with this address in another window, so nothing was charged."
            raise Conflict(message) from None
        await tell_of_plan(context, visit, has.row, has.wanted)
        raise Conflict(
            f"This address has {has.name} already, so nothing was charged. We have sent a link to "
            f"{payment.buyer.email}, with which the plan can be changed."
        ) from None


@dataclass
class _Opened:
    """Whether the charge of an order was opened by this press, and not by another of the same visit."""

    here: bool = False


async def _pay(context: Context, visit: Visit, payment: Payment, opened: _Opened) -> Progress:
    seen = await _look_at(context, visit, payment)
    met = await edition_of(context, visit.site_id, visit.change)
    asked = await coupons_tried(context, met, visit, payment.choice, payment.address_seen or "")
    buyer = payment.buyer
    if buyer.business and buyer.tax_number:
        await tax_numbers.ask(context, visit.site_id, visit.mode, buyer.tax_number, buyer.country)
    async with site_transaction(context.pool, visit.site_id) as db:
        book = Book(db, visit.site_id, visit.mode)
        context = await calendars.of_book(context, book)
        edition = await edition_at(context, db, visit.site_id, visit.change)
        selling = await selling_states.selling(db, visit.site_id)
        priced = await priced_now(context, db, edition, visit, payment, asked)
        quoted = priced.quote
        due = format_amount(quoted.due_today, quoted.currency)
        connected = await connections_at(book, edition.checkouts[visit.checkout_id])
        as_typed = order_as_typed(context, edition, visit, payment, priced, seen)
        order = await placed(context, book, as_typed)
        if order.state in ("paid", "waiting", "cancelled"):
            return await progress_of(context, db, visit, order)
        earlier = await attempts.attempts_of(book, order.id)
        if any(attempt.state == "open" for attempt in earlier):
            return await progress_of(context, db, visit, order)
        if len(earlier) >= MOST_ATTEMPTS:
            raise TooMany("Too many cards were refused for this order. Nothing was charged.", 24 * 3600)
        check_sold(selling, edition, visit, quoted)
        if payment.expected != due or payment.currency not in (None, quoted.currency):
            raise Conflict(f"The amount is {due} {quoted.currency} now.", quoted)
        if not connected:
            raise Closed(f"{edition.site.site.name} cannot take payments at the moment.")
        check_customer(quoted, payment)
        await check_ladder(db, edition, visit, order, priced, payment)
        check_place(edition, priced, payment)
        order = await brought_up_to_date(book, order, as_typed)
        if payment.basket is not None:
            await baskets.mark_ordered(book, payment.basket, order.id)
        await hold_all(db, visit, order, edition, quoted, payment)
        keeps = bool(quoted.later) and needs_card(edition, quoted)
        if order.total == 0 and not keeps:
            opened.here = True
            await settling.paid_without_charge(context, book, order)
            return await progress_of(context, db, visit, replace(order, state="paid", paid_at=context.book_now()))
        offer = _chosen_way(edition, connected, priced, payment)
        connection = next(one for one in connected if one.adapter == offer.gateway)
        token = payment.token or ""
        if ways.kind_of(offer.gateway) == "fields" and not token:
            raise QuoteRefused([Problem(("token",), "The card has not been typed", "Type the card", "missing")])
        marks = _marks(context, visit, payment, seen)
        await check_tries(context, db, visit, offer.gateway, marks)
        await check_waiting(context, db, visit, order, payment, offer.gateway, marks)
        judgement = await _judged(context, db, edition, visit, order, payment, seen, marks)
        if judgement.verdict == "refuse":
            return await _refuse(context, db, visit, order, judgement)
        sent = await what_else(context, db, edition, visit, order, connection)
        if keeps:
            sent["keep"] = True
        attempt = await open_attempt(context, book, order, connection, token, sent, marks)
        opened.here = True
        if judgement.verdict == "hold":
            await reviews.add_review(book, order.id, list(judgement.reasons), context.now())
    return await _send(context, visit, connection, attempt, token, offer.days)


async def _send(
    context: Context, visit: Visit, connection: ConnectionRow, attempt: AttemptRow, token: str, days: int
) -> Progress:
    """Asks the gateway, between transactions, and writes down what it says."""
    outcome: Answer
    try:
        outcome = await gateway_of(context, connection).charge(request_of(attempt, token))
    except NoAnswer:
        await ask_soon(context, visit.site_id, attempt.id)
        return Progress("pending")
    except NotAccepted:  # this was the first time the key was sent, so nothing can have moved under it
        outcome = Refused("not_accepted")
    await settling.take(context, visit.site_id, attempt.id, outcome, days)
    return await progress(context, visit)


async def give_up(context: Context, visit: Visit) -> Progress:
    """The buyer does not wait for their open payment any longer, and pays in another way. What has been paid meanwhile
    stays paid. Raises Conflict where it is not theirs to give up."""
    async with site_transaction(context.pool, visit.site_id) as db:
        book = Book(db, visit.site_id, visit.mode)
        order = await orders.order_of_visit(book, visit.id)
        found = [] if order is None else await attempts.attempts_of(book, order.id)
        attempt = next((one for one in found if one.state == "open"), None)
        row = None
        if attempt is not None:
            row = await connections.connection_by_id(db, visit.site_id, attempt.connection_id)
    if attempt is not None and row is not None:
        if row.adapter == "invoice" and attempt.waits is not None:
            raise Conflict("You have the invoice for it. Ask the shop to cancel it.")
        if attempt.approve_at is None and attempt.waits is None:
            raise Conflict("Your bank has not answered yet, so it cannot be given up.")
        try:
            outcome = await gateway_of(context, row).give_up(attempt.id)
        except (NoAnswer, NotAccepted):
            raise Conflict("The payment service does not answer at the moment. Try again.") from None
        if outcome is not None:
            await settling.take(context, visit.site_id, attempt.id, outcome)
    return await progress(context, visit)


async def _look_at(context: Context, visit: Visit, payment: Payment) -> Seen | None:
    """What the gateway says of the card, where anything depends on it: limits against fraud, or where a buyer of
    something digital is. A gateway that does not answer keeps nobody from paying."""
    if not payment.token or (payment.way is not None and ways.kind_of_known(payment.way) != "fields"):
        return None
    edition = await edition_of(context, visit.site_id, visit.change)
    listed = edition.checkouts[visit.checkout_id].prices if visit.checkout_id in edition.checkouts else []
    sold = [*listed, *(one.price for one in payment.choice.items)]
    digital = any(edition.prices[price].what.kind == "digital" for price in sold if price in edition.prices)
    if not edition.site.payments.guards and not digital:
        return None
    async with site_transaction(context.pool, visit.site_id) as db:
        rows = await connections_for(Book(db, visit.site_id, visit.mode))
    named = [row for row in rows if ways.kind_of(row.adapter) == "fields" and payment.way in (None, row.adapter)]
    if not named:
        return None
    try:
        return await gateway_of(context, named[0]).look_at(payment.token)
    except (NoAnswer, NotAccepted):
        return None


def _chosen_way(edition: Edition, connected: list[ConnectionRow], priced: Priced, payment: Payment) -> Offer:
    """The way to pay that the buyer has chosen, if this can be paid with it. Raises QuoteRefused, Closed."""
    offered = ways.offers_for(edition, connected, ways.sale_of(priced.quote, payment.buyer.country, priced.collected))
    fitting = [one for one in offered if one.why_not is None]
    if payment.way is None:
        if not fitting:
            raise Closed("This cannot be paid here at the moment. Nothing was charged.")
        return fitting[0]
    for one in offered:
        if one.gateway == payment.way:
            if one.why_not is None:
                return one
            raise QuoteRefused([Problem(("way",), f"{one.label}: {one.why_not}", "Choose another way to pay", "unfit")])
    message = "This way to pay is not offered any more"
    raise QuoteRefused([Problem(("way",), message, "Choose another way to pay", "unknown")])


def _marks(context: Context, visit: Visit, payment: Payment, seen: Seen | None) -> dict[str, str]:
    """Keyed hashes by which tries are counted; they say nothing to anybody else."""
    site = str(visit.site_id)
    found = {"buyer": context.signer.fingerprint(f"buyer {site}", payment.customer)}
    if seen is not None:
        found["card"] = context.signer.fingerprint(f"card {site}", seen.fingerprint)
    if payment.address_seen:
        found["address"] = context.signer.fingerprint(f"address {site}", payment.address_seen)
    return found


async def _judged(
    context: Context,
    db: Connection,
    edition: Edition,
    visit: Visit,
    order: OrderRow,
    payment: Payment,
    seen: Seen | None,
    marks: dict[str, str],
) -> Judgement:
    """The order held against the site's limits."""
    now = context.now()
    tries: dict[str, list[datetime]] = {}
    if any(guard.tries is not None for guard in edition.site.payments.guards):
        for one in await attempts.tries_since(Book(db, visit.site_id, visit.mode), now - LONGEST, marks):
            tries.setdefault(one.by, []).append(one.at)
    facts = Facts(order.total, order.currency, payment.buyer.country, seen.country if seen else None, tries)
    return judge(edition, facts, now)


async def _refuse(context: Context, db: Connection, visit: Visit, order: OrderRow, judgement: Judgement) -> Progress:
    """An order that a limit refuses is never sent to a gateway; the desk reads why, the buyer does not."""
    await holds.give_back(Book(db, visit.site_id, visit.mode), order.id)
    await record(context, db, visit.site_id, order, "order.refused", {"reasons": list(judgement.reasons)})
    return Progress("refused", reason="not_taken")
