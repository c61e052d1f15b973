"""The desk's API. Everything under `/desk/api`, for signed-in people, one site at a time."""

from __future__ import annotations

from skurrow.web.desk import (
    aside,
    calendar,
    changes,
    live,
    moving_over,
    on_the_site,
    orders,
    papers,
    parts,
    payments,
    people,
    products,
    refunds,
    selling,
    session,
    site,
    site_file,
    subscriptions,
    tapes,
    tax,
    test_book,
    transfers,
)
from skurrow.web.routes import new_router

router = new_router("/desk/api", "desk")
_ROOMS = (
    *(session, site, site_file, products, parts, tapes, on_the_site, payments),
    *(tax, papers, orders, test_book, refunds, subscriptions, changes, moving_over, calendar),
    *(transfers, people, live, selling, aside),
)
for room in _ROOMS:
    router.include_router(room.router)
