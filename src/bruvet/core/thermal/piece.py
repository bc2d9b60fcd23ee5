"""One piece in one cooker, minute by minute."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import solve_banded

from .air import STANDARD_PA, latent_j_per_kg, saturation_pa

FloatArray = NDArray[np.float64]

CONDUCTIVITY_W_MK = 0.48
HEAT_CAPACITY_J_M3K = 3.6e6
STEFAN_BOLTZMANN = 5.67e-8
EMISSIVITY = 0.9
AIR_CP_J_KGK = 1010.0
SHELLS = 24

# Invented for this simulator, within physical ranges; the twin will learn them.
WET_SHARE = 0.4
DRY_SHARE = 0.01
DRYING_KG_M2 = 4.6
WRAP_EVAPORATION = {"none": 1.0, "paper": 0.25, "tray": 0.5, "foil": 0.02}
WRAP_CONVECTION = {"none": 1.0, "paper": 0.9, "tray": 0.9, "foil": 0.85}


@dataclass(frozen=True)
class Shape:
    """An equivalent body: `half_m` from middle to surface; `exponent` 0 slab, 1 cylinder, 2 sphere, or between."""

    half_m: float
    exponent: float


@dataclass(frozen=True)
class Surroundings:
    """What the surface meets. `h` W/m²K convection, `radiant` share of full radiation, `vapour_pa` in the cooker."""

    h: float = 11.0
    radiant: float = 0.8
    vapour_pa: float = 6500.0
    pressure_pa: float = STANDARD_PA


@dataclass(frozen=True)
class Run:
    """Result of a simulated cook, one row a minute: shapes (n,) and, for `profile_c`, (n, shells)."""

    t_min: FloatArray
    core_c: FloatArray
    surface_c: FloatArray
    profile_c: FloatArray
    water_kg_m2: FloatArray


def conduct(profile_c: FloatArray, shape: Shape, conductance: float, drive_c: float, seconds: float) -> FloatArray:
    """One implicit step of conduction in a body with a convective surface.

    Parameters
    ----------
    profile_c : array, shape (shells,)
        Temperatures from the middle outward, °C, of shells of equal thickness.
    conductance : float
        W/m²K between the surface and `drive_c`.
    seconds : float

    Returns
    -------
    array, shape (shells,)

    Notes
    -----
    Backward Euler on finite volumes; first order in time, second in space. Source: the balance of each
    shell, see Carslaw and Jaeger, Conduction of Heat in Solids, for the series solutions it is held to.
    """
    count = len(profile_c)
    step = shape.half_m / count
    edges = np.linspace(0.0, shape.half_m, count + 1)
    area = edges**shape.exponent
    volume = np.diff(edges ** (shape.exponent + 1)) / (shape.exponent + 1)
    between = CONDUCTIVITY_W_MK / step * area[1:-1]
    # The outer half shell and the surface film are resistances in series.
    outer = area[-1] / (step / 2 / CONDUCTIVITY_W_MK + 1 / max(conductance, 1e-9))
    store = HEAT_CAPACITY_J_M3K * volume / seconds
    bands = np.zeros((3, count))
    bands[1] = store
    bands[1, :-1] += between
    bands[1, 1:] += between
    bands[1, -1] += outer
    bands[0, 1:] = -between
    bands[2, :-1] = -between
    right = store * profile_c
    right[-1] += outer * drive_c
    return np.asarray(solve_banded((1, 1), bands, right))


def simulate(
    shape: Shape,
    start_c: float,
    pit_c: FloatArray,
    surroundings: Surroundings,
    wraps: Sequence[tuple[float, str]] = (),
    spritz_min: Sequence[float] = (),
) -> Run:
    """Cook a piece through a pit's history.

    Parameters
    ----------
    pit_c : array, shape (n,)
        Air temperature around the piece for each minute from meat-on, °C.
    wraps : sequence of (minute, material)
        `foil`, `paper`, `tray` or `none`, from that minute on.
    spritz_min : sequence of float
        Minutes at which the surface is wetted again.

    Returns
    -------
    Run
        Until the pit's history ends.
    """
    profile = np.full(SHELLS, start_c)
    lost = 0.0
    surface = start_c
    cores, surfaces, profiles, water = [], [], [], []
    changes = sorted(wraps)
    sprays = {int(minute) for minute in spritz_min}
    for minute, air_c in enumerate(pit_c):
        cores.append(profile[0])
        surfaces.append(surface)
        profiles.append(profile)
        water.append(lost)
        wrap = next((what for at, what in reversed(changes) if at <= minute), "none")
        if minute in sprays and wrap == "none":
            lost = max(lost - 0.15, 0.0)
        wet = (DRY_SHARE + (WET_SHARE - DRY_SHARE) * np.exp(-((lost / DRYING_KG_M2) ** 5))) * WRAP_EVAPORATION[wrap]
        conductance, drive, evaporation = _surface(surface, float(air_c), surroundings, wet, WRAP_CONVECTION[wrap])
        profile = conduct(profile, shape, conductance, drive, 60.0)
        step = shape.half_m / SHELLS
        inner = CONDUCTIVITY_W_MK / (step / 2)
        surface = float((inner * profile[-1] + conductance * drive) / (inner + conductance))
        lost += max(evaporation, 0.0) * 60.0
    return Run(
        np.arange(len(pit_c), dtype=float),
        np.array(cores),
        np.array(surfaces),
        np.array(profiles),
        np.array(water),
    )


def _surface(
    surface_c: float, air_c: float, around: Surroundings, wet: float, convection: float
) -> tuple[float, float, float]:
    """Heat exchange of the surface as a conductance and the temperature it pulls to, and kg/m²s of water lost.

    Evaporation by the heat and mass transfer analogy with a Lewis number of one, made linear about the
    surface temperature, so that the implicit step stays steady.
    """
    h = around.h * convection
    kelvin_s, kelvin_a = surface_c + 273.15, air_c + 273.15
    radiation = around.radiant * EMISSIVITY * STEFAN_BOLTZMANN * (kelvin_s**2 + kelvin_a**2) * (kelvin_s + kelvin_a)
    transfer = wet * h / AIR_CP_J_KGK * 0.622 / around.pressure_pa
    pressure = saturation_pa(min(surface_c, 99.0))
    slope = (saturation_pa(min(surface_c, 98.0) + 1.0) - saturation_pa(min(surface_c, 98.0))) if wet else 0.0
    latent = latent_j_per_kg(surface_c)
    flux = transfer * (pressure - around.vapour_pa)
    conductance = h + radiation + transfer * slope * latent
    drive = ((h + radiation) * air_c - flux * latent + transfer * slope * latent * surface_c) / conductance
    return conductance, drive, flux
