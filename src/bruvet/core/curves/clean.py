"""Raw readings made fit for judging: repeats merged, impossible values and spikes masked, jumps found.

Nothing here changes a reading; a cleaned curve is a new one, on a grid of its own, with gaps left as gaps.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]

COLDEST_C = -30.0
HOTTEST_MEAT_C = 130.0
SPIKE_C = 2.5
FASTEST_CHANGE_C_PER_MIN = 0.25
JUMP_C = 3.0
LONGEST_OUT_MIN = 45.0
LONGEST_GAP_MIN = 10.0

What = Literal["impossible", "spike", "out", "moved", "gap"]


@dataclass(frozen=True)
class Jump:
    """A leap that meat cannot make: from `before_c` to `after_c` at `at_min`."""

    at_min: float
    before_c: float
    after_c: float


@dataclass(frozen=True)
class Mended:
    """One thing that cleaning found: what, from when to when, and how many minutes' readings it set aside."""

    what: What
    from_min: float
    until_min: float
    count: int = 0
    step_c: float = 0.0


@dataclass(frozen=True)
class TakenBack:
    """What a person said is not to be cleaned: one kind of thing, in one stretch."""

    what: str
    from_min: float
    until_min: float


@dataclass(frozen=True)
class CleanCurve:
    """One probe's curve on its own grid.

    `t_min` and `temp_c`, shape (n,), n readings merged to one a grid step (the median), without spikes and
    without stretches when the probe was out; `jumps` are where it leaps and stays;
    `quantum_c` is the step that the readings are rounded to, 0 when finer than can be told; `mended` says what was
    done, in order of time. No reading is ever made up: where some were set aside there are none.
    """

    t_min: FloatArray
    temp_c: FloatArray
    jumps: tuple[Jump, ...]
    quantum_c: float = 0.0
    mended: tuple[Mended, ...] = ()

    def between(self, low_min: float, high_min: float) -> CleanCurve:
        """The part from one minute to another, both included."""
        kept = (self.t_min >= low_min) & (self.t_min <= high_min)
        if kept.all():
            return self
        t = self.t_min[kept]
        jumps = tuple(j for j in self.jumps if len(t) and t[0] < j.at_min <= t[-1])
        return replace(self, t_min=t, temp_c=self.temp_c[kept], jumps=jumps)

    def segments(self) -> tuple[slice, ...]:
        """Stretches that may be joined by a line: cut at every jump and every gap."""
        cuts = np.flatnonzero(np.diff(self.t_min) > longest_gap(self.t_min)) + 1
        leaps = np.searchsorted(self.t_min, [jump.at_min for jump in self.jumps])
        edges = np.unique(np.concatenate([[0], cuts, leaps, [len(self.t_min)]]).astype(int))
        return tuple(slice(int(a), int(b)) for a, b in pairwise(edges))


def longest_gap(t_min: FloatArray) -> float:
    """How far apart two readings may be and still be neighbours: ten minutes, or three times the usual spacing."""
    return max(LONGEST_GAP_MIN, 3.0 * float(np.median(np.diff(t_min)))) if len(t_min) > 2 else LONGEST_GAP_MIN


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


def clean(
    t_min: FloatArray, temp_c: FloatArray, step_min: float = 1.0, taken_back: Sequence[TakenBack] = ()
) -> CleanCurve:
    """Clean one meat probe's readings.

    Parameters
    ----------
    t_min, temp_c : arrays, shape (n,)
        Minutes and °C, in any order, NaN allowed.
    taken_back : sequence of TakenBack
        What a person wants left as it was read.
    """
    t_min, temp_c = np.asarray(t_min, float), np.asarray(temp_c, float)
    read = np.isfinite(temp_c) & np.isfinite(t_min)
    possible = read & (temp_c > COLDEST_C) & (temp_c < HOTTEST_MEAT_C)
    found = _spells("impossible", np.sort(t_min[read & ~possible]), np.ones((read & ~possible).sum(), bool))
    quantum = _quantum(temp_c[possible])
    t, y = merged(t_min[possible], temp_c[possible], step_min)
    for what, finder in (("spike", _spikes), ("out", _out), ("spike", _spikes)):
        mask = finder(t, y) & ~_within(t, ("spike", "out"), taken_back)
        found += _spells(what, t, mask)
        t, y = t[~mask], y[~mask]
    jumps = tuple(j for j in jumps_of(t, y) if not _within(np.array([j.at_min]), ("moved",), taken_back)[0])
    found += [Mended("moved", j.at_min, j.at_min, 0, j.after_c - j.before_c) for j in jumps]
    wide = np.flatnonzero(np.diff(t) > longest_gap(t))
    out = [one for one in found if one.what == "out"]
    found += [
        Mended("gap", float(t[i]), float(t[i + 1]))
        for i in wide
        if not any(one.from_min < t[i + 1] and one.until_min > t[i] for one in out)
    ]
    return CleanCurve(t, y, jumps, quantum, tuple(sorted(found, key=lambda one: one.from_min)))


def _within(t: FloatArray, kinds: tuple[str, ...], taken_back: Sequence[TakenBack]) -> BoolArray:
    inside = np.zeros(len(t), bool)
    for one in taken_back:
        if one.what in kinds:
            inside |= (t >= one.from_min - 1.0) & (t <= one.until_min + 1.0)
    return inside


def _spells(what: str, t: FloatArray, mask: BoolArray) -> list[Mended]:
    """Stretches of a mask; those that nearly touch are one."""
    found: list[Mended] = []
    for at in t[mask]:
        if found and at - found[-1].until_min <= 3.0:
            found[-1] = replace(found[-1], until_min=float(at), count=found[-1].count + 1)
        else:
            found.append(Mended(what, float(at), float(at), 1))  # type: ignore[arg-type]
    return found


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
    usual = median_filter(step / span, 9, mode="nearest") * span
    odd = step - usual
    beyond = np.abs(odd) > JUMP_C + FASTEST_CHANGE_C_PER_MIN * np.minimum(span, 30.0)
    # A leap that falls into the middle of a reading's minute shows as two steps, each too small by itself.
    halves = (odd[1:] * odd[:-1] > 0) & ~beyond[1:] & ~beyond[:-1]
    halves &= np.minimum(np.abs(odd[1:]), np.abs(odd[:-1])) > 0.3 * JUMP_C
    both_min = np.minimum(span[1:] + span[:-1], 30.0)
    halves &= np.abs(odd[1:] + odd[:-1]) > 1.2 * JUMP_C + FASTEST_CHANGE_C_PER_MIN * both_min
    beyond[1:] |= halves
    beyond[:-1] |= halves
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
    middle = median_filter(y, 7, mode="nearest")
    spread = 1.4826 * np.sort(np.abs(around - middle[:, None]), axis=1)[:, 3]
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


def jumps_of(t: FloatArray, y: FloatArray) -> tuple[Jump, ...]:
    """Leaps that stay, told from a few readings on each side, the usual rise taken away; near ones are one."""
    found: list[Jump] = []
    leaps = _leaps(t, y)
    usual = median_filter(np.diff(y) / np.diff(t), 9, mode="nearest") if leaps else np.zeros(0)
    for left, right in leaps:
        near, far = slice(max(0, left - 3), left + 1), slice(right, right + 4)
        before = float(np.median(y[near] + usual[left] * (t[right] - t[near])))
        after = float(np.median(y[far] - usual[left] * (t[far] - t[right])))
        if abs(after - before) < JUMP_C:
            continue
        if found and t[left] - found[-1].at_min < 6.0:
            found[-1] = Jump(found[-1].at_min, found[-1].before_c, after)
        else:
            found.append(Jump(float(t[right]), before, after))
    return tuple(found)
