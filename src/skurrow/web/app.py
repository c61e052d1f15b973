"""The web application: the desk and the counter, on two host names, in one process."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

from fastapi import FastAPI, HTTPException, Response
from fastapi.responses import JSONResponse
from fastapi.staticfiles import StaticFiles

from skurrow.service.context import Settings, open_context
from skurrow.store import database
from skurrow.store.database import siteless_transaction
from skurrow.web import account, counter, desk, incoming, pages
from skurrow.web.access import Means
from skurrow.web.guards import Guards
from skurrow.web.problems import add_problem_handlers

HEALTH_SECONDS = 2.0
"""In which the database has to answer for this process to be well."""


class _Documented(FastAPI):
    """An application whose document says of every refusal that it is problem details (RFC 9457)."""

    def openapi(self) -> dict[str, Any]:
        if self.openapi_schema is None:
            document = super().openapi()
            for operations in document["paths"].values():
                for operation in operations.values():
                    for status, answer in operation["responses"].items():
                        if status == "default" or status.startswith(("4", "5")):
                            answer["content"] = {
                                "application/problem+json": answer.get("content", {}).get("application/json", {})
                            }
        assert self.openapi_schema is not None
        return self.openapi_schema


def make_app(settings: Settings) -> FastAPI:
    """The application with its means opened for as long as it runs."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        async with open_context(settings) as context:
            app.state.context = context
            listening = asyncio.create_task(context.live.run())
            yield
            listening.cancel()

    app = _Documented(
        title="Skurrow",
        version="1",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
    )
    app.add_middleware(Guards, settings=settings)
    add_problem_handlers(app)
    for part in (*counter.PARTS, *account.PARTS, *desk.PARTS, incoming):
        app.router.routes.extend(part.router.routes)

    @app.get("/health", include_in_schema=False)
    async def health(context: Means) -> Response:
        try:
            async with siteless_transaction(context.pool, seconds=HEALTH_SECONDS) as db:
                await db.execute("select 1")
        except database.DATABASE_AWAY:
            return JSONResponse({"state": "without its database"}, 503)
        return JSONResponse({"state": "answering"})

    if (pages.BUILT / "assets").is_dir():
        app.mount("/assets", StaticFiles(directory=pages.BUILT / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    async def desk_page(path: str) -> Response:
        if path.startswith("desk/"):
            raise HTTPException(404, "There is nothing at this address.")
        return pages.desk(settings.counter_url)

    return app
