"""One arm under way: what is known of it at a moment, and the first things to be read off it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from bruvet.core.curves.findings import Mark, Stall, first_mark
from bruvet.core.curves.slope import rate_c_per_h

FloatArray = NDArray[np.float64]
EMPTY = np.zeros(0)
RATE_WINDOW_MIN = 30.0
# A reading older than this is not what the probe reads now.
STALE_MIN = 5.0


@dataclass(frozen=True)
class Series:
    """A probe's readings, minutes from meat on in order, °C.

    Attributes
    ----------
    place : where it sits; `pit` for the pit's own.
    newest : minute and °C of its very last reading, where `t_min` and `temp_c` are means of short stretches.
    """

    place: str
    t_min: FloatArray = field(default_factory=lambda: EMPTY)
    temp_c: FloatArray = field(default_factory=lambda: EMPTY)
    pit: bool = False
    newest: tuple[float, float] | None = None

    @property
    def last_min(self) -> float | None:
        if self.newest is not None:
            return self.newest[0]
        return float(self.t_min[-1]) if len(self.t_min) else None

    @property
    def last_c(self) -> float | None:
        if self.newest is not None:
            return self.newest[1]
        return float(self.temp_c[-1]) if len(self.temp_c) else None

    def between(self, low_min: float, high_min: float) -> tuple[FloatArray, FloatArray]:
        first, last = np.searchsorted(self.t_min, low_min), np.searchsorted(self.t_min, high_min, side="right")
        return self.t_min[first:last], self.temp_c[first:last]

    def mean(self, low_min: float, high_min: float) -> float | None:
        _, temp = self.between(low_min, high_min)
        return float(temp.mean()) if len(temp) else None

    def rate(self, now_min: float) -> float | None:
        """°C per hour over the last half hour; None with too little to go by."""
        t, temp = self.between(now_min - RATE_WINDOW_MIN, now_min)
        if len(t) < 5 or t[-1] - t[0] < RATE_WINDOW_MIN / 3:
            return None
        found = rate_c_per_h(t, temp, np.array([(t[0] + t[-1]) / 2]), 2 * RATE_WINDOW_MIN)[0]
        return float(found) if np.isfinite(found) else None


@dataclass(frozen=True)
class Felt:
    """One spot of a look: a handheld reading, a feel, or both."""

    place: str
    temp_c: float | None = None
    feel: str = ""


@dataclass(frozen=True)
class Seen:
    """A look, in minutes from meat on."""

    at_min: float
    bark: str = ""
    colour: str = ""
    spots: tuple[Felt, ...] = ()


@dataclass(frozen=True)
class Told:
    """The twin's forecast of an arm, made at a minute: 10, 50 and 90 % of done, and what options would make of it.

    Attributes
    ----------
    options : pairs of a course and its minutes to done, in the middle; the first is to go on as it is.
    give_or_take : by course, half of the way from 10 to 90 % of it, in minutes.
    peak_c : how high a wrapped or resting piece goes after the pull.
    hot_until_min : minutes after the pull until it is below hot-holding temperature; None when it stays above.
    """

    made_min: float
    done_min: tuple[float | None, float | None, float | None]
    options: tuple[tuple[str, float | None], ...] = ()
    peak_c: float | None = None
    hot_until_min: float | None = None
    give_or_take: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Plan:
    """What an arm is to get, in stored words and units."""

    pit_c: float | None = None
    wrap_rule: str = "never"
    wrap_in: str = "none"
    wrap_at_c: float | None = None
    wrap_at_min: float | None = None
    done_rule: str = "feel"
    done_at_c: float | None = None
    done_at_min: float | None = None
    rest_kind: str = "box"
    rest_min: float | None = None
    spritz_every_min: float | None = None
    moves: bool = False
    opened: bool = False
    load_h: float | None = None


@dataclass(frozen=True)
class Lane:
    """One arm at a moment. Minutes count from its meat on, or from its first reading while that is not marked.

    Attributes
    ----------
    swing_c, swing_min, drift_c, lid_drop_c, recovery_min : what its kind of cooker does by itself and at an open lid.
    serve_min : when it is to be served, on the same clock.
    stalls : stalls found so far, an open one last.
    """

    letter: str
    kind: str
    now_min: float
    plan: Plan
    inner: tuple[Series, ...] = ()
    pits: tuple[Series, ...] = ()
    marks: tuple[Mark, ...] = ()
    looks: tuple[Seen, ...] = ()
    stalls: tuple[Stall, ...] = ()
    told: Told | None = None
    serve_min: float | None = None
    swing_c: float = 4.0
    drift_c: float = 3.0
    swing_min: float = 20.0
    lid_drop_c: float = 12.0
    recovery_min: float = 12.0

    @property
    def on(self) -> bool:
        return self.at("meat-on") is not None

    @property
    def pulled_min(self) -> float | None:
        return self.at("pull")

    @property
    def cooking(self) -> bool:
        return self.on and self.pulled_min is None

    def at(self, *kinds: str) -> float | None:
        return first_mark(self.marks, *kinds)

    def last(self, *kinds: str) -> float | None:
        """Minute of the latest mark of any of these kinds."""
        return max((mark.at_min for mark in self.marks if mark.kind in kinds), default=None)

    @property
    def wrapped(self) -> str:
        """What it is wrapped in now; empty when bare."""
        last = max((m for m in self.marks if m.kind in ("wrap", "unwrap")), key=lambda m: m.at_min, default=None)
        return last.detail if last is not None and last.kind == "wrap" and last.detail != "none" else ""

    @property
    def fresh(self) -> tuple[Series, ...]:
        """Inner probes that read now."""
        return tuple(s for s in self.inner if s.last_min is not None and self.now_min - s.last_min <= STALE_MIN)

    @property
    def coldest_c(self) -> float | None:
        return min((s.last_c for s in self.fresh if s.last_c is not None), default=None)

    @property
    def pit_c(self) -> float | None:
        """The pit's mean over the last three minutes."""
        means = [s.mean(self.now_min - 3, self.now_min) for s in self.pits]
        known = [mean for mean in means if mean is not None]
        return sum(known) / len(known) if known else None

    @property
    def pit_target_c(self) -> float | None:
        """What the pit was last set to, or planned."""
        sets = sorted((m.at_min, m.temp_c) for m in self.marks if m.kind == "pit-set" and m.temp_c is not None)
        return sets[-1][1] if sets else self.plan.pit_c

    @property
    def open_stall(self) -> Stall | None:
        return next((stall for stall in self.stalls if stall.kind == "open"), None)


def phase(lane: Lane) -> str:
    """Where an arm stands, in a word or two."""
    if not lane.on:
        return "not on yet"
    if lane.pulled_min is None:
        return f"in {lane.wrapped}" if lane.wrapped else "bare"
    if lane.at("rest-end", "cut") is not None:
        return "cut"
    return "resting"


def stall_words(lane: Lane) -> str:
    """The stall in words: on since when, over since when, or not seen."""
    if lane.open_stall is not None:
        return f"in the stall for {lane.now_min - lane.open_stall.onset_min:.0f} min"
    if lane.stalls:
        last = lane.stalls[-1]
        return f"stall over, {last.length_min:.0f} min long"
    return "no stall yet" if lane.cooking else ""


def fuel_left(lane: Lane) -> float | None:
    """Share of a load that is left by the plan's burning; None for mains, or when nothing was put on."""
    if lane.plan.load_h is None:
        return None
    filled = lane.last("fuel")
    since = lane.now_min - (filled if filled is not None else -40.0)
    return max(0.0, 1 - since / 60 / lane.plan.load_h)


@dataclass(frozen=True)
class Due:
    """Something that comes next, at a minute; what the meat decides is a forecast."""

    what: str
    at_min: float


def due(lane: Lane) -> list[Due]:
    """What comes next for an arm, the soonest first."""
    plan, out = lane.plan, []
    if lane.pulled_min is not None:
        if plan.rest_min and lane.at("rest-end", "cut") is None:
            out.append(Due("rested", lane.pulled_min + plan.rest_min))
    elif lane.on:
        if plan.wrap_rule == "clock" and plan.wrap_at_min is not None and not lane.wrapped:
            out.append(Due("wrap", plan.wrap_at_min))
        if plan.spritz_every_min and not lane.wrapped:
            last = lane.last("spritz")
            out.append(Due("spritz", 180.0 if last is None else last + plan.spritz_every_min))
        if plan.load_h is not None:
            filled = lane.last("fuel")
            out.append(Due("fuel", (filled if filled is not None else -40.0) + 0.7 * plan.load_h * 60))
        if not lane.looks and lane.now_min < 180 and not lane.wrapped:
            out.append(Due("first look", 180.0))
        if plan.done_rule == "time" and plan.done_at_min is not None:
            out.append(Due("pull", plan.done_at_min))
        elif lane.told is not None and lane.told.done_min[1] is not None:
            out.append(Due("done, most likely", lane.told.done_min[1]))
    if lane.serve_min is not None and lane.at("rest-end", "cut") is None:
        out.append(Due("serve", lane.serve_min))
    return sorted(out, key=lambda d: d.at_min)
