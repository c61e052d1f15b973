"""Paying for a visit's order, once; what became of it; and the page of a paid order."""

from __future__ import annotations

import contextlib
import secrets
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from typing import Any, Literal
from urllib.parse import urlencode
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.mailboxes import mailbox
from skurrow.core.money import format_amount
from skurrow.core.order import Buyer, QuoteRefused
from skurrow.core.papers.papers import Paper
from skurrow.core.payments.guarding import LONGEST, Facts, Judgement, judge
from skurrow.core.payments.ways import Offer
from skurrow.core.problems import Problem
from skurrow.core.quote.quote import Quote
from skurrow.gateway.protocol import Answer, Mode, NoAnswer, NotAccepted, Refused, Seen
from skurrow.gateway.registry import ADAPTERS
from skurrow.service import (
    accounts,
    addresses,
    calendars,
    holding,
    papers,
    settling,
    subscription_mail,
    tax_numbers,
    ways,
)
from skurrow.service.configuration import edition_at, edition_of
from skurrow.service.context import Context
from skurrow.service.gateways import account_of, connections_for, gateway_of
from skurrow.service.refusals import Closed, Conflict, NotFound, TooMany
from skurrow.service.selling_states import check_open, stopped_prices
from skurrow.service.subscribing import needs_card, planned, quote_json
from skurrow.service.subscription_mail import plan_of
from skurrow.service.transfer_slips import TransferSlip, transfer_slip
from skurrow.service.visits import (
    NOTHING_CHOSEN,
    PREVIEWING,
    Buying,
    Choice,
    Counter,
    Priced,
    Visit,
    Where,
    counter_of,
    coupons_tried,
    left_at,
    number_of,
    price_for,
    read_visit,
)
from skurrow.store.database import Connection, site_transaction
from skurrow.store.draft import sites
from skurrow.store.orders import attempts, charges, holds, order_events, orders, reviews, selling_states
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.order_events import EventRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.orders.selling_states import SellingRow
from skurrow.store.payments import connections
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

MOST_ATTEMPTS = 10
"""Cards that may be tried for one order."""

MOST_REFUSED = {"address": (10, timedelta(hours=1)), "card": (6, timedelta(hours=24))}
"""Refused charges of a site after which no more are tried: from one address, with one card."""

MOST_WAITING, MOST_WAITING_OF_ADDRESS = 3, 6
"""Orders of one customer, and from one address, that may wait for a person's money at once."""

_CODE_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"


@dataclass(frozen=True, slots=True)
class Payment:
    """What the buyer asks to pay, and with what. `expected` is the amount that was shown to them, as a text; where
    it is nothing, no card and so no `token` is needed. `way` is the gateway (None: the first that there is), and
    `address_seen` where the connection comes from.

    `address` and `deliver_to` have the fields of the country's form; `seen_in` is the country that the connection seems
    to come from, and `lives_here` that the buyer has said which country is right. `language` is what mails are written
    in, where that is one of ours. A `password` is for the account page.
    """

    email: str
    name: str
    country: str
    token: str | None
    expected: str
    choice: Choice = NOTHING_CHOSEN
    address: Mapping[str, str | None] = field(default_factory=dict)
    deliver_to: Mapping[str, str | None] | None = None
    business: bool = False
    company: str | None = None
    tax_number: str | None = None
    seen_in: str | None = None
    lives_here: bool = False
    way: str | None = None
    address_seen: str | None = None
    language: str | None = None
    password: str | None = field(default=None, repr=False)

    @property
    def customer(self) -> str:
        """The mailbox of whoever buys."""
        return mailbox(self.email)

    @property
    def buying(self) -> Buying:
        """As far as amounts depend on it."""
        to = self.deliver_to
        return Buying(
            Where(self.country, self.address.get("region"), self.address.get("postal_code")),
            Where(to["country"] or self.country, to.get("region"), to.get("postal_code")) if to else None,
            self.business,
            self.tax_number,
        )


State = Literal["none", "open", "pending", "refused", "waiting", "paid", "cancelled"]


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a visit's order is. `confirmation` is the token of its page, once it is paid or waits for its money;
    `approve_at` is where the buyer approves the charge, while that is waited for, and `off_site` whether they leave
    for it; `way` is the gateway."""

    state: State
    reason: str | None = None
    confirmation: str | None = None
    paid_at: datetime | None = None
    approve_at: str | None = None
    off_site: bool = False
    way: str | None = None


@dataclass(frozen=True, slots=True)
class Awaited:
    """What an order waits for: with which gateway, called what at the counter; until when it is to be paid or when the
    money is expected; and, for a bank transfer, what to write on it."""

    gateway: str
    label: str
    text: str
    due_on: date | None
    expected_on: date | None
    transfer: TransferSlip | None


@dataclass(frozen=True, slots=True)
class Confirmation:
    """What the confirmation page recounts. `awaited` is what the order waits for; `back` says which visit it is of to
    whoever holds that, and to nobody else."""

    site_name: str
    site_url: str
    colour: str
    order: OrderRow
    paid_by: str
    papers: list[Paper]
    awaited: Awaited | None
    back: str
    checkout_code: str | None


async def resume(context: Context, kept: str, fresh: str) -> tuple[Counter, Progress]:
    """Goes on with the visit that a browser has kept, or with the fresh one where that is over or another's.

    A real buyer keeps the release they began with. A test buyer who has ordered nothing meets the newest draft.
    """
    new = read_visit(context, fresh)
    try:
        visit = read_visit(context, kept)
    except NotFound:
        visit = new
    if (visit.site_id, visit.checkout_id, visit.mode) != (new.site_id, new.checkout_id, new.mode):
        visit = new
    found = await progress(context, visit)
    if found.state == "none" and visit.mode == "test" and visit.change != new.change:
        visit = new
    async with site_transaction(context.pool, visit.site_id) as db:
        edition = await edition_at(context, db, visit.site_id, visit.change)
        checkout = edition.checkouts[visit.checkout_id]
        selling = await selling_states.selling(db, visit.site_id)
        if visit.hindered and found.state in ("none", "open", "refused"):
            check_open(selling, edition, checkout.id, checkout.prices, under_way=True)
        connected = await connections_for(db, visit.site_id, visit.mode)
        left = await left_at(db, visit.site_id, visit.mode, edition, checkout)
    if not connected:
        raise Closed(f"{edition.site.site.name} cannot take payments at the moment.")
    gone = stopped_prices(selling, edition, checkout.prices) if visit.hindered else frozenset()
    return counter_of(context, visit, edition, connected, left, gone=gone), found


def back_token(context: Context, site_id: UUID, mode: str, visit: UUID) -> str:
    """What an address carries that leads back to a checkout. It says how an order stands, and opens nothing: whoever
    sends it to somebody plants no visit with it."""
    return context.signer.sign("back", {"s": str(site_id), "m": mode, "v": str(visit)})


async def come_back(context: Context, back: str, fresh: str, kept: str | None) -> tuple[Counter, Progress]:
    """A buyer comes back from paying elsewhere. In the browser that keeps the visit it goes on; in any other it is told
    how the order stands, and a form begins afresh. Raises NotFound."""
    data = context.signer.read("back", back)
    new = read_visit(context, fresh)
    if data is None or (UUID(data["s"]), data["m"]) != (new.site_id, new.mode):
        raise NotFound("this way back leads nowhere")
    if kept is not None:
        with contextlib.suppress(NotFound):
            if read_visit(context, kept).id == UUID(data["v"]):
                return await resume(context, kept, fresh)
    counter, _ = await resume(context, fresh, fresh)
    async with site_transaction(context.pool, new.site_id) as db:
        order = await orders.order_of_visit(db, new.site_id, new.mode, UUID(data["v"]))
        found = Progress("none") if order is None else await _progress(context, db, new, order)
    return counter, replace(found, approve_at=None)


async def pay(context: Context, visit: Visit, payment: Payment) -> Progress:
    """Pays for the visit's order once. Raises QuoteRefused, Conflict (another amount was shown), Closed.

    The attempt is committed before the gateway is asked; the gateway is asked between transactions; what it says is
    committed afterwards. If this process dies in between, recovery finds the open attempt.
    """
    try:
        opened = _Opened()
        done = await _pay(context, visit, payment, opened)
        if payment.password and opened.here and done.state != "refused":
            await accounts.password_at_checkout(
                context, visit.site_id, visit.mode, visit.id, payment.email, payment.password
            )
        return done
    except _HasPlan as has:
        if has.row is None:
            message = f"{has.name} is being paid for with this address in another window, so nothing was charged."
            raise Conflict(message) from None
        await _tell_of_plan(context, visit, has.row, has.wanted)
        raise Conflict(
            f"This address has {has.name} already, so nothing was charged. We have sent a link to {payment.email}, "
            "with which the plan can be changed."
        ) from None


@dataclass
class _Opened:
    """Whether the charge of an order was opened by this press, and not by another of the same visit."""

    here: bool = False


class _HasPlan(Exception):
    """Somebody on a step of a ladder wants to buy another one: that is a change of plan, not a second one."""

    def __init__(self, name: str, wanted: str, row: SubscriptionRow | None) -> None:
        super().__init__(name)
        self.name, self.wanted, self.row = name, wanted, row


async def _pay(context: Context, visit: Visit, payment: Payment, opened: _Opened) -> Progress:
    seen = await _look_at(context, visit, payment)
    met = await edition_of(context, visit.site_id, visit.change)
    asked = await coupons_tried(context, met, visit, payment.choice, payment.address_seen or "")
    if payment.business and payment.tax_number:
        await tax_numbers.ask(context, visit.site_id, visit.mode, payment.tax_number, payment.country)
    async with site_transaction(context.pool, visit.site_id) as db:
        context = await calendars.of_book(context, db, visit.site_id, visit.mode)
        edition = await edition_at(context, db, visit.site_id, visit.change)
        selling = await selling_states.selling(db, visit.site_id)
        priced = await _priced(context, db, edition, visit, payment, asked)
        quoted = priced.quote
        due = format_amount(quoted.due_today, quoted.currency)
        connected = await connections_for(db, visit.site_id, visit.mode)
        order = await _order(context, db, edition, visit, payment, priced)
        if order.state in ("paid", "waiting", "cancelled"):
            return await _progress(context, db, visit, order)
        earlier = await attempts.attempts_of(db, visit.site_id, visit.mode, order.id)
        if any(attempt.state == "open" for attempt in earlier):
            return await _progress(context, db, visit, order)
        if len(earlier) >= MOST_ATTEMPTS:
            raise TooMany("Too many cards were refused for this order. Nothing was charged.", 24 * 3600)
        check_sold(selling, edition, visit, quoted)
        if payment.expected != due:
            raise Conflict(f"The amount is {due} {quoted.currency} now.", quoted)
        if not connected:
            raise Closed(f"{edition.site.site.name} cannot take payments at the moment.")
        _check_customer(quoted, payment)
        await _check_ladder(db, edition, visit, order, priced, payment)
        _check_place(edition, priced, payment)
        order = await _repriced(db, edition, visit, order, payment, priced, seen)
        await _hold(db, visit, order, edition, quoted, payment)
        keeps = bool(quoted.later) and needs_card(edition, quoted)
        if order.total == 0 and not keeps:
            opened.here = True
            await settling.paid_without_charge(context, db, visit.site_id, order)
            return await _progress(context, db, visit, replace(order, state="paid", paid_at=context.book_now()))
        offer = _chosen_way(edition, connected, priced, payment)
        connection = next(one for one in connected if one.adapter == offer.gateway)
        token = payment.token or ""
        if ways.kind_of(offer.gateway) == "fields" and not token:
            raise QuoteRefused([Problem(("token",), "The card has not been typed", "Type the card", "missing")])
        marks = _marks(context, visit, payment, seen)
        await _check_tries(context, db, visit, offer.gateway, marks)
        await _check_waiting(context, db, visit, order, payment, offer.gateway, marks)
        judgement = await _judged(context, db, edition, visit, order, payment, seen, marks)
        if judgement.verdict == "refuse":
            return await _refuse(context, db, visit, order, judgement)
        sent = await _what_else(context, db, edition, visit, connection)
        if keeps:
            sent["keep"] = True
        attempt = await settling.open_attempt(context, db, visit.site_id, order, connection, token, sent, marks)
        opened.here = True
        if judgement.verdict == "hold":
            await reviews.add_review(db, visit.site_id, visit.mode, order.id, list(judgement.reasons), context.now())
    return await _send(context, visit, connection, attempt, token, offer.days)


async def _send(
    context: Context, visit: Visit, connection: ConnectionRow, attempt: AttemptRow, token: str, days: int
) -> Progress:
    """Asks the gateway, between transactions, and writes down what it says."""
    outcome: Answer
    try:
        outcome = await gateway_of(context, connection).charge(settling.request_of(attempt, token))
    except NoAnswer:
        await settling.ask_soon(context, visit.site_id, attempt.id)
        return Progress("pending")
    except NotAccepted:  # this was the first time the key was sent, so nothing can have moved under it
        outcome = Refused("not_accepted")
    await settling.take(context, visit.site_id, attempt.id, outcome, days)
    return await progress(context, visit)


async def give_up(context: Context, visit: Visit) -> Progress:
    """The buyer does not wait for their open payment any longer, and pays in another way. What has been paid meanwhile
    stays paid. Raises Conflict where it is not theirs to give up."""
    async with site_transaction(context.pool, visit.site_id) as db:
        order = await orders.order_of_visit(db, visit.site_id, visit.mode, visit.id)
        found = [] if order is None else await attempts.attempts_of(db, visit.site_id, visit.mode, order.id)
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


async def progress(context: Context, visit: Visit) -> Progress:
    """How far the visit's order is."""
    async with site_transaction(context.pool, visit.site_id) as db:
        order = await orders.order_of_visit(db, visit.site_id, visit.mode, visit.id)
        return Progress("none") if order is None else await _progress(context, db, visit, order)


async def confirmation(context: Context, token: str) -> Confirmation:
    """What the page of an order recounts, paid, waiting, or gone back to open. Raises NotFound."""
    site_id, mode, order_id = _confirmed(context, token)
    async with site_transaction(context.pool, site_id) as db:
        order = await orders.order_by_id(db, site_id, mode, order_id)
        if order is None:
            raise NotFound("there is no such page")
        taken = await charges.charges_of(db, site_id, mode, order_id)
        edition = await edition_at(context, db, site_id, order.change)
        tried = await attempts.attempts_of(db, site_id, mode, order_id)
        kept = await papers.kept(db, site_id, mode, order_id)
        code = await sites.address_of(db, site_id, order.checkout_id)
        if order.state == "open" and not any(one.waits for one in tried):
            raise NotFound("there is no such page")
        used = next((one for one in reversed(tried) if one.state in ("open", "paid")), None)
        row = None if used is None else await connections.connection_by_id(db, site_id, used.connection_id)
    paid_by = papers.paid_by(row.adapter, taken[0].card_ending) if row is not None and taken else ""
    awaited = None
    if order.state == "waiting" and used is not None and row is not None:
        awaited = _awaited(edition, order, used, row)
    shop = edition.site.site
    back = back_token(context, site_id, mode, order.visit)
    return Confirmation(shop.name, shop.url, shop.colour, order, paid_by, kept, awaited, back, code)


async def paper_of(context: Context, token: str, number: str) -> Paper:
    """A paper of a confirmed order. Raises NotFound."""
    found = await papers.of_order(context, *_confirmed(context, token))
    for one in found:
        if one.number == number:
            return one
    raise NotFound("there is no such paper")


# -- within -----------------------------------------------------------------------------------------------


def _confirmed(context: Context, token: str) -> tuple[UUID, Mode, UUID]:
    """Site, mode and order that a confirmation's address names. Raises NotFound."""
    data = context.signer.read("confirmation", token)
    if data is None:
        raise NotFound("there is no such page")
    return UUID(data["s"]), data["m"], UUID(data["o"])


async def _priced(
    context: Context, db: Connection, edition: Edition, visit: Visit, payment: Payment, asked: list[str]
) -> Priced:
    """What the order costs this customer, without the coupons that they can use no more."""
    used_up = await holding.used_up(db, visit.site_id, visit.mode, edition, payment.customer, asked)
    number = await number_of(context, db, visit, payment.buying)
    return price_for(edition, visit, payment.buying, payment.choice, context.book_now(), used_up, number)


def check_sold(selling: SellingRow, edition: Edition, visit: Visit, quoted: Quote) -> None:
    """Raises Closed where the site, the checkout or a product was stopped since the visit began, NotFound where the
    test pass that it was begun with was withdrawn."""
    if visit.tries not in (None, PREVIEWING, selling.test_pass):
        raise NotFound("the test links of this shop were withdrawn")
    if visit.hindered:
        for line in quoted.lines:
            check_open(selling, edition, visit.checkout_id, [line.item.price], under_way=True)


async def _check_tries(context: Context, db: Connection, visit: Visit, gateway: str, marks: dict[str, str]) -> None:
    """Nobody finds out by trying which of many cards work. Raises TooMany."""
    if ways.kind_of(gateway) != "fields":
        return
    now = context.now()
    for by, (most, within) in MOST_REFUSED.items():
        if by in marks:
            n = await attempts.refused_since(db, visit.site_id, visit.mode, by, marks[by], now - within)
            if n >= most * context.settings.leeway:
                words = "Too many cards were refused. Nothing was charged. Try again later, or pay in another way."
                raise TooMany(words, int(within.total_seconds()))


async def _check_waiting(
    context: Context,
    db: Connection,
    visit: Visit,
    order: OrderRow,
    payment: Payment,
    gateway: str,
    marks: dict[str, str],
) -> None:
    """Nobody holds a shop's stock with orders that they do not pay. Raises TooMany."""
    if ways.kind_of(gateway) != "person":
        return
    waiting = await attempts.waiting_of(db, visit.site_id, visit.mode, payment.customer, marks.get("address"), order.id)
    for n, most in ((waiting.of_customer, MOST_WAITING), (waiting.of_address, MOST_WAITING_OF_ADDRESS)):
        if n >= most * context.settings.leeway:
            raise TooMany(
                f"{n} orders wait for their money already. Pay one of them, or have the shop cancel it, first.", 3600
            )


def _check_place(edition: Edition, priced: Priced, payment: Payment) -> None:
    """An address is needed for what is sent and for a business's invoice; what is digital needs to be known where the
    buyer lives."""
    problems: list[Problem] = []
    sent = any(way.id == priced.way and not way.pick_up for way in priced.ways)
    to = payment.deliver_to if sent else None
    if payment.business and not (payment.company or "").strip():
        problems.append(
            Problem(("company",), "The company is missing", "Type its name: the invoice bears it", "missing")
        )
    if to is not None:
        problems += addresses.problems(to.get("country") or payment.country, to, ("deliver_to",))
        if not (to.get("name") or "").strip():
            problems.append(Problem(("deliver_to", "name"), "The name is missing", "Type who it is for", "missing"))
    postal_code = (payment.address.get("postal_code") or "").strip()
    if payment.business or (sent and to is None):
        problems += addresses.problems(payment.country, payment.address, ("address",))
    elif not sent and needs_postal_code(edition, payment.country) and not postal_code:
        problems.append(
            Problem(("address", "postal_code"), "The postal code is missing", "Type it: tax depends on it", "missing")
        )
    if problems:
        raise QuoteRefused(problems)
    if asks_where(priced.quote, payment.country, payment.seen_in) and not payment.lives_here:
        message = "The connection seems to come from another country than the one chosen"
        raise QuoteRefused([Problem(("place",), message, "Say which is right", "place_conflict")])


def needs_postal_code(edition: Edition, country: str) -> bool:
    """Whether the tax of what is not sent hangs on a buyer's postal code in this country."""
    if country in ("US", "CA"):
        return any((one.place or "").startswith(country) for one in edition.site.tax.registrations)
    return addresses.form(country).place_by_postal_code and edition.site.tax.exempt is None


def asks_where(quoted: Quote, country: str, seen_in: str | None) -> bool:
    """Whether a buyer of something digital is asked which country they live in: evidence of it must not disagree."""
    digital = any(line.charged.priced.what.kind == "digital" for line in quoted.lines)
    return digital and seen_in is not None and seen_in != country


def _check_customer(quoted: Quote, payment: Payment) -> None:
    """Prices for named customers are sold to those only."""
    for line in quoted.lines:
        named = line.charged.priced.price.for_
        if named is not None and mailbox(payment.email) not in {mailbox(one) for one in named}:
            message = f"“{line.name}” is for invited customers, and this address is not among them"
            raise QuoteRefused([Problem(("email",), message, "Use the address that was invited", "not_invited")])


async def _check_ladder(
    db: Connection, edition: Edition, visit: Visit, order: OrderRow, priced: Priced, payment: Payment
) -> None:
    """Nobody gets two steps of one ladder by accident, not even from two windows at once. Raises _HasPlan."""
    for line in priced.quote.lines:
        product = line.charged.priced.product
        if line.item.price not in (product.ladder or ()):
            continue
        customer = payment.customer
        await subscriptions.alone_on_ladder(db, visit.site_id, visit.mode, customer, product.id)
        row = await subscriptions.on_ladder(db, visit.site_id, visit.mode, customer, product.id)
        paying = await orders.paying_for(db, visit.site_id, visit.mode, customer, product.id, order.id)
        if row is not None or paying:
            raise _HasPlan(product.name, plan_of(edition, line.item.price), row)


async def _tell_of_plan(context: Context, visit: Visit, row: SubscriptionRow, wanted: str) -> None:
    """Sends whoever has the plan a link to change it; once a visit. Which plan they have is told to nobody else."""
    async with site_transaction(context.pool, visit.site_id) as db:
        context = await calendars.of_book(context, db, visit.site_id, visit.mode)
        edition = await edition_at(context, db, visit.site_id, visit.change)
        told = {"plan": wanted, "key": f"{wanted} {context.now().date()}"}  # once a day, whoever asks how often
        await subscription_mail.tell(context, db, visit.site_id, edition, row, "has_plan", told)


async def _hold(
    db: Connection, visit: Visit, order: OrderRow, edition: Edition, quoted: Quote, payment: Payment
) -> None:
    """Holds stock and coupons for the order. Raises Conflict with what is short; the transaction is given up then."""
    wanted = [(line.item.price, line.item.variant, line.item.quantity) for line in quoted.lines]
    short = await holding.hold(
        db, visit.site_id, visit.mode, order.id, edition, wanted, quoted.coupons, payment.customer
    )
    if short is None:
        return
    if short.coupon is not None:
        raise Conflict(f"The coupon {short.coupon} has just been used for the last time. Nothing was charged.")
    product = edition.product(short.product or "")
    name = product.name if product else "This"
    if short.left == 0:
        raise Conflict(f"“{name}” has just been sold out. Nothing was charged.")
    raise Conflict(f"Only {short.left} of “{name}” are left. Nothing was charged.")


def _as_core(payment: Payment, priced: Priced) -> Buyer:
    return payment.buying.as_core(priced.number.confirmed if priced.number else None)


def _wanted(edition: Edition, priced: Priced) -> dict[str, Any]:
    items = [line.item.model_dump(mode="json", exclude_none=True) for line in priced.quote.lines]
    way = {} if priced.way is None else {"delivery": priced.way}
    found = {"items": items, "coupons": list(priced.quote.coupons), **way}
    begins = planned(edition, priced.quote, priced.way)
    return {**found, "subscriptions": begins} if begins else found


def _buyer(payment: Payment, priced: Priced, seen: Seen | None = None) -> dict[str, Any]:
    """What is kept of the buyer, with the evidence of where they are."""
    found: dict[str, Any] = {"email": payment.email, "name": payment.name, "country": payment.country}
    address = {name: text.strip() for name, text in payment.address.items() if text and text.strip()}
    if address:
        found["address"] = address
    if payment.deliver_to is not None and any(way.id == priced.way and not way.pick_up for way in priced.ways):
        found["deliver_to"] = {name: text.strip() for name, text in payment.deliver_to.items() if text and text.strip()}
    if payment.language:
        found["language"] = payment.language
    if payment.business:
        found["business"] = True
        if payment.company and payment.company.strip():
            found["company"] = payment.company.strip()
        if priced.number is not None:
            number = priced.number
            found["tax_number"] = number.number
            found["tax_number_check"] = {"answer": number.state, "name": number.name, "reference": number.reference}
    evidence = {
        "declared": payment.country,
        "connection": payment.seen_in,
        "card": seen.country if seen else None,
        "confirmed": payment.lives_here or None,
    }
    found["evidence"] = {name: value for name, value in evidence.items() if value is not None}
    return found


async def _order(
    context: Context, db: Connection, edition: Edition, visit: Visit, payment: Payment, priced: Priced
) -> OrderRow:
    """The visit's order, locked; made now if there is none."""
    now, quoted = context.book_now(), priced.quote
    order = OrderRow(
        id=context.new_id(),
        mode=visit.mode,
        visit=visit.id,
        code="".join(secrets.choice(_CODE_LETTERS) for _ in range(8)),
        checkout_id=visit.checkout_id,
        change=visit.change,
        release=visit.release,
        state="open",
        buyer=_buyer(payment, priced),
        currency=quoted.currency,
        total=quoted.due_today,
        quote=quote_json(edition, priced, _as_core(payment, priced)),
        created_at=now,
        paid_at=None,
        wanted=_wanted(edition, priced),
        customer=payment.customer,
    )
    if await orders.add_order(db, visit.site_id, order):
        await _event(context, db, visit, order.id, "order.placed", _money(order))
    found = await orders.order_of_visit(db, visit.site_id, visit.mode, visit.id, lock=True)
    assert found is not None
    return found


async def _repriced(
    db: Connection,
    edition: Edition,
    visit: Visit,
    order: OrderRow,
    payment: Payment,
    priced: Priced,
    seen: Seen | None,
) -> OrderRow:
    """The order with what the buyer has typed since it was made."""
    quoted = priced.quote
    changed = replace(
        order,
        buyer=_buyer(payment, priced, seen),
        currency=quoted.currency,
        total=quoted.due_today,
        quote=quote_json(edition, priced, _as_core(payment, priced)),
        wanted=_wanted(edition, priced),
        customer=payment.customer,
    )
    if changed == order:
        return order
    await orders.reprice_order(db, visit.site_id, changed)
    return changed


async def _look_at(context: Context, visit: Visit, payment: Payment) -> Seen | None:
    """What the gateway says of the card, where anything depends on it: limits against fraud, or where a buyer of
    something digital is. A gateway that does not answer keeps nobody from paying."""
    if not payment.token or (payment.way is not None and ways.kind_of_known(payment.way) != "fields"):
        return None
    edition = await edition_of(context, visit.site_id, visit.change)
    sold = edition.checkouts[visit.checkout_id].prices if visit.checkout_id in edition.checkouts else []
    digital = any(edition.prices[price].what.kind == "digital" for price in sold if price in edition.prices)
    if not edition.site.payments.guards and not digital:
        return None
    async with site_transaction(context.pool, visit.site_id) as db:
        rows = await connections_for(db, visit.site_id, visit.mode)
    named = [row for row in rows if ways.kind_of(row.adapter) == "fields" and payment.way in (None, row.adapter)]
    if not named:
        return None
    try:
        return await gateway_of(context, named[0]).look_at(payment.token)
    except (NoAnswer, NotAccepted):
        return None


def _chosen_way(edition: Edition, connected: list[ConnectionRow], priced: Priced, payment: Payment) -> Offer:
    """The way to pay that the buyer has chosen, if this can be paid with it. Raises QuoteRefused, Closed."""
    offered = ways.offers_for(edition, connected, ways.sale_of(priced.quote, payment.country, priced.collected))
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
        for one in await attempts.tries_since(db, visit.site_id, visit.mode, now - LONGEST, marks):
            tries.setdefault(one.by, []).append(one.at)
    facts = Facts(order.total, order.currency, payment.country, seen.country if seen else None, tries)
    return judge(edition, facts, now)


async def _refuse(context: Context, db: Connection, visit: Visit, order: OrderRow, judgement: Judgement) -> Progress:
    """An order that a limit refuses is never sent to a gateway; the desk reads why, the buyer does not."""
    await holds.give_back(db, visit.site_id, visit.mode, order.id)
    await _event(context, db, visit, order.id, "order.refused", {"reasons": list(judgement.reasons)})
    return Progress("refused", reason="not_taken")


async def _what_else(
    context: Context, db: Connection, edition: Edition, visit: Visit, connection: ConnectionRow
) -> dict[str, Any]:
    """What is sent beside the money: the text of the statement, and where a buyer who leaves comes back to."""
    sent = {"text": ways.statement(edition.site.site.name, account_of(connection).statement)}
    if ADAPTERS[connection.adapter].abilities.off_site:
        code = await sites.address_of(db, visit.site_id, visit.checkout_id)
        back = back_token(context, visit.site_id, visit.mode, visit.id)
        sent["return_to"] = f"{context.settings.counter_url}/buy/{code}?{urlencode({'back': back})}"
    return sent


def _awaited(edition: Edition, order: OrderRow, attempt: AttemptRow, row: ConnectionRow) -> Awaited:
    label, text = ways.shown_as(edition, row.adapter)
    zone = edition.site.site.zone
    expected = attempt.due_at.astimezone(zone).date() if attempt.due_at else None
    by_person = attempt.waits == "person"
    slip = None
    if row.adapter == "transfer":
        slip = transfer_slip(account_of(row).details, order.code, attempt.amount, attempt.currency)
    return Awaited(
        gateway=row.adapter,
        label=label,
        text=text,
        due_on=expected if by_person else None,
        expected_on=None if by_person else expected,
        transfer=slip,
    )


async def _progress(context: Context, db: Connection, visit: Visit, order: OrderRow) -> Progress:
    if order.state == "cancelled":
        return Progress("cancelled")
    if order.state in ("paid", "waiting"):
        token = context.signer.sign("confirmation", {"s": str(visit.site_id), "m": order.mode, "o": str(order.id)})
        state: State = "paid" if order.state == "paid" else "waiting"
        return Progress(state, confirmation=token, paid_at=order.paid_at)
    tried = await attempts.attempts_of(db, visit.site_id, visit.mode, order.id)
    if any(attempt.state == "paid" for attempt in tried):  # since the order was read
        paid = await orders.order_by_id(db, visit.site_id, visit.mode, order.id)
        assert paid is not None
        return await _progress(context, db, visit, paid)
    waiting = next((attempt for attempt in tried if attempt.state == "open"), None)
    if waiting is not None:
        row = await connections.connection_by_id(db, visit.site_id, waiting.connection_id)
        return Progress(
            "pending", approve_at=waiting.approve_at, off_site=waiting.off_site, way=row.adapter if row else None
        )
    if tried:
        return Progress("refused", reason=tried[-1].reason)
    return Progress("open")


async def _event(
    context: Context, db: Connection, visit: Visit, order_id: UUID, kind: str, body: dict[str, Any]
) -> None:
    event = EventRow(context.new_id(), visit.mode, order_id, kind, body, context.book_now())
    await order_events.add_event(db, visit.site_id, event)


def _money(order: OrderRow) -> dict[str, str]:
    return {"amount": format_amount(order.total, order.currency), "currency": order.currency}
