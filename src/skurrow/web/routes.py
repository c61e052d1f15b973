"""Routes whose JSON is read within bounds, whoever sends it: every router of ours is made here.

The application holds their routes one after the other, not routers within routers: FastAPI searches those two and three
times over for every request.
"""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.routing import APIRoute

from skurrow.core.bounds import json_value
from skurrow.core.problems import InvalidInput
from skurrow.web.problems import ProblemDetails, Unreadable


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
    """A router for paths that begin with `prefix`, whose refusals are problem details."""
    return APIRouter(
        prefix=prefix,
        tags=[tag] if tag else None,
        route_class=BoundedRoute,
        responses={422: {"model": ProblemDetails}, "default": {"model": ProblemDetails}},
        generate_unique_id_function=lambda route: route.name,
    )


def desk_router() -> APIRouter:
    """A router for what people at the desk ask."""
    return new_router("/desk/api", "desk")
