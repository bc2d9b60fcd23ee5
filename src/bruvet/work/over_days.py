"""Several cook days of one question, added up."""

from __future__ import annotations

from collections.abc import Sequence

from bruvet.core.trial.blocks import Contrast, Cooked, over_days

from .analysis import TrialFacts


def over_all_days(days: Sequence[TrialFacts]) -> tuple[Contrast, ...]:
    """What each arm's time from meat on to pull differs from the first arm's by, minutes, days as blocks."""
    cooked = [
        Cooked(f"{facts.trial.cook_date} {facts.trial.id}", arm.letter, total)
        for facts in days
        for arm in facts.trial.arms
        if (total := facts.result(arm).mean("total")) is not None
    ]
    return over_days(cooked)
