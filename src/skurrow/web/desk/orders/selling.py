"""Whether a site takes new orders: opened, closed, or stopped at once; parts of it; test links withdrawn."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from fastapi import status
from pydantic import BaseModel, Field

from skurrow.service.counter import selling_states
from skurrow.web.access import Configuring, Means, Selling, Site
from skurrow.web.desk.bodies import Given
from skurrow.web.routes import desk_router

router = desk_router()

SiteSelling = Literal["opened", "closed", "stopped"]
StoppedKind = Literal["product", "checkout"]
_Words = Annotated[str, Field(max_length=300)]


class StoppedView(BaseModel):
    """A product or checkout that sells no more, and what buyers read."""

    kind: StoppedKind
    id: str
    words: str
    at: datetime
    by: str | None


class SellingChangeView(BaseModel):
    """Something that was said about selling."""

    kind: Literal["site", "product", "checkout"]
    id: str
    state: SiteSelling
    words: str
    at: datetime
    by: str | None


class SellingView(BaseModel):
    """How the site stands: `closed` is for whoever comes, `stopped` for those under way, too."""

    state: SiteSelling
    words: str
    stopped: list[StoppedView]
    changes: list[SellingChangeView]


class SellingRequest(Given):
    """How the site is to stand, and what buyers read; without words, that no orders are taken at the moment."""

    state: SiteSelling
    words: _Words = ""


class StopRequest(Given):
    """What buyers read."""

    words: _Words = ""


@router.get("/sites/{site}/selling")
async def show_selling(at: Site, context: Means) -> SellingView:
    """Whether orders are taken."""
    return _view(await selling_states.selling(context, at.site_id))


@router.put("/sites/{site}/selling")
async def set_selling(body: SellingRequest, at: Selling, context: Means) -> SellingView:
    """Opens, closes or stops the whole site."""
    return _view(await selling_states.set_site(context, at.site_id, at.person.id, body.state, body.words))


@router.put("/sites/{site}/stopped/{kind}/{part_id}")
async def stop_part(kind: StoppedKind, part_id: str, body: StopRequest, at: Selling, context: Means) -> SellingView:
    """A product or a checkout sells no more, for visits under way too, at once."""
    return _view(await selling_states.stop_part(context, at.site_id, at.person.id, kind, part_id, body.words))


@router.delete("/sites/{site}/stopped/{kind}/{part_id}")
async def start_part(kind: StoppedKind, part_id: str, at: Selling, context: Means) -> SellingView:
    """It sells again."""
    return _view(await selling_states.start_part(context, at.site_id, at.person.id, kind, part_id))


@router.post("/sites/{site}/test-pass-withdrawals", status_code=status.HTTP_204_NO_CONTENT)
async def withdraw_test_pass(at: Configuring, context: Means) -> None:
    """Links for test buyers that were given out open nothing any more; the ones shown from now on do."""
    await selling_states.withdraw_test_pass(context, at.site_id)


def _view(found: selling_states.Selling) -> SellingView:
    return SellingView.model_validate(
        {
            "state": found.state,
            "words": found.words,
            "stopped": [
                {"kind": one.kind, "id": one.part_id, "words": one.words, "at": one.at, "by": one.by_name}
                for one in found.stopped
            ],
            "changes": [
                {
                    "kind": one.kind,
                    "id": one.part_id,
                    "state": one.state,
                    "words": one.words,
                    "at": one.at,
                    "by": one.by_name,
                }
                for one in found.changes
            ],
        }
    )
