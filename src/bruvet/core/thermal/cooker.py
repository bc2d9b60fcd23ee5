"""How each kind of cooker behaves: its air, its pit's habits, its fuel.

Every number in the table is invented within what the trade says of such cookers (common practice, no source), and is a
starting point that learning corrects. They describe kinds, never a make.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]

BURN_AT_C = 121.0
BURN_FROM_C = 20.0


@dataclass(frozen=True)
class Habit:
    """One kind of cooker.

    Attributes
    ----------
    h, radiant : convection at the piece, W/m²K, and share of full radiation from walls at pit temperature.
    damp_pa : vapour pressure that its own combustion adds.
    airflow_kg_h : dry air through it, which carries the meat's moisture away.
    place_c : spread of the grate around the pit's reading, °C, one standard deviation.
    swing_c, period_min, tooth : regular swing; `tooth` 0 a sine, 1 a saw-tooth that jumps up and falls slowly.
    drift_c, noise_c : wander over hours; jitter from minute to minute.
    warm_min, cool_min : lag toward a higher and a lower setting.
    lid_drop_c, recovery_min : what an open lid costs the reading, and how fast it comes home.
    lead_min : from lighting to ready.
    fuel, burn_kg_h, load_kg : what it burns, how much an hour at 121 °C in 20 °C air, and a full load. No weight for
        electricity and gas.
    """

    h: float
    radiant: float
    damp_pa: float
    airflow_kg_h: float
    place_c: float
    swing_c: float
    period_min: float
    tooth: float
    drift_c: float
    noise_c: float
    warm_min: float
    cool_min: float
    lid_drop_c: float
    recovery_min: float
    lead_min: float
    fuel: str
    burn_kg_h: float
    load_kg: float


HABITS = {
    "pellet": Habit(9.4, 0.60, 2200, 70, 3.5, 4.0, 11, 0.2, 1.0, 0.8, 10, 25, 30, 7, 15, "pellets", 0.45, 9.0),
    "ceramic": Habit(7.8, 0.78, 2600, 14, 3.5, 1.0, 90, 0.0, 2.0, 0.4, 25, 110, 25, 9, 60, "lump charcoal", 0.18, 4.0),
    "kettle": Habit(8.4, 0.70, 2200, 30, 5.0, 5.0, 75, 0.2, 9.0, 1.2, 15, 40, 40, 9, 35, "briquettes", 0.30, 2.4),
    "bullet": Habit(8.2, 0.68, 2200, 26, 4.5, 4.0, 80, 0.1, 7.0, 1.0, 18, 45, 35, 10, 40, "briquettes", 0.36, 4.0),
    "drum": Habit(8.4, 0.72, 2200, 28, 4.5, 4.0, 60, 0.1, 6.0, 1.2, 14, 40, 38, 8, 35, "briquettes", 0.40, 5.0),
    "offset": Habit(9.6, 0.62, 2600, 90, 6.0, 9.0, 58, 0.8, 4.0, 2.0, 12, 25, 30, 9, 60, "wood splits", 1.30, 1.6),
    "gravity": Habit(9.2, 0.62, 2300, 60, 3.5, 3.0, 14, 0.1, 1.0, 0.8, 9, 30, 30, 7, 20, "lump charcoal", 0.55, 4.5),
    "direct": Habit(8.6, 0.85, 1800, 60, 8.0, 12.0, 35, 0.6, 8.0, 3.0, 6, 15, 20, 4, 40, "embers", 0.80, 3.0),
    "cabinet": Habit(8.2, 0.64, 600, 8, 3.0, 6.0, 24, 0.3, 0.5, 0.5, 12, 35, 30, 12, 30, "mains or gas", 0.0, 0.0),
}  # fmt: skip


def burnt_kg(kind: str, pit_c: FloatArray, air_c: float) -> FloatArray:
    """Fuel burnt by each minute of a pit's history, kg; shape as given.

    Burning follows the excess of the pit over the outside air; the rate at 121 °C is the kind's.
    """
    habit = HABITS[kind]
    excess = np.maximum(pit_c - air_c, 0.0) / (BURN_AT_C - BURN_FROM_C)
    return np.cumsum(habit.burn_kg_h / 60 * excess)


def follow_settings(kind: str, settings: Sequence[tuple[float, float]], minutes: int) -> FloatArray:
    """Level of the pit for each minute, °C: the settings with the cooker's lag, quick up and slow down.

    Parameters
    ----------
    settings : sequence of (minute, °C)
        Set points, each from its minute on; the first holds from the beginning.
    """
    habit = HABITS[kind]
    marks = [0, *(min(max(round(at), 0), minutes) for at, _ in settings[1:]), minutes]
    level = np.empty(minutes)
    value = settings[0][1]
    for (_, wanted), first, last in zip(settings, marks[:-1], marks[1:], strict=True):
        if last <= first:
            continue
        lag = habit.warm_min if wanted > value else habit.cool_min
        level[first:last] = wanted + (value - wanted) * np.exp(-np.arange(1, last - first + 1) / lag)
        value = float(level[last - 1])
    return level


def lid_dip(kind: str, minutes: int, lid_min: Sequence[tuple[float, float]]) -> FloatArray:
    """How far open lids pull the pit down at each minute, °C, with recovery; shape (minutes,)."""
    habit = HABITS[kind]
    t = np.arange(minutes, dtype=float)
    dip = np.zeros(minutes)
    for at, open_for in lid_min:
        since = t - at
        deep = min(1.0, 0.45 + open_for / 6)
        falling = np.clip(since / max(open_for, 1.0), 0, 1)
        back = np.exp(-np.maximum(since - open_for, 0) / habit.recovery_min)
        dip = np.maximum(dip, habit.lid_drop_c * deep * np.where(since < 0, 0.0, falling * back))
    return dip


def pit_trace(
    kind: str,
    settings: Sequence[tuple[float, float]],
    minutes: int,
    seed: int,
    lid_min: Sequence[tuple[float, float]] = (),
    dying_from_min: float | None = None,
    mended_min: float | None = None,
    wood_min: Sequence[float] = (),
    refuel_min: Sequence[float] = (),
    weather_c: FloatArray | None = None,
) -> FloatArray:
    """Pit temperature for each minute, °C, shape (minutes,).

    Parameters
    ----------
    settings : sequence of (minute, °C)
        Set points, each from its minute on.
    lid_min : sequence of (minute, minutes open)
    dying_from_min, mended_min : float, optional
        When the fire begins to fail, and when fuel is put on.
    wood_min, refuel_min : sequences of float
        Chunks of wood that push the pit up; fuel put on, which dips it and then overshoots.
    weather_c : array, shape (minutes,), optional
        What wind and rain take from the pit, °C.
    """
    habit = HABITS[kind]
    rng = np.random.default_rng(seed)
    t = np.arange(minutes, dtype=float)
    level = follow_settings(kind, settings, minutes)
    turn = (t / habit.period_min + rng.uniform(0, 1)) % 1.0
    rise = 0.18
    tooth = np.where(turn < rise, turn / rise, 1 - (turn - rise) / (1 - rise)) * 2 - 1
    swing = habit.swing_c * ((1 - habit.tooth) * np.sin(2 * np.pi * turn) + habit.tooth * tooth)
    # A walk that is pulled back, so the drift wanders and stays bounded.
    steps = rng.normal(0, habit.drift_c * np.sqrt(2 / 90.0), minutes)
    steps[0] += rng.normal(0, habit.drift_c / 2)
    drift = np.array(list(accumulate(steps.tolist(), lambda level, step: level * (1 - 1 / 90.0) + step)))
    pit = level + swing + drift + rng.normal(0, habit.noise_c, minutes)
    pit = pit - lid_dip(kind, minutes, lid_min)
    for at in wood_min:
        since = np.maximum(t - at, 0.0)
        pit = pit + 7.0 * since / 8.0 * np.exp(1 - since / 8.0)
    for at in refuel_min:
        since = np.maximum(t - at, 0.0)
        pit = pit - 14.0 * since / 6.0 * np.exp(1 - since / 6.0) + 9.0 * since / 30.0 * np.exp(1 - since / 30.0)
    if weather_c is not None:
        pit = pit - weather_c
    if dying_from_min is not None:
        until = mended_min if mended_min is not None else float(minutes)
        fading = np.clip((t - dying_from_min) / 90.0, 0, 1) * (t < until)
        back = np.where(t >= until, np.exp(-np.maximum(t - until, 0) / 12.0), 0.0)
        share = np.where(t < until, fading, np.clip((until - dying_from_min) / 90.0, 0, 1) * back)
        embers = 45.0 + 0.4 * drift + 0.4 * rng.normal(0, habit.noise_c, minutes)
        pit = pit * (1 - share) + embers * share
    return np.asarray(pit)
