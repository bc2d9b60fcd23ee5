"""Carry-over, resting and holding: the same piece in still air, in an insulated box, in a hot holder."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from bruvet.core.thermal.air import pressure_pa
from bruvet.core.thermal.engine import Course, Pieces, State, cook

from .case import Case, Rest
from .draws import grid_of

FloatArray = NDArray[np.float64]

# Convection W/m²K and share of radiation around a resting piece (ours, after handbook values for still air and foam).
STILL_AIR = {"counter": (5.0, 0.9), "box": (5.5, 0.10), "hot-hold": (6.0, 0.8)}
BOX_C, BOX_FALL_C_PER_MIN = 60.0, 0.04


def rested(case: Case, rest: Rest, pieces: Pieces, begin: State) -> tuple[FloatArray, FloatArray]:
    """Minutes since the pull, shape (steps,), and probe temperatures, shape (steps, draws).

    The box is warmed by the piece and cools slowly; its air is taken as 60 °C falling by 2.4 °C an hour (ours).
    """
    minutes = int(np.ceil(max(rest.minutes, 1.0))) + 1
    h, radiant = STILL_AIR[rest.kind]
    air = {
        "counter": np.full(minutes, case.air_c),
        "box": np.maximum(BOX_C - BOX_FALL_C_PER_MIN * np.arange(minutes), case.air_c),
        "hot-hold": np.full(minutes, rest.hold_c),
    }[rest.kind]
    shape = np.ones(len(pieces))
    around = replace(
        pieces, h=h * shape, radiant=radiant * shape, offset_c=0 * shape, damp_pa=0 * shape, airflow_kg_s=shape
    )
    course = Course(air, air_c=case.air_c, air_rh=case.air_rh, pressure_pa=pressure_pa(case.altitude_m))
    run = cook(grid_of(case), around, course, float(minutes - 1), begin=begin)
    return run.t_min, run.probe_c
