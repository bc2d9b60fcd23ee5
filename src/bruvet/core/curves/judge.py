"""Judging a flat stretch: a stall, or something else that looks flat, and the reason in a sentence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from bruvet.core.units import Units, span_words

from .clean import CleanCurve
from .findings import Kind, Mark, NotStall, Stall, StallRule
from .flat import Flat, leap_at, whole_rate
from .leap import Jump
from .median import median, spread
from .pit import Pit, bridged, runs

FloatArray = NDArray[np.float64]
LAG_AFTER_FIRE_MIN = 30.0
LONGEST_LID_FLAT_MIN = 32.0
LONGEST_COOL_FLAT_MIN = 75.0
COOLED_C = 6.0
SLIGHTLY_COOLER_C = 7.0
HEAT_IS_FELT_MIN = 15.0
STARVED_SHARE = 0.5
LONGEST_STARVED_MIN = 120.0
TOLD_SPELL_MIN = 10.0


@dataclass(frozen=True)
class Scene:
    """Everything a flat stretch is judged by. `level` is the meat on the minute grid."""

    curve: CleanCurve
    grid: FloatArray
    level: FloatArray
    pit: Pit
    marks: Sequence[Mark]
    rule: StallRule
    units: Units

    def temp(self, temp_c: float) -> str:
        return self.units.temp_text(temp_c)

    def step(self, step_c: float) -> str:
        return self.units.step_text(step_c)


def not_a_stall(
    scene: Scene, flat: Flat, weak: Sequence[tuple[float, float]], stalls: Sequence[Stall]
) -> NotStall | None:
    """The flat stretch as something other than a stall, or None when it may be one.

    `weak` are the parts in which the fire was failing; `stalls` those found so far.
    """
    onset, end = flat.onset, flat.end
    rule, length = scene.rule, end - onset
    temp = _median_level(scene, onset, end)
    rain = next(
        (m for m in scene.marks if m.kind == "weather" and onset - 20.0 <= m.at_min <= end and m.detail != "dry"),
        None,
    )
    if rain is not None and length < 60.0:
        reason = f"Weather was noted here ({rain.detail or 'no detail'}) and the flat part is short."
        return NotStall(onset, end, "other", reason)
    lid = _lid_open(scene, onset, end) if length < LONGEST_LID_FLAT_MIN and not weak else None
    if lid is not None:
        return NotStall(onset, end, "lid", lid)
    if length < LONGEST_STARVED_MIN and not weak and _starved(scene, flat):
        reason = "The lid was opened so often here that the meat had too little heat to rise on."
        return NotStall(onset, end, "lid", reason)
    if length < LONGEST_COOL_FLAT_MIN and not weak:
        cooler = _cooler_than_around(scene, onset, end)
        if cooler is not None:
            reason = f"The pit stood {scene.step(cooler)} lower than before and after, and the flat part goes with it."
            return NotStall(onset, end, "pit-fell", reason)
    hotter = _hotter_before(scene, onset, end)
    if hotter is not None and not weak:
        reason = f"It had been at {scene.temp(hotter)} and did not get there again: it was cooling or held warm."
        return NotStall(onset, end, "other", reason)
    jump = leap_at(scene.curve, onset)
    step = jump.after_c - jump.before_c if jump is not None else 0.0
    goes_on = any(
        s.end_min > onset - 25.0 and min(abs(s.temp_c - temp), abs(s.temp_c - temp + step)) < 12.0 for s in stalls
    )
    failing = sum(high - low for low, high in weak) > 0.5 * length
    if jump is not None and not goes_on and not failing:
        reason = (
            f"The flat part begins with a leap of {scene.step(abs(step))} {'up' if step > 0 else 'down'}, which "
            "meat cannot make: the probe is in another place, and its reading there cannot be compared."
        )
        return NotStall(onset, end, "probe-moved", reason)
    if length >= rule.shortest_min and not weak and not _at_heat(scene, onset, end):
        where = "colder" if temp < rule.coldest_c else "hotter"
        reason = f"Flat for {span_words(length)} near {scene.temp(temp)}, {where} than meat stalls."
        return NotStall(onset, end, "other", reason)
    return None


def _at_heat(scene: Scene, onset: float, end: float) -> bool:
    """Whether a flat stretch lies where meat stalls, as read or as though no probe had been moved."""
    temp = _median_level(scene, onset, end)
    unmoved = temp - sum(jump.after_c - jump.before_c for jump in scene.curve.jumps if jump.at_min <= (onset + end) / 2)
    return any(scene.rule.coldest_c <= one <= scene.rule.hottest_c for one in (temp, unmoved))


def _starved(scene: Scene, flat: Flat) -> bool:
    """Whether the meat rose nearly as fast as the heat that open lids left it would have driven."""
    low, high = flat.onset - HEAT_IS_FELT_MIN, flat.end - HEAT_IS_FELT_MIN + 5.0
    dips = [dip for dip in scene.pit.dips if dip.is_lid and dip.end_min > low and dip.start_min < high]
    inside = (scene.grid >= low) & (scene.grid <= high)
    if not dips or flat.expected_c_per_h is None or inside.sum() < 5:
        return False
    offered = np.interp(scene.grid[inside], scene.pit.raw_t, scene.pit.raw_c) - scene.level[inside]
    worked = _worked_at(scene, flat.onset) - scene.level[inside]
    left = flat.expected_c_per_h * max(float(np.mean(offered)) / max(float(np.mean(worked)), 3.0), 0.0)
    return whole_rate(scene.curve, flat.onset, flat.end) > STARVED_SHARE * left


def _hotter_before(scene: Scene, onset: float, end: float) -> float | None:
    """The highest that the meat had been, where a flat stretch lies well below it for good; None where it does not.

    A moved probe begins anew: what it read elsewhere is not compared.
    """
    if any(onset < jump.at_min < end for jump in scene.curve.jumps):
        return None
    moved = max((j.at_min for j in scene.curve.jumps if j.at_min <= onset), default=-np.inf)
    until = min((j.at_min for j in scene.curve.jumps if j.at_min >= end), default=np.inf)
    earlier = scene.level[(scene.grid >= moved) & (scene.grid < onset + 0.5)]
    later = scene.level[(scene.grid >= end) & (scene.grid < until)]
    highest = float(earlier.max(initial=-np.inf))
    below = highest - _median_level(scene, onset, end)
    gone_for_good = not len(later) or float(later.max()) < highest - 1.0
    return highest if below > COOLED_C and gone_for_good else None


def split_at_fire(
    scene: Scene,
    onset: float,
    end: float,
    is_open: bool,
    weak: Sequence[tuple[float, float]],
    stalls: list[Stall],
    others: list[NotStall],
) -> None:
    """Divide a stretch into what the failing fire explains and what is a stall at a working pit."""
    start = onset
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


def _add_stall(scene: Scene, onset: float, end: float, is_open: bool, stalls: list[Stall], fell: bool = False) -> None:
    temp = _median_level(scene, onset, end)
    if end - onset < scene.rule.shortest_min or not _at_heat(scene, onset, end):
        return
    if fell:
        held = f"Held near {scene.temp(temp)} for {span_words(end - onset)} with the pit at work"
        stalls.append(Stall(onset, end, temp, "pit-ended", f"{held}, until the pit fell."))
    else:
        stalls.append(_stall(scene, onset, end, temp, is_open))


def _median_level(scene: Scene, onset: float, end: float) -> float:
    """Median inside, of the longest part in which the probe sat still."""
    edges = [onset, *(j.at_min for j in scene.curve.jumps if onset < j.at_min < end), end]
    onset, end = max(pairwise(edges), key=lambda part: part[1] - part[0])
    return median(scene.level[(scene.grid >= onset) & (scene.grid <= end)])


def _stall(scene: Scene, onset: float, end: float, temp: float, is_open: bool) -> Stall:
    grid, pit = scene.grid, scene.pit
    held = f"Held near {scene.temp(temp)} for {span_words(end - onset)}"
    if pit.known:
        inside = (grid >= onset) & (grid <= end)
        over = median(pit.level_c[inside]) - temp
        held += f" while the pit kept {scene.step(over)} over the meat"
        for spell in pit.dips:
            low, high = max(spell.start_min, onset), min(spell.end_min, end)
            if not spell.is_lid and high - low >= TOLD_SPELL_MIN:
                held += f", for {span_words(high - low)} of it up to {scene.step(spell.depth_c)} less"
    else:
        held += "; without a pit reading a dying fire cannot be ruled out"
    if is_open:
        return Stall(onset, end, temp, "open", held + "; it was still going at the last reading.")
    causes = _causes(scene, onset, end)
    if not causes:
        lost = any(abs(jump.at_min - end) <= 3.0 for jump in scene.curve.jumps)
        then = "then the probe was moved, so what ended it cannot be told." if lost else "then it rose again by itself."
        return Stall(onset, end, temp, "natural", f"{held}; {then}")
    at, kind, what = max(causes)
    when = f"{span_words(end - at)} after {what}" if end - at >= 1.5 else f"with {what}"
    return Stall(onset, end, temp, kind, f"{held}; it ended {when}.")


def _causes(scene: Scene, onset: float, end: float) -> list[tuple[float, Kind, str]]:
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


def _raised(scene: Scene, mark: Mark) -> bool:
    if mark.temp_c is None or not scene.pit.known:
        return True
    return mark.temp_c > float(np.interp(mark.at_min - 10.0, scene.grid, scene.pit.level_c)) + 4.0


def _pit_rise(scene: Scene, end: float) -> float | None:
    """How much the pit's level rose, and stayed up, around the end of a stall; None when it did not."""
    if not scene.pit.known:
        return None
    grid, level = scene.grid, scene.pit.level_c
    before = level[(grid >= end - 110.0) & (grid <= end - 45.0)]
    around = level[(grid >= end - 20.0) & (grid <= end + 10.0)]
    after = level[(grid >= end + 10.0) & (grid <= end + 60.0)]
    if len(before) < 20 or len(around) < 10 or len(after) < 20:
        return None
    rise = float(min(median(around), median(after)) - np.percentile(before, 80))
    swing = float(np.percentile(before, 90) - np.percentile(before, 10))
    return rise if rise > max(9.0, 1.2 * swing) else None


def fire_failing(scene: Scene, onset: float, end: float) -> list[tuple[float, float]]:
    """Parts of a stretch when the pit offered too little of its working heat to blame the meat."""
    pit, grid = scene.pit, scene.grid
    if not pit.known:
        return []
    working = _worked_at(scene, onset)
    heat = max(working - float(np.interp(onset, grid, scene.level)), 5.0)
    share = (pit.level_c - scene.level) / heat
    inside = (grid >= onset - 30.0) & (grid <= end)
    weak = inside & (share < scene.rule.pit_share) & (pit.level_c < working - 7.0)
    spells = bridged(runs(grid, weak), 19.5)
    shortest = min(32.0, 0.5 * (end - onset))
    weak_parts = []
    for low, high in spells:
        within = share[(grid >= low) & (grid <= high)]
        # Swings and lids alone leave more: a fire that fails is without half of its heat for the whole of it.
        failed = within.min() < scene.rule.dead_share and within.mean() < scene.rule.failed_share
        if high - low >= shortest and high > onset and failed and not _came_back_from_a_lid(pit, low, high):
            weak_parts.append((max(low, onset), high))
    # A shower or a late fire cools the pit for a while: what is flat from then on waits for the heat.
    for dip in pit.dips:
        until = min(dip.end_min + 5.0, end)
        if not dip.is_lid and dip.start_min - 10.0 <= onset <= dip.end_min + 20.0 and until > onset:
            weak_parts.append((onset, until))
    return bridged(sorted(weak_parts), 0.0)


def _came_back_from_a_lid(pit: Pit, low: float, high: float) -> bool:
    """Whether a weak hour of the pit began with a drop that only an open lid makes; a fire dies slowly."""
    near = (pit.raw_t >= low - 25.0) & (pit.raw_t <= low + 25.0)
    t, y = pit.raw_t[near], pit.raw_c[near]
    if high - low > 60.0 or len(t) < 5:
        return False
    before = np.interp(t - 4.0, t, y)
    return bool(np.min(y - before) < -18.0)


def _worked_at(scene: Scene, onset: float) -> float:
    """Highest level that the pit was working at in the two and a half hours before a moment."""
    before = (scene.grid >= onset - 150.0) & (scene.grid <= onset)
    return float(np.max(scene.pit.working_c[before])) if before.any() else float(scene.pit.working_c[0])


def _fell_reason(scene: Scene, onset: float, end: float) -> str:
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


def _cooler_than_around(scene: Scene, onset: float, end: float) -> float | None:
    """By how much the pit stood lower during a short flat part than in the hour before and after; None if it did not.

    Heat takes some minutes to be felt inside, so the pit is looked at that much earlier.
    """
    raw_t, raw_c = scene.pit.raw_t, scene.pit.raw_c
    windows = ((onset - 76.0, onset - 16.0), (onset - 8.0, end - 12.0), (end + 5.0, end + 65.0))
    parts = [raw_c[(raw_t >= low) & (raw_t <= high)] for low, high in windows]
    if any(len(part) < 4 for part in parts):
        return None
    before, during, after = (median(part) for part in parts)
    drop, offered = min(before, after) - during, before - _median_level(scene, onset, end)
    restless = 1.2 * max(spread(part) for part in (parts[0], parts[2]))
    return drop if drop > max(SLIGHTLY_COOLER_C, scene.rule.cooler_share * offered, restless) else None


def _lid_open(scene: Scene, onset: float, end: float) -> str | None:
    """Why a short flat part is the lid's: a lid event, or a sharp dip of the pit that recovers."""
    if any(mark.kind == "lid" and -5.0 <= onset - mark.at_min <= 25.0 for mark in scene.marks):
        return "The lid was open here; the flat part is short and follows it."
    for dip in scene.pit.dips:
        if dip.is_lid and dip.depth_c > 12.0 and -5.0 <= onset - dip.start_min <= 25.0:
            return f"The pit dropped {scene.step(dip.depth_c)} at once and came back: the lid was open."
    return None


def moved(scene: Scene, jump: Jump) -> NotStall:
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
