"""What a case does to its piece, minute by minute."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bruvet.core.thermal.air import pressure_pa
from bruvet.core.thermal.cooker import follow_settings, lid_dip
from bruvet.core.thermal.engine import Change, Course

from .case import Case

LOOK_MIN = 2.0
BIG_STEP_C = 12.0


def course_of(case: Case, horizon_min: float) -> Course:
    """The course of a case; its pit is taken as given, step by step, with the dips that open lids make."""
    minutes = int(np.ceil(horizon_min)) + 1
    at = np.arange(minutes, dtype=float)
    which = np.maximum(np.searchsorted([start for start, _ in case.pit_c], at, side="right") - 1, 0)
    pit = np.array([temp for _, temp in case.pit_c])[which]
    if case.lid_min:
        pit = pit - lid_dip(case.cooker, minutes, [(minute, LOOK_MIN) for minute in case.lid_min])
    changes = [Change(wrap, at_min=minute) for minute, wrap in case.wraps]
    if case.wrap_at_c is not None:
        changes.append(Change(case.wrap_at_c[1], at_c=case.wrap_at_c[0]))
    # Steps of a few degrees, as of a logged pit, are no reason to shorten the solver's steps.
    big = [
        now
        for (now, temp), (_, earlier) in zip(case.pit_c[1:], case.pit_c[:-1], strict=True)
        if abs(temp - earlier) > BIG_STEP_C
    ]
    return Course(
        pit_c=pit,
        changes=tuple(changes),
        spritz_min=case.spritz_min,
        breaks_min=(*case.lid_min, *big),
        air_c=case.air_c,
        air_rh=case.air_rh,
        pressure_pa=pressure_pa(case.altitude_m),
    )


def pit_set_later(case: Case, at_min: float, set_c: float, horizon_min: float) -> Case:
    """The case with its pit set anew at a minute; the cooker's own lag follows."""
    before = [(minute, temp) for minute, temp in case.pit_c if minute < at_min] or [(0.0, case.pit_c[0][1])]
    now_c = before[-1][1]
    left = max(int(horizon_min - at_min), 2)
    level = follow_settings(case.cooker, [(0.0, now_c), (1.0, set_c)], left)
    after = [(at_min + minute, float(level[minute])) for minute in range(1, min(left, 400), 5)]
    return replace(case, pit_c=(*before, *after, (at_min + min(left, 400), set_c)))
