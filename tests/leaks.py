"""Looking through logs for what may never stand in one: tokens, keys, card numbers, passwords, addresses of buyers."""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import Path

from skurrow.standin.cards import CARDS

_PATTERNS = {
    "an address of somebody": re.compile(r"[A-Za-z0-9._%+-]+@[A-Za-z0-9-]+\.[A-Za-z]{2,}"),
    "a signed token": re.compile(r"eyJ[A-Za-z0-9_-]{20,}|[A-Za-z0-9_-]{24,}\.[A-Za-z0-9_-]{27,}"),
    "a sealing key": re.compile(r"(?<![A-Za-z0-9_=-])[A-Za-z0-9_-]{43}=(?![A-Za-z0-9=])"),
    "a signing secret": re.compile(r"whsec_[A-Za-z0-9+/=]+"),
    "a hash of a password": re.compile(r"\$argon2"),
    "a card number": re.compile(rf"(?<![0-9])(?:{'|'.join(one.number for one in CARDS)})(?![0-9])"),
    "what variables held": re.compile(r'"locals"'),
    "a password": re.compile(r"linen-and-thread|three plain words|a long password"),
}


def leaks(text: str, secrets: Iterable[str] = ()) -> list[str]:
    """What stands in a log that may not, each with the line."""
    found = []
    for line in text.splitlines():
        for name, pattern in _PATTERNS.items():
            if pattern.search(line):
                found.append(f"{name}: {line[:300]}")
        found += [f"a secret of this installation: {line[:300]}" for secret in secrets if secret and secret in line]
    return found


def leaks_in(folder: Path, secrets: Iterable[str] = ()) -> list[str]:
    """The same for every log of an installation. The stand-ins are the outside world, and search their own."""
    known = list(secrets)
    return [
        f"{file.name}: {one}"
        for file in sorted(folder.glob("*.log"))
        for one in leaks(file.read_text(errors="replace"), known)
    ]
