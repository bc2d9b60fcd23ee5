"""What a pit was doing: its level, the level it had been working at, and its dips."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import percentile_filter, uniform_filter1d

from .clean import merged
from .median import median, spread

FloatArray = NDArray[np.float64]
LONGEST_LID_DIP_MIN = 22.0
LONGEST_SPELL_MIN = 100.0
SHALLOWEST_DIP_C = 8.0
DYING_C = 20.0
THIN = 3


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
    lids = lid_dips(grid, raw)
    # What the fire itself has been doing: without the lid, an offset's saw-tooth smoothed.
    raw = _without(lids, grid, raw)
    level = _running(raw, 31, 50.0)
    working = _running(level, 241, 75.0, trailing=True)
    # Slow drift is no spell, nor is what came before a hotter setting: a spell lies under the hours on both sides,
    # of which those count in which the fire was alive.
    alive = _both_sides(level, 301, 85.0)
    around = _both_sides(np.where(level < alive - DYING_C, alive, level), 121, 60.0)
    spells = _dips(grid, uniform_filter1d(raw, 21, mode="nearest"), around)
    spells = [dip for dip in spells if not dip.is_lid and dip.end_min - dip.start_min <= LONGEST_SPELL_MIN]
    return Pit(True, level, working, t, y, tuple(sorted(lids + spells, key=lambda dip: dip.start_min)))


def lid_dips(grid: FloatArray, raw: FloatArray) -> list[Dip]:
    """Dips as only an opened lid makes, of a pit on a minute grid; both shape (n,)."""
    working = _running(_running(raw, 31, 50.0), 241, 75.0, trailing=True)
    return [dip for dip in _dips(grid, _running(raw, 7, 50.0), working) if dip.is_lid]


def _without(lids: list[Dip], grid: FloatArray, raw: FloatArray) -> FloatArray:
    """The pit with a straight line across each opening of the lid."""
    kept = np.ones(len(grid), bool)
    for dip in lids:
        kept &= (grid < dip.start_min - 4.0) | (grid > dip.end_min + 8.0)
    return np.interp(grid, grid[kept], raw[kept]) if kept.any() else raw


def _dips(grid: FloatArray, smooth: FloatArray, working: FloatArray) -> list[Dip]:
    """Spells under the working level by more than the pit's own restlessness."""
    deficit = working - smooth
    bound = max(SHALLOWEST_DIP_C, median(deficit) + 3.0 * spread(deficit))
    found = []
    for low, high in runs(grid, deficit > bound):
        inside = (grid >= low) & (grid <= high)
        depth = float(deficit[inside].max())
        deep = grid[inside & (deficit > 0.5 * depth)]
        if high - low >= 4.0:
            found.append(Dip(float(deep[0]), float(deep[-1]), depth))
    return found


def _both_sides(values: FloatArray, width: int, percent: float) -> FloatArray:
    """The lower of two running percentiles: of the `width` minutes until then, and of those from then on."""
    ahead = _running(values[::-1], width, percent, trailing=True)[::-1]
    return np.minimum(_running(values, width, percent, trailing=True), ahead)


def _running(values: FloatArray, width: int, percent: float, trailing: bool = False) -> FloatArray:
    """Running percentile over `width` grid minutes, of every third minute for speed."""
    thin = values[::THIN]
    size = max(width // THIN, 1) | 1
    found = percentile_filter(thin, percent, size=size, mode="nearest", origin=size // 2 if trailing else 0)
    return np.asarray(np.interp(np.arange(len(values)), np.arange(0, len(values), THIN), found), dtype=float)


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
