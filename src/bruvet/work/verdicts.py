"""A trial's verdict: its answers with their strength, the figures behind them, and what would settle the rest."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from bruvet.core.curves.measures import Figure, unknown
from bruvet.core.tasting.liking import liking
from bruvet.core.tasting.panel import preference, summarise
from bruvet.core.trial.ledger import Ledger
from bruvet.core.trial.power import USUAL_SPREAD, pieces_needed, tasters_needed
from bruvet.core.trial.terms import AT_THE_BOARD, Attribute, term
from bruvet.core.units import span_words
from bruvet.core.verdict.answer import no_time, taste_answer, time_answer
from bruvet.core.verdict.compose import Tasted, Verdict, compose
from bruvet.core.verdict.hands import hands_on_min
from bruvet.core.verdict.strength import Answered, Strength
from bruvet.records.models import Arm, Piece

from .analysis import TrialFacts, arm_name, factor_label
from .fair import ledger_of
from .lots import days_of
from .over_days import TIME, compared

LIKED = 0.75


def verdict_of(facts: TrialFacts) -> Verdict:
    """What was found, how surely, with what else differed."""
    ledger = ledger_of(facts)
    answers, settle = answers_of(facts, ledger)
    return compose(
        factor_label(facts.trial),
        [facts.result(arm) for arm in facts.trial.arms],
        answers,
        tasted_of(facts),
        ledger,
        facts.units,
        settle,
        [line for piece in facts.pieces for line in _at_the_board(facts, piece)],
        facts.cautions,
        {a.value: a.label for a in Attribute},
    )


def tasted_of(facts: TrialFacts) -> Tasted:
    """Blind tasters by themselves; where there are none, the scores are of those who knew."""
    blind = [taster for taster in facts.tasters if taster.blind]
    knowing = [taster for taster in facts.tasters if not taster.blind]
    return Tasted(
        len(blind),
        len(knowing),
        preference(facts.letters, blind) if blind else None,
        preference(facts.letters, knowing) if knowing else None,
        tuple(summarise(facts.letters, [a.value for a in Attribute], blind or knowing)),
    )


def answers_of(facts: TrialFacts, ledger: Ledger) -> tuple[list[Answered], list[str]]:
    """Every arm's time against the first's and what blind tasters like, and what would settle them."""
    names = {arm.letter: arm_name(arm) for arm in facts.trial.arms}
    alone = not ledger.differing
    time = next((one for one in compared(facts) if one.name == TIME), None)
    liked = liking(facts.letters, [taster for taster in facts.tasters if taster.blind])
    rows = time.rows if time is not None else ()
    count = len(rows) + (liked is not None and liked.p is not None)
    totals = {arm.letter: total for arm in facts.trial.arms if (total := facts.result(arm).mean("total")) is not None}
    mean = sum(totals.values()) / len(totals) if totals else 0.0
    answers, settle = [], []
    for found, why in rows:
        first = time.first if time is not None else min(names)
        answers.append(time_answer(found, why, first, names, totals or {found.arm: 0.0}, USUAL_SPREAD, count, alone))
        pieces = pieces_needed(abs(found.gap), USUAL_SPREAD * mean) if mean and found.gap else None
        if pieces is not None and (found.way == "one" or not found.clear):
            settle.append(
                f"{pieces} pieces an arm would show a difference of {span_words(found.gap)} with a chance of 80 %."
            )
    if not rows:
        answers.append(no_time())
    knowing = sum(not taster.blind for taster in facts.tasters)
    taste = taste_answer(liked, names, count, alone, _one_piece(facts), knowing)
    answers.append(taste)
    fewest = tasters_needed(0.5, LIKED, two_sided=True)
    if taste.strength is not Strength.SHOWN and (liked is None or liked.p is None or liked.p > 0.05):
        pair = "" if len(names) == 2 else "With the best two side by side, "
        settle.append(f"{pair}{fewest} blind tasters would show a preference of three in four with a chance of 80 %.")
    return answers, settle


def _one_piece(facts: TrialFacts) -> bool:
    """Whether some arm is one piece, over all days of the question."""
    counts: dict[str, int] = {}
    for day in days_of(facts.session, facts.trial):
        for arm in day.arms:
            counts[arm.letter] = counts.get(arm.letter, 0) + len(arm.pieces)
    return min((counts.get(letter, 0) for letter in facts.letters), default=0) < 2


def _at_the_board(facts: TrialFacts, piece: Piece) -> list[str]:
    """What was seen when a piece was cut, in a sentence."""
    found = piece.cutting
    if found is None:
        return []
    seen: dict[str, list[str]] = {}
    for name, _, what, kind in AT_THE_BOARD:
        if value := getattr(found, name):
            seen.setdefault(what, []).append(term(kind, value).lower())
    words = [f"{what}: {', '.join(said)}" for what, said in seen.items()]
    if found.ring_mm is not None:
        words.append(f"smoke ring: {found.ring_mm:g} mm")
    if found.slice_mm is not None:
        words.append(f"slice: {found.slice_mm:g} mm")
    if found.note:
        words.append(found.note)
    who = arm_name(piece.arm) + (f", {piece.name}" if len(piece.arm.pieces) > 1 else "")
    said = "; ".join(words)
    return [f"{who}. {said[0].upper()}{said[1:]}."] if words else []


# ---- the figures behind it ---------------------------------------------------------------------------------


@dataclass(frozen=True)
class KeyFigure:
    """One row: its name, its kind (how it is shown), and a figure an arm, means over its pieces."""

    label: str
    kind: str
    figures: tuple[Figure, ...]


def key_figures(facts: TrialFacts) -> tuple[KeyFigure, ...]:
    """Time, stall, pit, yield, cost, fuel, hands and liking of every arm."""
    arms = facts.trial.arms
    rows = [
        _measured(facts, "meat on to pull", "span", "total"),
        _measured(facts, "longest stall", "span", "stall_length"),
        _measured(facts, "wrapped at", "span", "wrap_at"),
        _measured(facts, "pit as run, mean", "temp", "pit_mean"),
        _measured(facts, "pit, spread", "step", "pit_spread"),
        _measured(facts, "rest", "span", "rest"),
        _measured(facts, "yield", "share", "cooked_yield"),
        _mean("fuel weighed", "mass", arms, lambda p: facts.heat[p.id].fuel_kg),
        _mean("cost of meat and fuel", "money", arms, lambda p: facts.heat[p.id].cost),
        _mean("smoke ring", "mm", arms, _ring),
        KeyFigure("hands on, about", "span", tuple(_hands(facts, arm) for arm in arms)),
        KeyFigure("overall, blind, of 9", "score", tuple(_overall(facts, arm) for arm in arms)),
    ]
    return tuple(row for row in rows if any(figure.known for figure in row.figures) or row.label == "meat on to pull")


def _measured(facts: TrialFacts, label: str, kind: str, pick: str) -> KeyFigure:
    def value(piece: Piece) -> Figure:
        found: Figure = getattr(facts.measures[piece.id], pick)
        return found

    return _mean(label, kind, facts.trial.arms, value)


def _mean(label: str, kind: str, arms: list[Arm], pick: Callable[[Piece], Figure]) -> KeyFigure:
    """The mean over the pieces of each arm that know it."""
    figures = []
    for arm in arms:
        each = [pick(piece) for piece in arm.pieces]
        known = [figure.value for figure in each if figure.value is not None]
        reason = next((figure.reason for figure in each if figure.reason), "no piece was entered")
        figures.append(Figure(sum(known) / len(known)) if known else unknown(reason))
    return KeyFigure(label, kind, tuple(figures))


def _ring(piece: Piece) -> Figure:
    found = piece.cutting
    return unknown("not measured") if found is None or found.ring_mm is None else Figure(found.ring_mm)


def _hands(facts: TrialFacts, arm: Arm) -> Figure:
    """Work on an arm; what was done to all of its pieces at once is counted once."""
    cooks = [facts.cooks[piece.id] for piece in arm.pieces]
    marks = dict.fromkeys(mark for cook in cooks for mark in cook.marks)
    if not marks:
        return unknown("nothing was marked")
    return Figure(hands_on_min(tuple(marks), tuple(dict.fromkeys(at for cook in cooks for at in cook.looks))))


def _overall(facts: TrialFacts, arm: Arm) -> Figure:
    scores = [t.scores[arm.letter, "overall"] for t in facts.tasters if t.blind and (arm.letter, "overall") in t.scores]
    return Figure(sum(scores) / len(scores)) if scores else unknown("nobody scored it blind")
