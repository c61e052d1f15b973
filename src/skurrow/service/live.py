"""What happens at sites, as it happens: the database tells each web process, which tells whoever follows a site."""

from __future__ import annotations

import asyncio
import contextlib
import json
from collections.abc import Iterator
from typing import Any
from uuid import UUID

import psycopg
import structlog

_log = structlog.get_logger()

Told = dict[str, Any]

MISSED: Told = {"kind": "missed"}
"""Something may have been missed: ask for everything anew."""

_MOST_WAITING = 200
_CHANNEL = "skurrow_sites"


class Live:
    """One listening connection for this process, and those who follow."""

    def __init__(self, dsn: str) -> None:
        self._dsn = dsn
        self._following: dict[UUID, set[asyncio.Queue[Told]]] = {}

    @contextlib.contextmanager
    def follow(self, site_id: UUID) -> Iterator[asyncio.Queue[Told]]:
        """What happens at a site from now on."""
        queue: asyncio.Queue[Told] = asyncio.Queue(_MOST_WAITING)
        self._following.setdefault(site_id, set()).add(queue)
        try:
            yield queue
        finally:
            followers = self._following[site_id]
            followers.discard(queue)
            if not followers:
                del self._following[site_id]

    async def run(self) -> None:
        """Listens until cancelled; a database that goes away is waited for, and what was missed is said."""
        while True:
            try:
                await self._listen()
            except (psycopg.OperationalError, OSError) as error:
                _log.warning("live.lost", kind=type(error).__name__)
            await asyncio.sleep(1)

    async def _listen(self) -> None:
        connection = await psycopg.AsyncConnection.connect(self._dsn, autocommit=True, connect_timeout=3)
        async with connection:
            await connection.execute(f"listen {_CHANNEL}")
            for followers in self._following.values():
                for queue in followers:
                    _put(queue, MISSED)
            async for notice in connection.notifies():
                said = json.loads(notice.payload)
                for queue in self._following.get(UUID(said["site"]), ()):
                    _put(queue, said["told"])


def _put(queue: asyncio.Queue[Told], told: Told) -> None:
    """Adds to the queue; one that nobody empties is cut short to the word that something was missed."""
    if queue.full():
        while not queue.empty():
            queue.get_nowait()
        told = MISSED
    queue.put_nowait(told)
