"""Mails to customers about their subscriptions, put by in the transaction in which what they tell of happens.

Each has a plain and an HTML form, in the buyer's language where it is one of ours, and is put by once: its key names
the subscription, what happened, and when.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from string import Formatter
from typing import Any
from uuid import UUID

from babel.dates import format_date
from babel.numbers import format_currency
from jinja2 import Environment, FileSystemLoader, select_autoescape

from skurrow.core.durations import duration_words, later, parse_duration
from skurrow.core.edition import Edition
from skurrow.core.money import MINOR_UNITS, parse_amount
from skurrow.core.subscriptions.life import Life, last_day_of
from skurrow.service.context import Context
from skurrow.service.mail import mail
from skurrow.service.mail.mail_words import FOLDER, MAILS, Words, language_of, locale_of, plain
from skurrow.store.book import Book
from skurrow.store.draft import sites
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

_PAGES = Environment(loader=FileSystemLoader(FOLDER), autoescape=select_autoescape(["html"]))

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
    life = Life.model_validate(row.life)
    language, locale = (of(row.kept_buyer.language) for of in (language_of, locale_of))
    key_kind = "trial_ends_without_card" if kind == "trial_ends" and row.sealed_on_file is None else kind
    words = MAILS[language].get(key_kind)
    if words is None:
        return
    shop, facts = edition.site.site, _facts(edition, row, life, (language, locale), kind, body, next_total)
    site = await sites.site(book.db, book.site_id)
    assert site is not None
    account = account_address(context, site.code, row.mode)
    link = _link(context, book.site_id, row, kind, body, account)
    hello = plain(language, "hello", name=row.kept_buyer.name)
    # Said once: the button of most mails leads to the account page.
    foot = "" if words.button and link == account else plain(language, "account", address=account)
    subject, text, page = write(words, facts, shop.name, shop.colour, hello, link, foot, language)
    at = context.book_now()
    key = f"subscription {row.id} {kind} {body.get('order') or body.get('key') or at.isoformat(timespec='seconds')}"
    is_test = row.mode == "test"
    await mail.put_by(
        context, book.db, book.site_id, key, row.kept_buyer.email, f"{'[Test] ' if is_test else ''}{subject}", text,
        page, shop.name, at if is_test else None,
    )  # fmt: skip


def write(
    words: Words,
    facts: Mapping[str, str],
    shop: str,
    colour: str,
    hello: str,
    link: str,
    foot: str,
    language: str,
) -> tuple[str, str, str]:
    """A mail's subject, its plain text and its HTML. Sentences without their facts are left out."""
    said = [one.format(**facts) for one in words.sentences if all(facts[name] for name in _named(one))]
    subject = words.subject.format(**facts)
    button = f"{words.button}: {link}" if words.button else ""
    text = "\n\n".join([hello, *said, *([button] if button else []), *([foot] if foot else []), shop]) + "\n"
    page = _PAGES.get_template("customer.html").render(
        subject=subject, hello=hello, said=said, button=words.button, link=link, foot=foot, shop=shop, colour=colour,
        language=language,
    )  # fmt: skip
    return subject, text, page


def money(amount: int, currency: str, locale: str) -> str:
    """An amount in minor units as it is written in a place."""
    exact = Decimal(amount).scaleb(-MINOR_UNITS[currency])
    return format_currency(exact, currency, locale=locale).replace("\xa0", " ")


def day(of: date, locale: str) -> str:
    """A day as it is written in a place."""
    return format_date(of, "long", locale=locale)


# -- within -----------------------------------------------------------------------------------------------


def _named(sentence: str) -> list[str]:
    return [name for _, name, _, _ in Formatter().parse(sentence) if name]


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
        "kept": money(parse_amount(str(body["kept"]), row.currency), row.currency, locale) if "kept" in body else "",
        "day": day(of, locale) if of is not None else "",
        "next": coming,
        "card": row.card_ending or "",
        "reason": plain(language, str(body.get("reason") or "other")),
        "plan": str(body["plan"]),
    }


def account_address(context: Context, code: str, mode: str) -> str:
    """Where customers of a site look after what they have."""
    return f"{context.settings.counter_url}/account/{code}" + ("?test=1" if mode == "test" else "")


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
        data = {"s": str(site_id), "m": row.mode, "o": str(body["order_id"])}
        return f"{context.settings.counter_url}/thanks/{context.signer.sign('confirmation', data)}"
    return account
