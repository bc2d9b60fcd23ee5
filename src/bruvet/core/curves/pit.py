"""What a pit was doing: its level, the level it had been working at, and its dips."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .clean import merged

FloatArray = NDArray[np.float64]
LONGEST_LID_DIP_MIN = 22.0
SHALLOWEST_DIP_C = 8.0


@dataclass(frozen=True)
class Dip:
    """A spell in which the pit stood well under the level it had been working at; edges at half depth."""

    start_min: float
    end_min: float
    depth_c: float

    @property
    def is_lid(self) -> bool:
        return self.end_min - self.start_min <= LONGEST_LID_DIP_MIN


@dataclass(frozen=True)
class Pit:
    """The pit on the meat's grid: smoothed level, the level it had been working at, and its dips."""

    known: bool
    level_c: FloatArray
    working_c: FloatArray
    raw_t: FloatArray
    raw_c: FloatArray
    dips: tuple[Dip, ...] = ()


def pit_on(grid: FloatArray, pit_t: FloatArray | None, pit_c: FloatArray | None) -> Pit:
    """The pit's readings (minutes, °C, any spacing) brought onto the meat's minute grid, shape (n,)."""
    nothing = np.full(len(grid), np.nan)
    if pit_t is None or pit_c is None:
        return Pit(False, nothing, nothing, np.zeros(0), np.zeros(0))
    sane = np.isfinite(pit_c) & (pit_c > -30.0) & (pit_c < 450.0)
    t, y = merged(np.asarray(pit_t, float)[sane], np.asarray(pit_c, float)[sane])
    if len(t) < 3:
        return Pit(False, nothing, nothing, t, y)
    raw = np.interp(grid, t, y)
    level = _running(raw, 31, 50.0)
    # What the fire has been doing for two hours; an offset's saw-tooth and a lid dip leave it alone.
    working = _running(level, 241, 75.0, trailing=True)
    return Pit(True, level, working, t, y, _dips(grid, _running(raw, 7, 50.0), working))


def _dips(grid: FloatArray, smooth: FloatArray, working: FloatArray) -> tuple[Dip, ...]:
    """Spells under the working level by more than the pit's own restlessness."""
    deficit = working - smooth
    restless = 1.4826 * float(np.median(np.abs(deficit - np.median(deficit))))
    bound = max(SHALLOWEST_DIP_C, float(np.median(deficit)) + 3.0 * restless)
    found = []
    for low, high in runs(grid, deficit > bound):
        inside = (grid >= low) & (grid <= high)
        depth = float(deficit[inside].max())
        deep = grid[inside & (deficit > 0.5 * depth)]
        if high - low >= 4.0:
            found.append(Dip(float(deep[0]), float(deep[-1]), depth))
    return tuple(found)


def _running(values: FloatArray, width: int, percent: float, trailing: bool = False) -> FloatArray:
    """Running percentile over `width` grid minutes, thinned to every third minute for speed."""
    pad = (width - 1, 0) if trailing else (width // 2, width // 2)
    stride = 3
    windows = np.lib.stride_tricks.sliding_window_view(np.pad(values, pad, mode="edge"), width)
    picked = np.arange(0, len(values), stride)
    found = np.percentile(windows[picked][:, ::stride], percent, axis=1)
    return np.asarray(np.interp(np.arange(len(values)), picked, found), dtype=float)


def runs(grid: FloatArray, flag: NDArray[np.bool_]) -> list[tuple[float, float]]:
    """Runs of true in `flag` on the grid, as (first, last) minute."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flag, [False]]).astype(int)))
    return [(float(grid[a]), float(grid[b - 1])) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def bridged(intervals: list[tuple[float, float]], gap_min: float) -> list[tuple[float, float]]:
    """Intervals in order of their beginning, those no further apart than `gap_min` made one."""
    out: list[tuple[float, float]] = []
    for low, high in intervals:
        if out and low - out[-1][1] <= gap_min:
            out[-1] = (out[-1][0], max(high, out[-1][1]))
        else:
            out.append((low, high))
    return out
