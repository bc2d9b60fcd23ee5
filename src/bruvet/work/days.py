"""The cook day of a trial: its plan, the twin's forecasts, and what the day makes of them."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

import numpy as np
from sqlalchemy.orm import Session

from bruvet.core.schedule.day import ArmDay, CannotPlan, Day, Wish, work_out
from bruvet.core.trial.terms import RestKind
from bruvet.core.twin.case import Case, Rest
from bruvet.core.twin.forecast import Forecast, crossing, forecast
from bruvet.records.models import Arm, Trial

from .forecasts import learned_for, planned_case

DRAWS = 256
# How long a hold is looked at.
LONGEST_HOLD_MIN = 720.0


def arm_day(session: Session, arm: Arm, spritz_every_min: float | None) -> ArmDay:
    """One arm for the schedule, told by the twin with what the shelf has taught it.

    Raises
    ------
    CannotPlan
        When the arm's piece is of a cut that the twin does not know, or cannot be computed.
    """
    piece = arm.pieces[0] if arm.pieces else None
    case = planned_case(piece) if piece is not None else None
    if piece is None or case is None:
        raise CannotPlan(
            f"Arm {arm.letter}: the twin cannot tell its time. Give its piece a cut of the list, a weight, a pit "
            "temperature and a temperature to stop at."
        )
    kind = case.rest.kind if case.rest else "counter"
    told = forecast(
        replace(case, rest=Rest(kind, LONGEST_HOLD_MIN)), prior=learned_for(session, piece).draws(DRAWS), draws=DRAWS
    )
    return ArmDay(
        letter=arm.letter,
        cooker=_in_a_sentence(arm.cooker.name) if arm.cooker else f"the {case.cooker} of {arm.letter}",
        kind=case.cooker,
        pit_c=case.pit_c[0][1],
        pieces=len(arm.pieces),
        done_min=told.done_draws,
        wrap_min=_wrap_band(case, told),
        wrap_in=arm.wrap_in,
        rest_min=(arm.rest_min or 0.0) if arm.rest_kind != RestKind.NONE else 0.0,
        rest_kind=kind,
        safe_hold_min=told.rest.below_hot_min if told.rest else None,
        spritz_every_min=spritz_every_min,
    )


def _in_a_sentence(name: str) -> str:
    """A cooker's name within a line: The drum becomes the drum."""
    return "the " + name[4:] if name.startswith("The ") else name


def _wrap_band(case: Case, told: Forecast) -> tuple[float, float, float] | None:
    """When the wrap goes on: at its minute, or when four in five probes pass its temperature."""
    if case.wraps:
        at = case.wraps[0][0]
        return at, at, at
    if case.wrap_at_c is None:
        return None
    level = case.wrap_at_c[0]
    # The hottest draws pass first, so the upper edge of the band gives the early bound.
    early, likely, late = (
        float(crossing(told.t_min, curve[:, None], level)[0]) for curve in (told.p90_c, told.p50_c, told.p10_c)
    )
    return (early, likely, late) if np.isfinite(likely) else None


def day_of(session: Session, trial: Trial, now: datetime) -> Day:
    """The worked-out day of a trial that has a serving time.

    Raises
    ------
    CannotPlan
        When it does not work out; the text says why and what would.
    """
    if trial.serve_at is None:
        raise CannotPlan("Say when it is to be served.")
    arms = [arm_day(session, arm, trial.spritz_every_min) for arm in trial.arms]
    wish = Wish(trial.serve_at, "start" if trial.together == "start" else "finish", trial.assurance, trial.hands)
    return work_out(arms, wish, now)
