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
class Unevenly:
    """Ranks of panellists who got only some of the samples: the test's statistic and p, and each sample's mean rank.

    `means` are on the scale of a whole ranking, 1 the best, so that a place among three counts like one among five.
    """

    panellists: int
    statistic: float
    p: float
    means: tuple[float, ...]


def ranked_some(scores: FloatArray) -> Unevenly:
    """Whether samples differ where not everybody got all of them.

    Parameters
    ----------
    scores : array, shape (panellists, samples)
        Higher is better; NaN for a sample that somebody did not get.

    Raises
    ------
    ValueError
        Where nobody compared two samples, or two groups of samples were never compared with one another.

    Notes
    -----
    Skillings and Mack, Technometrics 23 (1981) 171: ranks less each panellist's mean, weighted by √(12 / (k + 1)) and
    summed by sample, against their covariance; chi-square with one degree less than samples. Friedman's test where all
    got all and none tied. Like scores get their mean rank.
    """
    _, samples = scores.shape
    sums, covariance = np.zeros(samples), np.zeros((samples, samples))
    shares: list[list[float]] = [[] for _ in range(samples)]
    counted = 0
    for row in scores:
        got = np.flatnonzero(np.isfinite(row))
        k = len(got)
        if k < 2:
            continue
        counted += 1
        ranks = stats.rankdata(-row[got])
        sums[got] += np.sqrt(12 / (k + 1)) * (ranks - (k + 1) / 2)
        covariance[np.ix_(got, got)] -= 1
        covariance[got, got] += k
        for sample, rank in zip(got, ranks, strict=True):
            shares[sample].append(1 + (samples - 1) * (rank - 1) / (k - 1))
    if not counted or np.linalg.matrix_rank(covariance) < samples - 1:
        raise ValueError("the samples were not all compared with one another")
    statistic = float(sums @ np.linalg.pinv(covariance) @ sums)
    means = tuple(float(np.mean(one)) for one in shares)
    return Unevenly(counted, statistic, float(stats.chi2.sf(statistic, samples - 1)), means)


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
