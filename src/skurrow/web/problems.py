"""Errors as RFC 9457 problem details: what is wrong, which field, and what to do."""

from __future__ import annotations

from typing import Any

import psycopg
import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from skurrow.core.problems import InvalidInput, Problem, problems_in
from skurrow.core.subscriptions.life import NotNow
from skurrow.gateway.protocol import ForgedEvent
from skurrow.service.refusals import Closed, Conflict, NotAllowed, NotFound, TooMany
from skurrow.store import database

_log = structlog.get_logger()

DATABASE_AWAY = "Skurrow cannot reach its database at the moment. Nothing you typed is lost; try again shortly."


class FieldProblem(BaseModel):
    """One field that is wrong."""

    path: str
    message: str
    remedy: str
    code: str


class ProblemDetails(BaseModel):
    """The body of every error answer."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    errors: list[FieldProblem] = []
    current: Any = None


def problem(
    status: int,
    title: str,
    detail: str,
    errors: list[Problem] | None = None,
    current: Any = None,
    headers: dict[str, str] | None = None,
    kind: str = "about:blank",
) -> JSONResponse:
    """An answer of application/problem+json."""
    body = ProblemDetails(
        type=kind,
        title=title,
        status=status,
        detail=detail,
        errors=[FieldProblem(path=p.where, message=p.message, remedy=p.remedy, code=p.code) for p in errors or []],
        current=current,
    )
    content = body.model_dump(mode="json")
    return JSONResponse(content, status, headers, media_type="application/problem+json")


class Unreadable(HTTPException):
    """A body that cannot be read as what it says it is; `problems` has at least one entry."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__(422, problems[0].message)
        self.problems = problems


def add_problem_handlers(app: FastAPI) -> None:
    """Turns every refusal into an answer that says what to do. Nothing internal is shown."""

    @app.exception_handler(InvalidInput)
    async def _invalid(_: Request, error: InvalidInput) -> JSONResponse:
        first = error.problems[0]
        return problem(422, "Something has to be corrected", f"{first.message}. {first.remedy}", error.problems)

    @app.exception_handler(Unreadable)
    async def _unreadable(_: Request, error: Unreadable) -> JSONResponse:
        first = error.problems[0]
        words = f"{first.where}: {first.message}" if first.where else first.message
        return problem(error.status_code, "Something has to be corrected", words, error.problems)

    @app.exception_handler(RequestValidationError)
    async def _malformed(_: Request, error: RequestValidationError) -> JSONResponse:
        cleaned = [
            Problem(p.path[1:] if p.path[:1] in {("body",), ("query",), ("path",)} else p.path, p.message, p.remedy)
            for p in problems_in(error.errors(), {})
        ]
        first = cleaned[0]
        return problem(422, "Something has to be corrected", f"{first.where}: {first.message}", cleaned)

    @app.exception_handler(NotFound)
    async def _missing(_: Request, error: NotFound) -> JSONResponse:
        return problem(404, "Not found", str(error).capitalize() + ".")

    @app.exception_handler(NotAllowed)
    async def _not_allowed(_: Request, error: NotAllowed) -> JSONResponse:
        return problem(403, "Not allowed", str(error))

    @app.exception_handler(Conflict)
    async def _conflict(_: Request, error: Conflict) -> JSONResponse:
        return problem(409, "Changed in the meantime", str(error))

    @app.exception_handler(NotNow)
    async def _not_now(_: Request, error: NotNow) -> JSONResponse:
        return problem(409, "Not at the moment", str(error))

    @app.exception_handler(Closed)
    async def _closed(_: Request, error: Closed) -> JSONResponse:
        return problem(409, "Not open for sales", str(error))

    @app.exception_handler(TooMany)
    async def _too_many(_: Request, error: TooMany) -> JSONResponse:
        return problem(429, "Too many tries", str(error), headers={"Retry-After": str(error.seconds)})

    @app.exception_handler(ForgedEvent)
    async def _forged(_: Request, error: ForgedEvent) -> JSONResponse:
        return problem(400, "Not accepted", "The message does not carry a valid signature.")

    @app.exception_handler(HTTPException)
    async def _http(_: Request, error: HTTPException) -> JSONResponse:
        return problem(error.status_code, str(error.detail), str(error.detail), headers=dict(error.headers or {}))

    async def _away(_: Request, error: Exception) -> JSONResponse:
        return away(error)

    @app.exception_handler(psycopg.DataError)
    async def _unstorable(_: Request, error: psycopg.DataError) -> JSONResponse:
        return problem(
            422, "Something has to be corrected", "The text holds a character that cannot be kept. Remove it."
        )

    for kind in database.DATABASE_AWAY:
        app.add_exception_handler(kind, _away)


def away(error: Exception) -> JSONResponse:
    """The answer while the database cannot be reached, is full, or takes too long."""
    _log.error("database.away", kind=type(error).__name__)
    return problem(503, "Not available", DATABASE_AWAY, headers={"Retry-After": "3"})


def unexpected(error: Exception) -> JSONResponse:
    """The answer where nobody has thought of what happened; it is written down without what it says."""
    _log.error("request.failed", exc_info=error)
    return problem(500, "Something went wrong here", "It was written down for us. Try again in a moment.")
