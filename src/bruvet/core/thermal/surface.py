"""What a surface exchanges with the air and the walls around it: convection, radiation, evaporation, wraps.

Evaporation follows the heat and mass transfer analogy (Lewis), with Stefan's correction for high vapour pressure, as in
the usual handbooks of heat transfer, from the share of the surface that is still wet.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from .air import AIR_CP_J_KGK, WATER_TO_AIR, ZERO_K, latent_j_per_kg, saturation_pa

FloatArray = NDArray[np.float64]

STEFAN_BOLTZMANN = 5.670374e-8
EMISSIVITY = 0.9
GREY = EMISSIVITY * STEFAN_BOLTZMANN
# Heat over mass transfer; between 0.9 (thermal over mass diffusivity, to the power 2/3) and 1 (the thermodynamic wet
# bulb); this value holds the wet bulb of psychrometry.
LEWIS_FACTOR = 0.96
ANALOGY = WATER_TO_AIR / (AIR_CP_J_KGK * LEWIS_FACTOR)
# Water that is at boiling point takes all further heat.
BOILING_W_M2K = 400.0
# How near the vapour may come to the pressure of the air; beyond it, it boils.
NEARLY_BOILING = 0.985
STEAM_PER_C = 50
STEAM_FROM_C, STEAM_TOP_C = -10.0, 260.0


@dataclass(frozen=True)
class Wrapped:
    """What a wrap leaves of the exchange with the cooker.

    Attributes
    ----------
    convection, radiation : shares of a bare surface's.
    open : share of the surface that stays bare.
    passing : evaporation through the wrap, as a share of that from a wholly wet surface.
    """

    convection: float
    radiation: float
    open: float
    passing: float


@dataclass(frozen=True)
class Steam:
    """Minus the logarithm of the air's own pressure at a wet surface, and its slope per kelvin, for each 0.02 °C."""

    crowding: FloatArray
    slope: FloatArray


@lru_cache(maxsize=32)
def steam(pressure_pa: float) -> Steam:
    """The tables for an air pressure in Pa."""
    temp = np.arange(STEAM_FROM_C, STEAM_TOP_C, 1 / STEAM_PER_C)
    pressure = np.minimum(saturation_pa(temp), NEARLY_BOILING * pressure_pa)
    crowding = -np.log(pressure_pa - pressure)
    return Steam(crowding, np.gradient(crowding) * STEAM_PER_C)


@dataclass(slots=True)
class Around:
    """What surrounds the surfaces during one step; arrays of shape (bodies,).

    `wet` of `wettest` is how much of the water there is still there to boil; `steaming` when any may be boiling.
    """

    air_c: FloatArray
    h: FloatArray
    radiant: FloatArray
    wet: FloatArray
    wettest: FloatArray
    vapour_pa: FloatArray
    sink_w_m2: FloatArray
    pressure_pa: float
    boiling_c: float
    steaming: bool


def balance(
    around: Around, inner_c: FloatArray, inner_g: FloatArray, guess_c: FloatArray, rounds: int
) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray, FloatArray]:
    """Find the surface temperature at which what arrives is what goes in and what evaporates.

    Parameters
    ----------
    inner_c : array, shape (bodies,)
        Temperature of the outermost cell, °C.
    inner_g : array, shape (bodies,)
        Conductance from there to the surface, W/m²K.
    guess_c : array, shape (bodies,)
        Where to begin, °C.
    rounds : int
        Of Newton's method; one is enough from a guess that the last steps point to.

    Returns
    -------
    surface_c, flux_w_m2, slope_w_m2k, evaporation_kg_m2s, follow : arrays, shape (bodies,)
        Flux into the piece; its fall per kelvin of the outermost cell; water leaving (below zero: condensing); how far
        the surface follows a kelvin of the outermost cell.
    """
    tables = steam(around.pressure_pa)
    h = around.h
    # Dew settles on the whole of a cold surface, wet or not.
    open_air = np.log(around.pressure_pa - around.vapour_pa)
    wall = around.air_c + ZERO_K
    wall = wall * wall
    offered = h * around.air_c + around.radiant * (GREY * wall * wall) - around.sink_w_m2
    factor = around.wet * (ANALOGY * h)
    surface = guess_c
    for _ in range(rounds):
        row = (surface * STEAM_PER_C - (STEAM_FROM_C * STEAM_PER_C - 0.5)).astype(np.intp)
        latent = latent_j_per_kg(surface)
        rate = factor * (open_air + tables.crowding[row])
        rate_slope = factor * tables.slope[row]
        kelvin = surface + ZERO_K
        fourth = around.radiant * (GREY * kelvin * kelvin * kelvin)
        into = offered - h * surface - fourth * kelvin - rate * latent
        fall = h + 4 * fourth + rate_slope * latent + inner_g
        if around.steaming:
            boiling = around.wet / around.wettest * (surface > around.boiling_c) * BOILING_W_M2K
            steaming = boiling * (surface - around.boiling_c)
            into = into - steaming
            fall = fall + boiling
            rate = rate + steaming / latent
            rate_slope = rate_slope + boiling / latent
        change = (into - inner_g * (surface - inner_c)) / fall
        surface = surface + change
    follow = inner_g / fall
    return surface, inner_g * (surface - inner_c), inner_g * (1 - follow), rate + rate_slope * change, follow
