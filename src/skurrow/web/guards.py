"""What every request passes: which host may serve it, whether another page sent it, how long it is, what is said to
browsers with every answer, and one log line."""

from __future__ import annotations

import time
from collections.abc import Awaitable, Callable
from urllib.parse import urlsplit

import structlog
from fastapi import Request, Response
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from skurrow.service.context import Settings
from skurrow.store import database
from skurrow.web.problems import away, problem, unexpected

LARGEST_BODY = 512 * 1024
"""Bytes of a request that are read, but for those that bring a file."""

_log = structlog.get_logger()
_FOR_BUYERS = (
    *("/buy/", "/preview/", "/thanks/", "/counter/", "/embed.js"),
    *("/account/", "/renewal/", "/try/", "/stop-trying"),
)
_SIGNED_IN = ("/counter/api/account/", "/counter/api/renewal")
"""What customers do who are signed in, or follow a link of their own."""

_FOR_BOTH = ("/assets/", "/health", "/gateway-events/", "/pictures/")
LARGEST_FILE = 13 * 1024 * 1024
_FILES = ("/pictures", "/site-file", "/products.csv", "/members.csv", "/statements")
"""Ends of paths of the desk that take files."""

ONLY_TLS = "max-age=31536000"
"""For a year, a browser that has come by TLS comes by nothing else (RFC 6797)."""

Next = Callable[[Request], Awaitable[Response]]


def refusal(settings: Settings, scope: Scope) -> Response | None:
    """Why a request is not served at all, if it is not.

    The desk and the counter stand on different hosts, so that a page of one can never act for the other; and what
    changes something at the desk must come from the desk's own pages.
    """
    path: str = scope["path"]
    headers = {name.decode("latin-1").lower(): value.decode("latin-1") for name, value in scope["headers"]}
    host = headers.get("host", "")
    if not path.startswith(_FOR_BOTH):
        wanted = settings.counter_url if path.startswith(_FOR_BUYERS) else settings.desk_url
        if host != urlsplit(wanted).netloc:
            return problem(404, "Not found", "There is nothing here under this host name.")
    changes = path.startswith("/desk/api/") and scope["method"] not in {"GET", "HEAD", "OPTIONS"}
    if changes and headers.get("origin") != settings.desk_url:
        return problem(403, "Not allowed", "This request does not come from the desk.")
    acts = path.startswith(_SIGNED_IN) and scope["method"] not in {"GET", "HEAD", "OPTIONS"}
    if acts and headers.get("origin") != settings.counter_url:
        return problem(403, "Not allowed", "This request does not come from the account page.")
    length = headers.get("content-length", "0")
    if not (length.isascii() and length.isdigit() and len(length) < 12) or int(length) > largest(path):
        return problem(413, "Too large", "The request is too large.")
    return None


def largest(path: str) -> int:
    """How many bytes a request to a path may have."""
    return LARGEST_FILE if path.startswith("/desk/api/") and path.endswith(_FILES) else LARGEST_BODY


class Guards:
    """The guards as plain ASGI, so that nothing stands between a handler and its connection."""

    def __init__(self, app: ASGIApp, settings: Settings) -> None:
        self._app, self._settings = app, settings
        self._tls = settings.counter_url.startswith("https:")

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        began, status = time.perf_counter(), 0

        async def noting(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                self._said_always(MutableHeaders(scope=message))
            await send(message)

        refused = refusal(self._settings, scope)
        limited = _limited(receive, largest(scope["path"]))
        try:
            await (refused or self._app)(scope, limited, noting)
        except Exception as error:
            # Not let through to the server, which would write down what it says.
            answer = away(error) if isinstance(error, database.DATABASE_AWAY) else unexpected(error)
            if not status:
                await answer(scope, limited, noting)
        finally:
            # The template of the route, never the path itself: paths may hold tokens.
            route = getattr(scope.get("route"), "path", "-")
            took = round((time.perf_counter() - began) * 1000, 1)
            if route != "/health":
                _log.info("request", method=scope["method"], route=route, status=status or 500, ms=took)

    def _said_always(self, headers: MutableHeaders) -> None:
        """What every answer says unless it says otherwise: keep nothing, guess nothing, and by TLS from now on."""
        headers.setdefault("Cache-Control", "no-store")
        headers["X-Content-Type-Options"] = "nosniff"
        headers.setdefault("Referrer-Policy", "strict-origin")
        headers.setdefault("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
        if self._tls:
            headers["Strict-Transport-Security"] = ONLY_TLS


def _limited(receive: Receive, most: int) -> Receive:
    seen = 0

    async def limited() -> Message:
        nonlocal seen
        message = await receive()
        seen += len(message.get("body", b""))
        if seen > most:
            return {"type": "http.disconnect"}
        return message

    return limited
