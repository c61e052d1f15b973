"""Small sites for tests of the core."""

from __future__ import annotations

import copy
from decimal import Decimal
from typing import Any

from skurrow.core.check.site import check_data
from skurrow.core.edition import Edition, compile_site
from skurrow.core.payments.costs import Tariff
from skurrow.core.payments.ways import Usable
from skurrow.core.tape.tape import Toll


def toll(percent: str = "2.9", fixed: str = "0.30", **more: Any) -> Toll:
    """A connected gateway, for cards and at the usual fee unless it is said otherwise, taking the base currency."""
    usable = Usable(**{"gateway": "standin-cards", "label": "Card", "currencies": ("EUR",), **more})
    return Toll(usable, Tariff(Decimal(percent), fixed, Decimal("1.5"), Decimal(1), "0", "EUR"))


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


_SOLD: list[dict[str, Any]] = [
    {
        "id": "colours",
        "name": "Coloured kit",
        "kind": "goods",
        "stock": 40,
        "variants": [
            {"id": "moss", "name": "Moss"},
            {"id": "chalk", "name": "Chalk", "amount": {"EUR": "52.00"}},
        ],
        "prices": [{"id": "coloured", "kind": "once", "amount": {"EUR": "48.00", "GBP": "42.00"}, "default": True}],
    },
    {
        "id": "parcel",
        "name": "Paper parcel",
        "kind": "goods",
        "prices": [
            {"id": "month", "kind": "recurring", "every": "P1M", "amount": {"EUR": "24.00"}},
            {"id": "quarter", "kind": "recurring", "every": "P3M", "amount": {"EUR": "66.00"}},
            {
                "id": "year",
                "kind": "recurring",
                "every": "P1Y",
                "amount": {"EUR": "240.00"},
                "start": {"free": "P14D"},
            },
            {
                "id": "taste",
                "kind": "recurring",
                "every": "P1M",
                "amount": {"EUR": "24.00"},
                "start": {"amount": {"EUR": "6.00"}, "for": "P1M", "times": 2},
            },
            {"id": "kept", "kind": "recurring", "every": "P1M", "amount": {"EUR": "21.00"}, "offered": False},
            {"id": "moved", "kind": "free", "for": ["old@example.org"]},
        ],
    },
    {
        "id": "press",
        "name": "Bench press",
        "kind": "goods",
        "prices": [
            {"id": "press", "kind": "once", "amount": {"EUR": "420.00"}},
            {"id": "press-4", "kind": "instalments", "every": "P1M", "payments": 4, "amount": {"EUR": "112.00"}},
            {
                "id": "press-hire",
                "kind": "instalments",
                "every": "P1M",
                "payments": 5,
                "again": "P1Y",
                "amount": {"EUR": "21.00"},
            },
        ],
    },
    {
        "id": "starter",
        "name": "Starter set",
        "kind": "goods",
        "contains": [{"price": "kit", "quantity": 1}, {"price": "handbook", "quantity": 2}],
        "prices": [
            {"id": "starter", "kind": "once", "amount": {"EUR": "65.00"}},
            {"id": "gift", "kind": "once", "chosen": {"minimum": {"EUR": "5.00"}}},
        ],
    },
    {
        "id": "almanac",
        "name": "Almanac",
        "kind": "goods",
        "available_from": "2027-03-01",
        "charged": "at_release",
        "prices": [{"id": "almanac", "kind": "once", "amount": {"EUR": "30.00"}}],
    },
]

_COUPONS: list[dict[str, Any]] = [
    {"id": "BIND10", "percent": "10", "only": ["kit", "colours"], "until": "2027-12-31"},
    {"id": "FIRST3", "percent": "50", "renewals": 3},
    {"id": "FIVER", "amount": {"EUR": "5.00"}, "minimum": {"EUR": "40.00"}, "combine": False},
    {"id": "EACH", "amount": {"EUR": "3.00"}, "renewals": "all"},
    {"id": "TENNER", "amount": {"EUR": "10.00"}},
]


def shop() -> dict[str, Any]:
    """A right site file's data with every kind of price, a bundle, variants and coupons, to be changed at will."""
    data = plain()
    data["products"] += copy.deepcopy(_SOLD)
    data["coupons"] = copy.deepcopy(_COUPONS)
    return data


def sold(**changes: Any) -> Edition:
    """That shop compiled, with top-level parts replaced."""
    return compile_site(check_data({**shop(), **changes}))
