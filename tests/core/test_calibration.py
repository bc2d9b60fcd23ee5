"""Probes corrected by ice and boiling water."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from iapws import IAPWS97

from bruvet.core.curves.calibration import BadCalibration, calibration


@pytest.mark.parametrize(("altitude", "kpa"), [(0, 101.325), (1000, 89.876), (1600, 83.524), (3000, 70.121)])
def test_boiling_water_is_what_iapws_says_at_the_pressure_of_the_altitude(altitude, kpa) -> None:
    """Pressures of the standard atmosphere (ISO 2533, value from memory); saturation by the PyPI library iapws."""
    boiling = IAPWS97(P=kpa / 1000, x=0).T - 273.15
    how = calibration(boil_c=boiling, altitude_m=altitude)
    assert how.offset_c == pytest.approx(0.0, abs=0.06)


@given(st.floats(-5, 5), st.floats(0.97, 1.03), st.floats(0, 2500))
def test_two_points_undo_any_straight_error(offset: float, slope: float, altitude: float) -> None:
    from bruvet.core.thermal.air import boiling_c, pressure_pa

    boiling = boiling_c(pressure_pa(altitude))
    how = calibration(offset, offset + slope * boiling, altitude)
    true = np.array([0.0, 40.0, 70.0, 95.0])
    assert how.true_c(offset + slope * true) == pytest.approx(true, abs=1e-6)


def test_one_point_is_an_offset_and_none_is_nothing() -> None:
    assert calibration(ice_c=1.5).true_c(np.array([71.5]))[0] == pytest.approx(70.0)
    assert calibration().true_c(np.array([70.0]))[0] == 70.0


@pytest.mark.parametrize(("ice", "boil"), [(32.0, None), (None, 212.0), (0.5, 60.0)])
def test_readings_that_no_sound_probe_gives_are_refused(ice, boil) -> None:
    with pytest.raises(BadCalibration, match="broken probe, or another unit"):
        calibration(ice, boil)
