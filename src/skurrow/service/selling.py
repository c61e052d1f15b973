"""Paying for a visit's order, once; what became of it; and the page of a paid order."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from psycopg import errors

from skurrow.core.edition import Edition
from skurrow.core.money import format_amount
from skurrow.core.order import QuoteRefused
from skurrow.core.papers import Paper
from skurrow.core.problems import Problem
from skurrow.core.quote import Quote
from skurrow.gateway.protocol import ChargeRequest, Mode, NeedsApproval, NoAnswer, NotAccepted, Outcome, Refused
from skurrow.service import addresses, holding, papers, settling, tax_numbers
from skurrow.service.configuration import edition_at
from skurrow.service.context import Context
from skurrow.service.gateways import connection_for, gateway_of
from skurrow.service.refusals import Closed, Conflict, NotFound, TooMany
from skurrow.service.visits import (
    NOTHING_CHOSEN,
    Buying,
    Choice,
    Counter,
    Priced,
    Visit,
    Where,
    counter_of,
    coupons_asked,
    left_at,
    number_of,
    price_for,
    read_visit,
)
from skurrow.store import orders
from skurrow.store.connections import ConnectionRow
from skurrow.store.database import Connection, site_transaction
from skurrow.store.orders import AttemptRow, EventRow, OrderRow

MOST_ATTEMPTS = 10
"""Cards that may be tried for one order."""

_CODE_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"


@dataclass(frozen=True, slots=True)
class Payment:
    """What the buyer asks to pay, and with what. `expected` is the amount that was shown to them, as a text; where
    it is nothing, no card and so no `token` is needed.

    `address` and `deliver_to` have the fields of the country's form; `seen_in` is the country that the connection seems
    to come from, and `lives_here` that the buyer has said which country is right.
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


State = Literal["none", "open", "pending", "refused", "paid"]


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a visit's order is. `confirmation` is the token of its page, once it is paid; `approve_at` is where the
    buyer approves the charge, while that is waited for."""

    state: State
    reason: str | None = None
    confirmation: str | None = None
    paid_at: datetime | None = None
    approve_at: str | None = None


@dataclass(frozen=True, slots=True)
class Confirmation:
    """What the confirmation page recounts."""

    site_name: str
    site_url: str
    colour: str
    order: OrderRow
    card_ending: str | None
    papers: list[Paper]


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
        connection = await connection_for(db, visit.site_id, visit.mode)
        left = await left_at(db, visit.site_id, visit.mode, edition, edition.checkouts[visit.checkout_id])
    if connection is None:
        raise Closed(f"{edition.site.site.name} cannot take payments at the moment.")
    return counter_of(context, visit, edition, connection, left), found


async def pay(context: Context, visit: Visit, payment: Payment) -> Progress:
    """Pays for the visit's order once. Raises QuoteRefused, Conflict (another amount was shown), Closed.

    The attempt is committed before the gateway is asked; the gateway is asked between transactions; what it says is
    committed afterwards. If this process dies in between, recovery finds the open attempt.
    """
    if payment.business and payment.tax_number:
        await tax_numbers.ask(context, visit.site_id, visit.mode, payment.tax_number, payment.country)
    async with site_transaction(context.pool, visit.site_id) as db:
        edition = await edition_at(context, db, visit.site_id, visit.change)
        priced = await _priced(context, db, edition, visit, payment)
        quoted = priced.quote
        due = format_amount(quoted.due_today, quoted.currency)
        connection = await connection_for(db, visit.site_id, visit.mode)
        order = await _order(context, db, visit, payment, priced)
        if order.state == "paid":
            return await _progress(context, db, visit, order)
        earlier = await orders.attempts_of(db, visit.site_id, visit.mode, order.id)
        if any(attempt.state == "open" for attempt in earlier):
            return await _progress(context, db, visit, order)
        if len(earlier) >= MOST_ATTEMPTS:
            raise TooMany("Too many cards were refused for this order. Nothing was charged.", 24 * 3600)
        if payment.expected != due:
            raise Conflict(f"The amount is {due} {quoted.currency} now.", quoted)
        if quoted.later:
            raise Closed("Skurrow cannot charge again later yet, so this cannot be paid. Nothing was charged.")
        if connection is None:
            raise Closed(f"{edition.site.site.name} cannot take payments at the moment.")
        _check_customer(quoted, payment)
        _check_place(edition, priced, payment)
        order = await _repriced(db, visit, order, payment, priced)
        await _hold(db, visit, order, edition, quoted, payment)
        if order.total == 0:
            await settling.paid_without_charge(context, db, visit.site_id, order)
            return await _progress(context, db, visit, replace(order, state="paid", paid_at=context.now()))
        if payment.token is None:
            raise QuoteRefused([Problem(("token",), "The card has not been typed", "Type the card", "missing")])
        attempt = await _open_attempt(context, db, visit, order, connection, payment.token)
    text = settling.statement_text(edition)
    request = ChargeRequest(attempt.id, attempt.amount, attempt.currency, payment.token, text)
    outcome: Outcome | NeedsApproval
    try:
        outcome = await gateway_of(context, connection).charge(request)
    except NoAnswer:
        await settling.ask_soon(context, visit.site_id, attempt.id)
        return Progress("pending")
    except NotAccepted:  # this was the first time the key was sent, so nothing can have moved under it
        outcome = Refused("not_accepted")
    if isinstance(outcome, NeedsApproval):
        await settling.wait_for_approval(context, visit.site_id, attempt.id, outcome)
    else:
        await settling.settle(context, visit.site_id, attempt.id, outcome)
    return await progress(context, visit)


async def progress(context: Context, visit: Visit) -> Progress:
    """How far the visit's order is."""
    async with site_transaction(context.pool, visit.site_id) as db:
        order = await orders.order_of_visit(db, visit.site_id, visit.mode, visit.id)
        return Progress("none") if order is None else await _progress(context, db, visit, order)


async def confirmation(context: Context, token: str) -> Confirmation:
    """What the page of a paid order recounts. Raises NotFound."""
    site_id, mode, order_id = _confirmed(context, token)
    async with site_transaction(context.pool, site_id) as db:
        order = await orders.order_by_id(db, site_id, mode, order_id)
        if order is None or order.state != "paid":
            raise NotFound("there is no such page")
        charges = await orders.charges_of(db, site_id, mode, order_id)
        shop = (await edition_at(context, db, site_id, order.change)).site.site
        kept = await papers.kept(db, site_id, mode, order_id)
    return Confirmation(shop.name, shop.url, shop.colour, order, charges[0].card_ending if charges else None, kept)


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


async def _priced(context: Context, db: Connection, edition: Edition, visit: Visit, payment: Payment) -> Priced:
    """What the order costs this customer, without the coupons that they can use no more."""
    asked = coupons_asked(edition, visit, payment.choice)
    used_up = await holding.used_up(db, visit.site_id, visit.mode, edition, payment.email, asked)
    number = await number_of(context, db, visit, payment.buying)
    return price_for(edition, visit, payment.buying, payment.choice, context.now(), used_up, number)


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
        if named is not None and payment.email.casefold() not in {one.casefold() for one in named}:
            message = f"“{line.name}” is for invited customers, and this address is not among them"
            raise QuoteRefused([Problem(("email",), message, "Use the address that was invited", "not_invited")])


async def _hold(
    db: Connection, visit: Visit, order: OrderRow, edition: Edition, quoted: Quote, payment: Payment
) -> None:
    """Holds stock and coupons for the order. Raises Conflict with what is short; the transaction is given up then."""
    wanted = [(line.item.price, line.item.variant, line.item.quantity) for line in quoted.lines]
    short = await holding.hold(db, visit.site_id, visit.mode, order.id, edition, wanted, quoted.coupons, payment.email)
    if short is None:
        return
    if short.coupon is not None:
        raise Conflict(f"The coupon {short.coupon} has just been used for the last time. Nothing was charged.")
    product = edition.product(short.product or "")
    name = product.name if product else "This"
    if short.left == 0:
        raise Conflict(f"“{name}” has just been sold out. Nothing was charged.")
    raise Conflict(f"Only {short.left} of “{name}” are left. Nothing was charged.")


def _wanted(priced: Priced) -> dict[str, Any]:
    items = [line.item.model_dump(mode="json", exclude_none=True) for line in priced.quote.lines]
    way = {} if priced.way is None else {"delivery": priced.way}
    return {"items": items, "coupons": list(priced.quote.coupons), **way}


def _buyer(payment: Payment, priced: Priced) -> dict[str, Any]:
    """What is kept of the buyer, with the evidence of where they are."""
    found: dict[str, Any] = {"email": payment.email, "name": payment.name, "country": payment.country}
    address = {name: text.strip() for name, text in payment.address.items() if text and text.strip()}
    if address:
        found["address"] = address
    if payment.deliver_to is not None and any(way.id == priced.way and not way.pick_up for way in priced.ways):
        found["deliver_to"] = {name: text.strip() for name, text in payment.deliver_to.items() if text and text.strip()}
    if payment.business:
        found["business"] = True
        if payment.company and payment.company.strip():
            found["company"] = payment.company.strip()
        if priced.number is not None:
            number = priced.number
            found["tax_number"] = number.number
            found["tax_number_check"] = {"answer": number.state, "name": number.name, "reference": number.reference}
    evidence = {"declared": payment.country, "connection": payment.seen_in, "confirmed": payment.lives_here or None}
    found["evidence"] = {name: value for name, value in evidence.items() if value is not None}
    return found


async def _order(context: Context, db: Connection, visit: Visit, payment: Payment, priced: Priced) -> OrderRow:
    """The visit's order, locked; made now if there is none."""
    now, quoted = context.now(), priced.quote
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
        quote=quoted.as_json(),
        created_at=now,
        paid_at=None,
        wanted=_wanted(priced),
    )
    if await orders.add_order(db, visit.site_id, order):
        await _event(context, db, visit, order.id, "order.placed", _money(order))
    found = await orders.order_of_visit(db, visit.site_id, visit.mode, visit.id, lock=True)
    assert found is not None
    return found


async def _repriced(db: Connection, visit: Visit, order: OrderRow, payment: Payment, priced: Priced) -> OrderRow:
    """The order with what the buyer has typed since it was made."""
    quoted = priced.quote
    changed = replace(
        order,
        buyer=_buyer(payment, priced),
        currency=quoted.currency,
        total=quoted.due_today,
        quote=quoted.as_json(),
        wanted=_wanted(priced),
    )
    if changed == order:
        return order
    await orders.reprice_order(db, visit.site_id, changed)
    return changed


async def _open_attempt(
    context: Context, db: Connection, visit: Visit, order: OrderRow, connection: ConnectionRow, token: str
) -> AttemptRow:
    now = context.now()
    attempt = AttemptRow(
        id=context.new_id(),
        mode=order.mode,
        order_id=order.id,
        connection_id=connection.id,
        currency=order.currency,
        amount=order.total,
        state="open",
        reason=None,
        sealed_token=context.vault.seal(token),
        opened_at=now,
        closed_at=None,
        ask_at=now + context.settings.first_ask,
        asks=0,
    )
    try:
        await orders.add_attempt(db, visit.site_id, attempt)
    except errors.UniqueViolation:
        raise Conflict("This order is being paid for at this moment.") from None
    await _event(
        context,
        db,
        visit,
        order.id,
        "charge.attempted",
        {"attempt": str(attempt.id), **_money(order)},
    )
    return attempt


async def _progress(context: Context, db: Connection, visit: Visit, order: OrderRow) -> Progress:
    if order.state == "paid":
        token = context.signer.sign("confirmation", {"s": str(visit.site_id), "m": order.mode, "o": str(order.id)})
        return Progress("paid", confirmation=token, paid_at=order.paid_at)
    attempts = await orders.attempts_of(db, visit.site_id, visit.mode, order.id)
    if any(attempt.state == "paid" for attempt in attempts):  # since the order was read
        paid = await orders.order_by_id(db, visit.site_id, visit.mode, order.id)
        assert paid is not None
        return await _progress(context, db, visit, paid)
    waiting = next((attempt for attempt in attempts if attempt.state == "open"), None)
    if waiting is not None:
        return Progress("pending", approve_at=waiting.approve_at)
    if attempts:
        return Progress("refused", reason=attempts[-1].reason)
    return Progress("open")


async def _event(
    context: Context, db: Connection, visit: Visit, order_id: UUID, kind: str, body: dict[str, Any]
) -> None:
    event = EventRow(context.new_id(), visit.mode, order_id, kind, body, context.now())
    await orders.add_event(db, visit.site_id, event)


def _money(order: OrderRow) -> dict[str, str]:
    return {"amount": format_amount(order.total, order.currency), "currency": order.currency}
