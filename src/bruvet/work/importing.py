"""Bringing a logger file into a trial: all of it or nothing."""

from __future__ import annotations

import hashlib
import logging
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import Engine, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bruvet.core.trial.event_text import read_event
from bruvet.core.units import c_from_f
from bruvet.formats.logger import Choices, Understanding, UnreadableFile, collect, understand
from bruvet.records.models import Arm, Event, LogFile, Piece, Probe, Trial
from bruvet.records.series import moment, save_readings, seconds
from bruvet.records.store import session_scope

log = logging.getLogger(__name__)
KEPT_BAD_LINES = 500


class BadMapping(ValueError):
    """The mapping of columns cannot be carried out; the text says which part and why."""


@dataclass(frozen=True)
class Target:
    """Where a column's readings go: the pit of an arm, or a place in a piece."""

    arm_id: int
    piece_id: int | None
    place: str


def add_file(session: Session, trial: Trial, name: str, content: bytes, person_id: int | None) -> tuple[LogFile, bool]:
    """Keep an uploaded file with the trial; the same bytes again give the file that is already there."""
    digest = hashlib.sha256(content).hexdigest()
    known = session.scalar(select(LogFile).where(LogFile.trial_id == trial.id, LogFile.sha256 == digest))
    if known is not None:
        return known, False
    understand(content, Choices(log_date=trial.cook_date, tz=trial.tz))
    row = LogFile(
        trial_id=trial.id, name=name[:255], sha256=digest, size=len(content), content=content, created_by=person_id
    )
    session.add(row)
    session.flush()
    return row, True


def choices_of(trial: Trial, mapping: dict[str, Any]) -> Choices:
    return Choices(
        log_date=date.fromisoformat(mapping["date"]) if mapping.get("date") else trial.cook_date,
        tz=mapping.get("tz") or trial.tz,
        order=mapping.get("order") or None,
        elapsed_scale=mapping.get("elapsed_scale") or None,
        units=mapping.get("units") or {},
        roles=mapping.get("roles") or {},
    )


def series_names(understanding: Understanding) -> list[str]:
    """Names that can be assigned: the temperature columns, or the probes of a long file."""
    if understanding.layout == "wide":
        return [c.name for c in understanding.columns if c.role == "temperature"]
    probe = understanding.index("probe")
    assert probe is not None
    return list(
        dict.fromkeys(
            row.cells[probe].strip() or "(no name)" for row in understanding.table.rows() if probe < len(row.cells)
        )
    )


def guess_target(name: str, arms: list[Arm]) -> str:
    """A first guess of where a column goes, as `pit:ARM` or `piece:ID:PLACE`; empty when there is no telling."""
    words = name.lower().replace("_", " ").replace("-", " ").replace("(", " ").replace(")", " ").split()
    arm = next((a for a in arms if a.letter.lower() in words or f"{a.letter.lower()}1" in words), None)
    if arm is None and len(arms) == 1:
        arm = arms[0]
    if arm is None:
        return ""
    if {"pit", "grate", "ambient", "chamber", "air", "cooker", "smoker", "oven"} & set(words):
        return f"pit:{arm.id}"
    return f"piece:{arm.pieces[0].id}" if arm.pieces else ""


def run_import(session: Session, row: LogFile, progress: Callable[[float], None] | None = None) -> dict[str, Any]:
    """Read a kept file under its mapping and store its readings and events in the session's transaction.

    Raises
    ------
    BadMapping, UnreadableFile
        With nothing stored.
    """
    trial = row.trial
    mapping = row.mapping
    choices = choices_of(trial, mapping)
    understanding = understand(row.content, choices)
    readings = collect(understanding, choices, lambda share: progress(0.5 * share) if progress else None)
    zero_s = 0.0
    if not readings.dated:
        if not mapping.get("zero"):
            raise BadMapping("This log counts from its own start: say when it began.")
        zero_s = seconds(datetime.fromisoformat(mapping["zero"]).replace(tzinfo=ZoneInfo(choices.tz)))
    targets = mapping.get("targets") or {}
    known = {series.name: series for series in readings.series}
    stored, used = [], []
    for name, goes_to in targets.items():
        if name not in known:
            raise BadMapping(f"The file has no column '{name}'.")
        probe = probe_for(session, trial, goes_to, name)
        series = known[name]
        stored.append((probe.id, series.at + zero_s, series.temp_c))
        used.append({"name": name, "to": probe.label, "readings": len(series.at)})
    if not stored:
        raise BadMapping("No column was assigned to an arm, so there is nothing to bring in.")
    total = sum(len(at) for _, at, _ in stored)
    new = save_readings(session, stored, lambda share: progress(0.5 + 0.45 * share) if progress else None)
    events = 0
    if mapping.get("events_to"):
        events = _take_events(session, trial, int(mapping["events_to"]), understanding, readings.events, zero_s, row)
    if progress:
        progress(1.0)
    return {
        "rows": readings.rows,
        "readings": total,
        "new": new,
        "already": total - new,
        "duplicates": readings.duplicates,
        "bad_count": len(readings.bad),
        "bad": [list(item) for item in readings.bad[:KEPT_BAD_LINES]],
        "columns": used,
        "events": events,
    }


def import_now(session: Session, row: LogFile) -> dict[str, Any]:
    """Import a kept file under its mapping and mark it as done, in the session's transaction."""
    row.outcome = run_import(session, row)
    row.state, row.done_share = "done", 1.0
    return row.outcome


def probe_for(session: Session, trial: Trial, goes_to: dict[str, Any], name: str) -> Probe:
    """The probe at a target, made when there is none yet.

    Raises
    ------
    BadMapping
        When the trial has no such arm or piece.
    """
    target = _target(trial, goes_to, name)
    probe = session.scalar(
        select(Probe).where(
            Probe.trial_id == trial.id,
            Probe.arm_id == target.arm_id,
            Probe.piece_id.is_not_distinct_from(target.piece_id),
            Probe.place == target.place,
        )
    )
    if probe is None:
        # Another worker may be making the same one at this moment: whoever comes second takes the first's.
        values = {"trial_id": trial.id, "arm_id": target.arm_id, "piece_id": target.piece_id, "place": target.place}
        session.execute(insert(Probe).values(**values).on_conflict_do_nothing())
        session.expire(trial, ["probes"])
        probe = session.scalars(select(Probe).filter_by(**values)).one()
    return probe


def _target(trial: Trial, goes_to: dict[str, Any], name: str) -> Target:
    place = str(goes_to.get("place") or "").strip()[:60]
    arms = {arm.id: arm for arm in trial.arms}
    pieces: dict[int, Piece] = {piece.id: piece for arm in trial.arms for piece in arm.pieces}
    kind, _, number = str(goes_to.get("to") or "").partition(":")
    if kind == "pit" and number.isdigit() and int(number) in arms:
        return Target(int(number), None, place or "grate")
    if kind == "piece" and number.isdigit() and int(number) in pieces:
        return Target(pieces[int(number)].arm_id, int(number), place or "middle")
    raise BadMapping(f"Column '{name}' goes to an arm or a piece that this trial does not have.")


def _take_events(
    session: Session,
    trial: Trial,
    arm_id: int,
    understanding: Understanding,
    written: tuple[tuple[float, str], ...],
    zero_s: float,
    row: LogFile,
) -> int:
    pit_units = {c.unit for c in understanding.columns if c.role in ("temperature", "value")}
    taken = 0
    for at, text in written:
        said = read_event(text)
        temp = said.temp
        if temp is not None and (said.unit or ("f" if pit_units == {"f"} else "c")) == "f":
            temp = c_from_f(temp)
        when = moment(at + zero_s)
        again = session.scalar(
            select(Event.id).where(
                Event.trial_id == trial.id, Event.arm_id == arm_id, Event.kind == said.kind, Event.at == when
            )
        )
        if again is None:
            session.add(
                Event(
                    trial_id=trial.id,
                    arm_id=arm_id,
                    kind=said.kind.value,
                    at=when,
                    wrap_in=said.wrap_in,
                    temp_c=temp,
                    note=text[:500],
                    created_by=row.created_by,
                )
            )
            taken += 1
    return taken


def import_in_background(engine: Engine, file_id: int) -> None:
    """The job: import, and say in the file's row how far it is and how it ended."""

    def note(**values: Any) -> None:
        with session_scope(engine) as session:
            session.execute(update(LogFile).where(LogFile.id == file_id).values(**values))

    note(state="running", done_share=0.0)
    try:
        with session_scope(engine) as session:
            row = session.get(LogFile, file_id)
            if row is None:
                return
            outcome = run_import(session, row, lambda share: note(done_share=share))
    except (BadMapping, UnreadableFile) as error:
        note(state="failed", outcome={"error": str(error)})
    except Exception:
        log.exception("import of log file %s failed", file_id)
        note(
            state="failed",
            outcome={"error": "Something went wrong in Bruvet; nothing was saved. The log has the details."},
        )
        raise
    else:
        note(state="done", done_share=1.0, outcome=outcome)
