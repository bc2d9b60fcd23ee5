"""What is known of one arm for the ledger: from its plan, its record, and what was said on the ledger itself."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from bruvet.core.curves.findings import Mark, first_mark
from bruvet.core.quantities import BadParts, read_parts, share_of
from bruvet.core.trial.ledger import ArmFacts
from bruvet.core.trial.ledger_rows import ROWS
from bruvet.core.trial.terms import Cut, DoneRule, RestKind, TrialKind, WrapIn, WrapRule, term
from bruvet.core.units import Units, span_words
from bruvet.records.models import Arm, Piece
from bruvet.records.tasting import Sample

from .analysis import TrialFacts

# From here on what was done is a departure from what was planned.
OFF_MIN = {"wrap time": 20.0, "rest": 15.0, "cook time planned": 10.0}
OFF_C = {"wrapped at": 4.0, "pulled at": 4.0, "pit as run": 4.0}
PIT_CHANGE_C = 5.0


def facts_of_arm(facts: TrialFacts, arm: Arm) -> ArmFacts:
    """One arm's column of the ledger; what was done stands before what was planned."""
    words = _planned_words(facts.units, arm) | {
        row.name: str(arm.said[row.name]) for row in ROWS if row.kind == "words" and arm.said.get(row.name)
    }
    numbers: dict[str, float | None] = {
        row.name: float(arm.said[row.name])
        for row in ROWS
        if row.kind != "words" and isinstance(arm.said.get(row.name), (int, float))
    }
    numbers |= _planned_numbers(facts, arm)
    done = _done_numbers(facts, arm)
    planned = _departures(facts.units, arm, done)
    numbers |= {name: value for name, value in done.items() if value is not None}
    for name, text in _done_words(facts, arm).items():
        if name == "wrap" and words["wrap"] != text:
            planned["wrap"] = words["wrap"]
        if name == "changed half-way" and text != "no":
            planned[name] = "no change"
        words[name] = text
    return ArmFacts(arm.letter, words, numbers, planned)


def _mean(values: Iterable[float | None]) -> float | None:
    """Mean of values that are all known."""
    found = list(values)
    known = [value for value in found if value is not None]
    return sum(known) / len(known) if known and len(known) == len(found) else None


def _listed(arm: Arm, pick: Callable[[Piece], str]) -> str:
    return " / ".join(dict.fromkeys(text for piece in arm.pieces if (text := pick(piece).strip())))


def _planned_words(units: Units, arm: Arm) -> dict[str, str]:
    wrapped = arm.wrap_rule != WrapRule.NEVER
    at = f", {units.temp_text(arm.wrap_at_c)}" if arm.wrap_rule == WrapRule.TEMPERATURE and arm.wrap_at_c else ""
    rest = term(RestKind, arm.rest_kind) + (f", {span_words(arm.rest_min)}" if arm.rest_min else "")
    return {
        "cooker": arm.cooker.name if arm.cooker else "",
        "wrap": term(WrapIn, arm.wrap_in) if wrapped else WrapIn.NONE.label,
        "wrap rule": term(WrapRule, arm.wrap_rule) + at if wrapped else "",
        "done rule": term(DoneRule, arm.done_rule),
        "cut": _listed(arm, lambda p: p.cut_other or "another cut" if p.cut == Cut.OTHER else term(Cut, p.cut)),
        "grade": _listed(arm, lambda p: p.grade),
        "source": _listed(arm, lambda p: f"piece {p.pair}" if p.pair else p.source),
        "bone": _listed(arm, lambda p: p.bone),
        "opened": _listed(arm, lambda p: "yes" if p.opened else "no"),
        "position": _listed(arm, lambda p: p.position),
        "wood": arm.wood,
        "rub": arm.rub,
        "rest plan": rest,
        "finished in": arm.move_to.name if arm.move_to else "the same",
    }


def sugar_share(rub: str, measured: str = "volume") -> float | None:
    """Share of sugar in a rub that is written in parts; None when it cannot be read."""
    try:
        return share_of(read_parts(rub, "weight" if measured == "weight" else "volume"), "sugar")
    except BadParts:
        return None


def _planned_numbers(facts: TrialFacts, arm: Arm) -> dict[str, float | None]:
    timed = arm.done_rule == DoneRule.TIME or arm.trial.kind == TrialKind.LENGTHS
    found = {
        "weight": _mean(p.trimmed_kg or p.raw_kg for p in arm.pieces),
        "thickness": _mean(p.thickness_mm for p in arm.pieces),
        "start": _mean(p.start_c if p.start_c is not None else _first_reading(facts, p) for p in arm.pieces),
        "pit target": arm.pit_target_c,
        "done temperature": arm.done_at_c,
        "cook time planned": arm.done_at_min if timed else None,
        "sugar in the rub": sugar_share(arm.rub, arm.trial.supplies.get("measured", "volume")) if arm.rub else None,
    }
    return {name: value for name, value in found.items() if value is not None}


def _first_reading(facts: TrialFacts, piece: Piece) -> float | None:
    cook = facts.cooks[piece.id]
    early = (cook.t_min >= 0) & (cook.t_min < 10) & np.isfinite(cook.temp_c)
    return float(cook.temp_c[early][0]) if cook.zero_known and early.any() else None


def _done_numbers(facts: TrialFacts, arm: Arm) -> dict[str, float | None]:
    result = facts.result(arm)
    ran = result.mean("pit_mean")
    cooked = [facts.cooks[piece.id] for piece in arm.pieces]
    begun = all(first_mark(cook.marks, "meat-on") is not None for cook in cooked) and bool(cooked)

    def count(*kinds: str) -> float | None:
        return _mean(float(sum(mark.kind in kinds for mark in cook.marks)) for cook in cooked) if begun else None

    return {
        "pit as run": ran,
        "pit against its target": None if ran is None or arm.pit_target_c is None else ran - arm.pit_target_c,
        "pit swing": result.mean("pit_spread"),
        "wrap time": result.mean("wrap_at"),
        "wrapped at": _mean(_reading_at(facts, piece, "wrap") for piece in arm.pieces),
        "pulled at": _mean(_reading_at(facts, piece, "pull") for piece in arm.pieces),
        "rest": result.mean("rest"),
        "looks": count("lid"),
        "spritz": count("spritz"),
        "turned or moved": count("turn", "move"),
        **({"cook time planned": result.mean("total")} if arm.done_rule == DoneRule.TIME else {}),
        "served at": _mean(sample.served_c for sample in _served(facts, arm)),
        "minutes since cutting": _mean(sample.since_cut_min for sample in _served(facts, arm)),
    }


def _served(facts: TrialFacts, arm: Arm) -> list[Sample]:
    """What was served of an arm at tastings whose envelope is open."""
    return [sample for panel in facts.opened_panels for sample in panel.samples if sample.arm_id == arm.id]


def _reading_at(facts: TrialFacts, piece: Piece, kind: str) -> float | None:
    """What the piece's probe read when something was done, of the quarter of an hour before it."""
    cook = facts.cooks[piece.id]
    at = first_mark(cook.marks, kind)
    if at is None:
        return None
    near = (cook.t_min >= at - 15) & (cook.t_min <= at + 1) & np.isfinite(cook.temp_c)
    return float(cook.temp_c[near][-1]) if near.any() else None


def _departures(units: Units, arm: Arm, done: dict[str, float | None]) -> dict[str, str]:
    """Rows in which the cook left the plan by more than slips of the hand, with what was planned."""
    wishes = {
        "pit as run": arm.pit_target_c,
        "wrap time": arm.wrap_at_min if arm.wrap_rule == WrapRule.CLOCK else None,
        "wrapped at": arm.wrap_at_c if arm.wrap_rule == WrapRule.TEMPERATURE else None,
        "pulled at": arm.done_at_c,
        "rest": arm.rest_min,
        "cook time planned": arm.done_at_min if arm.done_rule == DoneRule.TIME else None,
    }
    out = {}
    for name, wish in wishes.items():
        was = done.get(name)
        if wish is None or was is None:
            continue
        if name in OFF_C and abs(was - wish) > OFF_C[name]:
            out[name] = units.temp_text(wish)
        elif name in OFF_MIN and abs(was - wish) > OFF_MIN[name]:
            out[name] = span_words(wish)
    return out


def _done_words(facts: TrialFacts, arm: Arm) -> dict[str, str]:
    """What the record says of things that are not numbers; nothing while it is silent."""
    marks = [mark for piece in arm.pieces for mark in facts.cooks[piece.id].marks]
    out: dict[str, str] = {}
    wraps = list(dict.fromkeys(term(WrapIn, mark.detail) for mark in marks if mark.kind == "wrap" and mark.detail))
    pulled = any(mark.kind == "pull" for mark in marks)
    if wraps or pulled:
        out["wrap"] = " / ".join(wraps) or WrapIn.NONE.label
    sprayed = list(dict.fromkeys(mark.detail for mark in marks if mark.kind == "spritz" and mark.detail))
    if sprayed:
        out["spritz with"] = " / ".join(sprayed)
    tasted = sorted({sample.part for sample in _served(facts, arm) if sample.part})
    if tasted:
        out["part tasted"] = " / ".join(tasted)
    changed = _changes(facts.units, arm, marks)
    if changed or pulled:
        out["changed half-way"] = ", ".join(changed) or "no"
    return out


def _changes(units: Units, arm: Arm, marks: list[Mark]) -> list[str]:
    """What was done half-way that the plan had not."""
    out = []
    for mark in marks:
        if mark.kind == "pit-set" and mark.temp_c is not None and arm.pit_target_c is not None:
            planned = arm.pit_target_c if mark.at_min <= 0 or arm.move_pit_c is None else arm.move_pit_c
            if mark.at_min > 0 and min(abs(mark.temp_c - arm.pit_target_c), abs(mark.temp_c - planned)) > PIT_CHANGE_C:
                out.append(f"pit to {units.temp_text(mark.temp_c)}")
        if mark.kind == "move" and arm.move_to is None and mark.at_min > 0:
            out.append("moved")
    return list(dict.fromkeys(out))
