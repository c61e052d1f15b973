"""Mails about an order, put by in the transaction in which what they tell of happens: to its buyer, in their language,
and a note of each sale to the owners.

Each is put by once: its key names the order and what happened. What begins a subscription, and what that is charged
later, has mails of its own (`service/subscriptions/subscription_mail.py`).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from decimal import Decimal

from skurrow.core.edition import Edition
from skurrow.core.money import format_amount, parse_amount
from skurrow.core.papers.paper import PaperKind
from skurrow.core.payments.refunds import refund_until
from skurrow.core.quote.kept import KeptLine, KeptQuote
from skurrow.gateway.registry import account_from
from skurrow.service import addresses
from skurrow.service.context import Context
from skurrow.service.draft import configuration
from skurrow.service.mail import mail
from skurrow.service.mail.letters import (
    Letter,
    Row,
    account_address,
    confirmation_address,
    day,
    hello,
    holds_address,
    letterhead,
    moment,
    money,
    own_words,
    said_name,
    write,
)
from skurrow.service.mail.mail_words import MAILS, language_of, locale_of, plain
from skurrow.service.orders.transfer_slips import to_whom
from skurrow.store.book import Book
from skurrow.store.draft import sites
from skurrow.store.orders import attempts
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.give_backs import GiveBackRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.papers.papers import PaperRow
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.people import members

_WAITS = {"transfer": "order_to_transfer", "invoice": "order_on_invoice", "collection": "order_to_collect"}

REMINDED = frozenset({"transfer", "invoice"})
"""What people pay by themselves until a day; what is paid on collection waits for them."""

MOST_UNPAID = 5
"""Mails an hour to one mailbox about orders that wait for their money: whoever typed it need not be whose it is."""


@dataclass(frozen=True, slots=True)
class Told:
    """What a mail tells beside the order: an `amount` in minor units (None: the order's total), a day, why something
    was refused, what to write on a transfer, where a parcel can be followed, what was `sent` and what follows
    by its names (nothing follows: the whole), and the `papers` that are attached, or the
    kind of `paper` that is given out with it; what somebody has said, `quoted`, and when, `at`. `key` tells one from
    another of the same kind."""

    amount: int | None = None
    on: date | None = None
    reason: str | None = None
    slip: tuple[str, str, str] | None = None
    follow: str = ""
    sent: tuple[list[str], list[str]] = ([], [])
    papers: list[PaperRow] = field(default_factory=list)
    paper: PaperKind | None = None
    quoted: str = ""
    at: datetime | None = None
    key: str = ""


async def paid(
    context: Context, book: Book, edition: Edition, order: OrderRow, paper: PaperKind | None, record: str | None = None
) -> None:
    """An order was paid: the buyer is thanked and told what comes next, unless all of it begins subscriptions, whose
    mails do that; the owners read of the sale. `paper` is given out with it, `record` is where the gateway has its own
    record of the charge. Call it before the paper is given out: its series is locked from then on."""
    if order.subscription_id is not None:
        return
    begun = {plan.line for plan in order.kept.wanted.subscriptions}
    if any(line not in begun for line in range(len(order.kept.quote.lines))):
        await tell(context, book, edition, order, "order_paid", Told(paper=paper))
    await tell_owners(context, book, edition, order, record)


async def waits(
    context: Context,
    book: Book,
    edition: Edition,
    order: OrderRow,
    attempt: AttemptRow,
    row: ConnectionRow,
    on: date | None,
) -> None:
    """An order stands and waits for its money, until a day by which it is to be paid or is expected. What is paid on
    invoice gets that now. Nobody has a mailbox filled by orders that they never pay."""
    if order.subscription_id is not None:
        return
    lately = await attempts.lately_of(book, order.customer, context.now() - timedelta(hours=1))
    if lately > MOST_UNPAID * context.settings.leeway:
        return
    kind = _WAITS.get(row.adapter, "order_debit")
    paper: PaperKind | None = "invoice" if row.adapter == "invoice" else None
    told = Told(on=on, slip=_slip_of(order, row), paper=paper, key=str(attempt.id))
    await tell(context, book, edition, order, kind, told)
    await tell_owners(context, book, edition, order, None)


async def tell(context: Context, book: Book, edition: Edition, order: OrderRow, kind: str, told: Told) -> None:
    """Puts a mail by about what happened to an order: what it says of the sale is of then, its look and the owner's
    words are of today."""
    if kind not in _AT_ONCE:
        edition = await _in_todays_words(context, book, edition, order)
    link = told.follow or confirmation_address(context, book.site_id, order.mode, order.id)
    if kind == "order_not_paid":
        code = await sites.address_of(book.db, book.site_id, order.checkout_id)
        link = f"{context.settings.counter_url}/buy/{code}" if code else ""
    site = await sites.site(book.db, book.site_id)
    assert site is not None
    account = account_address(context, site.code, order.mode)
    key = f"order {order.id} {kind} {told.key}".strip()
    attached = [one.id for one in told.papers]
    of = order.id if told.paper else None
    letter = letter_of(edition, order, kind, told, link, account)
    await mail.put_by_for_customer(context, book, edition, key, order.kept.buyer.email, letter, attached, of)


def letter_of(edition: Edition, order: OrderRow, kind: str, told: Told, link: str, account: str) -> Letter:
    """The mail about what happened to an order: its button leads to `link`, all that was bought stands at `account`."""
    kept, shop = order.kept, edition.site.site
    language, locale = (of(kept.buyer.language) for of in (language_of, locale_of))
    amount = order.total if told.amount is None else told.amount
    facts = {
        "code": order.code,
        "shop": shop.name,
        "amount": money(amount, order.currency, locale) if amount else "",
        "nothing": "" if amount else plain(language, "nothing_due"),
        "day": day(told.on, locale) if told.on else "",
        "reason": plain(language, told.reason) if told.reason else "",
        "slip": _slip(told.slip, language),
        **_sent(told.sent, language),
        "attached": " ".join(
            plain(language, f"attached_{one}") for one in [*(paper.kind for paper in told.papers), told.paper] if one
        ),
        **_next(edition, order, language),
        "promise": _promise(edition, order, (language, locale)) if kind == "order_paid" else "",
        "quoted": f"“{told.quoted}”" if told.quoted else "",
        "at": moment(told.at.astimezone(shop.zone), locale) if told.at else "",
        "ask": plain(language, "ask", email=asks) if (asks := mail.answers_to(edition)) else "",
    }
    words = MAILS[language][kind]
    if told.follow:
        words = words._replace(button=plain(language, "where"))
    rows = _rows(edition, order, (language, locale)) if kind in _WITH_ROWS else []
    foot = plain(language, "bought", address=account)
    named = {
        "buyer.name": said_name(kept.buyer.name),
        "order.code": order.code,
        "order.things": kept.what,
        "shop.name": shop.name,
        "amount": facts["amount"],
        "day": facts["day"],
    }
    own = own_words(edition, kind, language, named)
    return write(words, facts, letterhead(edition, language), hello(language, kept.buyer.name), link, foot, rows, own)


async def remind(
    context: Context,
    book: Book,
    edition: Edition,
    order: OrderRow,
    attempt: AttemptRow,
    row: ConnectionRow,
    on: date,
) -> None:
    """An order still waits for its money, some days before it has to be there."""
    if order.subscription_id is None and row.adapter in REMINDED:
        told = Told(on=on, slip=_slip_of(order, row), key=str(attempt.id))
        await tell(context, book, edition, order, "order_reminder", told)


def _slip_of(order: OrderRow, row: ConnectionRow) -> tuple[str, str, str] | None:
    """Holder, account and reference of a transfer for an order."""
    return to_whom(account_from(row.account).details, order.code) if row.adapter == "transfer" else None


async def tell_owners(context: Context, book: Book, edition: Edition, order: OrderRow, record: str | None) -> None:
    """Puts a note of a sale by for every owner, once, when it is paid or when it stands and waits."""
    site = await sites.site(book.db, book.site_id)
    assert site is not None
    owners = [one for one in await members.members(book.db, book.site_id) if one.role == "owner"]
    if not owners or not edition.site.mails.note_owners:
        return
    buyer, rows = order.kept.buyer, _rows(edition, order, ("en", "en_GB"))
    due = f"{order.currency} {format_amount(order.total, order.currency)}"
    state = "" if order.state == "paid" or record else " It waits for its money."
    at_desk = f"{context.settings.desk_url}/s/{site.code}/orders/{order.mode}/{order.code}"
    text = "\n\n".join(
        [
            f"{buyer.name} ({buyer.email}) has bought something for {due}.{state}",
            "\n".join(f"{row.label}: {row.amount}" for row in rows),
            f"The order {order.code}: {at_desk}",
            *([f"The gateway's record of the charge: {record}"] if record else []),
        ]
    )
    subject = f"{'[Test] ' if book.mode == 'test' else ''}Sale of {due}: {order.kept.what}"
    for one in owners:
        key = f"order {order.id} sale {one.person_id}"
        at = context.book_now() if book.mode == "test" else None
        await mail.put_by(
            context, book.db, book.site_id, key, one.email, subject[:200], f"{text}\n", None, "Skurrow", at
        )


async def tell_owners_of_give_back(context: Context, book: Book, row: GiveBackRow) -> None:
    """Puts a note by for every owner: a buyer gives something back, which somebody has to look after."""
    site = await sites.site(book.db, book.site_id)
    assert site is not None
    at_desk = f"{context.settings.desk_url}/s/{site.code}/asked-back/{row.mode}"
    of = f"the order {row.order_code}" if row.order_code else "an order that is not known by what they typed"
    text = f"{row.name} ({row.email}) gives something back of {of}:\n\n{row.what}\n\n{at_desk}\n"
    subject = f"{'[Test] ' if row.mode == 'test' else ''}Asked back: {row.order_code or row.code}"
    at = row.at if row.mode == "test" else None
    for one in await members.members(book.db, book.site_id):
        if one.role == "owner":
            key = f"give back {row.id} {one.person_id}"
            await mail.put_by(context, book.db, book.site_id, key, one.email, subject, text, None, "Skurrow", at)


# -- within -----------------------------------------------------------------------------------------------


async def _in_todays_words(context: Context, book: Book, edition: Edition, order: OrderRow) -> Edition:
    """The edition that an order was sold under, with logo, colour and mails as buyers meet them now."""
    change, _ = await configuration.met(book)
    if change == order.change:
        return edition
    now = (await configuration.edition_at(context, book.db, book.site_id, change)).site
    shop = edition.site.site.model_copy(update={"logo": now.site.logo, "colour": now.site.colour})
    return replace(edition, site=edition.site.model_copy(update={"site": shop, "mails": now.mails}))


_AT_ONCE = frozenset({"order_paid", "order_debit", *_WAITS.values()})
"""Mails that follow a press of Pay: their buyer has just met the edition of the order."""

_WITH_ROWS = frozenset({"order_paid", "order_debit", "order_sent", *_WAITS.values()})


def _slip(slip: tuple[str, str, str] | None, language: str) -> str:
    if slip is None:
        return ""
    holder, iban, reference = slip
    return plain(language, "slip", holder=holder, iban=iban, reference=reference)


def _sent(sent: tuple[list[str], list[str]], language: str) -> dict[str, str]:
    """What went into a parcel, and what comes in another one."""
    inside, rest = sent
    if not inside:
        return {"sent": plain(language, "sent_whole"), "rest": ""}
    told = plain(language, "sent_part", names="; ".join(inside))
    return {"sent": told, "rest": plain(language, "sent_rest", names="; ".join(rest)) if rest else ""}


def _next(edition: Edition, order: OrderRow, language: str) -> dict[str, str]:
    """What comes next of what was bought: where a parcel goes, that it is collected, or that the shop writes."""
    kept, shop = order.kept, edition.site.site.name
    bought = [edition.prices[line.price] for line in kept.quote.lines if line.price in edition.prices]
    others = dict.fromkeys(one.product.name for one in bought if one.what.kind != "goods")
    goods = any(one.what.kind == "goods" for one in bought)
    is_collected = collected(edition, order)
    sent = goods and not is_collected and kept.quote.delivery is not None
    to = ", ".join(_parcel(kept.buyer.deliver_to, order)) if sent else ""
    if not order.total and holds_address(to):  # nothing was paid for having it said
        to = ""
    return {
        "parcel": plain(language, "parcel", address=to) if to else "",
        "collect": plain(language, "collect", shop=shop) if goods and is_collected else "",
        "writes": plain(language, "writes", shop=shop, names=", ".join(others)) if others else "",
    }


def collected(edition: Edition, order: OrderRow) -> bool:
    """Whether what was bought is collected."""
    method = order.wanted.get("delivery")
    zones = edition.site.delivery.zones
    return any(one.pick_up for zone in zones for one in zone.methods if one.id == method)


def _parcel(to: Mapping[str, str] | None, order: OrderRow) -> list[str]:
    buyer = order.kept.buyer
    given = to or buyer.address
    return addresses.lines((to or {}).get("country") or buyer.country, given, (to or {}).get("name") or buyer.name)


def _promise(edition: Edition, order: OrderRow, written: tuple[str, str]) -> str:
    """Until when what was bought can be given back, by the shop's promise."""
    language, locale = written
    if order.paid_at is None:
        return ""
    on = order.paid_at.astimezone(edition.site.site.zone).date()
    days = [(line.name, refund_until(edition, line.price, on)) for line in order.kept.quote.lines]
    said = [plain(language, "give_back", name=name, day=day(until, locale)) for name, until in days if until]
    return " ".join(said)


def _rows(edition: Edition, order: OrderRow, written: tuple[str, str]) -> list[Row]:
    """What an order comes to, as its summary at the counter: nothing is reckoned here."""
    language, locale = written
    quoted: KeptQuote = order.kept.quote

    def amount(text: str) -> str:
        return money(parse_amount(text.lstrip("-"), order.currency), order.currency, locale)

    rows = [
        Row(
            f"{line.quantity} × {line.name}" if line.quantity > 1 else line.name,
            amount(line.subtotal or line.total),
            picture=_picture(edition, line),
        )
        for line in quoted.lines
    ]
    rows += [
        Row(f"{one.name}, {one.words}" if one.words else one.name, f"-{amount(one.amount)}")
        for one in quoted.discounts
        if Decimal(one.amount)
    ]
    if quoted.delivery is not None and quoted.delivery.amount is not None:
        costs = quoted.delivery.amount
        rows.append(Row(quoted.delivery.name, amount(costs) if Decimal(costs) else plain(language, "free")))
    if Decimal(quoted.untaxed_total):
        rows.append(Row(plain(language, "untaxed"), f"-{amount(quoted.untaxed_total)}"))
    word = "tax_within" if quoted.tax_included else "tax_added"
    for tax in quoted.taxes:
        if Decimal(tax.amount):
            name = f"{tax.name} {(Decimal(tax.rate) * 100).normalize():f} % ({tax.place})"
            rows.append(Row(plain(language, word, tax=name), amount(tax.amount)))
    return [*rows, Row(plain(language, "total"), money(order.total, order.currency, locale), strong=True)]


def _picture(edition: Edition, line: KeptLine) -> str | None:
    """The name of what a line's thing looks like, in its variant, where mails show that."""
    priced = edition.prices.get(line.price)
    if priced is None or not edition.site.mails.pictures:
        return None
    variant = next((one for one in priced.product.variants if one.id == line.variant), None)
    shown = (variant and variant.picture) or priced.product.picture
    return shown.name if shown else None
