"""A simulated piece on a simulated cooker, as its thermometer would have logged it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from bruvet.core.thermal.cooker import HABITS, pit_trace
from bruvet.core.thermal.engine import Change, Course
from bruvet.core.thermal.engine import cook as simulate
from bruvet.core.twin.case import Case, Rest
from bruvet.core.twin.draws import DIMENSIONS, grid_of, pieces_of
from bruvet.core.twin.resting import rested

from .weather import taken_from_pit, weather

FloatArray = NDArray[np.float64]
NOISE_C = 0.12
LONGEST_MIN = 1500
# How much of what differs from piece to piece the stand-in's pieces show.
QUIRK = 0.5


@dataclass(frozen=True)
class Script:
    """What is done to one piece. Minutes from meat on; `done_c` is when it is pulled."""

    cooker: str
    cut: str
    mass_kg: float
    thickness_mm: float
    settings: tuple[tuple[float, float], ...]
    start_c: float = 4.0
    wrap_at_c: float | None = None
    wrap_in: str = "none"
    done_c: float = 94.0
    rest_min: float = 60.0
    lid: tuple[tuple[float, float], ...] = ()
    spritz: tuple[float, ...] = ()
    dying_from: float | None = None
    mended: float | None = None
    seed: int = 1
    weather_seed: int | None = None
    warm_up_min: float = 20.0


@dataclass(frozen=True)
class Logged:
    """What the thermometer saw, a reading a minute, and when things were done (minutes from meat on)."""

    t_min: FloatArray
    meat_c: FloatArray
    pit_c: FloatArray
    wrap_min: float | None
    pull_min: float
    rest_end_min: float
    lid: tuple[tuple[float, float], ...] = field(default=())


def quirks(seed: int) -> FloatArray:
    """One piece's own draws, shape (1, dimensions): it differs from the middle as pieces do, by half as much."""
    return QUIRK * np.clip(np.random.default_rng(seed).standard_normal((1, len(DIMENSIONS))), -2, 2)


def cook(script: Script) -> Logged:
    """Run a script to its pull and through its rest."""
    case = Case(script.cut, script.mass_kg, script.cooker, script.thickness_mm, script.start_c)
    outside = None
    if script.weather_seed is not None:
        outside = taken_from_pit(weather(script.weather_seed, LONGEST_MIN // 60 + 2), LONGEST_MIN)
    pit = pit_trace(
        script.cooker,
        script.settings,
        LONGEST_MIN,
        script.seed,
        script.lid,
        script.dying_from,
        script.mended,
        weather_c=outside,
    )
    changes = () if script.wrap_at_c is None else (Change(script.wrap_in, at_c=script.wrap_at_c),)
    opened = tuple(at for at, _ in script.lid)
    pieces = pieces_of(case, quirks(script.seed + 7))
    course = Course(pit, changes, script.spritz, opened)
    run = simulate(grid_of(case), pieces, course, LONGEST_MIN - 1.0, script.done_c, longest_step_min=1.0)
    minutes = np.arange(0.0, run.t_min[-1])
    meat = np.interp(minutes, run.t_min, run.probe_c[:, 0])
    pull = len(minutes)
    wrap_min = None
    if script.wrap_at_c is not None and (meat >= script.wrap_at_c).any():
        wrap_min = float(np.argmax(meat >= script.wrap_at_c))
    assert run.at_done is not None
    rest_t, rest_c = rested(case, Rest("box", script.rest_min), pieces, run.at_done)
    resting = np.interp(np.arange(script.rest_min), rest_t, rest_c[:, 0])
    rng = np.random.default_rng(script.seed + 77)
    before = int(script.warm_up_min)
    t = np.arange(-before, pull + len(resting), dtype=float)
    meat = np.concatenate([np.full(before, np.nan), meat, resting])
    warm_pit = script.settings[0][1] + rng.normal(0, max(3.0, HABITS[script.cooker].noise_c), before)
    pit_c = np.concatenate([warm_pit, pit[:pull], np.full(len(resting), np.nan)])
    meat = meat + rng.normal(0, NOISE_C, len(meat))
    return Logged(t, meat, pit_c, wrap_min, float(pull), pull + script.rest_min, script.lid)
