"""Brings a database to the newest schema: dbmate runs the numbered files of `migrations/`.

It runs as the owner's role, under an advisory lock, so that two starts at once do it once.
"""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import psycopg

from skurrow.store import mailbox_keys

MIGRATIONS = Path(__file__).parent / "migrations"
_LOCK = 5847_0001


class MigrationError(Exception):
    """The schema could not be brought up to date; nothing of the failing file was kept."""


def migrate(owner_dsn: str) -> int:
    """Runs what has not been run yet; returns how many addresses were found that several rows have now. Raises
    MigrationError with the database's own words."""
    with psycopg.connect(owner_dsn, autocommit=True) as connection:
        connection.execute("select pg_advisory_lock(%s)", (_LOCK,))
        done = subprocess.run(
            [
                str(Path(sys.executable).parent / "dbmate"),
                *("--migrations-dir", str(MIGRATIONS), "--no-dump-schema", "migrate"),
            ],
            env={**os.environ, "DATABASE_URL": f"{owner_dsn}?sslmode=disable"},
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode != 0:
            raise MigrationError(done.stderr.strip() or done.stdout.strip())
        return mailbox_keys.fill(connection)
