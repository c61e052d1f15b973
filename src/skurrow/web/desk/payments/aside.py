"""What was set aside, because it could not be handled, and trying it again."""

from __future__ import annotations

from datetime import datetime
from typing import Literal
from uuid import UUID

from fastapi import status
from pydantic import BaseModel

from skurrow.service.payments import aside
from skurrow.web.access import Means, Selling, Site
from skurrow.web.routes import desk_router

router = desk_router()

AsideKind = Literal["message", "mail", "renewal"]


class AsideView(BaseModel):
    """Something that was tried `tries` times; `trouble` is the kind of error that it ended in."""

    kind: AsideKind
    id: UUID
    mode: Literal["test", "live"] | None
    about: str
    tries: int
    trouble: str | None
    at: datetime


@router.get("/sites/{site}/aside")
async def list_aside(at: Site, context: Means) -> list[AsideView]:
    """All that was set aside, the newest first."""
    return [
        AsideView.model_validate(
            {
                "kind": one.row.kind,
                "id": one.row.id,
                "mode": one.row.mode,
                "about": one.about,
                "tries": one.row.tries,
                "trouble": one.row.trouble,
                "at": one.row.at,
            }
        )
        for one in await aside.set_aside(context, at.site_id)
    ]


@router.post("/sites/{site}/aside/{what}/{row}", status_code=status.HTTP_204_NO_CONTENT)
async def try_again(what: AsideKind, row: UUID, at: Selling, context: Means) -> None:
    """Has one tried again."""
    await aside.try_again(context, at.site_id, what, row)
