"""Curves laid beside one another, and what heat did: properties, and figures that can be done by hand."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import integrate

from bruvet.core.curves.align import LEVELS_C, Lag, anchor, lag, passing, where_lost
from bruvet.core.curves.findings import Mark, Stall, StallReport
from bruvet.core.curves.heat import COLLAGEN_J_MOL, GAS_J_MOL_K, collagen_minutes, heat_measures, swing
from bruvet.core.curves.measures import Cook
from bruvet.core.thermal.cooker import HABITS, pit_trace


def cooked(temp_c: np.ndarray, pit_c: np.ndarray | float = 120.0, marks: tuple[Mark, ...] = (), **more: object) -> Cook:
    t = np.arange(len(temp_c), dtype=float)
    pit = np.broadcast_to(pit_c, t.shape).astype(float)
    end = (Mark(0.0, "meat-on"), Mark(float(t[-1]), "pull"))
    return Cook("A1", "A", t, temp_c.astype(float), t, pit, (*end, *marks), **more)  # type: ignore[arg-type]


def ramp(minutes: int, low: float = 4.0, high: float = 95.0) -> np.ndarray:
    return np.linspace(low, high, minutes + 1)


@given(st.integers(200, 600), st.floats(1.05, 2.0))
def test_a_slower_cook_is_behind_by_its_share_at_every_temperature(minutes: int, slower: float) -> None:
    first, second = cooked(ramp(minutes)), cooked(ramp(round(minutes * slower)))
    found = lag(first, second)
    known = np.isfinite(found.minutes)
    expected = (LEVELS_C - 4.0) / 91.0 * (round(minutes * slower) - minutes)
    assert np.abs(found.minutes - expected)[known].max() < 2.0


@given(st.integers(200, 500), st.integers(200, 500))
def test_lag_the_other_way_about_is_its_own_negative_and_its_parts_add_up(one: int, two: int) -> None:
    first, second = cooked(ramp(one)), cooked(ramp(two))
    there, back = lag(first, second), lag(second, first)
    np.testing.assert_allclose(there.minutes, -back.minutes, equal_nan=True)
    known = there.minutes[np.isfinite(there.minutes)]
    assert sum(stretch.minutes for stretch in where_lost(there)) == pytest.approx(known[-1] - known[0], abs=1e-6)


def test_an_hour_lost_in_a_stall_is_found_where_it_was_lost() -> None:
    straight = np.concatenate([np.linspace(4, 70, 241), np.linspace(70, 95, 121)[1:]])
    stalled = np.concatenate([np.linspace(4, 70, 241), np.linspace(70, 70.6, 61)[1:], np.linspace(70.6, 95, 118)[1:]])
    found = where_lost(lag(cooked(straight), cooked(stalled)))
    assert (found[0].low_c, found[0].high_c) == (70.0, 71.0)
    assert found[0].minutes == pytest.approx(57, abs=4)
    assert all(abs(stretch.minutes) < 3 for stretch in found[1:])


@given(st.lists(st.floats(-90, 90), min_size=5, max_size=40))
def test_any_lag_is_cut_into_stretches_that_follow_each_other_and_add_up(steps: list[float]) -> None:
    minutes = np.cumsum(steps)
    found = sorted(where_lost(Lag(np.arange(len(steps)) / 2.0 + 40.0, minutes)), key=lambda one: one.low_c)
    assert [one.low_c for one in found[1:]] == [one.high_c for one in found[:-1]]
    assert sum(one.minutes for one in found) == pytest.approx(minutes[-1] - minutes[0], abs=1e-6)


def test_what_was_lost_in_one_place_and_won_back_in_another_is_told_apart() -> None:
    """Two hours at 62 °C, as by a dead fire, and faster from 70 °C on: not one sum of both."""
    level = np.arange(5.0, 95.0, 0.5)
    minutes = np.where(level < 62.0, 0.0, 120.0) - np.clip(level - 70.0, 0, 20) * 9
    won, lost, *trifles = where_lost(Lag(level, minutes))
    assert (lost.low_c, lost.high_c, lost.minutes) == (61.5, 62.0, 120.0)
    assert (won.low_c, won.high_c) == pytest.approx((70.0, 90.0), abs=1.0)
    assert won.minutes == pytest.approx(-180, abs=5)
    assert all(abs(one.minutes) < 10 for one in trifles)


def test_a_curve_that_falls_back_has_passed_what_it_passed() -> None:
    t = np.arange(100.0)
    y = np.concatenate([np.linspace(10, 60, 50), np.linspace(60, 55, 20), np.linspace(55, 80, 30)])
    at = passing(t, y, np.array([30.0, 58.0, 70.0, 90.0]))
    assert at[1] < 50 < at[2]
    assert np.isnan(at[3])
    assert np.isnan(passing(t[:1], y[:1], np.array([30.0]))[0])


def test_cooks_are_laid_on_what_happened_to_them() -> None:
    one = cooked(ramp(300), marks=(Mark(180.0, "wrap", "foil"),))
    stalls = StallReport((Stall(150.0, 200.0, 66.0, "natural", ""),))
    assert anchor(one, stalls, "meat-on") == 0.0
    assert anchor(one, stalls, "wrap") == 180.0
    assert anchor(one, stalls, "stall") == 150.0
    assert anchor(one, StallReport(), "stall") is None
    assert anchor(one, stalls, "pull") == 300.0
    assert anchor(one, stalls, "temp", 49.5) == pytest.approx(150.0, abs=1.0)
    assert anchor(one, stalls, "temp", 97.0) is None
    with pytest.raises(ValueError, match="no way to align"):
        anchor(one, stalls, "moon")


def test_minutes_at_the_reference_are_themselves_and_others_follow_arrhenius() -> None:
    t = np.array([0.0, 60.0])
    assert collagen_minutes(t, np.array([80.0, 80.0])) == pytest.approx(60.0)
    warm = np.exp(COLLAGEN_J_MOL / GAS_J_MOL_K * (1 / 353.15 - 1 / 363.15))
    assert collagen_minutes(t, np.array([90.0, 90.0])) == pytest.approx(60.0 * warm)
    assert collagen_minutes(t, np.array([50.0, 54.0])) == 0.0
    ramped, _ = integrate.quad(
        lambda m: np.exp(COLLAGEN_J_MOL / GAS_J_MOL_K * (1 / 353.15 - 1 / (60 + m / 2 + 273.15))), 0, 60
    )
    assert collagen_minutes(t, np.array([60.0, 90.0])) == pytest.approx(ramped, rel=1e-3)


def test_figures_of_a_straight_ramp_can_be_done_by_hand() -> None:
    """4 to 95 °C in 364 min: 15 °C an hour; 60 °C after 224 min; the pit's excess integrates to a triangle."""
    found = heat_measures(cooked(ramp(364), 125.0, pit_target_c=121.0))
    assert found.rate[(60.0, 71.0)].value == pytest.approx(15.0, rel=0.02)
    assert found.above[60.0].value == pytest.approx(140.0, abs=2)
    assert found.danger.value == pytest.approx(224.0, abs=2)
    assert found.offered_c_h.value == pytest.approx((121 + 30) / 2 * 364 / 60, rel=0.01)
    assert found.pit_bias.value == pytest.approx(4.0)
    assert found.carry_over.value is None


def test_a_lids_dip_is_measured_with_how_long_it_took_and_what_it_cost() -> None:
    t = np.arange(361.0)
    since = np.maximum(t - 200, 0)
    pit = 120 - 30 * np.where(t >= 200, np.exp(-since / 10), 0.0)
    (lid,) = heat_measures(cooked(ramp(360), pit, (Mark(200.0, "lid"),))).lids
    assert lid.dip_c == pytest.approx(30.0, abs=1)
    assert lid.back_min == pytest.approx(10 * np.log(10), abs=2)
    assert lid.cost_c_h == pytest.approx(30 * 10 * 0.9 / 60, rel=0.1)


def dip(t: np.ndarray, at: float, deep: float = 40.0) -> np.ndarray:
    return deep * np.where(t < at, 0, np.where(t < at + 4, 1.0, np.exp(-(t - at - 4) / 6)))


def test_what_was_done_at_one_opening_is_one_opening() -> None:
    t = np.arange(400.0)
    marks = (Mark(120.0, "lid"), Mark(121.5, "spritz"), Mark(123.0, "wrap", "foil"), Mark(240.0, "lid"))
    found = heat_measures(cooked(ramp(399), 120.0 - dip(t, 120) - dip(t, 240), marks))
    assert [round(lid.at_min) for lid in found.lids] == [120, 240]
    assert found.lids[0].cost_c_h == pytest.approx(found.lids[1].cost_c_h, rel=0.02)


def test_a_fire_that_dies_at_an_opening_is_not_what_the_lid_cost() -> None:
    t = np.arange(400.0)
    dying = np.interp(t, [118, 190, 260, 280], [120, 50, 50, 120])
    found = heat_measures(cooked(ramp(399), dying, (Mark(120.0, "lid"),)))
    assert found.lids == ()
    assert found.lid_back.value is None


def test_a_dip_that_nobody_marked_is_told_as_such() -> None:
    t = np.arange(400.0)
    found = heat_measures(cooked(ramp(399), 120.0 - dip(t, 150) - dip(t, 300), (Mark(150.0, "lid"),)))
    assert [(round(lid.at_min, -1), lid.marked) for lid in found.lids] == [(150, True), (300, False)]


def test_openings_soon_after_one_another_each_have_their_own_cost() -> None:
    t = np.arange(400.0)
    found = heat_measures(
        cooked(ramp(399), 120.0 - dip(t, 150) - dip(t, 180, 55), (Mark(150.0, "lid"), Mark(180.0, "lid")))
    )
    assert [lid.dip_c for lid in found.lids] == [pytest.approx(40, abs=2), pytest.approx(55, abs=2)]


@pytest.mark.parametrize("kind", ["pellet", "offset", "cabinet"])
def test_the_period_of_a_swing_is_the_cookers_own(kind: str) -> None:
    """The simulated cookers' own periods: 8 to 58 min, as their table says."""
    pit = pit_trace(kind, [(0.0, 121.0)], 900, seed=3)
    period, size = swing(np.arange(900.0), pit)
    assert period.value == pytest.approx(HABITS[kind].period_min, rel=0.15)
    assert size.value == pytest.approx(HABITS[kind].swing_c, rel=0.6)


def test_a_steady_pit_has_no_swing_and_too_short_a_one_says_so() -> None:
    t = np.arange(300.0)
    assert swing(t, np.full(300, 120.0))[0].reason == "a steady pit"
    assert swing(t[:40], t[:40])[0].reason == "too short for a swing"


def test_nothing_known_says_why() -> None:
    found = heat_measures(Cook("A1", "A"))
    assert found.collagen_min.reason == "no internal readings"
    assert found.offered_c_h.reason.startswith("needs readings")
    assert found.lids == ()
