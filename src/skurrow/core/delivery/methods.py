"""Delivery: the zone of an address, its methods, and what each costs for a parcel.

The most specific place counts (the longest postal prefix, then the region, the country, anywhere), then file order.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

from skurrow.core import places
from skurrow.core.money import LARGEST
from skurrow.core.site.delivery import Delivery, Method

MinorAmounts = Mapping[str, int]


class Parcel(NamedTuple):
    """What is sent at once: the value of the goods after discount, as priced (minor units), grams and pieces."""

    value: int
    weight_g: int
    pieces: int


@dataclass(frozen=True, slots=True)
class PricedMethod:
    """A method with its amounts in every currency of the site."""

    method: Method
    amount: MinorAmounts | None
    each: MinorAmounts | None
    by_weight: tuple[tuple[int, MinorAmounts], ...]
    by_value: tuple[tuple[MinorAmounts | None, MinorAmounts], ...]
    free_from: MinorAmounts | None

    @property
    def id(self) -> str:
        """Its name in orders."""
        return self.method.id

    def costs(self, parcel: Parcel, currency: str) -> int | None:
        """Minor units for a parcel; None where it cannot be had for this one (too heavy, or worth too much)."""
        if self.method.pick_up:
            return 0
        basic: int | None = self.amount[currency] if self.amount else 0
        if self.by_weight:
            basic = next((cost[currency] for most, cost in self.by_weight if parcel.weight_g <= most), None)
        elif self.by_value:
            basic = next(
                (cost[currency] for most, cost in self.by_value if most is None or parcel.value <= most[currency]), None
            )
        if basic is None:
            return None
        if self.free_from is not None and parcel.value >= self.free_from[currency]:
            return 0
        each = self.each[currency] if self.each else 0
        return min(basic + each * parcel.pieces, LARGEST)

    def costs_at_most(self, currency: str) -> int:
        """What the dearest step costs, for a later parcel that has outgrown all steps."""
        steps = [cost[currency] for _, cost in self.by_weight] or [cost[currency] for _, cost in self.by_value]
        return max(steps, default=0)


@dataclass(frozen=True, slots=True)
class PricedZone:
    """A zone with its methods."""

    name: str
    methods: tuple[PricedMethod, ...]

    def method(self, name: str) -> PricedMethod | None:
        """One of its methods by id."""
        return next((one for one in self.methods if one.id == name), None)


class Zones:
    """All zones of a site, found by an address."""

    def __init__(self, delivery: Delivery, priced: Iterable[PricedZone]) -> None:
        self.all = tuple(priced)
        self._by_place: dict[str, PricedZone] = {}
        self._prefixes: dict[str, list[tuple[str, PricedZone]]] = {}
        for zone, compiled in zip(delivery.zones, self.all, strict=True):
            for place in zone.places:
                country, space, prefix = place.partition(" ")
                if space:
                    self._prefixes.setdefault(country, []).append((places.bare(prefix), compiled))
                else:
                    self._by_place.setdefault(place, compiled)
        for listed in self._prefixes.values():
            listed.sort(key=lambda one: -len(one[0]))

    def of(self, country: str, region: str | None, postal_code: str | None) -> PricedZone | None:
        """The zone of an address; None where nothing is sent."""
        code = places.bare(postal_code)
        for prefix, zone in self._prefixes.get(country, ()):
            if code.startswith(prefix):
                return zone
        full = places.region_of(country, region, postal_code)
        return self._by_place.get(full or "") or self._by_place.get(country) or self._by_place.get("*")
