"""Humid air, boiling and the wet surface, against IAPWS and the ASHRAE psychrometric functions (psychrolib)."""

from __future__ import annotations

import iapws
import numpy as np
import psychrolib
import pytest

from bruvet.core.thermal.air import STANDARD_PA, boiling_c, latent_j_per_kg, pressure_pa, saturation_pa, vapour_pa
from bruvet.core.thermal.surface import Around, balance

psychrolib.SetUnitSystem(psychrolib.SI)


def test_saturation_pressure_against_iapws() -> None:
    """IAPWS-97 saturation by the PyPI library, in MPa."""
    for temp in (5, 20, 40, 60, 80, 100):
        assert saturation_pa(float(temp)) == pytest.approx(iapws.iapws97._PSat_T(temp + 273.15) * 1e6, rel=1e-3)


def test_latent_heat_against_iapws() -> None:
    for temp in (20, 60, 95):
        vapour, liquid = iapws.IAPWS97(T=temp + 273.15, x=1), iapws.IAPWS97(T=temp + 273.15, x=0)
        assert latent_j_per_kg(temp) == pytest.approx((vapour.h - liquid.h) * 1000, rel=0.01)


def test_vapour_pressure_against_the_psychrometric_library() -> None:
    assert vapour_pa(25.0, 0.5) == pytest.approx(psychrolib.GetVapPresFromRelHum(25.0, 0.5), rel=0.005)


def test_boiling_point_falls_with_altitude() -> None:
    """ISO 2533 pressure, inverted through IAPWS-97."""
    for altitude in (0.0, 500.0, 1600.0, 3000.0):
        pressure = pressure_pa(altitude)
        assert pressure == pytest.approx(psychrolib.GetStandardAtmPressure(altitude), rel=1e-3)
        assert boiling_c(pressure) == pytest.approx(iapws.iapws97._TSat_P(pressure / 1e6) - 273.15, abs=0.05)


def wet_and_still(air_c: float, humidity: float, altitude_m: float = 0.0) -> float:
    """Where a wet surface settles that conducts and radiates nothing."""
    pressure = pressure_pa(altitude_m)
    one = np.ones(1)
    around = Around(
        air_c=air_c * one, h=10 * one, radiant=0 * one, wet=one, wettest=one,
        vapour_pa=vapour_pa(air_c, humidity) * one, sink_w_m2=0 * one, pressure_pa=pressure,
        boiling_c=boiling_c(pressure), steaming=False,
    )  # fmt: skip
    return float(balance(around, 0 * one, 0 * one, 30 * one, rounds=25)[0][0])


@pytest.mark.parametrize(("air_c", "humidity"), [(20, 0.5), (30, 0.2), (40, 0.6), (60, 0.1), (80, 0.05), (107, 0.02), (121, 0.03), (149, 0.01)])  # fmt: skip
def test_a_wet_surface_settles_at_the_wet_bulb(air_c: float, humidity: float) -> None:
    """Within 0.5 °C of psychrolib's thermodynamic wet bulb."""
    known = psychrolib.GetTWetBulbFromRelHum(air_c, humidity, STANDARD_PA)
    assert wet_and_still(air_c, humidity) == pytest.approx(known, abs=0.5)


def test_the_wet_bulb_holds_at_altitude() -> None:
    known = psychrolib.GetTWetBulbFromRelHum(110.0, 0.02, pressure_pa(1600.0))
    assert wet_and_still(110.0, 0.02, 1600.0) == pytest.approx(known, abs=0.5)


def test_dew_settles_on_cold_meat() -> None:
    one = np.ones(1)
    around = Around(
        107 * one, 10 * one, 0.7 * one, 0.2 * one, 0.2 * one, 6000 * one, 0 * one, STANDARD_PA, 100.0, False
    )
    assert balance(around, 4 * one, 400 * one, 5 * one, rounds=20)[3][0] < 0
