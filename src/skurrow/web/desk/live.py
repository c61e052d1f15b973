"""The live view: what happens at a site, as server-sent events."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterable
from typing import Any

from fastapi import Request
from fastapi.sse import EventSourceResponse, ServerSentEvent

from skurrow.service.live import Told
from skurrow.service.people import sign_in
from skurrow.web.access import COOKIE, AtSite, Means, Site
from skurrow.web.routes import desk_router

router = desk_router()

CHECK_SECONDS = 20.0
"""How often it is looked whether the listener may still listen."""


@router.get("/sites/{site}/live", response_class=EventSourceResponse)
async def follow_site(at: Site, request: Request, context: Means) -> AsyncIterable[ServerSentEvent]:
    """Follows a site until the session or the membership ends. The first event says that one is connected."""
    with context.live.follow(at.site_id) as queue:
        yield ServerSentEvent(data={"kind": "connected"}, retry=1500)
        now = asyncio.get_running_loop().time
        checked = now()
        while True:
            try:
                told: Told | None = await asyncio.wait_for(queue.get(), CHECK_SECONDS)
            except TimeoutError:
                told = None
            if now() - checked >= CHECK_SECONDS:  # also where so much happens that nobody ever waits
                if not await _may_listen(request, context, at):
                    return
                checked = now()
            yield ServerSentEvent(data=told) if told else ServerSentEvent(comment="still here")


async def _may_listen(request: Request, context: Any, at: AtSite) -> bool:
    token = request.cookies.get(COOKIE, "")
    found = await sign_in.who_is(context, token)
    return found is not None and any(m.site_id == at.site_id for m in found[1])
