"""The way to the database: one pool, and transactions that name their site.

Row-level security shows the application only rows of the site named here, and none where none is named.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import socket
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any, LiteralString, TypeVar
from uuid import UUID

from psycopg import AsyncConnection, Error, OperationalError, errors, sql
from psycopg.abc import PQGen
from psycopg.rows import TupleRow, class_row
from psycopg_pool import AsyncConnectionPool, PoolClosed, PoolTimeout

Parameters = dict[str, Any] | None
Row = TypeVar("Row")
RV = TypeVar("RV")

DATABASE_AWAY = (PoolTimeout, PoolClosed, OperationalError, errors.IdleInTransactionSessionTimeout)
"""What is raised when the database cannot be reached, goes away in the middle, is full, or takes too long."""


SECONDS = 10.0
"""In which the server has to answer, unless its caller knows that it takes longer."""

_NO_ANSWER_MS = 5000
"""After which a host that acknowledges nothing is taken to be gone (TCP_USER_TIMEOUT)."""

_RESTS = 1.0
"""Seconds for which a connection that was used is taken to be whole."""


class Connection(AsyncConnection[TupleRow]):
    """A connection that waits `seconds` for an answer, then hangs up: whoever waited learns that the server is away.

    The server gives up by itself before that; one that is stopped does not, and answers no request to cancel either.
    """

    seconds: float = SECONDS
    usual: float = SECONDS
    used: float = 0.0

    async def wait(self, gen: PQGen[RV], *given: Any, **named: Any) -> RV:
        timer = asyncio.get_running_loop().call_later(self.seconds, self._hang_up)
        try:
            return await super().wait(gen, *given, **named)
        finally:
            timer.cancel()

    def _hang_up(self) -> None:
        with contextlib.suppress(OSError, Error), socket.socket(fileno=os.dup(self.fileno())) as line:
            line.shutdown(socket.SHUT_RDWR)


Pool = AsyncConnectionPool[Connection]


async def _check(connection: Connection) -> None:
    """Asks a connection that has rested whether it is whole; raises if it is not."""
    now = time.monotonic()
    if now - connection.used > _RESTS:
        connection.seconds = min(connection.usual, 2.0)
        await AsyncConnectionPool.check_connection(connection)
        connection.seconds = connection.usual
    connection.used = now


def make_pool(dsn: str, most: int = 12, seconds: float = SECONDS) -> Pool:
    """A closed pool for `dsn`. Connections that have rested are checked before use, so that a database that was away
    is no error. The server gives up a statement, and a wait for a lock, a little before we hang up."""
    limits = {
        "statement_timeout": int(seconds * 900),
        "lock_timeout": int(seconds * 600),
        "idle_in_transaction_session_timeout": int(seconds * 6000),
    }

    async def configure(connection: Connection) -> None:
        connection.seconds = connection.usual = seconds

    return AsyncConnectionPool(
        dsn,
        connection_class=Connection,
        kwargs={
            "connect_timeout": 3,
            "autocommit": True,  # each transaction below says where it begins
            "tcp_user_timeout": _NO_ANSWER_MS,
            "keepalives_idle": 30,
            "options": " ".join(f"-c {name}={value}" for name, value in limits.items()),
        },
        min_size=2,
        max_size=most,
        timeout=3,
        reconnect_timeout=2,
        configure=configure,
        check=_check,
        open=False,
    )


@asynccontextmanager
async def site_transaction(pool: Pool, site_id: UUID, seconds: float | None = None) -> AsyncIterator[Connection]:
    """A transaction that sees one site; committed when the block ends without an exception. Each statement has
    `seconds`, where they need more than others."""
    # Beginning and naming the site are one question; leaving the pool's block commits, or takes everything back.
    begin = sql.SQL("begin; set local skurrow.site = {}").format(sql.Literal(str(site_id)))
    async with pool.connection() as connection, _given(connection, seconds):
        await connection.execute(begin if seconds is None else begin + _longer(seconds))
        yield connection


@asynccontextmanager
async def siteless_transaction(pool: Pool, seconds: float | None = None) -> AsyncIterator[Connection]:
    """A transaction that sees no site: for people, sessions, and the narrow functions that find a site."""
    async with pool.connection() as connection, _given(connection, seconds):
        await connection.execute("begin" if seconds is None else sql.SQL("begin") + _longer(seconds))
        yield connection


@asynccontextmanager
async def siteless_statement(pool: Pool) -> AsyncIterator[Connection]:
    """A connection that sees no site, for one statement, which needs no transaction around it."""
    async with pool.connection() as connection:
        yield connection


@asynccontextmanager
async def _given(connection: Connection, seconds: float | None) -> AsyncIterator[None]:
    connection.seconds = seconds or connection.usual
    try:
        yield
    finally:
        connection.seconds = connection.usual


def _longer(seconds: float) -> sql.Composed:
    text = "; set local statement_timeout = {}; set local lock_timeout = {}"
    return sql.SQL(text).format(sql.Literal(int(seconds * 900)), sql.Literal(int(seconds * 600)))


async def one(
    connection: Connection, model: type[Row], query: LiteralString, parameters: Parameters = None
) -> Row | None:
    """The first row as `model`, or None."""
    async with connection.cursor(row_factory=class_row(model)) as cursor:
        await cursor.execute(query, parameters)
        return await cursor.fetchone()


async def rows(
    connection: Connection, model: type[Row], query: LiteralString, parameters: Parameters = None
) -> list[Row]:
    """All rows as `model`."""
    async with connection.cursor(row_factory=class_row(model)) as cursor:
        await cursor.execute(query, parameters)
        return await cursor.fetchall()


async def value(connection: Connection, query: LiteralString, parameters: Parameters = None) -> Any:
    """The only column of the first row, or None."""
    cursor = await connection.execute(query, parameters)
    row = await cursor.fetchone()
    return None if row is None else row[0]


async def run(connection: Connection, query: LiteralString, parameters: Parameters = None) -> int:
    """Runs a statement; returns how many rows it touched."""
    cursor = await connection.execute(query, parameters)
    return cursor.rowcount
