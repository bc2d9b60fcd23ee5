"""Phases of one piece along time, as they were marked: what the strip shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from bruvet.core.curves.findings import Mark, first_mark

PhaseKind = Literal["bare", "foil", "paper", "tray", "rest", "cook"]


@dataclass(frozen=True)
class Phase:
    kind: PhaseKind
    start_min: float
    end_min: float


def phases(marks: Sequence[Mark], last_min: float) -> tuple[Phase, ...]:
    """Phases from meat-on (minute 0) to the end of the rest, or to `last_min` where nothing ends them."""
    pulled = first_mark(marks, "pull", "rest-start")
    end = pulled if pulled is not None else last_min
    out: list[Phase] = []
    kind: PhaseKind = "bare"
    since = 0.0
    for mark in sorted(marks, key=lambda m: m.at_min):
        if mark.kind not in ("wrap", "unwrap") or not 0 <= mark.at_min <= end:
            continue
        after: PhaseKind = "bare"
        if mark.kind == "wrap" and mark.detail in ("foil", "paper", "tray"):
            after = mark.detail  # type: ignore[assignment]
        if after != kind:
            if mark.at_min > since:
                out.append(Phase(kind, since, mark.at_min))
            kind, since = after, mark.at_min
    if end > since:
        out.append(Phase(kind, since, end))
    if pulled is not None:
        rest_start = first_mark(marks, "rest-start")
        start = pulled if rest_start is None else rest_start
        rested = min((m.at_min for m in marks if m.kind == "rest-end" and m.at_min >= start), default=last_min)
        if rested > start:
            out.append(Phase("rest", start, rested))
    return tuple(out)


def planned(
    wrap_in: str, wrap_at_min: float | None, done_min: float | None, rest_min: float | None
) -> tuple[Phase, ...]:
    """Phases as the plan has them, as far as it gives times; empty when it gives no finish."""
    if done_min is None:
        return ()
    out: list[Phase] = []
    if wrap_in in ("foil", "paper", "tray") and wrap_at_min is not None and 0 < wrap_at_min < done_min:
        out += [Phase("bare", 0.0, wrap_at_min), Phase(wrap_in, wrap_at_min, done_min)]  # type: ignore[arg-type]
    else:
        out.append(Phase("bare" if wrap_in == "none" else "cook", 0.0, done_min))
    if rest_min:
        out.append(Phase("rest", done_min, done_min + rest_min))
    return tuple(out)
