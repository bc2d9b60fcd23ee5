"""One database session a request: committed when the answer is good, rolled back otherwise."""

from __future__ import annotations

from flask import Flask, Response, abort, current_app, g
from sqlalchemy.orm import Session

from bruvet.records.models import Trial


def db() -> Session:
    if "db" not in g:
        g.db = Session(current_app.extensions["engine"], expire_on_commit=False)
        person = getattr(g, "person", None)
        if person is not None:
            g.db.info["person_id"] = person.id
    session: Session = g.db
    return session


def keep() -> None:
    """Commit what the request has done so far."""
    db().commit()


def trial_or_404(trial_id: int) -> Trial:
    trial = db().get(Trial, trial_id) if trial_id < 2**31 else None
    if trial is None:
        abort(404)
    return trial


def attach(app: Flask) -> None:
    @app.after_request
    def commit(response: Response) -> Response:
        if "db" in g and response.status_code < 400:
            g.db.commit()
        return response

    @app.teardown_request
    def close(error: BaseException | None) -> None:
        session = g.pop("db", None)
        if session is not None:
            session.rollback()
            session.close()
