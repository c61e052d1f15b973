"""What mails to customers say, by language: a subject, sentences, and what a button in them is called.

The words are data, a file a language in `mails/`. Placeholders: `{name}` what is subscribed to, `{shop}`, `{amount}`,
`{day}`, `{next}` (what is charged next, and when), `{card}`, `{reason}`, `{plan}`. A sentence whose placeholder is
empty is left out.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import NamedTuple

from babel.core import Locale, UnknownLocaleError

FOLDER = Path(__file__).parent / "mails"


class Words(NamedTuple):
    """One mail; `button` names where its link leads, if it has one."""

    subject: str
    sentences: tuple[str, ...]
    button: str = ""


def _read(file: Path) -> tuple[dict[str, Words], dict[str, str]]:
    data = tomllib.loads(file.read_text(encoding="utf-8"))
    plain_words = data.pop("plain")
    mails = {kind: Words(one["subject"], tuple(one["sentences"]), one.get("button", "")) for kind, one in data.items()}
    return mails, plain_words


_READ = {file.stem: _read(file) for file in sorted(FOLDER.glob("*.toml"))}

MAILS: Mapping[str, Mapping[str, Words]] = {language: mails for language, (mails, _) in _READ.items()}
"""The mails, by language and kind. Every language has every kind."""

PLAIN: Mapping[str, Mapping[str, str]] = {language: words for language, (_, words) in _READ.items()}
"""Short sentences, by language and code."""


def language_of(given: str | None) -> str:
    """The language of a mail to somebody whose language is `given` ("nl-BE"); English where there is none of ours.

    >>> language_of("nl-BE"), language_of("fi"), language_of(None)
    ('nl', 'en', 'en')
    """
    first = (given or "").partition("-")[0].casefold()
    return first if first in MAILS else "en"


def locale_of(given: str | None) -> str:
    """How amounts and days are written for somebody whose language is `given`: as in their country, if CLDR knows it.

    >>> locale_of("nl-BE"), locale_of("en-US"), locale_of(None), locale_of("fi")
    ('nl_BE', 'en_US', 'en_GB', 'en_GB')
    """
    language = language_of(given)
    usual = {"en": "en_GB"}.get(language, language)
    try:
        found = Locale.parse((given or "").replace("-", "_"))
    except (ValueError, UnknownLocaleError):
        return usual
    return str(found) if found.language == language and found.territory else usual


def plain(language: str, code: str, **words: str) -> str:
    """A short sentence of a language; for a reason that it does not know, that none was given."""
    found = PLAIN[language].get(code) or PLAIN[language]["other"]
    return found.format(**words)
