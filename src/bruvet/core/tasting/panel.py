"""Scores and preferences of a panel, summed up without claiming more than its size carries."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from scipy import stats

from .differing import least_right


@dataclass(frozen=True)
class TasterSays:
    """One taster: scores 1 to 9 by (arm letter, attribute), the arm preferred or None, ranks, whether tasting blind."""

    name: str
    scores: Mapping[tuple[str, str], float]
    preferred: str | None = None
    blind: bool = False
    ranks: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class AttributeSummary:
    """Scores of one attribute by arm. `mean_step` is second arm minus first over tasters who scored both."""

    attribute: str
    means: Mapping[str, float | None]
    counts: Mapping[str, int]
    mean_step: float | None
    step_low: float | None
    step_high: float | None


@dataclass(frozen=True)
class Preference:
    """Counts by arm; `p_value` of the two-sided exact binomial test when there are two arms, else None."""

    counts: Mapping[str, int]
    undecided: int
    p_value: float | None
    needed: int | None

    @property
    def decided(self) -> int:
        return sum(self.counts.values())


def preference(letters: Sequence[str], tasters: Sequence[TasterSays], alpha: float = 0.05) -> Preference:
    """Preference counts, with the exact two-sided binomial test for two arms (ISO 5495, no-preference left out)."""
    counts = {letter: sum(t.preferred == letter for t in tasters) for letter in letters}
    decided = sum(counts.values())
    undecided = len(tasters) - decided
    if len(letters) != 2 or not decided:
        return Preference(counts, undecided, None, None)
    p_value = float(stats.binomtest(counts[letters[0]], decided, 0.5).pvalue)
    return Preference(counts, undecided, p_value, least_agreeing(decided, alpha))


def least_agreeing(tasters: int, alpha: float = 0.05) -> int | None:
    """Least number of like answers of `tasters` that shows a preference, two-sided; None when no number does.

    The exact binomial with p = 1/2; equal to the two-sided table of ISO 5495.
    """
    return least_right(tasters, 0.5, alpha, two_sided=True)


def least_panel(alpha: float = 0.05) -> int:
    """Least number of tasters who could show a preference if all of them agreed, two-sided."""
    return next(n for n in range(1, 100) if least_agreeing(n, alpha) is not None)


def summarise(
    letters: Sequence[str], attributes: Sequence[str], tasters: Sequence[TasterSays]
) -> tuple[AttributeSummary, ...]:
    """Means by arm for every attribute that was scored, and for two arms the mean step with its 95 % interval.

    The interval is Student's, on the differences within tasters; None with fewer than three of them.
    """
    out = []
    for attribute in attributes:
        values = {a: [t.scores[a, attribute] for t in tasters if (a, attribute) in t.scores] for a in letters}
        if not any(values.values()):
            continue
        step = low = high = None
        if len(letters) == 2:
            first, second = letters
            steps = np.array(
                [
                    t.scores[second, attribute] - t.scores[first, attribute]
                    for t in tasters
                    if (first, attribute) in t.scores and (second, attribute) in t.scores
                ],
                dtype=float,
            )
            if len(steps):
                step = float(steps.mean())
            if len(steps) >= 3:
                reach = float(stats.t.ppf(0.975, len(steps) - 1) * steps.std(ddof=1) / np.sqrt(len(steps)))
                assert step is not None
                low, high = step - reach, step + reach
        means = {a: float(np.mean(v)) if v else None for a, v in values.items()}
        out.append(AttributeSummary(attribute, means, {a: len(v) for a, v in values.items()}, step, low, high))
    return tuple(out)
