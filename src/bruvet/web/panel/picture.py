"""Pictures of a panel, read at a glance in greyscale: scores by attribute, what is just right, choices counted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from bruvet.core.trial.terms import ARM_LOOKS
from bruvet.web.taste.picture import Point
from bruvet.work.panel_results import Results, Tested

WIDTH, LEFT, RIGHT, ROW = 600.0, 130.0, 24.0, 54.0


@dataclass(frozen=True)
class AttributePicture:
    """Each panellist a thin line between their scores of the arms, each arm's mean its marker, the step's interval."""

    width: float
    height: float
    ticks: tuple[tuple[float, int], ...]
    rows: tuple[tuple[float, str], ...]
    people: tuple[tuple[float, float, float, float, str], ...]
    means: tuple[Point, ...]


def draw_attributes(found: Results) -> AttributePicture | None:
    """Scores from 1 to 9 across, an attribute a row; arms of a row one under another."""
    scored = [a for a in found.attributes if a.scores]
    if not scored:
        return None

    def x(value: float) -> float:
        return round(LEFT + (value - 1) / 8 * (WIDTH - LEFT - RIGHT), 1)

    rows, people, means = [], [], []
    for number, one in enumerate(scored):
        top = 22 + number * ROW
        rows.append((top, one.name))
        level = {letter: top + 10 + 30 * i / max(len(found.letters) - 1, 1) for i, letter in enumerate(found.letters)}
        by_person: dict[str, dict[str, list[float]]] = {}
        for s in one.scores:
            by_person.setdefault(s.who, {}).setdefault(s.sample, []).append(s.value)
        for who, said in by_person.items():
            points = [(x(sum(v) / len(v)), level[arm]) for arm, v in sorted(said.items())]
            people += [(*a, *b, who.split(" ", 1)[1]) for a, b in pairwise(points)]
        means += [
            Point(x(mean), level[arm], arm, ARM_LOOKS[arm].marker, f"{one.name}, {arm}: {mean:.1f}")
            for arm, mean in one.means.items()
        ]
    ticks = tuple((x(n), n) for n in range(1, 10))
    return AttributePicture(WIDTH, 22 + len(scored) * ROW + 6, ticks, tuple(rows), tuple(people), tuple(means))


@dataclass(frozen=True)
class RightBar:
    """One arm and attribute: widths of too little, right and too much, in per cent of the answers."""

    letter: str
    name: str
    little: float
    right: float
    much: float
    count: int
    words: str


def draw_right(found: Results) -> tuple[RightBar, ...]:
    out = []
    for one in found.just_right:
        p = one.found
        words = []
        for way, drop, chance in (("little", p.drop_little, p.p_little), ("much", p.drop_much, p.p_much)):
            if drop is not None and drop > 0:
                sure = "" if chance is not None and chance <= 0.05 else ", which may be chance"
                words.append(f"too {way} costs {drop:.1f} points of liking{sure}")
        little, right, much = (100 * n / p.total for n in (p.little, p.right, p.much))
        out.append(RightBar(one.letter, one.name, little, right, much, p.total, "; ".join(words)))
    return tuple(out)


@dataclass(frozen=True)
class Counted:
    """Answers of a test as bars, with a line at the number needed."""

    test: Tested
    bars: tuple[tuple[str, int, float], ...]
    needed_at: float | None
    words: Sequence[str]


def draw_counts(one: Tested) -> Counted:
    told = one.found
    counts = one.counts or {"right": told.right, "wrong": told.answers - told.right}
    most = max(told.answers, told.needed or 0, 1)
    bars = tuple((name, count, round(100 * count / most, 1)) for name, count in counts.items())
    words = [
        f"{told.right} of {told.answers} {'chose the same' if told.two_sided else 'were right'}; "
        + (f"{told.needed} are needed." if told.needed is not None else "no number of so few would be enough."),
        f"Chance alone does as much in {told.p:.1%} of such panels (exact binomial).",
        f"Proportion {told.proportion:.0%} (95 % from {told.low:.0%} to {told.high:.0%}); "
        f"d′ {told.d:.2f} ({told.d_low:.2f} to {told.d_high:.2f}).",
    ]
    return Counted(one, bars, None if told.needed is None else round(100 * told.needed / most, 1), words)
