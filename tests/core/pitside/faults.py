"""Faults planted into ordinary days, each with the watch that must fire and how soon."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from bruvet.core.curves.findings import Mark

from .simulated import Day, ordinary


def _inner(day: Day, change: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> Day:
    series = day.inner[0]
    return replace(day, inner=(replace(series, temp_c=change(series.t_min, series.temp_c)), *day.inner[1:]))


def _pit(day: Day, change: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> Day:
    series = day.pits[0]
    return replace(day, pits=(replace(series, temp_c=change(series.t_min, series.temp_c)),))


def fire_dies(seed: int, at: float) -> Day:
    """The fire fails over an hour and a half, as the cooker model has it."""
    kinds = ("pellet", "kettle", "bullet", "drum", "offset", "gravity", "ceramic")
    return ordinary(seed, cooker=kinds[seed % len(kinds)], dying_from=at, mended=at + 150, lid=())


def pit_runs_hot(seed: int, at: float) -> Day:
    return _pit(ordinary(seed, lid=()), lambda t, y: y + 45 * np.clip((t - at) / 10, 0, 1))


def probe_leaps(seed: int, at: float) -> Day:
    return _inner(ordinary(seed, wrap_at_c=None), lambda t, y: y + 14 * (t >= at))


def probe_dies(seed: int, at: float) -> Day:
    """It repeats its last value."""

    def stuck(t: np.ndarray, y: np.ndarray) -> np.ndarray:
        return np.where(t >= at, y[np.searchsorted(t, at)], y)

    return _inner(ordinary(seed), stuck)


def probe_gone(seed: int, at: float) -> Day:
    day = ordinary(seed)
    series = day.inner[0]
    kept = series.t_min < at
    return replace(day, inner=(replace(series, t_min=series.t_min[kept], temp_c=series.temp_c[kept]),))


def probe_in_the_air(seed: int, at: float) -> Day:
    day = ordinary(seed, settings=((0.0, 121.0),))
    pit = day.pits[0]
    return _inner(day, lambda t, y: np.where(t >= at, np.interp(t, pit.t_min, pit.temp_c) - 2, y))


def moved_at_the_wrap(seed: int, at: float) -> Day:
    day = ordinary(seed, wrap_at_c=68.0, wrap_in="foil")
    wrapped = day.logged.wrap_min
    assert wrapped is not None
    found = _inner(day, lambda t, y: y + 9 * (t >= wrapped))
    return replace(found, faults={"at": wrapped})


def two_far_apart(seed: int, at: float) -> Day:
    day = ordinary(seed)
    first = day.inner[0]
    bone = replace(first, place="thick end", temp_c=first.temp_c + np.where(first.t_min >= at, 30.0, 3.0))
    return replace(day, inner=(first, bone))


def station_stops(seed: int, at: float) -> Day:
    day = ordinary(seed)
    cut = tuple(
        tuple(replace(s, t_min=s.t_min[s.t_min < at], temp_c=s.temp_c[s.t_min < at]) for s in rows)
        for rows in (day.inner, day.pits)
    )
    return replace(day, inner=cut[0], pits=cut[1])


def fuel_forgotten(seed: int, at: float) -> Day:
    day = ordinary(seed, cooker="offset", lid=())
    return replace(day, marks=tuple(m for m in day.marks if m.kind != "fuel" or m.at_min < at))


def meat_on_forgotten(seed: int, at: float) -> Day:
    day = ordinary(seed)
    return replace(
        day, marks=tuple(Mark(m.at_min, m.kind) for m in day.marks if m.kind != "meat-on"), faults={"at": 0.0}
    )


def pull_forgotten(seed: int, at: float) -> Day:
    """Taken off, put on a board with its probe in, and not marked; the pit's probe stays where it was."""
    day = ordinary(seed)
    pulled = day.logged.pull_min
    series = day.inner[0]
    t = np.arange(pulled, pulled + 90.0)
    cooling = 25 + (float(series.temp_c[series.t_min < pulled][-1]) - 25) * np.exp(-(t - pulled) / 150)
    before = series.t_min < pulled
    meat = replace(
        series, t_min=np.concatenate([series.t_min[before], t]), temp_c=np.concatenate([series.temp_c[before], cooling])
    )
    pit = day.pits[0]
    ashes = replace(
        pit,
        t_min=np.concatenate([pit.t_min, t]),
        temp_c=np.concatenate([pit.temp_c, np.full(len(t), float(pit.temp_c[-1]))]),
    )
    marks = tuple(m for m in day.marks if m.kind != "pull")
    return replace(day, inner=(meat,), pits=(ashes,), marks=marks, faults={"at": pulled, "until": pulled + 85})


def slow_and_cold(seed: int, at: float) -> Day:
    day = ordinary(
        seed, settings=((0.0, 96.0),), cut="pork-shoulder", mass_kg=4.5, thickness_mm=120.0, cooker="cabinet"
    )
    return replace(day, faults={"at": 210.0})


# Each fault: how it is planted, the watches that answer it, and the minutes within which one must fire.
FAULTS: dict[str, tuple[Callable[[int, float], Day], tuple[str, ...], float]] = {
    "fire dies": (fire_dies, ("fire-dying", "pit-low"), 60.0),
    "pit runs hot": (pit_runs_hot, ("pit-high",), 60.0),
    "probe leaps": (probe_leaps, ("probe-jump",), 12.0),
    "probe dies": (probe_dies, ("probe-flat",), 22.0),
    "probe gone": (probe_gone, ("probe-out",), 10.0),
    "probe in the air": (probe_in_the_air, ("probe-in-air", "probe-jump"), 15.0),
    "moved at the wrap": (moved_at_the_wrap, ("probe-moved",), 20.0),
    "two far apart": (two_far_apart, ("probes-apart",), 15.0),
    "station stops": (station_stops, ("station-silent",), 8.0),
    "fuel forgotten": (fuel_forgotten, ("fuel-due",), 75.0),
    "meat-on forgotten": (meat_on_forgotten, ("no-meat-on",), 90.0),
    "pull forgotten": (pull_forgotten, ("no-pull",), 45.0),
    "slow and cold": (slow_and_cold, ("danger-zone",), 10.0),
}


def planted(name: str, seed: int) -> tuple[Day, float]:
    """A day with a fault, and when it began."""
    make, _, _ = FAULTS[name]
    at = float(np.random.default_rng([seed, 11]).integers(110, 170))
    day = make(seed, at)
    return day, day.faults.get("at", at)
