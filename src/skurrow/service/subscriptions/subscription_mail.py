"""Mails to customers about their subscriptions, put by in the transaction in which what they tell of happens.

Each has a plain and an HTML form, in the buyer's language where it is one of ours, and is put by once: its key names
the subscription, what happened, and when.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any
from uuid import UUID

from skurrow.core.durations import duration_words, later, parse_duration
from skurrow.core.edition import Edition
from skurrow.core.money import parse_amount
from skurrow.core.subscriptions.life import Life, last_day_of
from skurrow.service.context import Context
from skurrow.service.mail import mail
from skurrow.service.mail.letters import (
    Letter,
    account_address,
    confirmation_address,
    day,
    hello,
    letterhead,
    money,
    own_words,
    said_name,
    write,
)
from skurrow.service.mail.mail_words import MAILS, language_of, locale_of, plain
from skurrow.store.book import Book
from skurrow.store.draft import sites
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

TO_PAY = frozenset({"charge_failed", "approval_asked"})
"""Mails whose link leads to paying, without signing in."""

TO_PAPER = frozenset({"charged", "paid_off"})
"""Mails whose link leads to the page of the charge, with its paper."""


async def tell(
    context: Context,
    book: Book,
    edition: Edition,
    row: SubscriptionRow,
    kind: str,
    body: Mapping[str, Any],
    next_total: tuple[date, int] | None = None,
) -> None:
    """Puts a mail by about what happened to a subscription, if there is one for it. `next_total` is the day and amount
    of its next charge; `body` may hold the `minor` amount, the `order_id`, a `reason`, what is `kept`, and a `key`."""
    if kind_of(row, kind) not in MAILS["en"]:
        return
    site = await sites.site(book.db, book.site_id)
    assert site is not None
    account = account_address(context, site.code, row.mode)
    link = _link(context, book.site_id, row, kind, body, account)
    letter = letter_of(edition, row, kind, body, next_total, link, account)
    at = context.book_now()
    key = f"subscription {row.id} {kind} {body.get('order') or body.get('key') or at.isoformat(timespec='seconds')}"
    await mail.put_by_for_customer(
        context, book, edition, key, row.kept_buyer.email, letter, papers_of=body.get("order_id")
    )


def letter_of(
    edition: Edition,
    row: SubscriptionRow,
    kind: str,
    body: Mapping[str, Any],
    next_total: tuple[date, int] | None,
    link: str,
    account: str,
) -> Letter:
    """The mail about what happened to a subscription: its button leads to `link`, its customer looks after it at
    `account`."""
    life = Life.model_validate(row.life)
    language, locale = (of(row.kept_buyer.language) for of in (language_of, locale_of))
    facts = _facts(edition, row, life, (language, locale), kind, body, next_total)
    words = MAILS[language][kind_of(row, kind)]
    # Said once: the button of most mails leads to the account page.
    foot = "" if words.button and link == account else plain(language, "account", address=account)
    named = {
        "buyer.name": said_name(row.kept_buyer.name),
        "thing": facts["name"],
        "shop.name": facts["shop"],
        **{name: facts[name] for name in ("amount", "day", "card", "plan")},
    }
    own = own_words(edition, kind_of(row, kind), language, named)
    greeting = hello(language, row.kept_buyer.name)
    return write(words, facts, letterhead(edition, language), greeting, link, foot, own=own)


def kind_of(row: SubscriptionRow, kind: str) -> str:
    """Which mail tells of what happened: a trial that ends without a card has one of its own."""
    return "trial_ends_without_card" if kind == "trial_ends" and row.sealed_on_file is None else kind


# -- within -----------------------------------------------------------------------------------------------


def _facts(
    edition: Edition,
    row: SubscriptionRow,
    life: Life,
    written: tuple[str, str],
    kind: str,
    body: Mapping[str, Any],
    next_total: tuple[date, int] | None,
) -> dict[str, str]:
    language, locale = written
    rules = edition.site.subscriptions
    of: date | None = life.until
    if kind == "charge_failed" and life.failing_since is not None:
        of = later(life.failing_since, 0, rules.grace)
    elif kind == "card_expires" and life.card_expires is not None:
        of = last_day_of(life.card_expires)
    elif kind == "cancelled":
        of = life.ends_on or life.ended_on
    minor = body.get("minor")
    amount = money(int(minor), row.currency, locale) if minor is not None else ""
    coming = ""
    if next_total is not None:
        coming = plain(
            language, "next", amount=money(next_total[1], row.currency, locale), day=day(next_total[0], locale)
        )
    return {
        "name": life.terms.name,
        "shop": edition.site.site.name,
        "amount": amount,
        "alone": "" if body.get("beside") else amount,
        "order": str(body.get("order", "")).split(" ")[0] if body.get("beside") else "",
        "kept": money(parse_amount(str(body["kept"]), row.currency), row.currency, locale) if "kept" in body else "",
        "day": day(of, locale) if of is not None else "",
        "next": coming,
        "card": row.card_ending or "",
        "reason": plain(language, str(body.get("reason") or "other")),
        "plan": str(body["plan"]),
    }


def plan_of(edition: Edition, price: str) -> str:
    """What buyers call a plan."""
    found = edition.prices.get(price)
    if found is None:
        return price
    if found.price.label:
        return found.price.label
    every = duration_words(parse_duration(found.price.every)) if found.price.every else ""
    return f"{found.product.name}, every {every}" if every else found.product.name


def _link(
    context: Context, site_id: UUID, row: SubscriptionRow, kind: str, body: Mapping[str, Any], account: str
) -> str:
    if kind in TO_PAY:
        token = context.signer.sign("renewal", {"s": str(site_id), "m": row.mode, "i": str(row.id)})
        return f"{context.settings.counter_url}/renewal/{token}"
    if kind in TO_PAPER and body.get("order_id"):
        return confirmation_address(context, site_id, row.mode, UUID(str(body["order_id"])))
    return account
