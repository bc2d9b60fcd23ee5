"""The ledger of a trial: what could differ, filled in and weighed; and what the trial's size can show."""

from __future__ import annotations

from flask import Blueprint, flash, redirect, request, url_for
from werkzeug.wrappers import Response

from bruvet.core.trial.ledger_rows import GROUPS, ROWS, Row
from bruvet.core.trial.power import panel_power, tasters_needed
from bruvet.core.units import Units, span_text
from bruvet.records.models import Trial
from bruvet.web.access import units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.web.trial_page import facts_of, trial_page
from bruvet.work.fair import first_cases, ledger_of
from bruvet.work.fair import how_many as counted
from bruvet.work.ledgers import kept_ledger
from bruvet.work.spread import spread_of

from .picture import draw_power

blueprint = Blueprint("ledger", __name__, template_folder="templates")
View = str | Response | tuple[str, int]

TYPED = tuple(row for row in ROWS if row.typed)
STEPS = ("temp", "step", "swing")
PANELS = (4, 6, 8, 10, 12, 16, 20, 24, 30, 40)
# Kinds of tasting question: name, chance by guessing, chance worth finding, two-sided.
TESTS = (
    ("Which do you like better? (preference)", 1 / 2, 0.75, True),
    ("Which is smokier? (direction known)", 1 / 2, 0.75, False),
    ("Which of three is the odd one? (triangle)", 1 / 3, 2 / 3, False),
    ("Which matches the first? (duo-trio)", 1 / 2, 0.75, False),
)


def tolerance_text(row: Row, tolerance: float, shows: Units) -> str:
    """A tolerance as it is typed: a share in %, a difference in the person's units, minutes as minutes."""
    if row.relative or row.kind == "share":
        return f"{100 * tolerance:g}"
    if row.kind in STEPS:
        tolerance = shows.step_shown(tolerance)
    elif row.kind == "length":
        tolerance = shows.length_shown(tolerance)
    return _plain(tolerance)


def _plain(value: float) -> str:
    return f"{value:.2f}".rstrip("0").rstrip(".")


def tolerance_unit(row: Row, shows: Units) -> str:
    if row.relative or row.kind == "share":
        return "%"
    return {"length": shows.length, "span": "min", "count": ""}.get(row.kind, shows.degree)


def _said_text(row: Row, value: object, shows: Units) -> str:
    """What was said in a row, as it would be typed."""
    if row.kind == "words" or not isinstance(value, (int, float)):
        return str(value or "")
    match row.kind:
        case "span":
            return span_text(value)
        case "temp":
            return _plain(shows.temp_shown(float(value)))
        case "length":
            return _plain(shows.length_shown(value))
        case "share":
            return _plain(100 * value)
    return _plain(value)


def _form_of(trial: Trial, shows: Units) -> dict[str, str]:
    form = {}
    for row in ROWS:
        for arm in trial.arms:
            if row.typed:
                form[f"{arm.letter}:{row.name}"] = _said_text(row, arm.said.get(row.name), shows)
        if row.kind != "words":
            form[f"tolerance:{row.name}"] = tolerance_text(row, trial.tolerances.get(row.name, row.tolerance), shows)
    return form


def _page(trial: Trial, form: dict[str, str], errors: dict[str, str], fill: bool) -> View:
    facts = facts_of(trial)
    ledger = kept_ledger(facts) if fill else ledger_of(facts)
    page = trial_page(
        "ledger/show.html",
        trial,
        ledger=ledger,
        groups=[(group, [line for line in ledger.lines if line.row.group == group]) for group in GROUPS],
        form=form,
        errors=errors,
        fill=fill,
        tolerance_unit=tolerance_unit,
        counts={state: sum(line.state == state for line in ledger.lines) for state in ("same", "differs", "unknown")},
    )
    return page, 422 if errors else 200


@blueprint.get("/trials/<int:trial_id>/ledger")
def show(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    return _page(trial, _form_of(trial, units()), {}, "fill" in request.args)


@blueprint.post("/trials/<int:trial_id>/ledger")
def save(trial_id: int) -> View:
    """Keep what was said of each arm, and how far apart counts as the same."""
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    said = {arm.letter: {row.name: _read(reader, arm.letter, row) for row in TYPED} for arm in trial.arms}
    tolerances = {row.name: _tolerance(reader, row) for row in ROWS if row.kind != "words"}
    if reader.errors:
        return _page(trial, request.form.to_dict(), reader.errors, True)
    for arm in trial.arms:
        kept = {name: value for name, value in arm.said.items() if name not in said[arm.letter]}
        arm.said = kept | {name: value for name, value in said[arm.letter].items() if value not in (None, "")}
    own = {row.name: row.tolerance for row in ROWS}
    trial.tolerances = {
        name: value for name, value in tolerances.items() if value is not None and abs(value - own[name]) > 1e-6
    }
    db().flush()
    flash("The ledger is kept.", "good")
    return redirect(url_for("ledger.show", trial_id=trial.id))


def _read(reader: Reader, letter: str, row: Row) -> str | float | None:
    name, label = f"{letter}:{row.name}", f"{row.name.capitalize()}, arm {letter}"
    match row.kind:
        case "words":
            return reader.text(name, label, 80)
        case "temp":
            return reader.temp(name, label, -30.0, 400.0)
        case "length":
            return reader.length(name, label)
        case "span":
            return reader.span_min(name, label)
        case "share":
            value = reader.number(name, label, 0, 100, "%")
            return None if value is None else value / 100
        case _:
            return reader.number(name, label, 0, 1000)


def _tolerance(reader: Reader, row: Row) -> float | None:
    shows = reader.units
    value = reader.number(f"tolerance:{row.name}", f"Tolerance of {row.name}", 0, 1000, tolerance_unit(row, shows))
    if value is None:
        return None
    if row.relative or row.kind == "share":
        return value / 100
    if row.kind in STEPS:
        return value / shows.step_shown(1.0)
    return shows.length_stored(value) if row.kind == "length" else value


@blueprint.get("/trials/<int:trial_id>/how-many")
def how_many(trial_id: int) -> View:
    """Pieces and tasters that a difference takes, and what this trial's size can show."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    cut = next((piece.cut for arm in trial.arms for piece in arm.pieces), "")
    many = counted(first_cases(facts), spread_of(db(), cut, trial.id))
    panels = [
        (
            name,
            tasters_needed(guess, truth, two_sided=both),
            truth,
            [panel_power(n, guess, truth, two_sided=both) for n in PANELS],
        )
        for name, guess, truth, both in TESTS
    ]
    picture = draw_power(many.curves) if many else None
    return trial_page("ledger/how_many.html", trial, many=many, picture=picture, panels=panels, sizes=PANELS)
