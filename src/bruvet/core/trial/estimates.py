"""What one arm differs from another by, as sure as pieces, pairs or days make it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy import stats

from .blocks import Cooked, over_days

Way = Literal["days", "pairs", "pieces", "shared", "one"]


@dataclass(frozen=True)
class Sample:
    """One piece's figure, with the day it was cooked and the pair it is half of (empty for none)."""

    arm: str
    value: float
    day: str = ""
    pair: str = ""


@dataclass(frozen=True)
class Estimate:
    """An arm less the first: the estimate, its 95 % interval and p where there is anything to judge them by.

    Attributes
    ----------
    way : `days` (each day a block), `pairs` (paired t), `pieces` (Welch's t), `shared` (the pieces of an arm have one
        value between them, as a time that was marked once for the arm) or `one` (nothing but the difference).
    count : days, pairs, or pieces of both arms that it rests on.
    """

    arm: str
    gap: float
    way: Way
    count: int
    low: float | None = None
    high: float | None = None
    p: float | None = None

    @property
    def clear(self) -> bool:
        """Whether the interval leaves zero out."""
        return self.low is not None and self.high is not None and (self.low > 0 or self.high < 0)


def estimates(samples: Sequence[Sample], level: float = 0.95) -> tuple[Estimate, ...]:
    """Every arm less the first, by the strongest way that the samples allow.

    Parameters
    ----------
    samples : sequence of Sample
        In any unit; arms are taken in order of their letters.

    Notes
    -----
    Two days and more: days as blocks (`blocks.over_days`) on each day's means. Else halves of one piece, two pairs and
    more: the paired t interval. Else two pieces and more in each arm: Welch's interval. Else the difference alone.
    """
    arms = sorted({one.arm for one in samples})
    if len(arms) < 2:
        return ()
    by_day = _day_means(samples)
    blocks = {c.arm: c for c in over_days(by_day, level)} if len({c.day for c in by_day}) > 1 else {}
    out = []
    for arm in arms[1:]:
        if arm in blocks and blocks[arm].days > 1:
            c = blocks[arm]
            out.append(Estimate(arm, c.estimate, "days", c.days, c.low, c.high, c.p))
            continue
        out.append(_two([s for s in samples if s.arm == arms[0]], [s for s in samples if s.arm == arm], arm, level))
    return tuple(out)


def _day_means(samples: Sequence[Sample]) -> list[Cooked]:
    keys = sorted({(s.day, s.arm) for s in samples})
    return [
        Cooked(day, arm, float(np.mean([s.value for s in samples if (s.day, s.arm) == (day, arm)])))
        for day, arm in keys
    ]


def _two(first: Sequence[Sample], other: Sequence[Sample], arm: str, level: float) -> Estimate:
    halves = {s.pair: s.value for s in first if s.pair}
    steps = [s.value - halves[s.pair] for s in other if s.pair in halves]
    if len(steps) > 1:
        return _interval(arm, np.array(steps), level)
    one, two = (np.array([s.value for s in side]) for side in (first, other))
    gap = float(two.mean() - one.mean())
    if len(one) < 2 or len(two) < 2:
        return Estimate(arm, gap, "one", len(one) + len(two))
    if np.ptp(one) == 0 and np.ptp(two) == 0:
        return Estimate(arm, gap, "shared", len(one) + len(two))
    found = stats.ttest_ind(two, one, equal_var=False)
    span = found.confidence_interval(level)
    return Estimate(arm, gap, "pieces", len(one) + len(two), float(span.low), float(span.high), float(found.pvalue))


def _interval(arm: str, steps: np.ndarray, level: float) -> Estimate:
    gap, error = float(steps.mean()), float(steps.std(ddof=1) / np.sqrt(len(steps)))
    if error == 0:
        return Estimate(arm, gap, "pairs", len(steps), gap, gap, None)
    half = float(stats.t.ppf((1 + level) / 2, len(steps) - 1)) * error
    p = float(2 * stats.t.sf(abs(gap) / error, len(steps) - 1))
    return Estimate(arm, gap, "pairs", len(steps), gap - half, gap + half, p)


RESTS_ON = {"days": "cook days, each compared within itself", "pairs": "split pieces", "pieces": "pieces"}


def said(found: Estimate, other: str, first: str, words: Callable[[float], str], usual: float | None = None) -> str:
    """An estimate in a sentence that a cook understands.

    Parameters
    ----------
    other, first : the arms' names.
    words : a size of the figure's difference in words, without a sign.
    usual : how far two like pieces commonly differ, in the figure's unit, where that is known.
    """
    way = "more" if found.gap > 0 else "less"
    begins = f"{other}: {words(abs(found.gap))} {way} than {first}"
    if found.way == "shared":
        return f"{begins}, but the pieces of an arm have one value between them: how much is chance cannot be told."
    if found.way == "one" or found.low is None or found.high is None:
        if usual is None:
            return f"{begins}, from one piece each: how much of it is chance cannot be told."
        beside = "well beyond" if abs(found.gap) > 2 * usual else "beyond" if abs(found.gap) > usual else "no more than"
        return (
            f"{begins}, {beside} the {words(usual)} by which two like pieces commonly differ; one piece each proves "
            "nothing."
        )
    rests = f"{found.count} {RESTS_ON[found.way]}"
    if found.clear:
        low, high = sorted((abs(found.low), abs(found.high)))
        return f"{begins}, and by {rests} between {words(low)} and {words(high)} {way}: more than chance explains."
    if found.low == found.high:
        return f"{begins} in every one of {rests}."
    return (
        f"{begins}, but by {rests} anything from {words(abs(found.low))} {'less' if found.low < 0 else 'more'} to "
        f"{words(abs(found.high))} {'more' if found.high > 0 else 'less'} would fit: it may be chance."
    )
