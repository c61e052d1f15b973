"""An order as it is written down when it is placed: what is asked for, by whom, and what it comes to."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from skurrow.core.edition import Edition
from skurrow.core.money import amount_writer
from skurrow.core.quote.kept import KeptCheck
from skurrow.core.quote.sets import documented
from skurrow.core.quote.written import Quote
from skurrow.core.subscriptions.terms import begins_plan, promised_later, terms_of
from skurrow.gateway.protocol import Seen
from skurrow.service import telephones
from skurrow.service.codes import new_code
from skurrow.service.context import Context
from skurrow.service.counter.payment import Payment
from skurrow.service.counter.pricing import Priced, number_of, price_for
from skurrow.service.counter.visit import Visit
from skurrow.service.events import money, record
from skurrow.service.orders import holding
from skurrow.service.refusals import Conflict
from skurrow.store.book import Book
from skurrow.store.database import Connection
from skurrow.store.orders import orders
from skurrow.store.orders.orders import OrderRow


def planned(edition: Edition, quoted: Quote, delivery: str | None) -> list[dict[str, Any]]:
    """What an order will begin: the terms of each line that is charged again later, to be kept with the order."""
    found = []
    for i, line in enumerate(quoted.lines):
        if not begins_plan(line):
            continue
        charged = line.charged
        begun = charged.today or charged.priced.rhythm.free
        terms = terms_of(edition, quoted, i, delivery)
        plan: dict[str, Any] = {"line": i, "counted_from": charged.counted_from.isoformat(), "begun": begun}
        if terms.plans > 1:
            written = amount_writer(quoted.currency)
            parts = promised_later(quoted, i)
            plan["later"] = [{"on": on.isoformat(), "total": written(total)} for on, total in parts]
        found.append({**plan, "terms": terms.model_dump(mode="json")})
    return found


def quote_json(priced: Priced) -> dict[str, Any]:
    """A quote as its order keeps it. What begins sets of instalments says how they are documented."""
    written, of_sets = priced.quote.as_json(), documented(priced.quote)
    return written if of_sets is None else {**written, "set": of_sets}


def needs_card(edition: Edition, quoted: Quote) -> bool:
    """Whether something has to be kept on file when a quote is paid: not for trials that take a card later."""
    starts = [line.charged.priced.price.start for line in quoted.lines if begins_plan(line)]
    return any(start is None or start.card == "at_order" for start in starts)


async def priced_now(
    context: Context, db: Connection, edition: Edition, visit: Visit, payment: Payment, asked: list[str]
) -> Priced:
    """What the order costs this customer, without the coupons that they can use no more."""
    known = await holding.known_of(Book(db, visit.site_id, visit.mode), edition, payment.customer, asked)
    buyer = payment.buyer.as_buyer()
    number = await number_of(context, db, visit, buyer)
    return price_for(edition, visit, buyer, payment.choice, context.book_now(), known, number)


async def hold_all(
    db: Connection, visit: Visit, order: OrderRow, edition: Edition, quoted: Quote, payment: Payment
) -> None:
    """Holds stock and coupons for the order. Raises Conflict with what is short; the transaction is given up then."""
    wanted = [(line.item.price, line.item.variant, line.item.quantity) for line in quoted.lines]
    short = await holding.hold(
        Book(db, visit.site_id, visit.mode), order.id, edition, wanted, quoted.coupons, payment.customer
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


def _wanted(edition: Edition, priced: Priced) -> dict[str, Any]:
    items = [line.item.model_dump(mode="json", exclude_none=True) for line in priced.quote.lines]
    way = {} if priced.way is None else {"delivery": priced.way}
    found = {"items": items, "coupons": list(priced.quote.coupons), **way}
    begins = planned(edition, priced.quote, priced.way)
    return {**found, "subscriptions": begins} if begins else found


def _buyer(payment: Payment, priced: Priced, seen: Seen | None) -> dict[str, Any]:
    """What is kept of the buyer: as typed, as far as this order depends on it, with the evidence of where they are."""
    buyer, number = payment.buyer, priced.number
    sent = priced.sent
    rings = buyer.telephone if sent and sent.telephone else None
    is_known = buyer.business and number is not None
    check = KeptCheck(answer=number.state, name=number.name, reference=number.reference) if number else KeptCheck()
    kept = buyer.model_copy(
        update={
            "deliver_to": buyer.deliver_to if sent else None,
            "telephone": rings and telephones.dialled(rings, buyer.parcel_country),
            "company": buyer.company if buyer.business else None,
            "tax_number": number.number if number is not None and is_known else None,
            "tax_number_check": check if is_known else KeptCheck(),
            "evidence": buyer.evidence.model_copy(update={"card": seen.country if seen else None}),
        }
    )
    return kept.model_dump(mode="json", exclude_defaults=True)


def order_as_typed(
    context: Context, edition: Edition, visit: Visit, payment: Payment, priced: Priced, seen: Seen | None
) -> OrderRow:
    """The order as this press of Pay asks for it, with the evidence that the gateway has of the card."""
    quoted = priced.quote
    return OrderRow(
        id=context.new_id(),
        mode=visit.mode,
        visit=visit.id,
        code=new_code(),
        checkout_id=visit.checkout_id,
        change=visit.change,
        release=visit.release,
        state="open",
        buyer=_buyer(payment, priced, seen),
        currency=quoted.currency,
        total=quoted.due_today,
        quote=quote_json(priced),
        created_at=context.book_now(),
        paid_at=None,
        wanted=_wanted(edition, priced),
        customer=payment.customer,
    )


async def placed(context: Context, book: Book, order: OrderRow) -> OrderRow:
    """The order of its visit, locked: this one where there was none, and then it is written."""
    if await orders.add_order(book.db, book.site_id, order):
        await record(context, book.db, book.site_id, order, "order.placed", money(order.total, order.currency))
        return order
    found = await orders.order_of_visit(book, order.visit, lock=True)
    assert found is not None
    return found


async def brought_up_to_date(book: Book, order: OrderRow, as_typed: OrderRow) -> OrderRow:
    """An order with what the buyer has typed since it was placed."""
    if as_typed is order:
        return order
    changed = replace(
        order,
        buyer=as_typed.buyer,
        currency=as_typed.currency,
        total=as_typed.total,
        quote=as_typed.quote,
        wanted=as_typed.wanted,
        customer=as_typed.customer,
    )
    if changed == order:
        return order
    await orders.reprice_order(book.db, book.site_id, changed)
    return changed
