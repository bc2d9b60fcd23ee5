"""The table of stalls in docs/method.md: `PYTHONPATH=src:tests python -m core.stall_table [seeds]`.

Planted curves of seeds that the bounds were not set on, of three families (planted, followed, crossed), judged by Bruvet and
by ruptures (PyPI), a general library of change points: its quick greedy search with the best of three penalties and its
exact one, its pieces called stalls by the same rate, temperatures and length.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from itertools import pairwise

import numpy as np
import ruptures

from bruvet.core.curves.findings import StallRule

from .crossed import family as crossed_family
from .followed import Wish, family, follow
from .planted import Planted, plant, score, smooth, told, told_apart

FIRST_SEED = 2000
FAULTS = (None, "dead-fire", "lid", "gap", "out", "spikes")
Spans = list[tuple[float, float]]


def curves(each: int) -> Iterator[Planted]:
    for seed in range(FIRST_SEED, FIRST_SEED + each):
        how = {"quantum_c": (0.0, 5 / 9, 1.0)[seed % 3], "step_min": (1.0, 0.5, 2.0, 5.0)[seed % 4]}
        for stall in ("natural", "foil", "paper", "pit", "open", None):
            yield plant(seed, stall=stall, fault=FAULTS[seed % len(FAULTS)], **how)
        yield smooth(seed, stall=True, width_min=(8.0, 30.0)[seed % 2])
        yield smooth(seed, stall=False)


def ours(curve: Planted) -> Spans:
    return [(s.onset_min, s.end_min) for s in told(curve).stalls]


def rival(penalty: float, grid_min: float, jump: int, exact: bool = False) -> Callable[[Planted], Spans]:
    rule = StallRule()

    def find(curve: Planted) -> Spans:
        known = np.isfinite(curve.meat_c)
        grid = np.arange(curve.t_min[known][0], curve.t_min[known][-1], grid_min)
        level = np.interp(grid, curve.t_min[known], curve.meat_c[known])
        search = ruptures.Pelt if exact else ruptures.BottomUp
        breaks = search(model="clinear", min_size=6, jump=jump).fit(level.reshape(-1, 1)).predict(pen=penalty)
        flat: Spans = []
        edges = [0, *breaks[:-1], len(grid) - 1]
        for low, high in pairwise(edges):
            if high - low < 3:
                continue
            slope = np.polyfit(grid[low:high], level[low:high], 1)[0] * 60
            if slope < rule.flat_c_per_h and rule.coldest_c <= np.median(level[low:high]) <= rule.hottest_c:
                joins = flat and grid[low] - flat[-1][1] < 8
                flat[-1:] = [(flat[-1][0], grid[high])] if joins else [*flat[-1:], (grid[low], grid[high])]
        return [(a, b) for a, b in flat if b - a >= rule.shortest_min]

    return find


def judge(name: str, finder: Callable[[Planted], Spans], planted: list[Planted]) -> None:
    began = time.perf_counter()
    answers = [finder(curve) for curve in planted]
    took = (time.perf_counter() - began) / len(planted)
    seen = score(zip(planted, answers, strict=True))
    print(
        f"| {name} | {100 * seen.found / seen.planted:.1f} % of {seen.planted} | "
        f"{np.median(seen.onsets):.1f} / {np.median(seen.ends):.1f} min | "
        f"{100 * seen.false / len(planted):.1f} | {1000 * took:.0f} ms |"
    )


def faults_told(each: int) -> None:
    for fault, why in (("dead-fire", "pit-fell"), ("moved", "probe-moved")):
        straight = [
            plant(seed, stall=None, fault=fault, step_min=(1.0, 0.5, 2.0, 5.0)[seed % 4])
            for seed in range(FIRST_SEED, FIRST_SEED + each)
        ]
        follows = [follow(900_000 + seed, Wish(None, fault)) for seed in range(each)]
        for name, of in (("straight", straight), ("follows", follows)):
            reports = [(curve, told(curve)) for curve in of]
            right = sum(not report.stalls and told_apart(curve, report, why) for curve, report in reports)
            print(f"{fault}, {name}: {100 * right / each:.1f} % of {each}")


def coverage(planted: list[Planted]) -> None:
    held: dict[str, list[bool]] = {"onset": [], "end": []}
    width: dict[str, list[float]] = {"onset": [], "end": []}
    for curve in planted:
        for stall in told(curve).stalls:
            near = [s for s in curve.stalls if min(s[1], stall.end_min) - max(s[0], stall.onset_min) > 20]
            for name, band, truth in (("onset", stall.onset_band, 0), ("end", stall.end_band, 1)):
                if near and band is not None and not (name == "end" and stall.kind == "open"):
                    held[name].append(band[0] <= near[0][truth] <= band[1])
                    width[name].append((band[1] - band[0]) / 2)
    for name in held:
        print(f"{name}: band holds {100 * np.mean(held[name]):.0f} %, half width {np.median(width[name]):.1f} min")


if __name__ == "__main__":
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    every, follows = list(curves(seeds)), [curve for _, curve in family(800_000, seeds // 2)]
    judge(f"Bruvet, all {len(every)} of straight pieces", ours, every)
    judge(f"Bruvet, all {len(follows)} that follow the pit", ours, follows)
    crossed = [curve for _, curve in crossed_family(700_000, seeds // 2)]
    judge(f"Bruvet, all {len(crossed)} with two troubles, or in the midst of a stall", ours, crossed)
    faults_told(seeds)
    coverage(every)
    few = [curve for of in (every, follows, crossed) for curve in of[:: max(len(of) // 64, 1)]]
    print(f"of {len(few)} curves, beside ruptures:")
    judge("Bruvet", ours, few)
    for grid_min, jump in ((2.0, 3), (1.0, 1)):
        for pen in (5.0, 20.0, 80.0):
            judge(f"ruptures, greedy, every {grid_min * jump:g} min, penalty {pen:g}", rival(pen, grid_min, jump), few)
    judge("ruptures, exact, every minute, penalty 80", rival(80.0, 1.0, 1, exact=True), few)
