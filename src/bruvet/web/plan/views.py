"""Describing a trial: its question, its arms, its pieces."""

from __future__ import annotations

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from sqlalchemy import func, select
from werkzeug.wrappers import Response

from bruvet.records.models import Cooker, Probe, Reading, Trial
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.trial_page import facts_of, trial_page
from bruvet.work.fair import first_cases, how_many, ledger_of
from bruvet.work.lots import days_of
from bruvet.work.over_days import over_all_days
from bruvet.work.protocols import copied, trial_from
from bruvet.work.spread import spread_of

from . import forms

blueprint = Blueprint("plan", __name__, template_folder="templates")
View = str | Response | tuple[str, int]


def _form_page(form: dict[str, str], errors: dict[str, str], trial: Trial | None) -> View:
    cookers = [(str(row.id), row.name) for row in db().scalars(select(Cooker).order_by(Cooker.name))]
    page = render_template(
        "plan/form.html",
        form=form,
        errors=errors,
        editing=trial,
        letters=forms.letters_in(form),
        numbers=forms.pieces_in(form),
        cookers=cookers,
    )
    return page, 422 if errors else 200


def _last_zone() -> str:
    return db().scalar(select(Trial.tz).order_by(Trial.id.desc()).limit(1)) or "UTC"


@blueprint.route("/trials/new", methods=["GET", "POST"])
def new() -> View:
    tz = _last_zone()
    today = datetime.now(ZoneInfo(tz)).date()
    if request.method == "GET" and "protocol" in request.args:
        with db().no_autoflush:
            begun = trial_from(db(), request.args["protocol"])
            if begun is None:
                abort(404)
            begun.cook_date, begun.tz = today, tz
            return _form_page(forms.from_trial(begun, units()), {}, None)
    if request.method == "GET":
        return _form_page(forms.blank(units(), today, tz), {}, None)
    return _take(Trial(created_by=person().id), None)


@blueprint.route("/trials/<int:trial_id>/edit", methods=["GET", "POST"])
def edit(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    if request.method == "GET":
        return _form_page(forms.from_trial(trial, units()), {}, trial)
    return _take(trial, trial)


def _take(trial: Trial, editing: Trial | None) -> View:
    form = request.form.to_dict()
    do = form.get("do", "save")
    if do != "save":
        return _form_page(forms.changed(form, do), {}, editing)
    with db().no_autoflush:
        errors = forms.save(db(), trial, form, units())
    if errors:
        return _form_page(form, errors, editing)
    db().flush()
    flash("The trial is kept." if editing is None else "The changes are kept.", "good")
    return redirect(url_for("plan.show", trial_id=trial.id))


@blueprint.get("/trials/<int:trial_id>")
def show(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    return trial_page("plan/show.html", trial, facts_of(trial), has_days=len(days_of(db(), trial)) > 1)


@blueprint.get("/trials/<int:trial_id>/fair")
def fair(trial_id: int) -> View:
    """What differs between the arms besides the factor, and what the trial's size can show."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    cut = next((piece.cut for arm in trial.arms for piece in arm.pieces), "")
    return render_template(
        "plan/fair.html",
        trial=trial,
        ledger=ledger_of(facts),
        many=how_many(first_cases(facts), spread_of(db(), cut, trial.id)),
    )


@blueprint.post("/trials/<int:trial_id>/duplicate")
def duplicate(trial_id: int) -> View:
    """A new trial with the same question, arms and pieces' cuts, and none of what happened."""
    old = trial_or_404(trial_id)
    copy = copied(db(), old)
    copy.title = f"{old.title[:112]} (again)"
    copy.created_by, copy.cook_date = person().id, datetime.now(ZoneInfo(old.tz)).date()
    db().add(copy)
    db().flush()
    flash("Copied without what happened. Set the date and the weights.", "good")
    return redirect(url_for("plan.edit", trial_id=copy.id))


@blueprint.post("/trials/<int:trial_id>/another-day")
def another_day(trial_id: int) -> View:
    """One more cook day of the same question, a week on; all days add up to one answer."""
    old = trial_or_404(trial_id)
    days = days_of(db(), old)
    copy = copied(db(), old)
    copy.title = f"{days[0].title[:104]}, day {len(days) + 1}"
    copy.first_day_id = old.first_day_id or old.id
    copy.created_by, copy.cook_date = person().id, days[-1].cook_date + timedelta(days=7)
    db().add(copy)
    db().flush()
    flash("One more day of the same question. Set its date and weights, and draw its lots.", "good")
    return redirect(url_for("plan.edit", trial_id=copy.id))


@blueprint.get("/trials/<int:trial_id>/days")
def days(trial_id: int) -> View:
    """All days of the question, and what they say together."""
    trial = trial_or_404(trial_id)
    facts = [facts_of(one) for one in days_of(db(), trial)]
    return render_template("plan/days.html", trial=trial, facts=facts, contrasts=over_all_days(facts))


@blueprint.route("/trials/<int:trial_id>/delete", methods=["GET", "POST"])
def delete(trial_id: int) -> View:
    """Deleting asks for the title, since a trial cannot be cooked again."""
    trial = trial_or_404(trial_id)
    problem = ""
    if request.method == "POST":
        if request.form.get("title", "").strip().casefold() == trial.title.strip().casefold():
            title = trial.title
            db().delete(trial)
            flash(f"{title} was deleted.", "good")
            return redirect(url_for("bench.home"))
        problem = "That is not its title, so nothing was deleted."
    readings = select(func.count()).select_from(Reading).join(Probe, Probe.id == Reading.probe_id)
    count = db().scalar(readings.where(Probe.trial_id == trial.id))
    page = trial_page("plan/delete.html", trial, problem=problem, readings=count)
    return page, 422 if problem else 200
