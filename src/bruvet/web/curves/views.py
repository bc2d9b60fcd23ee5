"""All arms on one canvas, aligned at meat on, with the figures beside it."""

from __future__ import annotations

import csv
import io
import math
import re
from datetime import timedelta
from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, render_template, request
from numpy.typing import NDArray
from werkzeug.wrappers import Response as AnyResponse

from bruvet.core.curves.align import LEVELS_C as LAG_LEVELS_C
from bruvet.core.curves.align import Lag, Stretch, anchor, lag, where_lost
from bruvet.core.curves.findings import first_mark
from bruvet.core.curves.measures import DEFAULT_THRESHOLDS_C
from bruvet.core.trial.terms import ARM_LOOKS, EventKind
from bruvet.core.twin.forecast import Forecast, forecast
from bruvet.core.units import span_text
from bruvet.records.models import Piece, Trial
from bruvet.web.access import units
from bruvet.web.database import trial_or_404
from bruvet.web.shown import clock, number
from bruvet.web.strip import Frame, draw
from bruvet.web.trial_page import facts_of, trial_page
from bruvet.work.analysis import TrialFacts, arm_name
from bruvet.work.forecasts import explained, from_now, learned_for, planned_case

from .picture import draw_lags
from .table import UNIT_OF, csv_value, figure_table

blueprint = Blueprint(
    "curves", __name__, template_folder="templates", static_folder="static", static_url_path="/curves-static"
)

FloatArray = NDArray[np.float64]
POINTS = 900
TOLD_DRAWS = 128
BUCKETS_S = (1, 2, 5, 10, 15, 20, 30, 60, 120, 300, 600)
MOST_OWN = 6
USUAL_LEVEL_C = 71.0
# What curves can be laid on one another by, as it stands in the address.
ALIGNED = (
    ("meat-on", "meat on"),
    ("clock", "the clock"),
    ("wrap", "the wrap"),
    ("stall", "the stall's onset"),
    ("pull", "the pull"),
    ("temp", "a temperature"),
)


def _thresholds(trial: Trial) -> tuple[tuple[float, ...], str, str]:
    """Thresholds in °C: the usual four and those asked for; the text that asked, and what was wrong with it."""
    text = request.args.get("also", "")[:80]
    shown = units()
    own, problem = [], ""
    for word in [w for w in re.split(r"[\s;]+|,(?=\s)", text) if w]:
        try:
            value = shown.temp_stored(float(word.replace(",", ".").rstrip("°CFcf")))
        except ValueError:
            problem = f"'{word}' is not a temperature."
            continue
        if not -5 <= value <= 120:
            problem = f"{word} {shown.degree} is out of the range of meat."
        else:
            own.append(round(value, 3))
    return (*DEFAULT_THRESHOLDS_C, *own[:MOST_OWN]), text, problem


@blueprint.get("/trials/<int:trial_id>/curves")
def show(trial_id: int) -> str:
    trial = trial_or_404(trial_id)
    thresholds, text, problem = _thresholds(trial)
    facts = facts_of(trial, thresholds)
    return trial_page(
        "curves/show.html",
        trial,
        facts,
        table=figure_table(facts),
        also=text,
        aligned=ALIGNED,
        way=way if (way := request.args.get("align", "meat-on")) in dict(ALIGNED) else "meat-on",
        level=request.args.get("level", "")[:8],
        also_problem=problem,
        has_readings=bool(trial.probes),
        cooking=any(
            len(facts.cooks[piece.id].t_min) and first_mark(facts.cooks[piece.id].marks, "pull") is None
            for piece in facts.pieces
        ),
    )


@blueprint.app_template_filter("step_number")
def step_number(value: float | None, kind: str) -> str:
    """A difference of two figures: a temperature's difference is a step, and a share's is in points."""
    if value is None:
        return "–"
    if kind == "share":
        return f"{value * 100:+.0f} pts".replace("-", "−")
    text = number(value, "step" if kind == "temp" else kind)
    return text if text.startswith("−") or value == 0 else f"+{text}"


# ---- data for the canvas ----------------------------------------------------------------------------


def _bucket_s(span_min: float) -> float:
    wanted = span_min * 60 / POINTS
    return next((float(width) for width in BUCKETS_S if width >= wanted), math.ceil(wanted / 600) * 600.0)


@blueprint.get("/trials/<int:trial_id>/curves/data.json")
def data(trial_id: int) -> AnyResponse:
    """Series on one axis of minutes after meat on, and what to draw over them.

    `from` and `to` (minutes) ask for a part in finer detail; `told` for the twin's forecast from before the cook.
    """
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    low, high = request.args.get("from", type=float), request.args.get("to", type=float)
    if low is None or high is None or not (math.isfinite(low) and math.isfinite(high) and high > low):
        low = high = None
    told = _told(facts) if request.args.get("told") else []
    shifts = _shifts(facts)
    series = _series(facts, low, high, told, shifts)
    answer: dict[str, Any] = {"degree": units().degree, "tz": trial.tz, **series}
    if told:
        answer["told"] = [_told_words(piece, found) for piece, found in told]
    if low is None:
        answer |= _overlays(facts, shifts)
    return jsonify(answer)


def _shifts(facts: TrialFacts) -> dict[str, float]:
    """By letter, the minute of each arm that is laid on zero; arms to which it did not happen stay at meat on."""
    way = request.args.get("align", "meat-on")
    if way not in dict(ALIGNED) or way == "meat-on":
        return {}
    if way == "clock":
        zeros = {arm.letter: zero for arm in facts.trial.arms if (zero := facts.arm_zero(arm)) is not None}
        first = min(zeros.values(), default=None)
        return {letter: -(zero - first).total_seconds() / 60 for letter, zero in zeros.items()} if first else {}
    level = request.args.get("level", type=float)
    level_c = units().temp_stored(level) if level is not None and math.isfinite(level) else USUAL_LEVEL_C
    found = {}
    for arm in facts.trial.arms:
        if arm.pieces:
            piece = arm.pieces[0].id
            at = anchor(facts.cooks[piece], facts.measures[piece].stalls, way, level_c)
            if at is not None:
                found[arm.letter] = at
    return found


@blueprint.get("/trials/<int:trial_id>/curves/lag")
def behind(trial_id: int) -> str:
    """How many minutes each piece is behind the first at each temperature, and where it lost them."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    lags = _lags(facts)
    picture = draw_lags([(piece.arm.letter, found) for piece, found, _ in lags], units())
    return render_template("curves/lag.html", trial=trial, facts=facts, lags=lags, picture=picture)


def _lags(facts: TrialFacts) -> list[tuple[Piece, Lag, tuple[Stretch, ...]]]:
    if not facts.pieces:
        return []
    first, *others = facts.pieces
    found = [(piece, lag(facts.cooks[first.id], facts.cooks[piece.id])) for piece in others]
    return [(piece, one, where_lost(one)) for piece, one in found]


@blueprint.get("/trials/<int:trial_id>/curves/lag.csv")
def behind_csv(trial_id: int) -> Response:
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    lags = _lags(facts)
    sink = io.StringIO()
    writer = csv.writer(sink)
    shown = units()
    writer.writerow([f"inside {shown.degree}", *[f"{p.name} behind {facts.pieces[0].name}, min" for p, _, _ in lags]])
    for row, level in enumerate(LAG_LEVELS_C):
        values = [one.minutes[row] for _, one, _ in lags]
        if any(math.isfinite(value) for value in values):
            told = [f"{value:.2f}" if math.isfinite(value) else "" for value in values]
            writer.writerow([f"{shown.temp_shown(float(level)):.1f}", *told])
    named = {"Content-Disposition": f'attachment; filename="lag-{trial.id}.csv"'}
    return Response(sink.getvalue(), mimetype="text/csv", headers=named)


def _told(facts: TrialFacts) -> list[tuple[Piece, Forecast]]:
    """What the twin would have told of each piece before the fire was lit: the plan, and earlier days' cooks."""
    out = []
    for piece in facts.pieces:
        case = planned_case(piece)
        if case is not None:
            prior = learned_for(facts.session, piece).draws(TOLD_DRAWS)
            out.append((piece, forecast(case, prior=prior, draws=TOLD_DRAWS)))
    return out


def _told_words(piece: Piece, found: Forecast) -> str:
    done = found.done_min
    if done is None or done.p50 is None:
        return f"{piece.name} not done within the day: {found.reason}."
    late = span_text(done.p90) if done.p90 is not None else "open"
    return f"{piece.name} done at {span_text(done.p50)} (four in five from {span_text(done.p10)} to {late})."


def _told_columns(told: list[tuple[Piece, Forecast]], minutes: FloatArray) -> list[dict[str, Any]]:
    """The forecast's band and middle as series on the canvas's minutes."""
    out = []
    for piece, found in told:
        look = ARM_LOOKS[piece.arm.letter]
        for edge, curve in (("high", found.p90_c), ("low", found.p10_c), ("middle", found.p50_c)):
            values = np.interp(minutes, found.t_min, curve, left=np.nan, right=np.nan)
            shown = np.round(units().temp_shown(values), 2)
            out.append(
                {
                    "id": f"told-{piece.id}-{edge}",
                    "arm": piece.arm.letter,
                    "label": f"{piece.name} as told",
                    "pit": False,
                    "told": edge,
                    "dash": [2, 4],
                    "marker": look.marker,
                    "values": [None if math.isnan(v) else v for v in shown.tolist()],
                }
            )
    return out


def _series(
    facts: TrialFacts,
    low: float | None,
    high: float | None,
    told: list[tuple[Piece, Forecast]],
    shifts: dict[str, float],
) -> dict[str, Any]:
    span = facts.last_min if low is None or high is None else high - low
    width_s = _bucket_s(span)
    margin = None if low is None else 2 * width_s / 60
    bounds = (
        None if low is None or margin is None else low - margin,
        None if high is None or margin is None else high + margin,
    )
    found = facts.fetched(width_s, *bounds, shifts) if shifts else facts.buckets(width_s, *bounds)
    shown = units()
    slots = {pid: np.round(b.minute * 60 / width_s - 0.5).astype(int) for pid, b in found.items() if len(b.minute)}
    ticks = np.unique(np.concatenate(list(slots.values()))) if slots else np.zeros(0, int)
    if told and low is None:
        # The canvas reaches to where the last of them was told to be done.
        last = max(float(found.t_min[-1]) for _, found in told)
        ticks = np.union1d(ticks, np.arange(0, int(last * 60 / width_s), max(int(300 / width_s), 1)))
    out = []
    for probe in facts.trial.probes:
        if probe.id not in slots:
            continue
        column: list[float | None] = [None] * len(ticks)
        temps = np.round(shown.temp_shown(found[probe.id].mean_c), 2)
        for place, value in zip(np.searchsorted(ticks, slots[probe.id]), temps.tolist(), strict=True):
            column[int(place)] = value
        look = ARM_LOOKS[probe.arm.letter]
        out.append(
            {
                "id": probe.id,
                "arm": probe.arm.letter,
                "label": probe.label,
                "pit": probe.is_pit,
                "dash": list(look.dash),
                "marker": look.marker,
                "values": column,
            }
        )
    minutes = np.round((ticks + 0.5) * width_s / 60, 4)
    out += _told_columns(told, minutes)
    return {"x": minutes.tolist(), "series": out, "bucket_s": width_s}


def _overlays(facts: TrialFacts, shifts: dict[str, float]) -> dict[str, Any]:
    events, stalls, spots = [], [], []
    shown = units()
    for piece in facts.pieces:
        cook = facts.cooks[piece.id]
        shift = shifts.get(piece.arm.letter, 0.0)
        if piece.number == 1:
            events += [
                {
                    "at": m.at_min - shift,
                    "arm": cook.letter,
                    "mark": EventKind(m.kind).mark,
                    "label": EventKind(m.kind).label,
                    "more": m.detail,
                }
                for m in cook.marks
            ]
        stalls += [
            {
                "arm": cook.letter,
                "piece": cook.name,
                "from": s.onset_min - shift,
                "to": s.end_min - shift,
                "reason": s.reason,
            }
            for s in facts.measures[piece.id].stalls.stalls
        ]
        zero = facts.zeros[piece.id][0]
        for look in facts.trial.looks:
            if look.piece_id == piece.id and zero is not None:
                at = (look.at - zero).total_seconds() / 60 - shift
                spots += [
                    {
                        "at": at,
                        "arm": cook.letter,
                        "temp": round(float(shown.temp_shown(s.temp_c)), 1),
                        "place": s.place,
                    }
                    for s in look.spots
                    if s.temp_c is not None
                ]
    zeros = {arm.letter: zero.isoformat() for arm in facts.trial.arms if (zero := facts.arm_zero(arm)) is not None}
    return {"events": events, "stalls": stalls, "spots": spots, "zeros": zeros}


@blueprint.get("/trials/<int:trial_id>/curves/why")
def why(trial_id: int) -> str:
    """What each known difference between the first piece and the others is worth, by the twin."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    found = [(piece, explained(facts, facts.pieces[0], piece)) for piece in facts.pieces[1:]]
    return render_template("curves/why.html", trial=trial, first=facts.pieces[0], found=found)


@blueprint.get("/trials/<int:trial_id>/curves/now")
def now(trial_id: int) -> str:
    """What the pieces that are being cooked will do from now on, and what they would do if."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    found = [one for piece in facts.pieces if (one := from_now(facts, piece)) is not None]

    def clock_at(piece: Piece, minute: float) -> str:
        zero = facts.zeros[piece.id][0]
        return clock(zero + timedelta(minutes=minute), trial.tz) if zero is not None else span_text(minute)

    return render_template("curves/now.html", trial=trial, found=found, clock_at=clock_at)


@blueprint.get("/trials/<int:trial_id>/curves/strip")
def strip_under(trial_id: int) -> AnyResponse | str:
    """The strip laid out to stand under the canvas: the same pixels, the same minutes."""
    trial = trial_or_404(trial_id)
    asked = [request.args.get(name, type=float) for name in ("width", "left", "right", "from", "to")]
    if any(value is None or not math.isfinite(value) for value in asked):
        return AnyResponse("width, left, right, from and to are needed as numbers", 400)
    width, left, right, low, high = (float(value or 0.0) for value in asked)
    if not (200 <= width <= 6000 and 0 <= left < width / 2 and 0 <= right < width / 2 and 0 < high - low < 1e5):
        return AnyResponse("those bounds cannot be drawn", 400)
    return render_template("strip_part.html", strip=draw(facts_of(trial), Frame(width, left, right, low, high)))


@blueprint.get("/trials/<int:trial_id>/curves/figures.csv")
def figures(trial_id: int) -> Response:
    """The table as CSV, in the person's units, for whoever wants to redo the sums."""
    trial = trial_or_404(trial_id)
    thresholds, _, _ = _thresholds(trial)
    facts = facts_of(trial, thresholds)
    sink = io.StringIO()
    writer = csv.writer(sink)
    names = {arm.letter: arm_name(arm) for arm in trial.arms}
    writer.writerow(["group", "figure", "unit", *[f"{p.name} {names[p.arm.letter]}" for p in facts.pieces]])
    shown = facts.units
    for group, rows in figure_table(facts):
        for row in rows:
            values = [csv_value(figure, row.kind) for figure in row.figures]
            writer.writerow([group, row.label, UNIT_OF[row.kind](shown), *values])
    name = re.sub(r"[^A-Za-z0-9]+", "-", trial.title).strip("-").lower() or "trial"
    disposition = {"Content-Disposition": f'attachment; filename="{name}-figures.csv"'}
    return Response(sink.getvalue(), mimetype="text/csv", headers=disposition)
