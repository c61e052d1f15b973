"""A process full of buyers, as one of several web processes would serve them; tests start and kill it.

Reads its task as JSON from standard input and prints one word a buyer: paid, short, pending, refused or closed.
"""

from __future__ import annotations

import asyncio
import json
import sys
from typing import Any
from uuid import UUID

import httpx

from skurrow.gateway.protocol import Reach
from skurrow.service.context import Context, Settings, open_context
from skurrow.service.counter import paying
from skurrow.service.counter.visit import Choice, Taken, Visit
from skurrow.service.refusals import Conflict
from skurrow.store.database import DATABASE_AWAY
from tests.payments import payment_of


async def _buy(context: Context, task: dict[str, Any], n: int, token: str) -> str:
    coupons, expected, currency = tuple(task["coupons"]), task["expected"], None
    checkout, choice = task["checkout"], Choice(variant=task["variant"], coupons=coupons, delivery="collect")
    if n % 2:  # every other one takes three things, in another currency
        basket = task["basket"]
        checkout, currency, expected = basket["checkout"], basket["currency"], basket["expected"]
        items = tuple(Taken(*one) for one in basket["items"])
        choice = Choice(items=items, coupons=coupons, delivery="collect")
    visit = Visit(context.new_id(), UUID(task["site"]), checkout, "test", task["change"], None, context.now(), currency)
    email = f"{task['name']}-{n}@example.org"
    while True:
        try:
            done = await paying.pay(context, visit, payment_of(email, "Jo", "NL", token, expected, choice))
        except Conflict:
            return "short"
        except DATABASE_AWAY:  # so many at once that some are told to try again, and do
            await asyncio.sleep(0.2)
        else:
            return done.state


async def _tokens(task: dict[str, Any]) -> list[str]:
    async with httpx.AsyncClient(limits=httpx.Limits(max_connections=20), timeout=60) as client:
        body = {"merchant": task["merchant"], "mode": "test", "number": task["number"]}
        body |= {"expires": "2031-12", "code": "123"}

        async def one() -> str:
            answer = await client.post(f"{task['cards']}/tokens", json=body)
            return str(answer.raise_for_status().json()["token"])

        return list(await asyncio.gather(*(one() for _ in range(task["buyers"]))))


async def main() -> None:
    """Has all buyers pay at once."""
    task = json.loads(sys.stdin.readline())
    settings = Settings(
        database_url=task["database"],
        master_keys=(task["master_key"],),
        desk_url="http://localhost:8400",
        counter_url="http://counter.localhost:8400",
        events_url="http://127.0.0.1:9",
        gateways={"standin-cards": Reach(task["cards"], "http://cards.localhost:8401")},
        leeway=1000,  # all of them pay with one card
    )
    tokens = await _tokens(task)
    print("ready", flush=True)
    sys.stdin.readline()
    async with open_context(settings) as context:
        await context.pool.wait()

        async def tell(n: int, token: str) -> None:
            print(await _buy(context, task, n, token), flush=True)

        await asyncio.gather(*(tell(n, token) for n, token in enumerate(tokens)))


if __name__ == "__main__":
    asyncio.run(main())
