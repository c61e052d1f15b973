"""Pictures as mails show them: within the mail, small, and in forms that every mail program reads."""

from __future__ import annotations

import io
from base64 import b64encode
from collections.abc import Iterable
from dataclasses import dataclass
from uuid import UUID

from PIL import Image

from skurrow.service.context import Context
from skurrow.service.draft import pictures
from skurrow.service.refusals import NotFound

LARGEST = (440, 288)
"""Pixels: twice of what is shown, for fine screens."""


@dataclass(frozen=True, slots=True)
class Shown:
    """A picture of a mail, as PNG or JPEG (its `kind`)."""

    name: str
    kind: str
    content: bytes

    @property
    def as_address(self) -> str:
        """The picture as an address of its own, for a page that nothing goes with."""
        return f"data:image/{self.kind};base64,{b64encode(self.content).decode()}"


async def of(context: Context, site_id: UUID, names: Iterable[str]) -> list[Shown]:
    """The pictures of a mail by their names, as far as there are such."""
    found = []
    for name in names:
        try:
            kept = await pictures.content(context, site_id, name)
        except NotFound:
            continue
        kind, content = await context.lanes.pictures.run(small, kept)
        found.append(Shown(name, kind, content))
    return found


def small(kept: bytes) -> tuple[str, bytes]:
    """A picture as it is kept (WebP), made small: a PNG where it is see-through, else a JPEG."""
    written = io.BytesIO()
    with Image.open(io.BytesIO(kept)) as opened:
        opened.thumbnail(LARGEST, Image.Resampling.LANCZOS)
        if opened.mode == "RGBA":
            opened.save(written, "PNG", optimize=True)
            return "png", written.getvalue()
        opened.convert("RGB").save(written, "JPEG", quality=84)
    return "jpeg", written.getvalue()
