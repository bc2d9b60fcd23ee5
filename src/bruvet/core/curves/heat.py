"""What heat did to a piece, and what its pit did: measures beyond the clock."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from .align import cooking_curve, passed
from .clean import merged
from .findings import first_mark
from .measures import Cook, Figure, Wood, unknown, wrapped_minutes
from .pit import lid_dips

FloatArray = NDArray[np.float64]

GAS_J_MOL_K = 8.314462618
# Collagen turning to gelatin: activation energy of hydrolysis in heated muscle, value from memory; sources give some
# 120 to 200 kJ/mol, so compare arms with it and do not read it as an absolute.
COLLAGEN_J_MOL = 160_000.0
REFERENCE_C = 80.0
SLOWEST_C = 55.0
BANDS_C = ((10.0, 60.0), (60.0, 71.0), (71.0, 82.0), (82.0, 99.0))
LEVELS_C = (60.0, 71.0, 82.0)
LONGEST_STEP_MIN = 10.0
SHORTEST_FOR_SWING_MIN = 90.0
RECOVERED_C = 3.0
WOOD_BURNS_MIN = 45.0
SPRITZ_KEEPS_MIN = 15.0
DRY_INSIDE_C = 77.0
LONGEST_RECOVERY_MIN = 60.0
LONGEST_FALL_MIN = 20.0
UNMARKED_DIP_C = 15.0


@dataclass(frozen=True)
class LidCost:
    """One opening: how deep the pit fell, how long until it was back, and what that cost in °C·h.

    `marked` is False where nobody logged it and the pit alone tells.
    """

    at_min: float
    dip_c: float
    back_min: float | None
    cost_c_h: float
    marked: bool = True


@dataclass(frozen=True)
class HeatMeasures:
    """Figures of one cook; those that cannot be known say why.

    Attributes
    ----------
    rate : by band of °C, mean °C per hour from its foot to its top.
    above : by °C, minutes spent at or above it.
    collagen_min : minutes at 80 °C that would have changed collagen as much (Arrhenius).
    offered_c_h : pit less meat, integrated over the cook.
    swing : period in minutes and size (half of top to bottom, °C) of the pit's regular swing.
    """

    rate: dict[tuple[float, float], Figure]
    above: dict[float, Figure]
    danger: Figure
    collagen_min: Figure
    offered_c_h: Figure
    pit_bias: Figure
    pit_low: Figure
    pit_high: Figure
    swing_period: Figure
    swing_size: Figure
    lids: tuple[LidCost, ...]
    lid_back: Figure
    carry_over: Figure
    smoke: Figure
    sprays: Figure
    looks: Figure
    wrapped_share: Figure
    fuel_kg: Figure
    cost: Figure


def collagen_minutes(t_min: FloatArray, temp_c: FloatArray) -> float:
    """Equivalent minutes at 80 °C of a temperature history.

    Parameters
    ----------
    t_min, temp_c : arrays, shape (n,)
        In order of time; a straight line between readings.

    Notes
    -----
    Arrhenius: exp(E/R (1/T_ref - 1/T)) integrated by the trapezoidal rule, nothing below 55 °C.
    """
    if len(t_min) < 2:
        return 0.0
    fine = np.arange(t_min[0], t_min[-1] + 1e-9, 0.5)
    temp = np.interp(fine, t_min, temp_c)
    factor = np.exp(COLLAGEN_J_MOL / GAS_J_MOL_K * (1 / (REFERENCE_C + 273.15) - 1 / (temp + 273.15)))
    return float(np.trapezoid(np.where(temp >= SLOWEST_C, factor, 0.0), fine))


def heat_measures(cook: Cook) -> HeatMeasures:
    """All of them, from the cleaned curve between meat on and pull."""
    t, y = cooking_curve(cook)
    none = unknown("no internal readings")
    known = len(t) >= 2
    pit_t, pit_c = pit_of(cook)
    lids = _lids(cook, pit_t, pit_c)
    back = [lid.back_min for lid in lids if lid.back_min is not None]
    return HeatMeasures(
        rate={band: _rate(cook, band) for band in BANDS_C},
        above={level: Figure(_time_where(t, y >= level)) if known else none for level in LEVELS_C},
        danger=Figure(_time_where(t, (y >= 4.0) & (y < 60.0))) if known else none,
        collagen_min=Figure(collagen_minutes(t, y)) if known else none,
        offered_c_h=_offered(t, y, pit_t, pit_c),
        **_pit_figures(cook, pit_t, pit_c),
        lids=lids,
        lid_back=Figure(float(np.median(back))) if back else unknown("no opening told on the pit"),
        carry_over=_carry_over(cook),
        smoke=smoke_time(cook),
        sprays=Figure(float(sum(mark.kind == "spritz" for mark in cook.marks))),
        looks=Figure(float(len(cook.looks))),
        wrapped_share=_wrapped_share(cook),
        fuel_kg=unknown("no fuel was weighed") if cook.fuel_kg is None else Figure(cook.fuel_kg),
        cost=_cost(cook),
    )


def smoke_time(cook: Cook) -> Figure:
    """Minutes in which the piece took smoke: bare, wood burning, and its surface still moist.

    Wood that was put on burns for 45 min; where only the plan names it, it is taken to burn from meat on. The surface
    is moist until the bark was first seen set, or the inside passes 77 °C, and for 15 min after each spritz (ours).
    """
    pulled = first_mark(cook.marks, "pull")
    if pulled is None:
        return unknown("no pull was marked")
    if cook.wood is Wood.NOT_NOTED:
        return unknown("no wood was noted")
    grid = np.arange(0.5, max(pulled, 1.0), 1.0)
    bare = np.ones(len(grid), bool)
    for mark in sorted(cook.marks, key=lambda m: m.at_min):
        if mark.kind in ("wrap", "unwrap"):
            bare[grid >= mark.at_min] = mark.kind == "unwrap" or mark.detail == "none"
    added = [mark.at_min for mark in cook.marks if mark.kind == "wood"]
    burning = np.ones(len(grid), bool)
    if cook.wood is Wood.PIECES and added:
        burning = np.any([(grid >= at) & (grid <= at + WOOD_BURNS_MIN) for at in added], axis=0)
    dry_at = cook.bark_set_min
    if dry_at is None:
        at = passed(cook, np.array([DRY_INSIDE_C]))[0]
        dry_at = float(at) if np.isfinite(at) else pulled
    moist = grid < dry_at
    for mark in cook.marks:
        if mark.kind == "spritz":
            moist |= (grid >= mark.at_min) & (grid <= mark.at_min + SPRITZ_KEEPS_MIN)
    return Figure(float((bare & burning & moist).sum()))


def _wrapped_share(cook: Cook) -> Figure:
    """Wrapped minutes over the minutes from meat on to the pull."""
    pulled = first_mark(cook.marks, "pull")
    if pulled is None or pulled <= 0:
        return unknown("no pull was marked")
    return Figure(wrapped_minutes(cook.marks, pulled) / pulled)


def _cost(cook: Cook) -> Figure:
    """Meat bought and fuel weighed, at the prices given on the supplies page; whichever of the two is known."""
    meat, fuel = cook.prices
    parts = [price * kg for price, kg in ((meat, cook.raw_kg or cook.trimmed_kg), (fuel, cook.fuel_kg)) if price and kg]
    return Figure(sum(parts)) if parts else unknown("no price was given, or nothing was weighed")


def _time_where(t: FloatArray, mask: NDArray[np.bool_]) -> float:
    """Minutes for which a mask holds; a reading stands for the time around it, ten minutes at most."""
    return float((np.minimum(np.gradient(t), LONGEST_STEP_MIN) * mask).sum())


def _rate(cook: Cook, band: tuple[float, float]) -> Figure:
    low, high = passed(cook, np.array(band))
    if not np.isfinite([low, high]).all() or high <= low:
        return unknown("not passed in the readings")
    if any(low < jump.at_min <= high for jump in cook.cooking.jumps):
        return unknown("the probe was moved in between")
    return Figure(float((band[1] - band[0]) / (high - low) * 60))


def pit_of(cook: Cook) -> tuple[FloatArray, FloatArray]:
    """A cook's pit by the minute from meat on to the pull."""
    pulled = first_mark(cook.marks, "pull")
    inside = (cook.pit_t_min >= 0) & (cook.pit_t_min <= (pulled if pulled is not None else np.inf))
    return merged(cook.pit_t_min[inside], cook.pit_c[inside])


def _offered(t: FloatArray, y: FloatArray, pit_t: FloatArray, pit_c: FloatArray) -> Figure:
    if len(t) < 2 or len(pit_t) < 2:
        return unknown("needs readings of the meat and of the pit")
    low, high = max(t[0], pit_t[0]), min(t[-1], pit_t[-1])
    grid = np.arange(low, high, 1.0)
    if len(grid) < 2:
        return unknown("the readings of meat and pit do not meet")
    excess = np.maximum(np.interp(grid, pit_t, pit_c) - np.interp(grid, t, y), 0.0)
    return Figure(float(np.trapezoid(excess, grid)) / 60)


def _pit_figures(cook: Cook, t: FloatArray, y: FloatArray) -> dict[str, Figure]:
    names = ("pit_bias", "pit_low", "pit_high", "swing_period", "swing_size")
    if len(t) < 10:
        return dict.fromkeys(names, unknown("too few pit readings"))
    weight = np.minimum(np.gradient(t), LONGEST_STEP_MIN)
    mean = float(np.average(y, weights=weight))
    bias = unknown("the arm has no pit target") if cook.pit_target_c is None else Figure(mean - cook.pit_target_c)
    low, high = np.percentile(y, (1, 99))
    period, size = swing(t, y)
    return dict(zip(names, (bias, Figure(float(low)), Figure(float(high)), period, size), strict=True))


def swing(t_min: FloatArray, temp_c: FloatArray) -> tuple[Figure, Figure]:
    """Period (minutes) and size (°C, half of top to bottom) of a pit's regular swing.

    Notes
    -----
    The first peak of the autocorrelation of what is left when the level of an hour and a half is taken away; a pit
    whose peak is below 0.25 has no regular swing. Size is the square root of twice the variance, that of a sine.
    """
    nothing = unknown("too short for a swing"), unknown("too short for a swing")
    if len(t_min) < 30 or t_min[-1] - t_min[0] < SHORTEST_FOR_SWING_MIN:
        return nothing
    grid = np.arange(t_min[0], t_min[-1], 1.0)
    level = np.interp(grid, t_min, temp_c)
    width = 91
    padded = np.pad(level, width // 2, mode="edge")
    rest = level - np.convolve(padded, np.ones(width) / width, mode="valid")[: len(level)]
    spread = rest.var()
    if spread < 0.25:
        return unknown("a steady pit"), unknown("a steady pit")
    most = min(90, len(rest) // 3)
    # Padded, so that its end does not meet its beginning.
    spectrum = np.abs(np.fft.rfft(rest, 2 * len(rest))) ** 2
    alike = np.fft.irfft(spectrum)[:most] / (len(rest) - np.arange(most)) / spread
    peaks = [k for k in range(4, most - 1) if alike[k] >= alike[k - 1] and alike[k] > alike[k + 1] and alike[k] > 0.25]
    if not peaks:
        return unknown("no regular swing"), unknown("no regular swing")
    return Figure(float(max(peaks, key=lambda k: alike[k] - 0.002 * k))), Figure(float(np.sqrt(2 * spread)))


def _lid_times(cook: Cook) -> list[float]:
    """When it was opened: marked, or seen into; what was done within three minutes was done at one opening."""
    marked = [mark.at_min for mark in cook.marks if mark.kind in ("lid", "spritz", "wrap")]
    out: list[float] = []
    for at in sorted(at for at in (*marked, *cook.looks) if at > 0):
        if not out or at - out[-1] > 3.0:
            out.append(at)
    return out


def _lids(cook: Cook, t: FloatArray, y: FloatArray) -> tuple[LidCost, ...]:
    """Openings that told on the pit, in order: those marked, and dips as an opened lid makes that nobody marked."""
    times = _lid_times(cook)
    found = [cost for at, end in pairwise([*times, np.inf]) if (cost := _lid(at, t, y, end)) is not None]
    if len(t) < SHORTEST_FOR_SWING_MIN:
        return tuple(found)
    grid = np.arange(t[0], t[-1] + 0.5, 1.0)
    for dip in lid_dips(grid, np.interp(grid, t, y)):
        known = any(dip.start_min - 15.0 <= at <= dip.end_min + 3.0 for at in times)
        if not known and dip.depth_c > UNMARKED_DIP_C:
            cost = _lid(dip.start_min - 2.0, t, y)
            found += [] if cost is None or cost.dip_c < UNMARKED_DIP_C else [replace(cost, marked=False)]
    return tuple(sorted(found, key=lambda lid: lid.at_min))


def _lid(at: float, t: FloatArray, y: FloatArray, before_min: float = np.inf) -> LidCost | None:
    """What one opening did to the pit before the next; None when there are no readings around it, or it did nothing.

    What goes on falling for more than 20 min, or was falling before, is the fire's, not the lid's.
    """
    spacing = float(np.median(np.diff(t))) if len(t) > 1 else 1.0
    before = (t >= at - max(12.0, 4 * spacing)) & (t < at - 0.5)
    after = (t >= at) & (t <= at + LONGEST_RECOVERY_MIN) & (t < before_min)
    soon = after & (t <= at + LONGEST_FALL_MIN)
    if before.sum() < 3 or after.sum() < 3 or soon.sum() < 2:
        return None
    level = float(np.median(y[before]))
    lowest = float(y[soon].min())
    if level - lowest < RECOVERED_C or float(y[after].min()) < lowest - RECOVERED_C:
        return None
    foot = float(t[soon][np.argmin(y[soon])])
    home = t[after][(t[after] > foot) & (y[after] >= level - RECOVERED_C)]
    back = float(home[0]) if len(home) else None
    until = after & (t <= (np.inf if back is None else back))
    missing = np.maximum(level - y[until], 0.0)
    return LidCost(at, level - lowest, None if back is None else back - at, float(np.trapezoid(missing, t[until])) / 60)


def _carry_over(cook: Cook) -> Figure:
    """How much higher the inside went after the pull."""
    pulled = first_mark(cook.marks, "pull")
    if pulled is None:
        return unknown("no pull was marked")
    near = (cook.t_min >= pulled - 5) & (cook.t_min <= pulled + 1) & np.isfinite(cook.temp_c)
    after = (cook.t_min > pulled) & (cook.t_min < pulled + 120) & np.isfinite(cook.temp_c) & (cook.temp_c < 115)
    if not near.any() or after.sum() < 5:
        return unknown("no readings while it rested")
    return Figure(float(cook.temp_c[after].max() - np.median(cook.temp_c[near])))
