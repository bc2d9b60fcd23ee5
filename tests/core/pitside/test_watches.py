"""Watches on simulated days: each planted fault is told in time, and ordinary days stay quiet.

Which watch answers which fault, and how soon, is ours; that a fire that died looks like a stall and that a probe against
bone reads anything is common practice, no source. The larger run whose rates stand in docs/method.md is
`python -m core.pitside.rates`.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from bruvet.core.curves.findings import Mark, Stall
from bruvet.core.pitside.lane import Lane, Plan, Series, Told, fuel_left, phase, stall_words
from bruvet.core.pitside.watches import watch
from bruvet.core.units import Units

from .faults import FAULTS, planted
from .simulated import ordinary

C = Units("c", "kg")
EXPECTED = {"target-near", "target-reached", "stall-began", "stall-ended"}


@pytest.mark.parametrize("name", sorted(FAULTS))
def test_a_planted_fault_is_told_in_time(name: str) -> None:
    _, wanted, within = FAULTS[name]
    for seed in (1, 4):
        day, at = planted(name, seed)
        until = day.faults.get("until", min(at + within + 5, day.logged.pull_min + 20))
        told = [m - at for m, alarm in day.alarms(1.0, until) if alarm.kind in wanted and m >= at - 1]
        assert told, (name, seed)
        assert told[0] <= within, (name, seed, told[0])


def test_ordinary_days_are_quiet() -> None:
    """Eight cookers, a day each: nothing but what is to be told of any cook. The rate over 128 days is in method.md."""
    wrong = [(seed, m, a.words) for seed in range(8) for m, a in ordinary(seed).alarms() if a.kind not in EXPECTED]
    assert wrong == []


def test_an_open_lid_is_not_a_dying_fire() -> None:
    for seed in range(8):
        day = ordinary(seed, lid=((100.0, 5.0), (150.0, 8.0), (155.0, 6.0)))
        kinds = {a.kind for m, a in day.alarms(1.0, 200.0)}
        assert not kinds & {"fire-dying", "pit-low"}, seed


def lane(**more: object) -> Lane:
    values: dict[str, object] = {
        "letter": "A",
        "kind": "drum",
        "now_min": 200.0,
        "plan": Plan(pit_c=121.0, done_at_c=95.0),
        "marks": (Mark(0.0, "meat-on"),),
    }
    return Lane(**{**values, **more})  # type: ignore[arg-type]


def steady(place: str, value: float, until: float = 200.0, pit: bool = False, slope: float = 0.05) -> Series:
    t = np.arange(0.0, until + 0.5)
    return Series(place, t, value + slope * (t - until) + 0.1 * np.sin(t), pit)


def test_a_finish_past_serving_is_told_with_how_late() -> None:
    told = Told(200.0, (420.0, 460.0, 500.0))
    late = lane(
        told=told, serve_min=480.0, inner=(steady("middle", 70),), pits=(steady("grate", 121, pit=True, slope=0),)
    )
    (alarm,) = [a for a in watch(replace(late, plan=replace(late.plan, rest_min=60.0)), C) if a.kind == "late"]
    assert "55 min after serving" in alarm.words
    assert not [a for a in watch(replace(late, serve_min=600.0), C) if a.kind == "late"]


def test_a_stall_is_told_when_it_has_lasted_and_when_it_is_over() -> None:
    inner = (steady("middle", 68, slope=0),)
    going = lane(inner=inner, stalls=(Stall(150.0, 200.0, 68.0, "open", ""),))
    assert "stall-began" in {a.kind for a in watch(going, C)}
    over = lane(inner=inner, stalls=(Stall(100.0, 180.0, 68.0, "natural", ""),))
    assert "stall-ended" in {a.kind for a in watch(over, C)}
    assert stall_words(going) == "in the stall for 50 min"
    assert stall_words(over) == "stall over, 80 min long"


def test_time_is_the_rule_where_the_plan_says_so() -> None:
    timed = lane(plan=Plan(pit_c=121.0, done_rule="time", done_at_min=205.0), inner=(steady("middle", 80),))
    assert {a.kind for a in watch(timed, C)} >= {"target-near"}
    assert {a.kind for a in watch(replace(timed, now_min=206.0), C)} >= {"target-reached"}


def test_whole_degrees_that_stand_still_in_a_stall_are_no_dead_probe() -> None:
    t = np.arange(0.0, 201.0)
    whole = Series("middle", t, np.round(np.where(t < 120, 40 + t / 4, 70.0)))
    assert "probe-flat" not in {a.kind for a in watch(lane(inner=(whole,), stalls=()), C)}


def test_phases_and_fuel() -> None:
    assert phase(lane(marks=())) == "not on yet"
    assert phase(lane()) == "bare"
    wrapped = lane(marks=(Mark(0, "meat-on"), Mark(90, "wrap", "paper")))
    assert phase(wrapped) == "in paper"
    assert phase(replace(wrapped, marks=(*wrapped.marks, Mark(150, "unwrap")))) == "bare"
    assert phase(replace(wrapped, marks=(*wrapped.marks, Mark(150, "pull")))) == "resting"
    assert fuel_left(lane()) is None
    assert fuel_left(lane(plan=Plan(load_h=4.0), marks=(Mark(0, "meat-on"), Mark(80, "fuel")))) == pytest.approx(0.5)
