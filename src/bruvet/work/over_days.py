"""Several pieces and several cook days of one question, added up."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from bruvet.core.curves.measures import Figure
from bruvet.core.trial.blocks import Contrast, Cooked, over_days
from bruvet.core.trial.estimates import Estimate, Sample, estimates, said
from bruvet.core.trial.power import USUAL_SPREAD
from bruvet.core.units import Units, span_words
from bruvet.records.models import Piece

from .analysis import TrialFacts, arm_name
from .lots import days_of


def over_all_days(days: Sequence[TrialFacts]) -> tuple[Contrast, ...]:
    """What each arm's time from meat on to pull differs from the first arm's by, minutes, days as blocks."""
    cooked = [
        Cooked(f"{facts.trial.cook_date} {facts.trial.id}", arm.letter, total)
        for facts in days
        for arm in facts.trial.arms
        if (total := facts.result(arm).mean("total")) is not None
    ]
    return over_days(cooked)


TIME = "time, meat on to pull"


@dataclass(frozen=True)
class Compared:
    """One figure of all pieces and days: each arm less the first that has it, and that in a sentence."""

    name: str
    kind: str
    first: str
    rows: tuple[tuple[Estimate, str], ...]


def compared(facts: TrialFacts) -> list[Compared]:
    """The figures worth an estimate, over this trial's pieces and the other days of its question."""
    days = [
        facts if day.id == facts.trial.id else TrialFacts(facts.session, day, facts.units)
        for day in days_of(facts.session, facts.trial)
    ]
    names = {arm.letter: arm_name(arm) for arm in facts.trial.arms}
    shown = facts.units
    out = []
    for name, kind, pick, words, usual_share in _figures(shown):
        samples = [
            Sample(piece.arm.letter, figure.value, str(one.trial.id), piece.pair and f"{one.trial.id} {piece.pair}")
            for one in days
            for piece in one.pieces
            if piece.arm.letter in names and (figure := pick(one, piece)).value is not None
        ]
        first = min((s.arm for s in samples), default="")
        firsts = [s.value for s in samples if s.arm == first]
        usual = usual_share * sum(firsts) / len(firsts) if firsts and usual_share else None
        rows = tuple((e, said(e, names[e.arm], names[first], words, usual)) for e in estimates(samples))
        if rows:
            out.append(Compared(name, kind, first, rows))
    return out


Pick = Callable[[TrialFacts, Piece], Figure]


def _figures(shown: Units) -> list[tuple[str, str, Pick, Callable[[float], str], float | None]]:
    def points(value: float) -> str:
        return f"{100 * value:.0f} points"

    return [
        (TIME, "span", lambda f, p: f.measures[p.id].total, span_words, USUAL_SPREAD),
        ("longest stall", "span", lambda f, p: f.measures[p.id].stall_length, span_words, None),
        ("pit, mean", "step", lambda f, p: f.measures[p.id].pit_mean, lambda v: shown.step_text(v, 1), None),
        ("yield", "share", lambda f, p: f.measures[p.id].cooked_yield, points, None),
    ]
