"""Why one piece took longer than another: the twin's parts of the difference, in two sentences and as steps."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from bruvet.core.curves.findings import first_mark
from bruvet.core.curves.measures import Cook
from bruvet.core.trial.ledger import listed
from bruvet.core.trial.power import USUAL_SPREAD
from bruvet.core.trial.terms import Factor, TrialKind
from bruvet.core.twin.explain import Explained, PitRun, Share, Steps, explain
from bruvet.core.units import span_words
from bruvet.records.models import Piece

from .analysis import TrialFacts, factor_label
from .forecasts import cooked_case, pit_steps, planned_case

# Which parts are the thing that was changed on purpose.
PARTS_OF: dict[str, tuple[str, ...]] = {
    Factor.COOKER: ("cooker",),
    Factor.PIT_TEMPERATURE: ("pit as planned", "pit"),
    Factor.WRAP: ("wrap",),
    Factor.CUT: ("cut",),
    Factor.COOK_TIME: ("done temperature",),
}
SMALLEST_MIN = 4.0


@dataclass(frozen=True)
class Why:
    """The difference of two pieces' times, told.

    Attributes
    ----------
    found : the parts, by the twin; with what remains they add up to `observed_min`.
    sentences : what to say of it.
    """

    piece: Piece
    first: Piece
    found: Explained
    observed_min: float | None
    sentences: tuple[str, ...]


def why(facts: TrialFacts, first: Piece, second: Piece) -> Why | None:
    """Why the second took longer or shorter than the first; None when not enough is recorded of one."""
    cases = [cooked_case(facts, piece) for piece in (first, second)]
    plans = [planned_case(piece) for piece in (first, second)]
    if cases[0] is None or cases[1] is None or plans[0] is None or plans[1] is None:
        return None
    totals = [facts.measures[piece.id].total.value for piece in (first, second)]
    gap = totals[1] - totals[0] if totals[0] is not None and totals[1] is not None else None
    runs = [
        _pit_run(facts.cooks[p.id], plan.pit_c, facts) for p, plan in zip((first, second), plans, strict=True) if plan
    ]
    pits = (runs[0], runs[1]) if runs[0] is not None and runs[1] is not None else None
    found = explain(replace(cases[0], readings=()), replace(cases[1], readings=()), gap, pits)
    return Why(second, first, found, gap, _sentences(facts, first, second, found, gap))


def _pit_run(cook: Cook, planned: Steps, facts: TrialFacts) -> PitRun | None:
    """A cook's pit as planned, as run without the lid's dips, and as run; None without its readings."""
    pulled = first_mark(cook.marks, "pull")
    last = pulled if pulled is not None else float(cook.pit_t_min[-1]) if len(cook.pit_t_min) else 0.0
    run = pit_steps(cook.pit_t_min, cook.pit_c, last)
    if not run:
        return None
    piece = next(piece for piece in facts.pieces if piece.name == cook.name)
    calm = np.ones(len(cook.pit_t_min), bool)
    for lid in facts.heat[piece.id].lids:
        back = lid.back_min if lid.back_min is not None else 15.0
        calm &= (cook.pit_t_min < lid.at_min) | (cook.pit_t_min > lid.at_min + back)
    # Where the lid was open the fire is taken to have gone on as around it.
    level = np.interp(cook.pit_t_min, cook.pit_t_min[calm], cook.pit_c[calm]) if calm.any() else cook.pit_c
    return PitRun(planned, pit_steps(cook.pit_t_min, level, last), run)


def _sentences(facts: TrialFacts, first: Piece, second: Piece, found: Explained, gap: float | None) -> tuple[str, ...]:
    trial = facts.trial
    whole = gap if gap is not None else found.modelled_min
    who = f"{second.name} took {span_words(whole)} {'longer' if whole > 0 else 'less'} than {first.name}"
    told = [part for part in found.parts if abs(part.minutes) >= SMALLEST_MIN]
    if not told:
        opening = (
            f"{who}, and nothing that is recorded of the two would make a difference of {span_words(SMALLEST_MIN)}."
        )
    else:
        opening = f"{who}: {listed([_worth(part) for part in told[:3]])}."
    factors = (trial.factor, trial.factor2) if trial.kind == TrialKind.CROSSED else (trial.factor,)
    tested = [part for part in found.parts if any(part.what in PARTS_OF.get(f, ()) for f in factors)]
    label = factor_label(trial).lower()
    rest = found.unexplained_min
    if rest is None:
        return (opening, "How long they really took is not known yet, so nothing can be said of what remains.")
    band = found.unexplained_band
    low, high = (band.p10, band.p90) if band is not None else (None, None)
    span = f" (four in five: {_signed(low)} to {_signed(high)})" if low is not None and high is not None else ""
    # By the draws alone zero may lie outside; like pieces differ by some eight in a hundred besides.
    usual = USUAL_SPREAD * (facts.measures[first.id].total.value or 0.0)
    sure = low is not None and high is not None and (low > 0 or high < 0) and abs(rest) > usual
    if tested:
        part = tested[0]
        closing = (
            f"What was tested, the {label}, is by the twin worth {_signed(part.minutes)}; {_signed(rest)} remains that "
            f"nothing recorded accounts for{span}."
        )
    elif sure:
        closing = f"{_signed(rest)} remains{span}: that much, and no more, may be put down to the {label}."
    else:
        closing = (
            f"{_signed(rest)} remains{span}, no more than like pieces differ by: nothing of it need be put down to the "
            f"{label}."
        )
    return (opening, closing)


def _worth(part: Share) -> str:
    span = ""
    if part.band.p10 is not None and part.band.p90 is not None:
        span = f" ({_signed(part.band.p10)} to {_signed(part.band.p90)})"
    return f"{part.what} {'added' if part.minutes > 0 else 'saved'} {span_words(part.minutes)}{span}"


def _signed(minutes: float | None) -> str:
    return (
        "open" if minutes is None else f"{'+' if minutes > 0 else '−' if round(minutes) else ''}{span_words(minutes)}"
    )
