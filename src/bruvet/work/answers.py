"""The answers of a trial with their strength, and what would settle them most cheaply."""

from __future__ import annotations

from dataclasses import dataclass

from bruvet.core.tasting.panel import Preference, least_panel, preference
from bruvet.core.trial.ledger import differences
from bruvet.core.trial.power import USUAL_SPREAD, pieces_needed, tasters_needed
from bruvet.core.units import span_words
from bruvet.core.verdict.strength import Answered, chance_of_time, strength

from .analysis import TrialFacts, arm_name
from .ledgers import kept_ledger
from .over_days import TIME, compared

LIKED = 0.75


@dataclass(frozen=True)
class Answers:
    """Each answer with its word and rule, and sentences on what would settle what is not shown."""

    answers: tuple[Answered, ...]
    settle: tuple[str, ...]


def answers_of(facts: TrialFacts) -> Answers:
    """Every arm's time against the first's, and the preference of those who tasted blind."""
    names = {arm.letter: arm_name(arm) for arm in facts.trial.arms}
    alone = not any(found.known for found in differences(kept_ledger(facts)))
    time = next((one for one in compared(facts) if one.name == TIME), None)
    blind = [taster for taster in facts.tasters if taster.blind]
    liked = preference(facts.letters, blind) if blind else None
    rows = time.rows if time is not None else ()
    count = len(rows) + (liked is not None and liked.p_value is not None)
    out = []
    settle = []
    totals = [facts.measures[piece.id].total.value for piece in facts.pieces]
    known = [value for value in totals if value is not None]
    mean = sum(known) / len(known) if known else 0.0
    for found, words in rows:
        chance = chance_of_time(found, mean, USUAL_SPREAD)
        out.append(
            Answered(f"time, {names[found.arm]}", words, strength(chance, count, alone, found.way == "one"), chance)
        )
        pieces = pieces_needed(abs(found.gap), USUAL_SPREAD * mean) if mean and found.gap else None
        if pieces is not None and (found.way == "one" or not found.clear):
            settle.append(
                f"{pieces} pieces an arm would show a difference of {span_words(found.gap)} with a chance of 80 %."
            )
    if not rows:
        out.append(Answered("time", "No two totals are known.", strength(None, 1, alone), None))
    out.append(_taste(liked, names, count, alone))
    fewest = tasters_needed(0.5, LIKED, two_sided=True)
    if liked is None or liked.p_value is None or liked.p_value > 0.05:
        settle.append(f"{fewest} blind tasters would show a preference of three in four with a chance of 80 %.")
    return Answers(tuple(out), tuple(settle))


def _taste(liked: Preference | None, names: dict[str, str], count: int, alone: bool) -> Answered:
    if liked is None or not liked.decided:
        return Answered("taste", "Nobody said, tasting blind, which they prefer.", strength(None, 1, alone), None)
    top = max(liked.counts, key=lambda letter: liked.counts[letter])
    words = f"{liked.counts[top]} of {liked.decided} blind tasters preferred {names[top]}."
    if liked.p_value is None or liked.decided < least_panel():
        return Answered("taste", f"{words} So few can show nothing, even if all agree.", strength(None, 1, alone), None)
    return Answered("taste", words, strength(liked.p_value, count, alone), liked.p_value)
