"""What the page says in words, as rows for a table: flat stretches, lids, marks, and why one took longer."""

from __future__ import annotations

import math

from bruvet.core.twin.forecast import Band
from bruvet.records.series import seconds
from bruvet.web.access import units
from bruvet.web.named import plain
from bruvet.work.analysis import TrialFacts
from bruvet.work.why import why

Rows = list[list[str]]


def cell(value: float | None, places: int = 2) -> str:
    """A number for a CSV; empty where it is not known."""
    return "" if value is None or not math.isfinite(value) else f"{value:.{places}f}"


def _ends(band: tuple[float, float] | None) -> list[str]:
    return [cell(end) for end in band or (None, None)]


def flat_rows(facts: TrialFacts) -> Rows:
    """Every flat stretch: stalls with their uncertainty, and what was none, with the reason."""
    shown = units()
    rows = [
        [
            *("piece", "what", "from min", "from at least", "from at most", "to min", "to at least", "to at most"),
            *(f"inside {shown.degree}", f"{shown.degree}/h", "slowed by", "reason"),
        ]
    ]
    for piece in facts.pieces:
        report = facts.measures[piece.id].stalls
        for s in report.stalls:
            onset, end = [cell(s.onset_min), *_ends(s.onset_band)], [cell(s.end_min), *_ends(s.end_band)]
            rate = None if s.rate_c_per_h is None else shown.step_shown(s.rate_c_per_h)
            told = [cell(shown.temp_shown(s.temp_c), 1), cell(rate), cell(s.depth, 3), s.reason]
            rows.append([piece.name, f"stall, {s.kind}", *onset, *end, *told])
        for n in report.not_stalls:
            rows.append(
                [piece.name, f"no stall, {n.why}", cell(n.onset_min), "", "", cell(n.end_min), *[""] * 5, n.reason]
            )
    return rows


def lid_rows(facts: TrialFacts) -> Rows:
    """Every opening that told on a pit."""
    shown = units()
    rows = [["arm", "opened min", f"dip {shown.degree}", "back after min", f"cost {shown.degree}·h", "marked"]]
    for piece in facts.pieces:
        for lid in facts.heat[piece.id].lids if piece.number == 1 else ():
            dip, cost = shown.step_shown(lid.dip_c), shown.step_shown(lid.cost_c_h)
            marked = "yes" if lid.marked else "no"
            rows.append([piece.arm.letter, cell(lid.at_min), cell(dip), cell(lid.back_min), cell(cost), marked])
    return rows


def mark_rows(facts: TrialFacts) -> Rows:
    """Everything that was marked, by its time in UTC and since the piece's meat on."""
    rows = [["piece", "at utc", "min", "what", "detail", "°C"]]
    for piece in facts.pieces:
        zero = facts.zeros[piece.id][0]
        if zero is None:
            continue
        for event in facts.trial.events:
            if event.arm_id == piece.arm_id and event.piece_id in (None, piece.id):
                minute = (seconds(event.at) - seconds(zero)) / 60
                at = f"{event.at:%Y-%m-%dT%H:%M:%SZ}"
                detail = plain(event.wrap_in or event.note)
                rows.append([piece.name, at, cell(minute), event.kind, detail, cell(event.temp_c, 1)])
    return rows


def why_rows(facts: TrialFacts) -> Rows:
    """The parts of each difference in time, with what remains and the whole, in minutes."""
    rows = [["piece", "against", "part", "min", "one in ten below", "one in ten above"]]
    for piece in facts.pieces:
        first = facts.pieces[0]
        found = why(facts, first, piece) if piece.arm_id != first.arm_id else None
        if found is None:
            continue
        parts: list[tuple[str, float, Band | None]] = [(p.what, p.minutes, p.band) for p in found.found.parts]
        if found.found.unexplained_min is not None:
            parts.append(("what remains", found.found.unexplained_min, found.found.unexplained_band))
        for name, minutes, band in parts:
            ends = (None, None) if band is None else (band.p10, band.p90)
            rows.append([piece.name, first.name, name, cell(minutes), cell(ends[0]), cell(ends[1])])
        rows.append([piece.name, first.name, "in all", cell(sum(minutes for _, minutes, _ in parts)), "", ""])
    return rows
