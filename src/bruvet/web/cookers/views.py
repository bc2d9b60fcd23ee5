"""The cookers that trials are cooked on."""

from __future__ import annotations

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from sqlalchemy import func, select
from werkzeug.wrappers import Response

from bruvet.core.trial.terms import CookerKind
from bruvet.records.models import Arm, Cooker
from bruvet.web.access import person, units
from bruvet.web.database import db
from bruvet.web.reader import Reader
from bruvet.work.forecasts import cooker_words, lessons_before

blueprint = Blueprint("cookers", __name__, template_folder="templates")
View = str | Response | tuple[str, int]


def _page(form: dict[str, str], errors: dict[str, str], editing: Cooker | None = None) -> View:
    used = select(func.count()).select_from(Arm).where(Arm.cooker_id == Cooker.id).correlate(Cooker).scalar_subquery()
    rows = db().execute(select(Cooker, used).order_by(Cooker.name)).all()
    lessons = lessons_before(db(), None)
    said = {cooker.id: cooker_words(lessons, cooker, units()) for cooker, _ in rows}
    page = render_template("cookers/show.html", rows=rows, said=said, form=form, errors=errors, editing=editing)
    return page, 422 if errors else 200


@blueprint.get("/cookers")
def show() -> View:
    editing = db().get(Cooker, request.args.get("edit", -1, type=int)) if "edit" in request.args else None
    form = {"name": editing.name, "kind": editing.kind, "note": editing.note} if editing else {}
    return _page(form, {}, editing)


@blueprint.post("/cookers")
def save() -> View:
    reader = Reader(request.form, units())
    name = reader.text("name", "Name", 80, required=True)
    kind = reader.choice("kind", "Kind", [k.value for k in CookerKind])
    note = reader.text("note", "Note", 500)
    editing = None
    if request.form.get("id"):
        editing = db().get(Cooker, request.form.get("id", -1, type=int))
        if editing is None:
            abort(404)
    twin = db().scalar(select(Cooker).where(func.lower(Cooker.name) == name.lower()))
    if twin is not None and twin is not editing:
        reader.fail("name", f"There is a cooker called {twin.name} already.")
    if reader.errors:
        return _page(request.form.to_dict(), reader.errors, editing)
    cooker = editing or Cooker(created_by=person().id)
    cooker.name, cooker.kind, cooker.note = name, kind, note
    db().add(cooker)
    flash(f"{name} is kept.", "good")
    return redirect(url_for("cookers.show"))


@blueprint.post("/cookers/<int:cooker_id>/delete")
def delete(cooker_id: int) -> View:
    cooker = db().get(Cooker, cooker_id)
    if cooker is None:
        abort(404)
    used = db().scalar(select(func.count()).select_from(Arm).where(Arm.cooker_id == cooker.id))
    if used:
        flash(f"{cooker.name} was cooked on in {used} arms, so it stays.", "error")
    else:
        db().delete(cooker)
        flash(f"{cooker.name} was deleted.", "good")
    return redirect(url_for("cookers.show"))
