"""A trial's arms as they stand now, made of its plan and record: what watches and calls are asked about."""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from bruvet.core.curves.findings import Mark
from bruvet.core.pitside.lane import Felt, Lane, Plan, Seen, Series, Told
from bruvet.core.schedule.listing import burn_hours
from bruvet.core.thermal.cooker import HABITS
from bruvet.core.units import Units
from bruvet.records.models import Arm
from bruvet.records.watching import ToldRow

from .analysis import TrialFacts
from .days import learned_burn

AIR_C = 20.0


def plan_of(session: Session, arm: Arm) -> Plan:
    """What an arm is to get."""
    kind = arm.cooker.kind if arm.cooker else ""
    load_h = None
    if arm.cooker is not None and arm.pit_target_c is not None:
        load_h = burn_hours(kind, arm.pit_target_c, AIR_C, learned_burn(session, arm.cooker) or 1.0)
    return Plan(
        pit_c=arm.pit_target_c,
        wrap_rule=arm.wrap_rule,
        wrap_in=arm.wrap_in,
        wrap_at_c=arm.wrap_at_c,
        wrap_at_min=arm.wrap_at_min,
        done_rule=arm.done_rule,
        done_at_c=arm.done_at_c,
        done_at_min=arm.done_at_min,
        rest_kind=arm.rest_kind,
        rest_min=arm.rest_min,
        spritz_every_min=arm.trial.spritz_every_min,
        moves=arm.move_to_id is not None,
        opened=any(piece.opened for piece in arm.pieces),
        load_h=load_h,
    )


def lane_of(facts: TrialFacts, arm: Arm, now: datetime) -> Lane | None:
    """One arm now, its forecast left out; None while it has neither a mark nor a reading."""
    zero = facts.arm_zero(arm)
    if zero is None:
        return None
    trial = facts.trial
    habit = HABITS[arm.cooker.kind] if arm.cooker else HABITS["drum"]
    many = len(arm.pieces) > 1
    inner: list[Series] = []
    pits: list[Series] = []
    for probe in trial.probes:
        if probe.arm_id != arm.id or not len(facts.live(probe.id).minute):
            continue
        own = facts.probe_zero(probe)
        shift = (own - zero).total_seconds() / 60 if own is not None else 0.0
        found = facts.live(probe.id)
        place = f"{probe.piece.name} {probe.place}" if many and probe.piece else probe.place
        at, temp_c = facts.newest[probe.id]
        last = ((at - zero).total_seconds() / 60, temp_c)
        (pits if probe.is_pit else inner).append(Series(place, found.minute + shift, found.mean_c, probe.is_pit, last))

    def minute(at: datetime) -> float:
        return (at - zero).total_seconds() / 60

    marks = tuple(Mark(minute(e.at), e.kind, e.wrap_in or e.note, e.temp_c) for e in trial.events if e.arm_id == arm.id)
    mine = {piece.id for piece in arm.pieces}
    looks = tuple(
        Seen(minute(look.at), look.bark, look.colour, tuple(Felt(s.place, s.temp_c, s.feel) for s in look.spots))
        for look in trial.looks
        if look.piece_id in mine
    )
    stalls = facts.measures[arm.pieces[0].id].stalls.stalls if arm.pieces else ()
    return Lane(
        letter=arm.letter,
        kind=arm.cooker.kind if arm.cooker else "",
        now_min=minute(now),
        plan=plan_of(facts.session, arm),
        inner=tuple(inner),
        pits=tuple(pits),
        marks=marks,
        looks=looks,
        stalls=stalls,
        serve_min=minute(trial.serve_at) if trial.serve_at is not None else None,
        swing_c=habit.swing_c,
        swing_min=habit.period_min,
        drift_c=habit.drift_c,
        lid_drop_c=habit.lid_drop_c,
        recovery_min=habit.recovery_min,
    )


def told_of(row: ToldRow, zero: datetime, units: Units) -> Told:
    """A forecast of an arm on the lane's clock, its options worded in a person's units."""
    body = row.body

    def name(option: dict[str, object]) -> str:
        pit = option.get("pit_c")
        return f"pit to {units.temp_text(pit)}" if isinstance(pit, float | int) else str(option["name"])

    shift = (datetime.fromisoformat(body["zero"]) - zero).total_seconds() / 60

    def moved(minutes: float | None) -> float | None:
        return None if minutes is None else minutes + shift

    low, middle, high = body["done_min"]
    return Told(
        made_min=(row.made_at - zero).total_seconds() / 60,
        done_min=(moved(low), moved(middle), moved(high)),
        options=tuple((name(option), moved(option["done_min"])) for option in body["options"]),
        peak_c=body.get("peak_c"),
        hot_until_min=body.get("hot_until_min"),
        give_or_take={name(o): o["give_or_take"] for o in body["options"] if o.get("give_or_take") is not None},
    )


def clock_of(lane: Lane, now: datetime, minute: float) -> datetime:
    """The moment of a lane's minute."""
    return now + timedelta(minutes=minute - lane.now_min)
