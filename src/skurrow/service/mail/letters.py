"""A letter to a customer, as plain text and as a page: words of a language, and what they are about."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from string import Formatter
from uuid import UUID

from babel.dates import format_date, format_datetime
from babel.numbers import format_currency
from jinja2 import Environment, FileSystemLoader, select_autoescape

from skurrow.core.edition import Edition
from skurrow.core.money import MINOR_UNITS
from skurrow.core.site.mails import filled, paragraphs, said
from skurrow.service.codes import confirmation_key, confirmation_token
from skurrow.service.context import Context
from skurrow.service.mail.mail_words import FOLDER, MAILS, Words, plain

_PAGES = Environment(loader=FileSystemLoader(FOLDER), autoescape=select_autoescape(["html"]))


@dataclass(frozen=True, slots=True)
class Letterhead:
    """Whose letter it is: the shop's name, colour and logo (a picture's name), the language it is written in, and what
    the owner writes under it."""

    shop: str
    colour: str
    language: str
    logo: str | None = None
    under: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Row:
    """A line of what an order comes to; the last ones may be `strong`. `picture` is the name of what is shown
    beside it."""

    label: str
    amount: str
    strong: bool = False
    picture: str | None = None


@dataclass(frozen=True, slots=True)
class Letter:
    """A letter as it is put by: its plain text, its HTML, and the names of the pictures that the HTML shows."""

    subject: str
    text: str
    page: str
    pictures: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Own:
    """What the owner says in a letter, filled in: a subject (None: ours), and paragraphs after our first sentence."""

    subject: str | None = None
    said: tuple[str, ...] = ()


OURS = Own()
"""A letter in our words alone."""


def letterhead(edition: Edition, language: str) -> Letterhead:
    """Whose letters those of a site are."""
    shop, mails = edition.site.site, edition.site.mails
    under = paragraphs(said(mails.foot, language) or "", {"shop.name": shop.name})
    return Letterhead(shop.name, shop.colour, language, shop.logo, tuple(under))


def own_words(edition: Edition, kind: str, language: str, facts: Mapping[str, str]) -> Own:
    """What the owner says in a mail of a kind. What names a fact that there is not is left out."""
    own = edition.site.mails.of(kind)
    if own is None:
        return OURS
    subject = said(own.subject, language)
    return Own(subject and filled(subject, facts), tuple(paragraphs(said(own.text, language) or "", facts)))


def write(
    words: Words,
    facts: Mapping[str, str],
    head: Letterhead,
    hello: str,
    link: str,
    foot: str,
    rows: Sequence[Row] = (),
    own: Own = OURS,
) -> Letter:
    """A letter. Sentences without their facts are left out; `rows` and the owner's own words stand after the first
    sentence."""
    ours = [one.format(**facts) for one in words.sentences if all(facts[name] for name in _named(one))]
    subject = own.subject or words.subject.format(**facts)
    button = f"{words.button}: {link}" if words.button and link else ""
    table = ["\n".join(f"{row.label}: {row.amount}" for row in rows)] if rows else []
    parts = [hello, *ours[:1], *table, *own.said, *ours[1:], button, *head.under, foot]
    text = "\n\n".join(part for part in parts if part)
    page = _PAGES.get_template("customer.html").render(
        subject=subject, hello=hello, said=ours, own=own.said, rows=rows, button=words.button if button else "",
        link=link, foot=foot, shop=head.shop, colour=head.colour, language=head.language, logo=head.logo,
        under=head.under, shown=any(row.picture for row in rows),
    )  # fmt: skip
    pictures = dict.fromkeys(name for name in (head.logo, *(row.picture for row in rows)) if name)
    return Letter(subject, f"{text}\n\n{head.shop}\n", page, tuple(pictures))


def sign_in(edition: Edition, language: str, greeting: str, link: str) -> Letter:
    """The letter with which a customer signs in."""
    shop = edition.site.site.name
    own = own_words(edition, "sign_in", language, {"shop.name": shop})
    words, head = MAILS[language]["sign_in"], letterhead(edition, language)
    return write(words, {"shop": shop}, head, greeting, link, "", own=own)


_ADDRESS = re.compile(r"[/:@<>]|\w{2,}\.\w{2,}")


def holds_address(typed: str) -> bool:
    """Whether what somebody has typed could lead a reader somewhere: anybody may order in anybody's name, and what they
    type is no message of the shop's to a mailbox of their choice."""
    return bool(_ADDRESS.search(typed))


def hello(language: str, name: str) -> str:
    """The greeting; a name that holds an address is left out.

    >>> hello("en", "J. R. Kok"), hello("en", "Win at prizes.example today")
    ('Hello J. R. Kok,', 'Hello,')
    """
    return plain(language, "hello", name=said_name(name)).replace(" ,", ",")


def said_name(name: str) -> str:
    """A name that somebody has typed; nothing where it holds an address."""
    return "" if holds_address(name) else name


def money(amount: int, currency: str, locale: str) -> str:
    """An amount in minor units as it is written in a place."""
    exact = Decimal(amount).scaleb(-MINOR_UNITS[currency])
    return format_currency(exact, currency, locale=locale).replace("\xa0", " ")


def day(of: date, locale: str) -> str:
    """A day as it is written in a place."""
    return format_date(of, "long", locale=locale)


def moment(at: datetime, locale: str) -> str:
    """An instant as it is written in a place, in the zone that it is given in, which is named."""
    return format_datetime(at, "long", locale=locale).replace("\u202f", " ")


def account_address(context: Context, code: str, mode: str) -> str:
    """Where customers of a site look after what they have."""
    return f"{context.settings.counter_url}/account/{code}" + ("?test=1" if mode == "test" else "")


def confirmation_address(context: Context, site_id: UUID, mode: str, order_id: UUID) -> str:
    """The page of an order, as a mail leads to it: with all that is personal."""
    token, key = confirmation_token(context, site_id, mode, order_id), confirmation_key(context, order_id)
    return f"{context.settings.counter_url}/thanks/{token}#{key}"


def _named(sentence: str) -> list[str]:
    return [name for _, name, _, _ in Formatter().parse(sentence) if name]
