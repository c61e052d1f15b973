"""Checking how tax, delivery and papers are set up: what does not fit the site, and what cannot be computed."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from skurrow.core.countries import COUNTRIES, EU
from skurrow.core.problems import Path, Problem
from skurrow.core.site.whole import SiteFile
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
            yield Problem(path, message, "Keep one of them, or say how the postal codes of one begin", "taken")
        seen.add(mark)
    if home not in _FEDERAL and Tables(site.tax.rates).find(home, "standard", date.max) is None:
        message = f"Skurrow ships no tax rate for {home}"
        yield Problem(
            ("tax", "rates"), message, f"Add a rate of your own for {home}, with its name, that counts as standard"
        )


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
