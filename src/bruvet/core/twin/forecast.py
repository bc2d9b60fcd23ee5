"""What the twin says of a case: bands of temperature, finish, yield and fuel, the stall, and the hours in danger."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bruvet.core.curves.stall import find_stalls
from bruvet.core.thermal.cooker import burnt_kg
from bruvet.core.thermal.cuts import CUTS
from bruvet.core.thermal.engine import Course, Pieces, Run, cook
from bruvet.core.thermal.meat import LEAN, expressible, rendered

from .case import Case, Rest
from .course import course_of
from .draws import INDEX, SPREAD, grid_of, pieces_of, standard
from .during import condition, probe_at
from .resting import rested

FloatArray = NDArray[np.float64]

DRAWS = 256
GIVE_UP_MIN = 2400.0
DANGER_LOW_C, DANGER_TOP_C = 4.0, 60.0
QUANTILES = (10.0, 50.0, 90.0)
BURN_SPREAD = 0.2


@dataclass(frozen=True)
class Band:
    """10, 50 and 90 % of the draws; a bound that is never reached is None."""

    p10: float | None
    p50: float | None
    p90: float | None


@dataclass(frozen=True)
class StallTold:
    onset_min: float
    end_min: float
    temp_c: float


@dataclass(frozen=True)
class RestTold:
    """Highest temperature after the pull, temperature at the rest's end, and minutes until it is below 57 °C."""

    peak_c: Band
    end_c: Band
    below_hot_min: float | None


@dataclass(frozen=True)
class Forecast:
    """The twin's answer.

    Attributes
    ----------
    t_min, p10_c, p50_c, p90_c : arrays, shape (times,)
        The band of what the probe will read, every few minutes.
    done_min : Band or None
        None when more than half the draws never get there; `reason` then says why.
    typical_c : array, shape (times,)
        The middle draw alone, which has the stall that a band blurs.
    draws, done_draws : arrays, shape (draws, dimensions) and (draws,)
        The draws themselves, and the minute at which each is done; infinite where it never is.
    """

    t_min: FloatArray
    p10_c: FloatArray
    p50_c: FloatArray
    p90_c: FloatArray
    typical_c: FloatArray
    pit_c: FloatArray
    done_min: Band | None
    reason: str
    stall: StallTold | None
    yield_share: Band
    fuel_kg: Band
    danger_min: float | None
    rest: RestTold | None
    draws: FloatArray
    done_draws: FloatArray


def band(values: FloatArray) -> Band:
    """10, 50 and 90 % of values, of which infinite ones are never reached."""
    found = np.percentile(values, QUANTILES, method="inverted_cdf")
    return Band(*(float(v) if np.isfinite(v) else None for v in found))


def crossing(t_min: FloatArray, curves_c: FloatArray, level_c: float) -> FloatArray:
    """First minute at which each curve, shape (times, draws), passes a level; infinite where it never does."""
    above = curves_c >= level_c
    first = above.argmax(axis=0)
    columns = np.arange(curves_c.shape[1])
    reached = above[first, columns]
    earlier = np.maximum(first - 1, 0)
    low, high = curves_c[earlier, columns], curves_c[first, columns]
    share = np.where(high > low, (level_c - low) / np.where(high > low, high - low, 1.0), 0.0)
    at = t_min[earlier] + np.clip(share, 0, 1) * (t_min[first] - t_min[earlier])
    return np.where(reached, at, np.inf)


def stretched(z: FloatArray, now_min: float, minutes: FloatArray) -> FloatArray:
    """Minutes, shape (draws,), with what the model itself may be wrong by: a share of the time still to come."""
    return now_min + (minutes - now_min) * np.exp(SPREAD["model"] * z[:, INDEX["model"]])


def forecast(
    case: Case,
    at_min: Sequence[float] = (),
    prior: FloatArray | None = None,
    draws: int = DRAWS,
) -> Forecast:
    """Tell a cook ahead, from meat on or from its readings so far.

    Parameters
    ----------
    case : Case
    at_min : sequence of float
        The cook is gone on with at least until the last of these.
    prior : array, shape (draws, dimensions), optional
        Draws to begin from, as learning gives them; the standard ones otherwise.
    """
    z = condition(case, standard(draws) if prior is None else prior)
    return told(case, z, last_reading(case), at_min)


def last_reading(case: Case) -> float:
    """Minute of the last reading, 0 when there is none."""
    return case.readings[-1][0] if case.readings else 0.0


def run_of(
    case: Case, z: FloatArray, at_least_min: float = 0.0, before: Case | None = None, turn_min: float = 0
) -> Run:
    """All draws of a case, to the last one done; with `before`, that case is followed until the turn."""
    course = course_of(case, GIVE_UP_MIN)
    if before is None:
        return cook(grid_of(case), pieces_of(case, z), course, GIVE_UP_MIN, case.until_c, at_least_min=at_least_min)
    first = cook(grid_of(before), pieces_of(before, z), course_of(before, turn_min), turn_min)
    then = cook(
        *(grid_of(case), pieces_of(case, z), course, GIVE_UP_MIN, case.until_c),
        begin=first.end,
        begin_min=turn_min,
        at_least_min=at_least_min,
    )
    return first.followed_by(then)


def told(
    case: Case,
    z: FloatArray,
    now_min: float,
    at_min: Sequence[float] = (),
    before: Case | None = None,
) -> Forecast:
    """The forecast of draws that have been conditioned already.

    Parameters
    ----------
    now_min : float
        What is before this minute is known.
    before : Case, optional
        What was done until `now_min`, when `case` is another course from there on.
    """
    pieces = pieces_of(case, z)
    course = course_of(case, GIVE_UP_MIN)
    run = run_of(case, z, max(at_min, default=0.0) * 1.3, before, now_min)
    raw_done, done = _finish(case, run, z, now_min)
    finish = band(done)
    until = finish.p90 or (finish.p50 or run.t_min[-1]) * 1.1
    last = min(max(until, max(at_min, default=0.0), now_min), float(run.t_min[-1]))
    minutes = np.unique(np.concatenate([np.arange(0.0, last, 5.0), [last], np.asarray(at_min, float)]))
    curves = read_at(run, z, now_min, minutes)
    low, middle, high = np.percentile(curves, QUANTILES, axis=1)
    reason = "" if finish.p50 is not None else _never(case, run)
    level = np.where(np.isfinite(raw_done), raw_done, run.t_min[-1])
    typical = probe_at(run, z, minutes)[:, 0]
    pit = course.pit_c[np.minimum(minutes.astype(int), len(course.pit_c) - 1)]
    return Forecast(
        t_min=minutes,
        p10_c=low,
        p50_c=middle,
        p90_c=high,
        typical_c=typical,
        pit_c=pit,
        done_min=finish if finish.p50 is not None else None,
        reason=reason,
        stall=_stall(case, course, run, float(level[0])),
        yield_share=band(_yield(case, pieces, run, level)),
        fuel_kg=band(_fuel(case, course, z, np.minimum(np.where(np.isfinite(done), done, level), GIVE_UP_MIN))),
        danger_min=_danger(run),
        rest=_rested(case, case.rest, z, pieces, run) if case.rest and run.at_done else None,
        draws=z,
        done_draws=done,
    )


def _finish(case: Case, run: Run, z: FloatArray, now_min: float) -> tuple[FloatArray, FloatArray]:
    """Minute at which each draw is done: as the model has it, and with what the model may be wrong by.

    Readings that have passed the mark have the last word; while none has, no draw was done before the last of them.
    """
    seen = np.array(case.readings).reshape(-1, 2)
    passed = crossing(seen[:, 0], seen[:, 1:], case.until_c) if len(seen) else np.array([np.inf])
    if np.isfinite(passed[0]):
        return np.full(len(z), passed[0]), np.full(len(z), passed[0])
    modelled = crossing(run.t_min, run.probe_c, case.until_c)
    if now_min:
        modelled = np.maximum(modelled, now_min + 1.0)
    reached = np.isfinite(modelled)
    return modelled, np.where(reached, stretched(z, now_min, np.where(reached, modelled, 0.0)), np.inf)


def read_at(run: Run, z: FloatArray, now_min: float, minutes: FloatArray) -> FloatArray:
    """What each draw's probe reads at some minutes, shape (minutes, draws), the model's own error included."""
    later = now_min + (minutes[:, None] - now_min) / np.exp(SPREAD["model"] * z[:, INDEX["model"]])
    wanted = np.clip(np.where(minutes[:, None] > now_min, later, minutes[:, None]), 0, run.t_min[-1])
    return probe_at(run, z, wanted)


def _never(case: Case, run: Run) -> str:
    reached = float(np.median(run.probe_c.max(axis=0)))
    return (
        f"{case.until_c:g} °C is not reached within {GIVE_UP_MIN / 60:.0f} h: the piece levels off near {reached:.0f} "
        "°C in this pit; give it a hotter pit, a wrap, or a lower temperature to stop at"
    )


def _stall(case: Case, course: Course, run: Run, done_min: float) -> StallTold | None:
    """The longest stall of the middle draw, by the same judgement that logged curves get."""
    minutes = np.arange(0.0, min(done_min, float(run.t_min[-1])), 1.0)
    if len(minutes) < 60:
        return None
    curve = np.interp(minutes, run.t_min, run.probe_c[:, 0])
    pit = course.pit_c[: len(minutes)]
    found = find_stalls(minutes, curve, minutes, pit)
    if not found.stalls:
        return None
    longest = max(found.stalls, key=lambda s: s.length_min)
    return StallTold(longest.onset_min, longest.end_min, longest.temp_c)


def _at(run: Run, rows: FloatArray, minutes: FloatArray) -> FloatArray:
    index = np.clip(np.searchsorted(run.t_min, minutes), 0, len(run.t_min) - 1)
    return np.asarray(rows[index, np.arange(rows.shape[1])])


def _yield(case: Case, pieces: Pieces, run: Run, minutes: FloatArray) -> FloatArray:
    """Share of the raw weight that is left when done: water gone into the air or squeezed out, and fat run out."""
    bone = CUTS[case.cut].bone
    flesh = pieces.mass_kg * (1 - bone)
    mean = _at(run, run.mean_c, minutes)
    water = LEAN["water"] * (1 - pieces.fat) * flesh
    gone = np.minimum(_at(run, run.lost_kg_m2, minutes) * pieces.area_m2, 0.9 * water)
    squeezed = expressible(mean) * water
    dripped = np.maximum((1 - np.minimum(pieces.arriving, 1.0)) * squeezed, squeezed - gone)
    return np.asarray(1 - (gone + dripped + rendered(mean) * pieces.fat * flesh) / pieces.mass_kg)


def _fuel(case: Case, course: Course, z: FloatArray, minutes: FloatArray) -> FloatArray:
    burnt = burnt_kg(case.cooker, course.pit_c, case.air_c)
    index = np.minimum(minutes.astype(int), len(burnt) - 1)
    return np.asarray(burnt[index] * np.exp(BURN_SPREAD * z[:, INDEX["damp"]]))


def _danger(run: Run) -> float | None:
    """Minutes that the middle of the pieces spends from 4 to 60 °C, half the draws being quicker."""
    spent = crossing(run.t_min, run.probe_c, DANGER_TOP_C) - crossing(run.t_min, run.probe_c, DANGER_LOW_C)
    return band(spent).p50


def _rested(case: Case, rest: Rest, z: FloatArray, pieces: Pieces, run: Run) -> RestTold:
    """Carry-over and cooling, from where each draw stood when it was pulled."""
    assert run.at_done is not None
    t_min, curves = rested(case, rest, pieces, run.at_done)
    below = crossing(t_min, -curves, -57.0)
    middle = band(below).p50
    return RestTold(band(curves.max(axis=0)), band(curves[-1]), middle)
