"""Scores: what samples differ by, panellists as the random part; being off what is right; people who differ."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import stats
from statsmodels.regression.mixed_linear_model import MixedLM
from statsmodels.stats.multitest import multipletests


@dataclass(frozen=True)
class Scored:
    """One score: who gave it, to which sample, in which position (from 1), how much."""

    who: str
    sample: str
    position: int
    value: float


@dataclass(frozen=True)
class Step:
    """A sample less the first: the mean within panellists, with 95 % interval and p; None where too few tasted both."""

    sample: str
    count: int
    mean: float
    low: float | None
    high: float | None
    p: float | None


def paired_step(scores: Sequence[Scored], first: str, sample: str) -> Step | None:
    """The paired t interval over panellists who scored both, repeats averaged; None when none did."""
    found = mean_scores(scores)
    one, other = ({who: mean for (who, of), mean in found.items() if of == name} for name in (first, sample))
    both = sorted(set(one) & set(other))
    if not both:
        return None
    steps = np.array([other[who] - one[who] for who in both])
    mean = float(steps.mean())
    if len(steps) < 3:
        return Step(sample, len(steps), mean, None, None, None)
    error = float(steps.std(ddof=1) / np.sqrt(len(steps)))
    if error == 0:
        return Step(sample, len(steps), mean, mean, mean, 0.0 if mean else 1.0)
    half = float(stats.t.ppf(0.975, len(steps) - 1)) * error
    p = float(2 * stats.t.sf(abs(mean) / error, len(steps) - 1))
    return Step(sample, len(steps), mean, mean - half, mean + half, p)


def servings(scores: Sequence[Scored]) -> dict[tuple[str, str], list[float]]:
    """By panellist and sample, the scores of each serving of it, in the order given."""
    found: dict[tuple[str, str], list[float]] = {}
    for one in scores:
        found.setdefault((one.who, one.sample), []).append(one.value)
    return found


def mean_scores(scores: Sequence[Scored]) -> dict[tuple[str, str], float]:
    """By panellist and sample, the mean over its servings."""
    return {key: float(np.mean(values)) for key, values in servings(scores).items()}


@dataclass(frozen=True)
class Mixed:
    """A mixed model of all scores of one attribute.

    Attributes
    ----------
    steps : each sample less the first, with Wald intervals.
    position : what one place later in the order does to a score, with its p; None with too few places.
    person_sd, rest_sd : spread of panellists' levels, and what remains.
    """

    steps: tuple[Step, ...]
    position: float | None
    position_p: float | None
    person_sd: float
    rest_sd: float


def mixed(scores: Sequence[Scored], first: str) -> Mixed | None:
    """Sample and position as fixed parts, panellist as random (statsmodels' MixedLM, REML).

    Returns
    -------
    Mixed or None
        None with fewer than four panellists, or when the fit does not settle.
    """
    who = sorted({s.who for s in scores})
    samples = [first, *sorted({s.sample for s in scores} - {first})]
    if len(who) < 4 or len(samples) < 2 or len(scores) < len(who) + len(samples) + 1:
        return None
    places = np.array([s.position for s in scores], float)
    design = [np.ones(len(scores))] + [np.array([s.sample == one for s in scores], float) for one in samples[1:]]
    with_place = np.ptp(places) > 0
    if with_place:
        design.append(places - places.mean())
    y = np.array([s.value for s in scores])
    if np.ptp(y) == 0:
        return None
    groups = np.array([who.index(s.who) for s in scores])
    with warnings.catch_warnings():
        # A panel whose levels do not differ has its random part at zero, which statsmodels warns of.
        warnings.simplefilter("ignore")
        try:
            fit = MixedLM(y, np.column_stack(design), groups).fit(reml=True)
        except (np.linalg.LinAlgError, ValueError):
            return None
    errors, p = np.asarray(fit.bse_fe), np.asarray(fit.pvalues)
    if not np.isfinite(errors).all():
        return None
    half = float(stats.norm.ppf(0.975))
    steps = [
        Step(sample, len(who), float(e), float(e - half * se), float(e + half * se), float(chance))
        for sample, e, se, chance in zip(samples[1:], fit.fe_params[1:], errors[1:], p[1:], strict=False)
    ]
    place = (float(fit.fe_params[-1]), float(p[len(design) - 1])) if with_place else (None, None)
    person = float(np.sqrt(max(float(np.asarray(fit.cov_re)[0, 0]), 0.0)))
    return Mixed(tuple(steps), place[0], place[1], person, float(np.sqrt(fit.scale)))


def corrected(chances: Sequence[float]) -> list[float]:
    """Chances of several attributes, each raised so that all together err no more often than one (Holm, 1979)."""
    return [] if not chances else [float(p) for p in multipletests(chances, method="holm")[1]]


# ---- just about right --------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Penalty:
    """Just-about-right answers of one sample and attribute, and what being off costs in liking.

    `drop_little` and `drop_much` are the mean liking of those who found it right less that of those who did not; None
    with fewer than three of either. `p` is of Welch's test, where there is one.
    """

    little: int
    right: int
    much: int
    drop_little: float | None
    drop_much: float | None
    p_little: float | None
    p_much: float | None

    @property
    def total(self) -> int:
        return self.little + self.right + self.much


def penalty(answers: Sequence[tuple[int, float | None]]) -> Penalty:
    """Penalty analysis.

    Parameters
    ----------
    answers : (deviation, overall liking or None); deviation below 0 is too little, 0 right, above too much.
    """
    little = [liking for off, liking in answers if off < 0]
    right = [liking for off, liking in answers if off == 0]
    much = [liking for off, liking in answers if off > 0]
    (drop_little, p_little), (drop_much, p_much) = _drop(right, little), _drop(right, much)
    return Penalty(len(little), len(right), len(much), drop_little, drop_much, p_little, p_much)


def _drop(right: Sequence[float | None], off: Sequence[float | None]) -> tuple[float | None, float | None]:
    """How much less those like it who found it off, and the chance of that; None with fewer than three of either."""
    one, other = ([v for v in side if v is not None] for side in (right, off))
    if len(one) < 3 or len(other) < 3:
        return None, None
    with warnings.catch_warnings():
        # Nobody differs within either group: there is no spread to judge by.
        warnings.simplefilter("ignore")
        p = float(stats.ttest_ind(one, other, equal_var=False).pvalue)
    return float(np.mean(one) - np.mean(other)), p if np.isfinite(p) else None


# ---- people ---------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Camps:
    """People who like the one and people who like the other, each by a clear step; `split` when both are many."""

    first: tuple[str, ...]
    other: tuple[str, ...]
    between: tuple[str, ...]
    split: bool


CLEAR_STEP = 2.0
FEWEST_CAMP = 3
FEWEST_REPEATS = 6
USUAL_NOISE, LEAST_NOISE = 1.2, 0.5


def noise_of(scores: Sequence[Scored]) -> float:
    """Standard deviation of one panellist's step when tasting again: by repeats; the usual one (ours) for too few."""
    apart = [values[1] - values[0] for values in servings(scores).values() if len(values) > 1]
    if len(apart) < FEWEST_REPEATS:
        return USUAL_NOISE
    return max(float(np.sqrt(np.mean(np.square(apart)))), LEAST_NOISE)


def camps(steps: dict[str, float], noise: float = USUAL_NOISE) -> Camps:
    """Whether liking splits into camps.

    Parameters
    ----------
    steps : by panellist, liking of the other less that of the first.
    noise : standard deviation of one panellist's step when tasting again.

    Notes
    -----
    Camps are said when at least three, and a quarter of the panel, stand two points or more on each side, and the steps
    spread wider than the noise would make them (chi-square, 1 %): one mind that answers noisily is none.
    """
    first = tuple(sorted(who for who, step in steps.items() if step <= -CLEAR_STEP))
    other = tuple(sorted(who for who, step in steps.items() if step >= CLEAR_STEP))
    between = tuple(sorted(set(steps) - set(first) - set(other)))
    values = np.array(list(steps.values()))
    fewest = max(FEWEST_CAMP, int(np.ceil(len(values) / 4)))
    wide = len(values) > 1 and float(((values - values.mean()) ** 2).sum()) / noise**2 > stats.chi2.ppf(
        0.99, len(values) - 1
    )
    return Camps(first, other, between, bool(wide and min(len(first), len(other)) >= fewest))


def consistency(scores: Sequence[Scored]) -> dict[str, float]:
    """By panellist, the mean difference between two servings of the same sample; only those who got one twice."""
    found: dict[str, list[float]] = {}
    for (who, _), values in servings(scores).items():
        if len(values) > 1:
            found.setdefault(who, []).append(float(np.ptp(values)))
    return {who: float(np.mean(steps)) for who, steps in found.items()}
