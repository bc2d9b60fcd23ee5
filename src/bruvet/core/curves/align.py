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
LEAST_LOST_MIN = 5.0
# A level that lies within a leap is not passed by meat but by the probe.
NEAR_LEAP_MIN, LEAP_SLACK_C = 6.0, 1.0
UNEVEN_SHARE = 0.25


@dataclass(frozen=True)
class Lag:
    """Minutes by which the second curve is behind the first at each °C, shape (levels,); NaN where either never was."""

    level_c: FloatArray
    minutes: FloatArray


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


def passed(cook: Cook, levels_c: FloatArray) -> FloatArray:
    """When a cook first passes each level, shape (levels,); NaN also where a moved probe leaps over it."""
    at = passing(*cooking_curve(cook), levels_c)
    for jump in cook.cooking.jumps:
        leapt = (levels_c >= jump.before_c - LEAP_SLACK_C) & (levels_c <= jump.after_c + LEAP_SLACK_C)
        at[leapt & (np.abs(at - jump.at_min) <= NEAR_LEAP_MIN)] = np.nan
    return at


def lag(first: Cook, second: Cook, levels_c: FloatArray = LEVELS_C) -> Lag:
    """How far the second cook is behind the first at each temperature, both from their own meat on."""
    one, other = (passed(cook, levels_c) for cook in (first, second))
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
            at = passed(cook, np.array([level_c]))[0]
            return float(at) if np.isfinite(at) else None
    raise ValueError(f"there is no way to align called {way}")


@dataclass(frozen=True)
class Stretch:
    """A stretch of temperature and what was lost in it, in minutes."""

    low_c: float
    high_c: float
    minutes: float


def where_lost(found: Lag, least_min: float = LEAST_LOST_MIN) -> tuple[Stretch, ...]:
    """The lag cut where it turns, and each run to where most of it came about; largest first, adding up to the whole.

    A turn is one of more than `least_min` and of a twelfth of the whole range. A run is divided where its share of
    the minutes exceeds its share of the degrees by most, if that is a quarter and more.
    """
    known = np.isfinite(found.minutes)
    level, behind = found.level_c[known], found.minutes[known]
    if len(level) < 2:
        return ()
    least = max(least_min, (behind.max() - behind.min()) / 12)
    edges = [0]
    for start, stop in pairwise(_turns(behind, least)):
        if abs(behind[stop] - behind[start]) >= least:
            edges += [start + place for place in _steepest(behind[start : stop + 1])]
        edges.append(stop)
    cut = [
        Stretch(float(level[a]), float(level[b]), float(behind[b] - behind[a])) for a, b in pairwise(sorted(set(edges)))
    ]
    return tuple(sorted(cut, key=lambda stretch: -abs(stretch.minutes)))


def worth_telling(stretches: Sequence[Stretch]) -> tuple[Stretch, ...]:
    """The largest three, of those that are no trifles beside the largest, by temperature; from `where_lost`'s order."""
    told = [s for s in stretches[:3] if abs(s.minutes) >= max(LEAST_LOST_MIN, abs(stretches[0].minutes) / 8)]
    return tuple(sorted(told, key=lambda stretch: stretch.low_c))


def _steepest(run: FloatArray) -> list[int]:
    """The two places between which a run changes most for its width; none where it changes evenly."""
    beyond = np.concatenate([[0.0], np.cumsum(np.diff(run) / (run[-1] - run[0]) - 1 / (len(run) - 1))])
    gain = beyond - np.minimum.accumulate(beyond)
    stop = int(np.argmax(gain))
    return [int(np.argmin(beyond[: stop + 1])), stop] if gain[stop] > UNEVEN_SHARE else []


def _turns(y: FloatArray, least: float) -> list[int]:
    """Where a series turns by at least so much, with its first and last place."""
    turns, best, way = [0], 0, 0
    for i in range(1, len(y)):
        if way == 0:
            low, high = int(np.argmin(y[: i + 1])), int(np.argmax(y[: i + 1]))
            if y[high] - y[low] >= least:
                way = 1 if high > low else -1
                best = max(low, high)
                if min(low, high) > 0:
                    turns.append(min(low, high))
        elif way * (y[i] - y[best]) > 0:
            best = i
        elif way * (y[best] - y[i]) >= least:
            turns.append(best)
            best, way = i, -way
    return [*turns, *([best] if 0 < best < len(y) - 1 and abs(y[-1] - y[best]) >= 1.0 else []), len(y) - 1]
