"""All routes lie side by side: FastAPI searches routers within routers two and three times over for every request."""

from __future__ import annotations

from fastapi.routing import APIRoute
from starlette.routing import Mount

from skurrow.web import account, counter, desk, incoming
from tests.web.conftest import Web


async def test_routes_lie_side_by_side_those_of_buyers_first(web: Web) -> None:
    routes = web.app.router.routes
    assert {type(route) for route in routes} <= {APIRoute, Mount} | {
        type(route) for route in counter.PARTS[0].router.routes
    }
    paths = [route.path for route in routes]
    assert paths[0].startswith("/counter/api/")
    assert paths[-1] == "/{path:path}"
    parts = (*counter.PARTS, *account.PARTS, *desk.PARTS, incoming)
    assert {route.path for part in parts for route in part.router.routes} <= set(paths)
    once = [(route.path, *sorted(route.methods or ())) for route in routes if isinstance(route, APIRoute)]
    assert len(once) == len(set(once))
