"""The record of the cook: what was done when, and what was seen and felt."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

from flask import Blueprint, abort, current_app, flash, redirect, request, session, url_for
from sqlalchemy import select
from werkzeug.wrappers import Response

from bruvet.core.trial.terms import Bark, EventKind, Feel, WrapIn
from bruvet.core.units import span_text
from bruvet.records.models import Arm, Event, Look, Photo, Piece, Revision, Spot, Trial
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.web.trial_page import facts_of, offer_undo, trial_page
from bruvet.work.analysis import TrialFacts
from bruvet.work.jobs import queue_learning

blueprint = Blueprint("cook", __name__, template_folder="templates")
View = str | Response | tuple[str, int]
SPOTS = 4


def zero_for(facts: TrialFacts, arm: Arm, piece: Piece | None) -> datetime | None:
    """Meat on of a piece or an arm when it was marked; otherwise where its log begins."""
    return facts.zeros[piece.id][0] if piece is not None else facts.arm_zero(arm)


@blueprint.get("/trials/<int:trial_id>/record")
def record(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    form: dict[str, str] = {}
    if "event" in request.args:
        event = _event_or_404(trial, request.args.get("event", -1, type=int))
        form = _event_form(event)
    elif "look" in request.args:
        form = _look_form(_look_or_404(trial, request.args.get("look", -1, type=int)))
    return _page(trial, form, {})


def _page(trial: Trial, form: dict[str, str], errors: dict[str, str]) -> View:
    facts = facts_of(trial)
    rows = []
    for event in trial.events:
        zero = zero_for(facts, event.arm, event.piece)
        rows.append((event, None if zero is None else (event.at - zero).total_seconds() / 60))
    looks = []
    for look in trial.looks:
        zero = facts.zeros[look.piece_id][0]
        looks.append((look, None if zero is None else (look.at - zero).total_seconds() / 60))
    unzeroed = [
        arm for arm in trial.arms if not any(e.kind == EventKind.MEAT_ON and e.arm_id == arm.id for e in trial.events)
    ]
    page = trial_page(
        "cook/record.html",
        trial,
        facts,
        rows=rows,
        looks=looks,
        form=form,
        errors=errors,
        spots=range(SPOTS),
        unzeroed=unzeroed,
        photos=list(db().scalars(select(Photo).where(Photo.trial_id == trial.id).order_by(Photo.at, Photo.id))),
    )
    return page, 422 if errors else 200


# ---- events -----------------------------------------------------------------------------------------


def _event_or_404(trial: Trial, event_id: int) -> Event:
    event = next((e for e in trial.events if e.id == event_id), None)
    if event is None:
        abort(404)
    return event


def _event_form(event: Event) -> dict[str, str]:
    local = event.at.astimezone(ZoneInfo(event.trial.tz))
    return {
        "event_id": str(event.id),
        "kind": event.kind,
        "to": f"piece:{event.piece_id}" if event.piece_id else f"arm:{event.arm_id}",
        "when": local.strftime("%Y-%m-%d %H:%M:%S" if local.second else "%Y-%m-%d %H:%M"),
        "wrap_in": event.wrap_in,
        "temp": "" if event.temp_c is None else f"{units().temp_shown(event.temp_c):.0f}",
        "minutes": "" if event.minutes is None else f"{event.minutes:g}",
        "amount": ""
        if event.amount_kg is None
        else f"{units().mass_shown(event.amount_kg):.2f}".rstrip("0").rstrip("."),
        "note": event.note,
    }


def _targets(reader: Reader, trial: Trial) -> list[tuple[Arm, Piece | None]]:
    """Arms and pieces that an entry is for: one of them, or every arm."""
    value = reader.form.get("to", "")
    if value == "all":
        return [(arm, None) for arm in trial.arms]
    kind, _, number = value.partition(":")
    for arm in trial.arms:
        if kind == "arm" and number == str(arm.id):
            return [(arm, None)]
        for piece in arm.pieces:
            if kind == "piece" and number == str(piece.id):
                return [(arm, piece)]
    reader.fail("to", "Say which arm or piece it was for.")
    return []


@blueprint.post("/trials/<int:trial_id>/events")
def save_event(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    reader = Reader(request.form, units())
    editing = _event_or_404(trial, request.form.get("event_id", -1, type=int)) if request.form.get("event_id") else None
    kind = reader.choice("kind", "What was done", [k.value for k in EventKind])
    targets = _targets(reader, trial)
    if editing is not None and len(targets) > 1:
        reader.fail("to", "One entry is of one arm or one piece; add others for the rest.")
    wrap_in = reader.choice("wrap_in", "The wrap", ["", *[w.value for w in WrapIn]], "") if kind == "wrap" else ""
    if kind == EventKind.WRAP and not wrap_in:
        reader.fail("wrap_in", "Say what it was wrapped in.")
    temp_c = reader.temp("temp", "The pit setting", 30.0, 400.0) if kind == "pit-set" else None
    if kind == EventKind.PIT_SET and temp_c is None:
        reader.fail("temp", "Say what the pit was set to.")
    minutes = reader.number("minutes", "Minutes open", 0, 240) if kind == EventKind.LID else None
    amount_kg = (
        reader.mass("amount", "The weight of fuel or wood") if kind in (EventKind.FUEL, EventKind.WOOD) else None
    )
    note = reader.text("note", "The note", 500)
    moments = [reader.when("when", zero_for(facts, arm, piece), trial.cook_date, trial.tz) for arm, piece in targets]
    if reader.errors:
        form = request.form.to_dict()
        return _page(trial, form, {f"event-{k}": v for k, v in reader.errors.items()})
    if editing is not None:
        arm, piece = targets[0]
        assert moments[0] is not None
        editing.arm_id, editing.piece_id, editing.kind = arm.id, piece.id if piece else None, kind
        editing.at, editing.wrap_in, editing.temp_c = moments[0], wrap_in, temp_c
        editing.minutes, editing.amount_kg, editing.note = minutes, amount_kg, note
        flash("The entry was changed; what it said before is kept.", "good")
    else:
        if kind == EventKind.PULL:
            queue_learning(current_app.config["DATABASE_URL"], [trial.id])
        for (arm, piece), at in zip(targets, moments, strict=True):
            assert at is not None
            db().add(
                Event(
                    trial_id=trial.id,
                    arm_id=arm.id,
                    piece_id=piece.id if piece else None,
                    kind=kind,
                    at=at,
                    wrap_in=wrap_in,
                    temp_c=temp_c,
                    minutes=minutes,
                    amount_kg=amount_kg,
                    note=note,
                    created_by=person().id,
                )
            )
        who = ", ".join(piece.name if piece else arm.letter for arm, piece in targets)
        zero = zero_for(facts, *targets[0])
        after = f", {span_text((moments[0] - zero).total_seconds() / 60)} after meat on" if zero and moments[0] else ""
        local = moments[0].astimezone(ZoneInfo(trial.tz)).strftime("%H:%M") if moments[0] else ""
        flash(f"{EventKind(kind).label} for {who} at {local}{after if kind != 'meat-on' else ''}.", "good")
    if request.form.get("back") == "curves":
        return redirect(url_for("curves.show", trial_id=trial.id))
    return redirect(url_for("cook.record", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/events/<int:event_id>/delete")
def delete_event(trial_id: int, event_id: int) -> View:
    trial = trial_or_404(trial_id)
    event = _event_or_404(trial, event_id)
    db().delete(event)
    offer_undo(trial, event, f"{EventKind(event.kind).label} of {event.arm.letter} was removed.")
    return redirect(url_for("cook.record", trial_id=trial.id))


# ---- looks ------------------------------------------------------------------------------------------


def _look_or_404(trial: Trial, look_id: int) -> Look:
    look = next((row for row in trial.looks if row.id == look_id), None)
    if look is None:
        abort(404)
    return look


def _look_form(look: Look) -> dict[str, str]:
    shown = units()
    form = {
        "look_id": str(look.id),
        "piece": str(look.piece_id),
        "look_when": look.at.astimezone(ZoneInfo(look.trial.tz)).strftime("%Y-%m-%d %H:%M"),
        "bark": look.bark,
        "colour": look.colour,
        "pull_back": "" if look.pull_back_mm is None else f"{look.pull_back_mm:g}",
        "look_note": look.note,
    }
    for number, spot in enumerate(look.spots[:SPOTS]):
        form |= {
            f"spot{number}-place": spot.place,
            f"spot{number}-temp": "" if spot.temp_c is None else f"{shown.temp_shown(spot.temp_c):.0f}",
            f"spot{number}-feel": spot.feel,
        }
    return form


@blueprint.post("/trials/<int:trial_id>/looks")
def save_look(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    reader = Reader(request.form, units())
    editing = _look_or_404(trial, request.form.get("look_id", -1, type=int)) if request.form.get("look_id") else None
    pieces = {str(piece.id): piece for piece in facts.pieces}
    piece = pieces.get(request.form.get("piece", ""))
    if piece is None:
        reader.fail("piece", "Say which piece was looked at.")
    at = reader.when("look_when", facts.zeros[piece.id][0] if piece else None, trial.cook_date, trial.tz)
    bark = reader.choice("bark", "Bark", ["", *[b.value for b in Bark]], "")
    colour = reader.text("colour", "Colour", 80)
    pull_back = reader.number("pull_back", "Pull-back in mm", 0, 100)
    note = reader.text("look_note", "The note", 500)
    spots = []
    for number in range(SPOTS):
        place = reader.text(f"spot{number}-place", "The place", 60)
        temp_c = reader.temp(f"spot{number}-temp", "The handheld reading", -5.0, 130.0)
        feel = reader.choice(f"spot{number}-feel", "Feel", ["", *[f.value for f in Feel]], "")
        if temp_c is not None or feel:
            spots.append(Spot(place=place or "middle", temp_c=temp_c, feel=feel))
    if not (spots or bark or colour or pull_back is not None or note):
        reader.fail("bark", "Enter at least one thing that was seen, felt or measured.")
    if reader.errors:
        return _page(trial, request.form.to_dict(), {f"look-{k}": v for k, v in reader.errors.items()})
    assert piece is not None
    assert at is not None
    look = editing or Look(trial_id=trial.id, created_by=person().id)
    look.piece_id, look.at, look.bark, look.colour = piece.id, at, bark, colour
    look.pull_back_mm, look.note = pull_back, note
    look.spots = spots
    db().add(look)
    flash(f"The look at {piece.name} is kept.", "good")
    return redirect(url_for("cook.record", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/looks/<int:look_id>/delete")
def delete_look(trial_id: int, look_id: int) -> View:
    trial = trial_or_404(trial_id)
    look = _look_or_404(trial, look_id)
    db().delete(look)
    offer_undo(trial, look, f"The look at {look.piece.name} was removed.")
    return redirect(url_for("cook.record", trial_id=trial.id))


# ---- undo -------------------------------------------------------------------------------------------


@blueprint.post("/trials/<int:trial_id>/undo")
def undo(trial_id: int) -> View:
    """Put back an event or a look that was removed, from the revision that kept it."""
    trial = trial_or_404(trial_id)
    revision = db().get(Revision, request.form.get("revision", -1, type=int))
    models = {"event": Event, "look": Look}
    if (
        revision is None
        or revision.trial_id != trial.id
        or revision.action != "delete"
        or revision.table_name not in models
    ):
        abort(404)
    model = models[revision.table_name]
    if db().get(model, revision.row_id) is None:
        db().add(model(**_revived(revision)))
        if model is Look:
            # Those that went in the same transaction; spots of an earlier edit stay gone.
            kept = select(Revision).where(
                Revision.table_name == "spot", Revision.action == "delete", Revision.at == revision.at
            )
            for spot in db().scalars(kept.where(Revision.earlier["look_id"].as_integer() == revision.row_id)):
                db().add(Spot(**spot.earlier))
    session.pop("undo", None)
    flash("It is back.", "good")
    return redirect(url_for("cook.record", trial_id=trial.id))


def _revived(revision: Revision) -> dict[str, object]:
    values = dict(revision.earlier)
    for name in ("at", "created_at"):
        if values.get(name):
            values[name] = datetime.fromisoformat(values[name])
    return values
