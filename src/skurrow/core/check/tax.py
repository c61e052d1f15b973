"""Checking how tax, delivery and papers are set up: what does not fit the site, and what cannot be computed."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from decimal import Decimal

from skurrow.core.check.products import amounts_problems, repeated
from skurrow.core.countries import COUNTRIES, EU
from skurrow.core.problems import Path, Problem
from skurrow.core.site.site import Method, SiteFile
from skurrow.core.tax.deciding import LOW_VALUE
from skurrow.core.tax.numbers import ASKED_IN, read
from skurrow.core.tax.rates import Tables

_FEDERAL = ("US", "CA")
"""Countries whose states or provinces tax, and where one is registered with those."""


def tax_problems(site: SiteFile) -> Iterator[Problem]:
    """What is wrong with registrations and the owner's rates."""
    home = site.site.country
    yield from _registration_problems(site)
    if site.tax.exempt is None and not _is_registered_at_home(site):
        remedy = f"Add {{place: {home}}}"
        if home in _FEDERAL:
            remedy = f"Add {{place: {home}-…}} for each state, or exempt with its sentence"
        message = f"The seller is not registered at home ({home})"
        yield Problem(("tax", "registrations"), message, remedy)
    seen: set[tuple[str, str, str]] = set()
    for i, own in enumerate(site.tax.rates):
        path: Path = ("tax", "rates", i)
        if own.rate >= 1:
            message = f"{own.rate} would be {own.rate * 100:f} %"
            yield Problem((*path, "rate"), message, 'Write a share of one, as in "0.09" for 9 %')
        if own.place.partition("-")[0] not in COUNTRIES | {"XI"}:
            message = f"“{own.place}” is no country and no region of one"
            yield Problem((*path, "place"), message, "Write it as in NL or US-NY", "unknown")
        mark = (own.place, own.counts_as, (own.postal_prefix or "").upper())
        if mark in seen:
            message = f"There is another rate for {own.place}, {own.counts_as}"
            yield Problem(path, message, "Keep one of them, or give one a postal_prefix", "taken")
        seen.add(mark)
    if home not in _FEDERAL and Tables(site.tax.rates).find(home, "standard", date.max) is None:
        message = f"Skurrow ships no tax rate for {home}"
        yield Problem(("tax", "rates"), message, f"Add a row with place: {home}, counts_as: standard, name and rate")


def _is_registered_at_home(site: SiteFile) -> bool:
    home = site.site.country
    places = [one.place for one in site.tax.registrations if one.place]
    return any(place == home or (home in _FEDERAL and place.startswith(f"{home}-")) for place in places)


def _registration_problems(site: SiteFile) -> Iterator[Problem]:
    home = site.site.country
    sold = {currency.code for currency in site.currencies}
    for i, one in enumerate(site.tax.registrations):
        path: Path = ("tax", "registrations", i)
        if (one.place is None) == (one.scheme is None):
            yield Problem(
                path, "A registration is either at a place or under a scheme", "Write one of place and scheme"
            )
            continue
        if one.from_ and one.until and one.until < one.from_:
            yield Problem((*path, "until"), f"ends on {one.until}, before it begins", "Write a later day")
        if one.scheme is not None and home not in EU:
            message = "Sellers outside the European Union that use its schemes are not supported"
            yield Problem((*path, "scheme"), message, "Leave it out", "not_supported")
        if one.place is None:
            continue
        country = one.place.partition("-")[0]
        if country not in COUNTRIES | {"XI"}:
            message = f"“{one.place}” is no country and no region of one"
            yield Problem((*path, "place"), message, "Write it as in NL or US-NY", "unknown")
        if one.number is not None and country in ASKED_IN and not _is_number_of(one.number, country):
            message = f"“{one.number}” is no tax number of {country}: its form or a check digit is wrong"
            yield Problem((*path, "number"), message, "Write it as it stands on the registration")
        if one.place == "US":
            message = "In the United States one is registered with a state"
            yield Problem((*path, "place"), message, "Write the state in full, as in US-NY")
        if country in LOW_VALUE and country != home and LOW_VALUE[country][0] not in sold:
            currency = LOW_VALUE[country][0]
            message = f"What parcels to {country} are worth is reckoned in {currency}, and the site does not sell in it"
            yield Problem((*path, "place"), message, f"Add {{code: {currency}, rate: …}} to currencies")


def _is_number_of(number: str, country: str) -> bool:
    found = read(number, country)
    return found is not None and found.country == country


def papers_problems(site: SiteFile) -> Iterator[Problem]:
    """What is wrong with the series of papers: one number must not name two."""
    seen: dict[str, str] = {}
    for name in ("invoices", "receipts", "credit_notes"):
        series = getattr(site.papers, name).replace("{year}", "")
        if series in seen:
            message = f"{name.replace('_', ' ').capitalize()} have the numbers of {seen[series].replace('_', ' ')}"
            yield Problem(("papers", name), message, "Let theirs begin in another way", "taken")
        seen[series] = name


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
        for name in (*ways, *(name for name in ("each", "free_from") if getattr(method, name))):
            yield Problem((*path, name), "Nothing is charged for what is picked up", "Remove it, or pick_up")
        return
    if len(ways) > 1 or not (ways or method.each):
        message = "has no amount" if not ways else f"has {' and '.join(ways)}"
        yield Problem((*path, "amount"), message, "Write one of amount, by_weight and by_value, or each", "missing")
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
