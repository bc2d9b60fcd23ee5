"""The cook day of a trial: its plan, the twin's forecasts, and what the day makes of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, time, timedelta
from functools import lru_cache
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.core.schedule.day import CannotPlan, Day, Wish, work_out
from bruvet.core.schedule.listing import ArmDay, burn_share
from bruvet.core.schedule.tasks import Stretch
from bruvet.core.trial.terms import DoneRule, RestKind, TrialKind
from bruvet.core.twin.case import Case, Rest
from bruvet.core.twin.draws import DIMENSIONS
from bruvet.core.twin.forecast import Forecast, crossing, forecast
from bruvet.records.models import Arm, Cooker, Event, Trial

from .forecasts import learned_for, move_minute, planned_case

DRAWS = 128
# How long a hold is looked at.
LONGEST_HOLD_MIN = 720.0
LONGEST_FILL_H = 24.0


@lru_cache(maxsize=64)
def _told(case: Case, prior: bytes) -> Forecast:
    """The forecast of a case from its draws; kept, since a moved task changes the day and not the cook."""
    return forecast(case, prior=np.frombuffer(prior).reshape(-1, len(DIMENSIONS)), draws=DRAWS)


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
    prior = np.ascontiguousarray(learned_for(session, piece).draws(DRAWS))
    told = _told(replace(case, rest=Rest(kind, LONGEST_HOLD_MIN)), prior.tobytes())
    frozen = "frozen" in str(arm.said.get("fresh or frozen", "")).casefold()
    heaviest = max((p.raw_kg or p.trimmed_kg or case.mass_kg for p in arm.pieces), default=0.0)
    move_to = None
    if arm.move_to is not None:
        move_to = (_in_a_sentence(arm.move_to.name), arm.move_to.kind, arm.move_pit_c or case.pit_c[0][1])
    return ArmDay(
        letter=arm.letter,
        cooker=_in_a_sentence(arm.cooker.name) if arm.cooker else f"the {case.cooker} of {arm.letter}",
        kind=case.cooker,
        pit_c=case.pit_c[0][1],
        pieces=len(arm.pieces),
        done_min=_done_min(arm, told),
        wrap_min=_wrap_band(case, told),
        wrap_in=arm.wrap_in,
        rest_min=(arm.rest_min or 0.0) if arm.rest_kind != RestKind.NONE else 0.0,
        rest_kind=kind,
        safe_hold_min=told.rest.below_hot_min if told.rest else None,
        spritz_every_min=spritz_every_min,
        danger_min=told.danger_min,
        opened=any(p.opened for p in arm.pieces),
        thaw_kg=heaviest if frozen else 0.0,
        move_min=move_minute(arm, case) if move_to else None,
        move_to=move_to,
        burn_share=(learned_burn(session, arm.cooker) if arm.cooker else None) or 1.0,
    )


def _done_min(arm: Arm, told: Forecast) -> np.ndarray:
    """Minutes to done by the twin's draws, or the very time that the plan gives it."""
    by_time = arm.done_rule == DoneRule.TIME or arm.trial.kind == TrialKind.LENGTHS
    return np.full(DRAWS, arm.done_at_min) if by_time and arm.done_at_min else told.done_draws


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


def learned_burn(session: Session, cooker: Cooker) -> float | None:
    """What a cooker burns against its kind, from the fuel that was weighed on to it; None without such a record.

    Notes
    -----
    A fill counts as burnt by the next one on the same day; the last of a day is left out, since nobody weighed what was
    left of it.
    """
    rows = session.execute(
        select(Event.trial_id, Event.at, Event.amount_kg, Arm.pit_target_c)
        .join(Arm, Arm.id == Event.arm_id)
        .where(Event.kind == "fuel", Event.amount_kg.is_not(None), Arm.cooker_id == cooker.id)
        .order_by(Event.trial_id, Event.at)
    ).all()
    fills = []
    for (trial, at, kg, pit_c), (next_trial, next_at, _, _) in pairwise(rows):
        hours = (next_at - at).total_seconds() / 3600
        if trial == next_trial and pit_c is not None and kg is not None and 0 < hours < LONGEST_FILL_H:
            fills.append((kg, hours, pit_c))
    return burn_share(cooker.kind, fills)


def sleep_of(trial: Trial, around: datetime) -> tuple[Stretch, ...]:
    """The nights' sleep that was asked for, from two days before a moment to it."""
    if not trial.sleep_from or not trial.sleep_until:
        return ()
    zone = ZoneInfo(trial.tz)
    begin, end = (time.fromisoformat(text) for text in (trial.sleep_from, trial.sleep_until))
    day = around.astimezone(zone).date()
    out = []
    for back in (2, 1, 0):
        low = datetime.combine(day - timedelta(days=back), begin, zone)
        high = datetime.combine(day - timedelta(days=back), end, zone)
        out.append((low, high if high > low else high + timedelta(days=1)))
    return tuple(out)


def day_of(session: Session, trial: Trial, now: datetime) -> Day:
    """The worked-out day of a trial that has a serving time or a start.

    Raises
    ------
    CannotPlan
        When it does not work out; the text says why and what would.
    """
    if trial.serve_at is None and trial.begin_at is None:
        raise CannotPlan("Say when it is to be served, or when the first meat goes on.")
    arms: Sequence[ArmDay] = [arm_day(session, arm, trial.spritz_every_min) for arm in trial.arms]
    wish = Wish(
        serve_at=None if trial.begin_at is not None else trial.serve_at,
        together="start" if trial.together == "start" else "finish",
        assurance=trial.assurance,
        hands=trial.hands,
        begin_at=trial.begin_at,
        asleep=sleep_of(trial, trial.begin_at + timedelta(days=1) if trial.begin_at else trial.serve_at or now),
        pins={key: datetime.fromisoformat(at) for key, at in trial.pins.items()},
    )
    return work_out(arms, wish, now)
