"""Humid air: saturation pressure, latent heat, pressure and boiling point by altitude."""

from __future__ import annotations

from functools import lru_cache
from typing import overload

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
STANDARD_PA = 101_325.0
ZERO_K = 273.15
AIR_CP_J_KGK = 1010.0
WATER_TO_AIR = 0.622


@overload
def saturation_pa(temp_c: float) -> float: ...
@overload
def saturation_pa(temp_c: FloatArray) -> FloatArray: ...
def saturation_pa(temp_c: float | FloatArray) -> float | FloatArray:
    """Saturation pressure of water over liquid, Pa, for 0 to 200 °C; shape as given.

    Hyland and Wexler (1983) as the ASHRAE Handbook of Fundamentals gives it, constants from memory; within
    0.1 % of IAPWS-97 from 5 to 100 °C.
    """
    kelvin = np.asarray(temp_c, float) + ZERO_K
    found = np.exp(
        -5.8002206e3 / kelvin
        + 1.3914993
        - 4.8640239e-2 * kelvin
        + 4.1764768e-5 * kelvin**2
        - 1.4452093e-8 * kelvin**3
        + 6.5459673 * np.log(kelvin)
    )
    return float(found) if np.isscalar(temp_c) else np.asarray(found)


@overload
def latent_j_per_kg(temp_c: float) -> float: ...
@overload
def latent_j_per_kg(temp_c: FloatArray) -> FloatArray: ...
def latent_j_per_kg(temp_c: float | FloatArray) -> float | FloatArray:
    """Latent heat of evaporation of water, J/kg; linear between the handbook's 0 and 100 °C, values from memory."""
    return 2.501e6 - 2.44e3 * temp_c


def pressure_pa(altitude_m: float) -> float:
    """Air pressure at an altitude, Pa: the standard atmosphere of ISO 2533, troposphere, -2000 to 11 000 m."""
    return float(STANDARD_PA * (1.0 - 2.25577e-5 * altitude_m) ** 5.25588)


@lru_cache(maxsize=64)
def boiling_c(pressure: float) -> float:
    """Boiling point of water under a pressure in Pa, °C, by inverting `saturation_pa`; 30 to 110 kPa."""
    temp = 100.0
    for _ in range(20):
        slope = (saturation_pa(temp + 0.01) - saturation_pa(temp - 0.01)) / 0.02
        temp -= (saturation_pa(temp) - pressure) / slope
    return temp


def vapour_pa(temp_c: float, humidity: float) -> float:
    """Partial pressure of water vapour in air of a relative humidity from 0 to 1, Pa."""
    return humidity * saturation_pa(temp_c)
