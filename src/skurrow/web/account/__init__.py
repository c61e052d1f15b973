"""The account page, where customers look after what they have, and the page of a mailed link to pay or approve."""

from __future__ import annotations

from skurrow.web.account import mine, renewal, signing_in
from skurrow.web.routes import new_router

router = new_router()


for part in (signing_in, mine, renewal):
    router.include_router(part.router)
