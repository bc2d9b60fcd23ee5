"""The verdict: on screen, on paper, as PDF, and by a link that can be withdrawn."""

from __future__ import annotations

import base64
import secrets
from datetime import UTC, datetime
from typing import Any

from flask import Blueprint, Response, abort, flash, g, redirect, request, url_for
from sqlalchemy import select
from werkzeug.wrappers import Response as AnyResponse

from bruvet.core.safety import DEFER
from bruvet.core.units import Units
from bruvet.core.verdict.strength import RULES
from bruvet.records.models import Photo, Trial, VerdictLink
from bruvet.web.access import person, units
from bruvet.web.cutting.scaled import photos_of, rows_of
from bruvet.web.database import db, trial_or_404
from bruvet.web.named import as_file
from bruvet.web.reader import Reader
from bruvet.web.strip import Frame
from bruvet.web.trial_page import facts_of, trial_page
from bruvet.work.analysis import TrialFacts
from bruvet.work.stations import token_hash
from bruvet.work.verdicts import key_figures, verdict_of

from .paper import NoPdf, as_pdf

blueprint = Blueprint("verdict", __name__, template_folder="templates")
View = str | AnyResponse | tuple[str, int]
# Narrower than elsewhere, so that its words can still be read on paper.
FRAME = Frame(980.0)


def _composed(facts: TrialFacts) -> dict[str, Any]:
    """What the verdict's pages show, on screen and elsewhere."""
    return {
        "verdict": verdict_of(facts),
        "figures": key_figures(facts),
        "rules": RULES,
        "photo_rows": rows_of(photos_of(db(), facts.trial.id)),
        "defer": DEFER,
    }


def _links(trial: Trial) -> list[VerdictLink]:
    wanted = select(VerdictLink).where(VerdictLink.trial_id == trial.id, VerdictLink.withdrawn_at.is_(None))
    return list(db().scalars(wanted.order_by(VerdictLink.id)))


@blueprint.get("/trials/<int:trial_id>/verdict")
def show(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    return _page(trial)


def _page(trial: Trial, **values: Any) -> str:
    facts = facts_of(trial)
    return trial_page("verdict/show.html", trial, facts, FRAME, links=_links(trial), **_composed(facts), **values)


@blueprint.post("/trials/<int:trial_id>/verdict")
def own_words(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    words = reader.text("own_words", "Your own words", 4000)
    if reader.errors:
        return _page(trial, errors=reader.errors, typed=words), 422
    trial.own_words = words
    flash("Your words are kept under the verdict, marked as yours.", "good")
    return redirect(url_for("verdict.show", trial_id=trial.id))


@blueprint.get("/trials/<int:trial_id>/verdict.pdf")
def pdf(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    html = trial_page("verdict/pdf.html", trial, facts, FRAME, source=_inside, **_composed(facts))
    try:
        content = as_pdf(html)
    except NoPdf as error:
        flash(str(error), "error")
        return redirect(url_for("verdict.show", trial_id=trial.id))
    return Response(content, mimetype="application/pdf", headers=as_file(trial.title, "verdict", "pdf"))


def _inside(photo: Photo) -> str:
    """A photo within the page itself, for whoever cannot come in to fetch it."""
    return "data:image/jpeg;base64," + base64.b64encode(photo.content).decode()


# ---- a link that can be withdrawn ---------------------------------------------------------------------------------


@blueprint.post("/trials/<int:trial_id>/verdict/links")
def give_link(trial_id: int) -> View:
    """An address by which anybody may read the verdict; it is shown once, and only its hash is kept."""
    trial = trial_or_404(trial_id)
    token = secrets.token_urlsafe(24)
    given_to = request.form.get("given_to", "").strip()[:80]
    db().add(VerdictLink(trial_id=trial.id, token_hash=token_hash(token), given_to=given_to, created_by=person().id))
    db().flush()
    return _page(trial, new_link=url_for("verdict.read", token=token, _external=True))


@blueprint.post("/trials/<int:trial_id>/verdict/links/<int:link_id>/withdraw")
def withdraw(trial_id: int, link_id: int) -> View:
    trial = trial_or_404(trial_id)
    link = db().get(VerdictLink, link_id)
    if link is None or link.trial_id != trial.id:
        abort(404)
    if link.withdrawn_at is None:
        link.withdrawn_at = datetime.now(UTC)
    flash("The link is dead from now on.", "good")
    return redirect(url_for("verdict.show", trial_id=trial.id))


@blueprint.get("/verdict/<token>")
def read(token: str) -> View:
    """The verdict for whoever has the link: to be read, and nothing else."""
    link = db().scalar(select(VerdictLink).where(VerdictLink.token_hash == token_hash(token)))
    if link is None:
        abort(404)
    if link.withdrawn_at is not None:
        abort(410)
    trial = db().get(Trial, link.trial_id)
    assert trial is not None
    # Whoever reads it is nobody here, signed in or not.
    g.person = None
    g.units = Units("c" if trial.temp_unit == "c" else "f", "kg" if trial.mass_unit == "kg" else "lb")
    facts = facts_of(trial)
    page = Response(trial_page("verdict/read.html", trial, facts, FRAME, source=_inside, **_composed(facts)))
    page.headers["X-Robots-Tag"] = "noindex"
    page.headers["Referrer-Policy"] = "no-referrer"
    return page
