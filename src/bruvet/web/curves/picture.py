"""Small pictures beside the curves, as SVG: lines told apart by letter and pattern, on axes that can be brushed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruvet.core.curves.align import Lag
from bruvet.core.curves.compare import Curve, band_of, minus, pit_distribution, rate_by_temperature, smooth_at
from bruvet.core.curves.measures import Cook
from bruvet.core.trial.terms import ARM_LOOKS
from bruvet.core.units import Units, span_text

FloatArray = NDArray[np.float64]
SPAN_STEPS = (1, 2, 5, 10, 15, 30, 60, 120, 180, 240, 360, 480, 720)
AXIS_KINDS = {"time": "span", "share": "percent"}
PLAIN_STEPS = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 25, 50, 100, 200, 500)


@dataclass(frozen=True)
class Line:
    letter: str
    name: str
    dash: str
    path: str
    end: tuple[float, float]
    thin: bool = False


@dataclass(frozen=True)
class Picture:
    """A picture in its own pixels. `axis` is what runs across: `time` (minutes) or `temp` or `pit` (°C).

    `low` and `high` are the stored values at `left` and `right`, so that a stretch marked elsewhere can be marked here.
    """

    key: str
    title: str
    told: str
    axis: str
    low: float
    high: float
    width: float
    height: float
    left: float
    right: float
    top: float
    foot: float
    zero: float | None
    lines: tuple[Line, ...]
    areas: tuple[tuple[str, str], ...]
    across: tuple[tuple[float, str], ...]
    up: tuple[tuple[float, str], ...]


@dataclass(frozen=True)
class Given:
    """One line to draw: whose it is, its name, its stored values, and whether it is one of several."""

    letter: str
    name: str
    curve: Curve
    thin: bool = False


Words = Callable[[float], str]


def draw(
    key: str,
    title: str,
    told: str,
    axis: str,
    given: Sequence[Given],
    units: Units,
    kind: str,
    *,
    bands: Sequence[tuple[str, FloatArray, FloatArray, FloatArray]] = (),
    through_zero: bool = False,
    size: tuple[float, float] = (720.0, 220.0),
    span: tuple[float, float] | None = None,
    height_of: tuple[float, float] | None = None,
) -> Picture | None:
    """Lay lines out on shared axes; None when nothing can be told.

    Parameters
    ----------
    axis : `time`, `temp` or `pit`
    kind : `temp`, `step`, `rate`, `span` or `share`, the quantity that runs up.
    bands : (letter, x, low, high) to fill.
    span, height_of : the axes' bounds in stored units, where pictures must share them.
    """
    known = [one for one in given if np.isfinite(one.curve.y).sum() > 1]
    if not known:
        return None
    xs = np.concatenate([one.curve.x[np.isfinite(one.curve.y)] for one in known])
    ys = np.concatenate(
        [one.curve.y[np.isfinite(one.curve.y)] for one in known] + [b[2] for b in bands] + [b[3] for b in bands]
    )
    low_x, high_x = span or (float(xs.min()), float(xs.max()))
    low_y, high_y = height_of or (float(ys.min()), float(ys.max()))
    if through_zero:
        low_y, high_y = min(low_y, 0.0), max(high_y, 0.0)
    width, height = size
    left, right, top, foot = 56.0, width - 34.0, 8.0, height - 26.0
    room_x, room_y = max(high_x - low_x, 1e-6), max(high_y - low_y, 1e-6)

    def x(value: FloatArray | float) -> FloatArray:
        return np.asarray(np.round(left + (np.asarray(value) - low_x) / room_x * (right - left), 1))

    def y(value: FloatArray | float) -> FloatArray:
        return np.asarray(np.round(foot - (np.asarray(value) - low_y) / room_y * (foot - top), 1))

    lines = []
    for one in known:
        path, end = _path(x(one.curve.x), y(one.curve.y), np.isfinite(one.curve.y))
        dash = " ".join(str(part) for part in ARM_LOOKS[one.letter].dash)
        lines.append(Line(one.letter, one.name, dash, path, end, one.thin))
    areas = []
    for letter, band_x, low, high in bands:
        upper = [f"{a:g} {b:g}" for a, b in zip(x(band_x), y(high), strict=True)]
        lower = [f"{a:g} {b:g}" for a, b in zip(x(band_x), y(low), strict=True)]
        areas.append((letter, "M" + "L".join(upper + lower[::-1]) + "Z"))
    across = _ticks(low_x, high_x, AXIS_KINDS.get(axis, "temp"), units, room=9)
    up = _ticks(low_y, high_y, kind, units, room=6)
    return Picture(
        key, title, told, axis, low_x, high_x, width, height, left, right, top, foot,
        float(y(0.0)) if through_zero else None,
        tuple(lines), tuple(areas),
        tuple((float(x(value)), word) for value, word in across),
        tuple((float(y(value)), word) for value, word in up),
    )  # fmt: skip


def _path(x: FloatArray, y: FloatArray, known: NDArray[np.bool_]) -> tuple[str, tuple[float, float]]:
    """A path that is broken where nothing is known, and its last point."""
    parts: list[str] = []
    pen = "M"
    for a, b, here in zip(x, y, known, strict=True):
        if here:
            parts.append(f"{pen}{a:g} {b:g}")
            pen = "L"
        else:
            pen = "M"
    last = int(np.flatnonzero(known)[-1])
    return "".join(parts), (float(x[last]), float(y[last]))


def _ticks(low: float, high: float, kind: str, units: Units, room: int) -> list[tuple[float, str]]:
    """Round places of an axis with their words, in the person's units."""
    to_shown: Callable[[float], float]
    to_stored: Callable[[float], float]
    step: float
    match kind:
        case "span":
            step = next((s for s in SPAN_STEPS if (high - low) / s <= room), SPAN_STEPS[-1])
            return [(float(m), span_text(m)) for m in np.arange(np.ceil(low / step) * step, high + 1e-6, step)]
        case "temp":
            to_shown, to_stored, words = units.temp_shown, units.temp_stored, "{:.0f}°"
        case "percent":
            to_shown, to_stored, words = lambda v: v, lambda v: v, "{:g} %"
        case "share":
            to_shown, to_stored, words = lambda v: 100 * v, lambda v: v / 100, "{:g} %"
        case _:
            ratio = units.step_shown(1.0)
            to_shown, to_stored, words = lambda v: v * ratio, lambda v: v / ratio, "{:g}"
    first, last = float(to_shown(low)), float(to_shown(high))
    step = next((s for s in PLAIN_STEPS if (last - first) / s <= room), PLAIN_STEPS[-1])
    values = np.arange(np.ceil(first / step - 1e-9) * step, last + 1e-9, step)
    return [(float(to_stored(float(v))), words.format(round(float(v), 4) + 0.0).replace("-", "−")) for v in values]


def lag_picture(lags: Sequence[tuple[str, str, Lag]], first: str, units: Units) -> Picture | None:
    given = [Given(letter, name, Curve(found.level_c, found.minutes)) for letter, name, found in lags]
    told = (
        f"Hours and minutes behind {first} when each first passed a temperature, both from their own meat on. "
        "Where the line climbs, time is being lost; where it is level, none is."
    )
    title = "How far behind, at each temperature"
    return draw("lag", title, told, "temp", given, units, "span", through_zero=True)


def minus_picture(cooks: Sequence[Cook], shifts: Sequence[float], words: str, units: Units) -> Picture | None:
    first, *others = cooks
    given = [
        Given(cook.letter, cook.name, minus(cook, first, shift - shifts[0]))
        for cook, shift in zip(others, shifts[1:], strict=True)
    ]
    told = f"{units.degree} warmer (above the line) or colder inside than {first.name} at the same minute from {words}."
    return draw("minus", f"Inside, less {first.name}", told, "time", given, units, "step", through_zero=True)


def rate_picture(cooks: Sequence[Cook], units: Units) -> Picture | None:
    given = [Given(cook.letter, cook.name, rate_by_temperature(cook)) for cook in cooks]
    told = f"{units.degree} an hour when it first passed each temperature inside. The trough is the stall."
    return draw("rate", "Rate of rise at each temperature", told, "temp", given, units, "rate", through_zero=True)


def pit_picture(cooks: Sequence[Cook], units: Units) -> Picture | None:
    given = [Given(cook.letter, cook.name, pit_distribution(cook)) for cook in cooks]
    told = f"Share of the time from meat on to pull that the pit spent at each temperature, by {units.step_text(2.0)}."
    return draw("pit", "Where the pits stood", told, "pit", given, units, "share", through_zero=True)


def band_picture(arms: Sequence[tuple[str, Sequence[Cook]]], units: Units) -> Picture | None:
    """Arms with several pieces: the range as a band, each cook thin, the mean as the arm's line."""
    given, bands = [], []
    for letter, cooks in arms:
        if len(cooks) > 1:
            spread = band_of(cooks)
            if len(spread.x):
                bands.append((letter, spread.x, spread.low, spread.high))
                given.append(Given(letter, f"{letter}, mean", Curve(spread.x, spread.mean)))
        given += [Given(letter, cook.name, _inside(cook), len(cooks) > 1) for cook in cooks]
    if not bands:
        return None
    told = "Arms with several pieces: the band runs from the coldest to the hottest, the heavy line is their mean."
    return draw("band", "Like pieces together", told, "time", given, units, "temp", bands=bands)


def small_pictures(cooks: Sequence[Cook], units: Units) -> tuple[Picture, ...]:
    """Each cook by itself, inside and pit, all on the same axes."""
    curves = [(cook, _inside(cook), _thinned(cook)) for cook in cooks]
    ends = [c.x[-1] for _, *both in curves for c in both if len(c.x)]
    tops = [np.nanmax(c.y) for _, *both in curves for c in both if np.isfinite(c.y).any()]
    lows = [np.nanmin(c.y) for _, inside, _ in curves for c in (inside,) if np.isfinite(c.y).any()]
    if not ends or not lows:
        return ()
    out = []
    for cook, inside, pit in curves:
        given = [Given(cook.letter, cook.name, inside), Given(cook.letter, f"{cook.name} pit", pit, True)]
        picture = draw(
            f"small-{cook.name}", cook.name, "", "time", given, units, "temp", size=(356.0, 150.0),
            span=(0.0, float(max(ends))), height_of=(float(min(lows)), float(max(tops))),
        )  # fmt: skip
        if picture is not None:
            out.append(picture)
    return tuple(out)


def _inside(cook: Cook, step_min: float = 3.0) -> Curve:
    last = float(cook.curve.t_min[-1]) if len(cook.curve.t_min) else 0.0
    minutes = np.arange(0.0, last + step_min / 2, step_min)
    return Curve(minutes, smooth_at(cook, minutes, step_min))


def _thinned(cook: Cook, step_min: float = 3.0) -> Curve:
    inside = cook.pit_t_min >= 0
    t, y = cook.pit_t_min[inside], cook.pit_c[inside]
    if len(t) < 2:
        return Curve(np.zeros(0), np.zeros(0))
    minutes = np.arange(t[0], t[-1], step_min)
    return Curve(minutes, np.interp(minutes, t, y))


def series_given(found: dict[str, Any], hidden: set[str], units: Units) -> list[Given]:
    """The canvas's series as lines to draw, in stored units, but for those that are hidden."""
    x = np.array(found["x"], float)
    out = []
    for one in found["series"]:
        if str(one["id"]) not in hidden:
            shown = np.array([np.nan if value is None else value for value in one["values"]], float)
            known = np.isfinite(shown)
            # Between the probes' own times there is nothing; a gap is longer than that.
            curve = Curve(x[known], np.asarray(units.temp_stored(shown[known])))
            out.append(Given(one["arm"], one["label"], _with_gaps(curve), one["pit"]))
    return out


def _with_gaps(curve: Curve) -> Curve:
    """A break wherever two points are more than six times the usual distance apart."""
    if len(curve.x) < 3:
        return curve
    wide = np.flatnonzero(np.diff(curve.x) > 6 * np.median(np.diff(curve.x))) + 1
    return Curve(np.insert(curve.x, wide, np.nan), np.insert(curve.y, wide, np.nan))
