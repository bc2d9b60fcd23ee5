"""The step chart of why: from the first piece's time, by each part, to the other's; it adds up."""

from __future__ import annotations

import textwrap
from dataclasses import dataclass

from bruvet.core.twin.forecast import Band
from bruvet.web.shown import signed_span
from bruvet.work.why import Why

WIDTH, LEFT, RIGHT, ROW, TOP = 560.0, 190.0, 60.0, 26.0, 4.0
LINE = 22


@dataclass(frozen=True)
class Step:
    """One row: a bar from where the last ended, with its range as a whisker where there is one."""

    name: str
    lines: tuple[str, ...]
    word: str
    kind: str
    y: float
    x: float
    width: float
    end: float
    whisker: tuple[float, float] | None


@dataclass(frozen=True)
class Steps:
    width: float
    height: float
    zero: float
    rows: tuple[Step, ...]


def steps_of(found: Why) -> Steps:
    """Lay the parts out one under another, each beginning where the one above it ended."""
    parts: list[tuple[str, float, Band | None, str]] = [
        (part.what, part.minutes, part.band, "part") for part in found.found.parts
    ]
    if found.found.unexplained_min is not None:
        parts.append(("what remains", found.found.unexplained_min, found.found.unexplained_band, "rest"))
    total = sum(minutes for _, minutes, _, _ in parts)
    reached = [0.0]
    edges = [0.0, total]
    for _, minutes, band, _ in parts:
        edges += [reached[-1] + minutes]
        if band is not None and band.p10 is not None and band.p90 is not None:
            edges += [reached[-1] + band.p10, reached[-1] + band.p90]
        reached.append(reached[-1] + minutes)
    low, high = min(edges), max(edges)

    def x(minutes: float) -> float:
        return round(LEFT + (minutes - low) / max(high - low, 1.0) * (WIDTH - LEFT - RIGHT), 1)

    rows = []
    for row, ((name, minutes, band, kind), begin) in enumerate(zip(parts, reached, strict=False)):
        whisker = None
        if band is not None and band.p10 is not None and band.p90 is not None:
            whisker = (x(begin + band.p10), x(begin + band.p90))
        ends = sorted((x(begin), x(begin + minutes)))
        rows.append(
            Step(
                name,
                _in_lines(name),
                signed_span(minutes),
                kind,
                TOP + row * ROW,
                ends[0],
                ends[1] - ends[0],
                x(begin + minutes),
                whisker,
            )
        )
    ends = sorted((x(0.0), x(total)))
    whole = f"{found.piece.name} less {found.first.name}"
    rows.append(
        Step(
            whole,
            _in_lines(whole),
            signed_span(total),
            "whole",
            TOP + len(parts) * ROW,
            ends[0],
            ends[1] - ends[0],
            x(total),
            None,
        )
    )
    return Steps(WIDTH, TOP + len(rows) * ROW + 4, x(0.0), tuple(rows))


def _in_lines(name: str) -> tuple[str, ...]:
    """A name in two lines at most, as wide as there is room beside the bars."""
    lines = textwrap.wrap(name, LINE)
    return tuple(lines) if len(lines) < 3 else (lines[0], textwrap.shorten(" ".join(lines[1:]), LINE, placeholder=" …"))
