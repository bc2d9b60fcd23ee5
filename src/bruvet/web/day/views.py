"""The cook day: backward from the serving time, as a strip, a list, a calendar, a sheet for the wall."""

from __future__ import annotations

import csv
import io
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from flask import Blueprint, Response, flash, redirect, render_template, request, url_for
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
from bruvet.work.days import day_of, sleep_of

from .picture import draw_day

blueprint = Blueprint("day", __name__, template_folder="templates", static_folder="static", static_url_path="/day")
View = str | AnyResponse | tuple[str, int]


# What the meat decides, or what follows from other tasks, cannot be set by hand.
FIXED = ("pull", "rest", "preheat", "serve")


def _form_of(trial: Trial) -> dict[str, str]:
    zone = ZoneInfo(trial.tz)
    moment = trial.begin_at or trial.serve_at
    local = moment.astimezone(zone) if moment else None
    return {
        "anchor": "begin" if trial.begin_at else "serve",
        "day": f"{local:%Y-%m-%d}" if local else f"{trial.cook_date:%Y-%m-%d}",
        "time": f"{local:%H:%M}" if local else "18:00",
        "together": trial.together or "finish",
        "assurance": f"{100 * (trial.assurance or 0.9):.0f}",
        "hands": str(trial.hands or 1),
        "spritz": "" if trial.spritz_every_min is None else f"{trial.spritz_every_min:g}",
        "sleep_from": trial.sleep_from,
        "sleep_until": trial.sleep_until,
    }


def _worked(trial: Trial) -> dict[str, Any]:
    """The day, or why there is none, for the page and for its part."""
    values: dict[str, Any] = {"day": None, "problem": "", "picture": None, "trial": trial}
    if trial.serve_at is not None or trial.begin_at is not None:
        try:
            day = day_of(db(), trial, datetime.now(UTC))
            values |= {"day": day, "picture": draw_day(day, trial.tz, sleep_of(trial, day.serve_at))}
        except CannotPlan as error:
            values["problem"] = str(error)
    pieces = [piece for arm in trial.arms for piece in arm.pieces]
    return values | {
        "defer": DEFER,
        "fixed": FIXED,
        "poultry": any(piece.cut in POULTRY for piece in pieces),
        "opened": [piece.name for piece in pieces if piece.opened],
    }


def _page(trial: Trial, form: dict[str, str], errors: dict[str, str]) -> View:
    values = _worked(trial)
    page = trial_page("day/show.html", form=form, errors=errors, **values)
    return page, 422 if errors or values["problem"] else 200


@blueprint.get("/trials/<int:trial_id>/day")
def show(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    return _page(trial, _form_of(trial), {})


@blueprint.post("/trials/<int:trial_id>/day")
def wish(trial_id: int) -> View:
    """Keep what is wanted of the day, and work it out."""
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    anchor = reader.choice("anchor", "Backward or forward", ["serve", "begin"], "serve")
    day = reader.day("day", "The day")
    clock = reader.clock("time", "The serving time" if anchor == "serve" else "The start", required=True)
    together = reader.choice("together", "Together", ["finish", "start"], "finish")
    assurance = reader.number("assurance", "Assurance", 50, 99, "%")
    hands = reader.number("hands", "Pairs of hands", 1, 6)
    spritz = reader.number("spritz", "Spritz every", 15, 240, "min")
    sleep = [reader.clock(name, "Sleep") for name in ("sleep_from", "sleep_until")]
    if (sleep[0] is None) != (sleep[1] is None):
        reader.fail("sleep_until", "Sleep: give both its beginning and its end, or neither.")
    if reader.errors or day is None or clock is None:
        return _page(trial, request.form.to_dict(), reader.errors)
    local = datetime.combine(day, clock, ZoneInfo(trial.tz)).astimezone(UTC)
    if local < datetime.now(UTC):
        reader.fail("time", f"That is in the past; {'serve' if anchor == 'serve' else 'begin'} later.")
        return _page(trial, request.form.to_dict(), reader.errors)
    trial.serve_at, trial.begin_at = (local, None) if anchor == "serve" else (None, local)
    trial.together, trial.pins = together, {}
    trial.assurance, trial.hands, trial.spritz_every_min = (assurance or 90) / 100, round(hands or 1), spritz
    trial.sleep_from, trial.sleep_until = (f"{moment:%H:%M}" if moment else "" for moment in sleep)
    db().flush()
    return redirect(url_for("day.show", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/day/times")
def times(trial_id: int) -> View:
    """Hold tasks at times that a person typed, or to which they were dragged; everything else is worked out anew."""
    trial = trial_or_404(trial_id)
    errors: list[str] = []
    if request.form.get("do") == "free":
        trial.pins = {}
    else:
        trial.pins = trial.pins | _set_times(trial, errors)
    db().flush()
    if request.headers.get("HX-Request"):
        return render_template("day/worked.html", **_worked(trial), errors_of_times=errors)
    for line in errors:
        flash(line, "error")
    return redirect(url_for("day.show", trial_id=trial.id))


def _set_times(trial: Trial, errors: list[str]) -> dict[str, str]:
    """Pins for the tasks whose time is not the one that was shown; a clock time means the nearest such moment."""
    zone = ZoneInfo(trial.tz)
    try:
        day = day_of(db(), trial, datetime.now(UTC))
    except CannotPlan:
        # With pins that do not work out, the day without them is what was shown last.
        trial.pins = {}
        return {}
    reader = Reader(request.form, units())
    out = {}
    for task in day.tasks:
        name, shown = f"at:{task.key}", task.at.astimezone(zone)
        if task.key.startswith(FIXED) or request.form.get(name, "").strip() == f"{shown:%H:%M}":
            continue
        clock = reader.clock(name, task.words)
        if clock is not None:
            same_day = datetime.combine(shown.date(), clock, zone)
            near = min((same_day + timedelta(days=by) for by in (-1, 0, 1)), key=lambda m: abs(m - shown))
            out[task.key] = near.astimezone(UTC).isoformat()
    errors += reader.errors.values()
    return out


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
