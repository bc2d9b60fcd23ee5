"""Flat stretches: where the rate is low in itself and low for the heat on offer; where they begin and end."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from .clean import CleanCurve
from .findings import StallRule
from .pit import Pit, runs
from .slope import knee, rate_c_per_h

FloatArray = NDArray[np.float64]


def flat_stretches(
    curve: CleanCurve, grid: FloatArray, level: FloatArray, pit: Pit, rule: StallRule
) -> list[tuple[float, float, bool]]:
    """Flat stretches as (onset, end, whether it runs to the last reading), minutes, in order.

    `grid` is the minute grid, `level` the meat on it in °C, both shape (n,).
    """
    # A staircase of whole degrees needs a window that holds a stair.
    window = max(rule.window_min, 40.0 * curve.quantum_c)
    rate = _rate_by_segment(curve, grid, window)
    offered = np.maximum(pit.working_c - level, 3.0) if pit.known else np.ones(len(grid))
    begun = level > level[: max(5, len(level) // 50)].min() + 8.0
    pace = _pace(rate, offered, begun & (level < 65.0) & (rate > rule.flat_c_per_h))
    with np.errstate(invalid="ignore"):
        flat = begun & (rate < rule.flat_c_per_h) & (rate / offered < rule.flat_share * pace)
    found = [
        (low, high)
        for low, high in _joined(runs(grid, flat), curve, rule)
        if _whole_rate(curve, low, high) < rule.whole_share * pace * float(np.interp((low + high) / 2, grid, offered))
    ]
    return _merged([_bounds(low, high, curve, grid) for low, high in found])


def _pace(rate: FloatArray, offered: FloatArray, rising: NDArray[np.bool_]) -> float:
    """Rate per degree of heat offered on the way up; without bound where too little of a rise was seen."""
    return float(np.percentile((rate / offered)[rising], 70)) if rising.sum() >= 20 else np.inf


def _whole_rate(curve: CleanCurve, low: float, high: float) -> float:
    """Rate over a whole stretch, °C/h: least squares between jumps, weighted by the readings of each part."""
    edges = [low - 0.5, *(j.at_min for j in curve.jumps if low < j.at_min < high), high + 0.5]
    total, weight = 0.0, 0
    for start, stop in pairwise(edges):
        inside = (curve.t_min >= start) & (curve.t_min < stop)
        if inside.sum() >= 3:
            slope = float(np.polyfit(curve.t_min[inside], curve.temp_c[inside], 1)[0])
            total, weight = total + slope * 60.0 * int(inside.sum()), weight + int(inside.sum())
    return total / weight if weight else 0.0


def _rate_by_segment(curve: CleanCurve, grid: FloatArray, window_min: float) -> FloatArray:
    """Rate on the grid, never fitted across a jump."""
    edges = [-np.inf, *(jump.at_min for jump in curve.jumps), np.inf]
    rate = np.full(len(grid), np.nan)
    for start, stop in pairwise(edges):
        inside = (curve.t_min >= start) & (curve.t_min < stop)
        where = (grid >= start) & (grid < stop)
        if inside.sum() < 3 or not where.any():
            continue
        t, y = curve.t_min[inside], curve.temp_c[inside]
        spacing = float(np.median(np.diff(t)))
        rate[where] = rate_c_per_h(t, y, grid[where], max(window_min, 4.5 * spacing))
    return rate


def _joined(found: list[tuple[float, float]], curve: CleanCurve, rule: StallRule) -> list[tuple[float, float]]:
    """Runs with a short interruption between them are one stretch when the whole of it is still flat."""
    out: list[tuple[float, float]] = []
    for low, high in found:
        if out:
            start, stop = out[-1]
            pause = low - stop
            jumped = sum(j.after_c - j.before_c for j in curve.jumps if stop <= j.at_min <= low)
            a, b = np.interp([stop, low], curve.t_min, curve.temp_c)
            rise = (b - a - jumped) / max(pause, 1.0) * 60.0
            longest = 0.6 * min(max(stop - start, 10.0), max(high - low, 10.0)) + 15.0
            if pause <= longest and rise < 2.0 * rule.flat_c_per_h:
                out[-1] = (start, high)
                continue
        out.append((low, high))
    return [(a, b) for a, b in out if b - a >= 12.0]


def _bounds(low: float, high: float, curve: CleanCurve, grid: FloatArray) -> tuple[float, float, bool]:
    """Onset and end at the bends of the curve, and whether the stretch runs to the last reading."""
    reach = 75.0
    left = max([j.at_min for j in curve.jumps if j.at_min <= low + 3.0], default=-np.inf)
    right = min([j.at_min for j in curve.jumps if j.at_min >= high - 3.0], default=np.inf)
    middle = (low + high) / 2
    onset, end = low, high
    start = max(low - reach, float(grid[0]), left)
    if low - start > 8.0:
        found = knee(curve.t_min, curve.temp_c, start, max(min(middle, low + reach), low + 10.0))
        onset = found if found is not None and abs(found - low) <= 45.0 else low
    elif np.isfinite(left):
        onset = max(low - 12.0, left)
    open_end = high >= grid[-1] - 6.0
    stop = min(high + reach, float(grid[-1]), right)
    if open_end:
        end = float(grid[-1])
    elif stop - high > 8.0:
        found = knee(curve.t_min, curve.temp_c, min(max(middle, high - reach), high - 10.0), stop)
        end = found if found is not None and abs(found - high) <= 45.0 else high
    elif np.isfinite(right):
        end = min(high + 12.0, right)
    return onset, max(end, onset), open_end


def _merged(stretches: Sequence[tuple[float, float, bool]]) -> list[tuple[float, float, bool]]:
    """Stretches that meet or overlap once their bends were found are one."""
    out: list[tuple[float, float, bool]] = []
    for onset, end, is_open in stretches:
        if out and onset <= out[-1][1] + 8.0:
            out[-1] = (out[-1][0], max(end, out[-1][1]), is_open)
        else:
            out.append((onset, end, is_open))
    return out
