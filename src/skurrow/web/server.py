"""The web process: `python -m skurrow.web.server --port 8400`.

Whoever connects has so long to say what they want, so much room to say it in, and so many connections: half a request
that never ends costs a timer, not a place. Forwarded addresses count only if the proxy is named in the settings.
"""

from __future__ import annotations

import asyncio
from collections import Counter
from typing import Any, ClassVar

import click
import uvicorn
from fastapi import FastAPI
from uvicorn.protocols.http.httptools_impl import STATUS_LINE, HttpToolsProtocol

from skurrow.service.context import Settings
from skurrow.service.logs import log_as_json
from skurrow.web.app import make_app

HEAD_SECONDS = 10.0
"""In which the head of a request has to have arrived."""

BODY_SECONDS, SLOWEST, LONGEST_BODY_SECONDS = 15.0, 20_000, 180.0
"""In which its body has to, with one second more for so many bytes, and never more than so many seconds."""

LARGEST_HEAD = 32 * 1024
"""Bytes of a request's head."""

MOST_CONNECTIONS, MOST_OF_ONE = 1000, 200
"""At once, of everybody and of one address; a proxy that is named in the settings may have all of them."""


class Bounded(HttpToolsProtocol):
    """A connection that is closed when it is too slow, says too much, or is one too many."""

    open: ClassVar[Counter[str]] = Counter()
    proxies: ClassVar[frozenset[str]] = frozenset()

    def __init__(self, *given: Any, **named: Any) -> None:
        super().__init__(*given, **named)
        self._timer: asyncio.TimerHandle | None = None
        self._counted: str | None = None
        self._head = 0

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        host = self.client[0] if self.client else ""
        most = MOST_CONNECTIONS if host in self.proxies else MOST_OF_ONE
        if self.open.total() >= MOST_CONNECTIONS or self.open[host] >= most:
            self._refuse(503)
            return
        self._counted = host
        self.open[host] += 1
        self._within(HEAD_SECONDS)

    def connection_lost(self, exc: Exception | None) -> None:
        self._in_time()
        if self._counted is not None:
            self.open[self._counted] -= 1
            if not self.open[self._counted]:
                del self.open[self._counted]
            self._counted = None
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        if self.parser is None or self.transport.is_closing():
            return
        super().data_received(data)
        if self._head >= 0:  # the head is still under way
            self._head += len(data)
            if self._head > LARGEST_HEAD:
                self._refuse(431)

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self._head = 0
        self._within(HEAD_SECONDS)

    def on_headers_complete(self) -> None:
        self._in_time()
        self._head = -1
        length = next((value for name, value in self.headers if name == b"content-length"), b"0")
        coming = int(length) if length.isdigit() and len(length) < 12 else 0
        self._within(min(BODY_SECONDS + coming / SLOWEST, LONGEST_BODY_SECONDS))
        super().on_headers_complete()

    def on_message_complete(self) -> None:
        self._in_time()
        self._head = 0
        super().on_message_complete()

    def _within(self, seconds: float) -> None:
        self._in_time()
        self._timer = self.loop.call_later(seconds, self._refuse, 408)

    def _in_time(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def _refuse(self, status: int) -> None:
        """Says why, where nothing was said yet, and hangs up."""
        self._in_time()
        if self.transport.is_closing():
            return
        if self.cycle is None or not self.cycle.response_started or self.cycle.response_complete:
            self.transport.write(STATUS_LINE[status] + b"content-length: 0\r\nconnection: close\r\n\r\n")
        self.transport.close()


def server(settings: Settings, port: int, app: FastAPI | None = None) -> uvicorn.Server:
    """The server on loopback, not running yet, of our application or of one made from it."""
    Bounded.proxies = frozenset(settings.proxies)
    return uvicorn.Server(
        uvicorn.Config(
            app or make_app(settings),
            host="127.0.0.1",
            port=port,
            http=Bounded,
            ws="none",
            log_config=None,
            access_log=False,
            server_header=False,
            proxy_headers=bool(settings.proxies),
            forwarded_allow_ips=list(settings.proxies),
            backlog=512,
            timeout_graceful_shutdown=2,  # live views would hold it for ever
        )
    )


@click.command()
@click.option("--port", type=int, required=True)
def main(port: int) -> None:
    """Serve the desk and the counter."""
    log_as_json()
    server(Settings.from_environment(), port).run()


if __name__ == "__main__":
    main()
