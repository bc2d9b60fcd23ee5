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

from .leap import AMID_MIN, Jump, amid, lasting, leaps_of, noise_c, ramps
from .median import median, spread

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]

COLDEST_C = -30.0
HOTTEST_MEAT_C = 130.0
SPIKE_C = 2.5
LONGEST_OUT_MIN = 45.0
LONGEST_GAP_MIN = 10.0

What = Literal["impossible", "spike", "out", "moved", "gap"]


@dataclass(frozen=True)
class Mended:
    """One thing that cleaning found: what, from when to when, and how many minutes' readings it set aside."""

    what: What
    from_min: float
    until_min: float
    count: int = 0
    step_c: float = 0.0

    @property
    def is_set_aside(self) -> bool:
        """Whether readings were taken out: of a moved probe those on the way from one place to the other."""
        return self.what != "gap" and self.count > 0


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
    return max(LONGEST_GAP_MIN, 3.0 * median(np.diff(t_min))) if len(t_min) > 2 else LONGEST_GAP_MIN


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
    if sizes.max() == 2:
        return np.add.reduceat(t, starts) / sizes, np.add.reduceat(y, starts) / sizes
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
    noise = noise_c(y)

    def without(what: str, mask: BoolArray) -> bool:
        nonlocal t, y
        mask = mask & ~_within(t, ("spike", "out"), taken_back)
        found.extend(_spells(what, t, mask))
        t, y = t[~mask], y[~mask]
        return bool(mask.any())

    without("spike", _spikes(t, y, noise))
    leaps = leaps_of(t, y, noise)
    if without("out", _out(t, y, leaps)):
        without("spike", _spikes(t, y, noise))
        leaps = leaps_of(t, y, noise)
    found_jumps = lasting(t, y, leaps, noise)
    found_jumps = sorted([*found_jumps, *ramps(t, y, found_jumps, noise)], key=lambda jump: jump.at_min)
    # What was taken back is known by the readings on the way, if there were any, which lie near the leap.
    jumps = tuple(
        j for j in found_jumps if not _within(np.array([j.at_min]), ("moved",), taken_back, AMID_MIN + 1.0)[0]
    )
    for jump in jumps:
        between = amid(t, y, jump, noise)
        on_its_way = t[between] if between.any() else [jump.at_min]
        step_c = jump.after_c - jump.before_c
        found.append(Mended("moved", float(on_its_way[0]), float(on_its_way[-1]), int(between.sum()), step_c))
        t, y = t[~between], y[~between]
    wide = np.flatnonzero(np.diff(t) > longest_gap(t))
    out = [one for one in found if one.what == "out"]
    found += [
        Mended("gap", float(t[i]), float(t[i + 1]))
        for i in wide
        if not any(one.from_min < t[i + 1] and one.until_min > t[i] for one in out)
    ]
    return CleanCurve(t, y, jumps, quantum, tuple(sorted(found, key=lambda one: one.from_min)))


def _within(
    t: FloatArray, kinds: tuple[str, ...], taken_back: Sequence[TakenBack], slack_min: float = 1.0
) -> BoolArray:
    inside = np.zeros(len(t), bool)
    for one in taken_back:
        if one.what in kinds:
            inside |= (t >= one.from_min - slack_min) & (t <= one.until_min + slack_min)
    return inside


def _spells(what: str, t: FloatArray, mask: BoolArray) -> list[Mended]:
    """Stretches of a mask; those that nearly touch are one."""
    found: list[Mended] = []
    near = max(3.0, 1.5 * median(np.diff(t))) if len(t) > 1 else 3.0
    for at in t[mask]:
        if found and at - found[-1].until_min <= near:
            found[-1] = replace(found[-1], until_min=float(at), count=found[-1].count + 1)
        else:
            found.append(Mended(what, float(at), float(at), 1))  # type: ignore[arg-type]
    return found


def _quantum(temp_c: FloatArray) -> float:
    levels = np.unique(np.round(temp_c, 3))
    if len(levels) < 8 or len(levels) > len(temp_c) / 2:
        return 0.0
    return float(min(median(np.diff(levels)), 1.5))


def _spikes(t: FloatArray, y: FloatArray, noise: float) -> BoolArray:
    """Readings that stand away from their neighbours on both sides, or from the median of the few around them."""
    out = np.zeros(len(t), bool)
    if len(t) < 7:
        return out
    left, right = y[1:-1] - y[:-2], y[1:-1] - y[2:]
    out[1:-1] = (left * right > 0) & (np.minimum(np.abs(left), np.abs(right)) > SPIKE_C + 4 * noise)
    away = np.abs(y - median_filter(y, 7, mode="nearest"))
    # The few that stand away at all are held against how the seven around them spread.
    for i in np.flatnonzero(away > SPIKE_C):
        near = y[np.clip(np.arange(i - 3, i + 4), 0, len(y) - 1)]
        out[i] |= away[i] > SPIKE_C + 4 * spread(near)
    return out


def _out(t: FloatArray, y: FloatArray, leaps: Sequence[tuple[int, int]]) -> BoolArray:
    """Stretches between a leap and the opposite one that comes back to where it left: the probe was out of the meat."""
    out = np.zeros(len(t), bool)
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
