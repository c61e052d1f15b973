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
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.composer import Composer
from ruamel.yaml.error import MarkedYAMLError, YAMLError
from ruamel.yaml.nodes import MappingNode, Node, ScalarNode, SequenceNode

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
        reader = YAML(typ="safe", pure=True)
        reader.Composer = _Bounded
        node = reader.compose(text)
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line = mark.line + 1 if mark else None
        what = " ".join(part for part in (error.context, error.problem) if part)
        remedy = "Look at the indentation, quotes and brackets on this line and the one above"
        return SiteText(None, problems=[Problem((), f"This is not YAML: {what}", remedy, line=line)])
    except (YAMLError, ValueError) as error:
        first = str(error).splitlines()[0]
        return SiteText(None, problems=[Problem((), f"This is not YAML: {first}", "Save the file as UTF-8 text")])
    result = SiteText(None)
    if node is not None:
        result.data = _plain(node, (), result, frozenset())
    if result.data is None and not result.problems:
        result.problems.append(Problem((), "The file is empty", "Begin with format: skurrow-site/1", line=1))
    return result


class _Bounded(Composer):
    """Follows nesting as far as values are looked at, and no further."""

    depth = 0

    def compose_node(self, parent: Any, index: Any) -> Any:
        self.depth += 1
        if self.depth > MOST_DEPTH:
            mark = self.parser.peek_event().start_mark
            raise MarkedYAMLError(problem=f"nested more than {MOST_DEPTH} deep", problem_mark=mark)
        node = super().compose_node(parent, index)
        self.depth -= 1
        return node


def _plain(node: Node, path: Path, result: SiteText, above: frozenset[int]) -> Any:
    result.lines.setdefault(path, node.start_mark.line + 1)
    if id(node) in above or len(result.lines) > _MOST_VALUES:
        result.problems.append(
            Problem(path, "refers to itself, or the file repeats too much", "Write it out", line=_line(node))
        )
        return None
    if isinstance(node, ScalarNode):
        return _scalar(node, path, result)
    inside = above | {id(node)}
    if isinstance(node, SequenceNode):
        return [_plain(child, (*path, i), result, inside) for i, child in enumerate(node.value)]
    if not isinstance(node, MappingNode):
        raise TypeError(f"YAML has no such node: {node!r}")
    mapping: dict[str, Any] = {}
    for key_node, value_node in node.value:
        if not isinstance(key_node, ScalarNode):
            problem = Problem(path, "has a name that is no text", "Write a plain name", line=_line(key_node))
            result.problems.append(problem)
            continue
        key = _text(key_node, key_node.value, path, result)
        if key in mapping:
            message = f"is written twice (first on line {result.lines[(*path, key)]})"
            problem = Problem((*path, key), message, "Remove one of them", "written_twice", _line(key_node))
            result.problems.append(problem)
            continue
        result.lines[(*path, key)] = _line(key_node)
        mapping[key] = _plain(value_node, (*path, key), result, inside)
    return mapping


def _scalar(node: ScalarNode, path: Path, result: SiteText) -> Any:
    kind = str(node.tag).rpartition(":")[2]
    text: str = node.value
    match kind:
        case "null":
            return None
        case "bool":
            return text.lower() == "true"
        case "int" if _INTEGER.fullmatch(text):
            if len(text) <= MOST_DIGITS:
                return int(text, _BASES.get(text[:2], 10))
            message = f"has more than {MOST_DIGITS} digits"
            result.problems.append(Problem(path, message, "Write a smaller number", "too_long", _line(node)))
            return None
        case "float" if _FLOAT.fullmatch(text) and len(text) <= 2 * MOST_DIGITS and math.isfinite(float(text)):
            return float(text)
        case "str" | "timestamp" | "int" | "float":
            return _text(node, text, path, result)
        case _:
            result.problems.append(Problem(path, f"has the tag {node.tag}", "Remove the tag", line=_line(node)))
            return None


def _text(node: Node, text: str, path: Path, result: SiteText) -> str:
    problem = beyond(text, path)
    if problem is None:
        return text
    result.problems.append(replace(problem, line=_line(node)))
    return "".join(letter for letter in text if unfit(letter) is None)


def _line(node: Node) -> int:
    return int(node.start_mark.line) + 1
