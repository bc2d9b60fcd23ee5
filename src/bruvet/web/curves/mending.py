"""What a person decides about the signal: what cleaning is taken back, what a piece is read by, what a stall is."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from flask import flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from bruvet.core.curves.clean import CleanCurve, Mended
from bruvet.core.curves.findings import DEFINITIONS, Stall, StallRule, rule_of
from bruvet.core.curves.flat import window_min
from bruvet.core.curves.heat import LidCost
from bruvet.core.curves.measures import measure
from bruvet.core.trial.when import BadTime, read_span
from bruvet.core.units import span_text, span_words
from bruvet.records.models import Piece, Probe
from bruvet.records.series import seconds
from bruvet.web.access import units
from bruvet.web.database import db, trial_or_404
from bruvet.web.trial_page import facts_of
from bruvet.work.analysis import TrialFacts
from bruvet.work.calibrations import calibrations

from .blueprint import blueprint

# Slowest and fastest bounds of a stall's rate that a person may set, °C an hour.
RATES_C_PER_H = (0.5, 12.0)
# Readings finer than this need no word about their steps.
COARSE_C = 0.3
# Where the size of a calibration's correction is told.
CALIBRATED_AT_C = 71.0


@dataclass(frozen=True)
class CleanedLine:
    """One thing that cleaning did, or left because it was taken back; times in UTC seconds, for the form."""

    probe: Probe
    what: str
    words: str
    from_s: float
    until_s: float
    taken_back: bool
    is_set_aside: bool = False


def cleaned_list(facts: TrialFacts) -> list[CleanedLine]:
    """By probe and time, what was set aside, cut or marked; and what was taken back."""
    out = []
    for probe in facts.trial.probes:
        zero = facts.probe_zero(probe)
        if zero is None:
            continue
        began = seconds(zero)
        curve = facts.clean_probes.get(probe.id)
        if curve is not None:
            out += [
                CleanedLine(
                    probe,
                    m.what,
                    _words(m),
                    began + 60 * m.from_min,
                    began + 60 * m.until_min,
                    False,
                    m.is_set_aside,
                )
                for m in curve.mended
            ]
            if curve.quantum_c >= COARSE_C:
                out.append(CleanedLine(probe, "rounded", _rounded_words(curve, facts.stall_rule), began, began, False))
        out += [
            CleanedLine(
                probe,
                one["kind"],
                f"{span_text((one['from'] - began) / 60)}: left as it was read ({NAMES[one['kind']]})",
                one["from"],
                one["until"],
                True,
            )
            for one in probe.taken_back
        ]
    out += _calibrated(facts)
    for piece in facts.pieces:
        pit = next((p for p in facts.trial.probes if p.is_pit and p.arm_id == piece.arm_id), None)
        if pit is not None and piece.number == 1:
            out += [
                CleanedLine(pit, "lid", _lid_words(lid), 60 * lid.at_min, 60 * lid.at_min, False)
                for lid in facts.heat[piece.id].lids
            ]
    return sorted(out, key=lambda line: (line.probe.id, line.from_s))


def _calibrated(facts: TrialFacts) -> list[CleanedLine]:
    """Probes whose readings are put right by what they read in ice or boiling water."""
    shown = units()
    probes = {probe.id: probe for probe in facts.trial.probes}
    out = []
    for probe_id, from_s, until_s, how in calibrations(facts.session, list(probes)):
        probe, zero = probes[probe_id], facts.probe_zero(probes[probe_id])
        step = float(how.true_c(np.array([CALIBRATED_AT_C]))[0]) - CALIBRATED_AT_C
        if zero is None or step == 0:
            continue
        by = f"{'+' if step > 0 else '−'}{shown.step_text(abs(step), 1)}"
        words = f"put right by {by} at {shown.temp_text(CALIBRATED_AT_C)}"
        since = "" if from_s <= seconds(zero) else f" from {span_text((from_s - seconds(zero)) / 60)}"
        until = "" if until_s is None else f" until {span_text((until_s - seconds(zero)) / 60)}"
        out.append(CleanedLine(probe, "calibrated", f"{words}, as calibrated{since}{until}", from_s, from_s, False))
    return out


NAMES = {
    "impossible": "readings no meat can have",
    "spike": "spikes",
    "out": "the probe was out",
    "moved": "the probe was moved",
    "gap": "a gap",
}
CAN_BE_TAKEN_BACK = ("spike", "out", "moved")


def _rounded_words(curve: CleanCurve, rule: StallRule) -> str:
    """How coarse the readings are, and over how many minutes a stall's rate is told for it."""
    window = window_min(curve, rule)
    why = f", so its rates are told over {span_words(window)}" if window > rule.window_min else ""
    return f"read in steps of {units().step_text(curve.quantum_c, 1).replace('.0', '')}{why}"


def _lid_words(lid: LidCost) -> str:
    """What one opening did to the pit, when it was back, and what that cost."""
    shown = units()
    dip = shown.step_text(lid.dip_c)
    back = f"back in {span_words(lid.back_min)}" if lid.back_min is not None else "not seen to come back"
    cost = f"{back}, cost {shown.step_shown(lid.cost_c_h):.0f} {shown.degree}·h"
    if lid.marked:
        return f"{span_text(lid.at_min)}: the lid's dip, {dip}, {cost}"
    return f"{span_text(lid.at_min)}: a dip of {dip} as an opened lid makes, {cost}; nobody marked it"


def _words(one: Mended) -> str:
    at, until = span_text(one.from_min), span_text(one.until_min)
    match one.what:
        case "spike":
            return f"{at}: {one.count} {'reading' if one.count == 1 else 'readings'} that leap away and back, set aside"
        case "out":
            return f"{at} to {until}: the probe was out, set aside"
        case "moved":
            way = "up" if one.step_c > 0 else "down"
            leap = f"{at}: a leap {way} of {units().step_text(abs(one.step_c))}, the curve is cut: the probe was moved"
            return f"{leap}; {one.count} of its minutes on the way set aside" if one.count else leap
        case "gap":
            return f"{at} to {until}: no readings for {span_words(one.until_min - one.from_min)}, left as a gap"
        case _:
            return f"{at}: {one.count} readings that no meat can have, set aside"


@blueprint.post("/trials/<int:trial_id>/curves/cleaning")
def cleaning(trial_id: int) -> Response:
    """Leave one thing as it was read, or clean it after all."""
    trial = trial_or_404(trial_id)
    probe = next((p for p in trial.probes if str(p.id) == request.form.get("probe")), None)
    kind = request.form.get("kind", "")
    low, high = request.form.get("from", type=float), request.form.get("until", type=float)
    if probe is None or kind not in CAN_BE_TAKEN_BACK or low is None or high is None or not 0 <= low <= high < 1e11:
        flash("That is nothing that was cleaned; the page may be old. Nothing was changed.", "error")
        return redirect(url_for("curves.show", trial_id=trial.id))
    entry = {"kind": kind, "from": low, "until": high}
    others = [one for one in probe.taken_back if one != entry]
    again = request.form.get("do") == "clean"
    probe.taken_back = others if again else [*others, entry]
    flash("It is cleaned again." if again else "It is left as it was read. No reading was changed by either.", "done")
    return redirect(url_for("curves.show", trial_id=trial.id, _anchor="cleaned"))


@blueprint.post("/trials/<int:trial_id>/curves/read-by")
def read_by(trial_id: int) -> Response:
    """Which of several probes a piece is read by."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    for piece in facts.pieces:
        said = request.form.get(f"piece-{piece.id}")
        if said is not None and said in dict(ways_to_read(facts, piece)):
            piece.read_by = said
    flash("The curves and figures are read so now.", "done")
    return redirect(url_for("curves.show", trial_id=trial.id, _anchor="cleaned"))


@blueprint.app_template_global()
def ways_to_read(facts: TrialFacts, piece: Piece) -> list[tuple[str, str]]:
    """Choices of a piece with several probes, as (value, words); none for one probe."""
    places = [(p.id, p.place) for p in facts.trial.probes if p.piece_id == piece.id]
    if len(places) < 2:
        return []
    firsts = [place.split()[0] for _, place in places if place.strip()]
    parts = [part for part in dict.fromkeys(firsts) if 1 < firsts.count(part) < len(firsts)]
    return [
        ("", "the coldest at each moment"),
        ("mean", "the mean of all"),
        *[(f"part:{part}", f"the mean of the {part}") for part in parts],
        *[(f"probe:{probe_id}", f"only {place}") for probe_id, place in places],
    ]


# ---- what a stall is taken to be ---------------------------------------------------------------------


@dataclass(frozen=True)
class Tried:
    """The longest stall of each piece by one definition; None where there is none."""

    key: str
    name: str
    chosen: bool
    stalls: list[Stall | None]


def definitions_tried(facts: TrialFacts) -> list[Tried]:
    """Every definition's answer beside the others', so that a choice shows its effect."""
    now = facts.trial.stall_by.get("by", "both")
    rate = facts.trial.stall_by.get("rate_c_per_h")
    out = []
    for key, name in DEFINITIONS.items():
        stalls: list[Stall | None] = []
        for piece in facts.pieces:
            if key == now:
                found = facts.measures[piece.id].stalls.stalls
            elif key == "hand":
                found = ()
            else:
                cook = replace(facts.cooks[piece.id], stall_rule=rule_of(key, rate), stall_by_hand=None)
                found = measure(cook, (), facts.units).stalls.stalls
            stalls.append(max(found, key=lambda stall: stall.length_min, default=None))
        out.append(Tried(key, name, key == now, stalls))
    return out


@blueprint.get("/trials/<int:trial_id>/curves/stall")
def definitions(trial_id: int) -> str:
    """The choice of definition, with what each would find."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    return render_template("curves/definitions.html", trial=trial, facts=facts, tried=definitions_tried(facts))


@blueprint.post("/trials/<int:trial_id>/curves/stall")
def stall_by(trial_id: int) -> Response:
    """Choose the definition; by hand, the two times of each piece."""
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    key = request.form.get("by", "")
    back = redirect(url_for("curves.show", trial_id=trial.id, _anchor="stall"))
    if key not in DEFINITIONS:
        flash("Choose one of the four definitions. Nothing was changed.", "error")
        return back
    said = request.form.get("rate", "").strip().replace(",", ".")
    rate = None
    if said:
        try:
            rate = float(said) / float(units().step_shown(1.0))
        except ValueError:
            rate = -1.0
        low, high = (units().step_shown(value) for value in RATES_C_PER_H)
        if not RATES_C_PER_H[0] <= rate <= RATES_C_PER_H[1]:
            flash(f"The rate: give {low:.0f} to {high:.0f} {units().degree} an hour. Nothing was changed.", "error")
            return back
    if key == "hand":
        trouble = _hand_times(facts)
        if trouble:
            db().rollback()
            flash(trouble + " Nothing was changed.", "error")
            return back
    trial.stall_by = {"by": key} | ({"rate_c_per_h": rate} if rate is not None else {})
    flash(f"A stall is now: {DEFINITIONS[key]}.", "done")
    return back


def _hand_times(facts: TrialFacts) -> str:
    """Take the times that were typed for each piece; what is wrong with them, or nothing."""
    for piece in facts.pieces:
        texts = [request.form.get(f"{end}-{piece.id}", "").strip() for end in ("onset", "end")]
        zero = facts.zeros[piece.id][0]
        if not any(texts) or zero is None:
            piece.stall_by = {}
            continue
        try:
            spans = [read_span("+" + text.lstrip("+")) for text in texts]
        except BadTime:
            spans = [None]
        if None in spans:
            return f"{piece.name}: give both times since meat on, as 4:30."
        onset, end = (span.total_seconds() / 60 for span in spans if span is not None)
        inside = (facts.cooks[piece.id].curve.t_min >= onset) & (facts.cooks[piece.id].curve.t_min <= end)
        if end <= onset or inside.sum() < 3:
            return f"{piece.name}: between {texts[0]} and {texts[1]} there are no readings."
        began = seconds(zero)
        piece.stall_by = {"from": began + 60 * onset, "until": began + 60 * end}
    return ""
