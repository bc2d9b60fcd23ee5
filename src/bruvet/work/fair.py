"""A trial's plan held against fairness, and against what its size can show."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from bruvet.core.curves.findings import first_mark
from bruvet.core.trial.ledger import Ledger
from bruvet.core.trial.ledger_rows import ROW
from bruvet.core.trial.power import (
    curve,
    least_difference,
    lone_difference,
    pieces_needed,
    spread_in_pairs,
)
from bruvet.core.twin.case import BadCase, Case, checked
from bruvet.core.twin.draws import standard
from bruvet.core.twin.forecast import GIVE_UP_MIN, crossing, run_of
from bruvet.records.models import Piece

from .analysis import TrialFacts
from .forecasts import cooked_case, planned_case
from .kept import digest, kept
from .ledgers import kept_ledger
from .spread import Spread

SIZES = (2, 3, 4, 6, 8, 12)
SWAP_DRAWS = 16


@dataclass(frozen=True)
class HowMany:
    """What the trial's size can show; minutes.

    Attributes
    ----------
    expected_min : the gap that the twin expects between the first arms; None when it cannot tell.
    lone_min : with one piece an arm, only a difference beyond this stands out.
    table : pieces an arm, the least difference shown in four trials of five, and the same for split pairs.
    needed, pairs_needed : for the expected gap; None beyond what anyone cooks.
    curves : chance to show the expected gap (a quarter of an hour where there is none) by pieces an arm, and by pairs.
    """

    total_min: float
    spread: Spread
    expected_min: float | None
    lone_min: float
    table: tuple[tuple[int, float, float], ...]
    needed: int | None
    pairs_needed: int | None
    gap_min: float
    curves: tuple[tuple[tuple[int, float], ...], tuple[tuple[int, float], ...]]

    @property
    def spread_min(self) -> float:
        return self.spread.share * self.total_min


def case_of(facts: TrialFacts, piece: Piece) -> Case | None:
    """What was done to a piece that has been pulled, what is planned of any other."""
    if first_mark(facts.cooks[piece.id].marks, "pull") is not None:
        cooked = cooked_case(facts, piece)
        if cooked is not None:
            return replace(cooked, readings=(), rest=None)
    planned = planned_case(piece)
    if planned is None:
        return None
    spritz = facts.trial.spritz_every_min
    every = tuple(np.arange(180.0 + spritz, 600.0, spritz).tolist()) if spritz else ()
    return replace(
        planned,
        rest=None,
        spritz_min=every,
        water_pan=str(piece.arm.said.get("water pan", "")).casefold().startswith("y"),
    )


def _done_min(case: Case) -> float:
    """Minutes to done in the mean of a few draws, the same ones for every case."""
    run = run_of(case, standard(SWAP_DRAWS))
    return float(np.minimum(crossing(run.t_min, run.probe_c, case.until_c), GIVE_UP_MIN).mean())


def first_cases(facts: TrialFacts) -> dict[str, Case]:
    """By letter, the case of each arm's first piece; arms that the twin cannot tell are left out."""
    found = {arm.letter: case_of(facts, arm.pieces[0]) for arm in facts.trial.arms if arm.pieces}
    return {letter: case for letter, case in found.items() if case is not None}


def minutes_by_row(facts: TrialFacts, cases: dict[str, Case]) -> dict[str, dict[str, float]]:
    """What each differing value is worth: swapped, it alone, from another arm into the first."""
    if len(cases) < 2:
        return {}
    (first, base), *others = cases.items()
    if first != facts.trial.arms[0].letter:
        return {}

    def done(case: Case) -> float:
        return kept(digest("done", case), partial(_done_min, case))

    out: dict[str, dict[str, float]] = {}
    for line in kept_ledger(facts).lines:
        fields = ROW[line.row.name].twin
        if not fields or line.state not in ("differs", "factor"):
            continue
        for letter, other in others:
            changed = {name: getattr(other, name) for name in fields}
            if all(getattr(base, name) == value for name, value in changed.items()):
                continue
            try:
                swapped = checked(replace(base, **changed))
            except BadCase:
                continue
            out.setdefault(line.row.name, {})[letter] = done(swapped) - done(base)
    return out


def ledger_of(facts: TrialFacts) -> Ledger:
    """The ledger with the twin's minutes."""
    return kept_ledger(facts, minutes_by_row(facts, first_cases(facts)))


def how_many(cases: dict[str, Case], spread: Spread) -> HowMany | None:
    """What the trial can show at its size, from the twin's times and the spread between like pieces."""
    if not cases:
        return None
    totals = [_done_min(case) for case in cases.values()]
    total = sum(totals) / len(totals)
    gap = totals[1] - totals[0] if len(totals) > 1 else None
    spread_min = spread.share * total
    pair_spread = spread_in_pairs(spread_min)
    table = []
    for size in SIZES:
        groups, pairs = least_difference(spread_min, size), least_difference(pair_spread, size, paired=True)
        assert groups is not None
        assert pairs is not None
        table.append((size, groups, pairs))
    worth_it = gap is not None and abs(gap) >= 1
    shown = abs(gap) if gap is not None and worth_it else 15.0
    return HowMany(
        total, spread, gap, lone_difference(spread_min), tuple(table),
        pieces_needed(shown, spread_min) if worth_it else None,
        pieces_needed(shown, pair_spread, paired=True) if worth_it else None,
        shown,
        (curve(shown, spread_min, SIZES[-1]), curve(shown, pair_spread, SIZES[-1], paired=True)),
    )  # fmt: skip
