"""A simulated piece on a simulated cooker, as its thermometer would have logged it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from bruvet.core.thermal.cooker import HABITS, pit_trace
from bruvet.core.thermal.piece import Shape, conduct, simulate

FloatArray = NDArray[np.float64]
NOISE_C = 0.12


@dataclass(frozen=True)
class Script:
    """What is done to one piece. Minutes from meat on; `done_c` is when it is pulled."""

    cooker: str
    half_m: float
    settings: tuple[tuple[float, float], ...]
    exponent: float = 1.0
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


def cook(script: Script) -> Logged:
    """Run a script to its pull and through its rest."""
    habit = HABITS[script.cooker]
    shape = Shape(script.half_m, script.exponent)
    longest = 1300
    pit = pit_trace(script.cooker, script.settings, longest, script.seed, script.lid, script.dying_from, script.mended)
    bare = simulate(shape, script.start_c, pit, habit.air, (), script.spritz)
    wrap_min = None
    run = bare
    if script.wrap_at_c is not None:
        hits = np.flatnonzero(bare.core_c >= script.wrap_at_c)
        if len(hits):
            wrap_min = float(hits[0])
            run = simulate(shape, script.start_c, pit, habit.air, [(wrap_min, script.wrap_in)], script.spritz)
    done = np.flatnonzero(run.core_c >= script.done_c)
    pull = int(done[0]) if len(done) else longest - 1
    rested = _rest(run.profile_c[pull], shape, script.rest_min)
    rng = np.random.default_rng(script.seed + 77)
    before = int(script.warm_up_min)
    warm_t = np.arange(-before, 0, dtype=float)
    warm_pit = script.settings[0][1] + rng.normal(0, 3, before)
    t = np.concatenate([warm_t, np.arange(pull + len(rested), dtype=float)])
    meat = np.concatenate([np.full(before, np.nan), run.core_c[:pull], rested])
    pit_c = np.concatenate([warm_pit, pit[:pull], np.full(len(rested), np.nan)])
    meat = meat + rng.normal(0, NOISE_C, len(meat))
    return Logged(t, meat, pit_c, wrap_min, float(pull), pull + script.rest_min, script.lid)


def _rest(profile_c: FloatArray, shape: Shape, minutes: float) -> FloatArray:
    """The middle of a piece in an insulated box at about 60 °C, a value a minute."""
    out = []
    for _ in range(int(minutes)):
        out.append(profile_c[0])
        profile_c = conduct(profile_c, shape, 3.0, 60.0, 60.0)
    return np.array(out)
