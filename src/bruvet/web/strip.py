"""The strip: every arm on one axis of time, the plan as an outline, what happened filled in under it."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from bruvet.core.curves.findings import StallReport
from bruvet.core.trial.phases import Phase, phases, planned
from bruvet.core.trial.terms import ARM_LOOKS, EventKind
from bruvet.core.units import span_words
from bruvet.records.models import Arm
from bruvet.work.analysis import TrialFacts, arm_name
from bruvet.work.forecasts import outline_told

TOP = 4.0
ROW = 84.0
LETTER_WIDTH = 7.2
HOUR_STEPS = (1, 2, 3, 4, 6, 12)


@dataclass(frozen=True)
class Frame:
    """Where a strip is drawn: its width, the room left of minute `low` and right of minute `high`, in pixels."""

    width: float = 1200.0
    left: float = 44.0
    right: float = 14.0
    low_min: float | None = None
    high_min: float | None = None


@dataclass(frozen=True)
class Box:
    x: float
    width: float
    kind: str
    word: str
    title: str


@dataclass(frozen=True)
class MarkAt:
    x: float
    letter: str
    title: str
    level: int


@dataclass(frozen=True)
class StripRow:
    letter: str
    marker: str
    name: str
    y: float
    plan: tuple[Box, ...]
    done: tuple[Box, ...]
    stalls: tuple[tuple[float, float, str], ...]
    flats: tuple[tuple[float, float, str, str], ...]
    marks: tuple[MarkAt, ...]


@dataclass(frozen=True)
class Strip:
    width: float
    left: float
    right: float
    height: float
    rows: tuple[StripRow, ...]
    hours: tuple[tuple[float, str], ...]
    axis_y: float
    used: tuple[tuple[str, str], ...]
    said: str


def _plan_times(arm: Arm) -> tuple[float | None, float | None]:
    """Minutes of the planned wrap and of done: as typed, and by the twin where the plan says only how, not when."""
    if arm.done_at_min is not None or not arm.pieces:
        return arm.wrap_at_min, arm.done_at_min
    told = outline_told(arm.pieces[0])
    if told is None:
        return arm.wrap_at_min, None
    return (told.wrap_min if arm.wrap_at_min is None else arm.wrap_at_min), told.done_min


def draw(facts: TrialFacts, frame: Frame | None = None) -> Strip:
    """Lay out the strip of a trial, all arms aligned at meat on."""
    frame = frame or Frame()
    arms = facts.trial.arms
    plans = {arm.id: planned(arm.wrap_in, *_plan_times(arm), arm.rest_min) for arm in arms}
    last = facts.last_min
    for plan in plans.values():
        last = max([last, *(phase.end_min for phase in plan)])
    low = frame.low_min if frame.low_min is not None else 0.0
    high = frame.high_min if frame.high_min is not None else last * 1.02
    scale = (frame.width - frame.left - frame.right) / max(high - low, 1.0)

    def x(minute: float) -> float:
        return round(frame.left + (minute - low) * scale, 1)

    rows, used, said = [], {}, []
    for number, arm in enumerate(arms):
        piece = arm.pieces[0] if arm.pieces else None
        marks = facts.cooks[piece.id].marks if piece else ()
        readings = facts.cooks[piece.id].t_min if piece else np.zeros(0)
        end = float(readings[-1]) if len(readings) else max((m.at_min for m in marks), default=0.0)
        done = phases(marks, end) if marks or len(readings) else ()
        found = facts.measures[piece.id].stalls if piece else StallReport()
        shown = [m for m in marks if m.kind in EventKind._value2member_map_ and m.at_min >= 0]
        for mark in shown:
            used[EventKind(mark.kind).mark] = EventKind(mark.kind).label
        look = ARM_LOOKS[arm.letter]
        rows.append(
            StripRow(
                letter=arm.letter,
                marker=look.marker,
                name=arm_name(arm),
                y=TOP + number * ROW,
                plan=_boxes(plans[arm.id], x, "planned "),
                done=_boxes(done, x, ""),
                stalls=tuple((x(s.onset_min), x(s.end_min) - x(s.onset_min), s.reason) for s in found.stalls),
                flats=tuple(
                    (x(s.onset_min), x(s.end_min) - x(s.onset_min), s.word, s.reason) for s in found.other_flats
                ),
                marks=_marks([(x(m.at_min), EventKind(m.kind), _title(m.kind, m.at_min, m.detail)) for m in shown]),
            )
        )
        said.append(
            f"{arm_name(arm)}: "
            + (", ".join(f"{p.kind} {span_words(p.end_min - p.start_min)}" for p in done) or "nothing yet")
        )
    axis_y = TOP + len(rows) * ROW
    return Strip(
        frame.width,
        frame.left,
        frame.right,
        axis_y + 20,
        tuple(rows),
        _hours(low, high, x),
        axis_y,
        tuple(sorted(used.items())),
        "; ".join(said),
    )


def _title(kind: str, minute: float, detail: str) -> str:
    return f"{EventKind(kind).label}{' ' + detail if detail else ''}, {span_words(minute)} after meat on"


def _boxes(found: Sequence[Phase], x: Callable[[float], float], prefix: str) -> tuple[Box, ...]:
    out = []
    for phase in found:
        start, width = x(phase.start_min), x(phase.end_min) - x(phase.start_min)
        word = phase.kind if width > LETTER_WIDTH * (len(phase.kind) + 1) else ""
        title = f"{prefix}{phase.kind}, {span_words(phase.end_min - phase.start_min)}"
        out.append(Box(start, width, phase.kind, word, title))
    return tuple(out)


def _marks(found: Sequence[tuple[float, EventKind, str]]) -> tuple[MarkAt, ...]:
    """Marks side by side where there is room, on a second level where there is not, as a bare stem in a crowd."""
    ends = [-math.inf, -math.inf]
    out = []
    for at, kind, title in sorted(found):
        level = next((i for i, end in enumerate(ends) if at - end >= 16.0), -1)
        if level >= 0:
            ends[level] = at
        out.append(MarkAt(at, kind.mark if level >= 0 else "", title, level))
    return tuple(out)


def _hours(low: float, high: float, x: Callable[[float], float]) -> tuple[tuple[float, str], ...]:
    step = next((s for s in HOUR_STEPS if (high - low) / 60 / s <= 14), 24)
    first = math.ceil(low / 60 / step) * step
    return tuple((x(h * 60.0), f"{h} h") for h in range(first, int(high // 60) + 1, step))
