"""What a buyer meets: the counter's pages and its API. A buyer has no cookie; the visit's token says who asks."""

from __future__ import annotations

from skurrow.web.counter import buying, pages
from skurrow.web.routes import new_router

router = new_router()


for part in (buying, pages):
    router.include_router(part.router)
