"""How checkouts are put on the site."""

from __future__ import annotations

from dataclasses import asdict

from pydantic import BaseModel

from skurrow.service.counter import placements
from skurrow.web.access import Means, Site
from skurrow.web.routes import desk_router

router = desk_router()


class PlacementView(BaseModel):
    """How a checkout is put on the site: its link, and the snippet of a button that opens it over the page. `prices`
    are those that it lists; the `everyday` one sells any."""

    checkout: str
    name: str
    link: str
    snippet: str
    script: str
    test_link: str
    prices: list[str]
    everyday: bool


@router.get("/sites/{site}/placements")
async def list_placements(at: Site, context: Means) -> list[PlacementView]:
    """Links and snippets of every checkout."""
    found = await placements.placements(context, at.site_id)
    return [PlacementView(**asdict(placement)) for placement in found]
