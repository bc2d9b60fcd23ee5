"""How far each arm is behind the first at each temperature: lines told apart by letter and pattern."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bruvet.core.curves.align import Lag
from bruvet.core.trial.terms import ARM_LOOKS
from bruvet.core.units import Units, span_text

WIDTH, HEIGHT, LEFT, RIGHT, TOP, FOOT = 720.0, 220.0, 52.0, 34.0, 10.0, 30.0
STEPS_MIN = (5, 10, 15, 30, 60, 120, 240)


@dataclass(frozen=True)
class LagLine:
    letter: str
    dash: str
    path: str
    end: tuple[float, float]


@dataclass(frozen=True)
class LagPicture:
    width: float
    height: float
    left: float
    right: float
    foot: float
    zero: float
    lines: tuple[LagLine, ...]
    across: tuple[tuple[float, str], ...]
    up: tuple[tuple[float, str], ...]


def draw_lags(lags: Sequence[tuple[str, Lag]], units: Units) -> LagPicture | None:
    """Lay the lags out against temperature; None when none can be told."""
    known = [(letter, found, np.isfinite(found.minutes)) for letter, found in lags]
    known = [(letter, found, mask) for letter, found, mask in known if mask.sum() > 1]
    if not known:
        return None
    low_c = min(float(found.level_c[mask][0]) for _, found, mask in known)
    high_c = max(float(found.level_c[mask][-1]) for _, found, mask in known)
    values = np.concatenate([found.minutes[mask] for _, found, mask in known])
    low, high = min(float(values.min()), 0.0), max(float(values.max()), 0.0)
    room = max(high - low, 10.0)

    def x(level: float) -> float:
        return round(LEFT + (level - low_c) / max(high_c - low_c, 1.0) * (WIDTH - LEFT - RIGHT), 1)

    def y(minutes: float) -> float:
        return round(HEIGHT - FOOT - (minutes - low) / room * (HEIGHT - FOOT - TOP), 1)

    lines = []
    for letter, found, mask in known:
        points = [(x(float(a)), y(float(b))) for a, b in zip(found.level_c[mask], found.minutes[mask], strict=True)]
        path = "M" + "L".join(f"{a} {b}" for a, b in points)
        lines.append(LagLine(letter, " ".join(str(part) for part in ARM_LOOKS[letter].dash), path, points[-1]))
    step = next((s for s in STEPS_MIN if room / s <= 6), STEPS_MIN[-1])
    first = int(np.ceil(low / step)) * step
    up = tuple((y(m), span_text(m)) for m in range(first, int(low + room) + 1, step))
    shown_low, shown_high = units.temp_shown(low_c), units.temp_shown(high_c)
    each = 20 if shown_high - shown_low > 100 else 10
    marks = range(int(np.ceil(shown_low / each)) * each, int(shown_high) + 1, each)
    across = tuple((x(units.temp_stored(float(mark))), f"{mark}°") for mark in marks)
    return LagPicture(WIDTH, HEIGHT, LEFT, WIDTH - RIGHT, HEIGHT - FOOT, y(0.0), tuple(lines), across, up)
