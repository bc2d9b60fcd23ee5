"""Properties from composition: Choi and Okos (1986), ASHRAE Refrigeration Handbook, against what water and beef are."""

from __future__ import annotations

import iapws
import numpy as np
import pytest

from bruvet.core.thermal.body import make_grid
from bruvet.core.thermal.cuts import CUTS
from bruvet.core.thermal.engine import Course, cook
from bruvet.core.thermal.meat import (
    CONDUCTIVITY,
    DENSITY,
    HEAT_CAPACITY,
    density_kg_m3,
    expressible,
    look_up,
    polynomial,
    rendered,
    tables,
)
from bruvet.core.trial.terms import Cut

from .bodies import pieces


def test_the_water_in_meat_is_water() -> None:
    """IAPWS-97 at 0.1 MPa by the PyPI library."""
    for temp in (10.0, 40.0, 80.0):
        water = iapws.IAPWS97(T=temp + 273.15, P=0.1)
        at = np.array(temp)
        assert polynomial(CONDUCTIVITY["water"], at) == pytest.approx(water.k, rel=0.02)
        assert polynomial(DENSITY["water"], at) == pytest.approx(water.rho, rel=0.02)
        assert polynomial(HEAT_CAPACITY["water"], at) == pytest.approx(water.cp * 1000, rel=0.02)


def test_lean_meat_conducts_and_stores_as_handbooks_say() -> None:
    """Lean beef near 20 °C: 0.43 to 0.53 W/mK, 3.4 to 3.7 kJ/kgK, 1040 to 1080 kg/m³; values from memory."""
    row = look_up(np.array([20.0]))
    assert 0.43 < tables().lean_k[row][0] < 0.53
    assert 1040 < density_kg_m3(0.05) < 1080
    assert 3.4e6 < tables().lean_c[row][0] / density_kg_m3(0.0) * 1000 < 3.7e6


def test_fat_takes_up_heat_where_it_melts() -> None:
    fat = tables().lean_c + tables().more_c
    melting, molten = fat[look_up(np.array([33.0, 75.0]))]
    assert melting > 2 * molten


def test_what_meat_lets_go_of_grows_with_heat_and_stops() -> None:
    temps = np.linspace(0, 100, 101)
    for curve in (expressible(temps), rendered(temps)):
        assert (np.diff(curve) > 0).all()
        assert curve[0] < 0.01
        assert 0.3 < curve[-1] < 0.6


def test_every_cut_of_the_trade_has_a_rule() -> None:
    assert set(CUTS) == {cut.value for cut in Cut} - {"other"}
    for rule in CUTS.values():
        assert 20 < rule.usual_mm < 130
        assert 0 <= rule.exponent <= 2
        assert 0 < rule.fat < 0.6


def test_heat_and_water_balance_close() -> None:
    """Heat that came to the surface is what went in and what left as vapour, to a few tenths of a percent."""
    one = pieces(wet=0.2, dry=0.01, arriving=0.6, radiant=0.6, h=9.0, fat=0.15)
    run = cook(make_grid(0.6), one, Course(np.full(2, 115.0)), 420.0, longest_step_min=0.5)
    air, surface = 115.0, run.surface_c[:, 0]
    offered = 9.0 * (air - surface) + 0.6 * 0.9 * 5.670374e-8 * ((air + 273.15) ** 4 - (surface + 273.15) ** 4)
    seconds = np.diff(run.t_min) * 60
    came = ((offered[1:] + offered[:-1]) / 2 * seconds)[8:].sum()
    gone = np.diff(run.lost_kg_m2[:, 0])[8:]
    vapour = (gone * (2.501e6 - 2.44e3 * (surface[9:] + surface[8:-1]) / 2)).sum()
    went_in = run.heat_j_m2[-1, 0] - run.heat_j_m2[8, 0]
    assert went_in + vapour == pytest.approx(came, rel=2e-3)


def test_a_piece_never_loses_more_water_than_it_has() -> None:
    """A thin sheet for a day in a fierce, dry pit: it dries out, and the solver stays within its tables."""
    thin = pieces(
        half_m=0.004, wet=0.2, dry=0.01, arriving=0.6, radiant=1.2, h=14.0, fat=0.1, mass_kg=10.0, area_m2=2.0
    )
    run = cook(make_grid(0.1), thin, Course(np.full(2, 250.0)), 1440.0)
    water = 0.004 / 1.1 * density_kg_m3(0.1) * 0.9 * 0.745
    assert run.lost_kg_m2.max() <= water * 1.1
    assert np.isfinite(run.probe_c).all()
    assert run.mean_c.max() <= 100.1
