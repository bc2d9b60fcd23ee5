"""Is there a difference at all, and how large: paired, triangle and duo-trio tests by the exact binomial."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np
from scipy.integrate import quad
from scipy.interpolate import PchipInterpolator
from scipy.optimize import brentq
from scipy.stats import beta, binom, norm

MOST_D = 8.0


@dataclass(frozen=True)
class Method:
    """How a question is put: its chance of guessing right, and the chance of it at a sensory distance d'."""

    name: str
    guess: float
    right: Callable[[float], float]


def _two(d: float) -> float:
    """Paired comparison, 2-AFC: Φ(d'/√2)."""
    return float(norm.cdf(d / np.sqrt(2)))


def _duo_trio(d: float) -> float:
    """Duo-trio: 1 - Φ(d'/√2) - Φ(d'/√6) + 2 Φ(d'/√2) Φ(d'/√6)."""
    a, b = norm.cdf(d / np.sqrt(2)), norm.cdf(d / np.sqrt(6))
    return float(1 - a - b + 2 * a * b)


def _triangle_exact(d: float) -> float:
    """Triangle: 2 ∫ (Φ(-z√3 + d'√(2/3)) + Φ(-z√3 - d'√(2/3))) φ(z) dz from 0 to ∞."""

    def under(z: float) -> float:
        shift = d * np.sqrt(2 / 3)
        return float((norm.cdf(-z * np.sqrt(3) + shift) + norm.cdf(-z * np.sqrt(3) - shift)) * norm.pdf(z))

    return 2 * float(quad(under, 0, 12)[0])


@cache
def _triangle_curve() -> PchipInterpolator:
    """The integral at every tenth, once: in between it is smooth to a hundred-thousandth."""
    at = np.arange(0.0, MOST_D + 0.05, 0.1)
    return PchipInterpolator(at, [_triangle_exact(float(d)) for d in at])


def _triangle(d: float) -> float:
    return float(_triangle_curve()(d))


PAIRED = Method("paired", 0.5, _two)
DUO_TRIO = Method("duo-trio", 0.5, _duo_trio)
TRIANGLE = Method("triangle", 1 / 3, _triangle)
METHODS = {method.name: method for method in (PAIRED, DUO_TRIO, TRIANGLE)}


@cache
def least_right(answers: int, guess: float, level: float = 0.05, two_sided: bool = False) -> int | None:
    """Least number of right (or like) answers that chance gives no more often than `level`; None when none is enough.

    The exact binomial, as the tables of ISO 5495, ISO 4120 and ISO 10399 are made.
    """
    tail = level / 2 if two_sided else level
    for right in range(answers + 1):
        if binom.sf(right - 1, answers, guess) <= tail and right > answers * guess:
            return right
    return None


@dataclass(frozen=True)
class Told:
    """What so many right answers say.

    Attributes
    ----------
    p : chance of as many by guessing (both ways where `two_sided`).
    needed : least number that would show it; None when even all would not.
    proportion, low, high : of right answers, with the exact (Clopper-Pearson) 95 % interval.
    d, d_low, d_high : sensory distance d'; 0 where no better than guessing.
    """

    method: str
    answers: int
    right: int
    two_sided: bool
    p: float
    needed: int | None
    proportion: float
    low: float
    high: float
    d: float
    d_low: float
    d_high: float

    @property
    def shown(self) -> bool:
        return self.needed is not None and self.right >= self.needed


def told(method: Method, answers: int, right: int, two_sided: bool = False, level: float = 0.05) -> Told:
    """Judge a test.

    Parameters
    ----------
    answers, right : int
        Answers given, and how many were right; for a preference, how many chose the more chosen one, with `two_sided`.

    Raises
    ------
    ValueError
        For no answers, or more right ones than answers.
    """
    if not 0 <= right <= answers or not answers:
        raise ValueError("right answers are from none to all of at least one")
    p = float(binom.sf(right - 1, answers, method.guess))
    p = min(1.0, 2 * p) if two_sided else p
    low = 0.0 if not right else float(beta.ppf(level / 2, right, answers - right + 1))
    high = 1.0 if right == answers else float(beta.ppf(1 - level / 2, right + 1, answers - right))
    share = right / answers
    needed = least_right(answers, method.guess, level, two_sided)
    return Told(
        method.name, answers, right, two_sided, p, needed, share, low, high,
        distance(method, share), distance(method, low), distance(method, high),
    )  # fmt: skip


def distance(method: Method, proportion: float) -> float:
    """d' at which a proportion of right answers is expected; 0 at guessing and below, at most 8."""
    if proportion <= method.guess:
        return 0.0
    if proportion >= method.right(MOST_D):
        return MOST_D
    return float(brentq(lambda d: method.right(d) - proportion, 0.0, MOST_D, xtol=1e-6))
