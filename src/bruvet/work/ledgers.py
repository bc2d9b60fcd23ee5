"""A trial's ledger as it is known now, and the verdict that is written with it."""

from __future__ import annotations

from collections.abc import Mapping

from bruvet.core.tasting.panel import preference, summarise
from bruvet.core.trial.ledger import Ledger, differences, keep_ledger
from bruvet.core.trial.terms import Attribute
from bruvet.core.verdict.compose import Verdict, compose

from .analysis import TrialFacts, factor_label, question_of
from .arm_facts import facts_of_arm


def kept_ledger(facts: TrialFacts, minutes: Mapping[str, Mapping[str, float]] | None = None) -> Ledger:
    """Everything that could differ between the arms, as planned or, where it was cooked, as it was."""
    arms = [facts_of_arm(facts, arm) for arm in facts.trial.arms]
    return keep_ledger(question_of(facts.trial), arms, facts.units, facts.trial.tolerances, minutes)


def verdict_of(facts: TrialFacts) -> Verdict:
    """What was found, with what else differed."""
    tasters = facts.tasters
    return compose(
        factor_label(facts.trial),
        [facts.result(arm) for arm in facts.trial.arms],
        summarise(facts.letters, [a.value for a in Attribute], tasters),
        preference(facts.letters, tasters) if tasters else None,
        len(tasters),
        sum(t.blind for t in tasters),
        differences(kept_ledger(facts)),
        facts.cautions,
        facts.units,
        {a.value: a.label for a in Attribute},
    )
