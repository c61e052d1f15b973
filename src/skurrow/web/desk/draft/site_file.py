"""The site as one text file, at the desk: written back, and loaded after showing what would change."""

from __future__ import annotations

from typing import Annotated

from fastapi import Response
from pydantic import BaseModel, Field

from skurrow.core.site.file import LARGEST_FILE
from skurrow.service.draft import site_files
from skurrow.web.access import Configuring, Means, Site
from skurrow.web.desk.bodies import Given
from skurrow.web.routes import desk_router

router = desk_router()


class SiteFileRequest(Given):
    """A site file's text. `seen` is the change that was shown to whoever agreed; without it, only show."""

    text: Annotated[str, Field(max_length=LARGEST_FILE)]
    seen: Annotated[int, Field(ge=0)] | None = None


class PartDifference(BaseModel):
    """One thing that differs."""

    what: str
    before: str | None
    after: str | None


class PartChangeView(BaseModel):
    """What the file does to one part."""

    kind: str
    id: str
    name: str
    what: str
    differences: list[PartDifference]


class AppliedView(BaseModel):
    """What the file changes, or has changed; `change` is the draft's."""

    change: int
    changes: list[PartChangeView]


@router.get("/sites/{site}/site-file", response_class=Response)
async def export_site_file(at: Site, context: Means) -> Response:
    """The draft as a site file."""
    text = await site_files.export(context, at.site_id)
    headers = {"Content-Disposition": f'attachment; filename="{at.code}.yaml"'}
    return Response(text, media_type="application/yaml", headers=headers)


@router.post("/sites/{site}/site-file")
async def apply_site_file(body: SiteFileRequest, at: Configuring, context: Means) -> AppliedView:
    """Shows what a site file would change, or loads it as the draft."""
    show_only = body.seen is None
    done = await site_files.apply(context, at.site_id, at.person.id, body.text, {}, body.seen, show_only)
    return AppliedView(
        change=done.change,
        changes=[
            PartChangeView(
                kind=one.kind,
                id=one.part_id,
                name=one.name,
                what=one.what,
                differences=[PartDifference(what=d.what, before=d.before, after=d.after) for d in one.differences],
            )
            for one in done.changes
        ],
    )
