"""Routes whose JSON is read within bounds, whoever sends it: every router of ours is made here."""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.routing import APIRoute

from skurrow.core.bounds import json_value
from skurrow.core.problems import InvalidInput
from skurrow.web.problems import Unreadable


class BoundedRequest(Request):
    """A request whose JSON has neither more depth, digits nor letters than we reckon with."""

    async def json(self) -> Any:
        try:
            return json_value(await self.body())
        except InvalidInput as error:
            raise Unreadable(error.problems) from None


class BoundedRoute(APIRoute):
    """A route that is handed such requests."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        handler = super().get_route_handler()

        async def handle(request: Request) -> Response:
            return await handler(BoundedRequest(request.scope, request.receive))

        return handle


def new_router(prefix: str = "", tag: str | None = None) -> APIRouter:
    """A router for paths that begin with `prefix`."""
    return APIRouter(prefix=prefix, tags=[tag] if tag else None, route_class=BoundedRoute)
