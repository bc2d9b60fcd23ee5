"""The host's side of a blind panel: made, opened for tasting, watched without looking, carved, and its envelope."""

from __future__ import annotations

import io
from datetime import UTC, datetime

import segno
from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from markupsafe import Markup
from sqlalchemy import select
from werkzeug.wrappers import Response

from bruvet.core.tasting.sets import RIGHTS, SCALES, STARTERS, TESTS, advice
from bruvet.records.models import Panel, Trial
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.web.trial_page import trial_page
from bruvet.work.panel_results import results, servings
from bruvet.work.panels import Asked, CannotTaste, new_panel, open_envelope

from .picture import draw_attributes, draw_counts, draw_right

blueprint = Blueprint("panel", __name__, template_folder="templates")
View = str | Response | tuple[str, int]
FEWEST, MOST = 1, 120


def panels_of(trial: Trial) -> list[Panel]:
    return list(db().scalars(select(Panel).where(Panel.trial_id == trial.id).order_by(Panel.id)))


def _panel_or_404(trial: Trial, panel_id: int) -> Panel:
    panel = db().get(Panel, panel_id)
    if panel is None or panel.trial_id != trial.id:
        abort(404)
    return panel


@blueprint.get("/trials/<int:trial_id>/panels")
def show(trial_id: int) -> View:
    return _list(trial_or_404(trial_id), {}, {})


def _list(trial: Trial, form: dict[str, str], errors: dict[str, str]) -> View:
    page = trial_page(
        "panel/list.html",
        trial,
        panels=panels_of(trial),
        starters=STARTERS,
        scales=SCALES,
        rights=RIGHTS,
        tests=TESTS,
        advised=advice(len(trial.arms), int(form["expected"]) if form.get("expected", "").isdigit() else 8),
        form=form,
        errors=errors,
    )
    return (page, 422) if errors else page


@blueprint.post("/trials/<int:trial_id>/panels")
def make(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    # The trial's own title would tell panellists what is compared.
    title = reader.text("title", "What the tasting is called", 80) or "Tasting"
    expected = reader.number("expected", "How many will taste", FEWEST, MOST)
    pause = reader.number("pause_s", "The pause", 0, 600)
    notice = reader.text("notice", "What may be in the samples", 2000, required=True)
    arms = [arm for arm in trial.arms if request.form.get(f"arm-{arm.id}")]
    if len(arms) < 2:
        reader.fail("arms", "Choose two arms or more to taste.")
    starter = request.form.get("starter", "")
    scales = [key for key in SCALES if request.form.get(f"scale-{key}")]
    rights = [key for key in RIGHTS if request.form.get(f"right-{key}")]
    if starter in STARTERS and not scales and not rights:
        _, first, second = STARTERS[starter]
        scales, rights = list(first), list(second)
    tests = [key for key in TESTS if request.form.get(f"test-{key}")]
    if len(arms) > 2 and set(tests) & {"prefer", "smokier", "triangle", "duo-trio"}:
        reader.fail("tests", "Tests of a pair are for two samples; with more, put them in order.")
    if not scales and not rights and not tests:
        reader.fail("tests", "Choose something to ask: a starter set, scales, or a test.")
    if reader.errors:
        return _list(trial, request.form.to_dict(), reader.errors)
    amounts = {"both": ("bite", "portion"), "portion": ("portion",)}.get(request.form.get("amount", ""), ("bite",))
    asked = Asked(
        title,
        tuple(arm.id for arm in arms),
        amounts,
        reader.text("part", "The part", 60),
        tuple(scales),
        tuple(rights),
        tuple(tests),
        int(expected or 4),
        reader.flag("warm_up"),
        reader.flag("repeat"),
        reader.flag("own_codes"),
        int(pause or 0),
        notice,
    )
    panel = new_panel(db(), trial, asked, person().id)
    flash("The tasting is made. Carve by the sheet, then let people in.", "good")
    return redirect(url_for("panel.host", trial_id=trial.id, panel_id=panel.id))


@blueprint.get("/trials/<int:trial_id>/panels/<int:panel_id>")
def host(trial_id: int, panel_id: int) -> View:
    """How many are in; not what they said."""
    trial = trial_or_404(trial_id)
    panel = _panel_or_404(trial, panel_id)
    address = url_for("ballot.welcome", code=panel.join_code, _external=True)
    return trial_page(
        "panel/host.html",
        trial,
        panel=panel,
        address=address,
        qr=_qr(address),
        inside=len(panel.ballots),
        sent=sum(ballot.sent_at is not None for ballot in panel.ballots),
        advised=[one for one in advice(len(_arms(panel)), panel.asks["expected"]) if one.test in panel.asks["tests"]],
        tests=TESTS,
    )


def _arms(panel: Panel) -> set[int]:
    return {sample.arm_id for sample in panel.samples}


def _qr(address: str) -> Markup:
    sink = io.BytesIO()
    segno.make(address, error="m").save(sink, kind="svg", xmldecl=False, svgns=True, scale=5, border=2, svgclass="qr")
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
    return trial_page("panel/carving.html", trial, panel=panel, rows=rows)


@blueprint.get("/trials/<int:trial_id>/panels/<int:panel_id>/paper")
def paper(trial_id: int, panel_id: int) -> View:
    """Ballots to print, one a panellist, with codes and questions only."""
    trial = trial_or_404(trial_id)
    panel = _panel_or_404(trial, panel_id)
    rows = [(number, [code for code, _ in row]) for number, row in servings(panel)]
    asks = panel.asks
    return render_template(
        "panel/paper.html",
        trial=trial,
        panel=panel,
        rows=rows,
        scales=[SCALES[key] for key in asks["scales"]],
        rights=[RIGHTS[key] for key in asks["rights"]],
        tests=[TESTS[key] for key in asks["tests"]],
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
