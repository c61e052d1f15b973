"""Zones and the methods that deliver there."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from skurrow.core.site.values import Amounts, Code, Frozen, Name

ZonePlace = Annotated[
    str, StringConstraints(pattern=r"^(?P<zone_place>\*|[A-Z]{2}(-[A-Z0-9]{1,3}| [A-Z0-9][A-Z0-9 -]{0,9})?)$")
]
"""Anywhere (`*`), a country (`NL`), a region (`US-NY`), or a country and how its postal codes begin (`DE 27`)."""


class WeightStep(Frozen):
    """What a parcel of up to so many grams costs."""

    up_to_g: Annotated[int, Field(ge=1, le=100_000_000)]
    amount: Amounts


class ValueStep(Frozen):
    """What a parcel costs whose goods are worth up to so much; the last step may be without end."""

    up_to: Amounts | None = None
    amount: Amounts


class Method(Frozen):
    """One way of delivery: at one `amount`, by weight or by the value of the goods, and `each` for every piece.

    Free from a value of goods on, if `free_from` says so. With `pick_up` nothing is sent and nothing is charged.
    `telephone`: buyers are asked for a number that whoever brings it may call, or need to give one.
    """

    id: Code
    name: Name
    amount: Amounts | None = None
    each: Amounts | None = None
    by_weight: Annotated[list[WeightStep], Field(max_length=50)] = Field(default_factory=list)
    by_value: Annotated[list[ValueStep], Field(max_length=50)] = Field(default_factory=list)
    free_from: Amounts | None = None
    pick_up: bool = False
    telephone: Literal["asked", "needed"] | None = None


class Zone(Frozen):
    """Places to which parcels go alike."""

    name: Name
    places: Annotated[list[ZonePlace], Field(min_length=1, max_length=400)]
    methods: Annotated[list[Method], Field(max_length=20)] = Field(default_factory=list)


class Delivery(Frozen):
    """How goods are sent. The most specific place counts (postal prefix, region, country, `*`), then file order."""

    zones: Annotated[list[Zone], Field(max_length=200)] = Field(default_factory=list)
