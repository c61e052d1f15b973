"""Papers as files to keep."""

from __future__ import annotations

from typing import Literal
from uuid import UUID

from fastapi import Response

from skurrow.core.papers.paper import Paper
from skurrow.service.context import Context
from skurrow.service.papers import papers

FileKind = Literal["pdf", "xml"]


async def paper_file(context: Context, site_id: UUID, found: Paper, kind: FileKind) -> Response:
    """An invoice or receipt of a site. Raises NotFound where it cannot be had so."""
    drawn = await papers.as_file(context, site_id, found, kind)
    headers = {
        "Content-Disposition": f'attachment; filename="{drawn.name}"',
        "Cache-Control": "no-store",
        "Referrer-Policy": "no-referrer",
        "X-Content-Type-Options": "nosniff",
    }
    return Response(drawn.content, media_type=drawn.media_type, headers=headers)
