"""Texts of site files as they were applied."""

from __future__ import annotations

from uuid import UUID

from skurrow.store.database import Connection, run, value


async def add_text(connection: Connection, site_id: UUID, change: int, text: str) -> None:
    """Keeps the text that made a change."""
    await run(
        connection,
        "insert into site_texts (site_id, change, text) values (%(site)s, %(change)s, %(text)s)",
        {"site": site_id, "change": change, "text": text},
    )


async def text_at(connection: Connection, site_id: UUID, change: int) -> str | None:
    """The text that made a change, if one did."""
    found = await value(
        connection,
        "select text from site_texts where site_id = %(site)s and change = %(change)s",
        {"site": site_id, "change": change},
    )
    return None if found is None else str(found)
