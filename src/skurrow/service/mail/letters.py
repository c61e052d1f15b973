"""A letter to a customer, as plain text and as a page: words of a language, and what they are about."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from string import Formatter
from uuid import UUID

from babel.dates import format_date
from babel.numbers import format_currency
from jinja2 import Environment, FileSystemLoader, select_autoescape

from skurrow.core.money import MINOR_UNITS
from skurrow.service.codes import confirmation_token
from skurrow.service.context import Context
from skurrow.service.mail.mail_words import FOLDER, Words, plain

_PAGES = Environment(loader=FileSystemLoader(FOLDER), autoescape=select_autoescape(["html"]))


@dataclass(frozen=True, slots=True)
class Letterhead:
    """Whose letter it is: the shop's name and colour, and the language it is written in."""

    shop: str
    colour: str
    language: str


@dataclass(frozen=True, slots=True)
class Row:
    """A line of what an order comes to; the last ones may be `strong`."""

    label: str
    amount: str
    strong: bool = False


def write(
    words: Words,
    facts: Mapping[str, str],
    head: Letterhead,
    hello: str,
    link: str,
    foot: str,
    rows: Sequence[Row] = (),
) -> tuple[str, str, str]:
    """A letter's subject, its plain text and its HTML. Sentences without their facts are left out; `rows` stand after
    the first sentence."""
    said = [one.format(**facts) for one in words.sentences if all(facts[name] for name in _named(one))]
    subject = words.subject.format(**facts)
    button = f"{words.button}: {link}" if words.button and link else ""
    table = ["\n".join(f"{row.label}: {row.amount}" for row in rows)] if rows else []
    text = "\n\n".join([hello, *said[:1], *table, *said[1:], *([button] if button else []), *([foot] if foot else [])])
    page = _PAGES.get_template("customer.html").render(
        subject=subject, hello=hello, said=said, rows=rows, button=words.button if button else "", link=link, foot=foot,
        shop=head.shop, colour=head.colour, language=head.language,
    )  # fmt: skip
    return subject, f"{text}\n\n{head.shop}\n", page


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
    return plain(language, "hello", name="" if holds_address(name) else name).replace(" ,", ",")


def money(amount: int, currency: str, locale: str) -> str:
    """An amount in minor units as it is written in a place."""
    exact = Decimal(amount).scaleb(-MINOR_UNITS[currency])
    return format_currency(exact, currency, locale=locale).replace("\xa0", " ")


def day(of: date, locale: str) -> str:
    """A day as it is written in a place."""
    return format_date(of, "long", locale=locale)


def account_address(context: Context, code: str, mode: str) -> str:
    """Where customers of a site look after what they have."""
    return f"{context.settings.counter_url}/account/{code}" + ("?test=1" if mode == "test" else "")


def confirmation_address(context: Context, site_id: UUID, mode: str, order_id: UUID) -> str:
    """The page of an order."""
    return f"{context.settings.counter_url}/thanks/{confirmation_token(context, site_id, mode, order_id)}"


def _named(sentence: str) -> list[str]:
    return [name for _, name, _, _ in Formatter().parse(sentence) if name]
