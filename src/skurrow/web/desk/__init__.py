"""The desk's API. Everything under `/desk/api`, for signed-in people, one site at a time."""

from __future__ import annotations

from skurrow.web.desk import (
    aside,
    live,
    on_the_site,
    orders,
    papers,
    parts,
    payments,
    people,
    products,
    selling,
    session,
    site,
    site_file,
    subscriptions,
    tapes,
    tax,
    transfers,
)
from skurrow.web.routes import new_router

router = new_router("/desk/api", "desk")
_ROOMS = (
    *(session, site, site_file, products, parts, tapes, on_the_site, payments),
    *(tax, papers, orders, subscriptions, transfers, people, live, selling, aside),
)
for room in _ROOMS:
    router.include_router(room.router)
