"""Lots: which piece goes into which arm and where it stands, drawn or by hand; labels for trays and toothpicks."""

from __future__ import annotations

import re
import secrets
from datetime import UTC, datetime

import segno
from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from markupsafe import Markup
from werkzeug.wrappers import Response

from bruvet.core.trial.allocation import HIGHEST_SEED, CannotAllocate
from bruvet.records.models import Piece, Trial
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.web.trial_page import trial_page
from bruvet.work.lots import Draw, begun, by_hand, days_of, draw_lots

blueprint = Blueprint("lots", __name__, template_folder="templates")
View = str | Response | tuple[str, int]
MOST_PLACES = 24


def _page(trial: Trial, form: dict[str, str], errors: dict[str, str]) -> View:
    days = days_of(db(), trial)
    page = trial_page(
        "lots/show.html",
        trial,
        form=form,
        errors=errors,
        begun=begun(db(), trial),
        days=days,
        day=[one.id for one in days].index(trial.id),
    )
    return page, 422 if errors else 200


@blueprint.get("/trials/<int:trial_id>/lots")
def show(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    form = {"matched": "on", "places": ", ".join(trial.lots.get("places", []))}
    return _page(trial, form, {})


@blueprint.post("/trials/<int:trial_id>/lots/draw")
def draw(trial_id: int) -> View:
    """Draw lots; the seed is kept, and a seed that is typed repeats its draw."""
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    typed = reader.number("seed", "The seed", 0, HIGHEST_SEED)
    if typed is not None and typed != int(typed):
        reader.fail("seed", "The seed is a whole number.")
    places = [place.strip() for place in re.split(r"[,;\n]", reader.text("places", "The places", 400)) if place.strip()]
    if len(places) > MOST_PLACES or any(len(place) > 60 for place in places):
        reader.fail("places", f"Give at most {MOST_PLACES} places of at most 60 letters each, with commas between.")
    if not reader.errors:
        seed = int(typed) if typed is not None else secrets.randbelow(HIGHEST_SEED)
        wish = Draw(seed, reader.flag("matched"), tuple(places), reader.flag("cookers"))
        try:
            with db().begin_nested():
                draw_lots(db(), trial, wish, person().name, datetime.now(UTC))
        except CannotAllocate as error:
            reader.fail("lots", str(error))
    if reader.errors:
        return _page(trial, request.form.to_dict(), reader.errors)
    flash(f"Drawn, with the seed {trial.lots['seed']}.", "good")
    return redirect(url_for("lots.show", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/lots/hand")
def hand(trial_id: int) -> View:
    """Keep arms, places and split pairs as a person set them, marked as made by hand."""
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    letters = [arm.letter for arm in trial.arms]
    pieces = [piece for arm in trial.arms for piece in arm.pieces]
    to = {piece.id: reader.choice(f"arm:{piece.id}", f"the arm of {piece.name}", letters) for piece in pieces}
    said = {
        piece: (
            reader.text(f"place:{piece.id}", f"The place of {piece.name}", 60),
            reader.text(f"pair:{piece.id}", f"What {piece.name} was split from", 20),
        )
        for piece in pieces
    }
    if not reader.errors:
        try:
            with db().begin_nested():
                by_hand(db(), trial, to, person().name, datetime.now(UTC))
        except CannotAllocate as error:
            reader.fail("lots", str(error))
    if reader.errors:
        return _page(trial, request.form.to_dict(), reader.errors)
    for piece, (place, pair) in said.items():
        piece.position, piece.pair = place, pair
    db().flush()
    flash("Kept as you set it.", "good")
    return redirect(url_for("lots.show", trial_id=trial.id))


def _code(piece: Piece) -> Markup:
    """A QR code of the piece's page, as SVG."""
    made = segno.make(url_for("lots.piece", piece_id=piece.id, _external=True), error="m")
    return Markup(made.svg_inline(svgclass="qr", lineclass=None, omitsize=True, border=2))


@blueprint.get("/trials/<int:trial_id>/labels")
def labels(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    pieces = [piece for arm in trial.arms for piece in arm.pieces]
    return render_template("lots/labels.html", trial=trial, labels=[(piece, _code(piece)) for piece in pieces])


@blueprint.get("/p/<int:piece_id>")
def piece(piece_id: int) -> View:
    """Where a label's code leads."""
    found = db().get(Piece, piece_id)
    if found is None:
        abort(404)
    return redirect(url_for("cook.record", trial_id=found.arm.trial_id, to=f"piece:{found.id}"))
