"""A stand-in for a station, run by the watcher for a trial that asks for one: simulated pieces in simulated cookers."""

from __future__ import annotations

from datetime import datetime, timedelta
from functools import lru_cache

import numpy as np
from sqlalchemy.orm import Session

from bruvet.core.twin.draws import half_m
from bruvet.instruments.bench_cook import Logged, Script, cook
from bruvet.instruments.station import Channel, readings
from bruvet.records.models import Arm, Event, Probe, Trial
from bruvet.records.series import save_readings, seconds

from .forecasts import USUAL_DONE_C, planned_case
from .importing import probe_for

EVERY_S = 20.0


def begin(session: Session, trial: Trial, now: datetime, ago_min: float = 0.0, seed: int = 7) -> None:
    """Put a stand-in to a trial: meat on that long ago, its readings from then on."""
    began = now.replace(microsecond=0) - timedelta(minutes=ago_min)
    for arm in trial.arms:
        if not any(event.kind == "meat-on" and event.arm_id == arm.id for event in trial.events):
            trial.events.append(Event(arm_id=arm.id, kind="meat-on", at=began, note="a stand-in"))
    trial.stand_in = {"began": began.isoformat(), "sent": (began - timedelta(minutes=5)).isoformat(), "seed": seed}


@lru_cache(maxsize=16)
def _cooked(script: Script) -> Logged:
    return cook(script)


def script_of(arm: Arm, seed: int) -> Script | None:
    """What a stand-in cooks for an arm: its own plan. None where the cut is not one that can be simulated."""
    piece = arm.pieces[0] if arm.pieces else None
    case = planned_case(piece) if piece is not None else None
    if case is None:
        return None
    wrap_c, wrap = case.wrap_at_c or (None, "none")
    return Script(
        case.cooker, case.cut, case.mass_kg, 2000 * half_m(case), case.pit_c, case.start_c, wrap_c, wrap,
        arm.done_at_c or USUAL_DONE_C, arm.rest_min or 30.0, seed=seed + ord(arm.letter),
    )  # fmt: skip


def deliver(session: Session, trial: Trial, now: datetime) -> int:
    """Send what a trial's stand-in has read since the last time; returns how many readings."""
    said = trial.stand_in
    if not said.get("began"):
        return 0
    began, sent = datetime.fromisoformat(said["began"]), datetime.fromisoformat(said["sent"])
    rows: list[tuple[int, np.ndarray, np.ndarray]] = []
    for arm in trial.arms:
        script = script_of(arm, int(said.get("seed", 7)))
        if script is None:
            continue
        logged = _cooked(script)
        for to, place, values in (
            (f"pit:{arm.id}", "grate", logged.pit_c),
            (f"piece:{arm.pieces[0].id}", "middle", logged.meat_c),
        ):
            probe: Probe = probe_for(session, trial, {"to": to, "place": place}, place)
            session.flush()
            known = np.isfinite(values)
            channel = Channel(f"{arm.letter} {place}", logged.t_min[known], values[known])
            found = readings([channel], began, sent, now, EVERY_S, script.seed, 0.1)
            values = np.array([(seconds(one.at), one.temp_c) for one in found]).reshape(-1, 2)
            rows.append((probe.id, values[:, 0], values[:, 1]))
    save_readings(session, rows)
    trial.stand_in = said | {"sent": now.isoformat()}
    return sum(len(at_s) for _, at_s, _ in rows)
