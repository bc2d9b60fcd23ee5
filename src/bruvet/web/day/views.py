"""The cook day: backward from the serving time, as a strip, a list, a calendar, a sheet for the wall."""

from __future__ import annotations

import csv
import io
import re
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from flask import Blueprint, Response, redirect, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from bruvet.core.safety import DEFER
from bruvet.core.schedule.day import CannotPlan, Day
from bruvet.core.trial.terms import POULTRY
from bruvet.formats.calendar_file import calendar
from bruvet.records.models import Trial
from bruvet.web.access import units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.web.trial_page import trial_page
from bruvet.work.days import day_of

from .picture import draw_day

blueprint = Blueprint("day", __name__, template_folder="templates")
View = str | AnyResponse | tuple[str, int]


def _form_of(trial: Trial) -> dict[str, str]:
    zone = ZoneInfo(trial.tz)
    local = trial.serve_at.astimezone(zone) if trial.serve_at else None
    return {
        "day": f"{local:%Y-%m-%d}" if local else f"{trial.cook_date:%Y-%m-%d}",
        "time": f"{local:%H:%M}" if local else "18:00",
        "together": trial.together or "finish",
        "assurance": f"{100 * (trial.assurance or 0.9):.0f}",
        "hands": str(trial.hands or 1),
        "spritz": "" if trial.spritz_every_min is None else f"{trial.spritz_every_min:g}",
    }


def _page(trial: Trial, form: dict[str, str], errors: dict[str, str]) -> View:
    day, problem = None, ""
    if trial.serve_at is not None and not errors:
        try:
            day = day_of(db(), trial, datetime.now(UTC))
        except CannotPlan as error:
            problem = str(error)
    page = trial_page(
        "day/show.html",
        trial,
        form=form,
        errors=errors,
        day=day,
        problem=problem,
        picture=draw_day(day, trial.serve_at, trial.tz) if day and trial.serve_at else None,
        defer=DEFER,
        poultry=any(piece.cut in POULTRY for arm in trial.arms for piece in arm.pieces),
        opened=[piece.name for arm in trial.arms for piece in arm.pieces if piece.opened],
    )
    return page, 422 if errors or problem else 200


@blueprint.get("/trials/<int:trial_id>/day")
def show(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    return _page(trial, _form_of(trial), {})


@blueprint.post("/trials/<int:trial_id>/day")
def wish(trial_id: int) -> View:
    """Keep what is wanted of the day, and work it out."""
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    day = reader.day("day", "The day")
    clock = reader.text("time", "The serving time", 8, required=True)
    found = re.fullmatch(r"(\d{1,2})[:.h](\d{2})", clock)
    if clock and (not found or int(found[1]) > 23 or int(found[2]) > 59):
        reader.fail("time", f"The serving time: '{clock}' is no clock time; write one like 18:00.")
    together = reader.choice("together", "Together", ["finish", "start"], "finish")
    assurance = reader.number("assurance", "Assurance", 50, 99, "%")
    hands = reader.number("hands", "Pairs of hands", 1, 6)
    spritz = reader.number("spritz", "Spritz every", 15, 240, "min")
    if reader.errors or day is None or found is None:
        return _page(trial, request.form.to_dict(), reader.errors)
    local = datetime(day.year, day.month, day.day, int(found[1]), int(found[2]), tzinfo=ZoneInfo(trial.tz))
    if local.astimezone(UTC) < datetime.now(UTC):
        reader.fail("time", "That is in the past; serve later.")
        return _page(trial, request.form.to_dict(), reader.errors)
    trial.serve_at, trial.together = local.astimezone(UTC), together
    trial.assurance, trial.hands, trial.spritz_every_min = (assurance or 90) / 100, round(hands or 1), spritz
    db().flush()
    return redirect(url_for("day.show", trial_id=trial.id))


def _worked_out(trial: Trial) -> Day | AnyResponse:
    """The day for a file, or the way back to the page that says why there is none."""
    try:
        return day_of(db(), trial, datetime.now(UTC))
    except CannotPlan:
        return redirect(url_for("day.show", trial_id=trial.id))


@blueprint.get("/trials/<int:trial_id>/day.ics")
def as_calendar(trial_id: int) -> AnyResponse:
    trial = trial_or_404(trial_id)
    day = _worked_out(trial)
    if not isinstance(day, Day):
        return day
    body = calendar(trial.title, f"trial-{trial.id}-{trial.cook_date}", day.tasks, datetime.now(UTC))
    named = {"Content-Disposition": f'attachment; filename="cook-day-{trial.id}.ics"'}
    return Response(body, mimetype="text/calendar", headers=named)


@blueprint.get("/trials/<int:trial_id>/day.csv")
def as_csv(trial_id: int) -> AnyResponse:
    trial = trial_or_404(trial_id)
    day = _worked_out(trial)
    if not isinstance(day, Day):
        return day
    sink = io.StringIO()
    writer = csv.writer(sink)
    writer.writerow(["at", "until", "what", "arms", "hands_min", "may_be_from", "may_be_to", "note"])
    zone = ZoneInfo(trial.tz)

    def local(moment: datetime | None) -> str:
        return moment.astimezone(zone).isoformat(timespec="minutes") if moment else ""

    for task in day.tasks:
        early, late = task.band or (None, None)
        until = local(task.at + timedelta(minutes=task.hands_min))
        writer.writerow(
            [local(task.at), until, task.name, task.arms, task.hands_min, local(early), local(late), task.note]
        )
    named = {"Content-Disposition": f'attachment; filename="cook-day-{trial.id}.csv"'}
    return Response(sink.getvalue(), mimetype="text/csv", headers=named)
