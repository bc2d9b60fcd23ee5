"""Rates of rise from noisy, gappy, quantised readings."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .median import median

FloatArray = NDArray[np.float64]


def rate_c_per_h(t_min: FloatArray, temp_c: FloatArray, at_min: FloatArray, window_min: float) -> FloatArray:
    """Slope of the least-squares line through the readings within half a window of each moment.

    Parameters
    ----------
    t_min, temp_c : arrays, shape (n,)
        Readings in order of time; minutes and °C.
    at_min : array, shape (m,)
        Where the rate is wanted.
    window_min : float
        Whole width of the window. Where it holds fewer than 3 readings, or they span less than a third
        of it, the rate is NaN.

    Returns
    -------
    array, shape (m,), °C per hour
    """
    n = len(t_min)
    if n < 3:
        return np.full(len(at_min), np.nan)
    origin = float(t_min[0])
    x = t_min - origin
    low = np.searchsorted(t_min, at_min - window_min / 2, side="left")
    high = np.searchsorted(t_min, at_min + window_min / 2, side="right")

    def sums(values: FloatArray) -> FloatArray:
        total = np.concatenate([[0.0], np.cumsum(values)])
        return np.asarray(total[high] - total[low])

    level = float(temp_c.mean())
    count = (high - low).astype(float)
    sx, sy = sums(x), sums(temp_c - level)
    sxx, sxy = sums(x * x), sums(x * (temp_c - level))
    span = np.where(count > 0, t_min[np.minimum(high, n) - 1] - t_min[np.minimum(low, n - 1)], 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        slope = (count * sxy - sx * sy) / (count * sxx - sx * sx)
    return np.where((count >= 3) & (span >= window_min / 3), slope * 60.0, np.nan)


@dataclass(frozen=True)
class Bend:
    """Where a curve bends, and between which minutes it may with 95 % confidence."""

    at_min: float
    low_min: float
    high_min: float


# Chi-square's 95 % point with one degree of freedom.
CHI2_95 = 3.841
BLUNT_MIN = 1.0


def knee(t_min: FloatArray, temp_c: FloatArray, low_min: float, high_min: float) -> Bend | None:
    """The bend of the best continuous two-piece line through the readings of an interval.

    Least squares over a bend at each half minute or reading inside the middle 90 % of the interval. None
    when the interval holds fewer than 6 readings.

    Notes
    -----
    The interval is the likelihood's profile: bends whose sum of squares is no more than 3.84 residual variances over
    the least, the variance taken as larger where the residuals follow one another (first-order autoregressive).
    """
    inside = (t_min >= low_min) & (t_min <= high_min)
    t, y = t_min[inside], temp_c[inside]
    if len(t) < 6 or high_min - low_min < 6:
        return None
    margin = 0.05 * (high_min - low_min)
    bends = np.arange(low_min + margin, high_min - margin, max(0.5, (high_min - low_min) / 240))
    middle = float(t.mean())
    x, at = t - middle, bends - middle
    slope_power = float(x @ x)
    rest_y = y - y.mean() - x * (float(x @ y) / slope_power)
    # A hinge is max(x - at, 0); its sums over the readings after each bend come from sums from the end. The straight
    # line is removed from it as from the readings; what is left is a regression on one column.
    after = np.searchsorted(x, at, side="right")
    n, sx, sxx, sy, sxy = (_from_end(values)[after] for values in (np.ones(len(x)), x, x * x, rest_y, x * rest_y))
    with_one, with_x, with_y = sx - at * n, sxx - at * sx, sxy - at * sy
    power = (sxx - 2 * at * sx + at * at * n) - with_one**2 / len(x) - with_x**2 / slope_power
    gain = np.where(power > 1e-9, with_y**2 / np.maximum(power, 1e-9), 0.0)
    best = int(np.argmax(gain))
    hinge = np.maximum(x - at[best], 0.0)
    rest_h = hinge - with_one[best] / len(x) - x * (with_x[best] / slope_power)
    residual = rest_y - rest_h * (with_y[best] / max(float(power[best]), 1e-9))
    total = float(residual @ residual)
    follows = float(np.clip(residual[1:] @ residual[:-1] / max(total, 1e-12), 0.0, 0.95))
    allowed = CHI2_95 * total / max(len(t) - 4, 1) * (1 + follows) / (1 - follows)
    likely = bends[gain >= gain[best] - allowed]
    # No bend is sharper than the readings are apart, nor than meat's own answer, some minutes.
    blunt = BLUNT_MIN + median(np.diff(t))
    return Bend(float(bends[best]), float(likely[0]) - blunt, float(likely[-1]) + blunt)


def _from_end(values: FloatArray) -> FloatArray:
    """Sums of the values from each on to the last, and 0 after it; shape (n + 1,)."""
    return np.append(np.cumsum(values[::-1])[::-1], 0.0)
