"""Configuration that was stored before today's bounds were asked of it, brought within them as it is read back.

What buyers bought under an old release has to be readable for ever, so it is never refused: names stand on one line,
days outside the calendar become its first or last, an address of the website loses what no address can hold.

>>> mended({"name": "Ostrel\\nBindery", "until": "0001-12-31"})
{'name': 'Ostrel Bindery', 'until': '1900-01-01'}
"""

from __future__ import annotations

import re
from typing import Any

from skurrow.core.bounds import FIRST_DAY, LAST_DAY, in_one_line

_TEXTS = {"text", "sentence", "foot"}
"""Names of what may have several lines."""

_DAY = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_IN_AN_ADDRESS = re.compile(r"[^A-Za-z0-9./:_~?=&%\[\]-]")


def mended(value: Any, name: str = "") -> Any:
    """The same data within today's bounds."""
    if isinstance(value, dict):
        return {key: mended(inside, name if name in _TEXTS else key) for key, inside in value.items()}
    if isinstance(value, list):
        return [mended(inside, name) for inside in value]
    if not isinstance(value, str) or name in _TEXTS:
        return value
    if _DAY.fullmatch(value):
        return min(max(value, FIRST_DAY.isoformat()), LAST_DAY.isoformat())
    if name == "url":
        return _IN_AN_ADDRESS.sub("", value)
    return in_one_line(value)
