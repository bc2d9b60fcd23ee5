"""The answers of a trial: which arm was faster, which is liked better, and what neither may be put down to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from bruvet.core.tasting.liking import Liking
from bruvet.core.tasting.panel import least_panel
from bruvet.core.trial.estimates import Estimate
from bruvet.core.trial.ledger import Line, listed
from bruvet.core.units import span_words

from .strength import LIKELY_LEVEL, Answered, Strength, chance_of_time, strength


def time_answer(
    found: Estimate,
    why: str,
    first: str,
    names: Mapping[str, str],
    totals: Mapping[str, float],
    usual_share: float,
    answers: int,
    alone: bool,
) -> Answered:
    """An arm's time against the first's.

    Parameters
    ----------
    why : the estimate in words, with what it rests on.
    first : letter of the arm that it is less than.
    totals : mean minutes from meat on to pull, by letter; of the days that the estimate rests on.
    usual_share : spread of like pieces, as a share of the cook.
    answers : how many answers the trial gives.
    """
    mean = sum(totals.values()) / len(totals)
    chance = chance_of_time(found, mean, usual_share)
    word = strength(chance, answers, alone, found.way == "one")
    fast, slow = (found.arm, first) if found.gap < 0 else (first, found.arm)
    gap, usual = abs(found.gap), usual_share * totals.get(slow, mean)
    if gap < 1:
        headline = f"{names[fast]} and {names[slow]} took the same time."
    elif found.way == "one" and gap < usual:
        headline = (
            f"{names[fast]} was {span_words(gap)} faster than {names[slow]}, which is no more than two like pieces "
            f"commonly differ ({span_words(usual)})."
        )
    else:
        headline = f"{names[fast]} was {span_words(gap)} faster than {names[slow]}"
        if fast in totals and slow in totals and abs(totals[slow] - totals[fast] - gap) < 1:
            headline += (
                f": {span_words(totals[fast])} against {span_words(totals[slow])}, {gap / totals[slow]:.0%} less"
            )
        headline += "."
    because = f"{why}{_held_back(chance, alone, found.way == 'one')}"
    return Answered(f"time, {names[found.arm]}", headline, because, word, chance)


def no_time() -> Answered:
    return Answered("time", "", "No two totals are known.", Strength.CANNOT_BE_TOLD, None)


def taste_answer(
    liked: Liking | None, names: Mapping[str, str], answers: int, alone: bool, one_piece: bool, knowing: int = 0
) -> Answered:
    """What blind tasters like best.

    Parameters
    ----------
    knowing : how many tasted who knew which was which; they are not counted.
    one_piece : whether each arm is one piece: then a panel tells these pieces apart, not yet what made them.
    """
    if liked is None:
        said = "Nobody said, tasting blind, which they prefer."
        asked = "Which is better to eat was judged only by people who knew which was which." if knowing else ""
        return Answered("taste", asked, said, Strength.CANNOT_BE_TOLD, None)
    word = strength(liked.p, answers, alone, one_piece)
    chance = "" if liked.p is None else f" Chance alone does as much in {_per_cent(liked.p)} of such panels."
    if liked.top is None:
        return Answered(
            "taste", "The tasters were evenly divided.", f"Of {liked.panellists} blind tasters.", word, liked.p
        )
    said = _said(liked, names)
    chance += _held_back(liked.p, alone, one_piece)
    if liked.p is None:
        few = (
            f" So few can show nothing; it takes {least_panel()} who all agree."
            if liked.choices
            else " They are too few."
        )
        return Answered("taste", said, f"{said}{few}", word, None)
    return Answered("taste", said, f"{said}{_beaten(liked, names)}{chance}", word, liked.p)


def _said(liked: Liking, names: Mapping[str, str]) -> str:
    top = names[str(liked.top)]
    if liked.choices is not None:
        how = "scored {} higher" if liked.by_scores else "preferred {}"
        return f"{liked.choices.counts[str(liked.top)]} of {liked.panellists} blind tasters {how.format(top)}."
    ranks = dict(liked.mean_ranks or {})
    how = " by their scores" if liked.by_scores else ""
    return (
        f"{liked.panellists} blind tasters rank {top} first of {len(ranks)}{how}, "
        f"at {ranks[str(liked.top)]:.1f} in the mean."
    )


def _beaten(liked: Liking, names: Mapping[str, str]) -> str:
    if liked.choices is not None or liked.beats is None:
        return ""
    if not liked.beats:
        return " From no single one is it shown to differ (ISO 8587)."
    return f" It differs from {listed([names[letter] for letter in liked.beats])} (ISO 8587)."


def _held_back(chance: float | None, alone: bool, one_piece: bool) -> str:
    """Why a stronger word is not said, where chance alone would allow one."""
    if chance is None or chance > LIKELY_LEVEL or (alone and not one_piece):
        return ""
    reasons = ["one piece stands for each arm"] * one_piece + ["something else differed too"] * (not alone)
    return f" Held back, because {listed(reasons)}."


def _per_cent(p: float) -> str:
    return f"{p:.0%}" if p >= 0.01 else f"{p:.1%}" if p >= 0.001 else "fewer than 0.1%"


def credit(factor: str, differing: Sequence[Line]) -> str:
    """What the answer may not be put down to, in one sentence; empty where nothing else differed.

    Parameters
    ----------
    differing : lines of the ledger that differ beside the factor.
    """
    second = [line.row.name for line in differing if line.second_change]
    lesser = [line.row.name for line in differing if not line.second_change]
    if second:
        also = f", and in {listed(lesser)}" if lesser else ""
        return (
            f"How much of it is the {factor.lower()} cannot be told: the arms also differed in {listed(second)}{also}."
        )
    if lesser:
        return f"Before this is put down to the {factor.lower()}: the arms also differed in {listed(lesser)}."
    return ""


def headlines(answers: Sequence[Answered]) -> tuple[Answered, ...]:
    """At most one answer about time and one about taste, the surest of each, for the top of the page."""
    order = list(Strength)
    out = []
    for about in ("time", "taste"):
        mine = [a for a in answers if a.about.split(",")[0] == about and a.headline]
        if mine:
            out.append(min(mine, key=lambda a: (order.index(a.strength), 1.0 if a.chance is None else a.chance)))
    return tuple(out)
