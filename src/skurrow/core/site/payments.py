"""Which gateways buyers are offered, and limits against fraud."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field, StringConstraints

from skurrow.core.bounds import one_line, printable
from skurrow.core.site.values import Amounts, Code, Country, CurrencyCode, Frozen


class WayToPay(Frozen):
    """A connected gateway as it is offered at the counter, in the order of their list.

    Only to buyers in `countries`, for `currencies`, and for amounts from `minimum` up to `maximum`, where these are
    given. What is paid by people is to be paid within so many `days`, and holds stock and coupons for `hold_days` of
    them: after that others can have them.
    """

    gateway: Code
    label: (
        Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60), AfterValidator(one_line)]
        | None
    ) = None
    text: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200), AfterValidator(printable)] = ""
    countries: Annotated[list[Country], Field(min_length=1, max_length=250)] | None = None
    currencies: Annotated[list[CurrencyCode], Field(min_length=1, max_length=50)] | None = None
    minimum: Amounts | None = None
    maximum: Amounts | None = None
    days: Annotated[int, Field(ge=1, le=365)] | None = None
    hold_days: Annotated[int, Field(ge=1, le=365)] | None = None


class Guard(Frozen):
    """A limit against fraud. It fits an order `above` an amount, one with more than so many `tries` before it (`by`
    the same card, address or buyer within so many `hours`), or one with a card of `another_country` than the buyer's;
    `then` it is refused, or paid and held for a person."""

    above: Amounts | None = None
    tries: Annotated[int, Field(ge=1, le=1000)] | None = None
    by: Literal["card", "address", "buyer"] | None = None
    hours: Annotated[int, Field(ge=1, le=720)] | None = None
    another_country: bool = False
    then: Literal["hold", "refuse"] = "hold"


class Payments(Frozen):
    """How buyers may pay. Without `ways` every connected gateway is offered as it is."""

    ways: Annotated[list[WayToPay], Field(max_length=20)] = Field(default_factory=list)
    guards: Annotated[list[Guard], Field(max_length=20)] = Field(default_factory=list)
