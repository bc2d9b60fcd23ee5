"""Sign-in, the first visit, and what a person prefers."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime, timedelta
from urllib.parse import urlsplit

import segno
from flask import Blueprint, Response, abort, flash, g, make_response, redirect, render_template, request, url_for
from markupsafe import Markup
from sqlalchemy import func, select
from werkzeug.wrappers import Response as AnyResponse

from bruvet.records.people import Invite, Person, SignIn
from bruvet.web import access
from bruvet.web.database import db

blueprint = Blueprint("account", __name__, template_folder="templates")
View = str | AnyResponse | tuple[str, int]
INVITE_LASTS = timedelta(days=1)


def _local(address: str | None) -> str:
    """An address of this site, or the front page: nobody is sent elsewhere after signing in."""
    if address and address.startswith("/") and not address.startswith(("//", "/\\")):
        parts = urlsplit(address)
        if not parts.scheme and not parts.netloc:
            return address
    return url_for("bench.home")


@blueprint.route("/sign-in", methods=["GET", "POST"])
def sign_in() -> View:
    problem = ""
    status = 200
    if request.method == "POST":
        name = request.form.get("name", "")
        if access.too_many_failures(name):
            problem, status = "Too many failed tries. Wait a quarter of an hour, then try again.", 429
        else:
            person = access.check_password(name, request.form.get("password", ""))
            if person is not None:
                access.sign_in(person)
                return redirect(_local(request.args.get("next")))
            problem, status = "That name and password do not go together.", 401
    return render_template("account/sign_in.html", problem=problem), status


@blueprint.post("/sign-out")
def sign_out() -> View:
    access.sign_out()
    return redirect(url_for("account.sign_in"))


@blueprint.route("/welcome", methods=["GET", "POST"])
def welcome() -> View:
    """The first visit sets up the owner; once there is one, this page is gone."""
    if db().scalar(select(func.count()).select_from(Person)):
        return redirect(url_for("bench.home"))
    errors: dict[str, str] = {}
    if request.method == "POST":
        name, password = request.form.get("name", "").strip(), request.form.get("password", "")
        if not 1 <= len(name) <= 80:
            errors["name"] = "A name is needed, of 80 characters at most."
        errors |= _password_problem(password)
        if not errors:
            temp = "c" if request.form.get("temp_unit") == "c" else "f"
            mass = "kg" if request.form.get("mass_unit") == "kg" else "lb"
            owner = Person(name=name, password_hash=access.hasher.hash(password), temp_unit=temp, mass_unit=mass)
            db().add(owner)
            db().flush()
            access.sign_in(owner)
            return redirect(url_for("bench.home"))
    return render_template("account/welcome.html", errors=errors, form=request.form), 422 if errors else 200


def _password_problem(password: str) -> dict[str, str]:
    if len(password) < access.SHORTEST_PASSWORD:
        return {"password": f"At least {access.SHORTEST_PASSWORD} characters; a short sentence is good."}
    if len(password) > 200:
        return {"password": "200 characters at most."}
    return {}


@blueprint.get("/account")
def show() -> View:
    return _page({})


def _page(errors: dict[str, str], link: str = "") -> View:
    rows = db().scalars(select(SignIn).where(SignIn.person_id == g.person.id).order_by(SignIn.seen_at.desc())).all()
    people = db().scalars(select(Person).order_by(Person.name)).all() if g.person.role == "owner" else []
    code = Markup(segno.make(link, error="m").svg_inline(svgclass="qr", lineclass=None, omitsize=True)) if link else ""
    page = render_template("account/show.html", sign_ins=rows, errors=errors, people=people, link=link, code=code)
    return page, 422 if errors else 200


@blueprint.post("/account/invite")
def invite() -> View:
    """A link for a helper: it works once, for a day."""
    token = secrets.token_urlsafe(24)
    db().add(
        Invite(token_hash=access.digest(token), expires_at=datetime.now(UTC) + INVITE_LASTS, created_by=g.person.id)
    )
    db().flush()
    return _page({}, url_for("account.invited", token=token, _external=True))


@blueprint.route("/invited/<token>", methods=["GET", "POST"])
def invited(token: str) -> View:
    """Where the link leads: a helper's own name and password."""
    row = db().scalar(select(Invite).where(Invite.token_hash == access.digest(token)).with_for_update())
    if row is None or row.used_by is not None or row.expires_at < datetime.now(UTC):
        what = "Ask the owner for a new link; each works once, for a day."
        return render_template("trouble.html", title="This invitation is over", what=what), 410
    errors: dict[str, str] = {}
    if request.method == "POST":
        name, password = request.form.get("name", "").strip(), request.form.get("password", "")
        if not name or len(name) > 80 or "\x00" in name:
            errors["name"] = "A name is needed, of 80 characters at most."
        elif db().scalar(select(Person.id).where(func.lower(Person.name) == name.lower())):
            errors["name"] = "Somebody is called that already; choose another name."
        errors |= _password_problem(password)
        if not errors:
            helper = Person(name=name, password_hash=access.hasher.hash(password), role="helper")
            db().add(helper)
            db().flush()
            row.used_by = helper.id
            access.sign_in(helper)
            flash(f"Welcome, {name}. You log and correct; deleting trials is the owner's.", "good")
            return redirect(url_for("bench.home"))
    return render_template("account/invited.html", errors=errors, form=request.form), 422 if errors else 200


@blueprint.post("/account/people/<int:person_id>/remove")
def remove_person(person_id: int) -> View:
    """End a helper's account and every sign-in of it; what they logged stays."""
    row = db().get(Person, person_id)
    if row is None or row.role == "owner":
        abort(404)
    db().delete(row)
    flash(f"{row.name} cannot sign in any more; what they logged stays.", "good")
    return redirect(url_for("account.show"))


@blueprint.post("/account/units")
def set_units() -> View:
    g.person.temp_unit = "c" if request.form.get("temp_unit") == "c" else "f"
    g.person.mass_unit = "kg" if request.form.get("mass_unit") == "kg" else "lb"
    flash("Units changed. What is stored stays as it was.", "good")
    return redirect(url_for("account.show"))


@blueprint.post("/account/password")
def set_password() -> View:
    errors = _password_problem(request.form.get("password", ""))
    if access.too_many_failures(g.person.name) or not access.check_password(g.person.name, request.form.get("old", "")):
        errors["old"] = "That is not the present password."
    if errors:
        return _page(errors)
    g.person.password_hash = access.hasher.hash(request.form["password"])
    flash("Password changed.", "good")
    return redirect(url_for("account.show"))


@blueprint.post("/account/sign-ins/<int:row_id>/end")
def end(row_id: int) -> View:
    row = db().get(SignIn, row_id)
    if row is None or row.person_id != g.person.id:
        abort(404)
    db().delete(row)
    flash("That sign-in was ended.", "good")
    return redirect(url_for("account.show"))


@blueprint.post("/account/theme")
def theme() -> View:
    g.person.theme = "day" if g.person.theme == "night" else "night"
    response: Response = make_response(redirect(_local(request.form.get("back"))))
    response.set_cookie("theme", g.person.theme, max_age=31_536_000, samesite="Lax", httponly=True)
    return response
