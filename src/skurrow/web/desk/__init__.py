"""The desk's API. Everything under `/desk/api`, for signed-in people, one site at a time."""

from __future__ import annotations

from fastapi import APIRouter

from skurrow.web.desk import (
    live,
    on_the_site,
    orders,
    parts,
    payments,
    people,
    products,
    session,
    site,
    site_file,
    tapes,
    tax,
)

router = APIRouter(prefix="/desk/api", tags=["desk"])
for room in (session, site, site_file, products, parts, tapes, on_the_site, payments, tax, orders, people, live):
    router.include_router(room.router)
