"""Where a buyer or a parcel is, as far as tax goes: places inside places come before the country.

The tables are `data/territories.csv` (from memory of Directive 2006/112/EC Art. 6 and 7, and of the Protocol on
Northern Ireland) and `data/regions.json` (postal codes of American states and Canadian provinces, compared with its
source in tests/reference).

>>> at("ES", None, "35001", "goods")
Place(country='IC', tables='IC', eu=False, special='Canary Islands')
>>> at("MC", None, None, "digital")
Place(country='FR', tables='FR', eu=True, special='Monaco')
>>> at("GB", None, "BT1 5GS", "goods").tables, at("GB", None, "BT1 5GS", "digital").tables
('XI', 'GB')
>>> at("US", None, "10001", "goods").tables, at("CA", "QC", None, "digital").tables
('US-NY', 'CA-QC')
"""

from __future__ import annotations

import csv
import json
import re
from functools import cache, lru_cache
from importlib.resources import files
from typing import NamedTuple

from skurrow.core.countries import EU

NORTHERN_IRELAND = "XI"


class Place(NamedTuple):
    """A place of taxation: the country it counts as, the place whose rates apply, and whether it is within the EU's
    VAT territory. `special` names a place inside a place."""

    country: str
    tables: str
    eu: bool
    special: str | None = None


class _Territory(NamedTuple):
    postal: tuple[str, ...]
    region: str
    name: str
    counts_as: str
    tables: str
    eu: str


@cache
def _territories() -> dict[str, list[_Territory]]:
    found: dict[str, list[_Territory]] = {}
    with files("skurrow.core").joinpath("data/territories.csv").open(encoding="utf-8") as lines:
        for row in csv.DictReader(lines):
            one = _Territory(
                tuple(row["postal"].split()), row["region"], row["name"], row["counts_as"], row["tables"], row["eu"]
            )
            found.setdefault(row["country"], []).append(one)
    return found


@cache
def _postal_regions() -> dict[str, list[tuple[str, re.Pattern[str]]]]:
    data = json.loads(files("skurrow.core").joinpath("data/regions.json").read_text(encoding="utf-8"))
    return {country: [(r, re.compile(p)) for r, p in rows.items()] for country, rows in data["postal"].items()}


def told_apart() -> frozenset[str]:
    """The countries in which tax hangs on the region or the postal code."""
    return frozenset(_territories()) | {"US", "CA"}


def bare(postal_code: str | None) -> str:
    """A postal code as it is compared: capitals, without spaces and hyphens."""
    return re.sub(r"[\s-]", "", postal_code or "").upper()


@lru_cache(maxsize=4096)
def region_of(country: str, region: str | None, postal_code: str | None) -> str | None:
    """A region in full, as in "US-NY", from what is written or from the postal code; None where nothing tells."""
    if region:
        written = region.strip().upper()
        return written if written.startswith(f"{country}-") else f"{country}-{written}"
    code = bare(postal_code)
    best: tuple[int, str | None] = (0, None)
    for name, pattern in _postal_regions().get(country, ()):
        match = pattern.match(code)
        if match and match.end() > best[0]:
            best = match.end(), name
    return f"{country}-{best[1]}" if best[1] else None


@lru_cache(maxsize=8192)
def at(country: str, region: str | None, postal_code: str | None, kind: str) -> Place:
    """The place of an address for a kind of product; without a postal code the mainland is meant."""
    code = bare(postal_code)
    for one in _territories().get(country, ()):
        whole = not one.postal and not one.region
        if whole or (one.postal and code.startswith(one.postal)) or (region and one.region == region):
            if one.eu == "goods" and kind != "goods":
                return Place(country, country, False, one.name)
            eu = one.eu in ("yes", "goods")
            return Place(NORTHERN_IRELAND if one.eu == "goods" else one.counts_as, one.tables, eu, one.name)
    if country in ("US", "CA"):
        return Place(country, region_of(country, region, postal_code) or country, False)
    return Place(country, country, country in EU)
