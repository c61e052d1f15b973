"""Where a request seems to come from, and in which language its sender reads."""

from __future__ import annotations

from fastapi import Request
from iptocc import country_code

from skurrow.core.countries import COUNTRIES
from skurrow.web.access import address_of

_LONGEST_LANGUAGE = 20


def seen_in_country(request: Request) -> str | None:
    """The country that the connection seems to come from, by where its address was given out: weak evidence."""
    found = country_code(address_of(request))
    return found if found in COUNTRIES else None


def language(request: Request) -> str | None:
    """The browser's first language, in which mails are written where we can."""
    first = request.headers.get("accept-language", "").split(",")[0].split(";")[0].strip()
    return first if first and len(first) <= _LONGEST_LANGUAGE and first.replace("-", "").isalnum() else None


def guessed_country(request: Request) -> str | None:
    """The country of the connection or, if that says nothing, of the browser's first language.

    American English says nothing: it is what browsers come with everywhere.
    """
    first = request.headers.get("accept-language", "").split(",")[0].split(";")[0].strip()
    region = "" if first.casefold() == "en-us" else first.partition("-")[2].upper()
    return seen_in_country(request) or (region if region in COUNTRIES else None)
