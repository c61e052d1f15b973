"""What is wrong with an input, as data: where, what, and what to do about it."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

Path = tuple[str | int, ...]


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing that is wrong: `path` into the input, a sentence, a remedy, and the line where it is known."""

    path: Path
    message: str
    remedy: str
    code: str = "invalid"
    line: int | None = None

    @property
    def where(self) -> str:
        """The path as one reads it: `products[0].prices[1].amount.EUR`."""
        text = ""
        for step in self.path:
            text += f"[{step}]" if isinstance(step, int) else f".{step}"
        return text.removeprefix(".")

    def as_json(self) -> dict[str, Any]:
        """The problem as one entry of a problem-details `errors` list."""
        found = {"path": self.where, "message": self.message, "remedy": self.remedy, "code": self.code}
        return found if self.line is None else {**found, "line": self.line}


class InvalidInput(Exception):
    """The input cannot be computed with; `problems` has at least one entry."""

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems = list(problems)
        super().__init__("; ".join(f"{p.where}: {p.message}" for p in self.problems))


_SENTENCES: dict[str, tuple[str, str]] = {
    "missing": ("is missing", "Add it"),
    "string_type": ("must be a text", 'Write it in quotes, as in "48.00"'),
    "string_too_short": ("is empty", "Write something here"),
    "string_too_long": ("is longer than {max_length} characters", "Shorten it"),
    "string_pattern_mismatch": ("is no {what}", "Write {pattern}"),
    "int_type": ("must be a whole number", "Write digits without quotes"),
    "bool_type": ("must be true or false", "Write true or false, without quotes"),
    "list_type": ("must be a list", "Write it as [a, b] or with a dash before each entry"),
    "too_short": ("has too few entries: at least {min_length}", "Add one"),
    "too_long": ("has too many entries: at most {max_length}", "Remove some"),
    "dict_type": ("must be a mapping", 'Write names with values, as in {{EUR: "48.00"}}'),
    "model_type": ("must be a mapping", "Write names with values"),
    "literal_error": ("must be {expected}", "Write one of these"),
    "greater_than_equal": ("must be at least {ge}", "Write a larger number"),
    "greater_than": ("must be more than {gt}", "Write a larger number"),
    "less_than_equal": ("must be at most {le}", "Write a smaller number"),
    "json_invalid": ("This is not JSON", "Correct it"),
    "timezone_aware": ("needs a time zone", 'End it with "Z" or an offset, as in "2026-11-24T10:00:00Z"'),
}

_PATTERNS = {
    "code": ("identifier", "small letters, digits and single hyphens"),
    "decimal": ("decimal number", 'digits with a point, as in "0.86"'),
    "amount": ("amount", 'digits with a point, as in "48.00"'),
    "country": ("country", "two capital letters of ISO 3166-1, as in NL"),
    "currency": ("currency", "three capital letters of ISO 4217, as in EUR"),
    "place": ("place", "a country or a region in full, as in NL or US-NY"),
    "coupon": ("coupon's code", "letters, digits and single hyphens, as in SPRING-10"),
    "zone_place": (
        "place",
        "a country, a region, a country with the beginning of its postal codes, or *, as in NL, US-NY, DE 27",
    ),
    "prefix": ("beginning of a postal code", "letters and digits"),
    "picture": ("picture's name", 'small letters, digits and hyphens with .png, .jpg or .webp, as in "kit.webp"'),
    "language": ("language", "two or three small letters of ISO 639, as in nl"),
    "category": ("category", "a word or a few, without commas"),
    "colour": ("colour", 'six hexadecimal digits, as in "#6A2C38"'),
}
"""What each form is, and how it is written."""


def problems_of(error: ValidationError, known: dict[str, list[str]] | None = None) -> list[Problem]:
    """A Pydantic error in our words. `known` lists the allowed names of each model, to suggest a near one."""
    return problems_in(error.errors(include_url=False), known or {})


def problems_in(entries: Sequence[Any], known: dict[str, list[str]]) -> list[Problem]:
    """The same for the entries of an error, as Pydantic lists them."""
    found = []
    for entry in entries:
        path = tuple(step for step in entry["loc"] if not str(step).startswith("|"))  # which of several forms it has
        kind = entry["type"]
        context = entry.get("ctx", {})
        if kind == "extra_forbidden":
            found.append(_unknown_name(path, known))
            continue
        if kind == "value_error" and "error" not in context:  # Pydantic's own kinds of text, such as EmailStr
            found.append(Problem(path, "is no email address", "Write it as in name@example.org"))
            continue
        if kind == "value_error":
            message, _, remedy = str(context["error"]).partition("; ")
            found.append(Problem(path, message, _sentence(remedy or "Correct it")))
            continue
        message, remedy = _SENTENCES.get(kind, (entry["msg"], "Correct it"))
        if kind == "string_pattern_mismatch":
            what, words_ = _pattern_in_words(str(context["pattern"]))
            context = {"what": what, "pattern": words_}
        words = {name: str(value) for name, value in context.items()}
        found.append(Problem(path, message.format(**words), remedy.format(**words), code=kind))
    return found


def _unknown_name(path: Path, known: dict[str, list[str]]) -> Problem:
    name = str(path[-1])
    owner = next((str(step) for step in reversed(path[:-1]) if isinstance(step, str)), "")
    near = difflib.get_close_matches(name, known.get(owner, []), n=1)
    remedy = f"Did you mean “{near[0]}”?" if near else "Remove it, or look for the right name in the docs"
    return Problem(path, "is not a known name here", remedy, code="unknown_name")


def _pattern_in_words(pattern: str) -> tuple[str, str]:
    """What a pattern is one of, and how that is written."""
    named = re.match(r"\(\?P<(\w+)>", pattern.lstrip("^"))
    return _PATTERNS.get(named[1] if named else "", ("text of the right form", f"it so that it fits {pattern}"))


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:]
