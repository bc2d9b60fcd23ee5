"""How the pit of each kind of cooker follows its set point, as a trace a minute. Every number here is invented."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .piece import Surroundings

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Habit:
    """Invented habits of a kind of pit: swing and its period, drift, noise, recovery after the lid, its air."""

    swing_c: float
    period_min: float
    drift_c: float
    noise_c: float
    recovery_min: float
    lid_drop_c: float
    air: Surroundings


HABITS = {
    "pellet": Habit(4.0, 11.0, 1.0, 0.8, 7.0, 30.0, Surroundings(14.0, 0.7, 11000.0)),
    "ceramic": Habit(1.0, 90.0, 2.0, 0.4, 9.0, 25.0, Surroundings(8.0, 1.0, 14500.0)),
    "kettle": Habit(5.0, 75.0, 9.0, 1.2, 9.0, 40.0, Surroundings(9.0, 0.9, 13000.0)),
    "bullet": Habit(4.0, 80.0, 7.0, 1.0, 10.0, 35.0, Surroundings(9.0, 0.9, 14500.0)),
    "drum": Habit(4.0, 60.0, 6.0, 1.2, 8.0, 38.0, Surroundings(10.0, 0.9, 13000.0)),
    "offset": Habit(10.0, 58.0, 4.0, 2.0, 9.0, 30.0, Surroundings(14.0, 0.8, 11500.0)),
    "gravity": Habit(3.0, 14.0, 1.0, 0.8, 7.0, 30.0, Surroundings(13.0, 0.8, 11500.0)),
    "direct": Habit(12.0, 35.0, 8.0, 3.0, 4.0, 20.0, Surroundings(9.0, 1.3, 11000.0)),
    "cabinet": Habit(6.0, 24.0, 0.5, 0.5, 12.0, 30.0, Surroundings(9.0, 0.8, 16500.0)),
}


def pit_trace(
    kind: str,
    settings: Sequence[tuple[float, float]],
    minutes: int,
    seed: int,
    lid_min: Sequence[tuple[float, float]] = (),
    dying_from_min: float | None = None,
    mended_min: float | None = None,
) -> FloatArray:
    """Pit temperature for each minute, °C, shape (minutes,).

    Parameters
    ----------
    settings : sequence of (minute, °C)
        Set points, each from its minute on.
    lid_min : sequence of (minute, minutes open)
    dying_from_min, mended_min : float, optional
        When the fire begins to fail, and when fuel is put on.
    """
    habit = HABITS[kind]
    rng = np.random.default_rng(seed)
    t = np.arange(minutes, dtype=float)
    level = np.empty(minutes)
    set_c = np.full(minutes, settings[0][1])
    for at, value in settings[1:]:
        set_c[int(at) :] = value
    current = set_c[0]
    for i in range(minutes):
        current += (set_c[i] - current) / 12.0
        level[i] = current
    phase = rng.uniform(0, 2 * np.pi)
    # A walk that is pulled back, so the drift wanders and stays bounded.
    steps = rng.normal(0, habit.drift_c * np.sqrt(2 / 90.0), minutes)
    drift = np.empty(minutes)
    value = rng.normal(0, habit.drift_c / 2)
    for i in range(minutes):
        value += steps[i] - value / 90.0
        drift[i] = value
    pit = level + habit.swing_c * np.sin(2 * np.pi * t / habit.period_min + phase) + drift
    pit += rng.normal(0, habit.noise_c, minutes)
    for at, open_for in lid_min:
        since = t - at
        dip = np.where(since < 0, 0.0, np.where(since < open_for, since / max(open_for, 1.0), 1.0))
        dip *= np.where(since > open_for, np.exp(-np.maximum(since - open_for, 0) / habit.recovery_min), 1.0)
        pit -= habit.lid_drop_c * dip
    if dying_from_min is not None:
        until = mended_min if mended_min is not None else float(minutes)
        fading = np.clip((t - dying_from_min) / 90.0, 0, 1) * (t < until)
        back = np.where(t >= until, np.exp(-np.maximum(t - until, 0) / 12.0), 0.0)
        share = np.where(t < until, fading, np.clip((until - dying_from_min) / 90.0, 0, 1) * back)
        embers = 45.0 + 0.4 * drift + 0.4 * rng.normal(0, habit.noise_c, minutes)
        pit = pit * (1 - share) + embers * share
    return pit
