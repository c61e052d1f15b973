"""Small sites for tests of the core."""

from __future__ import annotations

import copy
from typing import Any

from skurrow.core.check import check_data
from skurrow.core.edition import Edition, compile_site

_PLAIN: dict[str, Any] = {
    "format": "skurrow-site/1",
    "site": {"name": "Plain", "url": "https://plain.example", "country": "NL", "time_zone": "Europe/Amsterdam"},
    "currencies": [
        {"code": "EUR"},
        {"code": "GBP", "rate": "0.86", "round_to": "0.50"},
        {"code": "JPY", "rate": "170", "round_to": "100"},
    ],
    "tax": {"registrations": [{"place": "NL"}]},
    "products": [
        {
            "id": "kit",
            "name": "Kit",
            "kind": "goods",
            "prices": [
                {
                    "id": "kit",
                    "kind": "once",
                    "amount": {"EUR": "48.00", "GBP": "42.00"},
                    "quantity": {"min": 1, "max": 10},
                }
            ],
        },
        {
            "id": "lessons",
            "name": "Lessons",
            "kind": "digital",
            "prices": [{"id": "lessons", "kind": "once", "amount": {"EUR": "79.00"}}],
        },
        {
            "id": "advice",
            "name": "Advice",
            "kind": "service",
            "prices": [{"id": "advice", "kind": "once", "amount": {"EUR": "60.00"}}],
        },
        {
            "id": "day",
            "name": "A day",
            "kind": "event",
            "held_in": "NL",
            "prices": [{"id": "day", "kind": "once", "amount": {"EUR": "95.00"}}],
        },
        {
            "id": "handbook",
            "name": "Handbook",
            "kind": "digital",
            "counts_as": "ebook",
            "prices": [{"id": "handbook", "kind": "once", "amount": {"EUR": "18.00"}}],
        },
    ],
    "checkouts": [{"id": "kit", "name": "Kit", "prices": ["kit"]}],
}


def plain() -> dict[str, Any]:
    """A right site file's data, to be changed at will."""
    return copy.deepcopy(_PLAIN)


def edition(**changes: Any) -> Edition:
    """The compiled site, with top-level parts replaced."""
    return compile_site(check_data({**plain(), **changes}))
