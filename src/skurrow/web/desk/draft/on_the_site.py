"""How checkouts are put on the site."""

from __future__ import annotations

from dataclasses import asdict

from fastapi import status
from fastapi.responses import RedirectResponse
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


@router.get("/sites/{site}/walk", status_code=status.HTTP_303_SEE_OTHER, response_class=RedirectResponse)
async def walk_the_website(at: Site, context: Means) -> RedirectResponse:
    """Marks this browser as a test buyer's for an hour, and leads to the website."""
    headers = {"Cache-Control": "no-store", "Referrer-Policy": "no-referrer"}
    return RedirectResponse(await placements.walk(context, at.site_id), status.HTTP_303_SEE_OTHER, headers)
