"""Humid air: saturation pressure, latent heat."""

from __future__ import annotations

import math

STANDARD_PA = 101_325.0


def saturation_pa(temp_c: float) -> float:
    """Saturation pressure of water over liquid, Pa, for 0 to 200 °C.

    Hyland and Wexler (1983) as the ASHRAE Handbook of Fundamentals gives it, constants from memory; within
    0.1 % of IAPWS-97 from 5 to 100 °C.
    """
    kelvin = temp_c + 273.15
    return math.exp(
        -5.8002206e3 / kelvin
        + 1.3914993
        - 4.8640239e-2 * kelvin
        + 4.1764768e-5 * kelvin**2
        - 1.4452093e-8 * kelvin**3
        + 6.5459673 * math.log(kelvin)
    )


def latent_j_per_kg(temp_c: float) -> float:
    """Latent heat of evaporation of water, J/kg; linear between the handbook's 0 and 100 °C, values from memory."""
    return 2.501e6 - 2.44e3 * temp_c
