"""The front page: what trials there are, how far each is, and what is next."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from flask import Blueprint, render_template
from sqlalchemy import ColumnElement, ScalarSelect, exists, func, select
from sqlalchemy.orm import selectinload

from bruvet.records.models import Arm, Channel, Event, LogFile, Panellist, Probe, Reading, Station, Trial
from bruvet.records.tasting import Panel
from bruvet.web.database import db

LIVE_WITHIN = timedelta(minutes=10)
blueprint = Blueprint("bench", __name__, template_folder="templates")


@dataclass(frozen=True)
class Standing:
    """How far a trial is: a word for it, what to do next, and where."""

    word: str
    next_words: str
    endpoint: str


def standing(live: bool, events: int, pulls: int, probes: int, panellists: int, arms: int) -> Standing:
    if live and pulls < arms:
        return Standing("cooking now", "Watch the curves", "curves.show")
    if not events and not probes:
        return Standing("planned", "Bring in the logs after the cook", "logs.files")
    if not probes:
        return Standing("cooking", "Bring in the temperature logs", "logs.files")
    if pulls < arms:
        return Standing("logged", "Mark what was done when", "cook.record")
    if not panellists:
        return Standing("cooked", "Enter what the tasters said", "taste.show")
    return Standing("tasted", "Read the verdict", "verdict.show")


@blueprint.get("/")
def home() -> str:
    def count(model: type[Event | Probe | Panellist | Arm | LogFile], *where: ColumnElement[bool]) -> ScalarSelect[int]:
        statement = select(func.count()).select_from(model).where(model.trial_id == Trial.id, *where)
        return statement.correlate(Trial).scalar_subquery()

    with_readings = exists().where(Reading.probe_id == Probe.id)
    heard = datetime.now(UTC) - LIVE_WITHIN
    seats = select(Channel.id).join(Probe).join(Station, Station.id == Channel.station_id)
    live = seats.where(Probe.trial_id == Trial.id, Channel.until_at.is_(None), Station.seen_at > heard)
    opened = select(func.count()).where(Panel.trial_id == Trial.id, Panel.state == "opened")
    tastings = opened.correlate(Trial).scalar_subquery()
    rows = db().execute(
        select(
            Trial,
            live.correlate(Trial).exists(),
            count(Event),
            count(Event, Event.kind == "pull"),
            count(Probe, with_readings),
            count(Panellist) + tastings,
            count(Arm),
            count(LogFile, LogFile.state.in_(("new", "failed"))),
        )
        .options(selectinload(Trial.arms))
        .order_by(Trial.cook_date.desc(), Trial.id.desc())
    )
    trials = [(trial, standing(bool(now), *numbers), waiting) for trial, now, *numbers, waiting in rows]
    trials.sort(key=lambda row: row[1].word != "cooking now")
    return render_template("bench/home.html", trials=trials)
