"""Checking how buyers may pay: what does not fit the site, and limits that say nothing or two things."""

from __future__ import annotations

from collections.abc import Iterator

from skurrow.core.check.prices import amounts_problems
from skurrow.core.money import AmountError, parse_amount
from skurrow.core.problems import Path, Problem
from skurrow.core.site.payments import Guard, WayToPay
from skurrow.core.site.values import Amounts
from skurrow.core.site.whole import SiteFile


def payments_problems(site: SiteFile) -> Iterator[Problem]:
    """What is wrong with ways to pay and with limits against fraud."""
    sold = {currency.code for currency in site.currencies}
    seen: set[str] = set()
    for i, way in enumerate(site.payments.ways):
        path: Path = ("payments", "ways", i)
        if way.gateway in seen:
            message = f"“{way.gateway}” is offered already"
            yield Problem((*path, "gateway"), message, "Keep one of them", "repeated")
        seen.add(way.gateway)
        for j, code in enumerate(way.currencies or []):
            if code not in sold:
                message = f"The site does not sell in {code}"
                yield Problem((*path, "currencies", j), message, f"Leave it out, or add {code} to currencies")
        yield from _limit_problems(site, way, path)
    for i, guard in enumerate(site.payments.guards):
        yield from _guard_problems(guard, ("payments", "guards", i), site)


def _limit_problems(site: SiteFile, way: WayToPay, path: Path) -> Iterator[Problem]:
    least, most = way.minimum or {}, way.maximum or {}
    for name, amounts in (("minimum", least), ("maximum", most)):
        if amounts:
            yield from amounts_problems(site, amounts, (*path, name), least=0)
    for code in least.keys() & most.keys():
        if _minor(least, code) > _minor(most, code):
            message = f"The largest amount is below the smallest, {least[code]} {code}"
            yield Problem((*path, "maximum", code), message, "Write a larger one")


def _minor(amounts: Amounts, code: str) -> int:
    try:
        return parse_amount(amounts[code], code)
    except (AmountError, KeyError):
        return 0


def _guard_problems(guard: Guard, path: Path, site: SiteFile) -> Iterator[Problem]:
    kinds = [guard.above is not None, guard.tries is not None, guard.another_country]
    if sum(kinds) != 1:
        message = "A limit is about one thing"
        yield Problem(path, message, "Say one: an amount, tries, or cards of another country")
    if guard.tries is not None:
        for name in ("by", "hours"):
            if getattr(guard, name) is None:
                message = "Tries are counted by something, and within some hours"
                yield Problem(
                    (*path, name), message, f"Write {name}, as in {'by: card' if name == 'by' else 'hours: 24'}"
                )
    elif guard.by is not None or guard.hours is not None:
        name = "by" if guard.by is not None else "hours"
        yield Problem((*path, name), f"“{name}” goes with tries only", "Leave it out, or write tries")
    if guard.above is not None:
        yield from amounts_problems(site, guard.above, (*path, "above"), least=0)
