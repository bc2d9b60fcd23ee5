"""Several probes in one piece, read as one: the coldest of them, one that was chosen, or the mean of a part."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from .clean import CleanCurve
from .leap import jumps_of

FloatArray = NDArray[np.float64]
# How far from its own readings a probe may still speak, minutes.
REACH_MIN = 5.0


def chosen(places: Mapping[int, str], read_by: str) -> list[int]:
    """The probes that a piece is read by.

    Parameters
    ----------
    places : mapping
        By probe, where it sits.
    read_by : `""` (the coldest), `mean`, `probe:ID`, or `part:WORDS` (the mean of those whose place begins so).

    Returns
    -------
    list of int
        All of them where the choice names none that is there.
    """
    kind, _, what = read_by.partition(":")
    if kind == "probe":
        found = [probe for probe in places if str(probe) == what]
    elif kind == "part":
        found = [probe for probe, place in places.items() if place.casefold().startswith(what.casefold())]
    else:
        found = list(places)
    return found or list(places)


def as_one(curves: list[CleanCurve], read_by: str) -> CleanCurve:
    """One curve of the probes chosen: their mean for a part or the mean of all, else the coldest at each moment.

    A probe speaks only within five minutes of a reading of its own, so that none is carried over a gap.
    """
    curves = [curve for curve in curves if len(curve.t_min)]
    if not curves:
        return CleanCurve(np.zeros(0), np.zeros(0), ())
    if len(curves) == 1:
        return curves[0]
    grid = np.unique(np.round(np.concatenate([curve.t_min for curve in curves])))
    table = np.array([_on(grid, curve) for curve in curves])
    known = np.isfinite(table).any(axis=0)
    t, table = grid[known], table[:, known]
    y = np.nanmean(table, axis=0) if read_by.startswith(("part", "mean")) else np.nanmin(table, axis=0)
    left = {(j.at_min, j.before_c) for curve in curves for j in curve.jumps}
    jumps = tuple(j for j in jumps_of(t, y) if any(abs(j.at_min - at) < 6.0 for at, _ in left))
    mended = tuple(sorted((one for curve in curves for one in curve.mended), key=lambda one: one.from_min))
    return CleanCurve(t, y, jumps, max(curve.quantum_c for curve in curves), mended)


def _on(grid: FloatArray, curve: CleanCurve) -> FloatArray:
    value = np.interp(grid, curve.t_min, curve.temp_c)
    after = np.searchsorted(curve.t_min, grid)
    left = curve.t_min[np.maximum(after - 1, 0)]
    right = curve.t_min[np.minimum(after, len(curve.t_min) - 1)]
    near = np.minimum(np.abs(grid - left), np.abs(right - grid))
    return np.where(near <= REACH_MIN, value, np.nan)
