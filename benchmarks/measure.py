"""Measuring two things beside each other, so that noise meets both."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Result:
    """A ratio with what it was made of, and what is aimed at."""

    name: str
    ours: str
    floor: str
    ratio: float
    aim: float
    larger_is_better: bool = False

    @property
    def reached(self) -> bool:
        """Whether the aim was reached in this run."""
        return self.ratio >= self.aim if self.larger_is_better else self.ratio <= self.aim

    def __str__(self) -> str:
        sign = "≥" if self.larger_is_better else "≤"
        mark = "reached" if self.reached else "MISSED"
        return f"{self.name:<38} {self.ours:>16} {self.floor:>16} {self.ratio:>7.2f}  {sign} {self.aim:<5} {mark}"


def side_by_side(
    ours: Callable[[], object], floor: Callable[[], object], rounds: int, calls: int
) -> tuple[float, float, float]:
    """Median seconds a call of both, and the median of the ratios of each round."""
    mine, its, ratios = [], [], []
    for _ in range(rounds):
        a, b = _seconds(ours, calls), _seconds(floor, calls)
        mine.append(a)
        its.append(b)
        ratios.append(a / b)
    return statistics.median(mine), statistics.median(its), statistics.median(ratios)


def _seconds(work: Callable[[], object], calls: int) -> float:
    began = time.perf_counter()
    for _ in range(calls):
        work()
    return (time.perf_counter() - began) / calls
