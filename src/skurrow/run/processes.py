"""Running the parts as processes: each is watched, started again when it dies, and stopped at the end."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from pathlib import Path

import httpx

WITHIN = 600.0
"""A part that has run for so many seconds has its earlier deaths forgotten."""

LONGEST_PAUSE = 60.0
"""Seconds before a part is started again, at the most; at first it is hardly any."""


def pause_after(deaths: int) -> float:
    """Seconds until a part that has died so often is started again.

    >>> [pause_after(n) for n in (1, 2, 3, 4, 20)]
    [0.2, 0.4, 0.8, 1.6, 60.0]
    """
    return min(0.1 * 2.0 ** min(deaths, 20), LONGEST_PAUSE)


class PartFailed(Exception):
    """A part cannot be kept running; the message says which, and where its log is."""


@dataclass
class Part:
    """One process: `command` in `folder` with `environment`; `health` is asked until it answers.

    `stop_signal` asks it to end in an orderly way.
    """

    name: str
    command: list[str]
    environment: dict[str, str] = field(repr=False)
    log: Path
    health: str | None = None
    folder: Path | None = None
    stop_signal: signal.Signals = signal.SIGTERM
    before: Callable[[], None] | None = None
    process: asyncio.subprocess.Process | None = None
    deaths: list[float] = field(default_factory=list)

    async def start(self) -> None:
        """Starts the process, in a session of its own: Ctrl-C reaches only whoever watches it."""
        if self.before is not None:
            await asyncio.to_thread(self.before)
        with self.log.open("ab") as log:
            self.process = await asyncio.create_subprocess_exec(
                *self.command,
                stdin=asyncio.subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                env=self.environment,
                cwd=self.folder,
                start_new_session=True,
            )

    async def wait_until_healthy(self, seconds: float = 60) -> None:
        """Returns when the part answers. Raises PartFailed when it does not, or has died."""
        if self.health is None:
            return
        deadline = time.monotonic() + seconds
        async with httpx.AsyncClient(timeout=2, trust_env=False) as client:
            while True:
                with contextlib.suppress(httpx.HTTPError):
                    if (await client.get(self.health)).is_success:
                        return
                if self.process is None or self.process.returncode is not None:
                    raise PartFailed(f"{self.name} stopped while starting; its log is {self.log}:\n{self.last_lines()}")
                if time.monotonic() > deadline:
                    raise PartFailed(f"{self.name} does not answer at {self.health}; its log is {self.log}.")
                await asyncio.sleep(0.05)

    async def stop(self, seconds: float = 15) -> None:
        """Asks the process to end, and ends it when it does not."""
        if self.process is None or self.process.returncode is not None:
            return
        with contextlib.suppress(ProcessLookupError):
            self.process.send_signal(self.stop_signal)
        try:
            await asyncio.wait_for(self.process.wait(), seconds)
        except TimeoutError:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(self.process.pid, signal.SIGKILL)
            await self.process.wait()

    def last_lines(self) -> str:
        """The end of the log."""
        lines = self.log.read_text(errors="replace").splitlines() if self.log.exists() else []
        return "\n".join(lines[-12:])


async def keep_running(part: Part, say: Callable[[str], None]) -> None:
    """Starts the part again whenever it dies, after pauses that grow: what makes one part die stops no other."""
    while True:
        assert part.process is not None
        code = await part.process.wait()
        now = time.monotonic()
        part.deaths = [moment for moment in part.deaths if now - moment < WITHIN] + [now]
        pause = pause_after(len(part.deaths))
        words = "starting it again" if pause < 1 else f"starting it again in {pause:.0f} s; its log is {part.log}"
        say(f"{part.name} stopped ({code}); {words}.")
        await asyncio.sleep(pause)
        try:
            await part.start()
        except Exception as error:  # as where the disk is full: tried again like a death
            say(f"{part.name} could not be started ({type(error).__name__}).")


async def run_until(stop: Awaitable[object], parts: list[Part], say: Callable[[str], None]) -> None:
    """Keeps the started parts running until `stop` is done."""
    watchers = [asyncio.create_task(keep_running(part, say)) for part in parts]
    stopping = asyncio.ensure_future(stop)
    try:
        done, _ = await asyncio.wait([stopping, *watchers], return_when=asyncio.FIRST_COMPLETED)
        for task in done:
            task.result()
    finally:
        for task in [stopping, *watchers]:
            task.cancel()


async def stop_all(parts: list[Part]) -> None:
    """Stops the parts, the last started first."""
    for part in reversed(parts):
        await part.stop()
