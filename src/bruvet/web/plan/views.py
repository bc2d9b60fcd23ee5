"""Describing a trial: its question, its arms, its pieces."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

from flask import Blueprint, flash, redirect, render_template, request, url_for
from sqlalchemy import func, select
from werkzeug.wrappers import Response

from bruvet.records.models import Arm, Cooker, Piece, Probe, Reading, Trial
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.trial_page import facts_of, trial_page
from bruvet.work.fair import between_first_arms, fairness_of, how_many

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
    if request.method == "GET":
        return _form_page(forms.blank(units(), datetime.now(ZoneInfo(tz)).date(), tz), {}, None)
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
    return trial_page("plan/show.html", trial, facts_of(trial))


@blueprint.get("/trials/<int:trial_id>/fair")
def fair(trial_id: int) -> View:
    """What differs between the arms besides the factor, and what the trial's size can show."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    told = between_first_arms(facts)
    return render_template(
        "plan/fair.html",
        trial=trial,
        told=told,
        fairness=fairness_of(facts, told),
        many=how_many(facts, told),
    )


@blueprint.post("/trials/<int:trial_id>/duplicate")
def duplicate(trial_id: int) -> View:
    """A new trial with the same question, arms and pieces' cuts, and none of what happened."""
    old = trial_or_404(trial_id)
    copy = Trial(created_by=person().id)
    for name in ("question", "factor", "factor_other", "held_same", "tz", "temp_unit", "mass_unit"):
        setattr(copy, name, getattr(old, name))
    copy.title = f"{old.title[:112]} (again)"
    copy.cook_date = datetime.now(ZoneInfo(old.tz)).date()
    fields = [c.key for c in Arm.__table__.columns if c.key not in ("id", "trial_id")]
    for arm in old.arms:
        twin = Arm(**{name: getattr(arm, name) for name in fields})
        for piece in arm.pieces:
            kept = ("number", "cut", "cut_other", "grade", "source", "bone", "opened", "thickness_mm")
            twin.pieces.append(Piece(**{name: getattr(piece, name) for name in kept}))
        copy.arms.append(twin)
    db().add(copy)
    db().flush()
    flash("Copied without what happened. Set the date and the weights.", "good")
    return redirect(url_for("plan.edit", trial_id=copy.id))


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
