"""The board: one screen for the pit side, all arms as lanes; one tap logs what was done; calls, warnings, photos."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime, timedelta
from typing import Any

from flask import Blueprint, Response, abort, current_app, flash, jsonify, redirect, render_template, request, url_for
from sqlalchemy import or_, select
from werkzeug.wrappers import Response as AnyResponse

from bruvet.core.trial.terms import Bark, EventKind, Feel, Term, WrapIn
from bruvet.records.models import Event, Photo, Trial
from bruvet.records.watching import AnswerRow, Board, WatchRow
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.web.trial_page import facts_of
from bruvet.work import stand_in
from bruvet.work.entries import MOST_ENTRIES, take_entries, undo
from bruvet.work.jobs import queue_learning
from bruvet.work.photos import BadPhoto, made_small

from .band import draw_band
from .texts import digest, lane_texts

blueprint = Blueprint("board", __name__, template_folder="templates", static_folder="static", static_url_path="/board")
View = str | AnyResponse | tuple[str, int]

# The order of the pad, with the key that follows the arm's letter.
ACTIONS = (
    *(("meat-on", "m"), ("look", "k"), ("spritz", "s"), ("lid", "l"), ("wrap", "w"), ("unwrap", "u"), ("turn", "t")),
    *(("move", "v"), ("pit-set", "p"), ("fuel", "f"), ("wood", "d"), ("weather", "q"), ("pull", "x")),
    *(("rest-start", "r"), ("rest-end", "e"), ("cut", "c"), ("note", "n")),
)
AGO = (0, 5, 10, 20)
SHOWN_EVENTS = 8
SNOOZE = timedelta(minutes=30)
PUT_OFF = timedelta(minutes=20)
SPOTS = {
    "brisket-whole": ("flat", "point", "thin end", "middle"),
    "pork-spare-ribs": ("thick end", "between the bones", "thin end"),
    "pork-loin-ribs": ("thick end", "between the bones", "thin end"),
}
USUAL_SPOTS = ("thick end", "middle", "thin end", "near the bone")


class Said(Term):
    ACCEPTED = "accepted", "Done"
    PUT_OFF = "put-off", "Not now"
    OVERRULED = "overruled", "No"


LABELS = {"departure": ("Meant", "Later", "Not meant"), "apart": ("Settled", "Later", "Leave it")}


# ---- what the board shows -------------------------------------------------------------------------------


def _board(trial: Trial) -> Board | None:
    return db().get(Board, trial.id, populate_existing=True)


def _calls(trial: Trial, board: Board | None, now: datetime) -> list[dict[str, Any]]:
    """Calls of the board that nobody has answered, or whose putting off is over."""
    if board is None:
        return []
    shown = board.body.get("c" if units().temp == "c" else "f", {}).get("calls", [])
    answered = db().scalars(
        select(AnswerRow.key).where(
            AnswerRow.trial_id == trial.id, or_(AnswerRow.until_at.is_(None), AnswerRow.until_at > now)
        )
    )
    quiet = set(answered)
    return [call for call in shown if call["key"] not in quiet]


def _watches(trial: Trial, now: datetime) -> list[WatchRow]:
    """Warnings that go on and that nobody has put to sleep."""
    rows = db().scalars(
        select(WatchRow)
        .where(
            WatchRow.trial_id == trial.id,
            WatchRow.ended_at.is_(None),
            WatchRow.seen_at.is_(None),
            or_(WatchRow.snoozed_until.is_(None), WatchRow.snoozed_until < now),
        )
        .order_by(WatchRow.level, WatchRow.fired_at.desc())
    )
    return list(rows)


def _shape(lane: dict[str, Any]) -> list[Any]:
    """What of a lane is drawn and not only worded: when it changes, the lanes are drawn anew."""
    return [lane["letter"], [probe["place"] for probe in lane["probes"]], bool(lane["load_h"]), lane["told"][-1:]]


def _values(trial: Trial) -> dict[str, Any]:
    now = datetime.now(UTC)
    board = _board(trial)
    lanes = board.body.get("lanes", []) if board else []
    texts: dict[str, str] = {}
    for lane in lanes:
        texts |= lane_texts(lane, units(), trial.tz, now)
    watches, calls = _watches(trial, now), _calls(trial, board, now)
    recent = db().scalars(
        select(Event).where(Event.trial_id == trial.id).order_by(Event.at.desc(), Event.id.desc()).limit(SHOWN_EVENTS)
    )
    events = list(recent)
    return {
        "trial": trial,
        "board": board,
        "lanes": lanes,
        "bands": {lane["letter"]: draw_band(lane["told"], trial.tz) for lane in lanes},
        "texts": texts,
        "watches": watches,
        "calls": calls,
        "events": events,
        "said": Said,
        "labels": LABELS,
        "word_unit": "c" if units().temp == "c" else "f",
        "parts": {
            "lanes": digest([_shape(lane) for lane in lanes]),
            "calls": digest([call["key"] for call in calls]),
            "watches": digest([(row.id, row.words) for row in watches]),
            "events": digest([(row.id, row.at, row.kind) for row in events]),
        },
    }


@blueprint.get("/trials/<int:trial_id>/board")
def show(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    wall = "wall" in request.args
    pieces = {arm.letter: (arm.pieces[0].cut if arm.pieces else "") for arm in trial.arms}
    return render_template(
        "board/show.html",
        **_values(trial),
        actions=[(EventKind(kind), key) for kind, key in ACTIONS],
        ago=AGO,
        barks=Bark,
        feels=Feel,
        wraps=[w for w in WrapIn if w != WrapIn.NONE],
        spots={letter: SPOTS.get(cut, USUAL_SPOTS) for letter, cut in pieces.items()},
        wall=wall,
        can_stand_in=bool(current_app.config["DEMO_SIGN_IN"]) and not trial.events and not trial.stand_in,
    )


@blueprint.get("/board-worker.js")
def worker() -> AnyResponse:
    """The script that opens the board while offline; from the root, so that it may mind the board's address."""
    return blueprint.send_static_file("board-worker.js")


@blueprint.get("/trials/<int:trial_id>/board.json")
def state(trial_id: int) -> AnyResponse:
    """Texts that a board is patched with, and which of its parts have changed; nothing when nothing did."""
    trial = trial_or_404(trial_id)
    values = _values(trial)
    version = digest([values["texts"], values["parts"]])
    if request.args.get("since") == version:
        return Response(status=204)
    made = values["board"].made_at.isoformat() if values["board"] else None
    body = {"version": version, "made": made, "texts": values["texts"], "parts": values["parts"]}
    body["loud"] = [row.id for row in values["watches"] if row.level == "act"]
    return jsonify(body)


@blueprint.get("/trials/<int:trial_id>/board/<part>")
def part(trial_id: int, part: str) -> View:
    if part not in ("lanes", "calls", "watches", "events"):
        abort(404)
    return render_template(f"board/{part}.html", **_values(trial_or_404(trial_id)))


@blueprint.get("/trials/<int:trial_id>/board/curve.json")
def curve(trial_id: int) -> AnyResponse:
    """The curves so far, a point every two minutes, or those after a minute every half: a few kB at most a time."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    after = request.args.get("after", type=float)
    width = 120.0 if after is None else 30.0
    buckets = facts.buckets(width) if after is None else facts.fetched(width, after)
    shown = units()
    series = []
    for probe in trial.probes:
        found = buckets.get(probe.id)
        if found is None or not len(found.minute):
            continue
        temps = shown.temp_shown(found.mean_c)
        series.append(
            {"id": probe.id, "arm": probe.arm.letter, "pit": probe.is_pit, "label": probe.label,
             "x": found.minute.round(2).tolist(), "y": temps.round(1).tolist()}
        )  # fmt: skip
    return jsonify({"unit": shown.degree, "series": series})


# ---- logging --------------------------------------------------------------------------------------------


def _learned(trial: Trial) -> None:
    queue_learning(current_app.config["DATABASE_URL"], [trial.id])


@blueprint.post("/trials/<int:trial_id>/log")
def log(trial_id: int) -> AnyResponse:
    """Entries of one browser, some of them perhaps hours old and sent before."""
    trial = trial_or_404(trial_id)
    body = request.get_json(silent=True)
    items = body.get("entries") if isinstance(body, dict) else None
    if not isinstance(items, list) or len(items) > MOST_ENTRIES:
        return jsonify({"error": f"Send entries, a list of at most {MOST_ENTRIES}."}), 422  # type: ignore[return-value]
    kept, refused = take_entries(db(), trial, items, person().id, units(), datetime.now(UTC))
    if any(one.pulled for one in kept):
        _learned(trial)
    answer = {
        "kept": [{"id": one.id, "words": one.words, "also": one.also} for one in kept],
        "refused": [{"id": one.id, "why": one.why} for one in refused],
    }
    return jsonify(answer)


@blueprint.post("/trials/<int:trial_id>/log/undo")
def take_back(trial_id: int) -> AnyResponse:
    trial = trial_or_404(trial_id)
    body = request.get_json(silent=True)
    words = undo(db(), trial, str(body.get("id", "")) if isinstance(body, dict) else "", datetime.now(UTC))
    return jsonify({"undone": words})


@blueprint.post("/trials/<int:trial_id>/board")
def tapped(trial_id: int) -> View:
    """The pad without script: one entry from a plain form."""
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    ago = reader.number("ago", "How long ago", 0, 24 * 60) or 0.0
    entry: dict[str, Any] = {
        "id": secrets.token_hex(12),
        "kind": request.form.get("kind", ""),
        "arms": request.form.getlist("arms") or [arm.letter for arm in trial.arms],
        "at": (datetime.now(UTC) - timedelta(minutes=ago)).isoformat(),
        "wrap_in": request.form.get("wrap_in", ""),
        "temp": reader.number("temp", "The pit", 0, 800),
        "note": request.form.get("note", ""),
        "bark": request.form.get("bark", ""),
    }
    kept, refused = take_entries(db(), trial, [entry], person().id, units(), datetime.now(UTC))
    for problem in (*reader.errors.values(), *(one.why for one in refused)):
        flash(problem, "error")
    for one in kept:
        flash(f"{one.words} is logged. {one.also}", "good")
        if one.pulled:
            _learned(trial)
    return redirect(url_for("board.show", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/photos")
def photo(trial_id: int) -> View:
    """Keep a photo of an arm, or of the whole; made smaller here, and rid of what a phone writes into it."""
    trial = trial_or_404(trial_id)
    sent = request.files.get("photo")
    arm = next((arm for arm in trial.arms if arm.letter == request.form.get("arm")), None)
    try:
        content = made_small(sent.read() if sent else b"")
    except BadPhoto as error:
        flash(str(error), "error")
        return redirect(url_for("board.show", trial_id=trial.id))
    row = Photo(trial_id=trial.id, arm_id=arm.id if arm else None, at=datetime.now(UTC), content=content,
                note=request.form.get("note", "")[:200], created_by=person().id)  # fmt: skip
    db().add(row)
    db().flush()
    flash("The photo is kept with the trial.", "good")
    return redirect(url_for("board.show", trial_id=trial.id))


@blueprint.get("/photos/<int:photo_id>.jpg")
def picture(photo_id: int) -> AnyResponse:
    row = db().get(Photo, photo_id)
    if row is None:
        abort(404)
    return Response(row.content, mimetype="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})


@blueprint.post("/photos/<int:photo_id>/delete")
def drop_photo(photo_id: int) -> View:
    row = db().get(Photo, photo_id)
    if row is None:
        abort(404)
    db().delete(row)
    flash("The photo is gone.", "good")
    return redirect(url_for("cook.record", trial_id=row.trial_id))


# ---- calls and warnings ---------------------------------------------------------------------------------


@blueprint.post("/trials/<int:trial_id>/calls")
def answer(trial_id: int) -> View:
    """What a person says to a call; that stays on record. What is accepted and names a mark is logged at once."""
    trial = trial_or_404(trial_id)
    now = datetime.now(UTC)
    key, said = request.form.get("key", ""), request.form.get("said", "")
    call = next((c for c in _calls(trial, _board(trial), now) if c["key"] == key), None)
    if said not in {s.value for s in Said}:
        abort(400)
    if call is not None:
        until = now + PUT_OFF if said == Said.PUT_OFF else None
        db().add(
            AnswerRow(trial_id=trial.id, key=key, kind=call["kind"], letter=call["letter"], ask=call["ask"], said=said,
                      note=request.form.get("note", "")[:300], until_at=until, at=now, created_by=person().id)
        )  # fmt: skip
        kind, _, detail = call["do"].partition(":")
        if said == Said.ACCEPTED and kind:
            entry = {
                "id": secrets.token_hex(12),
                "kind": kind,
                "arms": [call["letter"]],
                "at": now.isoformat(),
                "wrap_in": detail,
            }
            kept, _ = take_entries(db(), trial, [entry], person().id, units(), now)
            if any(one.pulled for one in kept):
                _learned(trial)
        db().flush()
    if request.headers.get("HX-Request"):
        return render_template("board/calls.html", **_values(trial))
    return redirect(url_for("board.show", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/watches/<int:row_id>")
def quieten(trial_id: int, row_id: int) -> View:
    """Seen, or asleep for half an hour."""
    trial = trial_or_404(trial_id)
    row = db().get(WatchRow, row_id)
    if row is None or row.trial_id != trial.id:
        abort(404)
    now = datetime.now(UTC)
    if request.form.get("do") == "snooze":
        row.snoozed_until = now + SNOOZE
    else:
        row.seen_at = now
    db().flush()
    if request.headers.get("HX-Request"):
        return render_template("board/watches.html", **_values(trial))
    return redirect(url_for("board.show", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/watching")
def watching(trial_id: int) -> View:
    """Quiet hours, and where else warnings go."""
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    webhook = reader.text("webhook", "The address", 300)
    if webhook and not webhook.startswith(("http://", "https://")):
        reader.fail("webhook", "The address begins with http:// or https://.")
    hours = [reader.clock(name, "Quiet hours") for name in ("quiet_from", "quiet_until")]
    if (hours[0] is None) != (hours[1] is None):
        reader.fail("quiet_until", "Quiet hours: give both their beginning and their end, or neither.")
    for problem in reader.errors.values():
        flash(problem, "error")
    if not reader.errors:
        low, high = (f"{moment:%H:%M}" if moment else "" for moment in hours)
        trial.watching = {"quiet_from": low, "quiet_until": high, "webhook": webhook}
        flash("The watches are set.", "good")
    return redirect(url_for("board.show", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/stand-in")
def begin_stand_in(trial_id: int) -> View:
    """In the demo: a simulated cook takes the place of real stations."""
    trial = trial_or_404(trial_id)
    if not current_app.config["DEMO_SIGN_IN"] or trial.events:
        abort(404)
    stand_in.begin(db(), trial, datetime.now(UTC), ago_min=90.0)
    flash("A stand-in cooks this trial now; its meat went on an hour and a half ago.", "good")
    return redirect(url_for("board.show", trial_id=trial.id))


@blueprint.get("/trials/<int:trial_id>/hand-over")
def hand_over(trial_id: int) -> View:
    """A note for whoever takes over: where each arm stands, what was done, what is open, what comes next."""
    trial = trial_or_404(trial_id)
    values = _values(trial)
    said = db().scalars(select(AnswerRow).where(AnswerRow.trial_id == trial.id).order_by(AnswerRow.at.desc()).limit(12))
    return render_template("board/hand_over.html", **values, answers=list(said), now=datetime.now(UTC))
