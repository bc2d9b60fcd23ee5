"""A trial's ledger as it is known now."""

from __future__ import annotations

from collections.abc import Mapping

from bruvet.core.trial.ledger import Ledger, keep_ledger

from .analysis import TrialFacts, question_of
from .arm_facts import facts_of_arm


def kept_ledger(facts: TrialFacts, minutes: Mapping[str, Mapping[str, float]] | None = None) -> Ledger:
    """Everything that could differ between the arms, as planned or, where it was cooked, as it was."""
    arms = [facts_of_arm(facts, arm) for arm in facts.trial.arms]
    return keep_ledger(question_of(facts.trial), arms, facts.units, facts.trial.tolerances, minutes)
