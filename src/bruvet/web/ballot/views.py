"""A panellist's pages: join by a code, one sample a page, send. No account; the address is the key to the ballot.

Nothing here tells which code is which arm: pages know codes and questions only.
"""

from __future__ import annotations

import time
from collections import defaultdict, deque
from datetime import UTC, datetime
from typing import Any

from flask import Blueprint, abort, jsonify, redirect, render_template, request, url_for
from sqlalchemy import select
from werkzeug.wrappers import Response

from bruvet.core.tasting.sets import RIGHT_WORDS, TESTS
from bruvet.records.tasting import Ballot, Panel
from bruvet.web.database import db
from bruvet.work.panels import (
    CannotTaste,
    answer,
    ballot_of,
    fields_of,
    given,
    join,
    missing,
    rights_of,
    said_on,
    scales_of,
    seen,
    send,
)

blueprint = Blueprint(
    "ballot", __name__, template_folder="templates", static_folder="static", static_url_path="/ballot-static"
)
View = str | Response | tuple[str, int]
# Wrong codes an address may try in ten minutes, counted in each web process.
MOST_WRONG, WRONG_S = 20, 600.0
_wrong: dict[str, deque[float]] = defaultdict(deque)


def _panel(code: str) -> Panel:
    panel = db().scalar(select(Panel).where(Panel.join_code == code.upper()))
    if panel is not None:
        # A whole party may sit behind one address: somebody's wrong guesses do not shut out who has the code.
        return panel
    tried, now = _wrong[request.remote_addr or ""], time.monotonic()
    while tried and now - tried[0] > WRONG_S:
        tried.popleft()
    if len(tried) >= MOST_WRONG:
        abort(429)
    tried.append(now)
    abort(404)


@blueprint.get("/taste")
def door() -> View:
    """Where somebody types the short code."""
    code = request.args.get("code", "").strip().replace(" ", "").replace("-", "").upper()
    if code:
        return redirect(url_for("ballot.welcome", code=code[:20]))
    return render_template("ballot/door.html")


@blueprint.get("/taste/<code>")
def welcome(code: str) -> View:
    return render_template("ballot/welcome.html", panel=_panel(code), problem="", name="")


@blueprint.post("/taste/<code>")
def begin(code: str) -> View:
    panel = _panel(code)
    name = request.form.get("name", "").replace("\x00", "").strip()[:80]
    problem = ""
    if not name:
        problem = "Give a name, or any word that you will know again."
    elif not request.form.get("consent"):
        problem = "Say that you have read what may be in the samples, or do not taste."
    else:
        try:
            token = join(db(), panel, name, bool(request.form.get("cooked")), datetime.now(UTC))
            db().commit()
            return redirect(url_for("ballot.page", token=token, number=1))
        except CannotTaste as error:
            db().rollback()
            problem = str(error)
    return render_template("ballot/welcome.html", panel=panel, problem=problem, name=name), 422


def _ballot(token: str) -> Ballot:
    ballot = ballot_of(db(), token)
    if ballot is None:
        abort(404)
    return ballot


@blueprint.get("/ballot/<token>/<int:number>")
def page(token: str, number: int) -> View:
    ballot = _ballot(token)
    if ballot.sent_at is not None:
        return redirect(url_for("ballot.done", token=token))
    if not 1 <= number <= len(ballot.steps):
        abort(404)
    return _page(ballot, token, number, "")


def _page(ballot: Ballot, token: str, number: int, problem: str) -> View:
    asks = ballot.panel.asks
    shown = render_template(
        "ballot/page.html",
        token=token,
        number=number,
        count=len(ballot.steps),
        step=seen(ballot.steps[number - 1]),
        said=said_on(given(ballot), number),
        pause_s=asks["pause_s"] if number < len(ballot.steps) else 0,
        open_pages=missing(ballot) if number == len(ballot.steps) else [],
        problem=problem,
        **_questions(ballot),
    )
    return (shown, 422) if problem else shown


def _questions(ballot: Ballot) -> dict[str, Any]:
    return {
        "scales": list(scales_of(ballot.panel).values()),
        "rights": list(rights_of(ballot.panel).values()),
        "right_words": RIGHT_WORDS,
        "tests": TESTS,
    }


@blueprint.get("/ballot/<token>/whole")
def whole(token: str) -> View:
    """All of a ballot on one page, to type in what stands on paper."""
    ballot = _ballot(token)
    if ballot.sent_at is not None:
        return redirect(url_for("ballot.done", token=token))
    return _whole(ballot, token, {key.replace(":", "-", 1): value for key, value in given(ballot).items()}, "")


def _whole(ballot: Ballot, token: str, said: dict[str, str], problem: str) -> View:
    shown = render_template(
        "ballot/whole.html",
        token=token,
        ballot=ballot,
        steps=[seen(step) for step in ballot.steps],
        said=said,
        open_pages=missing(ballot) if problem else [],
        problem=problem,
        **_questions(ballot),
    )
    return (shown, 422) if problem else shown


@blueprint.post("/ballot/<token>/whole")
def keep_whole(token: str) -> View:
    """Keep everything that was typed in, and send it; one bad value, and nothing of it is kept."""
    ballot = _ballot(token)
    if ballot.sent_at is None:
        try:
            for number in range(1, len(ballot.steps) + 1):
                fields = fields_of(ballot.panel, ballot.steps, number)
                values = {f: request.form[f"{number}-{f}"] for f in fields if f"{number}-{f}" in request.form}
                answer(db(), ballot, number, values, datetime.now(UTC))
        except CannotTaste as error:
            db().rollback()
            return _whole(_ballot(token), token, request.form.to_dict(), f"Page {number}: {error}")
        db().commit()
        if missing(ballot) and not request.form.get("sure"):
            return _whole(ballot, token, request.form.to_dict(), "Kept, but not sent: not all is answered.")
        send(db(), ballot, datetime.now(UTC))
    return redirect(url_for("ballot.done", token=token))


def _asked(ballot: Ballot, number: int) -> dict[str, str]:
    if not 1 <= number <= len(ballot.steps):
        abort(404)
    return {f: request.form[f] for f in fields_of(ballot.panel, ballot.steps, number) if f in request.form}


@blueprint.post("/ballot/<token>/<int:number>")
def keep(token: str, number: int) -> View:
    """Keep a page, and go where its button says; the last one sends the ballot."""
    ballot = _ballot(token)
    values = _asked(ballot, number)
    try:
        if ballot.sent_at is None:
            answer(db(), ballot, number, values, datetime.now(UTC))
            db().commit()
    except CannotTaste as error:
        db().rollback()
        return _page(ballot, token, number, str(error))
    go = request.form.get("go", "next")
    if go == "send":
        still = missing(ballot)
        if still and not request.form.get("sure"):
            return redirect(url_for("ballot.page", token=token, number=number, open=1))
        send(db(), ballot, datetime.now(UTC))
        return redirect(url_for("ballot.done", token=token))
    to = number - 1 if go == "back" else number + 1
    return redirect(url_for("ballot.page", token=token, number=min(max(to, 1), len(ballot.steps))))


@blueprint.post("/ballot/<token>/<int:number>/one")
def keep_one(token: str, number: int) -> tuple[Response, int] | Response:
    """One answer as soon as it is given; sent again, it is the same."""
    ballot = _ballot(token)
    body = request.get_json(silent=True)
    if not isinstance(body, dict) or not all(isinstance(k, str) and isinstance(v, str) for k, v in body.items()):
        return jsonify({"detail": "Send fields with their answers as text."}), 400
    try:
        answer(db(), ballot, number, body, datetime.now(UTC))
    except CannotTaste as error:
        db().rollback()
        return jsonify({"detail": str(error)}), 409 if ballot.sent_at is not None else 422
    return jsonify({"kept": sorted(body)})


@blueprint.get("/ballot/<token>/sent")
def done(token: str) -> View:
    ballot = _ballot(token)
    if ballot.sent_at is None:
        return redirect(url_for("ballot.page", token=token, number=1))
    return render_template("ballot/done.html", ballot=ballot, panel=ballot.panel)
