"""Pictures of a site: checked, turned upright, made smaller, freed of metadata, and kept under a name for good."""

from __future__ import annotations

import hashlib
import io
from dataclasses import dataclass
from uuid import UUID

from PIL import Image, ImageOps, UnidentifiedImageError

from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.products.picture_names import kept_as
from skurrow.service.context import Context
from skurrow.service.refusals import NotFound
from skurrow.store.database import Connection, site_transaction
from skurrow.store.draft import pictures

LARGEST_UPLOAD = 12 * 1024 * 1024
LONGEST_SIDE = 1600
"""Pixels; larger pictures are made smaller."""

MOST_PIXELS = 24_000_000
"""Of a picture that is decoded whole, which takes four bytes of memory for each."""

MOST_PIXELS_OF_A_PHOTO = 120_000_000
"""Of a JPEG, which is decoded at an eighth of its sides."""

FORMATS = ("PNG", "JPEG", "WEBP")
MEDIA_TYPE = "image/webp"
_QUALITY = 84


@dataclass(frozen=True, slots=True)
class Ready:
    """A picture as it is kept: WebP, without metadata."""

    content: bytes
    width: int
    height: int


def prepare(content: bytes) -> Ready:
    """A picture made ready to be kept. Raises InvalidInput for what is none, or too large."""
    if len(content) > LARGEST_UPLOAD:
        raise _refused("The file is larger than 12 MB", "Choose a smaller one")
    try:
        with Image.open(io.BytesIO(content), formats=FORMATS) as opened:
            _check_size(opened)
            opened.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))
            if opened.width * opened.height > MOST_PIXELS:  # a JPEG that cannot be had smaller
                raise _refused("The picture has too many pixels", "Make it smaller")
            upright = ImageOps.exif_transpose(opened)
            upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE), Image.Resampling.LANCZOS)
            clean = upright.convert("RGBA" if _is_see_through(upright) else "RGB")
    except Image.DecompressionBombError:
        raise _refused("The picture has too many pixels", "Make it smaller") from None
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as error:
        raise _refused("This is no PNG, JPEG or WebP picture that can be read", "Choose another file") from error
    bare = Image.new(clean.mode, clean.size)  # a new picture carries none of the old one's metadata
    bare.paste(clean)
    written = io.BytesIO()
    bare.save(written, "WEBP", quality=_QUALITY, method=4)
    return Ready(written.getvalue(), bare.width, bare.height)


def _check_size(opened: Image.Image) -> None:
    """Looks at what a picture says of its size, before anything is decoded. Raises InvalidInput."""
    most = MOST_PIXELS_OF_A_PHOTO if opened.format == "JPEG" else MOST_PIXELS
    if opened.width * opened.height > most:
        raise _refused(f"The picture has more than {most // 1_000_000} million pixels", "Make it smaller")


async def add(context: Context, site_id: UUID, by: UUID | None, file_name: str, content: bytes) -> str:
    """Keeps a picture; returns its name. The same picture once more is not kept twice. Raises InvalidInput."""
    ready = await context.lanes.pictures.run(prepare, content)
    async with site_transaction(context.pool, site_id) as db:
        return await _keep(context, db, site_id, by, file_name, ready)


async def content(context: Context, site_id: UUID, name: str) -> bytes:
    """A picture's bytes; raises NotFound."""
    async with site_transaction(context.pool, site_id) as db:
        found = await pictures.picture(db, site_id, name) if name.isprintable() else None
    if found is None:
        raise NotFound("there is no such picture")
    return found.content


async def keep_as(context: Context, db: Connection, site_id: UUID, by: UUID | None, name: str, ready: Ready) -> None:
    """Keeps a picture under exactly this name; raises InvalidInput where another has it."""
    digest = hashlib.sha256(ready.content).digest()
    row = pictures.PictureRow(name, digest, ready.width, ready.height, ready.content)
    if await pictures.add_picture(db, site_id, row, context.now(), by):
        return
    there = await pictures.picture(db, site_id, name)
    if there is None or bytes(there.sha256) != digest:
        raise _refused(f"Another picture is already called “{name}”", "Rename the file, and what speaks of it")


async def _keep(context: Context, db: Connection, site_id: UUID, by: UUID | None, file_name: str, ready: Ready) -> str:
    digest = hashlib.sha256(ready.content).digest()
    for n in range(1, 1000):
        name = kept_as(file_name, n)
        row = pictures.PictureRow(name, digest, ready.width, ready.height, ready.content)
        if await pictures.add_picture(db, site_id, row, context.now(), by):
            return name
        there = await pictures.picture(db, site_id, name)
        if there is not None and bytes(there.sha256) == digest:
            return name
    raise _refused("There are too many pictures of this name", "Rename the file")


def _is_see_through(picture: Image.Image) -> bool:
    return picture.mode in ("RGBA", "LA", "PA") or "transparency" in picture.info


def _refused(message: str, remedy: str) -> InvalidInput:
    return InvalidInput([Problem(("picture",), message, remedy)])
