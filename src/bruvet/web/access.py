"""Who is signed in, and the headers every answer carries."""

from __future__ import annotations

import hashlib
import secrets
from datetime import UTC, datetime, timedelta
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from flask import Flask, Response, abort, g, redirect, request, session, url_for
from sqlalchemy import func, select

from bruvet.core.units import Units
from bruvet.records.people import Person, SignIn, SignInFailure

from .database import db

STATIC = {"static", "curves.static", "day.static", "board.static", "ballot.static", "cutting.static"}
OPEN_ENDPOINTS = {
    *STATIC,
    "account.sign_in",
    "account.welcome",
    "healthz",
    "api.readings",
    "api.series",
    "api.described",
    "board.worker",
    "account.invited",
    "verdict.read",
    *(
        f"ballot.{name}"
        for name in ("door", "welcome", "begin", "page", "keep", "keep_one", "whole", "keep_whole", "done")
    ),
}
LIFETIME = timedelta(days=30)
FAILURES_ALLOWED = 8
FAILURE_WINDOW = timedelta(minutes=15)
SHORTEST_PASSWORD = 10

# What a helper may not do: delete a trial, change accounts, stations' tokens, cookers, or who may come in.
OWNERS_ONLY = {
    ("POST", "plan.delete"), ("GET", "plan.delete"), ("POST", "account.invite"), ("POST", "account.remove_person"),
    ("POST", "stations.add"), ("POST", "cookers.save"), ("POST", "cookers.delete"), ("POST", "protocols.delete"),
    ("GET", "panel.carving"), ("POST", "panel.envelope"), ("POST", "panel.make"), ("POST", "panel.state"),
    ("POST", "panel.drop_set"), ("POST", "verdict.give_link"), ("POST", "verdict.withdraw"),
    ("POST", "bundle.bring"),
}  # fmt: skip

hasher = PasswordHasher()

SECURITY_HEADERS = {
    "Content-Security-Policy": (
        "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
        "connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Permissions-Policy": "camera=(), microphone=(), geolocation=()",
    "Cross-Origin-Opener-Policy": "same-origin",
}


def digest(token: str) -> str:
    """What is kept of a token."""
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in(person: Person) -> None:
    """Begin a session for a person in this browser."""
    token = secrets.token_urlsafe(32)
    db().add(SignIn(token_hash=digest(token), person_id=person.id, browser=request.headers.get("User-Agent", "")[:200]))
    session.clear()
    session["token"] = token
    session.permanent = True


def sign_out() -> None:
    row = _current_row()
    if row is not None:
        db().delete(row)
    session.clear()


def check_password(name: str, password: str) -> Person | None:
    """The person with that name and password, or None; a failure is counted."""
    person = db().scalar(select(Person).where(func.lower(Person.name) == name.strip().lower()))
    try:
        # A name that nobody has takes as long as one that somebody has.
        hasher.verify(person.password_hash if person else _NOBODY, password)
    except (VerificationError, InvalidHashError):
        person = None
    if person is None:
        db().add(SignInFailure(name=name.strip().lower()[:80], address=(request.remote_addr or "")[:64]))
        db().commit()
    return person


_NOBODY = hasher.hash(secrets.token_urlsafe(16))


def too_many_failures(name: str) -> bool:
    """Whether this name, or this address, has failed too often of late."""
    since = datetime.now(UTC) - FAILURE_WINDOW
    counts = select(func.count()).where(SignInFailure.at > since)
    by_name = db().scalar(counts.where(SignInFailure.name == name.strip().lower()[:80])) or 0
    by_address = db().scalar(counts.where(SignInFailure.address == (request.remote_addr or "")[:64])) or 0
    return by_name >= FAILURES_ALLOWED or by_address >= 5 * FAILURES_ALLOWED


def _current_row() -> SignIn | None:
    token = session.get("token")
    if not token:
        return None
    row: SignIn | None = db().scalar(select(SignIn).where(SignIn.token_hash == digest(token)))
    return row


def person() -> Person:
    """The signed-in person; only for pages behind the sign-in."""
    found: Person = g.person
    return found


def units() -> Units:
    who = getattr(g, "person", None)
    if who is None:
        # A page that anybody may read is in the units of what it shows.
        shown: Units = g.get("units", Units())
        return shown
    return Units("c" if who.temp_unit == "c" else "f", "kg" if who.mass_unit == "kg" else "lb")


def attach(app: Flask) -> None:
    app.permanent_session_lifetime = LIFETIME

    @app.before_request
    def load_person() -> Any:
        g.person = None
        if request.endpoint in {*STATIC, "healthz"}:
            return None
        row = _current_row()
        if row is not None:
            now = datetime.now(UTC)
            if now - row.seen_at > LIFETIME:
                db().delete(row)
            else:
                g.person = row.person
                db().info["person_id"] = row.person_id
                if now - row.seen_at > timedelta(minutes=5):
                    row.seen_at = now
        if g.person is None and request.endpoint not in OPEN_ENDPOINTS:
            first_visit = db().scalar(select(func.count()).select_from(Person)) == 0
            if first_visit:
                return redirect(url_for("account.welcome"))
            return redirect(
                url_for("account.sign_in", next=request.full_path.rstrip("?") if request.method == "GET" else None)
            )
        if g.person is not None and g.person.role == "helper" and (request.method, request.endpoint) in OWNERS_ONLY:
            abort(403)
        return None

    @app.after_request
    def secure(response: Response) -> Response:
        for name, value in SECURITY_HEADERS.items():
            response.headers.setdefault(name, value)
        if request.endpoint not in STATIC:
            response.headers.setdefault("Cache-Control", "no-store")
        return response
