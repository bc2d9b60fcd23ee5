"""A whole trial as one file, out and in."""

from __future__ import annotations

from flask import Blueprint, Response, current_app, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from bruvet.formats.trial_bundle import BadBundle
from bruvet.web.access import person
from bruvet.web.database import db, trial_or_404
from bruvet.web.named import as_file
from bruvet.work.bundles import HereAlready, bring_in, export
from bruvet.work.jobs import queue_learning

blueprint = Blueprint("bundle", __name__, template_folder="templates")
View = str | AnyResponse | tuple[str, int]


@blueprint.get("/trials/<int:trial_id>/bundle.json")
def take(trial_id: int) -> Response:
    """Everything of a trial but who entered it; tastings whose envelope is shut stay behind."""
    trial = trial_or_404(trial_id)
    return Response(export(db(), trial), mimetype="application/json", headers=as_file(trial.title, "bundle", "json"))


@blueprint.get("/bring-in")
def ask() -> View:
    return render_template("bundle/bring_in.html", problem="", here=None)


@blueprint.post("/bring-in")
def bring() -> View:
    sent = request.files.get("bundle")
    content = sent.read() if sent else b""
    who = person().id
    try:
        if not content:
            raise BadBundle("choose the file of a bundle first")
        trial = bring_in(db(), content, who, copy=bool(request.form.get("copy")))
    except BadBundle as error:
        here = error.trial_id if isinstance(error, HereAlready) else None
        return render_template("bundle/bring_in.html", problem=str(error), here=here), 422
    db().commit()
    queue_learning(current_app.config["DATABASE_URL"], [trial.id])
    flash("The whole trial is here now.", "good")
    return redirect(url_for("verdict.show", trial_id=trial.id))
