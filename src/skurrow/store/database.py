"""The way to the database: one pool, and transactions that name their site.

Row-level security shows the application only rows of the site named here, and none where none is named.
"""

from __future__ import annotations

import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any, LiteralString, TypeVar
from uuid import UUID
from weakref import WeakKeyDictionary

from psycopg import AsyncConnection, OperationalError, sql
from psycopg.rows import TupleRow, class_row
from psycopg_pool import AsyncConnectionPool, PoolClosed, PoolTimeout

Connection = AsyncConnection[TupleRow]
Pool = AsyncConnectionPool[Connection]
Parameters = dict[str, Any] | None
Row = TypeVar("Row")

DATABASE_AWAY = (PoolTimeout, PoolClosed, OperationalError)
"""What is raised when the database cannot be reached, or goes away in the middle."""


_RESTS = 1.0
"""Seconds for which a connection that was used is taken to be whole."""
_used: WeakKeyDictionary[Connection, float] = WeakKeyDictionary()


async def _check(connection: Connection) -> None:
    """Asks a connection that has rested whether it is whole; raises if it is not."""
    now = time.monotonic()
    if now - _used.get(connection, 0.0) > _RESTS:
        await AsyncConnectionPool.check_connection(connection)
    _used[connection] = now


def make_pool(dsn: str, most: int = 12) -> Pool:
    """A closed pool for `dsn`. Connections that have rested are checked before use, so that a database that was away
    is no error."""
    return AsyncConnectionPool(
        dsn,
        connection_class=AsyncConnection[TupleRow],
        kwargs={"connect_timeout": 3, "autocommit": True},  # each transaction below says where it begins
        min_size=2,
        max_size=most,
        timeout=3,
        reconnect_timeout=2,
        check=_check,
        open=False,
    )


@asynccontextmanager
async def site_transaction(pool: Pool, site_id: UUID) -> AsyncIterator[Connection]:
    """A transaction that sees one site; committed when the block ends without an exception."""
    # Beginning and naming the site are one question; leaving the pool's block commits, or takes everything back.
    begin = sql.SQL("begin; set local skurrow.site = {}").format(sql.Literal(str(site_id)))
    async with pool.connection() as connection:
        await connection.execute(begin)
        yield connection


@asynccontextmanager
async def siteless_transaction(pool: Pool) -> AsyncIterator[Connection]:
    """A transaction that sees no site: for people, sessions, and the narrow functions that find a site."""
    async with pool.connection() as connection:
        await connection.execute("begin")
        yield connection


@asynccontextmanager
async def siteless_statement(pool: Pool) -> AsyncIterator[Connection]:
    """A connection that sees no site, for one statement, which needs no transaction around it."""
    async with pool.connection() as connection:
        yield connection


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
