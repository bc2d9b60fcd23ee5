"""A whole trial taken out as a bundle, and a bundle brought in: by the tables' own columns, row by row."""

from __future__ import annotations

import re
import secrets
import uuid
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any
from zoneinfo import available_timezones

from sqlalchemy import JSON, Column, ColumnElement, Table, insert, select
from sqlalchemy.exc import DataError, IntegrityError
from sqlalchemy.orm import Session

from bruvet.core.tasting.codes import PLAIN
from bruvet.core.trial import terms
from bruvet.core.units import Units
from bruvet.formats.trial_bundle import BadBundle, Bundle, Kept, Series, read, write
from bruvet.records.models import (
    Arm,
    Base,
    Channel,
    Cooker,
    Cutting,
    Event,
    LogFile,
    Look,
    Panellist,
    Photo,
    Piece,
    Probe,
    Score,
    Spot,
    Station,
    Trial,
)
from bruvet.records.series import half_minutes_alone, keep_half_minutes, raw, save_readings
from bruvet.records.tasting import Ballot, BallotAnswer, Panel, Sample
from bruvet.records.watching import AnswerRow, ToldRow, WatchRow

from .analysis import TrialFacts
from .panel_results import results, servings
from .panel_table import said_in_panels
from .photos import check_kept
from .verdicts import key_figures, verdict_of

Where = Callable[[int], ColumnElement[bool]]


@dataclass(frozen=True)
class Part:
    """One table of the bundle: which of its rows are the trial's, and the columns that stay behind."""

    model: type[Base]
    rows: Where
    behind: frozenset[str] = frozenset()


ARMS, PIECES, PROBES, LOOKS, PANELLISTS, PANELS, BALLOTS = (
    lambda trial_id: select(Arm.id).where(Arm.trial_id == trial_id),
    lambda trial_id: select(Piece.id).join(Arm).where(Arm.trial_id == trial_id),
    lambda trial_id: select(Probe.id).where(Probe.trial_id == trial_id),
    lambda trial_id: select(Look.id).where(Look.trial_id == trial_id),
    lambda trial_id: select(Panellist.id).where(Panellist.trial_id == trial_id),
    # A tasting whose envelope is shut stays where it is: nobody is told what was what, nor what was said.
    lambda trial_id: select(Panel.id).where(Panel.trial_id == trial_id, Panel.state == "opened"),
    lambda trial_id: select(Ballot.id).join(Panel).where(Panel.trial_id == trial_id, Panel.state == "opened"),
)


def _cookers(trial_id: int) -> ColumnElement[bool]:
    both = (select(column).where(Arm.trial_id == trial_id) for column in (Arm.cooker_id, Arm.move_to_id))
    first, second = both
    return Cooker.id.in_(first) | Cooker.id.in_(second)


# In the order in which they are brought in: each points only to those before it.
PARTS = (
    Part(Cooker, _cookers),
    # What watches a trial, and what stands in for its cook, belongs to the server it runs on.
    Part(Trial, lambda i: Trial.id == i, frozenset({"updated_at", "watching", "stand_in", "first_day_id"})),
    Part(Arm, lambda i: Arm.trial_id == i),
    Part(Piece, lambda i: Piece.arm_id.in_(ARMS(i))),
    Part(Cutting, lambda i: Cutting.piece_id.in_(PIECES(i))),
    Part(Probe, lambda i: Probe.trial_id == i),
    # Of a station only what corrects readings comes along, without the station.
    Part(Channel, lambda i: Channel.probe_id.in_(PROBES(i)) & (Channel.calibration != {}), frozenset({"station_id"})),
    Part(Event, lambda i: Event.trial_id == i, frozenset({"client_id"})),
    Part(Look, lambda i: Look.trial_id == i, frozenset({"client_id"})),
    Part(Spot, lambda i: Spot.look_id.in_(LOOKS(i))),
    Part(Photo, lambda i: Photo.trial_id == i, frozenset({"client_id"})),
    Part(LogFile, lambda i: LogFile.trial_id == i),
    Part(Panellist, lambda i: Panellist.trial_id == i),
    Part(Score, lambda i: Score.panellist_id.in_(PANELLISTS(i))),
    Part(ToldRow, lambda i: ToldRow.arm_id.in_(ARMS(i))),
    Part(WatchRow, lambda i: WatchRow.trial_id == i),
    Part(AnswerRow, lambda i: AnswerRow.trial_id == i),
    Part(Panel, lambda i: Panel.id.in_(PANELS(i)), frozenset({"join_code"})),
    Part(Sample, lambda i: Sample.panel_id.in_(PANELS(i))),
    Part(Ballot, lambda i: Ballot.id.in_(BALLOTS(i)), frozenset({"token_hash"})),
    Part(BallotAnswer, lambda i: BallotAnswer.ballot_id.in_(BALLOTS(i))),
)
NAMES = frozenset(part.model.__tablename__ for part in PARTS)
# Tables that stay behind, and why.
STAY = {
    "person": "accounts",
    "sign_in": "accounts",
    "sign_in_failure": "accounts",
    "invite": "accounts",
    "station": "its token opens a server's door",
    "verdict_link": "opens a server's door",
    "lesson": "learned again from the cook",
    "board": "worked out again",
    "reading": "a part of its own",
    "reading_rollup": "worked out again",
    "revision": "earlier values stay with who changed them",
    "protocol": "the kitchen's, not a trial's",
    "question_set": "the kitchen's, not a trial's",
}
WORDS: Mapping[tuple[str, str], type[terms.Term]] = {
    ("cooker", "kind"): terms.CookerKind,
    ("trial", "factor"): terms.Factor,
    ("trial", "kind"): terms.TrialKind,
    ("arm", "wrap_rule"): terms.WrapRule,
    ("arm", "wrap_in"): terms.WrapIn,
    ("arm", "done_rule"): terms.DoneRule,
    ("arm", "rest_kind"): terms.RestKind,
    ("piece", "cut"): terms.Cut,
    ("event", "kind"): terms.EventKind,
    ("score", "attribute"): terms.Attribute,
}
LISTS = {("ballot", "steps"), ("probe", "taken_back")}
OTHER_WORDS = {
    ("trial", "temp_unit"): frozenset("cf"),
    ("trial", "mass_unit"): frozenset({"kg", "lb"}),
    ("trial", "together"): frozenset({"start", "finish"}),
    ("panel", "state"): frozenset({"opened"}),
    ("sample", "amount"): frozenset({"bite", "portion"}),
    ("arm", "letter"): frozenset("ABCDEFGH"),
}


def _columns(part: Part) -> dict[str, Column[Any]]:
    """The columns that come along: not a row's own number, not who entered it, not what opens doors."""
    table = part.model.__table__
    assert isinstance(table, Table)
    return {
        column.name: column
        for column in table.columns
        if column.name != "id" and column.name not in part.behind and _points_to(column) in ("", *NAMES)
    }


def _points_to(column: Column[Any]) -> str:
    return next((key.column.table.name for key in column.foreign_keys), "")


def _kind(place: tuple[str, str], column: Column[Any]) -> type:
    if isinstance(column.type, JSON):
        return list if place in LISTS else dict
    return column.type.python_type


def _kept(part: Part) -> dict[str, Kept]:
    out = {}
    for name, column in _columns(part).items():
        place = (part.model.__tablename__, name)
        words = frozenset(w.value for w in WORDS[place]) if place in WORDS else OTHER_WORDS.get(place, frozenset())
        has_default = column.default is not None or column.server_default is not None
        out[name] = Kept(
            _kind(place, column),
            getattr(column.type, "length", None),
            words,
            bool(column.nullable),
            not column.nullable and not has_default,
            _points_to(column),
        )
    return out


# ---- out ---------------------------------------------------------------------------------------------------


def export(session: Session, trial: Trial) -> bytes:
    """A trial as a bundle; tastings whose envelope is shut are left out, and named."""
    numbers: dict[str, dict[int, int]] = {}
    tables: dict[str, list[dict[str, Any]]] = {}
    for part in PARTS:
        table, columns = part.model.__table__, _columns(part)
        assert isinstance(table, Table)
        found = session.execute(select(table).where(part.rows(trial.id)).order_by(*table.primary_key)).mappings()
        rows: list[dict[str, Any]] = []
        for row in found:
            if "id" in row:
                numbers.setdefault(table.name, {})[row["id"]] = len(rows) + 1
            rows.append({name: _out(column, row[name], numbers) for name, column in columns.items()})
        tables[table.name] = [_inner(table.name, row, numbers) for row in rows]
    first = trial.first_day
    tables["trial"][0]["first_day"] = first.uid if first is not None else None
    shut = session.scalars(select(Panel.title).where(Panel.trial_id == trial.id, Panel.state != "opened"))
    probes = numbers.get("probe", {})
    series = ((number, *raw(session, probe_id)) for probe_id, number in probes.items())
    alone = {number: half_minutes_alone(session, probe_id) for probe_id, number in probes.items()}
    return write(
        Bundle(
            tables,
            tuple(Series(*one) for one in series if len(one[1])),
            {number: rows for number, rows in alone.items() if rows},
            tuple(f"the tasting {title}, whose envelope is shut" for title in shut),
        )
    )


def _out(column: Column[Any], value: Any, numbers: Mapping[str, Mapping[int, int]]) -> Any:
    to = _points_to(column)
    return numbers.get(to, {}).get(value) if to and value is not None else value


def _inner(table: str, row: dict[str, Any], numbers: Mapping[str, Mapping[int, int]]) -> dict[str, Any]:
    """Numbers of rows that stand within a value: a ballot's samples, what a log's columns belong to."""
    if table == "ballot":
        return row | {"steps": [_step(step, numbers.get("sample", {})) for step in row["steps"]]}
    if table == "log_file":
        return row | {"mapping": _mapped(row["mapping"], numbers)}
    return row


def _step(step: Mapping[str, Any], to: Mapping[int, int]) -> dict[str, Any]:
    changed = {key: to[step[key]] for key in ("sample", "reference_sample") if key in step}
    codes = {"codes": {code: to[sample] for code, sample in step["codes"].items()}} if "codes" in step else {}
    return {**step, **changed, **codes}


TARGET = re.compile(r"(pit|piece):(\d+)")


def _mapped(value: Any, numbers: Mapping[str, Mapping[int, int]]) -> Any:
    """The same mapping with other numbers; a target that is gone stays a target of nothing."""
    if isinstance(value, dict):
        return {key: _mapped(one, numbers) for key, one in value.items()}
    if isinstance(value, list):
        return [_mapped(one, numbers) for one in value]
    if isinstance(value, str) and (found := TARGET.fullmatch(value)):
        table = {"pit": "arm", "piece": "piece"}[found[1]]
        return f"{found[1]}:{numbers.get(table, {}).get(int(found[2]), 0)}"
    return value


# ---- in ----------------------------------------------------------------------------------------------------


class HereAlready(BadBundle):
    """The trial of this bundle is in the database; `trial_id` is its number."""

    def __init__(self, trial_id: int, title: str) -> None:
        super().__init__(f"this trial is here already, as {title}; bring it in as a copy if you want it twice")
        self.trial_id = trial_id


def bring_in(session: Session, content: bytes, person_id: int | None = None, copy: bool = False) -> Trial:
    """The trial of a bundle, all of it or nothing: the session is rolled back where it cannot be.

    Parameters
    ----------
    copy : take it as another trial although it is here already.

    Raises
    ------
    BadBundle
        Saying where the document goes wrong. Nothing is kept then.
    """
    columns = {part.model.__tablename__: _kept(part) for part in PARTS}
    columns["trial"]["first_day"] = Kept(str, 36, empty=True)
    bundle = read(content, columns)
    uid, zone = (bundle.tables["trial"][0].get(name) for name in ("uid", "tz"))
    if zone not in available_timezones():
        raise BadBundle(f"tables.trial, row 1, tz: {str(zone)[:40]!r} is no time zone")
    here = session.scalar(select(Trial).where(Trial.uid == uid)) if uid else None
    if here is not None and not copy:
        raise HereAlready(here.id, here.title)
    try:
        trial = _store(session, bundle, person_id, fresh=here is not None)
        _try_out(session, trial)
    except (DataError, IntegrityError) as error:
        session.rollback()
        words = str(error.orig).splitlines()[0]
        raise BadBundle(f"the rows contradict one another: {words[:160]}") from None
    except BadBundle:
        session.rollback()
        raise
    except Exception as error:
        session.rollback()
        raise BadBundle(f"its pages cannot be made of it ({type(error).__name__}: {str(error)[:100]})") from error
    return trial


def _store(session: Session, bundle: Bundle, person_id: int | None, fresh: bool) -> Trial:
    made: dict[str, dict[int, int]] = {}
    first_day: str | None = None
    for part in PARTS:
        table, columns = part.model.__table__, _columns(part)
        assert isinstance(table, Table)
        for number, said in enumerate(bundle.tables[table.name], 1):
            row = {name: _in(columns[name], value, made) for name, value in said.items() if name in columns}
            if table.name == "cooker":
                made.setdefault("cooker", {})[number] = _cooker(session, row)
                continue
            if table.name == "trial":
                first_day = said.get("first_day")
                row |= {"uid": str(uuid.uuid4())} if fresh else {}
            row |= _of_this_server(session, table.name, bundle)
            if "created_by" in table.columns:
                row["created_by"] = person_id
            statement = insert(table).values(**_inner_in(table.name, row, made))
            if "id" in table.columns:
                made.setdefault(table.name, {})[number] = session.execute(statement.returning(table.c.id)).scalar_one()
            else:
                session.execute(statement)
    probes = made.get("probe", {})
    save_readings(session, [(probes[one.probe], one.at_s, one.temp_c) for one in bundle.readings])
    for number, rows in bundle.half_minutes.items():
        keep_half_minutes(session, probes[number], rows)
    trial = session.get(Trial, made["trial"][1])
    assert trial is not None
    before = session.scalar(select(Trial).where(Trial.uid == first_day)) if first_day else None
    if before is not None and before.first_day_id is None and before.id != trial.id:
        trial.first_day_id = before.id
    session.flush()
    return trial


def _in(column: Column[Any], value: Any, made: Mapping[str, Mapping[int, int]]) -> Any:
    to = _points_to(column)
    if not to or value is None:
        return value
    if value not in made.get(to, {}):
        raise BadBundle(f"tables.{column.table.name}: {column.name} points to a row that comes after it")
    return made[to][value]


def _inner_in(table: str, row: dict[str, Any], made: Mapping[str, Mapping[int, int]]) -> dict[str, Any]:
    try:
        return _inner(table, row, made)
    except (KeyError, TypeError, AttributeError):
        raise BadBundle(f"tables.{table}: a row names a sample that is not there") from None


def _cooker(session: Session, row: Mapping[str, Any]) -> int:
    """The kitchen's cooker of that name and kind, or a new one."""
    found = session.scalar(select(Cooker).where(Cooker.name == row["name"]))
    if found is not None and found.kind == row["kind"]:
        return found.id
    name = row["name"]
    number = 2
    while found is not None:
        name = f"{row['name'][:70]} ({number})"
        found = session.scalar(select(Cooker).where(Cooker.name == name))
        number += 1
    made = Cooker(**{**row, "name": name})
    session.add(made)
    session.flush()
    return made.id


def _of_this_server(session: Session, table: str, bundle: Bundle) -> dict[str, Any]:
    """What opens doors is made anew, and opens nothing that the bundle's maker knows."""
    if table == "panel":
        return {"join_code": "".join(secrets.choice(PLAIN) for _ in range(12))}
    if table == "ballot":
        return {"token_hash": secrets.token_hex(32)}
    if table == "channel":
        name = f"Calibrations {bundle.tables['trial'][0].get('uid', '')}"[:80]
        station = session.scalar(select(Station).where(Station.name == name))
        if station is None:
            station = Station(name=name, token_hash=secrets.token_hex(32))
            session.add(station)
            session.flush()
        return {"station_id": station.id}
    return {}


def _try_out(session: Session, trial: Trial) -> None:
    """See that what was brought in can be shown: its figures, its verdict, its tastings."""
    session.expire_all()
    facts = TrialFacts(session, trial, Units())
    verdict_of(facts)
    key_figures(facts)
    for panel in session.scalars(select(Panel).where(Panel.trial_id == trial.id)):
        results(panel)
        servings(panel)
    list(said_in_panels(session, trial))
    for content in session.scalars(select(Photo.content).where(Photo.trial_id == trial.id)):
        check_kept(content)
