"""Trials under way, worked out again and again: where they stand, what to warn of, what to decide, how it will go on.

One watcher does this for all boards, so that a board is a small row to read, however many phones look at it.
"""

from __future__ import annotations

import json
import logging
import urllib.request
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, replace
from datetime import UTC, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bruvet.core.pitside.calls import asked_once, calls
from bruvet.core.pitside.lane import Lane, due, fuel_left, phase, stall_words
from bruvet.core.pitside.watches import Alarm, watch
from bruvet.core.twin.forecast import Band
from bruvet.core.units import Units
from bruvet.records.models import Arm, Channel, Event, Probe, Trial
from bruvet.records.series import ROLLED_S, Buckets
from bruvet.records.watching import Board, ToldRow, WatchRow

from .analysis import TrialFacts
from .forecasts import from_now
from .lanes import clock_of, lane_of, told_of
from .ledgers import kept_ledger

log = logging.getLogger("bruvet.live")

RUNNING_WITHIN = timedelta(hours=40)
QUIET_AFTER = timedelta(hours=4)
TELL_EVERY = timedelta(minutes=4)
WHOLE_EVERY = timedelta(minutes=1)
OVERLAP_MIN = 6.0
# A warning ends when it has not held for this long, so that one on the edge does not flicker.
GONE_AFTER = timedelta(minutes=5)
SHOWN = (("f", Units("f", "lb")), ("c", Units("c", "kg")))
WEBHOOK_S = 5.0
TOLD_SHOWN = 40
LONG_AGO = datetime.min.replace(tzinfo=UTC)


def under_way(session: Session, now: datetime) -> list[Trial]:
    """Trials that are being cooked: with meat on of late and not all cut, or with a station that sits in them."""
    on = select(Event.trial_id).where(
        Event.kind == "meat-on", Event.at > now - RUNNING_WITHIN, Event.at < now + QUIET_AFTER
    )
    seated = (
        select(Probe.trial_id).join(Channel, Channel.probe_id == Probe.id)
        .where(Channel.until_at.is_(None), Channel.from_at > now - RUNNING_WITHIN)
    )  # fmt: skip
    trials = session.scalars(select(Trial).where(or_(Trial.id.in_(on), Trial.id.in_(seated))).order_by(Trial.id))
    return [trial for trial in trials if not _over(trial, now)]


def _over(trial: Trial, now: datetime) -> bool:
    """Every arm cut, or pulled long ago."""
    for arm in trial.arms:
        mine = [event for event in trial.events if event.arm_id == arm.id]
        cut = any(e.kind in ("cut", "rest-end") and now - e.at > timedelta(minutes=30) for e in mine)
        pulled = any(e.kind == "pull" and now - e.at > timedelta(hours=14) for e in mine)
        if not (cut or pulled):
            return False
    return True


@dataclass
class LiveTrial:
    """What the watcher keeps of one trial between two looks at it: its readings so far, and when it last told ahead."""

    trial_id: int
    buckets: dict[int, Buckets] = field(default_factory=dict)
    whole_at: datetime | None = None
    zeros: dict[int, datetime | None] = field(default_factory=dict)
    told_at: dict[int, datetime] = field(default_factory=dict)

    def facts(self, session: Session, trial: Trial, now: datetime) -> TrialFacts:
        """The trial with its readings: all of them once a minute, in between only the newest."""
        facts = TrialFacts(session, trial, Units())
        zeros = {probe.id: facts.probe_zero(probe) for probe in trial.probes}
        if self.whole_at is None or now - self.whole_at > WHOLE_EVERY or zeros != self.zeros:
            self.buckets = facts.fetched(ROLLED_S)
            self.whole_at, self.zeros = now, zeros
        else:
            known = [z for z in zeros.values() if z is not None]
            low = min(((now - z).total_seconds() / 60 for z in known), default=0.0) - OVERLAP_MIN
            for probe_id, new in facts.fetched(ROLLED_S, low).items():
                self.buckets[probe_id] = self.buckets[probe_id].followed_by(new) if probe_id in self.buckets else new
        facts.use(self.buckets)
        return facts

    def due_to_tell(self, trial: Trial, now: datetime) -> list[int]:
        """Arms that are cooking and whose forecast is old, which from now on count as told."""
        on, off = ({e.arm_id for e in trial.events if e.kind == kind} for kind in ("meat-on", "pull"))
        due = [
            arm.id for arm in trial.arms if arm.id in on - off and now - self.told_at.get(arm.id, LONG_AGO) > TELL_EVERY
        ]
        self.told_at |= dict.fromkeys(due, now)
        return due


def _half_width(band: Band | None) -> float | None:
    if band is None or band.p10 is None or band.p90 is None:
        return None
    return (band.p90 - band.p10) / 2


def tell_ahead(session: Session, arm: Arm, now: datetime) -> bool:
    """Forecast an arm from its readings so far, and keep that; False when it cannot be told."""
    facts = TrialFacts(session, arm.trial, Units())
    told = from_now(facts, arm.pieces[0]) if arm.pieces else None
    zero = facts.arm_zero(arm)
    if told is None or zero is None:
        return False
    first = told.tried[0]
    band = first.done_min
    rest = first.told.rest
    body = {
        "zero": zero.isoformat(),
        "now_min": told.now_min,
        "done_min": [band.p10, band.p50, band.p90] if band else [None, None, None],
        "options": [
            {
                "name": t.option.name,
                "pit_c": t.option.pit_c,
                "done_min": t.done_min.p50 if t.done_min else None,
                "give_or_take": _half_width(t.done_min),
            }
            for t in told.tried
        ],
        "peak_c": rest.peak_c.p50 if rest else None,
        "hot_until_min": rest.below_hot_min if rest else None,
    }
    session.add(ToldRow(arm_id=arm.id, made_at=now, body=body))
    return True


def keep(session: Session, facts: TrialFacts, now: datetime) -> list[WatchRow]:
    """Work a trial's board out and keep it; returns the warnings that are new."""
    trial = facts.trial
    body: dict[str, Any] = {}
    alarms: dict[str, dict[str, Alarm]] = {}
    found = [(lane, _told_rows(session, arm)) for arm in trial.arms if (lane := lane_of(facts, arm, now)) is not None]
    for shown, units in SHOWN:
        facts.units = units
        lanes = [_with_forecast(lane, rows, now, units) for lane, rows in found]
        alarms[shown] = {alarm.key: alarm for lane in lanes for alarm in watch(lane, units)}
        decide = [*calls(lanes, units), *asked_once(kept_ledger(facts).departures)] if lanes else []
        body[shown] = {"calls": [asdict(call) for call in decide]}
    # Minutes and moments are the same in any unit.
    body["lanes"] = [_standing(lane, _told_so_far(rows), now) for lane, (_, rows) in zip(lanes, found, strict=True)]
    fresh = _kept_alarms(session, trial, alarms, body["lanes"], now)
    statement = insert(Board).values(trial_id=trial.id, made_at=now, body=body)
    session.execute(
        statement.on_conflict_do_update(index_elements=[Board.trial_id], set_={"made_at": now, "body": body})
    )
    return fresh


def _told_rows(session: Session, arm: Arm) -> list[ToldRow]:
    """An arm's last forecasts, the newest first."""
    rows = select(ToldRow).where(ToldRow.arm_id == arm.id).order_by(ToldRow.made_at.desc()).limit(TOLD_SHOWN)
    return list(session.scalars(rows))


def _with_forecast(lane: Lane, rows: Sequence[ToldRow], now: datetime, units: Units) -> Lane:
    return replace(lane, told=told_of(rows[0], clock_of(lane, now, 0.0), units)) if rows else lane


def _told_so_far(rows: Sequence[ToldRow]) -> list[list[str | None]]:
    """When each of the last forecasts was made, with its 10, 50 and 90 % of done as moments."""

    def moment(body: dict[str, Any], minutes: float | None) -> str | None:
        if minutes is None:
            return None
        return (datetime.fromisoformat(body["zero"]) + timedelta(minutes=minutes)).isoformat(timespec="seconds")

    told = [
        [row.made_at.isoformat(timespec="seconds"), *(moment(row.body, m) for m in row.body["done_min"])]
        for row in rows
    ]
    return told[::-1]


def _standing(lane: Lane, told_so_far: list[list[str | None]], now: datetime) -> dict[str, Any]:
    """One lane as it is kept: stored units and moments, nothing worded that depends on a person."""

    def clock(minute: float | None) -> str | None:
        return None if minute is None else clock_of(lane, now, minute).isoformat(timespec="seconds")

    told = lane.told
    return {
        "letter": lane.letter,
        "zero": clock(0.0),
        "on": lane.on,
        "pulled": clock(lane.pulled_min),
        "phase": phase(lane),
        "stall": stall_words(lane),
        "pit_c": lane.pit_c,
        "pit_target_c": lane.pit_target_c,
        "pit_at": clock(max((s.last_min for s in lane.pits if s.last_min is not None), default=None)),
        "probes": [
            {"place": s.place, "c": s.last_c, "rate": s.rate(lane.now_min), "at": clock(s.last_min)} for s in lane.inner
        ],
        "fuel": fuel_left(lane) if lane.cooking or not lane.on else None,
        "load_h": lane.plan.load_h,
        "done": [clock(m) for m in told.done_min] if told is not None and lane.cooking else None,
        "told_at": clock(told.made_min) if told is not None else None,
        "told": told_so_far if lane.cooking else [],
        "due": [{"what": d.what, "at": clock(d.at_min)} for d in due(lane)[:3]],
    }


def _kept_alarms(
    session: Session, trial: Trial, alarms: dict[str, dict[str, Alarm]], lanes: Sequence[dict[str, Any]], now: datetime
) -> list[WatchRow]:
    """Open a row for each new warning, keep those that go on, end those that have not held for a while."""
    still_open = select(WatchRow).where(WatchRow.trial_id == trial.id, WatchRow.ended_at.is_(None))
    open_rows = {row.key: row for row in session.scalars(still_open)}
    zeros = {lane["letter"]: datetime.fromisoformat(lane["zero"]) for lane in lanes}
    fresh = []
    for key, alarm in alarms["f"].items():
        words = {shown: found[key].words for shown, found in alarms.items() if key in found}
        row = open_rows.get(key)
        if row is None:
            began = zeros[alarm.letter] + timedelta(minutes=alarm.since_min)
            row = WatchRow(
                trial_id=trial.id, key=key, kind=alarm.kind, letter=alarm.letter, level=alarm.level, words=words,
                began_at=min(began, now), fired_at=now, last_at=now,
            )  # fmt: skip
            session.add(row)
            fresh.append(row)
        else:
            row.last_at, row.words = now, words
    for key, row in open_rows.items():
        if key not in alarms["f"] and now - row.last_at > GONE_AFTER:
            row.ended_at = row.last_at
    return fresh


# ---- telling it on --------------------------------------------------------------------------------------


def quiet_now(trial: Trial, now: datetime) -> bool:
    """Whether it is the person's quiet hours."""
    low, high = trial.watching.get("quiet_from"), trial.watching.get("quiet_until")
    if not low or not high:
        return False
    local = now.astimezone(ZoneInfo(trial.tz)).time()
    begin, end = time.fromisoformat(low), time.fromisoformat(high)
    return begin <= local < end if begin < end else local >= begin or local < end


def to_tell(session: Session, trial: Trial, now: datetime) -> list[WatchRow]:
    """Warnings not yet sent to the webhook: what asks for action at any hour, the rest outside quiet hours."""
    rows = session.scalars(
        select(WatchRow).where(WatchRow.trial_id == trial.id, WatchRow.told_at.is_(None), WatchRow.ended_at.is_(None))
    )
    quiet = quiet_now(trial, now)
    return [row for row in rows if not quiet or row.level == "act"]


def tell_on(session: Session, trial: Trial, now: datetime) -> None:
    """Send what is to be told to the trial's webhook; what does not arrive is tried again."""
    address = trial.watching.get("webhook", "")
    if not address:
        return
    for row in to_tell(session, trial, now):
        message = {
            "trial": trial.title, "arm": row.letter, "kind": row.kind, "level": row.level,
            "words": row.words.get(trial.temp_unit, row.words.get("f", "")), "began": row.began_at.isoformat(),
        }  # fmt: skip
        request = urllib.request.Request(
            address, data=json.dumps(message).encode(), headers={"Content-Type": "application/json"}
        )
        try:
            with urllib.request.urlopen(request, timeout=WEBHOOK_S):
                row.told_at = now
        except (OSError, ValueError) as error:
            log.info("webhook", extra={"trial": trial.id, "why": str(error)[:200]})
            return
