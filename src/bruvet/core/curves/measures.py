"""What a cook's curves and marks come to in figures: each known, or unknown with the reason."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from enum import Enum
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from bruvet.core.units import Units

from .clean import CleanCurve, TakenBack, clean, merged
from .findings import first_mark
from .stall import Mark, StallReport, StallRule, by_hand, stalls_of

FloatArray = NDArray[np.float64]
EMPTY = np.zeros(0)

DEFAULT_THRESHOLDS_C = (60.0, (165 - 32) / 1.8, (195 - 32) / 1.8, 95.0)
PIT_BAND_C = 15 / 1.8


@dataclass(frozen=True)
class Figure:
    """A number, or None with the reason why it cannot be known."""

    value: float | None
    reason: str = ""

    @property
    def known(self) -> bool:
        return self.value is not None


def unknown(reason: str) -> Figure:
    return Figure(None, reason)


class Wood(Enum):
    """What burns for smoke: wood as the fuel, pieces of it that were put on or meant to be, or not told."""

    NOT_NOTED = "not noted"
    PIECES = "pieces"
    FUEL = "fuel"


@dataclass(frozen=True)
class Cook:
    """One piece as it was cooked. Minutes count from its meat-on; arrays are shape (n,) and (m,).

    `zero_known` is False when no meat-on was marked, so that zero is the first reading. `bark_set_min` is when the
    bark was first seen set, `fuel_kg` what was weighed onto the fire, `prices` those of a kilogram of meat and of fuel.
    """

    name: str
    letter: str
    t_min: FloatArray = field(default_factory=lambda: EMPTY)
    temp_c: FloatArray = field(default_factory=lambda: EMPTY)
    pit_t_min: FloatArray = field(default_factory=lambda: EMPTY)
    pit_c: FloatArray = field(default_factory=lambda: EMPTY)
    marks: tuple[Mark, ...] = ()
    zero_known: bool = True
    pit_target_c: float | None = None
    trimmed_kg: float | None = None
    raw_kg: float | None = None
    cooked_kg: float | None = None
    looks: tuple[float, ...] = ()
    wood: Wood = Wood.NOT_NOTED
    bark_set_min: float | None = None
    fuel_kg: float | None = None
    prices: tuple[float | None, float | None] = (None, None)
    taken_back: tuple[TakenBack, ...] = ()
    stall_rule: StallRule | None = None
    stall_by_hand: tuple[float, float] | None = None
    cleaned: CleanCurve | None = None

    @cached_property
    def curve(self) -> CleanCurve:
        """The internal readings made fit for judging: those that were cleaned before they came here, or else now."""
        return clean(self.t_min, self.temp_c, taken_back=self.taken_back) if self.cleaned is None else self.cleaned

    @cached_property
    def cooking(self) -> CleanCurve:
        """The cleaned curve from meat on to the pull."""
        pulled = first_mark(self.marks, "pull")
        return self.curve.between(0.0, np.inf if pulled is None else pulled)


@dataclass(frozen=True)
class Measures:
    """The figures of one cook. Times in minutes from meat-on, temperatures in °C."""

    time_to: dict[float, Figure]
    stalls: StallReport
    stall_onset: Figure
    stall_end: Figure
    stall_length: Figure
    stall_temp: Figure
    pit_mean: Figure
    pit_spread: Figure
    pit_in_band: Figure
    highest: Figure
    wrap_at: Figure
    wrapped: Figure
    total: Figure
    per_kg: Figure
    rest: Figure
    cooked_yield: Figure


def time_to(curve: CleanCurve, temp_c: float) -> Figure:
    """Minute at which a cleaned curve first reaches a temperature and stays for the next readings.

    Straight line between the readings on either side; a gap of more than 30 min around the crossing is a
    reason not to know.
    """
    t, y = curve.t_min, curve.temp_c
    if not len(t):
        return unknown("no internal readings")
    above = y >= temp_c
    lasting = above & (np.append(above[1:], above[-1:]) | (np.arange(len(y)) == len(y) - 1))
    hits = np.flatnonzero(lasting)
    if not len(hits):
        return unknown("not reached in the readings")
    i = int(hits[0])
    if i == 0:
        return unknown("already above it at the first reading")
    if t[i] - t[i - 1] > 30.0:
        return unknown("no readings when it was passed")
    if any(t[i - 1] < jump.at_min <= t[i] for jump in curve.jumps):
        return unknown("the probe was moved as it was passed")
    share = (temp_c - y[i - 1]) / (y[i] - y[i - 1]) if y[i] != y[i - 1] else 1.0
    return Figure(float(t[i - 1] + np.clip(share, 0, 1) * (t[i] - t[i - 1])))


def measure(cook: Cook, thresholds_c: Sequence[float] = DEFAULT_THRESHOLDS_C, units: Units | None = None) -> Measures:
    """All figures of one cook.

    Parameters
    ----------
    cook : Cook
    thresholds_c : sequence of float
        Internal temperatures whose time is wanted, °C.
    units : Units, optional
        Units that the stall's reasons are worded in.
    """
    pulled = first_mark(cook.marks, "pull")
    last_min = pulled if pulled is not None else np.inf
    curve, whole = cook.cooking, cook.curve.between(0.0, np.inf)
    report = stalls_of(cook.curve, cook.pit_t_min, cook.pit_c, cook.marks, cook.stall_rule, units)
    if cook.stall_by_hand is not None:
        report = replace(report, stalls=(by_hand(cook.curve, *cook.stall_by_hand),))
    longest = max(report.stalls, key=lambda s: s.length_min, default=None)
    nothing = "no internal readings" if not len(curve.t_min) else "no stall found"
    total = Figure(pulled) if pulled is not None else unknown("no pull was marked")
    if not cook.zero_known:
        total = unknown("no meat-on was marked")
    wrap_at, wrapped = _wrapping(cook, pulled)
    pit = _pit_figures(cook, min(last_min, float(cook.t_min[-1]) if len(cook.t_min) else np.inf))
    return Measures(
        time_to={temp: time_to(curve, temp) for temp in thresholds_c},
        stalls=report,
        stall_onset=Figure(longest.onset_min) if longest else unknown(nothing),
        stall_end=_stall_end(longest.kind, longest.end_min) if longest else unknown(nothing),
        stall_length=Figure(longest.length_min) if longest else unknown(nothing),
        stall_temp=Figure(longest.temp_c) if longest else unknown(nothing),
        pit_mean=pit[0],
        pit_spread=pit[1],
        pit_in_band=pit[2],
        highest=Figure(float(whole.temp_c.max())) if len(whole.temp_c) else unknown("no internal readings"),
        wrap_at=wrap_at,
        wrapped=wrapped,
        total=total,
        per_kg=_per_kg(total, cook),
        rest=_rest(cook),
        cooked_yield=_yield(cook),
    )


def _stall_end(kind: str, end_min: float) -> Figure:
    return unknown("still going at the last reading") if kind == "open" else Figure(end_min)


def _wrapping(cook: Cook, pulled: float | None) -> tuple[Figure, Figure]:
    wraps = sorted((m for m in cook.marks if m.kind in ("wrap", "unwrap")), key=lambda m: m.at_min)
    real = [m for m in wraps if m.kind == "wrap" and m.detail != "none"]
    if not real:
        return unknown("never wrapped"), Figure(0.0)
    first = Figure(real[0].at_min)
    if pulled is None and wraps[-1].kind == "wrap" and wraps[-1].detail != "none":
        return first, unknown("no pull was marked")
    return first, Figure(wrapped_minutes(cook.marks, np.inf if pulled is None else pulled))


def wrapped_minutes(marks: Sequence[Mark], until_min: float) -> float:
    """Minutes spent in a wrap up to a moment; a second wrap over the first changes nothing."""
    total, since = 0.0, None
    for mark in sorted((m for m in marks if m.kind in ("wrap", "unwrap")), key=lambda m: m.at_min):
        if mark.kind == "wrap" and mark.detail != "none":
            since = mark.at_min if since is None else since
        elif since is not None:
            total, since = total + mark.at_min - since, None
    return total if since is None else total + max(until_min - since, 0.0)


def _pit_figures(cook: Cook, last_min: float) -> tuple[Figure, Figure, Figure]:
    inside = (cook.pit_t_min >= 0) & (cook.pit_t_min <= last_min) & np.isfinite(cook.pit_c)
    t, y = merged(cook.pit_t_min[inside], cook.pit_c[inside])
    if len(t) < 2:
        nothing = unknown("no pit readings")
        return nothing, nothing, nothing
    # A reading stands for the time around it, at most ten minutes, so that uneven sampling does not weigh.
    weight = np.minimum(np.gradient(t), 10.0)
    mean = float(np.average(y, weights=weight))
    spread = float(np.sqrt(np.average((y - mean) ** 2, weights=weight)))
    targets = [(m.at_min, m.temp_c) for m in cook.marks if m.kind == "pit-set" and m.temp_c is not None]
    if cook.pit_target_c is None and not targets:
        return Figure(mean), Figure(spread), unknown("the arm has no pit target")
    target = np.full(len(t), np.nan if cook.pit_target_c is None else cook.pit_target_c)
    for at, temp in sorted(targets):
        target[t >= at] = temp
    aimed = np.isfinite(target)
    if not aimed.any():
        return Figure(mean), Figure(spread), unknown("the arm has no pit target")
    within = np.abs(y[aimed] - target[aimed]) <= PIT_BAND_C + 1e-9
    return Figure(mean), Figure(spread), Figure(float(np.average(within, weights=weight[aimed])))


def _per_kg(total: Figure, cook: Cook) -> Figure:
    mass = cook.trimmed_kg or cook.raw_kg
    if not total.known:
        return total
    if not mass:
        return unknown("no weight was entered")
    assert total.value is not None
    return Figure(total.value / mass)


def _rest(cook: Cook) -> Figure:
    start = first_mark(cook.marks, "rest-start")
    start = first_mark(cook.marks, "pull") if start is None else start
    end = first_mark(cook.marks, "rest-end")
    if start is None:
        return unknown("no start of the rest was marked")
    if end is None:
        return unknown("no end of the rest was marked")
    return Figure(end - start) if end >= start else unknown("the rest ends before it starts")


def _yield(cook: Cook) -> Figure:
    if not cook.cooked_kg:
        return unknown("no cooked weight was entered")
    mass = cook.trimmed_kg or cook.raw_kg
    return Figure(cook.cooked_kg / mass) if mass else unknown("no weight was entered")
