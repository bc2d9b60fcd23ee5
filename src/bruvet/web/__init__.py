"""The pages: one folder per step of the work. A view loads, calls, shows; no rule of the job lives here."""

from __future__ import annotations

import logging
import os
import sys
import time
from typing import Any

from flask import Flask, Response, abort, g, render_template, request
from flask_wtf.csrf import CSRFError, CSRFProtect
from pythonjsonlogger.json import JsonFormatter
from sqlalchemy import text
from sqlalchemy.exc import DataError, OperationalError
from werkzeug.exceptions import HTTPException

from bruvet.records.store import open_engine

from . import access, database, shown

MAX_UPLOAD_BYTES = 256 * 1024 * 1024

log = logging.getLogger("bruvet")


def create_app(config: dict[str, Any] | None = None) -> Flask:
    """The application. `DATABASE_URL` and `SECRET_KEY` come from `config` or from the environment."""
    app = Flask(__name__)
    app.config.update(
        DATABASE_URL=os.environ.get("DATABASE_URL", ""),
        SECRET_KEY=os.environ.get("BRUVET_SECRET", ""),
        SESSION_COOKIE_NAME="bruvet",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        # A part of a page that answers late must not bring back the cookie of before, without what was flashed since.
        SESSION_REFRESH_EACH_REQUEST=False,
        MAX_CONTENT_LENGTH=MAX_UPLOAD_BYTES,
        MAX_FORM_MEMORY_SIZE=4 * 1024 * 1024,
        WTF_CSRF_TIME_LIMIT=None,
        DEMO_SIGN_IN=os.environ.get("BRUVET_DEMO_SIGN_IN", ""),
    )
    app.config.update(config or {})
    if not app.config["DATABASE_URL"] or not app.config["SECRET_KEY"]:
        raise RuntimeError("DATABASE_URL and BRUVET_SECRET must be set")
    _log_as_json()
    app.extensions["engine"] = open_engine(app.config["DATABASE_URL"])
    csrf = CSRFProtect(app)
    database.attach(app)
    access.attach(app)
    shown.attach(app)
    _attach_steps(app, csrf)
    _attach_errors(app)
    _log_requests(app)

    @app.get("/healthz")
    def healthz() -> tuple[dict[str, str], int]:
        try:
            with app.extensions["engine"].connect() as connection:
                connection.execute(text("SELECT 1"))
        except OperationalError:
            return {"status": "no database"}, 503
        return {"status": "ok"}, 200

    return app


def _attach_steps(app: Flask, csrf: CSRFProtect) -> None:
    from .account import views as account
    from .api import views as api
    from .ballot import views as ballot
    from .bench import views as bench
    from .board import views as board
    from .bundle import views as bundle
    from .cook import views as cook
    from .cookers import views as cookers
    from .curves import downloads as curves
    from .cutting import views as cutting
    from .day import views as day
    from .ledger import views as ledger
    from .logs import views as logs
    from .lots import views as lots
    from .panel import views as panel
    from .plan import views as plan
    from .protocols import views as protocols
    from .stations import views as stations
    from .supplies import views as supplies
    from .taste import views as taste
    from .verdict import views as verdict
    from .whatif import views as whatif

    plan_pages = (plan, ledger, lots, supplies, protocols, day, board)
    for step in (
        account,
        bench,
        bundle,
        *plan_pages,
        cookers,
        logs,
        cook,
        curves,
        cutting,
        taste,
        panel,
        ballot,
        verdict,
        whatif,
        stations,
        api,
    ):
        app.register_blueprint(step.blueprint)
    # Machines send a token of their own, and no cookie that a page elsewhere could misuse.
    csrf.exempt(api.blueprint)
    # A ballot's address is its key; a panellist has no session to protect.
    csrf.exempt(ballot.blueprint)


def _attach_errors(app: Flask) -> None:
    def page(code: int, title: str, what: str) -> tuple[str, int]:
        return render_template("trouble.html", title=title, what=what), code

    @app.errorhandler(CSRFError)
    def stale(error: CSRFError) -> tuple[str, int]:
        return page(400, "This form is too old", "Go back, reload the page and send it again; nothing was saved.")

    @app.errorhandler(HTTPException)
    def known(error: HTTPException) -> tuple[str, int]:
        words = {
            403: ("Not for helpers", "That is the owner's to do; ask them. Nothing was changed."),
            404: ("Nothing here", "The address is wrong, or what it named was deleted."),
            410: ("This link is dead", "It was withdrawn. Ask whoever gave it to you for another."),
            405: ("Not this way", "That address takes another kind of request."),
            413: ("Too large", f"A file may have {MAX_UPLOAD_BYTES // 1024**2} MB at most; nothing was saved."),
        }
        title, what = words.get(error.code or 500, (error.name, "Nothing was saved."))
        return page(error.code or 500, title, what)

    @app.errorhandler(OperationalError)
    def no_database(error: OperationalError) -> tuple[str, int]:
        log.error("database", exc_info=error)
        return page(503, "The database does not answer", "Nothing was lost; try again in a moment.")

    @app.errorhandler(DataError)
    def out_of_range(error: DataError) -> tuple[str, int]:
        log.info("out of range", extra={"path": request.path})
        return page(404, "Nothing here", "A number in the address or the form is out of range; nothing was saved.")

    @app.errorhandler(Exception)
    def unknown(error: Exception) -> tuple[str, int]:
        log.error("unexpected", exc_info=error, extra={"path": request.path})
        return page(500, "Something went wrong in Bruvet", "Nothing was saved. The server's log has the details.")


def _log_requests(app: Flask) -> None:
    @app.before_request
    def begin() -> None:
        g.began = time.perf_counter()
        # PostgreSQL keeps no zero bytes in text, and no keyboard types them.
        if any("\x00" in value for value in (*request.args.values(), *request.form.values())):
            abort(400)

    @app.after_request
    def note(response: Response) -> Response:
        if request.endpoint not in {*access.STATIC, "healthz"}:
            took = round((time.perf_counter() - g.get("began", time.perf_counter())) * 1000, 1)
            where = {"method": request.method, "path": request.path, "status": response.status_code, "ms": took}
            log.info("request", extra=where)
        return response


def _log_as_json() -> None:
    root = logging.getLogger()
    if any(getattr(handler, "bruvet", False) for handler in root.handlers):
        return
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(JsonFormatter("%(asctime)s %(levelname)s %(name)s %(message)s"))
    handler.bruvet = True  # type: ignore[attr-defined]
    root.addHandler(handler)
    logging.getLogger("procrastinate").setLevel(logging.WARNING)
    root.setLevel(logging.INFO)
