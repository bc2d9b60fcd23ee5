"""Cooks beside one another, as curves: one less another, rate against temperature, pits' distributions, a stretch."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from .align import cooking_curve, passed
from .clean import merged
from .heat import pit_of
from .measures import Cook
from .slope import rate_c_per_h

FloatArray = NDArray[np.float64]
RATE_LEVELS_C = np.arange(8.0, 99.0, 1.0)
RATE_WINDOW_MIN = 24.0
PIT_BIN_C = 2.0


@dataclass(frozen=True)
class Curve:
    """Values against minutes or °C; arrays of shape (n,), NaN where it cannot be told."""

    x: FloatArray
    y: FloatArray


def smooth_at(cook: Cook, minutes: FloatArray, step_min: float = 1.0) -> FloatArray:
    """Cleaned internal temperature at given minutes; NaN in gaps, across jumps, and outside the readings."""
    curve = cook.curve
    out = np.full(len(minutes), np.nan)
    for part in curve.segments():
        t, y = curve.t_min[part], curve.temp_c[part]
        if len(t) > 1:
            inside = (minutes >= t[0] - step_min / 2) & (minutes <= t[-1] + step_min / 2)
            out[inside] = np.interp(minutes[inside], t, y)
    return out


def minus(other: Cook, first: Cook, shift_min: float = 0.0, step_min: float = 1.0) -> Curve:
    """The other's inside less the first's, °C, at the same minute of each; `shift_min` is added to the other's."""
    last = min((float(c.curve.t_min[-1]) for c in (first, other) if len(c.curve.t_min)), default=0.0)
    minutes = np.arange(0.0, max(last, 0.0) + step_min / 2, step_min)
    return Curve(minutes, smooth_at(other, minutes + shift_min) - smooth_at(first, minutes))


def rate_by_temperature(cook: Cook, levels_c: FloatArray = RATE_LEVELS_C) -> Curve:
    """How fast it rose (°C/h, line of 24 min) when it first passed each temperature; NaN where it never did."""
    t, y = cooking_curve(cook)
    at = passed(cook, levels_c)
    rate = np.full(len(levels_c), np.nan)
    # No line is laid across a leap.
    for start, stop in pairwise([-np.inf, *(jump.at_min for jump in cook.cooking.jumps), np.inf]):
        inside, here = (t >= start) & (t < stop), (at >= start) & (at < stop)
        if here.any():
            rate[here] = rate_c_per_h(t[inside], y[inside], at[here], RATE_WINDOW_MIN)
    return Curve(levels_c, rate)


def pit_distribution(cook: Cook, bin_c: float = PIT_BIN_C) -> Curve:
    """Share of the time that the pit spent in each bin; `x` the bins' middles, shares adding up to one."""
    t, y = pit_of(cook)
    if len(t) < 3:
        return Curve(np.zeros(0), np.zeros(0))
    low, high = np.floor(y.min() / bin_c), np.floor(y.max() / bin_c) + 1
    edges = np.arange(low, high + 0.5) * bin_c
    share, _ = np.histogram(y, edges, weights=np.minimum(np.gradient(t), 10.0))
    return Curve(edges[:-1] + bin_c / 2, share / share.sum())


@dataclass(frozen=True)
class Spread:
    """Like pieces as a band: lowest, mean and highest at each minute where at least two have readings."""

    x: FloatArray
    low: FloatArray
    mean: FloatArray
    high: FloatArray


def band_of(cooks: Sequence[Cook], step_min: float = 2.0) -> Spread:
    last = max((float(c.curve.t_min[-1]) for c in cooks if len(c.curve.t_min)), default=0.0)
    minutes = np.arange(0.0, max(last, 0.0) + step_min / 2, step_min)
    table = np.array([smooth_at(cook, minutes) for cook in cooks]).reshape(len(cooks), -1)
    known = np.isfinite(table).sum(axis=0) >= 2
    table = table[:, known]
    return Spread(minutes[known], np.nanmin(table, axis=0), np.nanmean(table, axis=0), np.nanmax(table, axis=0))


@dataclass(frozen=True)
class Stretch:
    """What one cook did in a marked stretch; None where its readings do not tell.

    Minutes from its own meat on; temperatures in °C; `offered_c_h` the pit's excess over the meat, integrated.
    """

    low_min: float
    high_min: float
    from_c: float | None
    to_c: float | None
    pit_mean_c: float | None
    pit_spread_c: float | None
    offered_c_h: float | None
    lids: int

    @property
    def minutes(self) -> float:
        return self.high_min - self.low_min

    @property
    def rate_c_per_h(self) -> float | None:
        if self.from_c is None or self.to_c is None or self.minutes <= 0:
            return None
        return (self.to_c - self.from_c) / self.minutes * 60


def stretch_by_time(cook: Cook, low_min: float, high_min: float) -> Stretch:
    """A cook between two of its minutes."""
    ends = smooth_at(cook, np.array([low_min, high_min]))
    pit_t, pit_c = merged(cook.pit_t_min, cook.pit_c)
    inside = (pit_t >= low_min) & (pit_t <= high_min)
    offered = None
    grid = np.arange(low_min, high_min + 0.5, 1.0)
    meat = smooth_at(cook, grid)
    if inside.sum() > 2 and np.isfinite(meat).mean() > 0.9:
        excess = np.maximum(np.interp(grid, pit_t, pit_c) - meat, 0.0)
        offered = float(np.trapezoid(np.nan_to_num(excess), grid)) / 60
    begins, finishes = (None if not np.isfinite(value) else float(value) for value in ends)
    return Stretch(
        low_min,
        high_min,
        begins,
        finishes,
        float(pit_c[inside].mean()) if inside.any() else None,
        float(pit_c[inside].std()) if inside.sum() > 2 else None,
        offered,
        sum(low_min <= mark.at_min <= high_min for mark in cook.marks if mark.kind in ("lid", "spritz", "wrap")),
    )


def stretch_by_temperature(cook: Cook, low_c: float, high_c: float) -> Stretch | None:
    """A cook from when it first passed one temperature to when it first passed another; None when it did not."""
    at = passed(cook, np.array([low_c, high_c]))
    return stretch_by_time(cook, float(at[0]), float(at[1])) if np.isfinite(at).all() and at[1] > at[0] else None
