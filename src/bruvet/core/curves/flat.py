"""Flat stretches: where the rate is low in itself and low for the heat on offer; where they begin and end."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from .clean import CleanCurve
from .findings import StallRule
from .leap import Jump
from .median import median
from .pit import Pit, runs
from .slope import Bend, knee, rate_c_per_h

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]
# The pace around a stretch: of the nearest minutes on the way, so many, and not fewer than so.
NEAR_MIN, LEAST_MIN = 60, 15
APART_MIN = 20.0
# How far a bend is looked for; and no stretch, nor the part of one before a leap, is shorter than this.
REACH_MIN, SHORTEST_MIN = 75.0, 8.0
# Two flat stretches are not one across a climb of more than so much, faster than so.
MOST_BETWEEN_C, SLOW_C_PER_H = 8.0, 2.5
BENT_BY, LEAST_C_PER_H = 2.2, 1.1


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


def window_min(curve: CleanCurve, rule: StallRule) -> float:
    """How many minutes a rate is told over: a staircase of whole degrees needs a window that holds a stair."""
    return max(rule.window_min, 40.0 * curve.quantum_c)


def flat_stretches(curve: CleanCurve, grid: FloatArray, level: FloatArray, pit: Pit, rule: StallRule) -> list[Flat]:
    """Flat stretches in order of time.

    `grid` is the minute grid, `level` the meat on it in °C, both shape (n,).
    """
    window = window_min(curve, rule)
    rate = _rate_by_segment(curve, grid, window)
    # Inside a gap the rate is that of the straight line across it.
    rate = np.where(np.isfinite(rate), rate, rate_c_per_h(grid, level, grid, window))
    offered = np.maximum(pit.working_c - level, 3.0) if pit.known else np.ones(len(grid))
    begun = level > level[: max(5, len(level) // 50)].min() + 8.0
    pace = _pace(rate, offered, begun & (level < 65.0) & (rate > rule.flat_c_per_h))

    def expected(low: float, high: float) -> float:
        return pace * float(np.interp((low + high) / 2, grid, offered))

    def stretches(rule: StallRule, but: Sequence[Flat]) -> list[Flat]:
        with np.errstate(invalid="ignore"):
            flat = begun & (rate < rule.flat_c_per_h) & (rate / offered < rule.flat_share * pace)
        for one in but:
            flat &= (grid < one.onset - APART_MIN) | (grid > one.end + APART_MIN)

        def slow(low: float, high: float, slack: float = 1.0) -> bool:
            return whole_rate(curve, low, high) < slack * rule.whole_share * expected(low, high)

        found = [(low, high) for low, high in _joined(runs(grid, flat), curve, rule) if slow(low, high)]
        found = [_slower_end(low, high, curve, rule, slow) for low, high in found]
        ended, begins = [-np.inf, *(high for _, high in found)], [*(low for low, _ in found[1:]), np.inf]
        merged = _merged([_bounds(low, high, curve, grid, ended[i], begins[i]) for i, (low, high) in enumerate(found)])
        merged = _merged([_from_before_a_leap(one, curve, rule, slow) for one in merged])
        merged = [one for one in merged if one.end - one.onset >= SHORTEST_MIN]
        around = _on_its_way([*merged, *but], grid, rate, pit, begun)
        return [one for one in merged if slow(one.onset, one.end, 1.2) and _stands_out(one, curve, around, grid, rule)]

    found = stretches(rule, ())
    less = rule.less_flat
    if less is not None:
        found = sorted([*found, *stretches(less, found)], key=lambda one: one.onset)
    if not (pit.known and np.isfinite(pace)):
        return found
    return [replace(one, expected_c_per_h=expected(one.onset, one.end)) for one in found]


def _on_its_way(
    stretches: Sequence[Flat], grid: FloatArray, rate: FloatArray, pit: Pit, begun: BoolArray
) -> FloatArray:
    """The rate where the meat was on its way and the fire at work, NaN elsewhere; shape (n,)."""
    on_its_way = begun.copy()
    for one in stretches:
        on_its_way &= (grid < one.onset - 3.0) | (grid > one.end + 3.0)
    for dip in pit.dips:
        on_its_way &= (grid < dip.start_min) | (grid > dip.end_min + 15.0)
    return np.where(on_its_way, rate, np.nan)


def _stands_out(one: Flat, curve: CleanCurve, around: FloatArray, grid: FloatArray, rule: StallRule) -> bool:
    """Whether the meat was clearly slower in a stretch than before it and after it, not just slow all along.

    What was not seen speaks for a stretch, but for one that is less flat. After it counts how fast the meat came to
    be, since it may gather pace slowly; for one that is less flat, only what followed at once.
    """
    own = whole_rate(curve, one.onset, one.end)
    before = around[(grid > one.onset - rule.around_min) & (grid < one.onset)]
    after = around[(grid > one.end) & (grid < one.end + rule.around_min)]
    before, after = before[np.isfinite(before)][-NEAR_MIN:], after[np.isfinite(after)]
    if rule.both_sides:
        after = after[:NEAR_MIN]
        if one.is_open or min(len(before), len(after)) < LEAST_MIN:
            return False
    if len(before) >= LEAST_MIN and own > rule.of_before * median(before):
        return False
    return one.is_open or len(after) < LEAST_MIN or own < rule.of_after * float(np.percentile(after, 75))


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
            t, y = curve.t_min[inside], curve.temp_c[inside]
            off = t - t.mean()
            total, weight = total + float(off @ y / (off @ off)) * 60.0 * len(t), weight + len(t)
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
        spacing = median(np.diff(t))
        rate[where] = rate_c_per_h(t, y, grid[where], max(window_min, 4.5 * spacing))
    return rate


def _joined(found: list[tuple[float, float]], curve: CleanCurve, rule: StallRule) -> list[tuple[float, float]]:
    """Runs with a short interruption between them are one stretch when the whole of it is still flat."""
    out: list[tuple[float, float]] = []
    for low, high in found:
        if out:
            start, stop = out[-1]
            pause = low - stop
            rise = whole_rate(curve, stop - 10.0, low + 10.0)
            longest = 0.6 * min(max(stop - start, 10.0), max(high - low, 10.0)) + 15.0
            climbed = rise > SLOW_C_PER_H and rise * pause / 60.0 > MOST_BETWEEN_C
            if pause <= longest and rise < 2.0 * rule.flat_c_per_h and not climbed:
                out[-1] = (start, high)
                continue
        out.append((low, high))
    return [(a, b) for a, b in out if b - a >= 12.0]


def _slower_end(
    low: float, high: float, curve: CleanCurve, rule: StallRule, slow_for_the_heat: Callable[[float, float], bool]
) -> tuple[float, float]:
    """Of a long stretch the end that is much slower than the rest, if one is: a stall, and a slow climb beside it."""
    if high - low < 2.5 * rule.shortest_min or any(low < jump.at_min < high for jump in curve.jumps):
        return low, high
    bend = knee(curve.t_min, curve.temp_c, low, high)
    if bend is None or min(bend.at_min - low, high - bend.at_min) < rule.shortest_min:
        return low, high
    first, second = whole_rate(curve, low, bend.at_min), whole_rate(curve, bend.at_min, high)
    slow, fast = sorted((first, second))
    # What sinks is no stall beside a climb: the fire is looked into later.
    if slow < -LEAST_C_PER_H or fast < BENT_BY * max(slow, LEAST_C_PER_H):
        return low, high
    stall, climb = (
        ((low, bend.at_min), (bend.at_min, high)) if first < second else ((bend.at_min, high), (low, bend.at_min))
    )
    return (low, high) if slow_for_the_heat(*climb) else stall


def _bounds(low: float, high: float, curve: CleanCurve, grid: FloatArray, after: float, before: float) -> Flat:
    """Onset and end at the bends of the curve, and whether the stretch runs to the last reading.

    The bends lie after the stretch `after`, which ended then, and before the next one, which begins at `before`.
    """
    left = max([after, *(j.at_min for j in curve.jumps if j.at_min <= low + 3.0)])
    right = min([before, *(j.at_min for j in curve.jumps if j.at_min >= high - 3.0)])
    middle = (low + high) / 2
    onset = Bend(low, low - 12.0, low + 12.0)
    start = max(low - REACH_MIN, float(grid[0]), left)
    if low - start > 8.0:
        found = knee(curve.t_min, curve.temp_c, start, max(min(middle, low + REACH_MIN), low + 10.0))
        onset = found if found is not None and abs(found.at_min - low) <= 45.0 else onset
    elif np.isfinite(left):
        onset = Bend(max(low - 12.0, left), left, low)
    end = Bend(high, high - 12.0, high + 12.0)
    stop = min(high + REACH_MIN, float(grid[-1]), right)
    if high >= grid[-1] - 6.0:
        return Flat(onset.at_min, max(float(grid[-1]), onset.at_min), True, (onset.low_min, onset.high_min))
    if stop - high > 8.0:
        found = knee(curve.t_min, curve.temp_c, min(max(middle, high - REACH_MIN), high - 10.0), stop)
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


def leap_at(curve: CleanCurve, onset: float) -> Jump | None:
    """The leap that a stretch begins with, if it does; an edge is not told to the minute."""
    return next((jump for jump in curve.jumps if -4.0 <= onset - jump.at_min <= 12.0), None)


def _from_before_a_leap(
    one: Flat, curve: CleanCurve, rule: StallRule, slow_for_the_heat: Callable[[float, float], bool]
) -> Flat:
    """A stretch that begins where a probe was moved, with the minutes before that when the meat stood still already.

    They may be too few to be seen as a stretch of their own.
    """
    jump = leap_at(curve, one.onset)
    if jump is None:
        return one
    leap = jump.at_min
    start = max([leap - REACH_MIN, *(jump.at_min for jump in curve.jumps if jump.at_min < leap)])
    bend = knee(curve.t_min, curve.temp_c, start, leap - 0.5)
    if bend is None or not SHORTEST_MIN <= leap - bend.at_min <= one.end - leap + rule.shortest_min:
        return one
    still = whole_rate(curve, bend.at_min, leap - 0.5) < rule.flat_c_per_h
    if not still or not slow_for_the_heat(bend.at_min, leap - 0.5):
        return one
    return replace(one, onset=bend.at_min, onset_band=(bend.low_min, bend.high_min))


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
