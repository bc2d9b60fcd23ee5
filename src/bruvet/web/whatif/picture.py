"""The picture of forecasts: for each case its band, its middle, its stall and its finish; pits as thin lines."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bruvet.core.trial.terms import ARM_LOOKS
from bruvet.core.twin.forecast import Forecast
from bruvet.core.units import Units

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 660.0, 400.0, 46.0, 14.0, 14.0, 30.0
MARKER_EVERY = 0.62
LONGEST_H = 40.0


@dataclass(frozen=True)
class CaseLines:
    """One case, in the picture's own units; `finish` is (left, middle, right, y), with the right end open as None."""

    letter: str
    marker: str
    dash: str
    band: str
    middle: str
    pit: str
    stall: str
    spot: tuple[float, float]
    finish: tuple[float, float, float | None, float] | None


@dataclass(frozen=True)
class Picture:
    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    hours: tuple[tuple[float, str], ...]
    temps: tuple[tuple[float, str], ...]
    danger: tuple[float, float]
    cases: tuple[CaseLines, ...]


def draw(told: Sequence[tuple[str, Forecast]], units: Units) -> Picture:
    """Lay out the picture of some forecasts by the letter of their case."""
    ends = [f.done_min.p90 or 1.15 * (f.done_min.p50 or 0) if f.done_min else f.t_min[-1] for _, f in told]
    last_h = float(np.clip(max(ends) / 60 * 1.04, 1.0, LONGEST_H))
    # The middle of the latest finish keeps at least half the width; a long tail is cut at the edge.
    middles = [f.done_min.p50 or f.t_min[-1] for _, f in told if f.done_min]
    if middles:
        last_h = min(last_h, max(middles) / 60 * 1.8)
    top_c = max(100.0, *(float(f.pit_c.max()) for _, f in told)) + 6.0

    def x(minute: float) -> float:
        return round(LEFT + min(minute / 60 / last_h, 1.0) * (WIDTH - LEFT - RIGHT), 1)

    def y(temp_c: float) -> float:
        return round(HEIGHT - BOTTOM - temp_c / top_c * (HEIGHT - TOP - BOTTOM), 1)

    def path(minutes: np.ndarray, temps: np.ndarray) -> str:
        return "M" + "L".join(f"{x(m)} {y(t)}" for m, t in zip(minutes.tolist(), temps.tolist(), strict=True))

    cases = []
    for letter, f in told:
        look = ARM_LOOKS[letter]
        shown = f.t_min <= last_h * 60
        t = f.t_min[shown]
        there = path(t, f.p90_c[shown])
        back = "L".join(f"{x(m)} {y(v)}" for m, v in zip(t[::-1].tolist(), f.p10_c[shown][::-1].tolist(), strict=True))
        stalled = (t >= f.stall.onset_min) & (t <= f.stall.end_min) if f.stall else np.zeros(len(t), bool)
        middle_end = (f.done_min.p50 if f.done_min else None) or float(t[-1])
        place = int(MARKER_EVERY * ((t <= middle_end).sum() - 1))
        finish = None
        if f.done_min and f.done_min.p50:
            right = x(f.done_min.p90) if f.done_min.p90 and f.done_min.p90 <= last_h * 60 else None
            level = HEIGHT - BOTTOM - 8.0 - 13.0 * "ABCD".index(letter)
            finish = (x(f.done_min.p10 or 0), x(f.done_min.p50), right, level)
        cases.append(
            CaseLines(
                letter=letter,
                marker=look.marker,
                dash=" ".join(str(d) for d in look.dash),
                band=f"{there}L{back}Z",
                # The middle ends where the middle piece is pulled.
                middle=path(t[t <= middle_end], f.p50_c[shown][t <= middle_end]),
                pit=path(t, f.pit_c[shown]),
                stall=path(t[stalled], f.typical_c[shown][stalled]) if stalled.sum() > 1 else "",
                spot=(x(float(t[place])), y(float(f.p50_c[shown][place]))),
                finish=finish,
            )
        )
    each = next(step for step in (1, 2, 3, 4, 6, 8) if last_h / step <= 12 or step == 8)
    hours = tuple((x(h * 60.0), f"{h} h") for h in range(0, int(last_h) + 1, each))
    ticks = range(50, 500, 50) if units.temp == "f" else range(0, 250, 20)
    temps = tuple(
        (y(float(units.temp_stored(float(tick)))), f"{tick}{units.degree}")
        for tick in ticks
        if 0 <= units.temp_stored(float(tick)) <= top_c
    )
    return Picture(
        WIDTH, HEIGHT, LEFT, WIDTH - RIGHT, TOP, HEIGHT - BOTTOM, hours, temps, (y(60.0), y(4.0)), tuple(cases)
    )
