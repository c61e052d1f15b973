"""A site at the desk: how its draft stands, and making a release."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from fastapi import APIRouter, status
from pydantic import BaseModel

from skurrow.service import configuration
from skurrow.service.configuration import SiteState
from skurrow.store.sites import PartRow
from skurrow.web.access import Means, Site
from skurrow.web.desk.bodies import Given

router = APIRouter()


class ReleaseView(BaseModel):
    """A release."""

    number: int
    change: int
    at: datetime
    by: str | None


class ChangedPart(BaseModel):
    """A part that was edited since the last release; `archived` when it was taken out."""

    kind: str
    id: str
    name: str
    at: datetime
    archived: bool


class StageView(BaseModel):
    """A stage of the work order: how it stands, in a word and in a few."""

    stage: str
    state: Literal["not_begun", "in_work", "ready", "attention", "later"]
    words: str
    attention: int


class SiteView(BaseModel):
    """A site: its draft against its last release. `change` is the newest change of the draft."""

    code: str
    name: str
    url: str
    change: int
    changed: list[ChangedPart]
    stages: list[StageView]
    release: ReleaseView | None
    live_since: datetime | None


class ReleaseRequest(Given):
    """`seen` is the change up to which the draft was looked through."""

    seen: int


@router.get("/sites/{site}")
async def show_site(at: Site, context: Means) -> SiteView:
    """How the site stands."""
    return _site_view(await configuration.site_state(context, at.site_id))


@router.post("/sites/{site}/releases", status_code=status.HTTP_201_CREATED)
async def make_release(body: ReleaseRequest, at: Site, context: Means) -> SiteView:
    """Releases the draft: from now on live buyers meet it."""
    await configuration.release(context, at.site_id, at.person.id, body.seen)
    return _site_view(await configuration.site_state(context, at.site_id))


def _site_view(state: SiteState) -> SiteView:
    made = state.release
    return SiteView(
        code=state.row.code,
        name=state.name,
        url=state.url,
        change=state.row.head_change,
        changed=[
            ChangedPart(kind=p.kind, id=p.part_id, name=_part_name(p), at=p.at, archived=p.body is None)
            for p in state.changed
        ],
        stages=[StageView(stage=s.stage, state=s.state, words=s.words, attention=s.attention) for s in state.stages],
        release=made and ReleaseView(number=made.number, change=made.change, at=made.at, by=made.by_name),
        live_since=state.row.live_since,
    )


def _part_name(part: PartRow) -> str:
    named = part.body if isinstance(part.body, dict) else {}
    return str(named.get("owner_name") or named.get("name") or part.part_id)


@router.post("/sites/{site}/live")
async def open_for_real_buyers(at: Site, context: Means) -> SiteView:
    """Opens the site for real buyers; they meet the last release."""
    await configuration.go_live(context, at.site_id)
    return _site_view(await configuration.site_state(context, at.site_id))
