"""Simulated days for the watches: ordinary ones, and ones with a fault planted."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from bruvet.core.curves.findings import Mark
from bruvet.core.pitside.lane import Lane, Plan, Series
from bruvet.core.pitside.watches import Alarm, watch
from bruvet.core.schedule.listing import burn_hours
from bruvet.core.thermal.cooker import HABITS
from bruvet.core.units import Units
from bruvet.instruments.bench_cook import Logged, Script, cook

COOKERS = ("pellet", "ceramic", "kettle", "bullet", "drum", "offset", "gravity", "cabinet")
CUTS = (
    ("pork-collar", 2.0, 88.0),
    ("pork-shoulder", 3.2, 98.0),
    ("brisket-flat", 2.6, 57.0),
    ("lamb-shoulder", 2.1, 82.0),
)


@dataclass(frozen=True)
class Day:
    """A lane's whole day: its series, its marks, its plan; `at` gives the lane as it stands at a minute."""

    lane: Lane
    logged: Logged
    script: Script
    inner: tuple[Series, ...]
    pits: tuple[Series, ...]
    marks: tuple[Mark, ...]
    faults: dict[str, float] = field(default_factory=dict)

    def at(self, minute: float) -> Lane:
        def until(series: Series) -> Series:
            n = int(np.searchsorted(series.t_min, minute, side="right"))
            return replace(series, t_min=series.t_min[:n], temp_c=series.temp_c[:n])

        return replace(
            self.lane,
            now_min=minute,
            inner=tuple(until(s) for s in self.inner),
            pits=tuple(until(s) for s in self.pits),
            marks=tuple(m for m in self.marks if m.at_min <= minute),
        )

    def alarms(self, every_min: float = 2.0, until_min: float | None = None) -> Iterator[tuple[float, Alarm]]:
        """Each warning with the minute at which it first came."""
        known: set[str] = set()
        end = until_min if until_min is not None else self.logged.pull_min + 20
        for minute in np.arange(-10.0, end, every_min):
            found = watch(self.at(float(minute)), Units("c", "kg"))
            for alarm in found:
                if alarm.key not in known:
                    yield float(minute), alarm
            known = {alarm.key for alarm in found} | known


@lru_cache(maxsize=400)
def simulated(script: Script) -> Logged:
    return cook(script)


def ordinary(seed: int, step_c: float = 0.1, **changes: object) -> Day:
    """A day on which nothing goes wrong: a look or two, a wrap on some, fuel when it is due, everything marked."""
    rng = np.random.default_rng(seed)
    kind = COOKERS[seed % len(COOKERS)]
    cut, kg, mm = CUTS[(seed // len(COOKERS)) % len(CUTS)]
    pit = float(rng.choice([107.0, 121.0, 135.0]))
    wrap = bool(rng.random() < 0.5)
    looks = tuple((float(m), float(rng.uniform(1, 4))) for m in (180 + rng.integers(0, 30), 260 + rng.integers(0, 30)))
    values: dict[str, object] = {
        "cooker": kind, "cut": cut, "mass_kg": kg * float(rng.normal(1, 0.1)), "thickness_mm": mm, "settings": ((0.0, pit),),
        "wrap_at_c": 70.0 if wrap else None, "wrap_in": "foil" if wrap else "none", "done_c": 93.0, "lid": looks, "seed": seed,
    }  # fmt: skip
    script = Script(**{**values, **changes})  # type: ignore[arg-type]
    logged = simulated(script)
    return day_of(script, logged, step_c, seed)


def day_of(script: Script, logged: Logged, step_c: float, seed: int) -> Day:
    habit = HABITS[script.cooker]
    rng = np.random.default_rng([seed, 5])
    pit = script.settings[0][1]

    def series(place: str, values: np.ndarray, is_pit: bool = False) -> Series:
        known = np.isfinite(values) & (rng.random(len(values)) > 0.02)
        noisy = values[known] + rng.normal(0, 0.1, known.sum())
        return Series(place, logged.t_min[known], np.round(noisy / step_c) * step_c, is_pit)

    load_h = burn_hours(script.cooker, pit, 20.0)
    marks = [Mark(0.0, "meat-on"), Mark(logged.pull_min, "pull"), *(Mark(at, "lid") for at, _ in script.lid)]
    if logged.wrap_min is not None:
        marks.append(Mark(logged.wrap_min, "wrap", script.wrap_in))
    if load_h is not None:
        marks += [Mark(float(at), "fuel") for at in np.arange(-40 + 36 * load_h, logged.pull_min, 36 * load_h)]
    plan = Plan(pit_c=pit, wrap_rule="temperature" if script.wrap_at_c else "never", wrap_in=script.wrap_in,
                wrap_at_c=script.wrap_at_c, done_at_c=script.done_c, rest_min=60.0, load_h=load_h)  # fmt: skip
    lane = Lane("A", script.cooker, 0.0, plan, swing_c=habit.swing_c, swing_min=habit.period_min, drift_c=habit.drift_c,
                lid_drop_c=habit.lid_drop_c, recovery_min=habit.recovery_min)  # fmt: skip
    meat, pit_series = series("middle", logged.meat_c), series("grate", logged.pit_c, True)
    return Day(lane, logged, script, (meat,), (pit_series,), tuple(sorted(marks, key=lambda m: m.at_min)))
