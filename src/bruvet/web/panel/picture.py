"""Pictures of a panel, read at a glance in greyscale: scores and steps by attribute, just right, choices counted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from bruvet.core.tasting.scoring import mean_scores
from bruvet.core.trial.terms import ARM_LOOKS
from bruvet.web.taste.picture import Point
from bruvet.work.panel_results import AMOUNTS, Attribute, Results, Tested

WIDTH, LEFT, ROW = 760.0, 130.0, 54.0
# Where the scores end, and where the steps between samples begin and end.
SCORES_END, STEPS_BEGIN, STEPS_END = 480.0, 540.0, 740.0


@dataclass(frozen=True)
class StepMark:
    """A sample less the first: its mean, and its interval where there is one."""

    x: float
    y: float
    low: float | None
    high: float | None
    title: str


@dataclass(frozen=True)
class AttributePicture:
    """Scores of one amount: each panellist a thin line between their scores, means as markers, steps with intervals."""

    title: str
    words: str
    width: float
    height: float
    ticks: tuple[tuple[float, int], ...]
    step_ticks: tuple[tuple[float, str], ...]
    rows: tuple[tuple[float, str], ...]
    people: tuple[tuple[float, float, float, float, str], ...]
    points: tuple[tuple[float, float, str], ...]
    means: tuple[Point, ...]
    steps: tuple[StepMark, ...]


def draw_attributes(found: Results) -> list[AttributePicture]:
    """A picture for the bite and one for the portion; one where only one of them was asked."""
    amounts = dict.fromkeys(a.amount for a in found.attributes if a.scores)
    return [_drawn(found.samples, [a for a in found.attributes if a.scores and a.amount == one]) for one in amounts]


def _drawn(samples: Sequence[str], scored: Sequence[Attribute]) -> AttributePicture:
    """Scores from 1 to 9 on the left, steps on the right, an attribute a row; samples of a row one under another."""
    widest = max([2.0, *(abs(v) for a in scored for s in a.steps for v in (s.low, s.high, s.mean) if v is not None)])
    reach = min(8, int(widest) + 1)

    def x(value: float) -> float:
        return round(LEFT + (value - 1) / 8 * (SCORES_END - LEFT), 1)

    def step_x(value: float) -> float:
        share = (max(-reach, min(reach, value)) + reach) / (2 * reach)
        return round(STEPS_BEGIN + share * (STEPS_END - STEPS_BEGIN), 1)

    rows, people, points, marks, steps, words = [], [], [], [], [], []
    room = 34.0 if len(samples) <= 3 else 14.0 * (len(samples) - 1)
    for number, one in enumerate(scored):
        top = 22 + number * (room + 20)
        rows.append((top, one.name.removesuffix(f", {AMOUNTS.get(one.amount)}")))
        level = {sample: top + 10 + room * i / max(len(samples) - 1, 1) for i, sample in enumerate(samples)}
        mean_of = mean_scores(one.scores)
        for who in dict.fromkeys(who for who, _ in mean_of):
            mine = [(x(mean_of[who, sample]), level[sample]) for sample in samples if (who, sample) in mean_of]
            named = who.split(" ", 1)[1]
            people += [(*a, *b, named) for a, b in pairwise(mine)]
            points += [(*place, named) for place in mine]
        marks += [
            Point(x(mean), level[sample], sample[0], ARM_LOOKS[sample[0]].marker, f"{one.name}, {sample}: {mean:.1f}")
            for sample, mean in one.means.items()
        ]
        for step in one.steps:
            title = f"{one.name}: {step.sample} less {samples[0]} {step.mean:+.1f}"
            low = high = None
            if step.low is not None and step.high is not None:
                low, high = step_x(step.low), step_x(step.high)
                title += f", 95 % from {step.low:+.1f} to {step.high:+.1f}"
            steps.append(StepMark(step_x(step.mean), level[step.sample], low, high, title.replace("-", "−")))
        words.append(f"{one.name}: " + ", ".join(f"{sample} {mean:.1f}" for sample, mean in one.means.items()))
    return AttributePicture(
        AMOUNTS.get(scored[0].amount, ""),
        "; ".join(words),
        WIDTH,
        22 + len(scored) * (room + 20) + 6,
        tuple((x(n), n) for n in range(1, 10)),
        tuple((step_x(n), f"{n:+d}".replace("-", "−") if n else "0") for n in (-reach, 0, reach)),
        tuple(rows),
        tuple(people),
        tuple(points),
        tuple(marks),
        tuple(steps),
    )


@dataclass(frozen=True)
class RightBar:
    """One arm and attribute: widths of too little, right and too much, in per cent of the answers."""

    sample: str
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
        out.append(RightBar(one.sample, one.name, little, right, much, p.total, "; ".join(words)))
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
