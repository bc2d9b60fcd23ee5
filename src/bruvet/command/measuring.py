"""Measuring for `./bruvet bench`: the median of a few runs, and two of them beside one another."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

from .packages import say


def timed(work: Callable[[], object], runs: int = 3) -> float:
    """Median seconds of a few runs."""
    found = []
    for _ in range(runs):
        begin = time.perf_counter()
        work()
        found.append(time.perf_counter() - begin)
    return statistics.median(found)


def beside(name: str, what: str, ours_s: float, other: str, other_s: float) -> None:
    """Print one measurement beside its rival and their ratio."""
    say(f"{name:8} {what} {ours_s:8.3f} s | {other} {other_s:8.3f} s | ratio {ours_s / other_s:.3g}")
