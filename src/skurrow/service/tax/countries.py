"""What is usual in a country: its currency, its time zones, and its states or provinces where those tax."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from babel.numbers import get_territory_currencies

from skurrow.core.countries import COUNTRIES, time_zones
from skurrow.core.money import MINOR_UNITS
from skurrow.service import addresses


@dataclass(frozen=True, slots=True)
class Usual:
    """A country by its code; `regions` are codes with their names."""

    code: str
    currency: str
    time_zones: tuple[str, ...]
    regions: tuple[tuple[str, str], ...]


@cache
def usual() -> tuple[Usual, ...]:
    """What is usual in every country. Sources: CLDR (currencies), the IANA time zone database, and the address metadata
    of `skurrow.service.addresses` (states and provinces)."""
    found = []
    for code in sorted(COUNTRIES):
        tender = [one for one in get_territory_currencies(code) if one in MINOR_UNITS]
        regions = _regions(code) if code in ("US", "CA") else ()
        found.append(Usual(code, tender[0] if tender else "USD", time_zones().get(code, ()), regions))
    return tuple(found)


@cache
def currency_of(country: str) -> str | None:
    """The currency that is usual in a country, by CLDR; None where nobody lives.

    >>> currency_of("GB"), currency_of("JP")
    ('GBP', 'JPY')
    """
    return next((one.currency for one in usual() if one.code == country), None)


def _regions(country: str) -> tuple[tuple[str, str], ...]:
    return next(one.choices for one in addresses.form(country).fields if one.name == "region")
