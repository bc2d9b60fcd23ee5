"""The curves to take away: every picture's numbers as CSV, the readings, the figures, and the canvas as SVG."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
from flask import Response, abort, render_template, request

from bruvet.core.curves.align import LEVELS_C as LAG_LEVELS_C
from bruvet.core.curves.compare import RATE_LEVELS_C, minus, pit_distribution, rate_by_temperature
from bruvet.core.curves.measures import Cook
from bruvet.core.trial.terms import ARM_LOOKS
from bruvet.records.series import each_reading
from bruvet.web.access import units
from bruvet.web.database import db, trial_or_404
from bruvet.web.named import as_csv, as_file
from bruvet.web.trial_page import facts_of
from bruvet.work.analysis import TrialFacts, arm_name

from .blueprint import blueprint
from .canvas import overlays_of, series_of
from .lay import asked_lay
from .listing import cell, flat_rows, lid_rows, mark_rows, why_rows
from .picture import Given, draw, series_given
from .table import UNIT_OF, csv_value, figure_table
from .views import asked_span, asked_thresholds, lags_of, shifts_of

Rows = list[list[str]]


@blueprint.get("/trials/<int:trial_id>/curves/figures.csv")
def figures(trial_id: int) -> Response:
    """The table as CSV, in the person's units, for whoever wants to redo the sums."""
    trial = trial_or_404(trial_id)
    thresholds, _, _ = asked_thresholds(trial)
    facts = facts_of(trial, thresholds)
    names = {arm.letter: arm_name(arm) for arm in trial.arms}
    rows: list[list[str]] = [["group", "figure", "unit", *[f"{p.name} {names[p.arm.letter]}" for p in facts.pieces]]]
    for group, lines in figure_table(facts):
        for row in lines:
            values = [csv_value(figure, row.kind) for figure in row.figures]
            rows.append([group, row.label, UNIT_OF[row.kind](facts.units), *values])
    return as_csv(trial.title, "figures", rows)


@blueprint.get("/trials/<int:trial_id>/curves/<key>.csv")
def picture_csv(trial_id: int, key: str) -> Response:
    """The numbers behind one picture or list of the page."""
    trial = trial_or_404(trial_id)
    if key not in TABLES:
        abort(404)
    rows = TABLES[key](facts_of(trial))
    return as_csv(trial.title, key, [rows[0], *[row for row in rows[1:] if any(row[1:])]])


def _cooks(facts: TrialFacts) -> list[Cook]:
    return [facts.cooks[piece.id] for piece in facts.pieces]


def _lag_rows(facts: TrialFacts) -> Rows:
    shown, lags = units(), lags_of(facts)
    first = facts.pieces[0].name if facts.pieces else ""
    rows = [[f"inside {shown.degree}", *[f"{p.name} behind {first}, min" for p, _, _ in lags]]]
    for row, level in enumerate(LAG_LEVELS_C):
        rows.append([cell(shown.temp_shown(float(level)), 1), *[cell(one.minutes[row]) for _, one, _ in lags]])
    return rows


def _minus_rows(facts: TrialFacts) -> Rows:
    shown, cooks = units(), _cooks(facts)
    if len(cooks) < 2:
        abort(404)
    shifts = shifts_of(facts, asked_lay(facts))
    found = [minus(c, cooks[0], s - shifts[0]) for c, s in zip(cooks[1:], shifts[1:], strict=True)]
    rows = [["min", *[f"{c.name} less {cooks[0].name}, {shown.degree}" for c in cooks[1:]]]]
    minutes = max((one.x.tolist() for one in found), key=len)
    for i, minute in enumerate(minutes):
        steps = [shown.step_shown(float(one.y[i])) if i < len(one.y) else None for one in found]
        rows.append([cell(minute, 1), *[cell(value) for value in steps]])
    return rows


def _rate_rows(facts: TrialFacts) -> Rows:
    shown, cooks = units(), _cooks(facts)
    curves = [rate_by_temperature(cook) for cook in cooks]
    rows = [[f"inside {shown.degree}", *[f"{c.name}, {shown.degree}/h" for c in cooks]]]
    for i, level in enumerate(RATE_LEVELS_C):
        rates = [cell(shown.step_shown(float(one.y[i]))) for one in curves]
        rows.append([cell(shown.temp_shown(float(level)), 1), *rates])
    return rows


def _pit_rows(facts: TrialFacts) -> Rows:
    shown, cooks = units(), _cooks(facts)
    shares = [pit_distribution(cook) for cook in cooks]
    rows = [[f"pit {shown.degree}", *[f"{c.name}, share of time" for c in cooks]]]
    for level in np.unique(np.concatenate([one.x for one in shares])) if shares else ():
        values = [float(one.y[one.x == level].sum()) for one in shares]
        rows.append([cell(shown.temp_shown(float(level)), 1), *[cell(value, 5) for value in values]])
    return rows


def _series_rows(facts: TrialFacts) -> Rows:
    """What the canvas draws, as the address asks for it."""
    lay, bounds = asked_lay(facts), asked_span("from", "to")
    low, high = bounds or (None, None)
    found = series_of(facts, lay, low, high, [], bool(request.args.get("raw")))
    hidden = set(request.args.get("hide", "").split("."))
    series = [one for one in found["series"] if str(one["id"]) not in hidden]
    axis = "% of the cook" if lay.by_share else "min"
    rows = [[axis, *[f"{one['label']}, {units().degree}" for one in series]]]
    for i, x in enumerate(found["x"]):
        if bounds is None or bounds[0] <= x <= bounds[1]:
            rows.append([cell(x, 3), *[cell(one["values"][i]) for one in series]])
    return rows


TABLES: dict[str, Callable[[TrialFacts], Rows]] = {
    "lag": _lag_rows,
    "minus": _minus_rows,
    "rate": _rate_rows,
    "pit": _pit_rows,
    "series": _series_rows,
    "flats": flat_rows,
    "lids": lid_rows,
    "marks": mark_rows,
    "why": why_rows,
}


@blueprint.get("/trials/<int:trial_id>/curves/readings.csv")
def readings(trial_id: int) -> Response:
    """Every reading as it came, uncalibrated and uncleaned: probe, UTC, °C; sent as they are read."""
    trial = trial_or_404(trial_id)
    labels = {probe.id: probe.label for probe in trial.probes}
    session = db()

    def lines() -> Iterable[str]:
        yield "probe,at_utc,temp_c\r\n"
        for probe_id, at, temp_c in each_reading(session, list(labels)):
            yield f'"{labels[probe_id].replace(chr(34), chr(34) * 2)}",{at:%Y-%m-%dT%H:%M:%S.%fZ},{temp_c:.3f}\r\n'

    return Response(lines(), mimetype="text/csv", headers=as_file(trial.title, "readings", "csv"))


@blueprint.get("/trials/<int:trial_id>/curves/picture.svg")
def canvas_svg(trial_id: int) -> Response:
    """The canvas as one SVG that stands by itself, with the same part, lay and probes as the address says."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    lay, bounds = asked_lay(facts), asked_span("from", "to")
    low, high = bounds or (None, None)
    found = series_of(facts, lay, low, high, [], bool(request.args.get("raw")))
    hidden = set(request.args.get("hide", "").split("."))
    given: list[Given] = series_given(found, hidden, units())
    axis = "share" if lay.by_share else "time"
    picture = draw("canvas", trial.title, "", axis, given, units(), "temp", size=(1200.0, 560.0), span=bounds)
    if picture is None:
        abort(404)
    over = overlays_of(facts, lay)
    scale = (picture.right - picture.left) / (picture.high - picture.low)
    events = [
        (round(picture.left + (e["at"] - picture.low) * scale, 1), e, list(ARM_LOOKS).index(e["arm"]))
        for e in over["events"]
        if picture.low <= e["at"] <= picture.high
    ]
    stretches = []
    named = [*((one, "stall", True) for one in over["stalls"]), *((one, one["word"], False) for one in over["flats"])]
    for one, word, is_stall in named:
        low_x, high_x = (min(max(one[end], picture.low), picture.high) for end in ("from", "to"))
        if high_x > low_x:
            at, width = picture.left + (low_x - picture.low) * scale, (high_x - low_x) * scale
            stretches.append((round(at, 1), round(width, 1), one["arm"], word, is_stall))
    body = render_template("curves/picture.svg", p=picture, trial=trial, events=events, stretches=stretches)
    return Response(body, mimetype="image/svg+xml", headers=as_file(trial.title, "curves", "svg"))
