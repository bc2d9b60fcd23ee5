"""How strongly an answer may be said: five fixed words, each with its rule."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from scipy.stats import norm

from bruvet.core.trial.estimates import Estimate


class Strength(Enum):
    """The five words, strongest first; the value is what is read."""

    SHOWN = "shown"
    LIKELY = "likely"
    HINTED = "hinted"
    NOT_SHOWN = "not shown"
    CANNOT_BE_TOLD = "cannot be told"


RULES = {
    Strength.SHOWN: "Chance alone does as much in fewer than 1 of 20 such trials, all answers of the trial together, "
    "several pieces stand for each arm, and nothing else that was recorded could account for it.",
    Strength.LIKELY: "As shown, but something else differed too, or only one piece stands for each arm; or chance does "
    "as much in fewer than 1 of 10.",
    Strength.HINTED: "As likely, with something against it: both of these, or one of them where chance does as much in "
    "fewer than 1 of 10; or chance does as much in fewer than 3 of 10.",
    Strength.NOT_SHOWN: "Chance alone does as much more often than that.",
    Strength.CANNOT_BE_TOLD: "What it would rest on was not recorded, or too few tasted to show anything at all.",
}
TRIAL_LEVEL, LIKELY_LEVEL, HINTED_LEVEL = 0.05, 0.10, 0.30


@dataclass(frozen=True)
class Answered:
    """One answer: of what, in a sentence and its reason, how strongly, and the chance it rests on (None for none)."""

    about: str
    headline: str
    sentence: str
    strength: Strength
    chance: float | None

    @property
    def rule(self) -> str:
        return RULES[self.strength]


def chance_of_time(found: Estimate, mean: float, usual_share: float) -> float | None:
    """Chance of such a difference in time when the arms are alike.

    The estimate's own where several pieces or days carry it; with one piece each, by how far like pieces commonly
    differ: a normal difference with √2 times that spread, two-sided.
    """
    if found.p is not None:
        return found.p
    if found.way == "one" and mean > 0:
        return float(2 * norm.sf(abs(found.gap) / (usual_share * mean * 2**0.5)))
    return None


def strength(chance: float | None, answers: int, alone: bool, one_piece: bool = False) -> Strength:
    """The word for an answer.

    Parameters
    ----------
    chance : of as much by chance alone; None when that cannot be told.
    answers : how many answers the trial gives; the chance is held against a level shared among them (Bonferroni).
    alone : whether nothing else that was recorded differed beyond its tolerance.
    one_piece : whether each arm is one piece, whose spread is only common practice.
    """
    if chance is None:
        return Strength.CANNOT_BE_TOLD
    against = (not alone) + one_piece
    if chance <= TRIAL_LEVEL / max(answers, 1):
        return (Strength.SHOWN, Strength.LIKELY, Strength.HINTED)[against]
    if chance <= LIKELY_LEVEL:
        return Strength.LIKELY if not against else Strength.HINTED
    return Strength.HINTED if chance <= HINTED_LEVEL else Strength.NOT_SHOWN
