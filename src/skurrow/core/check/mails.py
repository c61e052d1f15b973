"""Checking mails: what their own sentences name has to be there to be named."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from skurrow.core.check.known import repeated
from skurrow.core.problems import Path, Problem
from skurrow.core.site.mails import ABOUT, PLACEHOLDER, Mails


def mails_problems(mails: Mails) -> Iterator[Problem]:
    """What is wrong with the owner's words for mails."""
    yield from repeated([(("mails", "own", i, "id"), one.id) for i, one in enumerate(mails.own)], "mail")
    for i, one in enumerate(mails.own):
        path: Path = ("mails", "own", i)
        for name in ("subject", "text"):
            yield from _unknown(getattr(one, name), ABOUT[one.id].facts, (*path, name))
    yield from _unknown(mails.foot, ("shop.name",), ("mails", "foot"))


def _unknown(text: str | Mapping[str, str] | None, facts: Iterable[str], path: Path) -> Iterator[Problem]:
    if isinstance(text, Mapping):
        for language, one in text.items():
            yield from _unknown(one, facts, (*path, language))
        return
    known = [f"{{{name}}}" for name in facts]
    for name in dict.fromkeys(PLACEHOLDER.findall(text or "")):
        if f"{{{name}}}" not in known:
            message = f"There is no {{{name}}} in this mail"
            yield Problem(path, message, f"Write {', '.join(known)}, or leave it out", "unknown")
