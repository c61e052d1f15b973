"""Invoices and receipts: given out once with the payment of an order, and read again as they were."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Literal
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.money import format_amount
from skurrow.core.order import read_order
from skurrow.core.papers.paper import KINDS, InNational, Paper, PaperKind, Payment, Sold
from skurrow.core.papers.papers import credit_note, kind_for, number_text, paper, series_for
from skurrow.core.payments import refunds
from skurrow.core.quote.quote import quote
from skurrow.gateway.protocol import Mode
from skurrow.gateway.registry import ADAPTERS
from skurrow.service.context import Context
from skurrow.service.draft import configuration, pictures
from skurrow.service.papers import paper_pdf, paper_ubl
from skurrow.service.refusals import NotFound
from skurrow.service.tax import official_rates
from skurrow.service.tax.place_names import place_name
from skurrow.store.book import Book
from skurrow.store.database import Connection, site_transaction
from skurrow.store.orders.charges import ChargeRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.orders.refunds import RefundRow
from skurrow.store.papers import papers
from skurrow.store.papers.papers import PaperRow
from skurrow.store.subscriptions.credits import CreditRow


async def issue(
    context: Context,
    book: Book,
    edition: Edition,
    order: OrderRow,
    charge: ChargeRow | None,
    adapter: str,
) -> None:
    """Gives out the paper of an order that is being paid, in the transaction that marks it so; or, without a charge,
    of one that is to be paid on invoice, or was paid with what the customer had left. An order that has its paper keeps
    it.

    Call it last: the number's series is locked from here to the end of the transaction.
    """
    if charge is not None and adapter == "invoice" and await papers.papers_of(book, order.id):
        return
    quoted = order.quote.get("set") or order.quote
    if not quoted["lines"]:  # a later payment of a set of instalments, which has its paper
        return
    on = context.book_now().astimezone(edition.site.site.zone).date()
    sold = Sold(
        code=order.code,
        mode="live" if order.mode == "live" else "test",
        buyer=order.buyer,
        quote=quoted,
        on=on,
        payment=_payment_of(context, edition, order, charge, adapter),
    )
    national = await _in_national(book.db, edition, quoted["tax_total"], order.currency, on)
    kind: PaperKind = "invoice" if sold.payment is None else kind_for(edition.site, order.buyer)
    await _give_out(
        context,
        book,
        edition,
        order,
        kind,
        on,
        lambda number: paper(edition, sold, number, national, place_name),
    )


def kind_of(edition: Edition, order: OrderRow, adapter: str = "") -> PaperKind:
    """The kind of the paper that an order gets, or has, by what it is paid with."""
    return "invoice" if adapter == "invoice" else kind_for(edition.site, order.buyer)


async def issue_cancellation(context: Context, book: Book, edition: Edition, order: OrderRow) -> None:
    """Gives out the credit note of an order on invoice that will not be paid: for all of it."""
    original = of_row((await papers.papers_of(book, order.id))[0])
    on = context.book_now().astimezone(edition.site.site.zone).date()
    left: dict[int | None, int] = {}
    parts = refunds.sold(edition, order.quote, [])
    for one in parts:
        left[one.line] = left.get(one.line, 0) + one.left
    asked = [refunds.Asked(line, format_amount(amount, order.currency)) for line, amount in left.items() if amount]
    given = [part.as_json(order.currency) for part in refunds.refund(parts, asked, order.currency)]
    await _give_out(
        context,
        book,
        edition,
        order,
        "credit_note",
        on,
        lambda number: credit_note(original, number, given, None, original.national, on),
    )


async def issue_credit_note(
    context: Context,
    book: Book,
    edition: Edition,
    order: OrderRow,
    charge: ChargeRow,
    refund: RefundRow,
    adapter: str,
) -> None:
    """Gives out the credit note of a refund, in the transaction that marks it made. Call it last, as above."""
    kept_papers = await _papers_for(book, order)
    if not kept_papers:
        return  # the order is older than papers are
    on = context.book_now().astimezone(edition.site.site.zone).date()
    original, payment = of_row(kept_papers[0]), _payment(charge, edition, adapter).model_copy(update={"on": on})
    tax = sum((Decimal(part["tax"]) for part in refund.parts), Decimal(0))
    national = official_rates.at_the_same_rate(original.national, tax) if original.national else None

    def written(number: str) -> Paper:
        return credit_note(original, number, refund.parts, payment, national)

    await _give_out(context, book, edition, order, "credit_note", on, written, refund.id)


async def issue_for_credit(context: Context, book: Book, edition: Edition, order: OrderRow, credit: CreditRow) -> None:
    """Gives out the credit note of unused time that was credited. Call it last, as above."""
    kept_papers = await _papers_for(book, order)
    if not kept_papers:
        return  # nothing was paid for it
    on = context.book_now().astimezone(edition.site.site.zone).date()
    original = of_row(kept_papers[0])
    tax = sum((Decimal(part["tax"]) for part in credit.parts), Decimal(0))
    national = official_rates.at_the_same_rate(original.national, tax) if original.national else None

    def written(number: str) -> Paper:
        return credit_note(original, number, credit.parts, None, national, on)

    await _give_out(context, book, edition, order, "credit_note", on, written, credit_id=credit.id)


async def _give_out(
    context: Context,
    book: Book,
    edition: Edition,
    order: OrderRow,
    kind: PaperKind,
    on: date,
    make: Callable[[str], Paper],
    refund_id: UUID | None = None,
    credit_id: UUID | None = None,
) -> None:
    series = series_for(edition.site, kind, on)
    number = await papers.next_number(book, series)
    written = number_text(order.mode, series, number)
    row = PaperRow(
        id=context.new_id(),
        mode=order.mode,
        series=series,
        number=number,
        kind=kind,
        order_id=order.id,
        written=written,
        document=make(written).model_dump(mode="json"),
        issued_on=on,
        at=context.book_now(),
        refund_id=refund_id,
        credit_id=credit_id,
    )
    await papers.add_paper(book.db, book.site_id, row)


@dataclass(frozen=True, slots=True)
class Drawn:
    """A paper as a file."""

    name: str
    media_type: str
    content: bytes


def of_row(row: PaperRow) -> Paper:
    """A paper as it was kept."""
    return Paper.model_validate(row.document)


async def as_file(context: Context, site_id: UUID, found: Paper, kind: Literal["pdf", "xml"]) -> Drawn:
    """A paper of a site to read and print, or for bookkeeping programs, made beside other requests. Raises NotFound
    where it cannot be had so."""
    if kind == "xml":
        return await asyncio.to_thread(as_ubl, found)
    logo = None
    if found.logo is not None:
        with contextlib.suppress(NotFound):
            logo = await pictures.content(context, site_id, found.logo)
    return await asyncio.to_thread(as_pdf, found, logo)


def as_pdf(found: Paper, logo: bytes | None = None) -> Drawn:
    """A paper to read and print, with the picture of its logo."""
    return Drawn(f"{_file_name(found)}.pdf", "application/pdf", paper_pdf.draw(found, logo))


def as_ubl(found: Paper) -> Drawn:
    """A paper for bookkeeping programs. Raises NotFound where EN 16931 has no way to say what it holds."""
    problem = paper_ubl.why_not(found)
    if problem is not None:
        raise NotFound(problem)
    return Drawn(f"{_file_name(found)}.xml", "application/xml", paper_ubl.write(found))


async def of_order(context: Context, site_id: UUID, mode: Mode, order_id: UUID) -> list[Paper]:
    """The papers of an order: that of the sale, then its credit notes."""
    async with site_transaction(context.pool, site_id) as db:
        return await kept(Book(db, site_id, mode), order_id)


async def kept(book: Book, order_id: UUID) -> list[Paper]:
    """The same within a transaction."""
    return [of_row(row) for row in await papers.papers_of(book, order_id)]


@dataclass(frozen=True, slots=True)
class NextNumber:
    """The number that the next paper of a kind gets, in each book."""

    kind: PaperKind
    live: str
    test: str


async def next_numbers(context: Context, site_id: UUID) -> list[NextNumber]:
    """What the draft's papers would be numbered today."""
    edition = (await configuration.draft(context, site_id)).edition
    on = context.now().astimezone(edition.site.site.zone).date()
    found = []
    async with site_transaction(context.pool, site_id) as db:
        for kind in KINDS:
            series = series_for(edition.site, kind, on)
            written = [
                number_text(mode, series, 1 + await papers.last_number(Book(db, site_id, mode), series))
                for mode in ("live", "test")
            ]
            found.append(NextNumber(kind, *written))
    return found


async def sample(context: Context, site_id: UUID, kind: PaperKind) -> Paper:
    """A paper as the draft would make it out, for an invented sale. Raises NotFound where nothing is sold yet."""
    edition = (await configuration.draft(context, site_id)).edition
    home, on = edition.site.site.country, context.now().astimezone(edition.site.site.zone).date()
    price = next((one for one in edition.prices.values() if one.price.offered and one.price.kind == "once"), None)
    if price is None or price.chosen is not None:
        raise NotFound("a sample needs a price that is paid once: add one under Products")
    asked = {
        "at": context.now(),
        "currency": edition.base,
        "items": [{"price": price.price.id, "quantity": price.price.at_counter.min}],
        "buyer": {"country": home, "region": None, "postal_code": None},
    }
    business = {"business": True, "company": "Sample & Daughters"} if kind == "invoice" else {}
    buyer = {"name": "Robin Sample", "email": "robin@mail.example", "country": home, **business}
    payment = Payment(on=on, way="card ending in 0000", reference="a sample")
    quoted = quote(edition, read_order(asked)).as_json()
    number = number_text("test", series_for(edition.site, kind, on), 1)
    sold = Sold("SAMPLE", "test", buyer, quoted, on, payment)
    if kind != "credit_note":
        return paper(edition, sold, number, None, place_name)
    corrected = number_text("test", series_for(edition.site, kind_for(edition.site, buyer), on), 1)
    parts = refunds.sold(edition, quoted, [])
    back = refunds.refund(parts, [refunds.Asked(0, quoted["lines"][0]["total"])], quoted["currency"])
    given = [part.as_json(quoted["currency"]) for part in back]
    return credit_note(paper(edition, sold, corrected, None, place_name), number, given, payment, None)


async def numbered(context: Context, site_id: UUID, mode: Mode, written: str) -> Paper:
    """A paper by its number in full. Raises NotFound."""
    async with site_transaction(context.pool, site_id) as db:
        found = await papers.paper_written(Book(db, site_id, mode), written)
    if found is None:
        raise NotFound("there is no such paper in this book")
    return of_row(found)


def paid_by(adapter: str, ending: str | None) -> str:
    """What a charge was paid by, in words that go after "by"."""
    way = ADAPTERS[adapter].paid_by
    if not ending:
        return way
    return f"{way} ending in {ending}" if adapter.endswith("cards") else f"{way} from the account ending in {ending}"


def _payment_of(
    context: Context, edition: Edition, order: OrderRow, charge: ChargeRow | None, adapter: str
) -> Payment | None:
    """How an order was paid: with a charge, with what the customer had left, or with both."""
    paid = None if charge is None else _payment(charge, edition, adapter)
    if not order.from_balance:
        return paid
    left = f"{format_amount(order.from_balance, order.currency)} {order.currency} of the balance"
    if paid is None:
        on = context.book_now().astimezone(edition.site.site.zone).date()
        return Payment(on=on, way=left, reference=order.code)
    return paid.model_copy(update={"way": f"{paid.way}, and {left}"})


def _payment(charge: ChargeRow, edition: Edition, adapter: str) -> Payment:
    way = paid_by(adapter, charge.card_ending)
    on = charge.charged_at.astimezone(edition.site.site.zone).date()
    return Payment(on=on, way=way, reference=charge.gateway_reference)


async def _papers_for(book: Book, order: OrderRow) -> list[PaperRow]:
    """The papers of an order or, of a later payment of a set of instalments, that of the set."""
    found = await papers.papers_of(book, order.id)
    if found or "set" not in order.quote or order.quote["set"]["lines"] or order.subscription_id is None:
        return found
    return await papers.papers_of_set(book, order.subscription_id, order.period or 0)


async def _in_national(db: Connection, edition: Edition, tax: str, currency: str, on: date) -> InNational | None:
    """The tax in the currency of the seller's country, where the paper's is another."""
    national = official_rates.national_currency(edition.site.site.country)
    if national is None or national == currency or Decimal(tax) == 0:
        return None
    return await official_rates.in_national(db, official_rates.Needed(tax, currency, national, on))


def _file_name(found: Paper) -> str:
    safe = "".join(c if c.isalnum() or c in "-_." else "-" for c in found.number)
    return f"{found.kind}-{safe}"
