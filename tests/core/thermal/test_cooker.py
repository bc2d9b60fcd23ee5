"""Cookers: pits that keep to their setting each in its own way, lids, fires that die, fuel."""

from __future__ import annotations

import numpy as np
import pytest

from bruvet.core.thermal.cooker import HABITS, burnt_kg, follow_settings, lid_dip, pit_trace
from bruvet.core.trial.terms import CookerKind


def test_every_kind_of_cooker_has_habits() -> None:
    assert set(HABITS) == {kind.value for kind in CookerKind}


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


def test_a_thermostat_hunts_and_a_stick_burner_swings_as_the_trade_says() -> None:
    """Pellet 5 to 15 °F around the set point, offset swings of 20 to 25 °F (common practice, no source)."""
    span = {}
    for kind in ("pellet", "offset"):
        pit = pit_trace(kind, [(0, 121.0)], 900, seed=3)
        span[kind] = (np.percentile(pit, 95) - np.percentile(pit, 5)) * 1.8
    assert 5 < span["pellet"] < 22
    assert 20 < span["offset"] < 50


def test_a_ceramic_cooker_is_quick_up_and_slow_down() -> None:
    up = follow_settings("ceramic", [(0, 107.0), (10, 135.0)], 200)
    down = follow_settings("ceramic", [(0, 135.0), (10, 107.0)], 200)
    assert up[70] > 130
    assert down[70] > 120


def test_a_lid_costs_heat_and_the_pit_comes_home() -> None:
    dip = lid_dip("pellet", 120, [(30, 2.0)])
    assert dip[:30].max() == 0
    assert 10 < dip.max() < 40
    assert dip[90] < 1


def test_wood_pushes_the_pit_up_and_refuelling_dips_it_first() -> None:
    plain = pit_trace("bullet", [(0, 110.0)], 200, seed=5)
    assert (pit_trace("bullet", [(0, 110.0)], 200, seed=5, wood_min=[60]) - plain)[60:90].max() > 5
    refuelled = pit_trace("bullet", [(0, 110.0)], 200, seed=5, refuel_min=[60]) - plain
    assert refuelled[60:72].min() < -5
    assert refuelled[80:130].max() > 3


def test_a_pellet_cooker_burns_about_a_pound_an_hour_at_250() -> None:
    """About 1 lb/h (0.45 kg/h) at 250 °F, less at 225 (common practice, no source)."""
    hour = np.full(60, 121.1)
    assert burnt_kg("pellet", hour, 20.0)[-1] == pytest.approx(0.45, abs=0.03)
    assert burnt_kg("pellet", hour - 14, 20.0)[-1] < 0.42
    assert burnt_kg("pellet", hour, 0.0)[-1] > 0.5
