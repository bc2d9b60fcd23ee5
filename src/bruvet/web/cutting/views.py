"""Cut and look: what the cook sees and measures of each piece, and photos beside one another under one scale."""

from __future__ import annotations

from datetime import UTC, datetime

from flask import Blueprint, abort, flash, redirect, request, url_for
from sqlalchemy import select
from werkzeug.wrappers import Response

from bruvet.core.trial.terms import PhotoView
from bruvet.records.models import Cutting, Photo, Piece, Trial
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.web.trial_page import trial_page
from bruvet.work.photos import BadPhoto, made_small

from .scaled import photos_of, rows_of
from .words import LENGTHS, WORDS, cut_form

blueprint = Blueprint(
    "cutting", __name__, template_folder="templates", static_folder="static", static_url_path="/cutting-static"
)
View = str | Response | tuple[str, int]
WIDEST_MM = 3000.0


@blueprint.get("/trials/<int:trial_id>/cutting")
def show(trial_id: int) -> View:
    return _page(trial_or_404(trial_id), {}, {})


def _pieces(trial: Trial) -> list[Piece]:
    return [piece for arm in trial.arms for piece in arm.pieces]


def _page(trial: Trial, form: dict[str, str], errors: dict[str, str]) -> View:
    photos = photos_of(db(), trial.id)
    page = trial_page(
        "cutting/show.html",
        trial,
        pieces=_pieces(trial),
        words=WORDS,
        lengths=LENGTHS,
        form=form or {k: v for piece in _pieces(trial) for k, v in cut_form(piece, units()).items()},
        errors=errors,
        rows=rows_of(photos),
        photos=photos,
        views=PhotoView,
    )
    return (page, 422) if errors else page


@blueprint.post("/trials/<int:trial_id>/cutting")
def save(trial_id: int) -> View:
    """All pieces at once; with one wrong value nothing is kept."""
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    said: dict[int, dict[str, object]] = {}
    cooked: dict[int, float | None] = {}
    for piece in _pieces(trial):
        mine: dict[str, object] = {}
        for name, (label, kind) in WORDS.items():
            choices = [value for value, _ in kind.choices()]
            mine[name] = reader.choice(f"{name}-{piece.id}", f"{label} of {piece.name}", choices, "")
        for name, (label, most_mm) in LENGTHS.items():
            mine[name] = reader.number(f"{name}-{piece.id}", f"{label} of {piece.name}", 0, most_mm, "mm")
        mine["note"] = reader.text(f"note-{piece.id}", f"The note on {piece.name}", 500)
        said[piece.id] = mine
        cooked[piece.id] = reader.mass(f"cooked-{piece.id}", f"Weight of {piece.name} cooked")
        whole = piece.trimmed_kg or piece.raw_kg
        weight = cooked[piece.id]
        if weight is not None and whole is not None and weight > whole * 1.02:
            reader.fail(f"cooked-{piece.id}", f"{piece.name} weighs more cooked than raw; one of the two is wrong.")
    if reader.errors:
        return _page(trial, request.form.to_dict(), reader.errors)
    for piece in _pieces(trial):
        piece.cooked_kg = cooked[piece.id]
        values = said[piece.id]
        if piece.cutting is None and any(value not in ("", None) for value in values.values()):
            piece.cutting = Cutting(created_by=person().id, **values)
        elif piece.cutting is not None:
            for name, value in values.items():
                setattr(piece.cutting, name, value)
    flash("What you saw at the board is kept.", "good")
    return redirect(url_for("cutting.show", trial_id=trial.id))


# ---- photos -------------------------------------------------------------------------------------------------


@blueprint.post("/trials/<int:trial_id>/cutting/photos")
def add_photo(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    arm = next((arm for arm in trial.arms if arm.letter == request.form.get("arm")), None)
    reader = Reader(request.form, units())
    view = reader.choice("view", "What it shows", [value for value, _ in PhotoView.choices()], "")
    spans = reader.number("spans", "The width that the photo shows", 1, WIDEST_MM, "mm")
    sent = request.files.get("photo")
    try:
        content = made_small(sent.read() if sent else b"")
    except BadPhoto as error:
        reader.fail("photo", str(error))
    if arm is None:
        reader.fail("arm", "Choose the arm that the photo is of.")
    if reader.errors or arm is None:
        for message in reader.errors.values():
            flash(message, "error")
        return redirect(url_for("cutting.show", trial_id=trial.id))
    row = Photo(trial_id=trial.id, arm_id=arm.id, at=datetime.now(UTC), content=content, view=view, spans_mm=spans)
    row.created_by = person().id
    db().add(row)
    flash("The photo is kept.", "good")
    return redirect(url_for("cutting.show", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/cutting/photos/<int:photo_id>")
def scale_photo(trial_id: int, photo_id: int) -> View:
    """What a photo shows, and how many millimetres its width spans."""
    trial = trial_or_404(trial_id)
    row = db().scalar(select(Photo).where(Photo.id == photo_id, Photo.trial_id == trial.id))
    if row is None:
        abort(404)
    reader = Reader(request.form, units())
    view = reader.choice("view", "What it shows", [value for value, _ in PhotoView.choices()], "")
    spans = reader.number("spans", "The width that the photo shows", 1, WIDEST_MM, "mm")
    for message in reader.errors.values():
        flash(message, "error")
    if not reader.errors:
        row.view, row.spans_mm = view, spans
        flash("The photo's scale is kept.", "good")
    return redirect(url_for("cutting.show", trial_id=trial.id))
