"""Curves with a known answer, built segment by segment: what is planted is what must be found."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

import numpy as np

from bruvet.core.curves.stall import Mark, StallReport, find_stalls


@dataclass
class Planted:
    """A curve of meat and pit with its truth: stalls as (onset, end, kind), other flats as (onset, end, why)."""

    t_min: np.ndarray
    meat_c: np.ndarray
    pit_c: np.ndarray
    stalls: list[tuple[float, float, str]] = field(default_factory=list)
    others: list[tuple[float, float, str]] = field(default_factory=list)
    marks: list[Mark] = field(default_factory=list)


def told(curve: Planted) -> StallReport:
    """What is found in a curve, told everything that was planted with it."""
    return find_stalls(curve.t_min, curve.meat_c, curve.t_min, curve.pit_c, curve.marks)


def told_apart(curve: Planted, report: StallReport, why: str) -> bool:
    """Whether the first thing that was planted and is no stall is told for what it is, within a quarter of an hour."""
    onset, end, _ = curve.others[0]
    return any(n.why == why and n.onset_min < end + 15 and n.end_min > onset - 15 for n in report.not_stalls)


@dataclass
class Score:
    """How curves were judged: stalls of half an hour and more planted and found, false ones, minutes off at each edge."""

    planted: int = 0
    found: int = 0
    false: int = 0
    onsets: list[float] = field(default_factory=list)
    ends: list[float] = field(default_factory=list)


def score(answers: Iterable[tuple[Planted, Sequence[tuple[float, float]]]]) -> Score:
    """Told stalls, as (onset, end), held against the planted ones; one is found when more than half of it was told."""
    out = Score()
    for curve, told in answers:
        used = set()
        for onset, end, _ in curve.stalls:
            over = [min(end, high) - max(onset, low) for low, high in told]
            best = int(np.argmax(over)) if over else 0
            is_found = bool(over) and over[best] > 0.5 * (end - onset)
            used |= {best} if is_found else set()
            if end - onset >= 30.0:
                out.planted += 1
                out.found += is_found
                out.onsets += [abs(told[best][0] - onset)] if is_found else []
                out.ends += [abs(told[best][1] - end)] if is_found else []
        out.false += len(told) - len(used)
    return out


def judged(answers: Iterable[tuple[object, Planted, StallReport]]) -> Score:
    """The score of curves and what was found in them, whatever they are sorted by."""
    return score((curve, [(s.onset_min, s.end_min) for s in report.stalls]) for _, curve, report in answers)


def assert_well_judged(seen: Score, curves: int) -> None:
    """Nineteen stalls in twenty, two false ones in a hundred curves, edges within five minutes in the median."""
    assert seen.found >= 0.95 * seen.planted
    assert seen.false < 0.02 * curves
    assert max(np.median(seen.onsets), np.median(seen.ends)) < 5


def plant(
    seed: int,
    *,
    stall: str | None = "natural",
    fault: str | None = None,
    step_min: float = 1.0,
    noise_c: float = 0.2,
    quantum_c: float = 0.0,
    stall_rate: float | None = None,
    pit: float | None = None,
) -> Planted:
    """One curve. `stall`: natural, foil, paper, pit, open or None. `fault`: dead-fire, rain, moved, lid, gap, out, spikes."""
    rng = np.random.default_rng(seed)
    pit_set = pit if pit is not None else rng.uniform(105, 125)
    rise = rng.uniform(9, 18)
    at_c = rng.uniform(63, 76)
    stall_rate = rng.uniform(-0.8, 2.2) if stall_rate is None else stall_rate
    after_rate = rng.uniform(5.5, 9.5)
    lag = rng.uniform(15, 40)
    onset = lag + (at_c - 4.0) / rise * 60
    length = rng.uniform(45, 280) if stall else 0.0
    end = onset + length
    done = end + (94.0 - at_c - stall_rate * length / 60) / after_rate * 60
    last = end if stall == "open" else done
    truth = Planted(np.arange(0, last, step_min), np.zeros(0), np.zeros(0))
    t = truth.t_min
    if stall:
        xs = [0, lag, onset, end, max(done, end + 1)]
        ys = [4.0, 4.0, at_c, at_c + stall_rate * length / 60, 94.0]
    else:
        # The pace eases towards the end, as it does, without ever standing still.
        middle = onset + (80.0 - at_c) / (0.62 * rise) * 60
        xs = [0, lag, onset, middle, middle + 14.0 / (0.45 * rise) * 60]
        ys = [4.0, 4.0, at_c, 80.0, 94.0]
        t = truth.t_min = np.arange(0, xs[-1], step_min)
    meat = np.interp(t, xs, ys)
    swing = rng.uniform(1, 7)
    pit_c = pit_set + swing * np.sin(2 * np.pi * t / rng.uniform(12, 55)) + rng.normal(0, 1.0, len(t))
    if stall:
        kind = {"foil": "wrap-ended", "paper": "wrap-ended", "pit": "pit-ended"}.get(stall, stall)
        truth.stalls.append((onset, end, kind))
        if stall in ("foil", "paper"):
            lag_end = rng.uniform(3, 25) if stall == "foil" else rng.uniform(10, 55)
            if length > lag_end + 10:
                truth.marks.append(Mark(end - lag_end, "wrap", stall))
            else:
                truth.stalls[0] = (onset, end, "natural")
        if stall == "pit":
            step = rng.uniform(14, 30)
            lag_end = rng.uniform(3, 18)
            truth.marks.append(Mark(end - lag_end, "pit-set", "", pit_set + step))
            pit_c += step * np.clip((t - (end - lag_end)) / 8.0, 0, 1)
    if fault == "dead-fire":
        meat, pit_c, t = _dead_fire(rng, truth, t, meat, pit_c, onset, end, pit_set)
    if fault == "rain":
        meat, pit_c, t = _rain(rng, truth, t, meat, pit_c, onset)
    if fault == "moved":
        at = rng.uniform(0.35, 0.9) * onset
        drop = rng.uniform(6, 14)
        meat = meat - drop * (t >= at) * np.exp(-np.maximum(t - at, 0) / 400)
        truth.others.append((at, at, "probe-moved"))
    if fault == "lid":
        for at in rng.uniform(60, t[-1] - 60, 3):
            open_for = rng.uniform(4, 12)
            dip = np.where(t < at, 0, np.where(t < at + open_for, 1.0, np.exp(-(t - at - open_for) / 7)))
            pit_c -= rng.uniform(25, 50) * dip
            meat = meat - rng.uniform(0.2, 0.8) * np.exp(-np.maximum(t - at, 0) / 25) * (t >= at)
            truth.marks.append(Mark(at, "lid"))
    meat = meat + rng.normal(0, noise_c, len(t))
    kept = np.ones(len(t), bool)
    if fault == "gap":
        at = rng.uniform(0.2, 0.8) * t[-1]
        kept = (t < at) | (t > at + rng.uniform(15, 40))
    if fault == "out":
        at = rng.uniform(0.2, 0.8) * t[-1]
        out = (t >= at) & (t < at + rng.uniform(3, 15))
        meat = np.where(out, rng.choice([22.0, pit_set - 5]) + rng.normal(0, 1, len(t)), meat)
    if fault == "spikes":
        for at in rng.integers(0, len(t), 12):
            meat[at] += rng.choice([-30, 25, 8])
    if quantum_c:
        meat = np.round(meat / quantum_c) * quantum_c
        pit_c = np.round(pit_c / quantum_c) * quantum_c
    truth.t_min, truth.meat_c, truth.pit_c = t[kept], meat[kept], pit_c[kept]
    return truth


def _rain(rng, truth, t, meat, pit_c, onset):
    """A shower cools the cooker by some 12 to 22 °C for half an hour or so; the meat stands still a little later."""
    start, length = rng.uniform(0.7, 0.95) * onset, rng.uniform(25, 45)
    lag = rng.uniform(8, 15)
    step = t[1] - t[0]
    t2 = np.arange(0, t[-1] + length, step)
    source = np.where(t2 < start + lag, t2, np.maximum(t2 - length, start + lag))
    depth = rng.uniform(12, 22)
    dip = np.interp(t2, [start, start + 6, start + length, start + length + 12], [0, 1, 1, 0])
    truth.others.append((start + lag, start + lag + length, "pit-fell"))
    truth.stalls = [(a + length, b + length, kind) for a, b, kind in truth.stalls]
    truth.marks = [
        Mark(m.at_min + (length if m.at_min > start + lag else 0), m.kind, m.detail, m.temp_c) for m in truth.marks
    ]
    return np.interp(source, t, meat), np.interp(source, t, pit_c) - depth * dip, t2


def _dead_fire(rng, truth, t, meat, pit_c, onset, end, pit_set):
    """The fire dies on the way up, the meat goes flat or sinks, and somebody mends it later."""
    start = rng.uniform(0.55, 0.95) * onset
    fade, dead = rng.uniform(20, 60), rng.uniform(40, 120)
    lag, slope = rng.uniform(15, 30), rng.uniform(-4, 1)
    # A flat piece put into the clock: all that came later comes later still.
    held = fade + dead
    flat_from = start + lag
    step = t[1] - t[0]
    t2 = np.arange(0, t[-1] + held, step)
    source = np.where(t2 < flat_from, t2, np.maximum(t2 - held, flat_from))
    meat2 = np.interp(source, t, meat)
    inside = (t2 >= flat_from) & (t2 <= flat_from + held)
    meat2 = meat2 + np.where(inside, slope * (t2 - flat_from) / 60, 0.0)
    meat2 = meat2 + np.where(t2 > flat_from + held, slope * held / 60 * np.exp(-(t2 - flat_from - held) / 120), 0)
    low = np.interp(flat_from, t, meat) + rng.uniform(-25, 5)
    fall = np.interp(t2, [start, start + fade, start + fade + dead, start + fade + dead + 15], [0, 1, 1, 0])
    pit2 = np.interp(source, t, pit_c) * (1 - fall) + low * fall
    truth.others.append((flat_from, flat_from + held, "pit-fell"))
    truth.stalls = [(a + held, b + held, kind) for a, b, kind in truth.stalls]
    truth.marks = [
        Mark(m.at_min + (held if m.at_min > flat_from else 0), m.kind, m.detail, m.temp_c) for m in truth.marks
    ]
    return meat2, pit2, t2


def smooth(seed: int, stall: bool, width_min: float = 30.0) -> Planted:
    """A curve without corners: the meat follows the pit's excess, and a stall comes and goes over `width_min`.

    Onset and end are the middles of the two changes of pace. Without a stall the pace only eases.
    """
    rng = np.random.default_rng(seed)
    pit_set, pull = rng.uniform(105, 135), rng.uniform(0.16, 0.30) / 60
    at_c, depth, length = rng.uniform(63, 76), rng.uniform(0.0, 0.12), rng.uniform(40, 270)
    lag, later = rng.uniform(15, 45), rng.uniform(0.45, 0.8)
    step, temp, minute, onset = 0.5, 4.0, 0.0, None
    times, temps = [], []
    while temp < 94.0 and minute < 1500.0:
        if stall and onset is None and temp >= at_c:
            onset = minute
        if stall:
            slowed = 0.0 if onset is None else 1 / (1 + np.exp(-(minute - onset) * 4 / width_min))
            freed = 0.0 if onset is None else 1 / (1 + np.exp(-(minute - onset - length) * 4 / width_min))
            pace = 1 - (1 - depth) * slowed + (later - depth) * freed
        else:
            pace = 1.0 if temp < 60.0 else later + (1 - later) * np.exp(-(temp - 60.0) / 8)
        temp += pull * (pit_set - temp) * pace * step / (1 + np.exp(-(minute - lag) / 6))
        times.append(minute)
        temps.append(temp)
        minute += step
    t = np.array(times)
    pit_c = pit_set + rng.uniform(0, 8) * np.sin(2 * np.pi * t / rng.uniform(10, 60)) + rng.normal(0, 1.0, len(t))
    meat = np.array(temps) + rng.normal(0, 0.25, len(t))
    thin, quantum = (1, 2, 4, 10)[seed % 4], (0.0, 5 / 9, 1.0)[seed % 3]
    t, meat, pit_c = t[::thin], meat[::thin], pit_c[::thin]
    if quantum:
        meat = np.round(meat / quantum) * quantum
    return Planted(t, meat, pit_c, [(onset, onset + length, "natural")] if onset is not None else [])
