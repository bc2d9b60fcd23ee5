"""What the shelf says of a cooker and of a cut, before the next cook is begun.

Each draw's dimension is what pieces differ by. Part of that is the same each time on one cooker (its heat, its grate
against its dial, its damp) or for one cut as this kitchen buys and trims it; the rest is the piece's own. A finished
cook tells something of their sum; many cooks tell the common part.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .case import Case
from .draws import DIMENSIONS, INDEX, standard
from .during import condition

FloatArray = NDArray[np.float64]

# Share of each dimension's variance that belongs to the cooker, or to the cut, and not to the single piece (ours).
OF_COOKER = {"heat": 0.7, "offset_c": 0.6, "damp": 0.7}
OF_CUT = {"thickness": 0.3, "wet": 0.5, "arriving": 0.4, "heft": 0.5}
LESSON_DRAWS = 256


@dataclass(frozen=True)
class Lesson:
    """What one finished cook says of its draws, beyond what was thought before.

    Attributes
    ----------
    cooker, cut : which ones, by any names that tell them apart.
    precision : array, shape (dimensions, dimensions)
    information : array, shape (dimensions,)
        Precision times the draws that fit best.
    """

    cooker: str
    cut: str
    precision: FloatArray
    information: FloatArray


@dataclass(frozen=True)
class Learned:
    """Draws to expect of a cooker and cut: a normal distribution; `cooks` is how many were looked at."""

    mean: FloatArray
    covariance: FloatArray
    cooks: int

    def draws(self, count: int) -> FloatArray:
        """Draws of the next piece, shape (count, dimensions), the first in the middle."""
        return np.asarray(self.mean + standard(count) @ np.linalg.cholesky(self.covariance).T)


def lesson(case: Case, cooker: str) -> Lesson:
    """Learn from one finished cook, its readings in the case.

    Parameters
    ----------
    cooker : str
        Which cooker it was; the case has its kind only.

    Notes
    -----
    The draws that fit the readings are described by a normal distribution; taking off what was thought before leaves
    the cook's own word.
    """
    fitted = condition(case, standard(LESSON_DRAWS))
    size = len(DIMENSIONS)
    if fitted is standard(LESSON_DRAWS):
        return Lesson(cooker, case.cut, np.zeros((size, size)), np.zeros(size))
    inverse = np.linalg.inv(np.cov(fitted[1:].T) + 1e-3 * np.eye(size))
    values, vectors = np.linalg.eigh(inverse - np.eye(size))
    precision = (vectors * np.clip(values, 0.0, 50.0)) @ vectors.T
    return Lesson(cooker, case.cut, precision, (precision + np.eye(size)) @ fitted[1:].mean(axis=0))


def learn(lessons: Sequence[Lesson], cooker: str, cut: str) -> Learned:
    """What to expect of a piece of this cut on this cooker.

    Parameters
    ----------
    lessons : sequence of Lesson
        Of all earlier cooks; one on another cooker still tells of the cut, and the other way about.

    Notes
    -----
    A linear model with random effects of cooker and cut, solved in closed form; the prior is the standard draws'.
    """
    size = len(DIMENSIONS)
    keys = [(which, name) for which in sorted({one.cooker for one in lessons} | {cooker}) for name in OF_COOKER]
    keys = [("cooker:" + which, name) for which, name in keys]
    keys += [("cut:" + which, name) for which in sorted({one.cut for one in lessons} | {cut}) for name in OF_CUT]
    at = {key: number for number, key in enumerate(keys)}
    common = {**OF_COOKER, **OF_CUT}
    own = np.diag([1.0 - common.get(name, 0.0) for name in DIMENSIONS])
    precision = np.diag([1.0 / common[name] for _, name in keys])
    information = np.zeros(len(keys))
    for one in lessons:
        picks = _picks(at, one.cooker, one.cut, size, len(keys))
        # The piece's own part is integrated out.
        narrowed = np.linalg.inv(np.eye(size) + one.precision @ own)
        precision = precision + picks.T @ narrowed @ one.precision @ picks
        information = information + picks.T @ narrowed @ one.information
    covariance = np.linalg.inv(precision)
    picks = _picks(at, cooker, cut, size, len(keys))
    mean = picks @ covariance @ information
    spread = picks @ covariance @ picks.T + own
    return Learned(mean, (spread + spread.T) / 2, sum(one.cooker == cooker or one.cut == cut for one in lessons))


def _picks(at: dict[tuple[str, str], int], cooker: str, cut: str, size: int, count: int) -> FloatArray:
    """Which common parts stand behind which dimensions of one cook, shape (dimensions, common parts)."""
    picks = np.zeros((size, count))
    for name in OF_COOKER:
        picks[INDEX[name], at[("cooker:" + cooker, name)]] = 1.0
    for name in OF_CUT:
        picks[INDEX[name], at[("cut:" + cut, name)]] = 1.0
    return picks
