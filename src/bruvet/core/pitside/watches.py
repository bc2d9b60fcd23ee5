"""What deserves a warning while a cook goes on, told from what only looks like it.

Every watch is a function of the readings and marks up to now. Bounds are ours and stand in docs/method.md, with how
often each fires late or wrongly on simulated days.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from bruvet.core.units import Units, span_words

from .lane import STALE_MIN, Lane, Series, fuel_left

FloatArray = NDArray[np.float64]
Level = Literal["act", "mind", "tell"]

OFF_C, OFF_FOR_MIN = 14.0, 15.0
SETTLE_MIN = 25.0
# A fire that dies falls steadily; an open lid falls at once and comes back.
DYING_WINDOW_MIN, DYING_C_MIN, DYING_DROP_C = 20.0, 0.45, 9.0
JUMP_C = 9.0
APART_C = 22.0
AFTER_WRAP_C = 5.0
FOLLOW_C = 20.0
BOILING_C = 104.0
SILENT_MIN = 4.0
FUEL_AT = 0.3
NEAR_C, NEAR_MIN = 3.0, 15.0
DANGER_MIN, DANGER_OPENED_MIN, DANGER_C = 210.0, 150.0, 60.0
FORGOTTEN_MIN = 60.0


@dataclass(frozen=True)
class Alarm:
    """A warning. `key` tells it from all others of the trial while it lasts; `since_min` is when it began to be so."""

    key: str
    kind: str
    letter: str
    words: str
    level: Level
    since_min: float


def watch(lane: Lane, units: Units) -> list[Alarm]:
    """Everything that deserves a warning of one arm now."""
    found = [*_station(lane), *_forgotten(lane, units)]
    if lane.on and lane.pulled_min is None:
        found += [*_pit(lane, units), *_fuel(lane), *_target(lane, units), *_stall(lane, units)]
        found += [*_danger(lane, units), *_late(lane)]
        for series in lane.inner:
            found += _probe(lane, series, units)
        found += _apart(lane, units)
    return found


def _alarm(lane: Lane, kind: str, words: str, level: Level, since: float, more: str = "") -> Alarm:
    return Alarm(f"{kind} {lane.letter} {more}".strip(), kind, lane.letter, words, level, since)


# ---- the pit --------------------------------------------------------------------------------------------


def disturbed(lane: Lane, at_min: float, for_min: float = SETTLE_MIN) -> bool:
    """Whether something done to the fire or the lid explains what the pit does at a minute."""
    kinds = ("lid", "fuel", "pit-set", "meat-on", "wrap", "unwrap", "spritz", "turn", "move", "wood", "look")
    return any(m.kind in kinds and 0 <= at_min - m.at_min <= for_min for m in lane.marks)


def _smoothed(series: Series, low_min: float, high_min: float) -> tuple[FloatArray, FloatArray]:
    """A value a minute, each the median of what was read in the two minutes around it."""
    t, temp = series.between(low_min, high_min)
    if len(t) < 3:
        return np.zeros(0), np.zeros(0)
    grid = np.arange(np.ceil(t[0]), t[-1] + 0.01, 1.0)
    low, high = np.searchsorted(t, grid - 1.0), np.searchsorted(t, grid + 1.0, side="right")
    known = high > low
    return grid[known], np.array([np.median(temp[a:b]) for a, b in zip(low[known], high[known], strict=True)])


def _pit(lane: Lane, units: Units) -> Iterator[Alarm]:
    for series in lane.pits:
        if series.last_min is None or lane.now_min - series.last_min > STALE_MIN:
            continue
        dying = _dying(lane, series)
        if dying is not None:
            words = (
                f"The pit of {lane.letter} has been falling for {span_words(lane.now_min - dying)} and is at "
                f"{units.temp_text(series.last_c)}: look at the fire."
            )
            yield _alarm(lane, "fire-dying", words, "act", dying)
            continue
        yield from _off_target(lane, series, units)


def _off_target(lane: Lane, series: Series, units: Units) -> Iterator[Alarm]:
    target = lane.pit_target_c
    if target is None or disturbed(lane, lane.now_min):
        return
    # A pit that swings by itself is off only beyond its swing, and for longer than a swing lasts.
    span = max(OFF_FOR_MIN, 0.6 * lane.swing_min)
    t, temp = _smoothed(series, lane.now_min - span, lane.now_min)
    if len(t) < 0.7 * span or t[0] > lane.now_min - 0.85 * span or lane.now_min < SETTLE_MIN + span:
        return
    bound = OFF_C + 0.8 * (lane.swing_c + lane.drift_c)
    for kind, off in (("pit-high", temp - target), ("pit-low", target - temp)):
        if (off > bound).all():
            side = "above" if kind == "pit-high" else "below"
            words = (
                f"The pit of {lane.letter} is {units.step_text(float(np.median(off)))} {side} its "
                f"{units.temp_text(target)} for {span_words(span)}."
            )
            yield _alarm(lane, kind, words, "act", float(t[0]))


def _dying(lane: Lane, series: Series) -> float | None:
    """Since when the pit falls as a dying fire does; None when it does not."""
    target = lane.pit_target_c
    t, temp = _smoothed(series, lane.now_min - DYING_WINDOW_MIN, lane.now_min)
    if len(t) < 0.7 * DYING_WINDOW_MIN or target is None:
        return None
    if disturbed(lane, lane.now_min):
        return None
    slope, level = np.polyfit(t - t[0], temp, 1)
    spread = temp - (level + slope * (t - t[0]))
    straight = 1 - spread.var() / max(temp.var(), 1e-9)
    drop = float(temp[:3].mean() - temp[-3:].mean())
    steepest = float(np.max(temp[:-2] - temp[2:])) if len(temp) > 4 else 0.0
    lowest = temp[-1] <= temp.min() + 1.0
    below = temp[-1] < target - DYING_DROP_C - 1.2 * (lane.swing_c + lane.drift_c)
    if (
        slope <= -DYING_C_MIN
        and straight > 0.85
        and drop >= DYING_DROP_C
        and lowest
        and below
        and steepest < 0.5 * drop
    ):
        return float(t[0])
    return None


def _fuel(lane: Lane) -> Iterator[Alarm]:
    left = fuel_left(lane)
    if left is None or lane.plan.load_h is None or left > FUEL_AT:
        return
    minutes = left * lane.plan.load_h * 60
    words = f"Fuel for {lane.letter}: about {span_words(minutes)} of a load are left by its usual burning."
    yield _alarm(lane, "fuel-due", words, "act", lane.now_min - (FUEL_AT - left) * lane.plan.load_h * 60)


# ---- the meat -------------------------------------------------------------------------------------------


def _target(lane: Lane, units: Units) -> Iterator[Alarm]:
    done, cold = lane.plan.done_at_c, lane.coldest_c
    if done is None or cold is None or lane.plan.done_rule == "time":
        if lane.plan.done_at_min is not None and lane.plan.done_rule == "time":
            left = lane.plan.done_at_min - lane.now_min
            if left <= NEAR_MIN:
                when = "now" if left <= 0 else f"in {span_words(left)}"
                words = f"{lane.letter} has had its {span_words(lane.plan.done_at_min)} {when}."
                yield _alarm(lane, "target-reached" if left <= 0 else "target-near", words, "act", lane.now_min + left)
        return
    if cold >= done:
        words = (
            f"{lane.letter} is at {units.temp_text(cold)} inside, its {units.temp_text(done)}: probe several places."
        )
        yield _alarm(lane, "target-reached", words, "act", lane.now_min)
    elif cold >= done - NEAR_C:
        yield _alarm(
            lane, "target-near", f"{lane.letter} is at {units.temp_text(cold)}, near its target.", "mind", lane.now_min
        )


def _stall(lane: Lane, units: Units) -> Iterator[Alarm]:
    opened = lane.open_stall
    if opened is not None and lane.now_min - opened.onset_min >= 40:
        began = span_words(opened.onset_min)
        words = f"{lane.letter} is in the stall at {units.temp_text(opened.temp_c)}, since {began} after meat on."
        yield _alarm(lane, "stall-began", words, "tell", opened.onset_min, f"{opened.onset_min / 60:.0f}")
    for stall in lane.stalls:
        if stall.kind != "open" and 0 <= lane.now_min - stall.end_min <= 45:
            words = f"The stall of {lane.letter} is over after {span_words(stall.length_min)}."
            yield _alarm(lane, "stall-ended", words, "tell", stall.end_min)


def _danger(lane: Lane, units: Units) -> Iterator[Alarm]:
    cold = lane.coldest_c
    limit = DANGER_OPENED_MIN if lane.plan.opened else DANGER_MIN
    if cold is None or cold >= DANGER_C or lane.now_min < limit:
        return
    rate = max((series.rate(lane.now_min) or 0.0 for series in lane.fresh), default=0.0)
    if rate > 0 and lane.now_min + (DANGER_C - cold) / rate * 60 <= limit + 30.0:
        return
    strict = " It was opened or injected, for which this matters more." if lane.plan.opened else ""
    words = (
        f"{lane.letter} is at {units.temp_text(cold)} after {span_words(lane.now_min)}; it should pass "
        f"{units.temp_text(DANGER_C)} within about 4 h.{strict}"
    )
    yield _alarm(lane, "danger-zone", words, "act", limit)


def _late(lane: Lane) -> Iterator[Alarm]:
    if lane.told is None or lane.serve_min is None or lane.told.done_min[1] is None:
        return
    ready = lane.told.done_min[1] + (lane.plan.rest_min or 0.0) + 15.0
    if ready > lane.serve_min:
        by = span_words(ready - lane.serve_min)
        words = f"{lane.letter} is likely to be ready {by} after serving, its rest kept whole."
        yield _alarm(lane, "late", words, "act", lane.told.made_min)


# ---- probes ---------------------------------------------------------------------------------------------


def _probe(lane: Lane, series: Series, units: Units) -> Iterator[Alarm]:
    if series.last_min is None or series.last_c is None or lane.now_min < 15:
        return
    name = f"{lane.letter} {series.place}"
    others = [s.last_min for s in (*lane.inner, *lane.pits) if s is not series and s.last_min is not None]
    quiet = lane.now_min - series.last_min
    if quiet > STALE_MIN + 1 and any(lane.now_min - last <= STALE_MIN for last in others):
        yield _alarm(
            lane,
            "probe-out",
            f"The probe {name} has read nothing for {span_words(quiet)}.",
            "act",
            series.last_min,
            series.place,
        )
        return
    if quiet > STALE_MIN:
        return
    jump = _jump(lane, series)
    if jump is not None:
        at, by = jump
        words = f"The probe {name} leapt by {units.step_text(abs(by))}: was it moved, or does it touch bone?"
        yield _alarm(lane, "probe-jump", words, "mind", at, series.place)
    flat = _flat_line(lane, series)
    if flat is not None:
        yield _alarm(
            lane, "probe-flat", f"The probe {name} repeats one value: is it alive?", "mind", flat, series.place
        )
    if _follows_pit(lane, series):
        words = (
            f"The probe {name} reads {units.temp_text(series.last_c)} and goes with the pit: it may be out of the meat."
        )
        yield _alarm(lane, "probe-in-air", words, "act", lane.now_min - 10, series.place)
    apart = _after_wrap(lane, series)
    if apart is not None:
        at, by = apart
        words = (
            f"The probe {name} reads {units.step_text(abs(by))} {'more' if by > 0 else 'less'} than before the wrap: "
            "it sits in another place."
        )
        yield _alarm(lane, "probe-moved", words, "mind", at, series.place)


def _jump(lane: Lane, series: Series) -> tuple[float, float] | None:
    """A lasting leap of the last twenty minutes: when, and by how much."""
    t, temp = _smoothed(series, lane.now_min - 22, lane.now_min)
    if len(t) < 12:
        return None
    step = temp[3:] - temp[:-3]
    usual = float(np.median(step))
    for i in np.argsort(-np.abs(step - usual))[:3]:
        at, by = float(t[i + 2]), float(step[i] - usual)
        after = temp[i + 4 : i + 10]
        if (
            abs(by) < JUMP_C
            or len(after) < 3
            or any(m.kind in ("wrap", "unwrap", "pull") and abs(at - m.at_min) < 8 for m in lane.marks)
        ):
            continue
        if abs(float(np.median(after)) - float(temp[i])) >= 0.6 * abs(by):
            return at, by
    return None


def _flat_line(lane: Lane, series: Series) -> float | None:
    """Since when a probe that reads finely has repeated one value; None when it has not."""
    t, temp = series.between(lane.now_min - 90, lane.now_min)
    if len(t) < 20:
        return None
    fine = np.diff(np.unique(np.round(temp, 2)))
    if not len(fine) or fine.min() > 0.3:
        # In whole degrees a stall stands still by itself.
        return None
    same = np.flatnonzero(temp != temp[-1])
    since = float(t[same[-1] + 1]) if len(same) and same[-1] + 1 < len(t) else float(t[0])
    return since if lane.now_min - since >= 15 else None


def _follows_pit(lane: Lane, series: Series) -> bool:
    """Whether an inner probe hangs in the pit's air: as hot as meat never is, or near the pit and moving with it."""
    pit = lane.pit_c
    t, temp = _smoothed(series, lane.now_min - 10, lane.now_min)
    if pit is None or len(t) < 6:
        return False
    return bool((temp > BOILING_C).all() and abs(float(temp.mean()) - pit) < FOLLOW_C)


def _after_wrap(lane: Lane, series: Series) -> tuple[float, float] | None:
    """How far a probe is from where it was before the last wrap or unwrap; None when it is where it was."""
    at = lane.last("wrap", "unwrap")
    if at is None or not 12 <= lane.now_min - at <= 60:
        return None
    before, after = series.mean(at - 6, at - 0.5), series.mean(at + 8, at + 12)
    if before is None or after is None:
        return None
    pace = (series.rate(at) or 0.0) / 60
    by = after - before - max(pace, 0.0) * 13
    return (at, by) if abs(by) > AFTER_WRAP_C else None


def _apart(lane: Lane, units: Units) -> Iterator[Alarm]:
    fresh = lane.fresh
    if len(fresh) < 2 or lane.now_min < 60:
        return
    recent = [(s, s.mean(lane.now_min - 10, lane.now_min)) for s in fresh]
    known = [(s, mean) for s, mean in recent if mean is not None]
    if len(known) < 2:
        return
    low, high = min(known, key=lambda k: k[1]), max(known, key=lambda k: k[1])
    if high[1] - low[1] > APART_C:
        words = (
            f"Two probes in {lane.letter} are {units.step_text(high[1] - low[1])} apart ({low[0].place} and "
            f"{high[0].place}): one may touch bone, fat or air."
        )
        yield _alarm(lane, "probes-apart", words, "mind", lane.now_min - 10)


# ---- what was forgotten, and what is silent --------------------------------------------------------------


def _station(lane: Lane) -> Iterator[Alarm]:
    last = [s.last_min for s in (*lane.inner, *lane.pits) if s.last_min is not None]
    if not last or lane.at("rest-end", "cut") is not None:
        return
    quiet = lane.now_min - max(last)
    if SILENT_MIN < quiet < 24 * 60 and (lane.pulled_min is None or lane.now_min - lane.pulled_min < 30):
        words = f"No reading of {lane.letter} for {span_words(quiet)}: station, power or network."
        yield _alarm(lane, "station-silent", words, "act", max(last))


def _forgotten(lane: Lane, units: Units) -> Iterator[Alarm]:
    if not lane.on:
        rising = [s for s in lane.inner if _warms_like_meat(s, lane.now_min)]
        if rising:
            words = f"{lane.letter} warms up and no meat-on is marked: mark it, with its own time."
            yield _alarm(lane, "no-meat-on", words, "act", lane.now_min - 15)
        return
    if lane.pulled_min is not None:
        return
    # What is hotter than boiling was read in the air.
    meat = [s.temp_c[s.t_min >= 0] for s in lane.inner if (s.t_min >= 0).any() and s.temp_c.max() < BOILING_C]
    hottest = [float(temps.max()) for temps in meat]
    done = lane.plan.done_at_c
    if not hottest or done is None or max(hottest) < done - NEAR_C:
        return
    falling = [
        s
        for s in lane.fresh
        if s.last_c is not None and s.last_c < float(s.temp_c.max()) - 4 and (s.rate(lane.now_min) or 0) < -3
    ]
    if lane.inner and len(falling) == len(lane.fresh) and falling:
        words = f"{lane.letter} has passed its target and cools: was it pulled? Mark it, with its own time."
        yield _alarm(lane, "no-pull", words, "act", lane.now_min - FORGOTTEN_MIN / 4)


def _warms_like_meat(series: Series, now_min: float) -> bool:
    t, temp = series.between(now_min - 40, now_min)
    if len(t) < 10 or t[-1] - t[0] < 15:
        return False
    first, last = float(np.median(temp[:3])), float(np.median(temp[-3:]))
    return first < 25 and last - first > 5 and last < 60 and bool((np.diff(temp) > -1.5).all())
