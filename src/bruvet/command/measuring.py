"""Measuring for `./bruvet bench`: the median of a few runs, several works in turn, two beside one another."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable, Mapping
from typing import TypeVar

from .packages import say

Name = TypeVar("Name")


def timed(work: Callable[[], object], runs: int = 3) -> float:
    """Median seconds of a few runs."""
    found = []
    for _ in range(runs):
        begin = time.perf_counter()
        work()
        found.append(time.perf_counter() - begin)
    return statistics.median(found)


def in_turn(works: Mapping[Name, Callable[[], object]], rounds: int = 9) -> dict[Name, float]:
    """Median seconds of each, timed in turn, round by round: a slow minute of the machine meets all alike."""
    found: dict[Name, list[float]] = {name: [] for name in works}
    for _ in range(rounds):
        for name, work in works.items():
            found[name].append(timed(work, 1))
    return {name: statistics.median(seconds) for name, seconds in found.items()}


def beside(name: str, what: str, ours_s: float, other: str, other_s: float) -> None:
    """Print one measurement beside its rival and their ratio."""
    say(f"{name:8} {what} {ours_s:8.3f} s | {other} {other_s:8.3f} s | ratio {ours_s / other_s:.3g}")
