"""Conduction against the series solutions with convection: Carslaw and Jaeger, Conduction of Heat in Solids."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.special import j0, j1, jn_zeros

from bruvet.core.thermal.body import make_grid, solve_all
from bruvet.core.thermal.engine import Course, cook, step_times

from .bodies import CAPACITY_J_M3K, CONDUCTIVITY_W_MK, heated, pieces

TERMS = 40


def slab_centre(biot: float, fourier: np.ndarray) -> np.ndarray:
    total = np.zeros_like(fourier)
    for n in range(TERMS):
        z = brentq(lambda x: x * np.sin(x) - biot * np.cos(x), n * np.pi, n * np.pi + np.pi / 2)
        total += 4 * np.sin(z) / (2 * z + np.sin(2 * z)) * np.exp(-z * z * fourier)
    return total


def cylinder_centre(biot: float, fourier: np.ndarray) -> np.ndarray:
    total = np.zeros_like(fourier)
    turns = np.concatenate([[0.0], jn_zeros(1, TERMS)])
    for low, high in itertools.pairwise(turns):
        z = brentq(lambda x: x * j1(x) - biot * j0(x), low + 1e-12, high)
        total += 2 / z * j1(z) / (j0(z) ** 2 + j1(z) ** 2) * np.exp(-z * z * fourier)
    return total


def sphere_centre(biot: float, fourier: np.ndarray) -> np.ndarray:
    total = np.zeros_like(fourier)
    for n in range(TERMS):
        z = brentq(lambda x: x * np.cos(x) - (1 - biot) * np.sin(x), n * np.pi + 1e-9, (n + 1) * np.pi - 1e-9)
        total += 4 * (np.sin(z) - z * np.cos(z)) / (2 * z - np.sin(2 * z)) * np.exp(-z * z * fourier)
    return total


SERIES = {0.0: slab_centre, 1.0: cylinder_centre, 2.0: sphere_centre}


def exact(exponent: float, biot: float, minutes: np.ndarray, air_c: float = 99.0) -> np.ndarray:
    fourier = CONDUCTIVITY_W_MK / CAPACITY_J_M3K * minutes * 60 / 0.04**2
    return air_c + (4.0 - air_c) * SERIES[exponent](biot, fourier)


@pytest.mark.parametrize("biot", [0.1, 0.3, 1.0, 3.0, 10.0, 30.0, 100.0])
@pytest.mark.parametrize("exponent", SERIES)
def test_the_centre_is_within_a_fifth_of_a_degree_of_the_series(exponent: float, biot: float) -> None:
    run = heated(exponent, biot, longest_step_min=0.5)
    after = run.t_min >= 5.0
    away = run.probe_c[after, 0] - exact(exponent, biot, run.t_min[after])
    assert np.abs(away).max() < 0.2


@pytest.mark.parametrize("exponent", SERIES)
def test_halving_the_steps_quarters_the_error(exponent: float) -> None:
    """Second order in time: against the same grid with steps a tenth as long."""

    def at_an_hour(step_min: float) -> float:
        return float(heated(exponent, 2.0, minutes=60.0, longest_step_min=step_min).probe_c[-1, 0])

    # Even steps throughout, so that only their size changes.
    truth = at_an_hour(0.01)
    coarse, fine = (abs(at_an_hour(step) - truth) for step in (0.1, 0.05))
    assert 3.0 < coarse / fine < 5.0


@pytest.mark.parametrize("exponent", SERIES)
def test_doubling_the_cells_quarters_the_error(exponent: float) -> None:
    def away(cells: int) -> float:
        run = heated(exponent, 2.0, minutes=120.0, cells=cells, longest_step_min=0.25)
        return abs(run.probe_c[-1, 0] - exact(exponent, 2.0, np.array([120.0]))[0])

    assert 3.0 < away(6) / away(12) < 5.5


@pytest.mark.parametrize("exponent", [0.0, 0.5, 1.0])
def test_the_steps_taken_by_default_are_good_enough_for_meat(exponent: float) -> None:
    """Against steps a hundredth as long: half a degree early on, a fifth from the third hour."""
    usual, fine = heated(exponent, 1.5), heated(exponent, 1.5, longest_step_min=0.1)
    away = np.abs(usual.probe_c[:, 0] - np.interp(usual.t_min, fine.t_min, fine.probe_c[:, 0]))
    assert away.max() < 0.5
    assert away[usual.t_min > 180].max() < 0.2


def test_a_shape_between_a_slab_and_a_cylinder_lies_between_them() -> None:
    slab, between, cylinder = (heated(e, 2.0, minutes=90.0).probe_c[-1, 0] for e in (0.0, 0.5, 1.0))
    assert slab < between < cylinder


def test_many_systems_at_once_are_each_system_alone() -> None:
    rng = np.random.default_rng(3)
    beside = np.zeros((5, 7))
    beside[:, :-1] = -rng.uniform(0.1, 1, (5, 6))
    diagonal = 3 + rng.uniform(0, 1, (5, 7))
    right = rng.normal(0, 1, (5, 7))
    together = solve_all(diagonal.copy(), beside.copy(), right.copy())
    for row in range(5):
        full = np.diag(diagonal[row]) + np.diag(beside[row, :-1], 1) + np.diag(beside[row, :-1], -1)
        np.testing.assert_allclose(together[row], np.linalg.solve(full, right[row]), rtol=1e-12)


def test_a_system_that_cannot_be_solved_says_so() -> None:
    with pytest.raises(ArithmeticError, match="not positive definite"):
        solve_all(-np.ones((1, 4)), np.zeros((1, 4)), np.ones((1, 4)))


def test_what_goes_in_through_the_surface_is_what_warms_the_body() -> None:
    """The balance closes to 0.1 %: enthalpy gained per area, c (T - T0) R / (n + 1), against heat that came in."""
    for exponent in SERIES:
        run = heated(exponent, 1.0, minutes=300.0, longest_step_min=1.0)
        gained = CAPACITY_J_M3K * (run.mean_c[-1, 0] - 4.0) * 0.04 / (exponent + 1)
        assert run.heat_j_m2[-1, 0] == pytest.approx(gained, rel=1e-3)


def test_draws_do_not_see_one_another() -> None:
    grid, course = make_grid(0.7), Course(np.full(2, 110.0))
    half = np.array([0.02, 0.03, 0.05])
    together = cook(grid, pieces(3, half_m=half, wet=0.2, arriving=0.6), course, 300.0, longest_step_min=4.0)
    for number, one in enumerate(half):
        alone = cook(grid, pieces(1, half_m=one, wet=0.2, arriving=0.6), course, 300.0, longest_step_min=4.0)
        np.testing.assert_allclose(together.probe_c[:, number], alone.probe_c[:, 0], atol=1e-6)


def test_a_cook_gone_on_with_is_the_cook_in_one_go() -> None:
    grid, course = make_grid(0.7), Course(np.full(2, 110.0), breaks_min=(120.0,))
    one = cook(grid, pieces(wet=0.2, arriving=0.6), course, 300.0)
    first = cook(grid, pieces(wet=0.2, arriving=0.6), course, 120.0)
    second = cook(grid, pieces(wet=0.2, arriving=0.6), course, 300.0, begin=first.end, begin_min=120.0)
    assert second.probe_c[-1, 0] == pytest.approx(one.probe_c[-1, 0], abs=0.05)


def test_steps_are_short_after_a_break_and_never_cross_one() -> None:
    times = step_times(200.0, [60.0, 61.5], 12.0)
    assert {60.0, 61.5} <= set(times.tolist())
    sizes = np.diff(times)
    assert sizes.max() <= 12.0 * 1.2 + 1e-9
    assert sizes[np.searchsorted(times, 60.0)] < 0.5
