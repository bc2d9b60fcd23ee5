"""Cleaning is listed, can be taken back, changes no clean curve, and never joins what it cut."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bruvet.core.curves.clean import TakenBack, clean
from bruvet.core.curves.median import median
from bruvet.core.curves.several import as_one, chosen
from bruvet.core.twin.case import Case
from bruvet.core.twin.forecast import forecast
from core.planted import plant, smooth


def rising(noise: float = 0.15, seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    t = np.arange(0, 480.0)
    return t, 4 + 80 * (1 - np.exp(-t / 220)) + np.random.default_rng(seed).normal(0, noise, len(t))


def kinds(curve) -> list[str]:
    return [one.what for one in curve.mended]


@settings(max_examples=60, deadline=None)
@given(seed=st.integers(0, 10_000), step=st.sampled_from([0.5, 1.0, 2.0, 5.0]), fast=st.floats(60, 400))
def test_a_clean_curve_is_left_as_it_is(seed: int, step: float, fast: float) -> None:
    t = np.arange(0, 600, step)
    y = 4 + 85 * (1 - np.exp(-t / fast)) + np.random.default_rng(seed).normal(0, 0.1, len(t))
    found = clean(t, y)
    assert found.mended == ()
    assert found.jumps == ()
    np.testing.assert_allclose(np.interp(found.t_min, t, y), found.temp_c, atol=0.6)
    again = clean(found.t_min, found.temp_c)
    np.testing.assert_array_equal(again.temp_c, found.temp_c)


@pytest.mark.parametrize("seed", range(12))
def test_planted_curves_without_a_fault_are_not_cut(seed: int) -> None:
    curve = smooth(seed, stall=True)
    assert clean(curve.t_min, curve.meat_c).jumps == ()


def test_a_spike_is_set_aside_listed_and_can_be_taken_back() -> None:
    t, y = rising()
    y[200] += 25
    found = clean(t, y)
    assert kinds(found) == ["spike"]
    assert found.mended[0].count == 1
    assert 200.0 not in found.t_min
    back = clean(t, y, taken_back=[TakenBack("spike", 200, 200)])
    assert back.mended == ()
    assert back.temp_c[list(back.t_min).index(200.0)] == y[200]


def test_a_probe_that_was_out_leaves_a_hole_and_no_guess() -> None:
    t, y = rising()
    y[150:165] = 24.0
    found = clean(t, y)
    assert kinds(found) == ["out"]
    assert not ((found.t_min >= 150) & (found.t_min < 165)).any()
    assert len(found.segments()) == 2
    assert len(clean(t, y, taken_back=[TakenBack("out", 150, 165)]).t_min) == len(t)


def test_a_moved_probe_cuts_the_curve_until_that_is_taken_back() -> None:
    t, y = rising()
    y[240:] -= 9
    found = clean(t, y)
    (moved,) = found.mended
    assert moved.what == "moved"
    assert moved.from_min == pytest.approx(240, abs=1)
    assert moved.step_c == pytest.approx(-9, abs=1)
    assert len(found.segments()) == 2
    assert len(clean(t, y, taken_back=[TakenBack("moved", 240, 240)]).segments()) == 1


def test_a_gap_is_a_gap() -> None:
    t, y = rising()
    kept = (t < 100) | (t > 130)
    found = clean(t[kept], y[kept])
    assert [(one.what, one.from_min, one.until_min) for one in found.mended] == [("gap", 99.0, 131.0)]
    assert len(found.segments()) == 2


def test_rounding_is_seen_and_impossible_readings_are_counted() -> None:
    t, y = rising()
    assert clean(t, np.round(y)).quantum_c == pytest.approx(1.0)
    y[50:53] = [999, -200, 400]
    found = clean(t, y)
    assert kinds(found) == ["impossible"]
    assert found.mended[0].count == 3


def test_a_leap_in_the_middle_of_a_minute_is_one_leap() -> None:
    t = np.arange(0, 300, 0.5)
    y = 10 + 0.15 * t + np.where(t >= 150.5, -6.5, 0.0)
    (jump,) = clean(t, y).jumps
    assert jump.after_c - jump.before_c == pytest.approx(-6.5, abs=0.3)


@pytest.mark.parametrize("fault", ["spikes", "out", "moved", "gap"])
@pytest.mark.parametrize("seed", range(6))
def test_every_planted_fault_is_listed(fault: str, seed: int) -> None:
    curve = plant(seed, stall=None, fault=fault)
    wanted = {"spikes": "spike"}.get(fault, fault)
    assert wanted in kinds(clean(curve.t_min, curve.meat_c))


def test_several_probes_are_read_as_the_person_chose() -> None:
    t = np.arange(0, 300.0)
    places = {1: "flat thick", 2: "flat thin", 3: "point"}
    levels = {1: 10 + 0.2 * t, 2: 14 + 0.2 * t, 3: 8 + 0.22 * t}
    curves = {probe: clean(t, y) for probe, y in levels.items()}

    def read(how: str) -> np.ndarray:
        return as_one([curves[probe] for probe in chosen(places, how)], how).temp_c

    np.testing.assert_allclose(read(""), np.min(list(levels.values()), axis=0), atol=0.3)
    np.testing.assert_allclose(read("mean"), np.mean(list(levels.values()), axis=0), atol=0.3)
    np.testing.assert_allclose(read("part:flat"), (levels[1] + levels[2]) / 2, atol=0.3)
    np.testing.assert_allclose(read("probe:3"), levels[3], atol=0.3)
    np.testing.assert_allclose(read("probe:99"), read(""), err_msg="a choice that is not there is none")


def test_a_probe_speaks_only_near_its_own_readings() -> None:
    t = np.arange(0, 300.0)
    cold, warm = clean(t[:100], 10 + 0.1 * t[:100]), clean(t, 20 + 0.1 * t)
    found = as_one([cold, warm], "")
    assert found.temp_c[found.t_min == 90][0] == pytest.approx(19, abs=0.2)
    assert found.temp_c[found.t_min == 200][0] == pytest.approx(40, abs=0.2)


@pytest.mark.parametrize("settles_min", [1.0, 2.0, 4.0])
@pytest.mark.parametrize("step_c", [-9.0, 9.0])
@pytest.mark.parametrize("every_min", [1 / 6, 1.0, 2.0])
def test_a_moved_probe_that_takes_minutes_to_settle_is_a_leap_still(settles_min, step_c, every_min) -> None:
    """A probe's tip answers with minutes of delay: no two readings need be far apart."""
    t = np.arange(0, 600, every_min)
    y = np.interp(t, [0, 30, 300, 480, 600], [4, 4, 68, 70, 82])
    moved = np.where(t < 200, 0.0, step_c * (1 - np.exp(-np.maximum(t - 200, 0) / settles_min)))
    (jump,) = clean(t, y + moved + np.random.default_rng(1).normal(0, 0.15, len(t))).jumps
    assert jump.at_min == pytest.approx(203, abs=5)
    # What comes late is not all counted.
    assert 0.45 < (jump.after_c - jump.before_c) / step_c < 1.3


@pytest.mark.parametrize("cut", ["pork-loin-ribs", "brisket-flat", "turkey-thigh", "beef-cheek"])
@pytest.mark.parametrize("pit_c", [107.0, 165.0, 200.0])
def test_thin_meat_in_a_hot_pit_rises_fast_and_does_not_leap(cut: str, pit_c: float) -> None:
    """As the twin has it, put in foil after an hour: the quickest that meat gets."""
    told = forecast(Case(cut, 0.8, pit_c=((0.0, pit_c),), wraps=((60.0, "foil"),)), draws=8)
    t = np.arange(0, told.t_min[-1], 1.0)
    y = np.interp(t, told.t_min, told.p50_c) + np.random.default_rng(2).normal(0, 0.1, len(t))
    assert not clean(t, y).jumps


@given(st.lists(st.floats(-40, 120), min_size=1, max_size=60))
def test_the_quick_median_is_numpys(values: list[float]) -> None:
    assert median(np.array(values)) == pytest.approx(float(np.median(values)), abs=1e-9)
