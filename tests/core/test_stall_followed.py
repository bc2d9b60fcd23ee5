"""Stalls in curves that follow the pit by a law of their own (followed.py), and the facts that such curves must obey."""

import numpy as np
import pytest

from bruvet.core.curves.clean import clean
from bruvet.core.curves.findings import StallReport
from bruvet.core.curves.pit import pit_on
from bruvet.core.curves.stall import Mark, find_stalls
from core.followed import FAULTS, Wish, family
from core.planted import Planted, assert_well_judged, judged, told, told_apart

EACH = 8


@pytest.fixture(scope="module")
def answers() -> list[tuple[Wish, Planted, StallReport]]:
    return [(wish, curve, told(curve)) for wish, curve in family(500_000, EACH)]


def test_nineteen_in_twenty_stalls_are_found_and_hardly_a_false_one(answers) -> None:
    seen = judged(answers)
    assert seen.planted > 250
    assert_well_judged(seen, len(answers))


@pytest.mark.parametrize("fault", FAULTS)
def test_no_single_fault_hides_the_stalls(answers, fault) -> None:
    seen = judged([one for one in answers if one[0].fault == fault])
    assert seen.found >= 0.9 * seen.planted - 1


@pytest.mark.parametrize(("fault", "why"), [("dead-fire", "pit-fell"), ("moved", "probe-moved")])
def test_a_dead_fire_and_a_moved_probe_are_told_apart(answers, fault, why) -> None:
    mine = [one for one in answers if one[0].fault == fault]
    right = sum(told_apart(curve, report, why) for _, curve, report in mine)
    assert right >= 0.95 * len(mine) - 1


def test_a_gap_on_the_way_into_the_stall_is_no_moved_probe() -> None:
    """Readings every five minutes, none for forty while the meat comes to a stand: nothing says the probe was moved."""
    t = np.arange(0, 500.0, 5.0)
    meat = np.where(t < 240, 4 + 66 * t / 240, np.where(t < 420, 70.0, 70.0 + (t - 420) / 8))
    seen = (t < 232) | (t > 272)
    cleaned = clean(t[seen], meat[seen])
    assert not cleaned.jumps
    assert [one.what for one in cleaned.mended] == ["gap"]
    (stall,) = find_stalls(t[seen], meat[seen], t, np.full(len(t), 115.0)).stalls
    assert stall.end_min == pytest.approx(420, abs=10)


def test_a_lid_leaves_the_level_of_the_fire_as_it_was() -> None:
    t = np.arange(0, 400.0)
    pit = np.full(len(t), 120.0)
    for at in (150, 175, 200):
        pit -= 45 * np.where(t < at, 0, np.where(t < at + 5, 1.0, np.exp(-(t - at - 5) / 6)))
    seen = pit_on(t, t, pit)
    assert len(seen.dips) == 3
    assert all(dip.is_lid for dip in seen.dips)
    assert seen.level_c.min() > 112


def test_what_opened_lids_cost_is_no_stall() -> None:
    """The meat rises by what heat it gets; the lid stands open a third of the time for an hour, and nothing else."""
    t = np.arange(0, 520.0)
    pit = np.full(len(t), 120.0)
    for at in range(215, 275, 12):
        pit -= 75 * np.where((t >= at) & (t < at + 6), 1.0, 0) * 1.0
    meat = np.zeros(len(t))
    meat[0] = 4.0
    for i in range(1, len(t)):
        meat[i] = meat[i - 1] + 0.22 * (pit[max(i - 10, 0)] - meat[i - 1]) / 60
    assert not find_stalls(t, meat, t, pit).stalls


def test_meat_that_cools_in_the_cooker_is_no_stall() -> None:
    """It had been hotter and never is again: held warm, not stalled."""
    t = np.arange(0, 600.0)
    meat = np.where(t < 300, 4 + 88 * t / 300, np.maximum(92 - (t - 300) / 3, 75.0))
    report = find_stalls(t, meat, t, np.where(t < 300, 130.0, 78.0))
    assert not report.stalls


def test_a_stall_in_which_the_probe_was_moved_is_one_stall_still() -> None:
    t = np.arange(0, 620.0)
    meat = np.where(t < 240, 4 + 66 * t / 240, np.where(t < 440, 70.0, 70.0 + (t - 440) / 7))
    meat = meat - 6.0 * (t >= 330)
    report = find_stalls(t, meat, t, np.full(len(t), 115.0), [Mark(0, "meat-on")])
    assert any(n.why == "probe-moved" for n in report.not_stalls)
    assert sum(s.length_min for s in report.stalls) > 150


def test_the_slow_climb_behind_a_stall_is_not_counted_with_it() -> None:
    t = np.arange(0, 900.0)
    meat = np.interp(t, [0, 300, 420, 900], [4, 70, 70.2, 94])
    (stall,) = find_stalls(t, meat, t, np.full(len(t), 108.0)).stalls
    assert stall.end_min == pytest.approx(420, abs=10)
