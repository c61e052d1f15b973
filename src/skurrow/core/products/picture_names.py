"""Under which name a picture is kept that was sent as a file."""

from __future__ import annotations

import re
from pathlib import PurePath


def kept_as(file_name: str, n: int = 1) -> str:
    """The name of a picture from that of its file; the `n`th where others are called so.

    >>> kept_as("Moss, wide.JPG"), kept_as("moss.png", 2), kept_as("…")
    ('moss-wide.webp', 'moss-2.webp', 'picture.webp')
    """
    stem = re.sub(r"[^a-z0-9]+", "-", PurePath(file_name).stem.lower()).strip("-")[:60].strip("-") or "picture"
    return f"{stem}.webp" if n == 1 else f"{stem}-{n}.webp"
