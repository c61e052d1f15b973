"""How checkouts are put on the site."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from skurrow.service import placements
from skurrow.web.access import Means, Site

router = APIRouter()


class PlacementView(BaseModel):
    """How a checkout is put on the site: its link, and the snippet of a button that opens it over the page."""

    checkout: str
    name: str
    link: str
    snippet: str
    script: str


@router.get("/sites/{site}/placements")
async def list_placements(at: Site, context: Means) -> list[PlacementView]:
    """Links and snippets of every checkout."""
    return [
        PlacementView(checkout=p.checkout, name=p.name, link=p.link, snippet=p.snippet, script=p.script)
        for p in await placements.placements(context, at.site_id)
    ]
