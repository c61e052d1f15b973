"""Background work: asks about attempts whose outcome is unknown, and handles messages from gateways.

Due work is found by queries over dates, so a worker that was killed leaves nothing behind, and two never do the
same at once. Run it with `python -m skurrow.work.worker`.
"""

from __future__ import annotations

import asyncio
import contextlib
import signal

import psycopg
import structlog
from psycopg_pool import PoolTimeout

from skurrow.service import settling
from skurrow.service.context import Context, Settings, open_context
from skurrow.service.logs import log_as_json

PAUSE = 0.5
"""Seconds between looks when there was nothing to do."""

_log = structlog.get_logger()


async def work(context: Context, stop: asyncio.Event) -> None:
    """Works until told to stop; a database that is away is waited for."""
    while not stop.is_set():
        try:
            done = await settling.handle_events(context) + await settling.recover(context)
        except (PoolTimeout, psycopg.OperationalError) as error:
            _log.error("database.away", kind=type(error).__name__)
            done = 0
        except Exception:
            _log.exception("work.failed")
            done = 0
        if not done:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(stop.wait(), PAUSE)


async def _main() -> None:
    stop = asyncio.Event()
    for kind in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(kind, stop.set)
    async with open_context(Settings.from_environment()) as context:
        await work(context, stop)


def main() -> None:
    """Runs one worker."""
    log_as_json()
    asyncio.run(_main())


if __name__ == "__main__":
    main()
