"""Pictures of a site, each under a name that never means another."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.store.database import Connection, one, rows, run


@dataclass(frozen=True, slots=True)
class PictureRow:
    """A picture: pixels wide and high, and its bytes."""

    name: str
    sha256: bytes
    width: int
    height: int
    content: bytes


async def add_picture(
    connection: Connection, site_id: UUID, picture: PictureRow, at: datetime, by: UUID | None
) -> bool:
    """Adds a picture; False if its name is taken."""
    touched = await run(
        connection,
        "insert into pictures (site_id, name, sha256, width, height, content, at, by)"
        " values (%(site)s, %(name)s, %(sha256)s, %(width)s, %(height)s, %(content)s, %(at)s, %(by)s)"
        " on conflict do nothing",
        {
            "site": site_id,
            "name": picture.name,
            "sha256": picture.sha256,
            "width": picture.width,
            "height": picture.height,
            "content": picture.content,
            "at": at,
            "by": by,
        },
    )
    return touched == 1


async def picture(connection: Connection, site_id: UUID, name: str) -> PictureRow | None:
    """A picture by its name."""
    return await one(
        connection,
        PictureRow,
        "select name, sha256, width, height, content from pictures where site_id = %(site)s and name = %(name)s",
        {"site": site_id, "name": name},
    )


@dataclass(frozen=True, slots=True)
class PictureName:
    """A picture's name."""

    name: str


async def names(connection: Connection, site_id: UUID) -> list[PictureName]:
    """The names of all pictures."""
    return await rows(
        connection, PictureName, "select name from pictures where site_id = %(site)s order by name", {"site": site_id}
    )
