"""Laying curves beside one another: by what happened to each, and how far one is behind at each temperature."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from .findings import first_mark
from .measures import Cook
from .stall import StallReport

FloatArray = NDArray[np.float64]
# Temperatures at which lag is told, °C: every half degree from a cold start to past done.
LEVELS_C = np.arange(5.0, 99.0, 0.5)


@dataclass(frozen=True)
class Lag:
    """Minutes by which the second curve is behind the first at each °C, shape (levels,); NaN where either never was."""

    level_c: FloatArray
    minutes: FloatArray

    def lost(self, low_c: float, high_c: float) -> float | None:
        """Minutes that the second lost (or, negative, won) between two temperatures; None where it cannot be told."""
        ends = [self.minutes[np.argmin(np.abs(self.level_c - level))] for level in (low_c, high_c)]
        return None if not np.isfinite(ends).all() else float(ends[1] - ends[0])


def passing(t_min: FloatArray, temp_c: FloatArray, levels_c: FloatArray) -> FloatArray:
    """Minute at which a curve first passes each level for good measure, shape (levels,); NaN where it never does.

    Parameters
    ----------
    t_min, temp_c : arrays, shape (n,)
        In order of time, without NaN. What the curve fell back from is not undone: its running highest is what passes.
    """
    if len(t_min) < 2:
        return np.full(len(levels_c), np.nan)
    highest = np.maximum.accumulate(temp_c)
    first = np.searchsorted(highest, levels_c, side="left")
    inside = (first > 0) & (first < len(highest))
    i = np.clip(first, 1, len(highest) - 1)
    rise = highest[i] - highest[i - 1]
    share = np.where(rise > 0, (levels_c - highest[i - 1]) / np.where(rise > 0, rise, 1.0), 0.0)
    return np.where(inside, t_min[i - 1] + share * (t_min[i] - t_min[i - 1]), np.nan)


def cooking_curve(cook: Cook) -> tuple[FloatArray, FloatArray]:
    """The cleaned internal curve from meat on to the pull."""
    return cook.cooking.t_min, cook.cooking.temp_c


def lag(first: Cook, second: Cook, levels_c: FloatArray = LEVELS_C) -> Lag:
    """How far the second cook is behind the first at each temperature, both from their own meat on."""
    one, other = (passing(*cooking_curve(cook), levels_c) for cook in (first, second))
    return Lag(levels_c, other - one)


def anchor(cook: Cook, stalls: StallReport, way: str, level_c: float | None = None) -> float | None:
    """The minute of a cook that is laid on zero; None when that did not happen to it.

    Parameters
    ----------
    way : `meat-on`, `wrap`, `stall` (onset of the first), `pull`, or `temp` with `level_c`.

    Raises
    ------
    ValueError
        For any other way.
    """
    match way:
        case "meat-on":
            return 0.0
        case "wrap" | "pull":
            return first_mark(cook.marks, way)
        case "stall":
            return stalls.stalls[0].onset_min if stalls.stalls else None
        case "temp" if level_c is not None:
            at = passing(*cooking_curve(cook), np.array([level_c]))[0]
            return float(at) if np.isfinite(at) else None
    raise ValueError(f"there is no way to align called {way}")


@dataclass(frozen=True)
class Stretch:
    """A stretch of temperature and what was lost in it, in minutes."""

    low_c: float
    high_c: float
    minutes: float


def where_lost(found: Lag, bands_c: Sequence[float] = (10.0, 40.0, 60.0, 71.0, 82.0, 90.0)) -> tuple[Stretch, ...]:
    """The lag cut into stretches, largest first; those that cannot be told are left out."""
    known = np.isfinite(found.minutes)
    if not known.any():
        return ()
    top = float(found.level_c[known][-1])
    edges = [edge for edge in bands_c if edge < top] + [top]
    out = []
    for low, high in pairwise(edges):
        lost = found.lost(low, high)
        if lost is not None and high - low >= 1.0:
            out.append(Stretch(low, high, lost))
    return tuple(sorted(out, key=lambda stretch: -abs(stretch.minutes)))
