"""Ranks of several samples: is any difference shown, between which, and in the order expected."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy import stats

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Ranked:
    """Ranks of n panellists and k samples summed up.

    Attributes
    ----------
    sums : rank sum of each sample.
    p : Friedman's test, ties taken into account.
    least : least difference of two rank sums that is shown (ISO 8587), once Friedman's test shows any.
    pairs : samples whose rank sums differ by so much, as pairs of indices.
    agreement : Kendall's W, 0 (none agrees) to 1 (all rank alike).
    """

    panellists: int
    sums: tuple[float, ...]
    statistic: float
    p: float
    least: float
    pairs: tuple[tuple[int, int], ...]
    agreement: float

    def shown(self, level: float = 0.05) -> bool:
        return self.p <= level


def ranked(ranks: FloatArray, level: float = 0.05) -> Ranked:
    """Friedman's test with the follow-up of ISO 8587.

    Parameters
    ----------
    ranks : array, shape (panellists, samples)
        1 for the first; ties as mid-ranks.

    Raises
    ------
    ValueError
        For fewer than two panellists or samples.

    Notes
    -----
    ISO 8587: two rank sums differ when they are at least z √(n k (k+1) / 6) apart, z the two-sided normal point; only
    where Friedman's test is passed. Kendall's W is Friedman's statistic over n (k - 1).
    """
    n, k = ranks.shape
    if n < 2 or k < 2:
        raise ValueError("ranking takes two panellists and two samples at the least")
    sums = ranks.sum(axis=0)
    # Friedman with ties, for any number of samples: the two-way layout on ranks.
    spread = float(((ranks - (k + 1) / 2) ** 2).sum())
    between = float(((sums - n * (k + 1) / 2) ** 2).sum())
    statistic = 0.0 if spread == 0 else (k - 1) * between / spread
    p = float(stats.chi2.sf(statistic, k - 1))
    least = float(stats.norm.ppf(1 - level / 2) * np.sqrt(n * k * (k + 1) / 6))
    pairs = [(a, b) for a, b in combinations(range(k), 2) if abs(sums[a] - sums[b]) >= least] if p <= level else []
    return Ranked(n, tuple(float(s) for s in sums), statistic, p, least, tuple(pairs), statistic / (n * (k - 1)))


@dataclass(frozen=True)
class Trend:
    """Page's L for an order that was expected beforehand, and its chance when there is none."""

    statistic: float
    p: float


def in_order(ranks: FloatArray, expected: tuple[int, ...]) -> Trend:
    """Page's test: whether samples rank in an expected order.

    Parameters
    ----------
    ranks : array, shape (panellists, samples)
    expected : samples from the one expected first (rank 1) to the one expected last.

    Notes
    -----
    SciPy's `page_trend_test`: exact for small tables, the normal approximation beyond.
    """
    found = stats.page_trend_test(ranks[:, list(expected)], ranked=True)
    return Trend(float(found.statistic), float(found.pvalue))
