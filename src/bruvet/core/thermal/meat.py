"""What meat is made of, and how it takes up and passes on heat.

Choi and Okos (1986), as the ASHRAE Refrigeration Handbook tabulates them (values from memory): each component's
conductivity, density and heat capacity as a polynomial of the temperature; mixed by volume.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]

# Coefficients of 1, t, t² with t in °C.
CONDUCTIVITY = {
    "water": (5.7109e-1, 1.7625e-3, -6.7036e-6),
    "protein": (1.7881e-1, 1.1958e-3, -2.7178e-6),
    "fat": (1.8071e-1, -2.7604e-4, -1.7749e-7),
    "ash": (3.2962e-1, 1.4011e-3, -2.9069e-6),
}
DENSITY = {
    "water": (9.9718e2, 3.1439e-3, -3.7574e-3),
    "protein": (1.3299e3, -5.1840e-1, 0.0),
    "fat": (9.2559e2, -4.1757e-1, 0.0),
    "ash": (2.4238e3, -2.8063e-1, 0.0),
}
HEAT_CAPACITY = {
    "water": (4.1289e3, -9.0864e-2, 5.4731e-3),
    "protein": (2.0082e3, 1.2089, -1.3129e-3),
    "fat": (1.9842e3, 1.4733, -4.8008e-3),
    "ash": (1.0926e3, 1.8896, -3.6817e-3),
}
# Share by mass of what is not fat: USDA composition of lean muscle, values from memory.
LEAN = {"water": 0.745, "protein": 0.243, "ash": 0.012}

FAT_MELTING_J_KG = 1.3e5
FAT_MELTING_C, FAT_MELTING_WIDTH_C = 33.0, 9.0
# Myosin, collagen and actin unfold at about 54, 64 and 80 °C; some 3.6 J per g of lean between them (calorimetry,
# value from memory). Small, and kept because the balance should hold it.
UNFOLDING_J_KG = 3.6e3
UNFOLDING_C, UNFOLDING_WIDTH_C = 65.0, 9.0

# Share of its water that meat lets go at the top; middle and steepness of the curve (tuned, docs/method.md).
LOST_WATER, LOSING_PER_C, LOSING_C = 0.5, 0.234, 69.0

# Tables hold a value for every tenth of a degree from -10 °C on.
TABLE_PER_C = 10
TABLE_FROM_C, TABLE_TOP_C = -10.0, 260.0


def polynomial(coefficients: tuple[float, float, float], temp_c: FloatArray) -> FloatArray:
    one, two, three = coefficients
    return np.asarray(one + two * temp_c + three * temp_c**2)


@dataclass(frozen=True)
class Tables:
    """Conductivity W/mK and heat capacity J/m³K of lean, and what fat adds, by temperature (see `look_up`).

    `letting_go` is the share of water no longer held.
    """

    lean_k: FloatArray
    more_k: FloatArray
    lean_c: FloatArray
    more_c: FloatArray
    letting_go: FloatArray


@lru_cache(maxsize=1)
def tables() -> Tables:
    temp = np.arange(TABLE_FROM_C, TABLE_TOP_C, 1 / TABLE_PER_C)
    volume = {name: share / polynomial(DENSITY[name], temp) for name, share in LEAN.items()}
    total = sum(volume.values())
    lean_k = sum(v / total * polynomial(CONDUCTIVITY[name], temp) for name, v in volume.items())
    lean_density = np.asarray(1 / total)
    lean_c = sum(share * polynomial(HEAT_CAPACITY[name], temp) for name, share in LEAN.items())
    lean_c = lean_c + UNFOLDING_J_KG * _bump(temp, UNFOLDING_C, UNFOLDING_WIDTH_C)
    fat_c = polynomial(HEAT_CAPACITY["fat"], temp) + FAT_MELTING_J_KG * _bump(temp, FAT_MELTING_C, FAT_MELTING_WIDTH_C)
    fat_k = polynomial(CONDUCTIVITY["fat"], temp)
    # Density at 40 °C throughout: the mass of a shell does not change as it warms.
    at = int((40 - TABLE_FROM_C) * TABLE_PER_C)
    return Tables(
        np.asarray(lean_k),
        np.asarray(fat_k - lean_k),
        np.asarray(lean_c * lean_density[at]),
        np.asarray(fat_c * polynomial(DENSITY["fat"], temp)[at] - lean_c * lean_density[at]),
        expressible(temp),
    )


def look_up(temp_c: FloatArray) -> NDArray[np.intp]:
    """Rows of the tables for temperatures from -10 to 260 °C, to the tenth of a degree."""
    return (temp_c * TABLE_PER_C - (TABLE_FROM_C * TABLE_PER_C - 0.5)).astype(np.intp)


def _bump(temp_c: FloatArray, middle: float, width: float) -> FloatArray:
    return np.asarray(np.exp(-0.5 * ((temp_c - middle) / width) ** 2) / (width * np.sqrt(2 * np.pi)))


def fat_by_volume(fat_by_mass: FloatArray) -> FloatArray:
    """Share of fat by volume from its share by mass, at 40 °C."""
    lean = sum(share / polynomial(DENSITY[name], np.array(40.0)) for name, share in LEAN.items())
    fat = 1 / polynomial(DENSITY["fat"], np.array(40.0))
    return fat_by_mass * fat / (fat_by_mass * fat + (1 - fat_by_mass) * lean)


def density_kg_m3(fat_by_mass: float) -> float:
    """Density of meat at 40 °C, kg/m³."""
    lean = float(sum(share / polynomial(DENSITY[name], np.array(40.0)) for name, share in LEAN.items()))
    fat = 1 / float(polynomial(DENSITY["fat"], np.array(40.0)))
    return 1 / (fat_by_mass * fat + (1 - fat_by_mass) * lean)


def expressible(temp_c: FloatArray) -> FloatArray:
    """Share of its own water that meat no longer holds at a temperature, °C; shape as given.

    A logistic about 60 °C to one half at the top: muscle proteins let go of water as they unfold and shrink
    (form after the water-holding curve of van der Sman, 2007; the half is set so that braised and bare meat
    weigh what they do, common practice, no source).
    """
    return np.asarray(LOST_WATER / (1 + np.exp(-LOSING_PER_C * (temp_c - LOSING_C))))


def rendered(temp_c: FloatArray) -> FloatArray:
    """Share of the fat that has run out at a temperature, °C; ours, for yields that match common practice."""
    return np.asarray(0.45 / (1 + np.exp(-0.12 * (temp_c - 78.0))))
