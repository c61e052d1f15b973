"""Thousands of hostile requests at a running installation: what web and worker take of memory before and after them."""

from __future__ import annotations

import asyncio
import json
import os
import random
import re
import shutil
from collections import Counter
from collections.abc import Callable
from typing import Any

import httpx

from skurrow.run.cluster import FAST_AND_FORGETFUL
from skurrow.run.installation import ROOT, Installation, start_postgres
from skurrow.run.ports import Ports, any_free
from skurrow.run.processes import Part, stop_all

MOST_GROWTH = 1.2
_WARM = 0.15
"""Of the requests, those after which memory is looked at for the first time: what a process keeps, it keeps by then."""


async def run(requests: int, chance: int, say: Callable[[str], None]) -> int:
    """Asks so often; 0 if nothing failed, and memory is as before within a fifth."""
    folder = ROOT / ".skurrow" / f"hostile-{os.getpid()}"
    ports = Ports(*(any_free() for _ in vars(Ports())))
    installation = Installation(folder, ports, server_options=tuple(FAST_AND_FORGETFUL))
    parts: list[Part] = []
    try:
        parts.append(await start_postgres(installation))
        for part in (installation.cards(), installation.numbers()):
            parts.append(part)
            await part.start()
            await part.wait_until_healthy()
        await installation.load_demo(["standin-cards"])
        web, worker = installation.web(), installation.worker()
        for part in (web, worker):
            parts.append(part)
            await part.start()
        await web.wait_until_healthy()
        seen: Counter[int] = Counter()
        await _ask(installation, int(requests * _WARM), random.Random(chance), seen)
        before = {part.name: _memory(part) for part in (web, worker)}
        await _ask(installation, requests - int(requests * _WARM), random.Random(chance + 1), seen)
        await asyncio.sleep(2)
        after = {part.name: _memory(part) for part in (web, worker)}
    finally:
        await stop_all(parts)
        installation.remove()
        shutil.rmtree(folder, ignore_errors=True)
    answers = ", ".join(f"{status}: {n}" for status, n in sorted(seen.items()))
    say(f"{seen.total()} hostile requests ({answers})")
    for name in before:
        say(f"{name}: {before[name]} MB before, {after[name]} MB after, {after[name] / before[name]:.2f} ×")
    failed = any(status >= 500 for status in seen)
    return 1 if failed or any(after[name] > before[name] * MOST_GROWTH for name in before) else 0


def _memory(part: Part) -> int:
    assert part.process is not None
    with open(f"/proc/{part.process.pid}/status", encoding="ascii") as file:
        found = re.search(r"VmRSS:\s+(\d+) kB", file.read())
    assert found is not None
    return int(found[1]) // 1024


async def _ask(installation: Installation, many: int, dice: random.Random, seen: Counter[int]) -> None:
    room = asyncio.Semaphore(24)
    counter = {"host": f"counter.localhost:{installation.ports.web}"}
    desk = {"host": f"localhost:{installation.ports.web}", "origin": installation.desk_url}
    async with httpx.AsyncClient(base_url=f"http://127.0.0.1:{installation.ports.web}", timeout=60) as client:
        page = await client.get("/buy/ostrel-kit", headers=counter)
        found = re.search(r'"visit":\s*"([^"]+)"', page.text)
        assert found is not None

        async def one() -> None:
            async with room:
                method, path, headers, content = _hostile(found[1], dice, counter, desk)
                answer = await client.request(
                    method, path, headers={**headers, "content-type": "application/json"}, content=content
                )
                seen[answer.status_code] += 1

        await asyncio.gather(*(one() for _ in range(many)))


def _hostile(
    visit: str, dice: random.Random, counter: dict[str, str], desk: dict[str, str]
) -> tuple[str, str, Any, Any]:
    odd = dice.choice(
        ["²", "\ud800", "\x00", "\ufffe", "a" * 20_000, "' or 1=1 --", "<script>", "../" * 50, "1E+500000000"]
    )
    quote = {"visit": visit, "country": "NL", "variant": "moss", "delivery": "collect"}
    pay = {
        **quote,
        "email": f"{dice.random()}@x.example",
        "name": odd,
        "expected": "48.00",
        "token": odd,
        "password": odd,
    }
    kinds: list[tuple[str, str, dict[str, str], Any]] = [
        ("POST", "/counter/api/quote", counter, json.dumps({**quote, "coupons": [f"G{dice.random()}"]})),
        ("POST", "/counter/api/quote", counter, json.dumps({**quote, "country": odd})),
        ("POST", "/counter/api/quote", counter, "[" * dice.randint(1, 200_000)),
        ("POST", "/counter/api/quote", counter, "9" * dice.randint(1, 20_000)),
        ("POST", "/counter/api/pay", counter, json.dumps(pay)),
        ("POST", "/counter/api/resume", counter, json.dumps({"visit": odd[:900], "fresh": visit})),
        ("POST", "/counter/api/come-back", counter, json.dumps({"back": odd[:900], "fresh": visit})),
        ("GET", f"/buy/{dice.random()}?coupon=G{dice.random()}", counter, None),
        ("GET", f"/thanks/{'x' * dice.randint(1, 2000)}", counter, None),
        ("POST", "/desk/api/session", desk, json.dumps({"email": f"{dice.random()}@x.example", "password": odd[:900]})),
        ("POST", "/desk/api/password-links", desk, json.dumps({"email": f"{dice.random()}@x.example"})),
        ("POST", "/gateway-events/01900000-0000-7000-8000-000000000000", counter, odd.encode("utf-8", "surrogatepass")),
        ("PUT", "/desk/api/sites/ostrel/parts/product/coptic-kit", desk, json.dumps({"seen": 1, "body": {"a": odd}})),
    ]
    return dice.choice(kinds)
