"""Many pieces cooked at once: one step after another, each piece a draw of what could differ."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from .air import STANDARD_PA, boiling_c
from .air import vapour_pa as humid_pa
from .body import Grid, place_of, solve_all
from .meat import TABLE_FROM_C, TABLE_TOP_C, Tables, fat_by_volume, look_up, tables
from .surface import Around, Wrapped, balance

FloatArray = NDArray[np.float64]
Rows = NDArray[np.intp]

FIRST_STEP_MIN, STEP_GROWTH = 0.1, 1.35
# The longest step goes as the square of the half thickness, as every diffusion does, between these bounds.
STEP_MIN_AT_47_MM, SHORTEST_LONG_STEP_MIN, LONGEST_STEP_MIN = 18.0, 2.0, 18.0
# Water of lean meat, kg/m³; the share of the water lost that goes into a smaller body.
WATER_KG_M3 = 790.0
SHRINKING = 0.6
# A film of water that was sprayed on is gone in about this time; what one round of spraying leaves; what stays on a
# piece that is unwrapped.
FILM_MIN = 7.0
SPRITZ_KG_M2 = 0.08
UNWRAPPED_KG_M2 = 0.05
# Tuned on the check cooks (docs/method.md): water near a fresh surface of usual lean; the layer of free water that
# keeps the surface as wet as it gets; where fat has half filled the pores of paper.
FRESH_KG_M2, USUAL_LEAN = 1.7, 0.8
WETTING_KG_M2 = 2.4
SOAKING_C, SOAKING_PER_C = 74.5, 0.22
WRAPS = {
    "none": Wrapped(1.0, 1.0, 1.0, 0.0),
    "paper": Wrapped(0.54, 0.42, 0.0, 0.019),
    "tray": Wrapped(0.95, 0.72, 0.06, 0.0019),
    "foil": Wrapped(0.98, 0.67, 0.0, 0.002),
}
NAMES = tuple(WRAPS)
# Steam may fill a cooker to this share of the air.
DAMPEST = 0.9
BARE, PAPER = NAMES.index("none"), NAMES.index("paper")
_CONVECTION = np.array([w.convection for w in WRAPS.values()])
_RADIATION = np.array([w.radiation for w in WRAPS.values()])
_OPEN = np.array([w.open for w in WRAPS.values()])
_PASSING = np.array([w.passing / w.convection for w in WRAPS.values()])


@dataclass(frozen=True)
class Pieces:
    """What can differ from piece to piece; arrays of shape (draws,).

    Attributes
    ----------
    half_m : half thickness.
    fat : share of fat by mass.
    heft : factor on what it takes to heat and to dry the piece, for what the equivalent shape leaves out.
    h, radiant : convection W/m²K, and share of full radiation.
    wet, dry : share of the surface that behaves as wet while water comes to it, and when none does.
    arriving : share of the water squeezed out that comes to the surface and does not drip.
    offset_c : the air at the piece over the pit's own reading.
    place : of the probe, 0 middle to 1 surface.
    area_m2, mass_kg : outer surface and mass of the whole piece.
    damp_pa, airflow_kg_s : moisture from fuel and pan; air through the cooker.
    paper : factor on what paper lets through.
    """

    half_m: FloatArray
    fat: FloatArray
    heft: FloatArray
    start_c: FloatArray
    h: FloatArray
    radiant: FloatArray
    wet: FloatArray
    dry: FloatArray
    arriving: FloatArray
    offset_c: FloatArray
    place: FloatArray
    area_m2: FloatArray
    mass_kg: FloatArray
    damp_pa: FloatArray
    airflow_kg_s: FloatArray
    paper: FloatArray

    def __len__(self) -> int:
        return len(self.half_m)

    def take(self, rows: Rows) -> Pieces:
        return Pieces(**{field.name: getattr(self, field.name)[rows] for field in fields(self)})


@dataclass(frozen=True)
class Change:
    """A wrap put on or taken off: at a minute, or when the probe reads `at_c`, whichever is given."""

    wrap: str
    at_min: float | None = None
    at_c: float | None = None


@dataclass(frozen=True)
class Course:
    """What is done around the pieces. `pit_c` is a value a minute; the last one holds on."""

    pit_c: FloatArray
    changes: tuple[Change, ...] = ()
    spritz_min: tuple[float, ...] = ()
    breaks_min: tuple[float, ...] = ()
    air_c: float = 20.0
    air_rh: float = 0.5
    pressure_pa: float = STANDARD_PA


@dataclass(frozen=True)
class State:
    """Where pieces stand: what a cook can be gone on with from. Profile (draws, cells); the others (draws,).

    `lost_kg_m2` is water gone into the air less dew; a film is water sprayed on, which is not the meat's.
    """

    profile_c: FloatArray
    surface_c: FloatArray
    lost_kg_m2: FloatArray
    film_kg_m2: FloatArray
    squeezed_kg_m2: FloatArray
    wrap: Rows

    def take(self, rows: Rows) -> State:
        return State(**{field.name: getattr(self, field.name)[rows] for field in fields(self)})


def raw(grid: Grid, start_c: FloatArray) -> State:
    """Pieces as they come onto the grate: even inside, bare."""
    n = len(start_c)
    profile = np.repeat(start_c[:, None], len(grid.volume), axis=1)
    return State(profile, start_c, np.zeros(n), np.zeros(n), np.zeros(n), np.zeros(n, dtype=np.intp))


@dataclass(frozen=True)
class Run:
    """A cook of many pieces: times in minutes, shape (steps,); the others (steps, draws).

    Attributes
    ----------
    heat_j_m2 : heat that has gone in through the surface.
    end : where all stood at the last step.
    at_done : where each stood when its probe passed `until_c` (or at the end); None when no such was given.
    """

    t_min: FloatArray
    probe_c: FloatArray
    surface_c: FloatArray
    lost_kg_m2: FloatArray
    mean_c: FloatArray
    heat_j_m2: FloatArray
    end: State
    at_done: State | None

    def followed_by(self, later: Run) -> Run:
        """This run and one that went on from its end, as one."""
        both = (
            np.concatenate([getattr(self, field.name), getattr(later, field.name)[1:]]) for field in fields(Run)[:6]
        )
        t_min, probe_c, surface_c, lost_kg_m2, mean_c, heat_j_m2 = both
        return Run(t_min, probe_c, surface_c, lost_kg_m2, mean_c, heat_j_m2, later.end, later.at_done)


def step_times(until_min: float, breaks_min: Sequence[float], longest_min: float = LONGEST_STEP_MIN) -> FloatArray:
    """Times of the steps: short after every break, growing to the longest, and never across a break."""
    stops = sorted({float(b) for b in breaks_min if 0 < b < until_min} | {float(until_min)})
    times = [0.0]
    for stop in stops:
        size = min(FIRST_STEP_MIN, longest_min)
        while times[-1] < stop - 1e-9:
            times.append(stop if size >= stop - times[-1] - 0.2 * size else times[-1] + size)
            size = min(size * STEP_GROWTH, longest_min)
    return np.array(times)


def cook(
    grid: Grid,
    pieces: Pieces,
    course: Course,
    horizon_min: float,
    until_c: float | None = None,
    begin: State | None = None,
    begin_min: float = 0.0,
    at_least_min: float = 0.0,
    longest_step_min: float | None = None,
    matter: Tables | None = None,
) -> Run:
    """Cook many pieces through one course.

    Parameters
    ----------
    horizon_min : float
        Minute of the course to stop at.
    until_c : float, optional
        Stop when every probe has passed this, but not before `at_least_min`.
    begin, begin_min : optional
        Go on from a state at a minute; raw pieces at minute 0 otherwise.
    longest_step_min : float, optional
        By the pieces' thickness when not given.
    matter : Tables, optional
        What the pieces are made of; meat when not given.

    Returns
    -------
    Run

    Notes
    -----
    Each step: properties and surface for the temperatures that the last two steps point to; the surface's balance made
    linear about them; one implicit solve. Second order in time between breaks. Cells never pass the boiling point:
    what is over it boils water away.
    """
    n = len(pieces)
    tab = matter or tables()
    fat = fat_by_volume(pieces.fat)[:, None]
    boil = boiling_c(course.pressure_pa)
    timed = sorted((c for c in course.changes if c.at_min is not None), key=lambda c: float(c.at_min or 0))
    heated = [c for c in course.changes if c.at_min is None]
    stops = [*course.breaks_min, *course.spritz_min, *(float(c.at_min or 0) for c in timed)]
    if longest_step_min is None:
        wanted = STEP_MIN_AT_47_MM * (float(np.median(pieces.half_m)) / 0.047) ** 2
        longest_step_min = min(max(wanted, SHORTEST_LONG_STEP_MIN), LONGEST_STEP_MIN)
    times = begin_min + step_times(horizon_min - begin_min, [s - begin_min for s in stops], longest_step_min)
    fresh_at = {begin_min, *stops}
    spritzed = set(course.spritz_min)
    timed = [c for c in timed if float(c.at_min or 0) >= begin_min]
    # The pit's mean over each step, from its running sum.
    warmth = np.concatenate([[0.0], np.cumsum(course.pit_c)])
    warmth_at = np.interp(times, np.arange(len(warmth)), warmth) + course.pit_c[-1] * np.maximum(
        times - len(course.pit_c), 0.0
    )
    air_in_step = (np.diff(warmth_at) / np.diff(times)).tolist()
    clock = times.tolist()
    state = begin or raw(grid, pieces.start_c)
    inside, surface, lost, film = state.profile_c, state.surface_c, state.lost_kg_m2, state.film_kg_m2
    squeezed, kind = state.squeezed_kg_m2, state.wrap
    inside_before, surface_before, lost_before, dt_before = inside, surface, lost, 1.0
    waiting = np.zeros(n, dtype=np.intp)
    outside_pa = humid_pa(course.air_c, course.air_rh) + pieces.damp_pa
    own_pa = own_before = rate_before = into_before = np.zeros(n)
    dampest_pa = DAMPEST * course.pressure_pa
    all_water = WATER_KG_M3 * (1 - fat[:, 0]) * pieces.half_m * grid.volume.sum() * pieces.heft
    deep = all_water * pieces.arriving
    fresh_kg_m2 = FRESH_KG_M2 / USUAL_LEAN * (1 - pieces.fat)
    slimming = pieces.half_m * (SHRINKING / 3) * pieces.area_m2 / pieces.mass_kg
    carrying = pieces.area_m2 / pieces.airflow_kg_s
    wet_span = pieces.wet - pieces.dry
    volume = grid.volume * pieces.heft[:, None]
    weight = grid.volume / grid.volume.sum()
    beside = np.zeros_like(inside)
    heat = np.zeros(n)
    done = np.zeros(n, dtype=bool)
    at_done: State | None = None
    probe = place_of(grid, pieces.place)
    reading = probe(inside)
    rows = [(reading, surface, lost, inside @ weight, heat)]
    regroup, sprayed, sink = True, bool(state.film_kg_m2.any()), np.zeros(n)
    for i in range(1, len(times)):
        before, now = clock[i - 1], clock[i]
        dt, seconds = now - before, (now - before) * 60
        while timed and before >= float(timed[0].at_min or 0) - 1e-9:
            new = NAMES.index(timed.pop(0).wrap)
            film = film + UNWRAPPED_KG_M2 * ((kind != BARE) & (new == BARE))
            kind = np.full(n, new, dtype=np.intp)
            regroup = sprayed = True
        for order, change in enumerate(heated):
            turned = (waiting == order) & (reading >= (change.at_c or 0.0))
            if turned.any():
                kind = np.where(turned, NAMES.index(change.wrap), kind)
                waiting = waiting + turned
                regroup = True
        if before in spritzed:
            film = film + SPRITZ_KG_M2 * (kind == BARE)
            sprayed = True
        if regroup:
            convection = pieces.h * _CONVECTION[kind]
            radiation = pieces.radiant * _RADIATION[kind]
            papered = kind == PAPER
            passing = np.where(papered, pieces.paper, 1.0) * _PASSING[kind]
            open_share = _OPEN[kind]
            all_bare, any_paper = bool((kind == BARE).all()), bool(papered.any())
            regroup = False
        fresh = before in fresh_at
        ratio = 0.0 if fresh else dt / dt_before
        ahead = _tabled(inside + ratio * (inside - inside_before))
        guess = _tabled(surface + ratio * (surface - surface_before))
        row = look_up(ahead)
        conductivity = tab.lean_k[row] + fat * tab.more_k[row]
        spent = np.minimum(lost + ratio * (lost - lost_before), all_water)
        half = pieces.half_m - slimming * spent
        capacity = (tab.lean_c[row] + fat * tab.more_c[row]) * volume * (half * half / seconds)[:, None]
        beside[:, :-1] = -0.5 * (conductivity[:, 1:] + conductivity[:, :-1]) * grid.face
        squeezed = np.maximum(squeezed, deep * (tab.letting_go[row] @ weight))
        free = np.maximum(squeezed + fresh_kg_m2 - spent, 0.0)
        wet, wettest = pieces.wet - wet_span * np.exp(free * (-1 / WETTING_KG_M2)), pieces.wet
        # The last tenth of all its water leaves ever more slowly.
        wet = wet * np.minimum((all_water - spent) * (10 / all_water), 1.0)
        if not all_bare:
            through = passing
            if any_paper:
                # Fat that has melted at the surface fills the pores of paper.
                open_pores = 1 / (1 + np.exp(SOAKING_PER_C * (guess - SOAKING_C)))
                through = np.where(papered, passing * open_pores, passing)
            wet, wettest = open_share * wet + through, open_share * wettest + through
        if sprayed:
            gone = film * (1 - math.exp(-dt / FILM_MIN))
            film, sink = film - gone, gone * (2.33e6 / seconds)
        air = air_in_step[i - 1] + pieces.offset_c
        vapour_pa = np.minimum(outside_pa + own_pa + ratio * (own_pa - own_before), dampest_pa)
        steaming = bool(guess.max() > boil)
        around = Around(
            air, convection, radiation, wet, wettest, vapour_pa, sink, course.pressure_pa, boil, steaming
        )  # fmt: skip
        outer = ahead[:, -1]
        found, flux, slope, rate, follow = balance(
            around, outer, conductivity[:, -1] / (half * grid.skin), guess, 3 if fresh else 1
        )
        if fresh:
            diagonal = capacity - beside
            right = capacity * inside
        else:
            diagonal = (1 + 2 * ratio) / (1 + ratio) * capacity - beside
            right = capacity * ((1 + ratio) * inside - ratio**2 / (1 + ratio) * inside_before)
        diagonal[:, 1:] -= beside[:, :-1]
        diagonal[:, -1] += half * slope
        right[:, -1] += half * (flux + slope * outer)
        inside_before, surface_before, dt_before = inside, surface, dt
        inside = solve_all(diagonal, beside, right)
        moved = inside[:, -1] - outer
        surface = found + follow * moved
        into = flux - slope * moved
        heat = heat + (0.5 * seconds) * (into + (into if fresh else into_before))
        into_before = into
        lost_before, own_before = lost, own_pa
        lost = np.minimum(lost + (0.5 * seconds) * (rate + (rate if fresh else rate_before)), all_water)
        rate_before = rate
        carried = np.maximum(rate, 0.0) * carrying
        own_pa = course.pressure_pa * carried / (0.622 + carried)
        if inside.max() > boil:
            over = np.maximum(inside - boil, 0.0)
            lost = np.minimum(lost + (over * capacity).sum(axis=1) * seconds / half / 2.257e6, all_water)
            inside = inside - over
        reading = probe(inside)
        rows.append((reading, surface, lost, inside @ weight, heat))
        if until_c is not None:
            newly = (reading >= until_c) & ~done
            if newly.any():
                here = State(inside, surface, lost, film, squeezed, kind)
                at_done = here if at_done is None else _where(newly, here, at_done)
                done |= newly
            if now >= at_least_min and done.all():
                break
    end = State(inside, surface, lost, film, squeezed, kind)
    if until_c is not None:
        at_done = end if at_done is None else _where(done, at_done, end)
    probe_c, surface_c, lost_kg_m2, mean_c, heat_j_m2 = (np.array(column) for column in zip(*rows, strict=True))
    return Run(times[: len(rows)], probe_c, surface_c, lost_kg_m2, mean_c, heat_j_m2, end, at_done)


def _tabled(temp_c: FloatArray) -> FloatArray:
    """Temperatures kept within what the tables of meat and steam hold."""
    return np.minimum(np.maximum(temp_c, TABLE_FROM_C), TABLE_TOP_C - 1.0)


def _where(first: NDArray[np.bool_], one: State, other: State) -> State:
    """Rows of `one` where `first`, else of `other`."""
    pairs = [(getattr(one, f.name), getattr(other, f.name)) for f in fields(State)]
    return State(*(np.where(first[:, None] if a.ndim == 2 else first, a, b) for a, b in pairs))
