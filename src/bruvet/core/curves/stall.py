"""Telling a stall from everything else that looks flat.

A stall is meat that has stopped rising although the pit still offers it heat. So a flat stretch is judged
by its rate against a fixed bound *and* against what the pit's excess over the meat would have driven at the
pace of the same piece earlier; and what the pit, the probe and the lid did is looked at before it is
believed. The rules and their bounds are in docs/method.md.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from bruvet.core.units import Units

from .clean import CleanCurve, clean
from .findings import Mark, NotStall, Stall, StallReport, StallRule, first_mark
from .flat import flat_stretches
from .judge import Scene, fire_failing, moved, not_a_stall, split_at_fire
from .pit import pit_on

FloatArray = NDArray[np.float64]


def find_stalls(
    t_min: FloatArray,
    temp_c: FloatArray,
    pit_t_min: FloatArray | None = None,
    pit_c: FloatArray | None = None,
    marks: Sequence[Mark] = (),
    rule: StallRule | None = None,
    units: Units | None = None,
) -> StallReport:
    """Find the stalls of one piece, and the flat stretches that are not stalls.

    Parameters
    ----------
    t_min, temp_c : arrays, shape (n,)
        Internal readings: minutes since any zero, °C; any spacing, any order, NaN allowed.
    pit_t_min, pit_c : arrays, shape (m,), optional
        Pit readings on the same clock. Without them a dead fire cannot be told from a stall, and the
        reason says so.
    marks : sequence of Mark
        What was done to the piece and its cooker.
    rule : StallRule, optional
    units : Units, optional
        Units that the reasons are worded in; °C by default.

    Returns
    -------
    StallReport
    """
    rule = rule or StallRule()
    curve = clean(np.asarray(t_min, float), np.asarray(temp_c, float))
    curve = _until_pulled(curve, marks)
    if len(curve.t_min) < 8 or curve.t_min[-1] - curve.t_min[0] < rule.shortest_min:
        return StallReport()
    grid = np.arange(curve.t_min[0], curve.t_min[-1] + 0.5, 1.0)
    level = np.interp(grid, curve.t_min, curve.temp_c)
    pit = pit_on(grid, pit_t_min, pit_c)
    scene = Scene(curve, grid, level, pit, marks, rule, units or Units("c", "kg"))
    stalls: list[Stall] = []
    others: list[NotStall] = [moved(scene, jump) for jump in curve.jumps]
    for onset, end, is_open in flat_stretches(curve, grid, level, pit, rule):
        weak = fire_failing(scene, onset, end)
        found = not_a_stall(scene, onset, end, weak, stalls)
        if found is not None:
            others.append(found)
        else:
            split_at_fire(scene, onset, end, is_open, weak, stalls, others)
    return StallReport(
        tuple(sorted(stalls, key=lambda s: s.onset_min)), tuple(sorted(others, key=lambda s: s.onset_min))
    )


def _until_pulled(curve: CleanCurve, marks: Sequence[Mark]) -> CleanCurve:
    end, start = first_mark(marks, "pull", "rest-start"), first_mark(marks, "meat-on")
    kept = np.ones(len(curve.t_min), bool)
    if end is not None:
        kept &= curve.t_min <= end
    if start is not None:
        kept &= curve.t_min >= start
    if kept.all():
        return curve
    t = curve.t_min[kept]
    jumps = tuple(j for j in curve.jumps if len(t) and t[0] < j.at_min <= t[-1])
    return CleanCurve(t, curve.temp_c[kept], jumps, curve.quantum_c)


__all__ = ["Mark", "NotStall", "Stall", "StallReport", "StallRule", "find_stalls"]
