"""The desk's API. Everything under `/desk/api`, for signed-in people, one site at a time."""

from __future__ import annotations

from fastapi import APIRouter

from skurrow.web.desk import on_the_site, orders, parts, payments, session, site

router = APIRouter(prefix="/desk/api", tags=["desk"])
for room in (session, site, parts, on_the_site, payments, orders):
    router.include_router(room.router)
