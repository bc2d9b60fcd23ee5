"""Correcting a probe by what it reads in ice and in boiling water, at the altitude where that was done."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bruvet.core.thermal.air import boiling_c, pressure_pa

FloatArray = NDArray[np.float64]
ICE_C = 0.0
# A probe further off than this is broken, not off (ours).
MOST_C = 12.0


class BadCalibration(ValueError):
    """Readings that no sound probe gives; the text says which."""


@dataclass(frozen=True)
class Calibration:
    """True °C is `offset_c` plus `slope` times what was read."""

    offset_c: float = 0.0
    slope: float = 1.0

    def true_c(self, read_c: FloatArray) -> FloatArray:
        """What a probe should have read, °C; shape as given."""
        return self.offset_c + self.slope * read_c


def calibration(ice_c: float | None = None, boil_c: float | None = None, altitude_m: float = 0.0) -> Calibration:
    """From readings in melting ice, in boiling water, or both.

    Parameters
    ----------
    ice_c, boil_c : float, optional
        What the probe read, °C. One alone gives an offset, both a straight line through two points.
    altitude_m : float
        Where the water boiled; its boiling point follows from the standard atmosphere (ISO 2533) and IAPWS saturation.

    Raises
    ------
    BadCalibration
        When a reading is more than 12 °C from what it should be, or the two make no sense together.
    """
    boiling = boiling_c(pressure_pa(altitude_m))
    for what, read, true in (("ice", ice_c, ICE_C), ("boiling water", boil_c, boiling)):
        if read is not None and abs(read - true) > MOST_C:
            raise BadCalibration(
                f"in {what} it read {read:.1f} °C, {abs(read - true):.0f} °C from the {true:.1f} °C it should: "
                "that is a broken probe, or another unit"
            )
    if ice_c is not None and boil_c is not None:
        slope = (boiling - ICE_C) / (boil_c - ice_c)
        return Calibration(ICE_C - slope * ice_c, slope)
    if ice_c is not None:
        return Calibration(ICE_C - ice_c)
    return Calibration(boiling - boil_c) if boil_c is not None else Calibration()
