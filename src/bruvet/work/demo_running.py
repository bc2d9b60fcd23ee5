"""The demo's trial under way, and the station that goes on with it."""

from __future__ import annotations

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bruvet.core.units import c_from_f
from bruvet.instruments.bench_cook import Script, cook
from bruvet.instruments.station import Channel as StationChannel
from bruvet.instruments.station import readings
from bruvet.records.models import Arm, Cooker, Event, Probe, Station, Trial

from .demo import RUB, TZ, piece_of
from .stations import new_token, seat, take, token_hash

RUNNING_TITLE = "Pork collar: paper or bare"
RUNNING_AGO = timedelta(hours=3, minutes=40)
RUNNING_A = Script(
    "drum", "pork-collar", 2.1, 90, ((0, c_from_f(255.0)),), 4.2, 71.0, "paper", 95.0, 90, ((150, 2),), seed=51
)
RUNNING_B = Script(
    "offset",
    "pork-collar",
    2.05,
    89,
    ((0, c_from_f(255.0)),),
    4.0,
    None,
    "none",
    95.0,
    90,
    ((150, 2),),
    (150.0,),
    seed=52,
)
STATION = "Boathouse station"


def running_channels() -> list[StationChannel]:
    """The channels of the demo's station, each with the curve that it reads."""
    out = []
    for letter, script in (("A", RUNNING_A), ("B", RUNNING_B)):
        logged = cook(script)
        pit = np.where(np.isfinite(logged.pit_c), logged.pit_c, 24.0)
        out += [
            StationChannel(f"{letter} pit", logged.t_min, pit),
            StationChannel(
                f"{letter} meat", logged.t_min, np.where(np.isfinite(logged.meat_c), logged.meat_c, script.start_c)
            ),
        ]
    return out


def fills(kind: str) -> list[float]:
    """Minutes at which a splits burner is fed; one load does for the others."""
    return [-60.0, *range(10, 240, 50)] if kind == "offset" else []


def keep_running(session: Session, now: datetime) -> tuple[str, datetime]:
    """See that one trial is under way and a station may deliver to it; when the last one is over, a new one has begun.

    Returns
    -------
    str, datetime
        The station's token, new each time, and when its meat went on.
    """
    now = now.replace(microsecond=0)
    channels = running_channels()
    lasts = timedelta(minutes=max(float(channel.t_min[-1]) for channel in channels))
    station = session.scalar(select(Station).where(Station.name == STATION))
    if station is None:
        station = Station(name=STATION, token_hash="")
        session.add(station)
    token = new_token()
    station.token_hash = token_hash(token)
    began = session.scalar(
        select(func.max(Event.at))
        .join(Trial, Trial.id == Event.trial_id)
        .where(Trial.title == RUNNING_TITLE, Event.kind == "meat-on")
    )
    if began is not None and now < began + lasts:
        return token, began
    began = now - RUNNING_AGO
    drum, brick = (session.scalars(select(Cooker).where(Cooker.kind == kind)).first() for kind in ("drum", "offset"))
    trial = Trial(
        title=RUNNING_TITLE,
        question="Does paper hurry a collar, and what does it do to the bark?",
        factor="wrap",
        held_same="Same rub, same start, 255 °F, done by feel near 203 °F, ninety minutes in the box.",
        cook_date=began.astimezone(ZoneInfo(TZ)).date(),
        tz=TZ,
        note="Running now; its station delivers by itself.",
    )
    for letter, script, cooker in (("A", RUNNING_A, drum), ("B", RUNNING_B, brick)):
        arm = Arm(
            letter=letter,
            label="paper" if letter == "A" else "bare",
            cooker=cooker,
            pit_target_c=c_from_f(255.0),
            wrap_rule="temperature" if letter == "A" else "never",
            wrap_in=script.wrap_in,
            wrap_at_c=script.wrap_at_c,
            done_at_c=script.done_c,
            rest_min=90,
            wood="Pear, two chunks",
            rub=RUB,
        )
        arm.pieces = [piece_of("pork-collar", script.mass_kg, script.thickness_mm, script.start_c)]
        trial.arms.append(arm)
    session.add(trial)
    session.flush()
    warm = began - timedelta(minutes=30)
    for arm, script in zip(trial.arms, (RUNNING_A, RUNNING_B), strict=True):
        trial.events.append(Event(arm_id=arm.id, kind="meat-on", at=began))
        wrapped = cook(script).wrap_min
        if wrapped is not None and began + timedelta(minutes=wrapped) <= now:
            at_wrap = began + timedelta(minutes=wrapped)
            trial.events.append(Event(arm_id=arm.id, kind="wrap", at=at_wrap, wrap_in=script.wrap_in))
        for minute, minutes in script.lid:
            trial.events.append(Event(arm_id=arm.id, kind="lid", at=began + timedelta(minutes=minute), minutes=minutes))
        for minute in fills(script.cooker):
            if began + timedelta(minutes=minute) <= now:
                at_fill = began + timedelta(minutes=minute)
                trial.events.append(
                    Event(arm_id=arm.id, kind="fuel", at=at_fill, amount_kg=0.55 if minute > 0 else 1.6)
                )
        for minute in script.spritz:
            trial.events.append(Event(arm_id=arm.id, kind="spritz", at=began + timedelta(minutes=minute)))
        for kind, piece_id, place in (("pit", None, "grate"), ("meat", arm.pieces[0].id, "middle")):
            probe = Probe(trial_id=trial.id, arm_id=arm.id, piece_id=piece_id, place=place)
            session.add(probe)
            session.flush()
            seat(station, f"{arm.letter} {kind}", probe, warm)
    session.flush()
    # What the station has read so far, a reading a minute; it goes on from here.
    so_far = readings(channels, began, warm, now, 60.0, 1, 0.1)
    items = [{"channel": one.channel, "at": one.at.isoformat(), "temp_c": one.temp_c} for one in so_far]
    take(session, station, items, now)
    return token, began
