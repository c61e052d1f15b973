"""Telephone numbers, as whoever brings a parcel can dial them."""

from __future__ import annotations

import phonenumbers
from phonenumbers import NumberParseException, PhoneNumberFormat, PhoneNumberType

from skurrow.core.problems import Path, Problem


def dialled(text: str, country: str) -> str | None:
    """A number as it is dialled from anywhere, in the writing of ITU-T E.123; without a country's code it is one of
    `country`. None where there is no such number.

    >>> dialled("0570 612345", "NL"), dialled("+44 20 7946 0018", "NL"), dialled("12", "NL")
    ('+31 570 612 345', '+44 20 7946 0018', None)
    """
    try:
        number = phonenumbers.parse(text, country)
    except NumberParseException:
        return None
    if not phonenumbers.is_possible_number(number) or number.extension:
        return None
    return phonenumbers.format_number(number, PhoneNumberFormat.INTERNATIONAL)


def problems(text: str | None, country: str, needed: bool, path: Path = ("telephone",)) -> list[Problem]:
    """What is wrong with a number as it was typed; nothing typed is wrong only where one is needed."""
    if not (text or "").strip():
        missing = Problem(path, "The telephone number is missing", "Type it: the carrier needs it", "missing")
        return [missing] if needed else []
    if dialled(str(text), country) is None:
        return [Problem(path, "There is no such telephone number", f"Write it {_as_in(country)}", "invalid")]
    return []


def _as_in(country: str) -> str:
    """How a number is written, by an example of the country's."""
    shown = phonenumbers.example_number_for_type(country, PhoneNumberType.FIXED_LINE)
    if shown is None:
        return "with its country's code, as in +31 10 123 4567"
    return f"as in {phonenumbers.format_number(shown, PhoneNumberFormat.INTERNATIONAL)}"
