"""Sites added, archived, brought back and deleted."""

from __future__ import annotations

from typing import Annotated

from fastapi import status
from pydantic import BaseModel, Field

from skurrow.service.people import their_sites
from skurrow.service.tax import countries
from skurrow.web.access import Configuring, Desk, Means
from skurrow.web.desk.bodies import Given
from skurrow.web.routes import desk_router

router = desk_router()


class NewSite(Given):
    """A website that is to be given sales."""

    name: Annotated[str, Field(max_length=120)]
    url: Annotated[str, Field(max_length=500)]
    country: Annotated[str, Field(max_length=2)]
    currency: Annotated[str, Field(max_length=3)]
    time_zone: Annotated[str, Field(max_length=60)]
    region: Annotated[str, Field(max_length=10)] = ""


class RegionView(BaseModel):
    """A state or a province."""

    code: str
    name: str


class CountryView(BaseModel):
    """What is usual in a country: the currency, its time zones with the first first, and its states or provinces where
    those tax."""

    code: str
    currency: str
    time_zones: list[str]
    regions: list[RegionView]


class Made(BaseModel):
    """The code of what was made."""

    code: str


class ArchiveRequest(Given):
    """Whether the site is to be out of the way."""

    archived: bool


class DeleteRequest(Given):
    """The name of the site, written to be sure."""

    name: Annotated[str, Field(max_length=120)]


@router.post("/sites", status_code=status.HTTP_201_CREATED)
async def add_site(body: NewSite, desk: Desk, context: Means) -> Made:
    """Adds a site; whoever adds it is its developer."""
    wanted = their_sites.NewSite(
        body.name.strip(), body.url.strip(), body.country, body.currency, body.time_zone, body.region.strip()
    )
    return Made(code=await their_sites.add(context, desk.person, wanted))


@router.get("/countries")
async def list_countries(desk: Desk) -> list[CountryView]:
    """What is usual in each country: for the form of a new site."""
    return [
        CountryView(
            code=one.code,
            currency=one.currency,
            time_zones=list(one.time_zones),
            regions=[RegionView(code=code, name=name) for code, name in one.regions],
        )
        for one in countries.usual()
    ]


@router.put("/sites/{site}/archived", status_code=status.HTTP_204_NO_CONTENT)
async def archive_site(body: ArchiveRequest, at: Configuring, context: Means) -> None:
    """Closes the site and puts it out of the way, or brings it back; then it is closed until somebody opens it."""
    if body.archived:
        await their_sites.archive(context, at.site_id, at.person.id)
    else:
        await their_sites.bring_back(context, at.site_id)


@router.post("/sites/{site}/deletion", status_code=status.HTTP_204_NO_CONTENT)
async def delete_site(body: DeleteRequest, at: Configuring, context: Means) -> None:
    """Deletes the site with everything of it, if it has never sold to real buyers."""
    await their_sites.delete(context, at.site_id, body.name)
