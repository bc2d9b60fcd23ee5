"""Telling a stall from everything else that looks flat.

A stall is meat that has stopped rising although the pit still offers it heat. So a flat stretch is judged
by its rate against a fixed bound *and* against what the pit's excess over the meat would have driven at the
pace of the same piece earlier; and what the pit, the probe and the lid did is looked at before it is
believed. The rules and their bounds are in docs/method.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from bruvet.core.units import Units, span_words

from .clean import CleanCurve, Jump, clean, merged
from .slope import knee, rate_c_per_h

FloatArray = NDArray[np.float64]
Kind = Literal["natural", "wrap-ended", "pit-ended", "open"]
Why = Literal["pit-fell", "probe-moved", "lid", "other"]
LAG_AFTER_FIRE_MIN = 30.0
LONGEST_LID_FLAT_MIN = 45.0
LONGEST_LID_DIP_MIN = 22.0
SHALLOWEST_DIP_C = 8.0
LONGEST_COOL_FLAT_MIN = 75.0


@dataclass(frozen=True)
class Mark:
    """Something done: `kind` is an event kind, `detail` the wrap or the note, `temp_c` a pit setting."""

    at_min: float
    kind: str
    detail: str = ""
    temp_c: float | None = None


@dataclass(frozen=True)
class Stall:
    onset_min: float
    end_min: float
    temp_c: float
    kind: Kind
    reason: str

    @property
    def length_min(self) -> float:
        return self.end_min - self.onset_min


@dataclass(frozen=True)
class NotStall:
    onset_min: float
    end_min: float
    why: Why
    reason: str


@dataclass(frozen=True)
class StallReport:
    """Stalls and flat stretches that are none, in order of time."""

    stalls: tuple[Stall, ...] = ()
    not_stalls: tuple[NotStall, ...] = ()


@dataclass(frozen=True)
class StallRule:
    """Bounds of the judgement; the defaults are the ones of docs/method.md."""

    flat_c_per_h: float = 3.4
    flat_share: float = 0.42
    coldest_c: float = 54.0
    hottest_c: float = 87.0
    window_min: float = 24.0
    shortest_min: float = 24.0
    pit_share: float = 0.62
    wrap_reach_min: float = 75.0


@dataclass(frozen=True)
class _Dip:
    """A spell in which the pit stood well under the level it had been working at; edges at half depth."""

    start_min: float
    end_min: float
    depth_c: float

    @property
    def is_lid(self) -> bool:
        return self.end_min - self.start_min <= LONGEST_LID_DIP_MIN


@dataclass(frozen=True)
class _Pit:
    """The pit on the meat's grid: smoothed level, the level it had been working at, and its dips."""

    known: bool
    level_c: FloatArray
    working_c: FloatArray
    raw_t: FloatArray
    raw_c: FloatArray
    dips: tuple[_Dip, ...] = ()


@dataclass(frozen=True)
class _Scene:
    """Everything a flat stretch is judged by. `level` is the meat on the minute grid."""

    curve: CleanCurve
    grid: FloatArray
    level: FloatArray
    pit: _Pit
    marks: Sequence[Mark]
    rule: StallRule
    units: Units

    def temp(self, temp_c: float) -> str:
        return self.units.temp_text(temp_c)

    def step(self, step_c: float) -> str:
        return self.units.step_text(step_c)


def find_stalls(
    t_min: FloatArray,
    temp_c: FloatArray,
    pit_t_min: FloatArray | None = None,
    pit_c: FloatArray | None = None,
    marks: Sequence[Mark] = (),
    rule: StallRule | None = None,
    units: Units | None = None,
) -> StallReport:
    """Find the stalls of one piece, and the flat stretches that are not stalls.

    Parameters
    ----------
    t_min, temp_c : arrays, shape (n,)
        Internal readings: minutes since any zero, °C; any spacing, any order, NaN allowed.
    pit_t_min, pit_c : arrays, shape (m,), optional
        Pit readings on the same clock. Without them a dead fire cannot be told from a stall, and the
        reason says so.
    marks : sequence of Mark
        What was done to the piece and its cooker.
    rule : StallRule, optional
    units : Units, optional
        Units that the reasons are worded in; °C by default.

    Returns
    -------
    StallReport
    """
    rule = rule or StallRule()
    curve = clean(np.asarray(t_min, float), np.asarray(temp_c, float))
    curve = _until_pulled(curve, marks)
    if len(curve.t_min) < 8 or curve.t_min[-1] - curve.t_min[0] < rule.shortest_min:
        return StallReport()
    grid = np.arange(curve.t_min[0], curve.t_min[-1] + 0.5, 1.0)
    level = np.interp(grid, curve.t_min, curve.temp_c)
    pit = _pit_on(grid, pit_t_min, pit_c)
    scene = _Scene(curve, grid, level, pit, marks, rule, units or Units("c", "kg"))
    # A staircase of whole degrees needs a window that holds a stair.
    window = max(rule.window_min, 40.0 * curve.quantum_c)
    rate = _rate_by_segment(curve, grid, window)
    flat = _flat(grid, level, rate, pit, rule)
    stalls: list[Stall] = []
    others: list[NotStall] = [_moved(scene, jump) for jump in curve.jumps]
    bounded = [_bounds(low, high, curve, grid) for low, high in _joined(_runs(grid, flat), curve, rule)]
    for onset, end, is_open in _merged(bounded):
        found = _not_a_stall(scene, onset, end, stalls)
        if found is not None:
            others.append(found)
        else:
            _split_at_fire(scene, onset, end, is_open, stalls, others)
    return StallReport(
        tuple(sorted(stalls, key=lambda s: s.onset_min)), tuple(sorted(others, key=lambda s: s.onset_min))
    )


# ---- the curve --------------------------------------------------------------------------------------


def _until_pulled(curve: CleanCurve, marks: Sequence[Mark]) -> CleanCurve:
    ends = [mark.at_min for mark in marks if mark.kind in ("pull", "rest-start")]
    starts = [mark.at_min for mark in marks if mark.kind == "meat-on"]
    kept = np.ones(len(curve.t_min), bool)
    if ends:
        kept &= curve.t_min <= min(ends)
    if starts:
        kept &= curve.t_min >= min(starts)
    if kept.all():
        return curve
    t = curve.t_min[kept]
    jumps = tuple(j for j in curve.jumps if len(t) and t[0] < j.at_min <= t[-1])
    return CleanCurve(t, curve.temp_c[kept], jumps, curve.quantum_c)


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


def _pit_on(grid: FloatArray, pit_t: FloatArray | None, pit_c: FloatArray | None) -> _Pit:
    nothing = np.full(len(grid), np.nan)
    if pit_t is None or pit_c is None:
        return _Pit(False, nothing, nothing, np.zeros(0), np.zeros(0))
    sane = np.isfinite(pit_c) & (pit_c > -30.0) & (pit_c < 450.0)
    t, y = merged(np.asarray(pit_t, float)[sane], np.asarray(pit_c, float)[sane])
    if len(t) < 3:
        return _Pit(False, nothing, nothing, t, y)
    raw = np.interp(grid, t, y)
    level = _running(raw, 31, 50.0)
    # What the fire has been doing for two hours; an offset's saw-tooth and a lid dip leave it alone.
    working = _running(level, 241, 75.0, trailing=True)
    return _Pit(True, level, working, t, y, _dips(grid, _running(raw, 7, 50.0), working))


def _dips(grid: FloatArray, smooth: FloatArray, working: FloatArray) -> tuple[_Dip, ...]:
    """Spells under the working level by more than the pit's own restlessness."""
    deficit = working - smooth
    restless = 1.4826 * float(np.median(np.abs(deficit - np.median(deficit))))
    bound = max(SHALLOWEST_DIP_C, float(np.median(deficit)) + 3.0 * restless)
    found = []
    for low, high in _runs(grid, deficit > bound):
        inside = (grid >= low) & (grid <= high)
        depth = float(deficit[inside].max())
        deep = grid[inside & (deficit > 0.5 * depth)]
        if high - low >= 4.0:
            found.append(_Dip(float(deep[0]), float(deep[-1]), depth))
    return tuple(found)


def _running(values: FloatArray, width: int, percent: float, trailing: bool = False) -> FloatArray:
    """Running percentile over `width` grid minutes, thinned to every third minute for speed."""
    pad = (width - 1, 0) if trailing else (width // 2, width // 2)
    stride = 3
    windows = np.lib.stride_tricks.sliding_window_view(np.pad(values, pad, mode="edge"), width)
    picked = np.arange(0, len(values), stride)
    found = np.percentile(windows[picked][:, ::stride], percent, axis=1)
    return np.asarray(np.interp(np.arange(len(values)), picked, found), dtype=float)


# ---- flat stretches ---------------------------------------------------------------------------------


def _flat(grid: FloatArray, level: FloatArray, rate: FloatArray, pit: _Pit, rule: StallRule) -> NDArray[np.bool_]:
    """Where the rate is low in itself and low for the heat the pit has been working at."""
    with np.errstate(invalid="ignore"):
        slow = rate < rule.flat_c_per_h
        begun = level > level[: max(5, len(level) // 50)].min() + 8.0
        rising = begun & (level < 65.0) & (rate > rule.flat_c_per_h)
        if pit.known and rising.sum() >= 20:
            excess = np.maximum(pit.working_c - level, 3.0)
            pace = float(np.percentile((rate / excess)[rising], 70))
            slow &= rate / excess < rule.flat_share * pace
        elif rising.sum() >= 20:
            slow &= rate < rule.flat_share * float(np.percentile(rate[rising], 70))
    return np.asarray(slow & begun, dtype=bool)


def _runs(grid: FloatArray, flag: NDArray[np.bool_]) -> list[tuple[float, float]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flag, [False]]).astype(int)))
    return [(float(grid[a]), float(grid[b - 1])) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _joined(runs: list[tuple[float, float]], curve: CleanCurve, rule: StallRule) -> list[tuple[float, float]]:
    """Runs with a short interruption between them are one stretch when the whole of it is still flat."""
    out: list[tuple[float, float]] = []
    for low, high in runs:
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


# ---- judgement --------------------------------------------------------------------------------------


def _not_a_stall(scene: _Scene, onset: float, end: float, stalls: Sequence[Stall]) -> NotStall | None:
    """The flat stretch as something other than a stall, or None when it may be one."""
    rule, length = scene.rule, end - onset
    temp = _median_level(scene, onset, end)
    rain = next(
        (m for m in scene.marks if m.kind == "weather" and onset - 20.0 <= m.at_min <= end and m.detail != "dry"),
        None,
    )
    if rain is not None and length < 60.0:
        reason = f"Weather was noted here ({rain.detail or 'no detail'}) and the flat part is short."
        return NotStall(onset, end, "other", reason)
    if length < LONGEST_COOL_FLAT_MIN and not _fire_failing(scene, onset, end):
        cooler = _cooler_than_around(scene, onset, end)
        if cooler is not None:
            reason = f"The pit stood {scene.step(cooler)} lower than before and after, and the flat part goes with it."
            return NotStall(onset, end, "pit-fell", reason)
    lid = (
        _lid_open(scene, onset, end) if length < LONGEST_LID_FLAT_MIN and not _fire_failing(scene, onset, end) else None
    )
    if lid is not None:
        return NotStall(onset, end, "lid", lid)
    jump = next((j for j in scene.curve.jumps if -4.0 <= onset - j.at_min <= 12.0), None)
    goes_on = any(s.end_min > onset - 25.0 and abs(s.temp_c - temp) < 12.0 for s in stalls)
    if jump is not None and not goes_on:
        step = jump.after_c - jump.before_c
        reason = (
            f"The flat part begins with a leap of {scene.step(abs(step))} {'up' if step > 0 else 'down'}, which "
            "meat cannot make: the probe is in another place, and its reading there cannot be compared."
        )
        return NotStall(onset, end, "probe-moved", reason)
    if length >= rule.shortest_min and temp < rule.coldest_c and not _fire_failing(scene, onset, end):
        reason = f"Flat for {span_words(length)} near {scene.temp(temp)}, colder than meat stalls."
        return NotStall(onset, end, "other", reason)
    return None


def _split_at_fire(
    scene: _Scene, onset: float, end: float, is_open: bool, stalls: list[Stall], others: list[NotStall]
) -> None:
    """Divide a stretch into what the failing fire explains and what is a stall at a working pit."""
    start = onset
    weak = _fire_failing(scene, onset, end)
    for low, high in weak:
        # Meat answers late: flat just before the pit's fall was seen, and just after it was mended, is the fire's.
        low = onset if low - start < scene.rule.shortest_min else low
        high = end if end - high < LAG_AFTER_FIRE_MIN + scene.rule.shortest_min else high + LAG_AFTER_FIRE_MIN / 2
        others.append(NotStall(low, high, "pit-fell", _fell_reason(scene, low, high)))
        if low > start:
            _add_stall(scene, start, low, False, stalls, fell=True)
        start = high
    if start < end:
        _add_stall(scene, start, end, is_open, stalls)


def _add_stall(scene: _Scene, onset: float, end: float, is_open: bool, stalls: list[Stall], fell: bool = False) -> None:
    temp = _median_level(scene, onset, end)
    if end - onset < scene.rule.shortest_min or not scene.rule.coldest_c <= temp <= scene.rule.hottest_c:
        return
    if fell:
        held = f"Held near {scene.temp(temp)} for {span_words(end - onset)} with the pit at work"
        stalls.append(Stall(onset, end, temp, "pit-ended", f"{held}, until the pit fell."))
    else:
        stalls.append(_stall(scene, onset, end, temp, is_open))


def _median_level(scene: _Scene, onset: float, end: float) -> float:
    return float(np.median(scene.level[(scene.grid >= onset) & (scene.grid <= end)]))


def _stall(scene: _Scene, onset: float, end: float, temp: float, is_open: bool) -> Stall:
    grid, pit = scene.grid, scene.pit
    held = f"Held near {scene.temp(temp)} for {span_words(end - onset)}"
    if pit.known:
        inside = (grid >= onset) & (grid <= end)
        over = float(np.median(pit.level_c[inside])) - temp
        held += f" while the pit kept {scene.step(over)} over the meat"
    else:
        held += "; without a pit reading a dying fire cannot be ruled out"
    if is_open:
        return Stall(onset, end, temp, "open", held + "; it was still going at the last reading.")
    causes = _causes(scene, onset, end)
    if not causes:
        return Stall(onset, end, temp, "natural", held + "; then it rose again by itself.")
    at, kind, what = max(causes)
    when = f"{span_words(end - at)} after {what}" if end - at >= 1.5 else f"with {what}"
    return Stall(onset, end, temp, kind, f"{held}; it ended {when}.")


def _causes(scene: _Scene, onset: float, end: float) -> list[tuple[float, Kind, str]]:
    """What may have ended a stall: when, how the stall is then called, and in words."""
    causes: list[tuple[float, Kind, str]] = []
    for mark in scene.marks:
        if mark.at_min <= onset or mark.at_min > end + 10.0:
            continue
        if mark.kind == "wrap" and mark.detail != "none":
            slow = mark.detail in ("paper", "tray")
            if end - mark.at_min <= scene.rule.wrap_reach_min * (1.0 if slow else 0.7):
                what = f"the wrap in {mark.detail}" if mark.detail else "the wrap"
                causes.append((mark.at_min, "wrap-ended", what))
        if mark.kind == "pit-set" and end - mark.at_min <= 50.0 and _raised(scene, mark):
            causes.append((mark.at_min, "pit-ended", "the setting of a hotter pit"))
    rise = None if causes else _pit_rise(scene, end)
    if rise is not None:
        causes.append((end, "pit-ended", f"a rise of the pit by {scene.step(rise)}"))
    return causes


def _raised(scene: _Scene, mark: Mark) -> bool:
    if mark.temp_c is None or not scene.pit.known:
        return True
    return mark.temp_c > float(np.interp(mark.at_min - 10.0, scene.grid, scene.pit.level_c)) + 4.0


def _pit_rise(scene: _Scene, end: float) -> float | None:
    """How much the pit's level rose, and stayed up, around the end of a stall; None when it did not."""
    if not scene.pit.known:
        return None
    grid, level = scene.grid, scene.pit.level_c
    before = level[(grid >= end - 110.0) & (grid <= end - 45.0)]
    around = level[(grid >= end - 20.0) & (grid <= end + 10.0)]
    after = level[(grid >= end + 10.0) & (grid <= end + 60.0)]
    if len(before) < 20 or len(around) < 10 or len(after) < 20:
        return None
    rise = float(min(np.median(around), np.median(after)) - np.percentile(before, 80))
    swing = float(np.percentile(before, 90) - np.percentile(before, 10))
    return rise if rise > max(9.0, 1.2 * swing) else None


def _fire_failing(scene: _Scene, onset: float, end: float) -> list[tuple[float, float]]:
    """Parts of a stretch when the pit offered too little of its working heat to blame the meat."""
    pit, grid = scene.pit, scene.grid
    if not pit.known:
        return []
    working = _worked_at(scene, onset)
    heat = max(working - float(np.interp(onset, grid, scene.level)), 5.0)
    share = (pit.level_c - scene.level) / heat
    inside = (grid >= onset - 30.0) & (grid <= end)
    weak = inside & (share < scene.rule.pit_share) & (pit.level_c < working - 7.0)
    runs: list[tuple[float, float]] = []
    for low, high in _runs(grid, weak):
        if runs and low - runs[-1][1] < 20.0:
            runs[-1] = (runs[-1][0], high)
        else:
            runs.append((low, high))
    shortest = min(32.0, 0.5 * (end - onset))
    weak_parts = [
        (max(low, onset), high)
        for low, high in runs
        if high - low >= shortest and high > onset and not _came_back_from_a_lid(pit, low, high)
    ]
    # A shower or a late fire cools the pit for a while: what is flat from then on waits for the heat.
    for dip in pit.dips:
        if not dip.is_lid and dip.start_min - 10.0 <= onset <= dip.end_min + 20.0:
            weak_parts.append((onset, min(dip.end_min + 5.0, end)))
    weak_parts.sort()
    parts: list[tuple[float, float]] = []
    for low, high in weak_parts:
        if parts and low <= parts[-1][1]:
            parts[-1] = (parts[-1][0], max(high, parts[-1][1]))
        else:
            parts.append((low, high))
    return parts


def _came_back_from_a_lid(pit: _Pit, low: float, high: float) -> bool:
    """Whether a weak hour of the pit began with a drop that only an open lid makes; a fire dies slowly."""
    near = (pit.raw_t >= low - 25.0) & (pit.raw_t <= low + 25.0)
    t, y = pit.raw_t[near], pit.raw_c[near]
    if high - low > 60.0 or len(t) < 5:
        return False
    before = np.interp(t - 4.0, t, y)
    return bool(np.min(y - before) < -18.0)


def _worked_at(scene: _Scene, onset: float) -> float:
    """Highest level that the pit was working at in the two and a half hours before a moment."""
    before = (scene.grid >= onset - 150.0) & (scene.grid <= onset)
    return float(np.max(scene.pit.working_c[before])) if before.any() else float(scene.pit.working_c[0])


def _fell_reason(scene: _Scene, onset: float, end: float) -> str:
    working = _worked_at(scene, onset)
    lowest = float(np.min(scene.pit.level_c[(scene.grid >= onset) & (scene.grid <= end)]))
    lowered = any(
        mark.kind == "pit-set"
        and mark.temp_c is not None
        and onset - 60.0 <= mark.at_min <= end
        and mark.temp_c < working - 7.0
        for mark in scene.marks
    )
    cause = " because it was set lower" if lowered else ""
    fell = f"The pit fell from {scene.temp(working)} to {scene.temp(lowest)}{cause}"
    return f"{fell}, so the meat had too little heat to rise on."


def _cooler_than_around(scene: _Scene, onset: float, end: float) -> float | None:
    """By how much the pit stood lower during a short flat part than in the hour before and after; None if it did not.

    Heat takes some minutes to be felt inside, so the pit is looked at that much earlier.
    """
    raw_t, raw_c = scene.pit.raw_t, scene.pit.raw_c
    windows = ((onset - 76.0, onset - 16.0), (onset - 8.0, end - 12.0), (end + 5.0, end + 65.0))
    parts = [raw_c[(raw_t >= low) & (raw_t <= high)] for low, high in windows]
    if any(len(part) < 4 for part in parts):
        return None
    before, during, after = (float(np.mean(part)) for part in parts)
    drop = min(before, after) - during
    return drop if drop > SHALLOWEST_DIP_C else None


def _lid_open(scene: _Scene, onset: float, end: float) -> str | None:
    """Why a short flat part is the lid's: a lid event, or a sharp dip of the pit that recovers."""
    if any(mark.kind == "lid" and -5.0 <= onset - mark.at_min <= 25.0 for mark in scene.marks):
        return "The lid was open here; the flat part is short and follows it."
    for dip in scene.pit.dips:
        if dip.is_lid and dip.depth_c > 12.0 and -5.0 <= onset - dip.start_min <= 25.0:
            return f"The pit dropped {scene.step(dip.depth_c)} at once and came back: the lid was open."
    return None


def _moved(scene: _Scene, jump: Jump) -> NotStall:
    """The stretch from a leap until the reading is back where it was, at most two hours."""
    grid = scene.grid
    end = jump.at_min
    if jump.after_c < jump.before_c:
        after = (grid > jump.at_min) & (grid <= jump.at_min + 120.0)
        back = np.flatnonzero(after & (scene.level >= jump.before_c))
        end = float(grid[back[0]]) if len(back) else min(jump.at_min + 120.0, float(grid[-1]))
    words = "fell" if jump.after_c < jump.before_c else "leapt up"
    step = scene.step(abs(jump.after_c - jump.before_c))
    reason = f"The reading {words} by {step} within minutes, which meat cannot do: the probe was moved."
    return NotStall(jump.at_min, end, "probe-moved", reason)
