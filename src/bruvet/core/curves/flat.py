"""Flat stretches: where the rate is low in itself and low for the heat on offer; where they begin and end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from .clean import CleanCurve
from .findings import StallRule
from .pit import Pit, runs
from .slope import Bend, knee, rate_c_per_h

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Flat:
    """A flat stretch: its edges in minutes, how sure they are, and whether it runs to the last reading.

    `expected_c_per_h` is what the heat on offer would have driven at the piece's own pace on the way up; None where
    too little of that was seen.
    """

    onset: float
    end: float
    is_open: bool
    onset_band: tuple[float, float] | None = None
    end_band: tuple[float, float] | None = None
    expected_c_per_h: float | None = None


def flat_stretches(curve: CleanCurve, grid: FloatArray, level: FloatArray, pit: Pit, rule: StallRule) -> list[Flat]:
    """Flat stretches in order of time.

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
        if whole_rate(curve, low, high) < rule.whole_share * pace * float(np.interp((low + high) / 2, grid, offered))
    ]
    merged = _merged([_bounds(low, high, curve, grid) for low, high in found])
    if not (pit.known and np.isfinite(pace)):
        return merged
    return [
        replace(one, expected_c_per_h=pace * float(np.interp((one.onset + one.end) / 2, grid, offered)))
        for one in merged
    ]


def _pace(rate: FloatArray, offered: FloatArray, rising: NDArray[np.bool_]) -> float:
    """Rate per degree of heat offered on the way up; without bound where too little of a rise was seen."""
    return float(np.percentile((rate / offered)[rising], 70)) if rising.sum() >= 20 else np.inf


def whole_rate(curve: CleanCurve, low: float, high: float) -> float:
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


def _bounds(low: float, high: float, curve: CleanCurve, grid: FloatArray) -> Flat:
    """Onset and end at the bends of the curve, and whether the stretch runs to the last reading."""
    reach = 75.0
    left = max([j.at_min for j in curve.jumps if j.at_min <= low + 3.0], default=-np.inf)
    right = min([j.at_min for j in curve.jumps if j.at_min >= high - 3.0], default=np.inf)
    middle = (low + high) / 2
    onset = Bend(low, low - 12.0, low + 12.0)
    start = max(low - reach, float(grid[0]), left)
    if low - start > 8.0:
        found = knee(curve.t_min, curve.temp_c, start, max(min(middle, low + reach), low + 10.0))
        onset = found if found is not None and abs(found.at_min - low) <= 45.0 else onset
    elif np.isfinite(left):
        onset = Bend(max(low - 12.0, left), left, low)
    end = Bend(high, high - 12.0, high + 12.0)
    stop = min(high + reach, float(grid[-1]), right)
    if high >= grid[-1] - 6.0:
        return Flat(onset.at_min, max(float(grid[-1]), onset.at_min), True, (onset.low_min, onset.high_min))
    if stop - high > 8.0:
        found = knee(curve.t_min, curve.temp_c, min(max(middle, high - reach), high - 10.0), stop)
        end = found if found is not None and abs(found.at_min - high) <= 45.0 else end
    elif np.isfinite(right):
        end = Bend(min(high + 12.0, right), high, right)
    return Flat(
        onset.at_min,
        max(end.at_min, onset.at_min),
        False,
        (onset.low_min, onset.high_min),
        (end.low_min, end.high_min),
    )


def _merged(stretches: Sequence[Flat]) -> list[Flat]:
    """Stretches that meet or overlap once their bends were found are one."""
    out: list[Flat] = []
    for one in stretches:
        if out and one.onset <= out[-1].end + 8.0:
            last = out[-1] if out[-1].end > one.end else one
            out[-1] = replace(out[-1], end=max(one.end, out[-1].end), is_open=one.is_open, end_band=last.end_band)
        else:
            out.append(one)
    return out
