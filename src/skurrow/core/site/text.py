"""Writing a site file: canonical YAML from a site's data, names in the order of the models, short things on one line.

>>> print(write({"format": "skurrow-site/1", "currencies": [{"code": "EUR"}]}), end="")
format: skurrow-site/1
<BLANKLINE>
currencies:
  - {code: EUR}
"""

from __future__ import annotations

import io
import json
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap, CommentedSeq
from ruamel.yaml.scalarstring import DoubleQuotedScalarString

from skurrow.core.countries import COUNTRIES
from skurrow.core.money import MINOR_UNITS
from skurrow.core.site.known_names import KNOWN_NAMES
from skurrow.core.site.whole import SiteFile

WIDTH = 116
_SHORT = 104

_BLOCKS = {"", "products", "checkouts"}
"""Whose entries are written over several lines."""

_CODES = {"country": sorted(COUNTRIES), "currency": sorted(MINOR_UNITS)}

_LISTED = {
    "currencies",
    "products",
    "prices",
    "coupons",
    "checkouts",
    "stand_in_buyers",
    "rates",
    "registrations",
    "zones",
    "methods",
    "own",
}
"""Lists with an entry a line, however short."""


def write(data: dict[str, Any]) -> str:
    """The text of a site file's data. Reading it gives the same data."""
    yaml = YAML()
    yaml.width = WIDTH * 10  # lines are broken here, by what belongs together
    yaml.indent(mapping=2, sequence=4, offset=2)
    yaml.default_flow_style = False
    written = io.StringIO()
    yaml.dump(_styled(data, "", 0), written)
    return _spaced(written.getvalue())


def schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of a site file, from the models. What it cannot say, `check` does."""
    found = _spelt_out(SiteFile.model_json_schema(by_alias=True))
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **found, "title": "Skurrow site file"}


def _spelt_out(node: Any) -> Any:
    """The schema with every code of a list of codes, so that editors can complete it."""
    if isinstance(node, list):
        return [_spelt_out(one) for one in node]
    if not isinstance(node, dict):
        return node
    codes = _CODES.get(str(node.get("format")))
    if codes is not None:
        return {"type": "string", "enum": codes}
    return {name: _spelt_out(one) for name, one in node.items()}


def _styled(value: Any, owner: str, depth: int) -> Any:
    if isinstance(value, dict):
        names = KNOWN_NAMES.get(owner, [])
        ordered = sorted(value, key=lambda name: names.index(name) if name in names else len(names))
        mapping = CommentedMap((name, _styled(value[name], name, depth + 1)) for name in ordered)
        if owner not in _BLOCKS and _is_short(value):
            mapping.fa.set_flow_style()
        return mapping
    if isinstance(value, list):
        entries = CommentedSeq(_styled(one, owner, depth + 1) for one in value)
        if not any(isinstance(one, dict) for one in value) or (owner not in _LISTED and _is_short(value)):
            entries.fa.set_flow_style()
        return entries
    if isinstance(value, str) and _looks_like_something_else(value):
        return DoubleQuotedScalarString(value)
    return value


def _is_short(value: Any) -> bool:
    return len(json.dumps(value, ensure_ascii=False)) <= _SHORT


def _looks_like_something_else(text: str) -> bool:
    """Whether a plain scalar would be read as a number, a date or an address in another YAML."""
    return not text or not (text[0].isalpha() or text[0] == "_") or ": " in text or text.endswith(":")


def _spaced(text: str) -> str:
    """An empty line before every list of the first level, to be read more easily."""
    lines = text.splitlines()
    spaced = [f"\n{line}" if line.endswith(":") and line[:1].isalpha() and n else line for n, line in enumerate(lines)]
    return "\n".join(spaced) + "\n"
