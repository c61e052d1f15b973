"""Papers as files to keep."""

from __future__ import annotations

import asyncio
from typing import Literal

from fastapi import Response

from skurrow.core.papers.paper import Paper
from skurrow.service.papers import papers

FileKind = Literal["pdf", "xml"]


async def paper_file(found: Paper, kind: FileKind) -> Response:
    """An invoice or receipt, drawn beside other requests. Raises NotFound where it cannot be had so."""
    drawn = await asyncio.to_thread(papers.as_pdf if kind == "pdf" else papers.as_ubl, found)
    headers = {
        "Content-Disposition": f'attachment; filename="{drawn.name}"',
        "Cache-Control": "no-store",
        "Referrer-Policy": "no-referrer",
        "X-Content-Type-Options": "nosniff",
    }
    return Response(drawn.content, media_type=drawn.media_type, headers=headers)
