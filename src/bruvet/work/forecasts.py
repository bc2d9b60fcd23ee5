"""The twin asked about a trial's own pieces: from the plan, from the record, and with what the shelf has taught it."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from datetime import date
from functools import lru_cache

import numpy as np
from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from bruvet.core.curves.findings import first_mark
from bruvet.core.thermal.cooker import HABITS
from bruvet.core.thermal.cuts import CUTS
from bruvet.core.thermal.engine import WRAPS
from bruvet.core.trial.terms import RestKind, WrapRule
from bruvet.core.twin.case import BadCase, Case, Rest, checked
from bruvet.core.twin.draws import DIMENSIONS, INDEX, SPREAD, standard
from bruvet.core.twin.during import condition
from bruvet.core.twin.forecast import crossing, forecast, run_of
from bruvet.core.twin.learn import Learned, Lesson, learn, lesson
from bruvet.core.twin.whatif import Option, Tried, what_if
from bruvet.core.units import Units
from bruvet.records.models import Arm, Cooker, Event, LessonRow, Piece, Trial

from .analysis import TrialFacts

# Where a wrap that waits for the stall, or for the bark, is taken to be due before the cook has shown it (ours).
STALL_WRAP_C = 70.0
USUAL_DONE_C = 95.0
PIT_STEP_MIN = 15.0
FEWEST_READINGS = 20
OUTLINE_DRAWS = 16


def planned_case(piece: Piece) -> Case | None:
    """The case that an arm's plan makes of a piece; None where the cut is not one that the twin knows."""
    arm = piece.arm
    if piece.cut not in CUTS:
        return None
    wraps: tuple[tuple[float, str], ...] = ()
    wrap_at_c = None
    if arm.wrap_rule == WrapRule.CLOCK and arm.wrap_at_min is not None:
        wraps = ((arm.wrap_at_min, arm.wrap_in),)
    elif arm.wrap_rule != WrapRule.NEVER and arm.wrap_in != "none":
        wrap_at_c = (arm.wrap_at_c or STALL_WRAP_C, arm.wrap_in)
    rest = None
    if arm.rest_kind != RestKind.NONE and arm.rest_min:
        rest = Rest(arm.rest_kind, arm.rest_min)  # type: ignore[arg-type]
    case = Case(
        cut=piece.cut,
        mass_kg=piece.trimmed_kg or piece.raw_kg or CUTS[piece.cut].usual_kg,
        cooker=arm.cooker.kind if arm.cooker else "pellet",
        thickness_mm=piece.thickness_mm,
        start_c=piece.start_c if piece.start_c is not None else 4.0,
        pit_c=((0.0, arm.pit_target_c if arm.pit_target_c is not None else 121.0),),
        wraps=wraps,
        wrap_at_c=wrap_at_c,
        rest=rest,
        until_c=arm.done_at_c or USUAL_DONE_C,
    )
    return _usable(_moved(arm, case))


def _moved(arm: Arm, case: Case) -> Case:
    """The case with the pit of the cooker that it is to be finished in; the first cooker's air is kept."""
    at = move_minute(arm, case)
    if at is None or at <= 0 or arm.move_pit_c is None:
        return case
    return replace(case, pit_c=(*case.pit_c, (at, arm.move_pit_c)))


def move_minute(arm: Arm, case: Case) -> float | None:
    """When an arm is to go on to another cooker: at its minute, or when the middle piece passes its temperature."""
    if arm.move_to_id is None:
        return None
    if arm.move_at_min is not None:
        return arm.move_at_min
    begun = _usable(case)
    if arm.move_at_c is None or begun is None:
        return None
    first = run_of(replace(begun, until_c=max(arm.move_at_c + 1, 31.0), rest=None), standard(OUTLINE_DRAWS))
    passed = float(np.median(crossing(first.t_min, first.probe_c, arm.move_at_c)))
    return passed if np.isfinite(passed) else None


@dataclass(frozen=True)
class Outline:
    """When the twin's middle piece is wrapped and done, minutes from meat on, and what is left of it as a share."""

    wrap_min: float | None
    done_min: float | None
    yield_share: float | None = None


def outline_told(piece: Piece) -> Outline | None:
    """The plan's times by the twin, for the outline on the strip."""
    case = planned_case(piece)
    if case is None:
        return None
    return _outlined(replace(case, rest=None))


@lru_cache(maxsize=256)
def _outlined(case: Case) -> Outline:
    """Told once for each case; pages ask for the same ones again and again."""
    found = forecast(case, draws=OUTLINE_DRAWS)
    wrap = case.wraps[0][0] if case.wraps else None
    if case.wrap_at_c is not None:
        passed = crossing(found.t_min, found.typical_c[:, None], case.wrap_at_c[0])[0]
        wrap = float(passed) if np.isfinite(passed) else None
    return Outline(wrap, found.done_min.p50 if found.done_min else None, found.yield_share.p50)


def cooked_case(facts: TrialFacts, piece: Piece, until_min: float | None = None) -> Case | None:
    """The case of what was really done, as far as it is recorded: pit, wraps, looks, spritz, readings.

    Parameters
    ----------
    until_min : float, optional
        Leave out what came after this minute.
    """
    plan = planned_case(piece)
    cook = facts.cooks[piece.id]
    if plan is None or not cook.zero_known or not len(cook.t_min):
        return None
    pulled = first_mark(cook.marks, "pull")
    last = min(x for x in (pulled, until_min, float(cook.t_min[-1])) if x is not None)
    inside = (cook.t_min >= 0) & (cook.t_min <= last)
    readings = tuple(zip(cook.t_min[inside].tolist(), cook.temp_c[inside].tolist(), strict=True))
    if pulled is not None and pulled <= last and inside.any():
        plan = replace(plan, until_c=float(np.clip(np.nanmax(cook.temp_c[inside]), 31.0, 99.0)), rest=None)
    done = [mark for mark in cook.marks if 0 <= mark.at_min <= last]
    wraps = tuple(
        (m.at_min, m.detail if m.kind == "wrap" else "none")
        for m in done
        if m.kind == "unwrap" or (m.kind == "wrap" and m.detail in WRAPS)
    )
    case = replace(
        plan,
        pit_c=pit_steps(cook.pit_t_min, cook.pit_c, last) or plan.pit_c,
        wraps=wraps or (() if pulled is not None else plan.wraps),
        wrap_at_c=None if wraps or pulled is not None else plan.wrap_at_c,
        # The pit's own readings hold the dips of the lid already.
        lid_min=() if len(cook.pit_t_min) else tuple(m.at_min for m in done if m.kind == "lid"),
        spritz_min=tuple(m.at_min for m in done if m.kind == "spritz"),
        readings=tuple((at, temp) for at, temp in readings if np.isfinite(temp) and -5 <= temp <= 120),
    )
    return _usable(case)


def pit_steps(t_min: np.ndarray, pit_c: np.ndarray, last: float) -> tuple[tuple[float, float], ...]:
    """The pit's readings as steps of a quarter of an hour."""
    known = np.isfinite(pit_c) & (t_min >= 0) & (t_min <= last)
    if known.sum() < 2:
        return ()
    slot = np.floor(t_min[known] / PIT_STEP_MIN)
    found = [(float(s * PIT_STEP_MIN), float(pit_c[known][slot == s].mean())) for s in np.unique(slot)]
    return tuple((at, float(np.clip(temp, 40.0, 250.0))) for at, temp in found)


def _usable(case: Case) -> Case | None:
    try:
        return checked(case)
    except BadCase:
        return None


# ---- what the shelf teaches -----------------------------------------------------------------------------


def cooker_key(cooker: Cooker | None) -> str:
    """What tells a cooker from all others in lessons."""
    return f"{cooker.kind} {cooker.id}" if cooker else "unknown"


def learn_from(facts: TrialFacts) -> int:
    """Keep a lesson of every finished piece of a trial that has none, or whose record has changed since.

    Returns
    -------
    int
        How many were made anew.
    """
    made = 0
    for piece in facts.pieces:
        cook = facts.cooks[piece.id]
        if first_mark(cook.marks, "pull") is None:
            continue
        case = cooked_case(facts, piece)
        if case is None or len(case.readings) < FEWEST_READINGS:
            continue
        digest = hashlib.sha256(repr(case).encode()).hexdigest()
        row = facts.session.get(LessonRow, piece.id)
        if row is not None and row.facts == digest:
            continue
        found = lesson(case, cooker_key(piece.arm.cooker))
        row = row or LessonRow(piece_id=piece.id)
        row.cooker_id, row.cut, row.facts = piece.arm.cooker_id, piece.cut, digest
        row.body = {
            "cooker": found.cooker,
            "dimensions": list(DIMENSIONS),
            "precision": found.precision.round(6).tolist(),
            "information": found.information.round(6).tolist(),
        }
        facts.session.add(row)
        made += 1
    return made


def to_learn_from(session: Session) -> list[int]:
    """Trials with pulled pieces of which nothing has been learned yet, oldest first."""
    pulled = exists().where(Event.trial_id == Trial.id, Event.kind == "pull")
    known = exists().where(LessonRow.piece_id == Piece.id, Piece.arm_id == Arm.id, Arm.trial_id == Trial.id)
    return list(session.scalars(select(Trial.id).where(pulled, ~known).order_by(Trial.cook_date, Trial.id)))


def lessons_before(session: Session, day: date | None, trial_id: int | None = None) -> list[Lesson]:
    """Lessons of earlier days' cooks, and never of the trial itself."""
    query = select(LessonRow).join(Piece, Piece.id == LessonRow.piece_id).join(Arm).join(Trial)
    if day is not None:
        query = query.where(Trial.cook_date < day)
    if trial_id is not None:
        query = query.where(Trial.id != trial_id)
    return [
        Lesson(row.body["cooker"], row.cut, np.array(row.body["precision"]), np.array(row.body["information"]))
        for row in session.scalars(query.order_by(Trial.cook_date.desc(), LessonRow.piece_id).limit(200))
        if row.body.get("dimensions") == list(DIMENSIONS)
    ]


def learned_for(session: Session, piece: Piece) -> Learned:
    """What the shelf says of a piece before its day."""
    trial = piece.arm.trial
    return learn(lessons_before(session, trial.cook_date, trial.id), cooker_key(piece.arm.cooker), piece.cut)


def cooker_words(lessons: list[Lesson], cooker: Cooker, units: Units) -> str:
    """What the twin has learned of a cooker, in a sentence; empty when it has seen no cook on it."""
    key = cooker_key(cooker)
    count = sum(one.cooker == key for one in lessons)
    if not count:
        return ""
    # A cut that nobody cooks leaves the cooker's own part alone.
    learned = learn(lessons, key, "")
    heat, offset = (
        learned.mean[INDEX["heat"]] * SPREAD["heat"],
        learned.mean[INDEX["offset_c"]] * HABITS[cooker.kind].place_c,
    )
    stronger = "as strong as" if abs(heat) < 0.02 else f"{abs(heat):.0%} {'stronger' if heat > 0 else 'weaker'} than"
    step = units.step_text(abs(offset))
    apart = f"{step} {'hotter' if offset > 0 else 'cooler'} than" if abs(offset) >= 0.5 else "as warm as"
    pieces = f"{count} piece{'' if count == 1 else 's'}"
    return f"From {pieces}: heat {stronger} its kind's; the air at the meat {apart} the pit reads."


@dataclass(frozen=True)
class FromNow:
    """A running piece told from its last reading on: options with their forecasts, the first to go on as it is."""

    piece: Piece
    now_min: float
    last_c: float
    tried: tuple[Tried, ...]


NOW_DRAWS = 128
PIT_STEP_C = 25 / 1.8


def from_now(facts: TrialFacts, piece: Piece) -> FromNow | None:
    """What a piece under way will do, and what it would do if; None when it is not, or no longer, cooking."""
    cook = facts.cooks[piece.id]
    if first_mark(cook.marks, "pull") is not None or len(cook.t_min) < FEWEST_READINGS:
        return None
    case = cooked_case(facts, piece)
    if case is None or not case.readings:
        return None
    now, last_c = case.readings[-1]
    pits = [temp for at, temp in case.pit_c if at >= now - 60.0] or [case.pit_c[-1][1]]
    ahead = float(np.mean(pits))
    case = replace(case, pit_c=(*(step for step in case.pit_c if step[0] < now), (now, ahead)))
    z = condition(case, learned_for(facts.session, piece).draws(NOW_DRAWS))
    wrapped = case.wraps[-1][1] if case.wraps else "none"
    shown = facts.units
    options = [Option("go on as it is")]
    if wrapped == "none":
        options += [Option("foil now", "foil"), Option("paper now", "paper")]
        if case.wrap_at_c is not None or any(at > now for at, _ in case.wraps):
            options.append(Option("never wrap it", "none"))
    else:
        options.append(Option("unwrap now", "none"))
    options += [
        Option(f"pit to {shown.temp_text(ahead + by)}", pit_c=ahead + by)
        for by in (PIT_STEP_C, -PIT_STEP_C)
        if 60 < ahead + by < 200
    ]
    return FromNow(piece, now, last_c, tuple(what_if(case, z, now, options)))
