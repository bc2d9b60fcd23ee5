"""The host's side of a blind panel: made, opened for tasting, watched without looking, carved, and its envelope."""

from __future__ import annotations

import io
from collections import Counter
from datetime import UTC, datetime

import segno
from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from markupsafe import Markup
from sqlalchemy import select
from werkzeug.wrappers import Response

from bruvet.core.tasting.sets import ANSWERS, OWN_QUESTIONS, RIGHT_WORDS, RIGHTS, SCALES, STARTERS, TESTS, advice
from bruvet.records.models import Trial
from bruvet.records.tasting import Panel, QuestionSet
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.web.trial_page import trial_page
from bruvet.work.panel_results import results, servings
from bruvet.work.panels import (
    CannotTaste,
    free_numbers,
    join,
    new_panel,
    open_envelope,
    paper_numbers,
    rights_of,
    scales_of,
    seen,
    steps_for,
)

from .forms import read_panel, set_body
from .picture import draw_attributes, draw_counts, draw_right

blueprint = Blueprint("panel", __name__, template_folder="templates")
View = str | Response | tuple[str, int]


def panels_of(trial: Trial) -> list[Panel]:
    return list(db().scalars(select(Panel).where(Panel.trial_id == trial.id).order_by(Panel.id)))


def _panel_or_404(trial: Trial, panel_id: int) -> Panel:
    panel = db().get(Panel, panel_id)
    if panel is None or panel.trial_id != trial.id:
        abort(404)
    return panel


def _sets() -> list[QuestionSet]:
    return list(db().scalars(select(QuestionSet).order_by(QuestionSet.name)))


@blueprint.get("/trials/<int:trial_id>/panels")
def show(trial_id: int) -> View:
    return _list(trial_or_404(trial_id), request.args.to_dict(), {})


def _list(trial: Trial, form: dict[str, str], errors: dict[str, str]) -> View:
    people = form.get("expected", "")
    number = int(people) if people.isdecimal() and len(people) < 4 else 8
    samples = sum(bool(form.get(f"arm-{arm.id}")) for arm in trial.arms) if len(form) > 1 else len(trial.arms)
    page = trial_page(
        "panel/list.html",
        trial,
        panels=panels_of(trial),
        starters=STARTERS,
        sets=_sets(),
        scales=SCALES,
        rights=RIGHTS,
        tests=TESTS,
        answers=ANSWERS,
        own_questions=range(1, OWN_QUESTIONS + 1),
        people=number,
        samples=samples,
        advised=advice(samples, number),
        form=form,
        errors=errors,
    )
    return (page, 422) if errors else page


@blueprint.post("/trials/<int:trial_id>/panels")
def make(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    if request.form.get("advise"):
        return _list(trial, request.form.to_dict(), {})
    reader = Reader(request.form, units())
    sets = _sets()
    asked = read_panel(reader, trial, sets)
    keep_as = reader.text("keep_as", "The set's name", 60)
    if keep_as and any(one.name.casefold() == keep_as.casefold() for one in sets):
        reader.fail("keep_as", f"A set is called {keep_as} already; choose another name.")
    if reader.errors:
        return _list(trial, request.form.to_dict(), reader.errors)
    panel = new_panel(db(), trial, asked, person().id)
    if keep_as:
        db().add(QuestionSet(name=keep_as, body=set_body(asked), created_by=person().id))
    flash("The tasting is made. Carve by the sheet, then let people in.", "good")
    return redirect(url_for("panel.host", trial_id=trial.id, panel_id=panel.id))


@blueprint.post("/trials/<int:trial_id>/panels/sets/<int:set_id>/delete")
def drop_set(trial_id: int, set_id: int) -> View:
    trial = trial_or_404(trial_id)
    row = db().get(QuestionSet, set_id)
    if row is None:
        abort(404)
    db().delete(row)
    flash(f"The set {row.name} is gone; tastings that used it keep their questions.", "good")
    return redirect(url_for("panel.show", trial_id=trial.id))


@blueprint.get("/trials/<int:trial_id>/panels/<int:panel_id>")
def host(trial_id: int, panel_id: int) -> View:
    """How many are in; not what they said."""
    trial = trial_or_404(trial_id)
    return _host(trial, _panel_or_404(trial, panel_id), {}, {})


def _host(trial: Trial, panel: Panel, form: dict[str, str], errors: dict[str, str]) -> View:
    address = url_for("ballot.welcome", code=panel.join_code, _external=True)
    page = trial_page(
        "panel/host.html",
        trial,
        form=form or _served_form(panel),
        errors=errors,
        numbers=free_numbers(panel),
        paper=paper_numbers(panel),
        panel=panel,
        address=address,
        qr=_qr(address),
        inside=len(panel.ballots),
        sent=sum(ballot.sent_at is not None for ballot in panel.ballots),
        advised=[one for one in advice(len(_tasted(panel)), panel.asks["expected"]) if one.test in panel.asks["tests"]],
        tests=TESTS,
    )
    return (page, 422) if errors else page


def _tasted(panel: Panel) -> set[tuple[int, str]]:
    return {(sample.arm_id, sample.part) for sample in panel.samples}


def _served_form(panel: Panel) -> dict[str, str]:
    shown = units()
    form = {}
    for one in panel.samples:
        form[f"temp-{one.id}"] = "" if one.served_c is None else f"{shown.temp_shown(one.served_c):.0f}"
        form[f"cut-{one.id}"] = "" if one.since_cut_min is None else f"{one.since_cut_min:g}"
    return form


@blueprint.post("/trials/<int:trial_id>/panels/<int:panel_id>/served")
def served(trial_id: int, panel_id: int) -> View:
    """How warm each sample went out, and how long after it was cut."""
    trial = trial_or_404(trial_id)
    panel = _panel_or_404(trial, panel_id)
    reader = Reader(request.form, units())
    said = {
        one.id: (
            reader.temp(f"temp-{one.id}", f"The temperature of {one.arm.letter}", -5.0, 110.0),
            reader.number(f"cut-{one.id}", f"The minutes since {one.arm.letter} was cut", 0, 24 * 60, "min"),
        )
        for one in panel.samples
    }
    if reader.errors:
        return _host(trial, panel, request.form.to_dict(), reader.errors)
    for one in panel.samples:
        one.served_c, one.since_cut_min = said[one.id]
    flash("How it was served is kept.", "good")
    return redirect(url_for("panel.host", trial_id=trial.id, panel_id=panel.id))


@blueprint.post("/trials/<int:trial_id>/panels/<int:panel_id>/typed")
def typed(trial_id: int, panel_id: int) -> View:
    """Begin to type in a paper ballot: its number says which codes it has."""
    trial = trial_or_404(trial_id)
    panel = _panel_or_404(trial, panel_id)
    name = request.form.get("name", "").strip()[:80]
    number = request.form.get("number", 0, type=int)
    if not name:
        flash("Whose ballot is it? Give the name that stands on the paper.", "error")
        return redirect(url_for("panel.host", trial_id=trial.id, panel_id=panel.id))
    try:
        token = join(db(), panel, name, bool(request.form.get("cooked")), datetime.now(UTC), number)
    except CannotTaste as error:
        db().rollback()
        flash(str(error), "error")
        return redirect(url_for("panel.host", trial_id=trial_id, panel_id=panel_id))
    return redirect(url_for("ballot.whole", token=token))


def _qr(address: str) -> Markup:
    sink = io.BytesIO()
    segno.make(address, error="m").save(
        sink, kind="svg", xmldecl=False, svgns=True, omitsize=True, border=2, svgclass="qr"
    )
    return Markup(sink.getvalue().decode())


STATES = {"open": ("draft", "closed"), "closed": ("open",)}


@blueprint.post("/trials/<int:trial_id>/panels/<int:panel_id>/state")
def state(trial_id: int, panel_id: int) -> View:
    trial = trial_or_404(trial_id)
    panel = _panel_or_404(trial, panel_id)
    to = request.form.get("to", "")
    if panel.state not in STATES.get(to, ()):
        flash("That cannot be done now; the page may be old.", "error")
    else:
        panel.state = to
        flash("People may come in now." if to == "open" else "Nobody else comes in. Who is inside may finish.", "good")
    return redirect(url_for("panel.host", trial_id=trial.id, panel_id=panel.id))


@blueprint.post("/trials/<int:trial_id>/panels/<int:panel_id>/envelope")
def envelope(trial_id: int, panel_id: int) -> View:
    """Open it: from now on it is known which code was what."""
    trial = trial_or_404(trial_id)
    panel = _panel_or_404(trial, panel_id)
    if not request.form.get("sure"):
        flash("Tick that all are in, then open it. The envelope is still shut.", "error")
        return redirect(url_for("panel.host", trial_id=trial.id, panel_id=panel.id))
    open_envelope(panel, person().id, datetime.now(UTC))
    flash("The envelope is open. A ballot sent from now on is marked as late.", "good")
    return redirect(url_for("panel.found", trial_id=trial.id, panel_id=panel.id))


@blueprint.get("/trials/<int:trial_id>/panels/<int:panel_id>/carving")
def carving(trial_id: int, panel_id: int) -> View:
    """Which code is what: for whoever carves, who is not blind. Helpers' browsers are never given it."""
    trial = trial_or_404(trial_id)
    panel = _panel_or_404(trial, panel_id)
    rows = servings(panel)
    count = Counter(sample.id for _, row in rows for _, sample in row)
    cuts = [
        (sample, count[sample.id]) for sample in sorted(panel.samples, key=lambda s: (s.amount, s.arm.letter, s.part))
    ]
    parts = len({sample.part for sample in panel.samples}) > 1
    return trial_page("panel/carving.html", trial, panel=panel, rows=rows, cuts=cuts, parts=parts)


@blueprint.get("/trials/<int:trial_id>/panels/<int:panel_id>/paper")
def paper(trial_id: int, panel_id: int) -> View:
    """Ballots to print, one a panellist, with codes and questions only."""
    trial = trial_or_404(trial_id)
    panel = _panel_or_404(trial, panel_id)
    numbers = paper_numbers(panel) or range(1, panel.asks["expected"] + 1)
    return render_template(
        "panel/paper.html",
        trial=trial,
        panel=panel,
        papers=[(number, [seen(step) for step in steps_for(panel, number)]) for number in numbers],
        scales=scales_of(panel).values(),
        rights=rights_of(panel).values(),
        right_words=RIGHT_WORDS,
        tests=TESTS,
    )


@blueprint.get("/trials/<int:trial_id>/panels/<int:panel_id>/results")
def found(trial_id: int, panel_id: int) -> View:
    trial = trial_or_404(trial_id)
    panel = _panel_or_404(trial, panel_id)
    try:
        told = results(panel)
    except CannotTaste as error:
        flash(str(error), "error")
        return redirect(url_for("panel.host", trial_id=trial.id, panel_id=panel.id))
    return trial_page(
        "panel/results.html",
        trial,
        panel=panel,
        found=told,
        attributes=draw_attributes(told),
        rights=draw_right(told),
        counts=[draw_counts(one) for one in told.tests],
    )
