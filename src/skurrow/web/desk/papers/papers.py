"""Invoices and receipts at the desk: how they are numbered, and what the draft's would look like."""

from __future__ import annotations

from fastapi import Response
from pydantic import BaseModel

from skurrow.core.papers.paper import PaperKind
from skurrow.service.papers import papers
from skurrow.web.access import Means, Site
from skurrow.web.files import paper_file
from skurrow.web.routes import desk_router

router = desk_router()


class NextNumberView(BaseModel):
    """The number of the next paper of a kind, in the live and in the test book."""

    kind: PaperKind
    live: str
    test: str


@router.get("/sites/{site}/next-numbers")
async def next_numbers(at: Site, context: Means) -> list[NextNumberView]:
    """What the next papers are numbered, as the draft says."""
    found = await papers.next_numbers(context, at.site_id)
    return [NextNumberView(kind=one.kind, live=one.live, test=one.test) for one in found]


@router.get("/sites/{site}/sample-paper.pdf", response_class=Response)
async def sample_paper(kind: PaperKind, at: Site, context: Means) -> Response:
    """A paper of an invented sale, as the draft would make it out."""
    return await paper_file(context, at.site_id, await papers.sample(context, at.site_id, kind), "pdf")
