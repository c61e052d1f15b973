"""Where the seller is registered, its own rates, and what is exempt."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field, StringConstraints

from skurrow.core.bounds import one_line
from skurrow.core.site.values import Code, Day, Frozen, Name, Place, Rate


class Registration(Frozen):
    """Where the seller is registered for tax, at a place or under a scheme; `from` and `until` include their days.

    `number` is the tax number there, as papers name it.
    """

    place: Place | None = None
    scheme: Literal["EU-OSS"] | None = None
    number: (
        Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40), AfterValidator(one_line)]
        | None
    ) = None
    from_: Day | None = Field(default=None, alias="from")
    until: Day | None = None


class OwnRate(Frozen):
    """The owner's own rate for a place and a row of the tax tables, instead of the shipped one.

    Of those with a `postal_prefix` the longest that fits counts; it is the combined rate there.
    """

    place: Place
    postal_prefix: Annotated[str, StringConstraints(pattern=r"^(?P<prefix>[A-Za-z0-9]{1,10})$")] | None = None
    counts_as: Code = "standard"
    name: Name
    rate: Rate


class Exempt(Frozen):
    """A small business that charges no tax, and the sentence that its papers bear for it."""

    sentence: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=300), AfterValidator(one_line)
    ]


class Tax(Frozen):
    """How tax is handled. `included`: amounts include it. `when_untaxed`: what becomes of an included amount where no
    tax is due. `rounding`: each line by itself, or the sum of each rate. `business_proof`: what a tax number needs to
    count."""

    included: bool = True
    exempt: Exempt | None = None
    when_untaxed: Literal["deduct", "keep"] = "deduct"
    rounding: Literal["line", "rate"] = "line"
    business_proof: Literal["confirmed", "well_formed"] = "confirmed"
    registrations: list[Registration] = Field(default_factory=list)
    rates: list[OwnRate] = Field(default_factory=list)
