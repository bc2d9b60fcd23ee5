"""Protocols: plans to begin a trial from, ours and one's own."""

from __future__ import annotations

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from sqlalchemy import func, select
from werkzeug.wrappers import Response

from bruvet.core.trial.protocols import STARTERS
from bruvet.records.models import Protocol
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.work.protocols import body_of

blueprint = Blueprint("protocols", __name__, template_folder="templates")
View = str | Response | tuple[str, int]


@blueprint.get("/protocols")
def show() -> View:
    own = db().scalars(select(Protocol).order_by(Protocol.name)).all()
    return render_template("protocols/show.html", starters=STARTERS, own=own)


@blueprint.post("/trials/<int:trial_id>/protocol")
def keep(trial_id: int) -> View:
    """Keep a trial's plan as a protocol of one's own; a name that is taken is refused."""
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    name = reader.text("name", "The protocol's name", 80, required=True)
    taken = db().scalar(select(func.count()).select_from(Protocol).where(func.lower(Protocol.name) == name.lower()))
    if taken:
        reader.fail("name", f"There is a protocol called {name} already; choose another name.")
    if reader.errors:
        flash(next(iter(reader.errors.values())), "error")
        return redirect(url_for("plan.show", trial_id=trial.id))
    db().add(Protocol(name=name, body=body_of(trial), created_by=person().id))
    db().flush()
    flash(f"Kept as the protocol {name}.", "good")
    return redirect(url_for("protocols.show"))


@blueprint.post("/protocols/<int:protocol_id>/delete")
def delete(protocol_id: int) -> View:
    row = db().get(Protocol, protocol_id)
    if row is None:
        abort(404)
    db().delete(row)
    flash(f"The protocol {row.name} is gone; trials made from it stay.", "good")
    return redirect(url_for("protocols.show"))
