"""Places by the names that people read."""

from __future__ import annotations

from babel import Locale

_NAMES = Locale("en").territories
_OURS = {"XI": "Northern Ireland", "IC": "Canary Islands", "EA": "Ceuta and Melilla"}


def place_name(place: str) -> str:
    """A country's name, and after it a region's code: "Germany", "United States, NY"."""
    country, _, region = place.partition("-")
    name = _OURS.get(place) or str(_NAMES.get(country, country))
    return f"{name}, {region}" if region else name
