"""Several cook days of one question, added up to one answer: days as blocks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.stats import t


@dataclass(frozen=True)
class Cooked:
    """One arm's figure of one day, in any unit."""

    day: str
    arm: str
    value: float


@dataclass(frozen=True)
class Contrast:
    """An arm less the first arm, over all days: estimate and 95 % interval, None where there is nothing to judge it by.

    Attributes
    ----------
    days : on how many days both were cooked, or could be compared through others.
    by_day : what each day alone says.
    """

    arm: str
    estimate: float
    low: float | None
    high: float | None
    p: float | None
    days: int
    by_day: tuple[tuple[str, float], ...]


def over_days(cooked: Sequence[Cooked], level: float = 0.95) -> tuple[Contrast, ...]:
    """What each arm differs from the first by, days as blocks.

    Parameters
    ----------
    cooked : sequence of Cooked
        At most one figure an arm and day (means of replicates); days may lack arms. The first arm in order of letters
        is what others are held against.

    Returns
    -------
    tuple of Contrast
        Empty when the first arm was never cooked on one day with another.

    Notes
    -----
    Additive model of day and arm by least squares; with every arm on every day it is the randomized block analysis
    (NIST/SEMATECH e-Handbook 5.3.3.2), and with two arms the paired t test.
    """
    days, arms = sorted({c.day for c in cooked}), sorted({c.arm for c in cooked})
    if len(arms) < 2:
        return ()
    design = np.zeros((len(cooked), len(days) + len(arms) - 1))
    y = np.array([c.value for c in cooked])
    for number, one in enumerate(cooked):
        design[number, days.index(one.day)] = 1.0
        if one.arm != arms[0]:
            design[number, len(days) + arms.index(one.arm) - 1] = 1.0
    found, _, rank, _ = np.linalg.lstsq(design, y, rcond=None)
    if rank < design.shape[1]:
        return ()
    freedom = len(y) - rank
    inverse = np.linalg.inv(design.T @ design)
    residual = float(((y - design @ found) ** 2).sum())
    out = []
    for number, arm in enumerate(arms[1:]):
        at = len(days) + number
        estimate = float(found[at])
        low = high = p = None
        if freedom > 0:
            error = float(np.sqrt(max(residual / freedom * inverse[at, at], 1e-300)))
            half = float(t.ppf((1 + level) / 2, freedom)) * error
            low, high, p = estimate - half, estimate + half, float(2 * t.sf(abs(estimate) / error, freedom))
        firsts = {c.day: c.value for c in cooked if c.arm == arms[0]}
        by_day = tuple((c.day, c.value - firsts[c.day]) for c in cooked if c.arm == arm and c.day in firsts)
        out.append(Contrast(arm, estimate, low, high, p, len(by_day), by_day))
    return tuple(out)
