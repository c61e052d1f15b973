"""The way to the database: one pool, and transactions that name their site.

Row-level security shows the application only rows of the site named here, and none where none is named.
"""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any, LiteralString, TypeVar
from uuid import UUID

from psycopg import AsyncConnection, OperationalError
from psycopg.rows import TupleRow, class_row
from psycopg_pool import AsyncConnectionPool, PoolClosed, PoolTimeout

Connection = AsyncConnection[TupleRow]
Pool = AsyncConnectionPool[Connection]
Parameters = dict[str, Any] | None
Row = TypeVar("Row")

DATABASE_AWAY = (PoolTimeout, PoolClosed, OperationalError)
"""What is raised when the database cannot be reached, or goes away in the middle."""


def make_pool(dsn: str, most: int = 12) -> Pool:
    """A closed pool for `dsn`; connections are checked before use, so that a database that was away is no error."""
    return AsyncConnectionPool(
        dsn,
        connection_class=AsyncConnection[TupleRow],
        kwargs={"connect_timeout": 3},
        min_size=2,
        max_size=most,
        timeout=3,
        reconnect_timeout=2,
        check=AsyncConnectionPool.check_connection,
        open=False,
    )


@asynccontextmanager
async def site_transaction(pool: Pool, site_id: UUID) -> AsyncIterator[Connection]:
    """A transaction that sees one site; committed when the block ends without an exception."""
    async with pool.connection() as connection, connection.transaction():
        await connection.execute("select set_config('skurrow.site', %s, true)", (str(site_id),))
        yield connection


@asynccontextmanager
async def siteless_transaction(pool: Pool) -> AsyncIterator[Connection]:
    """A transaction that sees no site: for people, sessions, and the narrow functions that find a site."""
    async with pool.connection() as connection, connection.transaction():
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
