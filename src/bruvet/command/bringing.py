"""`./bruvet import TRIAL FILE`: what the logs page does, from the command line."""

from __future__ import annotations

import argparse
import json
import re
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bruvet.formats.logger import UnreadableFile, understand
from bruvet.records.models import Trial
from bruvet.records.store import migrate, open_engine, session_scope
from bruvet.work.importing import BadMapping, add_file, choices_of, guess_target, import_now, series_names

from . import Refusal
from .answers import known_date, known_zone, read_file
from .serving import DEMO_DATABASE, OWN_DATABASE, database, served_database

TARGET = re.compile(r"^([A-Fa-f])(?:(\d+)|\s+pit)?(?:\s+(.*?))?$")


def bring_in(given: argparse.Namespace) -> None:
    if len(given.words) != 2:
        raise Refusal("say which trial and which file: ./bruvet import TRIAL FILE (or --check FILE)")
    name, path = given.words
    content = read_file(path)
    # Into what is being served from this state folder, if anything is.
    with database(DEMO_DATABASE if given.demo else served_database() or OWN_DATABASE) as url:
        migrate(url)
        engine = open_engine(url)
        try:
            with session_scope(engine) as session:
                trial = trial_called(session, name)
                outcome = _import(session, trial, path, content, given)
        except (BadMapping, UnreadableFile) as error:
            raise Refusal(f"{path}: {error}") from None
        finally:
            engine.dispose()
    print(json.dumps(outcome, ensure_ascii=False, indent=1))


def trial_called(session: Session, name: str) -> Trial:
    """The trial of that number or title."""
    if name.isdigit():
        found = session.get(Trial, int(name))
        matches = [found] if found else []
    else:
        matches = list(session.scalars(select(Trial).where(func.lower(Trial.title) == name.lower())))
    if len(matches) != 1:
        known = "; ".join(f"{t.id} {t.title}" for t in session.scalars(select(Trial).order_by(Trial.id)))
        reason = "no trial" if not matches else "more than one trial"
        raise Refusal(f"{reason} is called '{name}'. There are: {known or 'none yet'}")
    return matches[0]


def _import(session: Session, trial: Trial, path: str, content: bytes, given: argparse.Namespace) -> dict[str, Any]:
    mapping: dict[str, Any] = {"units": {}, "targets": {}}
    if known_date(given.date):
        mapping["date"] = given.date
    if given.tz:
        mapping["tz"] = known_zone(given.tz)
    if given.order:
        mapping["order"] = given.order
    if given.zero:
        try:
            mapping["zero"] = datetime.fromisoformat(given.zero).isoformat()
        except ValueError:
            raise Refusal(f"--zero {given.zero}: write it as '2026-05-02 05:30'") from None
    for entry in given.map:
        _map_one(trial, entry, mapping)
    if not given.map:
        log = understand(content, choices_of(trial, mapping))
        for column in series_names(log):
            to = guess_target(column, trial.arms)
            if to:
                mapping["targets"][column] = {"to": to, "place": ""}
        if not mapping["targets"]:
            raise Refusal("no column says which arm it belongs to; say it with --map 'COLUMN=A pit'")
    row, _ = add_file(session, trial, path.rsplit("/", 1)[-1], content, None)
    row.mapping = mapping
    return import_now(session, row)


def _map_one(trial: Trial, entry: str, mapping: dict[str, Any]) -> None:
    column, separator, target = entry.rpartition("=")
    if not separator:
        raise Refusal(f"--map {entry}: write COLUMN=TARGET, as 'Probe 1=A pit'")
    if target[-2:].lower() in (":c", ":f"):
        mapping["units"][column] = target[-1].lower()
        target = target[:-2]
    match = TARGET.match(target.strip())
    arms = {arm.letter: arm for arm in trial.arms}
    if not match or match.group(1).upper() not in arms:
        raise Refusal(f"--map {entry}: '{target}' is no arm of this trial; it has {', '.join(arms)}")
    arm = arms[match.group(1).upper()]
    place = (match.group(3) or "").strip()
    if target.strip()[1:].strip().lower().startswith("pit"):
        mapping["targets"][column] = {"to": f"pit:{arm.id}", "place": place}
        return
    number = int(match.group(2) or 1)
    piece = next((p for p in arm.pieces if p.number == number), None)
    if piece is None:
        raise Refusal(f"--map {entry}: arm {arm.letter} has no piece {number}")
    mapping["targets"][column] = {"to": f"piece:{piece.id}", "place": place}
