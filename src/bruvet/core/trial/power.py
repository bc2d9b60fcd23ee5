"""How many pieces, how many tasters: what a trial of a size can show, before it is cooked."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq
from scipy.stats import binom, nct, t

# Spread between like pieces cooked alike, as a share of the time (common practice, no source).
USUAL_SPREAD = 0.08
# Halves of one piece share this much of it (ours).
PAIR_CORRELATION = 0.7
MOST_PIECES = 400
MOST_TASTERS = 2000


def power_of_groups(difference: float, spread: float, pieces: int, level: float = 0.05) -> float:
    """Chance that a two-sided t test of two groups shows a difference.

    Parameters
    ----------
    difference, spread : float
        True difference of the means and standard deviation between like pieces, in the same unit.
    pieces : int
        In each of the two arms; at least two.

    Returns
    -------
    float
        By the non-central t distribution (Cohen, Statistical Power Analysis, 1988).

    Raises
    ------
    ValueError
        For fewer than two pieces an arm, or no spread.
    """
    if pieces < 2 or spread <= 0:
        raise ValueError("at least two pieces an arm, and some spread, are needed")
    return _t_power(abs(difference) / spread * math.sqrt(pieces / 2), 2 * pieces - 2, level)


def power_of_pairs(difference: float, spread: float, pairs: int, level: float = 0.05) -> float:
    """Chance that a two-sided paired t test shows a difference; `spread` is of the differences within pairs.

    Raises
    ------
    ValueError
        For fewer than two pairs, or no spread.
    """
    if pairs < 2 or spread <= 0:
        raise ValueError("at least two pairs, and some spread, are needed")
    return _t_power(abs(difference) / spread * math.sqrt(pairs), pairs - 1, level)


def _t_power(shift: float, freedom: int, level: float) -> float:
    bound = float(t.ppf(1 - level / 2, freedom))
    above, below = float(nct.sf(bound, freedom, shift)), float(nct.cdf(-bound, freedom, shift))
    # Far out SciPy's series gives up; there the answer is nearly sure.
    above = above if math.isfinite(above) else float(shift > bound)
    return above + (below if math.isfinite(below) else 0.0)


def spread_in_pairs(spread: float, correlation: float = PAIR_CORRELATION) -> float:
    """Standard deviation of the difference of two halves that share a part of their piece."""
    return spread * math.sqrt(2 * (1 - correlation))


def pieces_needed(difference: float, spread: float, power: float = 0.8, paired: bool = False) -> int | None:
    """Least number of pieces an arm (or of pairs) that show a difference with this chance; None beyond 400."""
    chance = power_of_pairs if paired else power_of_groups
    for count in range(2, MOST_PIECES + 1):
        if chance(difference, spread, count) >= power:
            return count
    return None


def least_difference(spread: float, pieces: int, power: float = 0.8, paired: bool = False) -> float | None:
    """The difference that a trial of this size shows with this chance, in the unit of `spread`.

    One piece an arm has no spread of its own: None, and `lone_difference` says what would stand out.
    """
    if pieces < 2:
        return None
    chance = power_of_pairs if paired else power_of_groups
    return float(brentq(lambda d: chance(d, spread, pieces) - power, 1e-9 * spread, 60 * spread))


def curve(difference: float, spread: float, most: int, paired: bool = False) -> tuple[tuple[int, float], ...]:
    """Chance to show a difference by number of pieces an arm (or of pairs), from two on."""
    chance = power_of_pairs if paired else power_of_groups
    return tuple((count, chance(difference, spread, count)) for count in range(2, most + 1))


def pooled_spread(groups: Sequence[Sequence[float]]) -> tuple[float, int]:
    """Spread within groups of like cooks, as a share of the time, and its degrees of freedom.

    Parameters
    ----------
    groups : sequences of times of cooks that should have been alike, in any one unit.

    Notes
    -----
    Standard deviation of the natural logarithm, pooled within groups; for the spreads met here it is the coefficient of
    variation to within a hundredth of itself.
    """
    logs = [np.log(np.asarray(group, float)) for group in groups if len(group) > 1]
    freedom = sum(len(group) - 1 for group in logs)
    if not freedom:
        return USUAL_SPREAD, 0
    return float(np.sqrt(sum(((group - group.mean()) ** 2).sum() for group in logs) / freedom)), freedom


def lone_difference(spread: float) -> float:
    """With one piece an arm: the difference that like pieces exceed one time in twenty, from the known spread."""
    return 1.959964 * math.sqrt(2) * spread


@dataclass(frozen=True)
class PanelPower:
    """Least number of agreeing (or correct) answers, and the chance to get it when the panel really can tell."""

    tasters: int
    least: int
    power: float


def panel_power(tasters: int, guess: float, truth: float, level: float = 0.05, two_sided: bool = False) -> PanelPower:
    """What a panel of a size can show.

    Parameters
    ----------
    guess : chance of an answer by guessing: 1/3 for triangle, 1/2 for duo-trio and paired tests.
    truth : chance of it when there is as much of a difference as one cares for.

    Notes
    -----
    Exact binomial, as the tables of ISO 4120, ISO 10399 and ISO 5495 are made.
    """
    tail = level / 2 if two_sided else level
    least = int(binom.isf(tail, tasters, guess)) + 1
    while least > 0 and binom.sf(least - 2, tasters, guess) <= tail:
        least -= 1
    return PanelPower(tasters, least, float(binom.sf(least - 1, tasters, truth)))


def tasters_needed(
    guess: float, truth: float, power: float = 0.8, level: float = 0.05, two_sided: bool = False
) -> int | None:
    """Least number of tasters from which on the chance stays at or over `power`; None beyond 2,000.

    The chance goes up in a saw-tooth; a number is only taken when no larger one within a dozen falls below again.
    """
    counts = np.arange(3, MOST_TASTERS + 1)
    for count in counts:
        if all(panel_power(int(n), guess, truth, level, two_sided).power >= power for n in range(count, count + 12)):
            return int(count)
        if panel_power(int(count), guess, truth, level, two_sided).power < 0.02 and count > 400:
            return None
    return None
