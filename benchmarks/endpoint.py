"""The quote endpoint under load, asked by a real buyer and by a test buyer (whose book has a calendar of its own),
against an endpoint that returns a constant: same process, same body, same client."""

from __future__ import annotations

import asyncio
import json
import os
import re
import shutil
import statistics
import time

import httpx

from benchmarks.measure import Result
from skurrow.gateway.protocol import Credentials
from skurrow.run.cluster import FAST_AND_FORGETFUL
from skurrow.run.demo import EMAIL
from skurrow.run.installation import MERCHANT, ROOT, Installation, start_postgres
from skurrow.run.ports import Ports, any_free
from skurrow.run.processes import stop_all
from skurrow.service.context import Settings, open_context
from skurrow.service.draft import configuration, going_live, releases
from skurrow.service.payments import gateways
from skurrow.store.database import siteless_transaction
from skurrow.store.people.people import memberships, person_by_email

CONNECTIONS = 8


async def run(rounds: int, seconds: float) -> list[Result]:
    """Requests a second of both, in turns."""
    folder = ROOT / ".skurrow" / f"bench-{os.getpid()}"
    shutil.rmtree(folder, ignore_errors=True)
    ports = Ports(*(any_free() for _ in vars(Ports())))
    installation = Installation(folder, ports, server_options=tuple(FAST_AND_FORGETFUL), leeway=100_000)
    parts = [await start_postgres(installation)]
    try:
        parts += [installation.cards(), installation.web()]
        await parts[1].start()
        await parts[1].wait_until_healthy()
        await installation.load_demo(["standin-cards"])
        web = parts[2]
        web.command = [text.replace("skurrow.web.server", "benchmarks.served") for text in web.command]
        web.environment["PYTHONPATH"] += f":{ROOT}"
        await web.start()
        await web.wait_until_healthy()
        asked = {"test": ("quote", _body(installation))}
        await _go_live(installation)
        asked |= {"live": ("quote", _body(installation)), "constant": ("constant", _body(installation))}
        rates: dict[str, list[float]] = {name: [] for name in asked}
        for address, body in asked.values():
            await _load(installation, address, body, 0.5)
        for _ in range(rounds):
            for name, (address, body) in asked.items():
                rates[name].append(await _load(installation, address, body, seconds))
    finally:
        await stop_all(parts)
        installation.remove()
        shutil.rmtree(folder, ignore_errors=True)
    floor = rates["constant"]
    return [
        Result(
            f"quote endpoint, {who} buyer",
            f"{statistics.median(rates[who]):.0f} /s",
            f"{statistics.median(floor):.0f} /s",
            statistics.median(a / b for a, b in zip(rates[who], floor, strict=True)),
            0.5,
            larger_is_better=True,
        )
        for who in ("live", "test")
    ]


async def _go_live(installation: Installation) -> None:
    """From now on whoever comes to the demo is a real buyer."""
    async with open_context(Settings.from_environment(installation.environment)) as context:
        async with siteless_transaction(context.pool) as db:
            person = await person_by_email(db, EMAIL)
            assert person is not None
            (site,) = await memberships(db, person.id)
        keys = Credentials(MERCHANT, installation.secrets.cards_live_key)
        await gateways.connect(context, site.site_id, "standin-cards", "live", keys)
        state = await configuration.draft(context, site.site_id)
        await releases.release(context, site.site_id, None, state.change)
        await going_live.go_live(context, site.site_id, {"hand_over"})


def _body(installation: Installation) -> bytes:
    """A choice of whoever comes to the demo's kit."""
    chosen = {"visit": _visit(installation), "country": "NL", "variant": "moss", "delivery": "collect"}
    return json.dumps(chosen).encode()


def _visit(installation: Installation) -> str:
    headers = {"host": f"counter.localhost:{installation.ports.web}"}
    page = httpx.get(f"http://127.0.0.1:{installation.ports.web}/buy/ostrel-kit", headers=headers).text
    found = re.search(r'id="boot">(.*?)</script>', page, re.S)
    assert found
    return str(json.loads(found[1])["counter"]["visit"])


async def _load(installation: Installation, name: str, body: bytes, seconds: float) -> float:
    """Answers a second over some connections that are kept open; any answer but 200 ends it."""
    head = (
        f"POST /counter/api/{name} HTTP/1.1\r\nhost: counter.localhost:{installation.ports.web}\r\n"
        f"content-type: application/json\r\ncontent-length: {len(body)}\r\n\r\n"
    )
    request, until = head.encode() + body, time.perf_counter() + seconds

    async def one() -> int:
        reader, writer = await asyncio.open_connection("127.0.0.1", installation.ports.web)
        count = 0
        while time.perf_counter() < until:
            writer.write(request)
            answer = await reader.readuntil(b"\r\n\r\n")
            assert answer.startswith(b"HTTP/1.1 200"), answer[:200]
            length = re.search(rb"content-length: (\d+)", answer)
            assert length
            await reader.readexactly(int(length[1]))
            count += 1
        writer.close()
        return count

    return sum(await asyncio.gather(*(one() for _ in range(CONNECTIONS)))) / seconds
