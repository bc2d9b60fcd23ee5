"""The first simulator: conduction against the series solution, saturation against IAPWS, and its behaviour."""

import iapws
import numpy as np
import psychrolib
import pytest
from scipy.optimize import brentq

from bruvet.core.curves.stall import find_stalls
from bruvet.core.thermal.air import latent_j_per_kg, saturation_pa
from bruvet.core.thermal.cooker import HABITS, pit_trace
from bruvet.core.thermal.piece import CONDUCTIVITY_W_MK, HEAT_CAPACITY_J_M3K, Shape, conduct, simulate


def slab_centre(biot: float, fourier: float) -> float:
    """Dimensionless centre temperature of a slab with convection: Carslaw and Jaeger, by root-finding."""
    total = 0.0
    for n in range(60):
        low, high = n * np.pi + 1e-9, n * np.pi + np.pi / 2 - 1e-9
        z = brentq(lambda x: x * np.tan(x) - biot, low, high)
        total += 4 * np.sin(z) / (2 * z + np.sin(2 * z)) * np.exp(-z * z * fourier)
    return total


def sphere_centre(biot: float, fourier: float) -> float:
    total = 0.0
    for n in range(1, 60):
        z = brentq(lambda x: 1 - x / np.tan(x) - biot, (n - 1) * np.pi + 1e-9, n * np.pi - 1e-9)
        total += 4 * (np.sin(z) - z * np.cos(z)) / (2 * z - np.sin(2 * z)) * np.exp(-z * z * fourier)
    return total


@pytest.mark.parametrize("biot", [0.1, 1.0, 10.0])
@pytest.mark.parametrize(("exponent", "series"), [(0.0, slab_centre), (2.0, sphere_centre)])
def test_conduction_agrees_with_the_series_solution(biot: float, exponent: float, series) -> None:
    half = 0.04
    h = biot * CONDUCTIVITY_W_MK / half
    profile = np.full(24, 4.0)
    for minute in range(1, 241):
        profile = conduct(profile, Shape(half, exponent), h, 100.0, 60.0)
        if minute in (60, 120, 240):
            fourier = CONDUCTIVITY_W_MK / HEAT_CAPACITY_J_M3K * minute * 60 / half**2
            exact = 100.0 + (4.0 - 100.0) * series(biot, fourier)
            # The first simulator's minute steps; its first shell lies a little off the centre.
            assert profile[0] == pytest.approx(exact, abs=1.0)


def test_saturation_pressure_against_iapws() -> None:
    """IAPWS-97 saturation by the PyPI library, in MPa."""
    for temp in (5, 20, 40, 60, 80, 100):
        assert saturation_pa(temp) == pytest.approx(iapws.iapws97._PSat_T(temp + 273.15) * 1e6, rel=1e-3)


def test_latent_heat_against_iapws() -> None:
    for temp in (20, 60, 95):
        vapour, liquid = iapws.IAPWS97(T=temp + 273.15, x=1), iapws.IAPWS97(T=temp + 273.15, x=0)
        assert latent_j_per_kg(temp) == pytest.approx((vapour.h - liquid.h) * 1000, rel=0.01)


def test_vapour_pressure_against_the_psychrometric_library() -> None:
    """ASHRAE Handbook functions by the PyPI library psychrolib."""
    psychrolib.SetUnitSystem(psychrolib.SI)
    assert saturation_pa(25.0) * 0.5 == pytest.approx(psychrolib.GetVapPresFromRelHum(25.0, 0.5), rel=0.005)


def stall_minutes(pit_c: float, half_m: float = 0.05, wraps=()) -> float:
    pit = np.full(1100, pit_c)
    run = simulate(Shape(half_m, 1.2), 4.0, pit, HABITS["drum"].air, wraps)
    report = find_stalls(run.t_min, run.core_c, run.t_min, pit)
    return sum(s.length_min for s in report.stalls)


def test_a_stall_arises_from_evaporation_and_vanishes_in_a_hot_pit() -> None:
    """Common practice, no source: hours at 225 °F, little or nothing at 300 °F and more."""
    assert stall_minutes(107.0) > 90
    assert stall_minutes(107.0) > stall_minutes(121.0)
    assert stall_minutes(150.0) == 0


def time_to_finish(wraps) -> int:
    pit = np.full(1100, 121.0)
    run = simulate(Shape(0.05, 1.2), 4.0, pit, HABITS["drum"].air, wraps)
    return int(np.argmax(run.core_c >= 93.0))


def test_foil_is_faster_than_paper_and_paper_than_nothing() -> None:
    assert time_to_finish([(250, "foil")]) < time_to_finish([(250, "paper")]) < time_to_finish([])


def test_a_pit_keeps_to_its_setting_and_a_dying_fire_does_not() -> None:
    for kind in HABITS:
        assert np.median(pit_trace(kind, [(0, 110.0)], 600, seed=4)) == pytest.approx(110.0, abs=6.0)
    dying = pit_trace("offset", [(0, 135.0)], 400, seed=4, dying_from_min=100, mended_min=300)
    assert dying[250:300].mean() < 80
    assert dying[360:].mean() > 120


def test_a_seed_gives_the_same_pit_again() -> None:
    np.testing.assert_array_equal(
        pit_trace("drum", [(0, 110.0)], 200, seed=9), pit_trace("drum", [(0, 110.0)], 200, seed=9)
    )
