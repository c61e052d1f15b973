"""Reading a site file: YAML with YAML 1.2 scalars (`NO` is Norway), or JSON, which is a subset of it.

Every value keeps the line it stands on, so that a problem can be shown where it is.

>>> text = "site:\\n  country: NO"
>>> read(text).data, read(text).line_of(("site", "country"))
({'site': {'country': 'NO'}}, 2)
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import yaml  # type: ignore[import-untyped]

from skurrow.core.bounds import MOST_DEPTH, MOST_DIGITS, beyond, unfit
from skurrow.core.problems import Path, Problem

LARGEST_FILE = 8 * 1024 * 1024
"""Bytes; a site file above this is refused unread."""

_MOST_VALUES = 500_000
# Numbers of the YAML 1.2 core schema; whatever else looks like one to YAML 1.1 (1_000, 1:30) is text.
_INTEGER = re.compile(r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+")
_FLOAT = re.compile(r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?")
_BASES = {"0o": 8, "0x": 16}


@dataclass
class SiteText:
    """A site file as plain data, with the line of each path and what was wrong with the text itself."""

    data: Any
    lines: dict[Path, int] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)

    def line_of(self, path: Path) -> int | None:
        """The line of a path, or of the nearest thing around it that the text has."""
        for length in range(len(path), -1, -1):
            if path[:length] in self.lines:
                return self.lines[path[:length]]
        return None


def read(text: str) -> SiteText:
    """Reads the text; problems of YAML itself (syntax, names written twice) are in `problems`."""
    if len(text.encode()) > LARGEST_FILE:
        problem = Problem((), "The file is larger than 8 MiB", "Split the site, or remove what is not needed")
        return SiteText(None, problems=[problem])
    try:
        node = _composed(text)
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line = mark.line + 1 if mark else None
        what = " ".join(part for part in (error.context, error.problem) if part)
        if "maximum nesting depth" in what:
            what = f"nested more than {MOST_DEPTH} deep"
        remedy = "Look at the indentation, quotes and brackets on this line and the one above"
        return SiteText(None, problems=[Problem((), f"This is not YAML: {what}", remedy, line=line)])
    except (yaml.YAMLError, ValueError) as error:
        first = str(error).splitlines()[0]
        return SiteText(None, problems=[Problem((), f"This is not YAML: {first}", "Save the file as UTF-8 text")])
    result = SiteText(None)
    if node is not None:
        result.data = _plain(node, (), result, frozenset())
    if result.data is None and not result.problems:
        result.problems.append(Problem((), "The file is empty", "Begin with format: skurrow-site/1", line=1))
    return result


@dataclass(slots=True)
class _Node:
    """A value as it is written: a text, or what is in it (pairs of a mapping one after the other), and its line."""

    kind: Literal["scalar", "sequence", "mapping"]
    tag: str
    line: int
    text: str = ""
    inside: list[_Node] = field(default_factory=list)


def _composed(text: str) -> _Node | None:
    """The value of a text with one document. Raises YAMLError; nesting is followed as far as values are looked at."""
    anchors: dict[str, _Node] = {}
    around: list[_Node] = []
    found: _Node | None = None
    for event in yaml.parse(text, Loader=yaml.CSafeLoader):
        kind = type(event)
        line = event.start_mark.line + 1
        if kind is yaml.ScalarEvent:
            plain = event.tag is None and event.implicit[0]
            node = _Node("scalar", _kind_of(event.value) if plain else event.tag or "str", line, event.value)
        elif kind is yaml.MappingEndEvent or kind is yaml.SequenceEndEvent:
            around.pop()
            continue
        elif kind is yaml.MappingStartEvent:
            node = _Node("mapping", event.tag or "", line)
        elif kind is yaml.SequenceStartEvent:
            node = _Node("sequence", event.tag or "", line)
        elif kind is yaml.AliasEvent:
            if event.anchor not in anchors:
                raise _wrong(f"it refers to “{event.anchor}”, which is not there", event)
            node = anchors[event.anchor]
        else:
            if kind is yaml.DocumentStartEvent and found is not None:
                raise _wrong("there are several documents in it", event)
            continue
        if around:
            around[-1].inside.append(node)
        else:
            found = node
        if kind is not yaml.AliasEvent:
            if event.anchor:
                anchors[event.anchor] = node
            if kind is not yaml.ScalarEvent:
                around.append(node)
                if len(around) > MOST_DEPTH:
                    raise _wrong(f"nested more than {MOST_DEPTH} deep", event)
    return found


def _wrong(what: str, event: Any) -> yaml.MarkedYAMLError:
    return yaml.MarkedYAMLError(problem=what, problem_mark=event.start_mark)


def _kind_of(text: str) -> str:
    """What a plain scalar is by YAML 1.2's core schema."""
    if text in ("", "~", "null", "Null", "NULL"):
        return "null"
    if text in ("true", "True", "TRUE", "false", "False", "FALSE"):
        return "bool"
    if _INTEGER.fullmatch(text):
        return "int"
    return "float" if _FLOAT.fullmatch(text) else "str"


def _plain(node: _Node, path: Path, result: SiteText, above: frozenset[int]) -> Any:
    result.lines.setdefault(path, node.line)
    if id(node) in above or len(result.lines) > _MOST_VALUES or len(path) > MOST_DEPTH:
        result.problems.append(
            Problem(path, "refers to itself, or the file repeats too much", "Write it out", line=node.line)
        )
        return None
    if node.kind == "scalar":
        return _scalar(node, path, result)
    inside = above | {id(node)}
    if node.kind == "sequence":
        return [_plain(child, (*path, i), result, inside) for i, child in enumerate(node.inside)]
    mapping: dict[str, Any] = {}
    for key_node, value_node in zip(node.inside[::2], node.inside[1::2], strict=True):
        if key_node.kind != "scalar":
            problem = Problem(path, "has a name that is no text", "Write a plain name", line=key_node.line)
            result.problems.append(problem)
            continue
        key = _text(key_node, key_node.text, path, result)
        if key in mapping:
            message = f"is written twice (first on line {result.lines[(*path, key)]})"
            problem = Problem((*path, key), message, "Remove one of them", "written_twice", key_node.line)
            result.problems.append(problem)
            continue
        result.lines[(*path, key)] = key_node.line
        mapping[key] = _plain(value_node, (*path, key), result, inside)
    return mapping


def _scalar(node: _Node, path: Path, result: SiteText) -> Any:
    kind, text = node.tag.rpartition(":")[2], node.text
    match kind:
        case "null":
            return None
        case "bool":
            return text.lower() == "true"
        case "int" if _INTEGER.fullmatch(text):
            if len(text) <= MOST_DIGITS:
                return int(text, _BASES.get(text[:2], 10))
            message = f"has more than {MOST_DIGITS} digits"
            result.problems.append(Problem(path, message, "Write a smaller number", "too_long", node.line))
            return None
        case "float" if _FLOAT.fullmatch(text) and len(text) <= 2 * MOST_DIGITS and math.isfinite(float(text)):
            return float(text)
        case "str" | "timestamp" | "int" | "float" | "!":
            return _text(node, text, path, result)
        case _:
            result.problems.append(Problem(path, f"has the tag {node.tag}", "Remove the tag", line=node.line))
            return None


def _text(node: _Node, text: str, path: Path, result: SiteText) -> str:
    problem = beyond(text, path)
    if problem is None:
        return text
    result.problems.append(replace(problem, line=node.line))
    return "".join(letter for letter in text if unfit(letter) is None)
