"""Work that keeps a processor busy, each kind in a lane of its own: so many at once, so many waiting, no more.

Whoever floods one lane holds nobody up in another: pictures keep nobody from signing in, and customers no colleague.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import ParamSpec, TypeVar

from skurrow.service.refusals import TooMany

P = ParamSpec("P")
R = TypeVar("R")


class Lane:
    """`workers` at once, and `waiting` behind them; whoever comes after that is asked to come again."""

    def __init__(self, name: str, workers: int, waiting: int) -> None:
        self._threads = ThreadPoolExecutor(workers, thread_name_prefix=name)
        self._most, self._inside = workers + waiting, 0

    async def run(self, work: Callable[P, R], *given: P.args, **named: P.kwargs) -> R:
        """Does it in a thread of the lane. Raises TooMany where the lane is full."""
        if self._inside >= self._most:
            raise TooMany("Too much of this is being asked at once. Try again in a moment.", 3)
        self._inside += 1
        try:
            return await asyncio.get_running_loop().run_in_executor(self._threads, lambda: work(*given, **named))
        finally:
            self._inside -= 1


@dataclass
class Lanes:
    """The lanes of one process: passwords of the desk, passwords of customers, pictures."""

    people: Lane = field(default_factory=lambda: Lane("people", 1, 30))
    customers: Lane = field(default_factory=lambda: Lane("customers", 1, 12))
    pictures: Lane = field(default_factory=lambda: Lane("pictures", 1, 8))
