"""All arms on one canvas, laid on one another as asked, with the figures beside it and pictures below."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from flask import jsonify, render_template, request
from werkzeug.wrappers import Response as AnyResponse

from bruvet.core.curves.align import Lag, Stretch, lag, where_lost, worth_telling
from bruvet.core.curves.compare import Stretch as Marked
from bruvet.core.curves.compare import stretch_by_temperature, stretch_by_time
from bruvet.core.curves.findings import first_mark
from bruvet.core.curves.measures import DEFAULT_THRESHOLDS_C
from bruvet.core.units import span_text
from bruvet.records.models import Piece, Trial
from bruvet.web.access import units
from bruvet.web.database import trial_or_404
from bruvet.web.shown import clock, number
from bruvet.web.strip import Frame, draw
from bruvet.web.trial_page import facts_of, trial_page
from bruvet.work.analysis import TrialFacts
from bruvet.work.forecasts import from_now
from bruvet.work.over_days import compared
from bruvet.work.why import why as why_of

from .blueprint import blueprint
from .canvas import overlays_of, series_of, told_before, told_words
from .lay import ALIGNED, Lay, asked_lay, asked_way
from .mending import cleaned_list
from .picture import (
    Picture,
    band_picture,
    lag_picture,
    minus_picture,
    pit_picture,
    rate_picture,
    small_pictures,
)
from .steps import steps_of
from .table import figure_table

MOST_OWN = 6
MOST_TOLD = 3
MOST_MARKED_MIN = 1e5


def asked_thresholds(trial: Trial) -> tuple[tuple[float, ...], str, str]:
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
    thresholds, text, problem = asked_thresholds(trial)
    facts = facts_of(trial, thresholds)
    return trial_page(
        "curves/show.html",
        trial,
        facts,
        table=figure_table(facts),
        also=text,
        aligned=ALIGNED,
        way=asked_way(),
        level=request.args.get("level", "")[:8],
        also_problem=problem,
        has_readings=bool(trial.probes),
        mended=cleaned_list(facts),
        marked=_marked(facts),
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


@blueprint.get("/trials/<int:trial_id>/curves/data.json")
def data(trial_id: int) -> AnyResponse:
    """Series on one axis, and what to draw over them.

    `from` and `to` (of the axis) ask for a part in finer detail; `told` for the twin's forecast from before the cook;
    `raw` for the readings as they came.
    """
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    bounds = asked_span("from", "to")
    low, high = bounds or (None, None)
    told = told_before(facts) if request.args.get("told") else []
    lay = asked_lay(facts)
    series = series_of(facts, lay, low, high, told, bool(request.args.get("raw")))
    answer: dict[str, Any] = {"degree": units().degree, "tz": trial.tz, "by_share": lay.by_share, **series}
    if told:
        answer["told"] = [told_words(piece, found) for piece, found in told]
    if low is None:
        answer |= overlays_of(facts, lay)
    return jsonify(answer)


def asked_span(first: str, second: str) -> tuple[float, float] | None:
    """Two numbers of the address, the second the larger; None where they are not there, or are none."""
    low, high = request.args.get(first, type=float), request.args.get(second, type=float)
    if low is None or high is None or not (math.isfinite(low) and math.isfinite(high) and low < high):
        return None
    return (low, high) if high - low < MOST_MARKED_MIN else None


# ---- a marked stretch, on every chart --------------------------------------------------------------


@dataclass(frozen=True)
class MarkedRow:
    """One piece in the marked stretch; `found` None where it never was there."""

    piece: Piece
    found: Marked | None
    from_x: float | None
    to_x: float | None


def _marked(facts: TrialFacts) -> list[MarkedRow]:
    """What each piece did in the stretch that the address marks: `b`, `e` of the axis, or `bt`, `et` in degrees."""
    by_time, by_temp = asked_span("b", "e"), asked_span("bt", "et")
    if by_time is None and by_temp is None:
        return []
    lay = asked_lay(facts)
    rows = []
    for piece in facts.pieces:
        cook, letter = facts.cooks[piece.id], piece.arm.letter
        if by_temp is not None:
            low, high = (units().temp_stored(value) for value in by_temp)
            found = stretch_by_temperature(cook, low, high)
        elif by_time is not None and len(cook.t_min):
            found = stretch_by_time(cook, *(lay.minute(letter, value) for value in by_time))
        else:
            found = None
        ends = (lay.at(letter, found.low_min), lay.at(letter, found.high_min)) if found is not None else (None, None)
        rows.append(MarkedRow(piece, found, *ends))
    return rows


@blueprint.get("/trials/<int:trial_id>/curves/marked")
def marked(trial_id: int) -> str:
    """The marked stretch as a table, with where it lies on every chart."""
    trial = trial_or_404(trial_id)
    return render_template("curves/marked.html", trial=trial, marked=_marked(facts_of(trial)))


# ---- pictures ---------------------------------------------------------------------------------------


@blueprint.get("/trials/<int:trial_id>/curves/compare")
def compare(trial_id: int) -> str:
    """Lag, difference, rate, pits, like pieces, and each by itself."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    lay = asked_lay(facts)
    cooks = [facts.cooks[piece.id] for piece in facts.pieces]
    pictures, lags = [], lags_of(facts)
    if len(cooks) > 1:
        pictures = [
            lag_picture([(p.arm.letter, p.name, one) for p, one, _ in lags], cooks[0].name, units()),
            minus_picture(cooks, shifts_of(facts, lay), ALIGNED[lay.way if lay.shift_min else "meat-on"], units()),
            band_picture([(arm.letter, [facts.cooks[p.id] for p in arm.pieces]) for arm in trial.arms], units()),
            rate_picture(cooks, units()),
            pit_picture([facts.cooks[arm.pieces[0].id] for arm in trial.arms if arm.pieces], units()),
        ]
    shown: list[Picture] = [one for one in pictures if one is not None]
    small = small_pictures(cooks, units()) if len(cooks) > 2 else ()
    return render_template(
        "curves/compare.html",
        trial=trial,
        facts=facts,
        lags=lags,
        pictures=shown,
        small=small,
        way=lay.way,
        level=request.args.get("level", "")[:8],
    )


def shifts_of(facts: TrialFacts, lay: Lay) -> list[float]:
    return [lay.shift_min.get(piece.arm.letter, 0.0) for piece in facts.pieces]


def lags_of(facts: TrialFacts) -> list[tuple[Piece, Lag, tuple[Stretch, ...]]]:
    """Each other piece behind the first, and the few stretches in which most of that came about, by temperature."""
    if not facts.pieces:
        return []
    first, *others = facts.pieces
    found = [(piece, lag(facts.cooks[first.id], facts.cooks[piece.id])) for piece in others]
    return [(piece, one, worth_telling(where_lost(one))) for piece, one in found]


@blueprint.get("/trials/<int:trial_id>/curves/why")
def why(trial_id: int) -> str:
    """What each known difference between the first piece and those of other arms is worth, by the twin.

    Of many, the first few; the others one by one, as they are opened.
    """
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    others = [piece for piece in facts.pieces if piece.arm_id != facts.pieces[0].arm_id]
    asked = request.args.get("piece", type=int)
    told = [piece for piece in others if piece.id == asked] if asked is not None else others[:MOST_TOLD]
    found = [(piece, why_of(facts, facts.pieces[0], piece)) for piece in told]
    return render_template(
        "curves/why.html",
        trial=trial,
        first=facts.pieces[0] if facts.pieces else None,
        found=found,
        charts={piece.id: steps_of(one) for piece, one in found if one is not None},
        later=others[MOST_TOLD:] if asked is None else [],
        compared=compared(facts) if asked is None else [],
        only=asked is not None,
    )


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
