"""The values that a site file is made of, each with its form: codes, amounts, days, addresses, texts."""

from __future__ import annotations

import re
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import Annotated, Literal
from urllib.parse import quote, unquote, urlsplit
from zoneinfo import available_timezones

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    PlainValidator,
    StringConstraints,
    WithJsonSchema,
)
from pydantic_core import Url

from skurrow.core.bounds import FIRST_DAY, LAST_DAY, day, one_line, printable
from skurrow.core.countries import COUNTRIES
from skurrow.core.durations import parse_duration
from skurrow.core.money import MINOR_UNITS


class Frozen(BaseModel):
    """A part of the configuration: immutable, with no names that we do not know."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)


def _decimal(value: object) -> object:
    if isinstance(value, Decimal) or not isinstance(value, str):
        return value
    if not value.isascii() or not value.replace(".", "", 1).isdigit():
        raise ValueError('is no plain decimal number; write digits in quotes, as in "0.86"')
    if len(value) > 24:
        raise ValueError("has more digits than anybody reckons with; write at most 24")
    return Decimal(value)


def _text_decimal(value: object) -> object:
    if isinstance(value, float | int) and not isinstance(value, bool):
        raise ValueError(f'must be exact; put it in quotes, as in "{value}"')
    return _decimal(value)


def _country(value: str) -> str:
    if value not in COUNTRIES:
        raise ValueError(f'"{value}" is no country; write two capital letters of ISO 3166-1, as in NL')
    return value


def _currency(value: str) -> str:
    if value not in MINOR_UNITS:
        raise ValueError(f'"{value}" is no currency; write three capital letters of ISO 4217, as in EUR')
    return value


def known_time_zone(value: str) -> str:
    if value not in available_timezones():
        raise ValueError(f'"{value}" is no time zone; write one of the IANA list, as in Europe/Amsterdam')
    return value


_HOST = re.compile(r"[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*\.?|\[[0-9a-f:.]+\]")


def _web_address(value: str) -> str:
    """The address put together anew from what it consists of, so that nothing else can travel with it: it stands in
    headers that say what a browser may do."""
    try:
        url = Url(value)
    except ValueError:
        url = None
    if url is None or url.scheme not in {"http", "https"} or not _HOST.fullmatch(url.host or ""):
        raise ValueError(f'"{value[:200]}" is no web address; write it in full, as in https://example.org')
    if url.username or url.password or url.fragment:
        raise ValueError("holds more than an address; leave out names, passwords and what follows #")
    port = "" if url.port in (None, {"http": 80, "https": 443}[url.scheme]) else f":{url.port}"
    path = quote(unquote("" if url.path in (None, "/") else str(url.path)), safe="/-._~!$&'()*+,=:@")
    query = f"?{quote(unquote(url.query), safe='/-._~!$&()*+,=:@?')}" if url.query else ""
    return f"{url.scheme}://{url.host}{port}{path}{query}"


def origin_of(address: str) -> str:
    """Scheme, host and port of a web address, as a browser compares them."""
    parts = urlsplit(address)
    return f"{parts.scheme}://{parts.netloc}"


def _iso_date(value: object) -> object:
    if isinstance(value, str):
        found = day(value)
        if found is None:
            years = f"between {FIRST_DAY.year} and {LAST_DAY.year}"
            raise ValueError(f'"{value[:40]}" is no date {years}; write it as in 2026-01-31')
        return found
    return value


def _email(value: str) -> str:
    name, _, host = value.strip().rpartition("@")
    if not name or "." not in host or any(character.isspace() for character in value.strip()) or len(value) > 254:
        raise ValueError(f'"{value}" is no email address; write it as in name@example.org')
    return value.strip()


def _duration(value: str) -> str:
    parse_duration(value)
    return value


def _renewals(value: object) -> object:
    if value == "all" or (isinstance(value, int) and not isinstance(value, bool) and 1 <= value <= 1200):
        return value
    raise ValueError("is no number of charges; write 1 to 1200 without quotes, or all")


Code = Annotated[str, StringConstraints(pattern=r"^(?P<code>[a-z0-9]+(-[a-z0-9]+)*)$", min_length=1, max_length=60)]


Country = Annotated[
    str, AfterValidator(_country), WithJsonSchema({"type": "string", "format": "country"}, mode="validation")
]


CurrencyCode = Annotated[
    str, AfterValidator(_currency), WithJsonSchema({"type": "string", "format": "currency"}, mode="validation")
]


Place = Annotated[str, StringConstraints(pattern=r"^(?P<place>[A-Z]{2}(-[A-Z0-9]{1,3})?)$")]


Rate = Annotated[
    Decimal, BeforeValidator(_text_decimal), WithJsonSchema({"type": "string", "pattern": r"^[0-9]+(\.[0-9]+)?$"})
]


AmountText = Annotated[
    str, StringConstraints(pattern=r"^(?P<amount>(0|[1-9][0-9]{0,12})(\.[0-9]{1,4})?)$", max_length=20)
]


Amounts = Annotated[dict[CurrencyCode, AmountText], Field(min_length=1)]


Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), AfterValidator(one_line)]


Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=2000), AfterValidator(printable)]


Colour = Annotated[str, StringConstraints(pattern=r"^(?P<colour>#[0-9A-Fa-f]{6})$")]


WebAddress = Annotated[str, AfterValidator(_web_address)]


Day = Annotated[date, BeforeValidator(_iso_date), WithJsonSchema({"type": "string", "format": "date"})]


DurationText = Annotated[
    str,
    AfterValidator(_duration),
    WithJsonSchema({"type": "string", "pattern": r"^P(?=[0-9])([0-9]+Y)?([0-9]+M)?([0-9]+W)?([0-9]+D)?$"}),
]


Email = Annotated[str, AfterValidator(_email)]


CouponCode = Annotated[str, StringConstraints(pattern=r"^(?P<coupon>[A-Za-z0-9]+([-_][A-Za-z0-9]+)*)$", max_length=40)]


PictureName = Annotated[
    str, StringConstraints(pattern=r"^(?P<picture>[a-z0-9]+(-[a-z0-9]+)*\.(png|jpg|webp))$", max_length=80)
]


Renewals = Annotated[
    int | Literal["all"],
    PlainValidator(_renewals),
    WithJsonSchema({"anyOf": [{"type": "integer", "minimum": 1, "maximum": 1200}, {"const": "all"}]}),
]


Count = Annotated[int, Field(ge=1, le=1_000_000_000)]


Stock = Annotated[int, Field(ge=0, le=1_000_000_000)]


class Listed(Frozen):
    """Something that the desk lists and finds by its name."""

    @property
    def desk_name(self) -> str:
        """What the desk calls it."""
        return getattr(self, "owner_name", None) or self.name or self.id  # type: ignore[attr-defined, no-any-return]

    @cached_property
    def folded_name(self) -> str:
        """The same as it is compared with what is sought."""
        return self.desk_name.casefold()
