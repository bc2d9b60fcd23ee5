"""Raw readings made fit for judging: repeats merged, impossible values and spikes masked, jumps found.

Nothing here changes a reading; a cleaned curve is a new one, on a grid of its own, with gaps left as gaps.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]

COLDEST_C = -30.0
HOTTEST_MEAT_C = 130.0
SPIKE_C = 2.5
FASTEST_CHANGE_C_PER_MIN = 0.25
JUMP_C = 3.0
LONGEST_OUT_MIN = 45.0


@dataclass(frozen=True)
class Jump:
    """A leap that meat cannot make: from `before_c` to `after_c` at `at_min`."""

    at_min: float
    before_c: float
    after_c: float


@dataclass(frozen=True)
class CleanCurve:
    """One probe's curve on its own grid.

    `t_min` and `temp_c`, shape (n,), n readings merged to one a grid step (the median), without spikes and
    without stretches when the probe was out; `jumps` are where it leaps and stays;
    `quantum_c` is the step that the readings are rounded to, 0 when finer than can be told.
    """

    t_min: FloatArray
    temp_c: FloatArray
    jumps: tuple[Jump, ...]
    quantum_c: float = 0.0


def merged(t_min: FloatArray, temp_c: FloatArray, step_min: float = 1.0) -> tuple[FloatArray, FloatArray]:
    """Median time and temperature of each `step_min` bin that holds a finite reading, in order of time."""
    known = np.isfinite(t_min) & np.isfinite(temp_c)
    t, y = t_min[known], temp_c[known]
    if not len(t):
        return t, y
    order = np.argsort(t, kind="stable")
    t, y = t[order], y[order]
    bins = np.floor(t / step_min + 1e-9)
    starts = np.flatnonzero(np.diff(bins, prepend=bins[0] - 1) != 0)
    sizes = np.diff(np.append(starts, len(t)))
    if sizes.max() == 1:
        return t, y
    within = np.lexsort((y, bins))
    sorted_y = y[within]
    middle = (sorted_y[starts + (sizes - 1) // 2] + sorted_y[starts + sizes // 2]) / 2
    return np.add.reduceat(t, starts) / sizes, middle


def clean(t_min: FloatArray, temp_c: FloatArray, step_min: float = 1.0) -> CleanCurve:
    """Clean one meat probe's readings; `t_min` in minutes, `temp_c` in °C, both shape (n,), in any order."""
    possible = np.isfinite(temp_c) & (temp_c > COLDEST_C) & (temp_c < HOTTEST_MEAT_C)
    quantum = _quantum(np.asarray(temp_c, float)[possible])
    t, y = merged(np.asarray(t_min, float)[possible], np.asarray(temp_c, float)[possible], step_min)
    for mask in (_spikes, _out, _spikes):
        kept = ~mask(t, y)
        t, y = t[kept], y[kept]
    return CleanCurve(t, y, _jumps(t, y), quantum)


def _quantum(temp_c: FloatArray) -> float:
    levels = np.unique(np.round(temp_c, 3))
    if len(levels) < 8 or len(levels) > len(temp_c) / 2:
        return 0.0
    return float(min(np.median(np.diff(levels)), 1.5))


def _leaps(t: FloatArray, y: FloatArray) -> list[tuple[int, int]]:
    """Pairs (i, j): from reading i to reading j the curve steps further than meat can go.

    A step is judged against the steps around it, so that coarse sampling of a fast rise is no leap. Steps
    that follow each other in one direction are one leap.
    """
    if len(t) < 4:
        return []
    step, span = np.diff(y), np.diff(t)
    around = np.lib.stride_tricks.sliding_window_view(np.pad(step / span, 4, mode="edge"), 9)
    usual = np.median(around, axis=1) * span
    beyond = np.abs(step - usual) > JUMP_C + FASTEST_CHANGE_C_PER_MIN * np.minimum(span, 30.0)
    found: list[tuple[int, int]] = []
    for i in np.flatnonzero(beyond):
        if found and found[-1][1] == i and (step[i] > 0) == (y[found[-1][1]] > y[found[-1][0]]):
            found[-1] = (found[-1][0], int(i) + 1)
        else:
            found.append((int(i), int(i) + 1))
    return found


def _spikes(t: FloatArray, y: FloatArray) -> BoolArray:
    """Readings that stand away from their neighbours on both sides, or from the median of the few around them."""
    out = np.zeros(len(t), bool)
    if len(t) < 7:
        return out
    noise = 1.4826 * float(np.median(np.abs(np.diff(y, 2)))) / np.sqrt(6.0)
    left, right = y[1:-1] - y[:-2], y[1:-1] - y[2:]
    out[1:-1] = (left * right > 0) & (np.minimum(np.abs(left), np.abs(right)) > SPIKE_C + 4 * noise)
    around = np.lib.stride_tricks.sliding_window_view(np.pad(y, 3, mode="edge"), 7)
    middle = np.median(around, axis=1)
    spread = 1.4826 * np.median(np.abs(around - middle[:, None]), axis=1)
    return np.asarray(out | (np.abs(y - middle) > SPIKE_C + 4 * spread), dtype=bool)


def _out(t: FloatArray, y: FloatArray) -> BoolArray:
    """Stretches between a leap and the opposite one that comes back to where it left: the probe was out of the meat."""
    out = np.zeros(len(t), bool)
    leaps = _leaps(t, y)
    until = -1
    for position, (left, away_to) in enumerate(leaps):
        if left <= until:
            continue
        away = y[away_to] - y[left]
        for last_away, back in leaps[position + 1 :]:
            if t[back] - t[left] > LONGEST_OUT_MIN:
                break
            home = abs(y[back] - y[left]) < max(3.0, 0.4 * abs(away))
            if home and away * (y[back] - y[last_away]) < 0:
                out[left + 1 : back] = True
                until = back
                break
    return out


def _jumps(t: FloatArray, y: FloatArray) -> tuple[Jump, ...]:
    """Leaps that stay, told from the level of a few readings on each side; near ones are one."""
    found: list[Jump] = []
    for left, right in _leaps(t, y):
        before = float(np.median(y[max(0, left - 3) : left + 1]))
        after = float(np.median(y[right : right + 4]))
        if abs(after - before) < JUMP_C:
            continue
        if found and t[left] - found[-1].at_min < 6.0:
            found[-1] = Jump(found[-1].at_min, found[-1].before_c, after)
        else:
            found.append(Jump(float(t[right]), before, after))
    return tuple(found)
