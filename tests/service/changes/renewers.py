"""A process that renews, as one of several workers would; tests start many and kill them.

Reads its task as JSON from standard input, and begins when it is told to go. Its clock is so many days ahead.
"""

from __future__ import annotations

import asyncio
import json
import sys
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import httpx

from skurrow.gateway.protocol import Reach
from skurrow.service.changes import renewing
from skurrow.service.context import Settings, open_context
from skurrow.service.orders import asking


async def main() -> None:
    """Renews until it is killed."""
    task = json.loads(sys.stdin.readline())
    settings = Settings(
        database_url=task["database"],
        master_keys=(task["master_key"],),
        desk_url="http://localhost:8400",
        counter_url="http://counter.localhost:8400",
        events_url="http://127.0.0.1:9",
        gateways={"standin-cards": Reach(task["cards"], "http://cards.localhost:8401")},
        gateway_seconds=2.0,
    )
    ahead = timedelta(days=task["days"])
    async with open_context(settings) as made, httpx.AsyncClient(timeout=2) as http:
        await made.pool.wait()
        # The clock of claims moves on by itself: whoever was killed is followed a little later.
        context = replace(made, http=http, now=lambda: datetime.now(UTC) + ahead)
        print("ready", flush=True)
        if sys.stdin.readline() != "go\n":
            return
        while True:
            done = await renewing.renew(context, 10)
            done += await asking.recover(context, 10)
            if not done:
                await asyncio.sleep(0.1)


if __name__ == "__main__":
    asyncio.run(main())
