"""How many: against statsmodels for t tests, and against the exact binomial that the ISO tables are made of."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import binom
from statsmodels.stats.power import TTestIndPower, TTestPower

from bruvet.core.trial.power import (
    least_difference,
    lone_difference,
    panel_power,
    pieces_needed,
    power_of_groups,
    power_of_pairs,
    spread_in_pairs,
    tasters_needed,
)


@settings(max_examples=60, deadline=None)
@given(effect=st.floats(0.1, 3.0), pieces=st.integers(2, 60))
def test_the_power_of_two_groups_is_statsmodels(effect: float, pieces: int) -> None:
    known = TTestIndPower().power(effect_size=effect, nobs1=pieces, alpha=0.05)
    # Where statsmodels has no number, the chance is as good as sure.
    known = known if np.isfinite(known) else 1.0
    assert power_of_groups(effect * 30.0, 30.0, pieces) == pytest.approx(known, abs=1e-6)


@settings(max_examples=60, deadline=None)
@given(effect=st.floats(0.1, 3.0), pairs=st.integers(2, 60))
def test_the_power_of_pairs_is_statsmodels(effect: float, pairs: int) -> None:
    known = TTestPower().power(effect_size=effect, nobs=pairs, alpha=0.05)
    known = known if np.isfinite(known) else 1.0
    assert power_of_pairs(effect * 30.0, 30.0, pairs) == pytest.approx(known, abs=1e-6)


@pytest.mark.parametrize("effect", [0.5, 0.8, 1.0, 2.0])
def test_the_pieces_needed_are_statsmodels_rounded_up(effect: float) -> None:
    """Cohen (1988): 64 a group for a medium effect of 0.5 at 80 %."""
    known = TTestIndPower().solve_power(effect_size=effect, power=0.8, alpha=0.05)
    assert pieces_needed(effect, 1.0) == int(np.ceil(known - 1e-9))
    if effect == 0.5:
        assert pieces_needed(effect, 1.0) == 64


def test_the_least_difference_is_the_one_that_needs_that_many() -> None:
    for pieces in (2, 4, 9):
        found = least_difference(30.0, pieces)
        assert found is not None
        assert power_of_groups(found, 30.0, pieces) == pytest.approx(0.8, abs=1e-6)
    assert least_difference(30.0, 1) is None


def test_one_piece_an_arm_shows_only_what_like_pieces_seldom_do() -> None:
    rng = np.random.default_rng(3)
    gaps = np.abs(rng.normal(0, 30, 40000) - rng.normal(0, 30, 40000))
    assert np.mean(gaps > lone_difference(30.0)) == pytest.approx(0.05, abs=0.005)


def test_halves_of_one_piece_need_fewer() -> None:
    groups = pieces_needed(40.0, 40.0)
    pairs = pieces_needed(40.0, spread_in_pairs(40.0), paired=True)
    assert groups is not None
    assert pairs is not None
    assert pairs < groups


# Least number of correct answers at 5 % (values from memory of ISO 4120 and ISO 10399, confirmed by SciPy below).
TRIANGLE = {6: 5, 12: 8, 18: 10, 24: 13, 30: 15, 60: 27}
DUO_TRIO = {8: 7, 12: 10, 20: 15, 32: 22}


@pytest.mark.parametrize(("tasters", "least"), TRIANGLE.items())
def test_the_triangle_table(tasters: int, least: int) -> None:
    assert panel_power(tasters, 1 / 3, 0.5).least == least
    assert binom.sf(least - 1, tasters, 1 / 3) <= 0.05 < binom.sf(least - 2, tasters, 1 / 3)


@pytest.mark.parametrize(("tasters", "least"), DUO_TRIO.items())
def test_the_duo_trio_table(tasters: int, least: int) -> None:
    assert panel_power(tasters, 0.5, 0.75).least == least
    assert binom.sf(least - 1, tasters, 0.5) <= 0.05 < binom.sf(least - 2, tasters, 0.5)


def test_the_tasters_needed_are_enough_and_nearly_the_fewest() -> None:
    for guess, truth, two_sided in ((1 / 3, 0.6, False), (0.5, 0.75, True)):
        count = tasters_needed(guess, truth, two_sided=two_sided)
        assert count is not None
        assert panel_power(count, guess, truth, two_sided=two_sided).power >= 0.8
        assert panel_power(max(count - 8, 3), guess, truth, two_sided=two_sided).power < 0.9
    assert tasters_needed(0.5, 0.505) is None


def test_too_few_pieces_is_an_error() -> None:
    with pytest.raises(ValueError, match="two pieces"):
        power_of_groups(10, 10, 1)
    with pytest.raises(ValueError, match="two pairs"):
        power_of_pairs(10, 0, 5)
