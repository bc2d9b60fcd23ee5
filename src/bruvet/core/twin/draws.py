"""What differs from piece to piece and from cooker to cooker, as draws around what is known."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.stats import norm, qmc

from bruvet.core.thermal.body import Grid, make_grid
from bruvet.core.thermal.cooker import HABITS
from bruvet.core.thermal.cuts import CUTS
from bruvet.core.thermal.engine import USUAL_LEAN, Pieces
from bruvet.core.thermal.meat import density_kg_m3

from .case import Case

FloatArray = NDArray[np.float64]

# Each thing drawn, with one standard deviation: relative for factors, else in its unit. Ours, wide enough that the
# check cooks fall in their bands as often as they should.
SPREAD = {
    "thickness": 0.09,  # of a usual cut; each cut has its own
    "heft": 0.09,
    "heat": 0.14,
    "wet": 0.22,
    "arriving": 0.20,
    "offset_c": 4.0,  # of a usual cooker; each kind has its own
    "place": 0.60,
    "damp": 0.40,
    "paper": 0.40,
    "fat": 0.20,
    "start_c": 1.0,
    "probe_c": 1.2,
    "model": 0.08,
}
DIMENSIONS = tuple(SPREAD)
INDEX = {name: number for number, name in enumerate(DIMENSIONS)}
MEASURED_THICKNESS = 0.04
# Tuned on the check cooks (docs/method.md).
WET = 0.172
DRY = 0.0055
ARRIVING = 0.6
HEFT = 1.08
PLACE = 0.1
LEAN_POWER = 2.7
PAN_PA = 4000.0


@lru_cache(maxsize=16)
def standard(count: int, seed: int = 7) -> FloatArray:
    """Standard normal draws of all dimensions, shape (count, dimensions); the first is the middle of all.

    Sobol points through the normal quantile, so that few draws give steady quantiles, and the same ones each time.
    """
    points = qmc.Sobol(len(DIMENSIONS), seed=seed).random(1 << int(np.ceil(np.log2(max(count, 2)))))[:count]
    drawn = np.asarray(norm.ppf(np.clip(points, 1e-6, 1 - 1e-6)))
    drawn[0] = 0.0
    drawn.setflags(write=False)
    return drawn


def half_m(case: Case) -> float:
    """Half thickness by the cut's rule, or as measured, m."""
    rule = CUTS[case.cut]
    usual = rule.usual_mm * (case.mass_kg / rule.usual_kg) ** rule.growth
    return (case.thickness_mm or usual) / 2000


def grid_of(case: Case) -> Grid:
    return make_grid(CUTS[case.cut].exponent)


def pieces_of(case: Case, z: FloatArray) -> Pieces:
    """The pieces that draws stand for.

    Parameters
    ----------
    z : array, shape (draws, dimensions)
        Standard normal draws, or what learning has made of them.
    """
    rule, habit = CUTS[case.cut], HABITS[case.cooker]

    def spread(name: str, width: float | None = None) -> FloatArray:
        return np.asarray(z[:, INDEX[name]] * (SPREAD[name] if width is None else width))

    measured = MEASURED_THICKNESS if case.thickness_mm is not None else rule.spread
    half = half_m(case) * np.exp(spread("thickness", measured))
    fat = np.clip(rule.fat * np.exp(spread("fat")), 0.01, 0.75)
    lean = (1 - fat) / USUAL_LEAN
    heat = np.exp(spread("heat"))
    density = np.array([density_kg_m3(share) for share in (rule.fat,)])
    flesh_kg = case.mass_kg * (1 - 0.5 * rule.bone)
    area = flesh_kg / density / (half / (rule.exponent + 1))
    ones = np.ones(len(z))
    return Pieces(
        half_m=half,
        fat=fat,
        heft=HEFT * np.exp(spread("heft")),
        start_c=case.start_c + spread("start_c"),
        h=habit.h * heat,
        radiant=habit.radiant * heat,
        wet=WET * lean**LEAN_POWER * rule.skin * np.exp(spread("wet")),
        dry=DRY * ones,
        arriving=np.minimum(ARRIVING * np.exp(spread("arriving")), 1.2),
        offset_c=spread("offset_c", habit.place_c),
        place=np.clip(PLACE * np.exp(spread("place")), 0.0, 0.6),
        area_m2=area,
        mass_kg=case.mass_kg * ones,
        damp_pa=(habit.damp_pa + PAN_PA * case.water_pan) * np.exp(spread("damp")),
        airflow_kg_s=habit.airflow_kg_h / 3600 * ones,
        paper=np.exp(spread("paper")),
    )
