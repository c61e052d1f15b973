"""Background work: renewals, questions about attempts of unknown outcome, messages from gateways, mail, calendars.

Due work is found by queries over dates, so a worker that was killed leaves nothing behind, and two never do the
same at once. Run it with `python -m skurrow.work.worker`.
"""

from __future__ import annotations

import asyncio
import contextlib
import signal
from collections.abc import Awaitable, Callable

import structlog

from skurrow.service import limits
from skurrow.service.changes import moving, renewing
from skurrow.service.context import Context, Settings, open_context
from skurrow.service.logs import log_as_json
from skurrow.service.mail import mail
from skurrow.service.orders import asking, gateway_events, letting_go, refunds
from skurrow.service.payments import reconciling
from skurrow.service.tax import official_rates
from skurrow.store.database import DATABASE_AWAY

PAUSE = 0.5
"""Seconds between looks when there was nothing to do."""

COMPARE_PAUSE = 60.0
"""Seconds between looks for gateways whose books are to be compared: they are, once a night."""

HOLDS_PAUSE = 20.0
"""Seconds between looks for stock and coupons that were held for long enough."""

TIDY_PAUSE = 3600.0
"""Seconds between sweeps of counts that no limit looks at any more."""

RATES_PAUSE = 600.0
"""Seconds between looks for new official rates: they come once a day."""

_log = structlog.get_logger()


async def work(context: Context, stop: asyncio.Event) -> None:
    """Works until told to stop. Messages are not kept waiting by a gateway that is slow to answer questions."""
    await asyncio.gather(
        _again_and_again(lambda: gateway_events.handle_events(context), stop),
        _again_and_again(lambda: asking.recover(context), stop),
        _again_and_again(lambda: refunds.recover(context), stop),
        _again_and_again(lambda: mail.send(context), stop),
        _again_and_again(lambda: letting_go.let_go(context), stop, HOLDS_PAUSE),
        _again_and_again(lambda: limits.tidy(context), stop, TIDY_PAUSE),
        _again_and_again(lambda: renewing.renew(context), stop),
        _again_and_again(lambda: moving.go_on(context), stop),
        _again_and_again(lambda: reconciling.compare_due(context), stop, COMPARE_PAUSE),
        _again_and_again(lambda: official_rates.fetch(context), stop, RATES_PAUSE),
    )


async def _again_and_again(look: Callable[[], Awaitable[int]], stop: asyncio.Event, pause: float = PAUSE) -> None:
    """Looks for work until told to stop; a database that is away is waited for."""
    while not stop.is_set():
        done, failed = 0, False
        try:
            done = await look()
        except DATABASE_AWAY as error:
            failed = True
            _log.error("database.away", kind=type(error).__name__)
        except Exception:
            _log.exception("work.failed")
        if not done:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(stop.wait(), PAUSE if failed else pause)


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
