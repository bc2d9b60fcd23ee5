"""Telling a stall from everything else that looks flat.

A stall is meat that has stopped rising although the pit still offers it heat. So a flat stretch is judged
by its rate against a fixed bound *and* against what the pit's excess over the meat would have driven at the
pace of the same piece earlier; and what the pit, the probe and the lid did is looked at before it is
believed. The rules and their bounds are in docs/method.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from bruvet.core.units import Units

from .clean import CleanCurve, clean
from .findings import Mark, NotStall, Stall, StallReport, StallRule, first_mark
from .flat import Flat, flat_stretches, whole_rate
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
    return stalls_of(clean(t_min, temp_c), pit_t_min, pit_c, marks, rule, units)


def stalls_of(
    curve: CleanCurve,
    pit_t_min: FloatArray | None = None,
    pit_c: FloatArray | None = None,
    marks: Sequence[Mark] = (),
    rule: StallRule | None = None,
    units: Units | None = None,
) -> StallReport:
    """As `find_stalls`, of a curve that has been cleaned."""
    rule = rule or StallRule()
    curve = _until_pulled(curve, marks)
    if len(curve.t_min) < 8 or curve.t_min[-1] - curve.t_min[0] < rule.shortest_min:
        return StallReport()
    grid = np.arange(curve.t_min[0], curve.t_min[-1] + 0.5, 1.0)
    level = np.interp(grid, curve.t_min, curve.temp_c)
    pit = pit_on(grid, pit_t_min, pit_c)
    scene = Scene(curve, grid, level, pit, marks, rule, units or Units("c", "kg"))
    stalls: list[Stall] = []
    others: list[NotStall] = [moved(scene, jump) for jump in curve.jumps]
    for flat in flat_stretches(curve, grid, level, pit, rule):
        weak = fire_failing(scene, flat.onset, flat.end)
        found = not_a_stall(scene, flat, weak, stalls)
        if found is not None:
            others.append(found)
        else:
            before = len(stalls)
            split_at_fire(scene, flat.onset, flat.end, flat.is_open, weak, stalls, others)
            stalls[before:] = [_measured(curve, flat, stall) for stall in stalls[before:]]
    return StallReport(
        tuple(sorted(stalls, key=lambda s: s.onset_min)), tuple(sorted(others, key=lambda s: s.onset_min))
    )


def _measured(curve: CleanCurve, flat: Flat, stall: Stall) -> Stall:
    """A stall with its depth, and how sure its edges are where they are the flat stretch's own."""
    rate = whole_rate(curve, stall.onset_min, stall.end_min)
    expected = flat.expected_c_per_h
    return replace(
        stall,
        onset_band=flat.onset_band if stall.onset_min == flat.onset else None,
        end_band=flat.end_band if stall.end_min == flat.end else None,
        rate_c_per_h=rate,
        depth=None if expected is None or expected <= 0 else float(np.clip(1 - rate / expected, 0.0, 1.0)),
    )


def by_hand(curve: CleanCurve, onset_min: float, end_min: float) -> Stall:
    """A stall whose two times a person told; its temperature and rate are the curve's.

    Raises
    ------
    ValueError
        When the times are the wrong way round or hold fewer than three readings.
    """
    inside = (curve.t_min >= onset_min) & (curve.t_min <= end_min)
    if end_min <= onset_min:
        raise ValueError("a stall ends after it begins")
    if inside.sum() < 3:
        raise ValueError("there are no readings between those two times")
    temp = float(np.median(curve.temp_c[inside]))
    rate = whole_rate(curve, onset_min, end_min)
    return Stall(onset_min, end_min, temp, "by-hand", "Marked by hand.", rate_c_per_h=rate)


def _until_pulled(curve: CleanCurve, marks: Sequence[Mark]) -> CleanCurve:
    end, start = first_mark(marks, "pull", "rest-start"), first_mark(marks, "meat-on")
    return curve.between(-np.inf if start is None else start, np.inf if end is None else end)


__all__ = ["Mark", "NotStall", "Stall", "StallReport", "StallRule", "by_hand", "find_stalls", "stalls_of"]
