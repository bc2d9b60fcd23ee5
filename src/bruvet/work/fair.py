"""A trial's plan held against fairness, and against what its size can show."""

from __future__ import annotations

from dataclasses import dataclass

from bruvet.core.trial.fairness import Fairness, judge
from bruvet.core.trial.power import (
    USUAL_SPREAD,
    least_difference,
    lone_difference,
    pieces_needed,
    spread_in_pairs,
)
from bruvet.core.twin.explain import Explained, explain

from .analysis import TrialFacts, factor_label
from .forecasts import outline_told, planned_case

SIZES = (2, 3, 4, 6, 8, 12)


@dataclass(frozen=True)
class HowMany:
    """What the trial's size can show; minutes.

    Attributes
    ----------
    expected_min : the gap that the twin expects between the first arms; None when it cannot tell.
    lone_min : with one piece an arm, only a difference beyond this stands out.
    table : pieces an arm, the least difference shown in four trials of five, and the same for split pairs.
    needed, pairs_needed : for the expected gap; None beyond what anyone cooks.
    """

    total_min: float
    spread_min: float
    expected_min: float | None
    lone_min: float
    table: tuple[tuple[int, float, float], ...]
    needed: int | None
    pairs_needed: int | None


def between_first_arms(facts: TrialFacts) -> Explained | None:
    """The planned difference between the first two arms, split by the twin."""
    firsts = [arm.pieces[0] for arm in facts.trial.arms if arm.pieces][:2]
    cases = [planned_case(piece) for piece in firsts]
    if len(cases) < 2 or cases[0] is None or cases[1] is None:
        return None
    return explain(cases[0], cases[1])


def fairness_of(facts: TrialFacts, told: Explained | None) -> Fairness:
    worth = {part.what: part.minutes for part in told.parts} if told else {}
    return judge(factor_label(facts.trial), facts.others, worth)


def how_many(facts: TrialFacts, told: Explained | None) -> HowMany | None:
    """What the trial can show at its size, from the twin's time and the usual spread between like pieces."""
    firsts = [arm.pieces[0] for arm in facts.trial.arms if arm.pieces]
    outlines = [outline_told(piece) for piece in firsts]
    totals = [one.done_min for one in outlines if one is not None and one.done_min is not None]
    if not totals:
        return None
    total = sum(totals) / len(totals)
    spread = USUAL_SPREAD * total
    pair_spread = spread_in_pairs(spread)
    table = []
    for size in SIZES:
        groups, pairs = least_difference(spread, size), least_difference(pair_spread, size, paired=True)
        assert groups is not None
        assert pairs is not None
        table.append((size, groups, pairs))
    gap = told.modelled_min if told is not None else None
    worth_it = gap is not None and abs(gap) >= 1
    return HowMany(
        total, spread, gap, lone_difference(spread), tuple(table),
        pieces_needed(abs(gap or 0), spread) if worth_it else None,
        pieces_needed(abs(gap or 0), pair_spread, paired=True) if worth_it else None,
    )  # fmt: skip
