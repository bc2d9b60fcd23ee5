"""What the canvas draws: series on one axis, cleaned or as read, and what stands over them."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruvet.core.curves.clean import CleanCurve
from bruvet.core.trial.terms import ARM_LOOKS, EventKind
from bruvet.core.twin.forecast import Forecast, forecast
from bruvet.core.units import span_text
from bruvet.records.models import Piece, Probe
from bruvet.records.series import ROLLED_S, Buckets
from bruvet.web.access import units
from bruvet.work.analysis import TrialFacts
from bruvet.work.forecasts import learned_for, planned_case

from .lay import Lay

FloatArray = NDArray[np.float64]
POINTS = 900
TOLD_DRAWS = 128
BUCKETS_S = (1, 2, 5, 10, 15, 20, 30, 60, 120, 300, 600)
MOST_ASIDE = 400

Told = list[tuple[Piece, Forecast]]


def told_before(facts: TrialFacts) -> Told:
    """What the twin would have told of each piece before the fire was lit: the plan, and earlier days' cooks."""
    out = []
    for piece in facts.pieces:
        case = planned_case(piece)
        if case is not None:
            prior = learned_for(facts.session, piece).draws(TOLD_DRAWS)
            out.append((piece, forecast(case, prior=prior, draws=TOLD_DRAWS)))
    return out


def told_words(piece: Piece, found: Forecast) -> str:
    done = found.done_min
    if done is None or done.p50 is None:
        return f"{piece.name} not done within the day: {found.reason}."
    late = span_text(done.p90) if done.p90 is not None else "open"
    return f"{piece.name} done at {span_text(done.p50)} (four in five from {span_text(done.p10)} to {late})."


def bucket_s(facts: TrialFacts, lay: Lay, span: float, low: float | None, high: float | None) -> float:
    """Width of the buckets for a span of the axis: finer than the roll-up only while the readings are few enough."""
    wanted = span * 60 / POINTS
    width = next((float(w) for w in BUCKETS_S if w >= wanted), math.ceil(wanted / 600) * 600.0)
    if width < ROLLED_S and (low is None or high is None or not facts.few_enough(low, high, lay.shift_min)):
        return ROLLED_S
    return width


def series_of(
    facts: TrialFacts, lay: Lay, low: float | None, high: float | None, told: Told, as_read: bool
) -> dict[str, Any]:
    """Each probe's values on one axis (units of the lay), rounded to what can be seen; None where there is a gap.

    The meat is cleaned unless `as_read`: what was set aside is left out and listed, and nothing is drawn across a leap.
    """
    whole = low is None or high is None
    last = facts.last_min if low is None or high is None else high - low
    if lay.by_share:
        # Percent: as fine as the roll-up of the longest cook, also when looked at closely.
        width, whole = 60 * 100.0 / POINTS, True
        found = facts.buckets(ROLLED_S)
    else:
        width = bucket_s(facts, lay, last, low, high)
        # The whole is drawn from cleaned curves, which have a reading a minute.
        width = max(width, 60.0) if whole and not as_read else width
        margin = 2 * width / 60
        if whole:
            found = facts.buckets(width)
        else:
            assert low is not None
            assert high is not None
            found = facts.fetched(width, low - margin, high + margin, lay.shift_min)
    columns: list[tuple[Probe, NDArray[np.int64], FloatArray]] = []
    breaks: list[float] = []
    aside: list[dict[str, Any]] = []
    for probe in facts.trial.probes:
        if probe.id not in found or not len(found[probe.id].minute):
            continue
        letter, buckets = probe.arm.letter, found[probe.id]
        curve = facts.clean_probes.get(probe.id)
        x, values = _plain(lay, letter, buckets, whole)
        if curve is not None and not as_read:
            if whole:
                x, values = lay.x(letter, curve.t_min), curve.temp_c
            x, values, cuts = _cut(curve, lay, letter, x, values, width)
            breaks += cuts
            aside += _set_aside(curve, lay, probe, facts)
        slots = np.floor(x * 60 / width + 1e-9).astype(np.int64)
        starts = np.flatnonzero(np.diff(slots, prepend=slots[0] - 1 if len(slots) else 0))
        counts = np.diff(np.append(starts, len(slots)))
        columns.append((probe, slots[starts], np.add.reduceat(values, starts) / counts if len(starts) else values))
    ticks = np.unique(np.concatenate([slots for _, slots, _ in columns])) if columns else np.zeros(0, np.int64)
    ticks = np.union1d(ticks, np.floor(np.array(breaks) * 60 / width).astype(np.int64)) if breaks else ticks
    if told and whole and not lay.by_share:
        # The canvas reaches to where the last of them was told to be done.
        end = max(float(one.t_min[-1]) for _, one in told)
        ticks = np.union1d(ticks, np.arange(0, int(end * 60 / width), max(int(300 / width), 1)))
    out = []
    for probe, slots, values in columns:
        column = np.full(len(ticks), np.nan)
        column[np.searchsorted(ticks, slots)] = values
        look = ARM_LOOKS[probe.arm.letter]
        out.append(
            {
                "id": probe.id,
                "arm": probe.arm.letter,
                "label": probe.label,
                "pit": probe.is_pit,
                "dash": list(look.dash),
                "marker": look.marker,
                "values": _plain_list(column),
            }
        )
    x_out = np.round((ticks + 0.5) * width / 60, 4)
    if told and not lay.by_share:
        out += _told_columns(told, lay, x_out)
    return {"x": x_out.tolist(), "series": out, "bucket_s": width, "aside": aside[:MOST_ASIDE]}


def _plain(lay: Lay, letter: str, buckets: Buckets, whole: bool) -> tuple[FloatArray, FloatArray]:
    # Detail was fetched with its minutes counted from the lay's own zero.
    return (lay.x(letter, buckets.minute) if whole else buckets.minute), buckets.mean_c


def _cut(
    curve: CleanCurve, lay: Lay, letter: str, x: FloatArray, values: FloatArray, width: float
) -> tuple[FloatArray, FloatArray, list[float]]:
    """Values without what was set aside, and the places where the line must be broken."""
    kept = np.ones(len(x), bool)
    cuts = []
    for one in curve.mended:
        low, high = lay.at(letter, one.from_min - 0.6), lay.at(letter, one.until_min + 0.6)
        if one.is_set_aside:
            kept &= (x < low) | (x > high)
        if one.what == "moved":
            at = lay.at(letter, one.from_min)
            slot = np.floor(at * 60 / width)
            kept &= np.floor(x * 60 / width) != slot
            cuts.append(at)
        if one.what in ("gap", "out"):
            cuts.append((low + high) / 2)
    return x[kept], values[kept], cuts


def _set_aside(curve: CleanCurve, lay: Lay, probe: Probe, facts: TrialFacts) -> list[dict[str, Any]]:
    """Readings that cleaning set aside, as points to show beside the line."""
    raw = facts.live(probe.id)
    out = []
    for one in curve.mended:
        if one.is_set_aside:
            inside = (raw.minute >= one.from_min - 0.6) & (raw.minute <= one.until_min + 0.6)
            shown = units().temp_shown(raw.mean_c[inside])
            out += [
                {
                    "at": round(lay.at(probe.arm.letter, float(m)), 3),
                    "temp": round(float(t), 1),
                    "arm": probe.arm.letter,
                }
                for m, t in zip(raw.minute[inside], shown, strict=True)
            ]
    return out


def _plain_list(column: FloatArray) -> list[float | None]:
    shown = np.round(units().temp_shown(column), 2).astype(object)
    shown[np.isnan(column)] = None
    return list(shown)


def _told_columns(told: Told, lay: Lay, x: FloatArray) -> list[dict[str, Any]]:
    """The forecast's band and middle as series on the canvas's axis."""
    out = []
    for piece, found in told:
        letter = piece.arm.letter
        for edge, curve in (("high", found.p90_c), ("low", found.p10_c), ("middle", found.p50_c)):
            values = np.interp(x, lay.x(letter, found.t_min), curve, left=np.nan, right=np.nan)
            out.append(
                {
                    "id": f"told-{piece.id}-{edge}",
                    "arm": letter,
                    "label": f"{piece.name} as told",
                    "pit": False,
                    "told": edge,
                    "dash": [2, 4],
                    "marker": ARM_LOOKS[letter].marker,
                    "values": _plain_list(values),
                }
            )
    return out


def overlays_of(facts: TrialFacts, lay: Lay) -> dict[str, Any]:
    """Events, stalls and other flat stretches, lids' dips and handheld spots, at their places on the axis."""
    events: list[dict[str, Any]] = []
    stalls: list[dict[str, Any]] = []
    spots: list[dict[str, Any]] = []
    lids: list[dict[str, Any]] = []
    flats: list[dict[str, Any]] = []
    for piece in facts.pieces:
        cook, letter = facts.cooks[piece.id], piece.arm.letter
        if piece.number == 1:
            events += [
                {
                    "at": lay.at(letter, m.at_min),
                    "arm": letter,
                    "mark": EventKind(m.kind).mark,
                    "label": EventKind(m.kind).label,
                    "more": m.detail,
                }
                for m in cook.marks
            ]
            lids += [
                {"from": lay.at(letter, lid.at_min), "to": lay.at(letter, lid.at_min + lid.back_min), "arm": letter}
                for lid in facts.heat[piece.id].lids
                if lid.back_min is not None
            ]
        stalls += [
            {
                "arm": letter,
                "piece": cook.name,
                "from": lay.at(letter, s.onset_min),
                "to": lay.at(letter, s.end_min),
                "reason": s.reason,
            }
            for s in facts.measures[piece.id].stalls.stalls
        ]
        flats += [
            {"arm": letter, "from": lay.at(letter, s.onset_min), "to": lay.at(letter, s.end_min), "word": s.word}
            for s in facts.measures[piece.id].stalls.other_flats
        ]
        spots += _spots(facts, piece, lay)
    zeros = {arm.letter: zero.isoformat() for arm in facts.trial.arms if (zero := facts.arm_zero(arm)) is not None}
    return {"events": events, "stalls": stalls, "flats": flats, "spots": spots, "lids": lids, "zeros": zeros}


def _spots(facts: TrialFacts, piece: Piece, lay: Lay) -> list[dict[str, Any]]:
    zero = facts.zeros[piece.id][0]
    return [
        {
            "at": lay.at(piece.arm.letter, (look.at - zero).total_seconds() / 60),
            "arm": piece.arm.letter,
            "temp": round(float(units().temp_shown(s.temp_c)), 1),
            "place": s.place,
        }
        for look in facts.trial.looks
        if look.piece_id == piece.id and zero is not None
        for s in look.spots
        if s.temp_c is not None
    ]
