"""Checking prices: what each kind needs, and amounts in every currency that is sold in."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

from skurrow.core.durations import length_words, parse_duration
from skurrow.core.money import AmountError, parse_amount
from skurrow.core.problems import Path, Problem
from skurrow.core.site.products import Chosen, Price, Start
from skurrow.core.site.values import Amounts
from skurrow.core.site.whole import SiteFile

_NEEDS = {"recurring": ("every",), "instalments": ("every", "payments")}
_MAY_HAVE = {
    "once": {"amount", "chosen"},
    "recurring": {"amount", "chosen", "every", "start", "ends"},
    "instalments": {"amount", "every", "payments", "again", "start"},
    "free": set[str](),
}
_REMEDIES = {
    "every": 'Say how often it is charged, as in "P1M"',
    "payments": "Say how many payments there are, as in 4",
}


# -- prices -----------------------------------------------------------------------------------------------


def price_problems(site: SiteFile, price: Price, path: Path) -> Iterator[Problem]:
    for name in ("amount", "chosen", "every", "payments", "again", "start", "ends"):
        if getattr(price, name) is not None and name not in _MAY_HAVE[price.kind]:
            yield Problem((*path, name), f"A price of kind {price.kind} has none", "Remove it, or change the kind")
        elif getattr(price, name) is None and name in _NEEDS.get(price.kind, ()):
            yield Problem((*path, name), "is missing", _REMEDIES[name], "missing")
    if price.quantity is not None and price.quantity.min > price.quantity.max:
        message = f"At least {price.quantity.min} and at most {price.quantity.max} leaves nothing"
        yield Problem((*path, "quantity"), message, "Make max at least as large as min")
    if price.default and not price.offered:
        message = "A price that is not offered cannot be chosen at first"
        yield Problem((*path, "default"), message, "Offer it, or make another price the default")
    if price.kind == "free":
        return
    if (price.amount is None) == (price.chosen is None):
        message = "has neither an amount nor one that the buyer chooses" if price.amount is None else "has both"
        yield Problem((*path, "amount"), message, "Write either amount or chosen", "missing")
    if price.amount is not None:
        yield from amounts_problems(site, price.amount, (*path, "amount"))
    if price.chosen is not None:
        yield from _chosen_problems(site, price.chosen, (*path, "chosen"))
    if price.kind == "instalments":
        yield from _instalment_problems(price, path)
    if price.start is not None:
        yield from _start_problems(site, price.start, (*path, "start"))


def _instalment_problems(price: Price, path: Path) -> Iterator[Problem]:
    if price.payments == 1 and price.start is None and price.again is None:
        message = "One payment by itself is no set of instalments"
        yield Problem((*path, "payments"), message, "Write 2 or more, or make the kind once")
    if price.every is None or price.payments is None or price.again is None:
        return
    whole = parse_duration(price.every).times(price.payments)
    if parse_duration(price.again).is_shorter_than(whole):
        message = f"The set would start again before it ends: it takes {length_words(whole)}"
        yield Problem((*path, "again"), message, "Write at least that")


def _start_problems(site: SiteFile, start: Start, path: Path) -> Iterator[Problem]:
    if (start.free is None) == (start.amount is None):
        message = "A start is either free for a time or has an amount of its own"
        yield Problem(path, message, "Write {free: P14D}, or amount with for")
        return
    if start.amount is not None:
        yield from amounts_problems(site, start.amount, (*path, "amount"))
        if start.for_ is None:
            yield Problem((*path, "for"), "is missing", 'Say how long it lasts, as in "P1M"', "missing")
        if start.card == "later":
            yield Problem((*path, "card"), "A first payment is made when it is ordered", "Remove it")
        return
    if start.for_ is not None:
        yield Problem((*path, "for"), "A free start lasts as long as `free` says", "Remove it")
    if start.times != 1:
        yield Problem((*path, "times"), "A free start comes once", "Remove it, and write a longer time")


def _chosen_problems(site: SiteFile, chosen: Chosen, path: Path) -> Iterator[Problem]:
    for name in ("minimum", "maximum", "suggested"):
        amounts = getattr(chosen, name)
        if amounts is not None:
            yield from amounts_problems(site, amounts, (*path, name), least=0 if name == "minimum" else 1)
    for name, low, high in (
        ("maximum", chosen.minimum, chosen.maximum),
        ("suggested", chosen.minimum, chosen.suggested),
        ("suggested", chosen.suggested, chosen.maximum),
    ):
        for code in low.keys() & high.keys() if low and high else ():
            if _exceeds(low, high, code):
                yield Problem((*path, name, code), "does not lie between minimum and maximum", "Change one of them")


def _exceeds(low: Amounts | None, high: Amounts | None, code: str) -> bool:
    try:
        return parse_amount(low[code], code) > parse_amount(high[code], code)  # type: ignore[index]
    except AmountError:
        return False


def _nothing(path: Path) -> str:
    """What is wrong with an amount of 0 there."""
    if "coupons" in path or "discount" in path or path[0] in ("amount", "minimum"):
        return "Nothing cannot be taken off, or be the least"
    return "A price of nothing cannot be charged"


def amounts_problems(site: SiteFile, amounts: Amounts, path: Path, least: int = 1) -> Iterator[Problem]:
    """What is wrong with amounts that have to be known in every currency of the site, written or converted."""
    base, sold_in = site.currencies[0].code, {c.code: c for c in site.currencies}
    for code, text in amounts.items():
        if code not in sold_in:
            message = f"The site does not sell in {code}"
            yield Problem((*path, code), message, f"Add {code} to currencies, or remove the amount")
            continue
        try:
            minor = parse_amount(text, code)
        except AmountError as error:
            message, _, remedy = str(error).partition("; ")
            yield Problem((*path, code), message, remedy.capitalize() or "Write a smaller amount")
            continue
        if minor < least:
            yield Problem((*path, code), _nothing(path), "Write an amount above 0")
    if base not in amounts and any(c not in amounts for c in sold_in):
        message = f"An amount in {base}, the base currency, is missing"
        yield Problem((*path, base), message, f"Add {base}, or an amount for every currency")
    for code, currency in sold_in.items():
        if code != base and code not in amounts and currency.rate is None:
            message = f"There is neither an amount in {code} nor a rate to convert to it"
            yield Problem((*path, code), message, f"Add an amount, or a rate to the currency {code}")


def off_problems(
    site: SiteFile, percent: Decimal | None, amount: Amounts | None, path: Path, subject: str
) -> Iterator[Problem]:
    """What is wrong with what `subject` takes off: either a percentage or an amount."""
    if (percent is None) == (amount is None):
        message = f"{subject} takes off either a percentage or an amount"
        yield Problem((*path, "percent"), message, "Write one of percent and amount")
    if percent is not None and not 0 < percent <= 100:
        yield Problem((*path, "percent"), f"{percent} % cannot be taken off", 'Write above "0" up to "100"')
    if amount is not None:
        yield from amounts_problems(site, amount, (*path, "amount"))
