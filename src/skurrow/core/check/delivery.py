"""Checking zones and methods."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

from skurrow.core.check.known import repeated
from skurrow.core.check.prices import amounts_problems
from skurrow.core.countries import COUNTRIES
from skurrow.core.problems import Path, Problem
from skurrow.core.site.delivery import Method
from skurrow.core.site.whole import SiteFile


def delivery_problems(site: SiteFile) -> Iterator[Problem]:
    """What is wrong with zones and methods."""
    for i, zone in enumerate(site.delivery.zones):
        path: Path = ("delivery", "zones", i)
        yield from repeated([((*path, "places", j), place) for j, place in enumerate(zone.places)], "place here")
        for j, place in enumerate(zone.places):
            if place != "*" and place[:2] not in COUNTRIES:
                message = f"“{place}” is no country, region or beginning of postal codes"
                yield Problem((*path, "places", j), message, "Write it as in NL, US-NY, DE 27 or *", "unknown")
        yield from repeated(
            [((*path, "methods", j, "id"), one.id) for j, one in enumerate(zone.methods)], "method here"
        )
        for j, method in enumerate(zone.methods):
            yield from _method_problems(site, method, (*path, "methods", j))


def _method_problems(site: SiteFile, method: Method, path: Path) -> Iterator[Problem]:
    ways = [name for name in ("amount", "by_weight", "by_value") if getattr(method, name)]
    if method.pick_up:
        if method.telephone:
            message = "Nobody brings what is picked up, so nobody calls"
            yield Problem((*path, "telephone"), message, "Remove the telephone, or that it is picked up")
        for name in (*ways, *(name for name in ("each", "free_from") if getattr(method, name))):
            yield Problem(
                (*path, name),
                "Nothing is charged for what is picked up",
                "Remove what it costs, or that it is picked up",
            )
        return
    if len(ways) > 1 or not (ways or method.each):
        message = "has no amount" if not ways else f"has {' and '.join(ways).replace('_', ' ')}"
        yield Problem(
            (*path, "amount"), message, "Say one: an amount, by weight, by value, or for each piece", "missing"
        )
    for name in ("amount", "each", "free_from"):
        amounts = getattr(method, name)
        if amounts is not None:
            yield from amounts_problems(site, amounts, (*path, name), least=0 if name == "amount" else 1)
    for k, step in enumerate(method.by_weight):
        yield from amounts_problems(site, step.amount, (*path, "by_weight", k, "amount"), least=0)
        if k and step.up_to_g <= method.by_weight[k - 1].up_to_g:
            yield Problem(
                (*path, "by_weight", k, "up_to_g"), "does not go beyond the step before", "Put steps in order"
            )
    base = site.currencies[0].code
    for k, worth in enumerate(method.by_value):
        here = (*path, "by_value", k)
        yield from amounts_problems(site, worth.amount, (*here, "amount"), least=0)
        if worth.up_to is not None:
            yield from amounts_problems(site, worth.up_to, (*here, "up_to"))
        elif k < len(method.by_value) - 1:
            yield Problem((*here, "up_to"), "Only the last step may be without end", "Say up to which value it goes")
        before = method.by_value[k - 1].up_to if k else None
        if before and worth.up_to and _not_beyond(before.get(base), worth.up_to.get(base)):
            yield Problem((*here, "up_to"), "does not go beyond the step before", "Put steps in order")


def _not_beyond(before: str | None, now: str | None) -> bool:
    return before is not None and now is not None and Decimal(now) <= Decimal(before)
