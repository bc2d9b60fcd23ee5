"""The front page: what trials there are, how far each is, and what is next."""

from __future__ import annotations

from dataclasses import dataclass

from flask import Blueprint, render_template
from sqlalchemy import ColumnElement, ScalarSelect, exists, func, select
from sqlalchemy.orm import selectinload

from bruvet.records.models import Arm, Event, LogFile, Panellist, Probe, Reading, Trial
from bruvet.web.database import db

blueprint = Blueprint("bench", __name__, template_folder="templates")


@dataclass(frozen=True)
class Standing:
    """How far a trial is: a word for it, what to do next, and where."""

    word: str
    next_words: str
    endpoint: str


def standing(events: int, pulls: int, probes: int, panellists: int, arms: int) -> Standing:
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
    rows = db().execute(
        select(
            Trial,
            count(Event),
            count(Event, Event.kind == "pull"),
            count(Probe, with_readings),
            count(Panellist),
            count(Arm),
            count(LogFile, LogFile.state.in_(("new", "failed"))),
        )
        .options(selectinload(Trial.arms))
        .order_by(Trial.cook_date.desc(), Trial.id.desc())
    )
    trials = [(trial, standing(*numbers), waiting) for trial, *numbers, waiting in rows]
    return render_template("bench/home.html", trials=trials)
