"""Stalls in curves with two troubles, and with troubles in the midst of the stall (crossed.py)."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bruvet.core.curves.clean import clean
from bruvet.core.curves.findings import StallReport
from bruvet.core.curves.stall import Mark, find_stalls
from core.crossed import TROUBLES, family
from core.planted import Planted, assert_well_judged, judged, plant, told

EACH = 10


@pytest.fixture(scope="module")
def answers() -> list[tuple[tuple[str, ...], Planted, StallReport]]:
    return [(troubles, curve, told(curve)) for troubles, curve in family(40_000, EACH)]


def test_nineteen_in_twenty_stalls_are_found_and_hardly_a_false_one(answers) -> None:
    seen = judged(answers)
    assert seen.planted > 170
    assert_well_judged(seen, len(answers))


@pytest.mark.parametrize("troubles", TROUBLES, ids=" and ".join)
def test_no_two_troubles_hide_the_stalls(answers, troubles) -> None:
    seen = judged([one for one in answers if one[0] == troubles])
    assert seen.found >= 0.8 * seen.planted - 1
    assert seen.false <= 1


@pytest.mark.parametrize(("why", "least"), [("pit-fell", 0.9), ("probe-moved", 0.95)])
def test_two_troubles_are_both_told(answers, why, least) -> None:
    """Showers of 12 °C under a saw-tooth of 14 cannot all be told, dead fires and moved probes can."""
    seen = [
        any(n.why == why and n.onset_min < end + 15 and n.end_min > onset - 15 for n in report.not_stalls)
        for troubles, curve, report in answers
        for onset, end, what in curve.others
        if what == why and not any(one.startswith("rain") for one in troubles)
    ]
    assert len(seen) > 90
    assert sum(seen) >= least * len(seen)


def test_noise_is_no_moved_probe() -> None:
    """Readings that jitter by 0.8 °C, in steps of up to a degree: six hundred chances a curve to look like a leap."""
    false = 0
    for seed in range(60):
        curve = plant(90_000 + seed, noise_c=0.8, quantum_c=(0.0, 5 / 9, 1.0)[seed % 3], step_min=(1.0, 2.0)[seed % 2])
        false += len(clean(curve.t_min, curve.meat_c).jumps)
    assert false <= 1


@pytest.mark.parametrize("slow_min", [0.5, 1.5])
def test_a_leap_of_five_degrees_is_seen_in_quiet_readings(slow_min) -> None:
    """Drawn out by the probe's own slowness: it gets there with this time constant."""
    t = np.arange(0, 300.0)
    meat = 4 + 60 * t / 300 + np.random.default_rng(4).normal(0, 0.15, len(t))
    for step_c in (-5.0, 5.0):
        moved = meat + step_c * (1 - np.exp(-np.maximum(t - 200.3, 0) / slow_min))
        (jump,) = clean(t, moved).jumps
        assert jump.at_min == pytest.approx(201, abs=4)
        assert jump.after_c - jump.before_c == pytest.approx(step_c, abs=1.5)


def test_what_is_read_on_the_way_from_one_place_to_another_is_of_neither() -> None:
    t = np.arange(0, 300.0)
    meat = np.where(t < 150, 60.0, 50.0)
    meat[150] = 55.0
    cleaned = clean(t, meat)
    assert 55.0 not in cleaned.temp_c
    (moved,) = cleaned.mended
    assert (moved.what, moved.count, moved.is_set_aside) == ("moved", 1, True)


def test_a_shower_in_the_midst_of_a_stall_is_told_in_its_reason() -> None:
    t = np.arange(0, 760.0)
    meat = np.interp(t, [0, 20, 260, 500, 760], [4, 4, 68, 69, 92])
    pit = 118 - 18 * np.interp(t, [340, 346, 385, 397], [0, 1, 1, 0])
    (stall,) = find_stalls(t, meat, t, pit).stalls
    assert "50 °C over the meat, for 4" in stall.reason
    assert "min of it up to 18 °C less" in stall.reason


def test_a_slow_swinging_fire_with_lids_is_no_dying_one() -> None:
    """Meat stands for five hours in an offset that swings by 12 °C about 105, opened every 45 minutes."""
    t = np.arange(0, 900.0)
    meat = np.interp(t, [0, 20, 260, 560, 900], [4, 4, 67, 70, 94])
    pit = 107 + 12 * (1 - 2 * ((t / 55) % 1))
    for at in np.arange(90, 880, 45):
        pit = pit - 35 * np.where(t < at, 0, np.where(t < at + 3, 1.0, np.exp(-(t - at - 3) / 7)))
    (stall,) = find_stalls(t, meat, t, pit).stalls
    assert stall.onset_min == pytest.approx(260, abs=10)
    assert stall.end_min == pytest.approx(560, abs=10)


@settings(max_examples=60)
@given(st.integers(0, 2**32 - 1))
def test_whatever_was_read_is_judged(seed) -> None:
    """Random walks with leaps, holes and marks anywhere: every stretch told lies in time and lasts."""
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.exponential(rng.choice([0.2, 1.0, 5.0]), int(rng.integers(0, 300))))
    meat = 40 + np.cumsum(rng.normal(0.15, rng.choice([0.05, 0.5, 3.0]), len(t)))
    for at in rng.uniform(0, 300, int(rng.integers(0, 5))):
        meat = meat + rng.normal(0, 15) * (t >= at)
    meat = np.where(rng.uniform(size=len(t)) < 0.1, np.nan, meat)
    pit = 110 + np.cumsum(rng.normal(0, 1, len(t)))
    kinds = rng.choice(["wrap", "lid", "pull", "meat-on", "pit-set", "weather"], 4)
    marks = [Mark(float(at), str(kind), "foil") for at, kind in zip(rng.uniform(-20, 400, 4), kinds, strict=True)]
    report = find_stalls(t, meat, t, pit, marks)
    assert all(stall.length_min >= 24 for stall in report.stalls)
    assert all(other.end_min >= other.onset_min for other in report.not_stalls)
