"""Tax rates: the shipped tables, and the owner's own, which take their place.

>>> rate_for("NL", "standard", ()).rate
Decimal('0.21')
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from importlib.resources import files

from skurrow.core.site import OwnRate


@dataclass(frozen=True, slots=True)
class Rate:
    """One row of the tax tables. `fallback` says that the row of the standard rate had to stand in."""

    place: str
    counts_as: str
    name: str
    rate: Decimal
    source: str
    fallback: bool = False


def _shipped() -> dict[tuple[str, str], Rate]:
    data = json.loads(files("skurrow.core").joinpath("data/eu_vat.json").read_text(encoding="utf-8"))
    return {
        (row["place"], row["counts_as"]): Rate(
            row["place"], row["counts_as"], row["name"], Decimal(row["rate"]), data["source"]
        )
        for row in data["rates"]
    }


SHIPPED = _shipped()


def rate_for(place: str, counts_as: str, own: Iterable[OwnRate]) -> Rate | None:
    """The rate of a place for a row of the tables; the standard one where the row is missing; None without any."""
    table = dict(SHIPPED)
    for row in own:
        table[row.place, row.counts_as] = Rate(row.place, row.counts_as, row.name, row.rate, "the owner's own rate")
    exact = table.get((place, counts_as))
    if exact is not None:
        return exact
    standard = table.get((place, "standard"))
    if standard is None:
        return None
    return Rate(place, counts_as, standard.name, standard.rate, standard.source, fallback=True)
