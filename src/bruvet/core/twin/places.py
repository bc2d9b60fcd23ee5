"""Other places of the same piece: the flat and the point, the thin end, beside the bone."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from bruvet.core.thermal.cuts import CUTS

from .case import Case
from .draws import half_m
from .forecast import GIVE_UP_MIN, Band, band, crossing, last_reading, run_of

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class PlaceTold:
    """When a place passes the done temperature, and what it reads when the probe's own place is done."""

    place: str
    done_min: Band
    then_c: Band


def places_told(case: Case, z: FloatArray) -> tuple[PlaceTold, ...]:
    """What the other places of a piece do, each a body of its own thickness under the same surface.

    Parameters
    ----------
    z : array, shape (draws, dimensions)
        The draws of the forecast, so that thick and thin are of one piece.
    """
    run = run_of(case, z)
    done = np.minimum(np.maximum(crossing(run.t_min, run.probe_c, case.until_c), last_reading(case)), GIVE_UP_MIN)
    out = []
    for place, share in CUTS[case.cut].places:
        thickness = 2000 * half_m(case) * share
        # Its own thickness is as sure as the whole's: measured or by the rule, and drawn alike.
        there = replace(case, thickness_mm=thickness)
        other = run_of(there, z, at_least_min=float(np.median(done)))
        rows = np.clip(np.searchsorted(other.t_min, done), 0, len(other.t_min) - 1)
        then = other.probe_c[rows, np.arange(len(z))]
        out.append(PlaceTold(place, band(crossing(other.t_min, other.probe_c, case.until_c)), band(then)))
    return tuple(out)
