"""The map of treatments: what of a site is taxed where, how, and why; and where it sells without being registered."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

from skurrow.core.countries import EU
from skurrow.core.edition import Edition
from skurrow.core.order import Buyer
from skurrow.core.tax.deciding import Ruling, What
from skurrow.core.tax.rates import OWNER, rate_text

NEAR = ("GB", "CH", "NO", "AU", "NZ")

SPECIAL = (
    ("GB", "BT1 5GS", "Northern Ireland"),
    ("ES", "35001", "Canary Islands"),
    ("PT", "9500-100", "Azores"),
    ("PT", "9000-001", "Madeira"),
    ("FI", "22100", "Åland"),
    ("MC", None, "Monaco"),
)
"""Places inside places, by a postal code in them."""

_NUMBER = {"GB": "GB999000005", "CH": "CHE999000002", "NO": "999000002MVA", "AU": "11999000016", "NZ": "99900008"}
"""Well-formed made-up numbers, for the column of businesses."""

_MISSING = {
    "eu_below_threshold": (
        "Consumers across EU borders are taxed at home. That is right up to EUR 10,000 in this year and the last; "
        "above, register for the one-stop shop."
    ),
    "held_unregistered": "Events are held where you are not registered.",
    "online_event_unregistered": "Events held online are sold to consumers where you are not registered.",
    "not_registered_there": "You sell to states where you are not registered.",
    "gb_no_threshold": (
        "The United Kingdom wants tax on what is digital from the first sale to a consumer, and you are not registered "
        "there (from memory)."
    ),
}


@dataclass(frozen=True, slots=True)
class Cell:
    """How one kind of product is taxed for one buyer: a rate as a text ("0.21") or none, the treatment, the reason
    with its code, and where each rate comes from."""

    rate: str | None
    treatment: str
    place: str
    code: str
    reason: str
    notes: tuple[str, ...]
    sources: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class MapRow:
    """A place with its cells: for each kind sold, for a consumer and for a business. `group` is where it stands."""

    group: str
    place: str
    name: str | None
    cells: tuple[tuple[Cell, Cell], ...]


@dataclass(frozen=True, slots=True)
class Missing:
    """Where the site sells and is not registered: what to know, and how many places it is about."""

    code: str
    words: str
    places: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class TreatmentMap:
    """The map on a day."""

    kinds: tuple[What, ...]
    rows: tuple[MapRow, ...]
    missing: tuple[Missing, ...]


def kinds_sold(edition: Edition) -> tuple[What, ...]:
    """The kinds of product of a site, as far as tax tells them apart, in the order in which they first come."""
    found = tuple(dict.fromkeys(What.of(product) for product in edition.site.products))
    return found or (What("goods", "standard", None), What("digital", "standard", None))


def treatments(edition: Edition, day: date) -> TreatmentMap:
    """The map of a site on a day."""
    kinds = kinds_sold(edition)
    rows = []
    found: dict[str, tuple[str, list[str]]] = {}
    for group, country, region, postal, name in _places(edition):
        cells = []
        for what in kinds:
            pair = []
            for business in (False, True):
                ruling = _ruling(edition, what, country, region, postal, business, day)
                pair.append(_cell(ruling))
                if not business:
                    _note_missing(found, ruling, region or country)
            cells.append((pair[0], pair[1]))
        rows.append(MapRow(group, region or country, name, tuple(cells)))
    told = found if edition.site.products else {}  # of what nobody sells yet nothing is missing
    missing = tuple(Missing(code, words, tuple(places)) for code, (words, places) in told.items())
    return TreatmentMap(kinds, tuple(rows), missing)


def _places(edition: Edition) -> Iterator[tuple[str, str, str | None, str | None, str | None]]:
    """Group, country, region, postal code, and a name where it is none of a country."""
    home = edition.site.site.country
    registered = sorted({one.place for one in edition.site.tax.registrations if one.place})
    yield "home", home, None, None, None
    for country in sorted(EU - {home}):
        yield "eu", country, None, None, None
    for country, postal, name in SPECIAL:
        if country != home or country in EU:
            yield "special", country, None, postal, name
    for country in NEAR:
        if country != home:
            yield "near", country, None, None, None
    for country in ("US", "CA"):
        for place in registered:
            if place.startswith(f"{country}-"):
                yield "near", country, place, None, None
        if country != home:
            yield "near", country, None, None, None
    shown = {*NEAR, "US", "CA", home}
    for place in registered:
        if place not in EU and place.partition("-")[0] not in shown:
            yield "near", place, None, None, None
    yield "elsewhere", "JP" if home != "JP" else "KR", None, None, "Anywhere else"


def _ruling(
    edition: Edition, what: What, country: str, region: str | None, postal: str | None, business: bool, day: date
) -> Ruling:
    number = None
    if business:
        number = _NUMBER.get(country) or ("BE0999000030" if edition.seller.home != "BE" else "DE999991005")
    buyer = Buyer(
        country=country,
        region=region,
        postal_code=postal,
        business=business,
        tax_number=number,
        tax_number_confirmed=True if number else None,
    )
    return edition.seller.ruling(what, buyer, bool(edition.zones.all), day)


def _cell(ruling: Ruling) -> Cell:
    rates = [levy.rate for levy in ruling.levies]
    return Cell(
        rate=rate_text(sum((rate.rate for rate in rates[1:]), rates[0].rate)) if rates else None,
        treatment=ruling.treatment,
        place=ruling.place,
        code=ruling.reason[0],
        reason=ruling.reason[1],
        notes=tuple(text for _, text, _ in ruling.notes),
        sources=tuple(
            dict.fromkeys(
                "Your own rate." if rate.source == OWNER else f"{rate.source}." for rate in rates if rate.source
            )
        ),
    )


def _note_missing(found: dict[str, tuple[str, list[str]]], ruling: Ruling, place: str) -> None:
    for code in (ruling.reason[0], *(note[0] for note in ruling.notes)):
        if code in _MISSING:
            listed = found.setdefault(code, (_MISSING[code], []))[1]
            if place not in listed:
                listed.append(place)
