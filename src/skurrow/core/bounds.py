"""What may come in at all: how deep, how many digits, which letters, which days. Asked of everything that is read,
whoever sent it, before anything is reckoned with it.

Numbers are looked at as text, since a short one can stand for a gigantic one (`1E+500000000`). Letters are those that a
page, a paper, a mail and the database can all hold: XML 1.0 (section 2.2, Char) names the ones that no paper can bear.

>>> digits("12", 3), digits("²", 3), digits("1" * 5000, 3)
(12, None, None)
>>> unfit("Jo\\ud800"), unfit("Zoë 🙂"), in_one_line("a\\nb")
('\\ud800', None, 'a b')
"""

from __future__ import annotations

import math
import re
from datetime import date, datetime, timedelta
from typing import Any

from pydantic_core import from_json

from skurrow.core.problems import InvalidInput, Path, Problem

MOST_DEPTH = 32
"""Values within values; a site file needs eight."""

MOST_DIGITS = 18
"""Of a whole number in JSON or YAML: what fits into 64 bits."""

MOST_PIECES = 999_999
"""Of one thing in an order."""

FIRST_DAY, LAST_DAY = date(1900, 1, 1), date(9999, 12, 31)
"""Days that can be written down; `coming` says which of them something may fall due on."""

FARTHEST = timedelta(days=3660)
"""How far away a day may be on which something is to happen."""

# Control characters but tab and line ends; surrogates; what XML 1.0 has no room for.
_NEVER = "\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff"
# Letters that nobody sees: without width, or turning what follows around. The joiners U+200C and U+200D are needed in
# several scripts and between emoji.
_UNSEEN = "\u200b\u200e\u200f\u202a-\u202e\u2060-\u2069\ufeff"
_UNFIT = re.compile(f"[{_NEVER}]")
_UNFIT_IN_A_TEXT = re.compile(f"[{_NEVER}\r]")
_UNFIT_IN_A_LINE = re.compile(f"[{_NEVER}{_UNSEEN}\t\n\r\x85\u2028\u2029]")
_NO_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def unfit(text: str) -> str | None:
    """The first character of a text that nothing can keep, or None."""
    found = _UNFIT.search(text)
    return found[0] if found else None


def printable(text: str) -> str:
    """The text; raises ValueError for one with a character that no page, paper or database can show."""
    return _without(_UNFIT_IN_A_TEXT, text)


def one_line(text: str) -> str:
    """The same of a text that stands on one line: a name, a heading, the subject of a mail."""
    if len(text.splitlines()) > 1:
        raise ValueError("has several lines; write it on one")
    return _without(_UNFIT_IN_A_LINE, text)


def in_one_line(text: str) -> str:
    """A text from before this was asked of it, with all that does not fit on a line as spaces."""
    return " ".join(_UNFIT_IN_A_LINE.sub(" ", text).split())


def for_xml(text: str) -> str:
    """The text without what an XML 1.0 document cannot hold."""
    return _NO_XML.sub("", text)


def digits(text: str, most: int) -> int | None:
    """A whole number of at most so many plain digits; None for anything else."""
    return int(text) if 0 < len(text) <= most and text.isascii() and text.isdigit() else None


def day(text: str) -> date | None:
    """An ISO 8601 day that is reckoned with; None for anything else."""
    try:
        found = date.fromisoformat(text) if len(text) == 10 and text.isascii() else None
    except ValueError:
        return None
    return found if found is not None and FIRST_DAY <= found <= LAST_DAY else None


def coming(on: date, today: date) -> bool:
    """Whether something may be asked for on a day: after today, and within the next ten years."""
    return today < on <= today + FARTHEST


def instant_within(at: datetime) -> datetime:
    """The instant; raises ValueError for one whose day, wherever it is read, is not reckoned with."""
    if not FIRST_DAY < at.date() < LAST_DAY:  # wherever it is read, its day exists
        raise ValueError(f"is not between {FIRST_DAY.year} and {LAST_DAY.year}; correct it")
    return at


def json_value(content: bytes | str) -> Any:
    """A JSON value within bounds. Raises InvalidInput naming the place of what is not."""
    try:
        value = from_json(content, allow_inf_nan=False, cache_strings="none")
    except ValueError as error:
        message = "This is nested too deep" if "recursion" in str(error) else "This is not JSON"
        raise InvalidInput([Problem((), message, "Correct it", "json_invalid")]) from None
    problem = beyond(value)
    if problem is not None:
        raise InvalidInput([problem])
    return value


def beyond(value: Any, path: Path = ()) -> Problem | None:
    """The first thing in plain data that is out of bounds, or None."""
    if isinstance(value, str):
        character = unfit(value)
        if character is None:
            return None
        return Problem(path, f"holds a character that cannot be kept ({_named(character)})", "Remove it", "unfit")
    if isinstance(value, bool) or value is None:
        return None
    if isinstance(value, int):
        if -(10**MOST_DIGITS) < value < 10**MOST_DIGITS:
            return None
        return Problem(path, f"has more than {MOST_DIGITS} digits", "Write a smaller number", "too_long")
    if isinstance(value, float):
        return None if math.isfinite(value) else Problem(path, "is no number", "Write a smaller one", "too_long")
    if not isinstance(value, dict | list):
        return None
    if len(path) >= MOST_DEPTH:
        return Problem(path[:4], "is nested too deep", "Take it apart", "too_deep")
    if isinstance(value, dict):
        for name, inside in value.items():
            problem = beyond(name, (*path, "…")) or beyond(inside, (*path, name))
            if problem is not None:
                return problem
        return None
    for i, inside in enumerate(value):
        problem = beyond(inside, (*path, i))
        if problem is not None:
            return problem
    return None


def _without(letters: re.Pattern[str], text: str) -> str:
    found = letters.search(text)
    if found is not None:
        raise ValueError(f"holds a character that cannot be shown ({_named(found[0])}); remove it")
    return text


def _named(character: str) -> str:
    return f"U+{ord(character):04X}"
