"""Leaps that meat cannot make: a probe that was moved, or pulled out, at once or over the minutes its tip takes.

The rules and their bounds are in docs/method.md.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from .median import median
from .slope import rate_c_per_h

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]

JUMP_C = 3.0
FASTEST_CHANGE_C_PER_MIN = 0.25
# How many times the noise a leap must stand out by: of single readings, and of lines through them a minute apart.
ROUGH, UNSURE = 3.0, 1.8
# Across so long a time without readings the meat may have stood still.
UNSEEN_MIN = 12.0
# A drawn-out leap takes up to so long, and is told by the lines so far on either side of it.
RAMP_MIN, BESIDE_MIN = 6.0, 8.0
# By how much the meat itself may bend in that time, slow and on the run.
BENT_C, MOST_BENT_C = 0.5, 1.5
# So near to a leap there is no second one that is drawn out.
ECHO_MIN = 20.0
AMID_MIN = 4.0


@dataclass(frozen=True)
class Jump:
    """A leap that meat cannot make: from `before_c` to `after_c` at `at_min`."""

    at_min: float
    before_c: float
    after_c: float


def noise_c(y: FloatArray) -> float:
    """Standard deviation of what jitters from reading to reading, °C.

    By the mean of the smallest nine tenths of the second differences, which leaves out leaps and spikes; unlike a
    median it is of use with readings of whole degrees.
    """
    if len(y) < 5:
        return 0.0
    second = np.abs(np.diff(y, 2))
    kept = max(int(0.9 * len(second)), 1)
    # That mean is 0.657 standard deviations where the noise is normal; a second difference has six readings' variance.
    return float(np.mean(np.partition(second, kept - 1)[:kept])) / (0.657 * math.sqrt(6.0))


def leaps_of(t: FloatArray, y: FloatArray, noise: float) -> list[tuple[int, int]]:
    """Pairs (i, j): from reading i to reading j the curve steps further than meat can go.

    A step is judged against the steps around it, so that coarse sampling of a fast rise is no leap. Steps
    that follow each other in one direction are one leap.
    """
    if len(t) < 4:
        return []
    step, span = np.diff(y), np.diff(t)
    usual = median_filter(step / span, 9, mode="nearest") * span
    # Across a gap the meat may have gone on as before, or stood still: neither is a leap.
    odd = np.where(
        span > UNSEEN_MIN, step - np.clip(step, np.minimum(usual, 0.0), np.maximum(usual, 0.0)), step - usual
    )
    rough = ROUGH * noise
    beyond = np.abs(odd) > JUMP_C + rough + FASTEST_CHANGE_C_PER_MIN * np.minimum(span, 30.0)
    # A leap that falls into the middle of a reading's minute shows as two steps, each too small by itself.
    halves = (odd[1:] * odd[:-1] > 0) & ~beyond[1:] & ~beyond[:-1]
    halves &= np.minimum(np.abs(odd[1:]), np.abs(odd[:-1])) > 0.3 * JUMP_C
    both_min = np.minimum(span[1:] + span[:-1], 30.0)
    halves &= np.abs(odd[1:] + odd[:-1]) > 1.2 * JUMP_C + rough + FASTEST_CHANGE_C_PER_MIN * both_min
    beyond[1:] |= halves
    beyond[:-1] |= halves
    found: list[tuple[int, int]] = []
    for i in np.flatnonzero(beyond):
        if found and found[-1][1] == i and (step[i] > 0) == (y[found[-1][1]] > y[found[-1][0]]):
            found[-1] = (found[-1][0], int(i) + 1)
        else:
            found.append((int(i), int(i) + 1))
    return found


def jumps_of(t: FloatArray, y: FloatArray) -> tuple[Jump, ...]:
    """Leaps that stay, told from a few readings on each side, the usual rise taken away; near ones are one."""
    noise = noise_c(y)
    return tuple(lasting(t, y, leaps_of(t, y, noise), noise))


def lasting(t: FloatArray, y: FloatArray, leaps: Sequence[tuple[int, int]], noise: float) -> list[Jump]:
    """Of the leaps, as pairs of readings, those after which the curve stays where it leapt to; near ones are one."""
    found: list[Jump] = []
    usual = median_filter(np.diff(y) / np.diff(t), 9, mode="nearest") if leaps else np.zeros(0)
    for left, right in leaps:
        near, far = slice(max(0, left - 3), left + 1), slice(right, right + 4)
        rise = usual[left] if t[right] - t[left] <= UNSEEN_MIN else 0.0
        before = median(y[near] + rise * (t[right] - t[near]))
        after = median(y[far] - rise * (t[far] - t[right]))
        if abs(after - before) < JUMP_C + ROUGH * noise:
            continue
        if found and t[left] - found[-1].at_min < 6.0:
            found[-1] = Jump(found[-1].at_min, found[-1].before_c, after)
        else:
            found.append(Jump(float(t[right]), before, after))
    return found


def ramps(t: FloatArray, y: FloatArray, known: Sequence[Jump], noise: float) -> list[Jump]:
    """Leaps besides the known that a probe's own slowness draws out over minutes, told by the lines before and after.

    What lies between going on as before and going on as after is the meat's own; only what is beyond both is a leap.
    """
    if len(t) < 40 or median(np.diff(t)) > 3.0:
        return []
    half, side, y = RAMP_MIN / 2, BESIDE_MIN, median_filter(y, 5, mode="nearest")
    # A quick look first: most curves change nowhere in a few minutes by much more than around it.
    grid = np.arange(t[0], t[-1], 2.0)
    steps = np.subtract(np.interp(grid + RAMP_MIN + 2.0, t, y), np.interp(grid, t, y))
    if np.abs(steps - median_filter(steps, 21, mode="nearest")).max() < JUMP_C:
        return []
    unsure = UNSURE * noise * np.sqrt(median(np.diff(t)))
    at = np.arange(t[0] + half + side, t[-1] - half - side, 1.0)
    ends = []
    for sign in (-1.0, 1.0):
        middle = at + sign * (half + side / 2)
        slope = rate_c_per_h(t, y, middle, side) / 60.0
        ends.append((slope, _mean_at(t, y, middle, side) - sign * slope * side / 2))
    (rise, before), (rise_after, after) = ends
    low, high = (f(rise, rise_after) * RAMP_MIN for f in (np.minimum, np.maximum))
    with np.errstate(invalid="ignore"):
        odd = (after - before) - np.clip(after - before, low, high)
        # Meat on the run bends within minutes by more than meat that is slow.
        bent = np.clip(BENT_C + 2.0 * np.maximum(np.abs(rise), np.abs(rise_after)), None, MOST_BENT_C)
        beyond = np.abs(odd) > JUMP_C + bent + unsure
    found: list[Jump] = []
    # The largest first: a leap bends the lines beside it, which then look like leaps as well.
    for i in np.flatnonzero(beyond)[np.argsort(-np.abs(odd[beyond]))]:
        if all(abs(at[i] - jump.at_min) > half + ECHO_MIN for jump in (*known, *found)):
            found.append(Jump(float(at[i]), float(before[i]), float(after[i])))
    return found


def amid(t: FloatArray, y: FloatArray, jump: Jump, noise: float) -> BoolArray:
    """Readings taken while the probe went from one place to the other: they are of neither."""
    step = jump.after_c - jump.before_c
    if abs(step) < JUMP_C:
        return np.zeros(len(t), bool)
    share, gone = max(0.2, 2.0 * noise / abs(step)), (y - jump.before_c) / step
    return (np.abs(t - jump.at_min) <= AMID_MIN) & (gone > share) & (gone < 1.0 - share)


def _mean_at(t: FloatArray, y: FloatArray, at: FloatArray, width_min: float) -> FloatArray:
    """Mean of the readings within half a width of each moment, NaN where there are fewer than three."""
    low, high = (np.searchsorted(t, at + sign * width_min / 2) for sign in (-1.0, 1.0))
    total = np.concatenate([[0.0], np.cumsum(y)])
    count = (high - low).astype(float)
    return np.where(count >= 3, (total[high] - total[low]) / np.maximum(count, 1.0), np.nan)
