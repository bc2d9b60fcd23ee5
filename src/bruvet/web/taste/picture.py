"""The picture that compares arms: a row an attribute, each arm's mean as its marker, each taster as a tick."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from bruvet.core.tasting.panel import AttributeSummary, TasterSays
from bruvet.core.trial.terms import ARM_LOOKS, Attribute

WIDTH, LEFT, RIGHT, ROW, TOP = 640.0, 110.0, 20.0, 46.0, 26.0


@dataclass(frozen=True)
class Point:
    x: float
    y: float
    letter: str
    marker: str
    title: str


@dataclass(frozen=True)
class Picture:
    width: float
    height: float
    rows: tuple[tuple[float, str], ...]
    ticks: tuple[tuple[float, str], ...]
    means: tuple[Point, ...]
    singles: tuple[tuple[float, float, str], ...]


def compare(letters: Sequence[str], summaries: Sequence[AttributeSummary], tasters: Sequence[TasterSays]) -> Picture:
    """Lay out the picture; the arms of one attribute stand one under the other."""

    def x(score: float) -> float:
        return round(LEFT + (score - 1) / 8 * (WIDTH - LEFT - RIGHT), 1)

    step = 26.0 / max(len(letters) - 1, 1)
    rows, means, singles = [], [], []
    for number, summary in enumerate(summaries):
        top = TOP + number * ROW
        label = Attribute(summary.attribute).label
        rows.append((top, label))
        for place, letter in enumerate(letters):
            y = top + 8 + place * step
            mean = summary.means.get(letter)
            seen: Counter[int] = Counter()
            for taster in tasters:
                score = taster.scores.get((letter, summary.attribute))
                if score is not None:
                    # Like scores stand side by side, so that they can be counted.
                    singles.append((x(score) + 3.5 * seen[round(score)], y, f"{taster.name}: {letter} {score:g}"))
                    seen[round(score)] += 1
            if mean is not None:
                title = f"{label}, arm {letter}: mean {mean:.1f} of {summary.counts[letter]}"
                means.append(Point(x(mean), y, letter, ARM_LOOKS[letter].marker, title))
    height = TOP + len(summaries) * ROW + 6
    return Picture(
        WIDTH, height, tuple(rows), tuple((x(s), str(s)) for s in range(1, 10)), tuple(means), tuple(singles)
    )
