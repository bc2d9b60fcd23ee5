"""Calls: each school's rule, what it would do, and when it is not asked. The rules are common practice, no source."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from bruvet.core.curves.findings import Mark, Stall
from bruvet.core.pitside.calls import asked_once, calls
from bruvet.core.pitside.lane import Felt, Lane, Plan, Seen, Series, Told, due
from bruvet.core.units import Units

C = Units("c", "kg")
STALLED = (Stall(180.0, 240.0, 68.0, "open", ""),)


def at(value: float, place: str = "middle", now: float = 240.0) -> Series:
    t = np.arange(0.0, now + 0.5)
    return Series(place, t, value - 0.02 * (now - t))


def lane(value: float = 68.0, now: float = 240.0, **more: object) -> Lane:
    values: dict[str, object] = {
        "letter": "A", "kind": "drum", "now_min": now, "plan": Plan(pit_c=121.0, done_at_c=95.0), "inner": (at(value, now=now),),
        "marks": (Mark(0.0, "meat-on"), Mark(now - 20, "lid")),
    }  # fmt: skip
    return Lane(**{**values, **more})  # type: ignore[arg-type]


def kinds(one: Lane, *others: Lane) -> list[str]:
    return [call.kind for call in calls([one, *others], C)]


def plan(**more: object) -> Plan:
    return Plan(pit_c=121.0, done_at_c=95.0, wrap_in="foil", **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("rule", "ready", "not_ready"),
    [
        (plan(wrap_rule="temperature", wrap_at_c=66.0), {}, {"inner": (at(60.0),)}),
        (plan(wrap_rule="clock", wrap_at_min=245.0), {}, {"now_min": 200.0}),
        (plan(wrap_rule="stall"), {"stalls": STALLED}, {"stalls": ()}),
        (plan(wrap_rule="bark"), {"looks": (Seen(220.0, "set"),)}, {"looks": (Seen(220.0, "tacky"),)}),
        (plan(wrap_rule="stall-and-bark"), {"stalls": STALLED, "looks": (Seen(220.0, "set"),)}, {"stalls": STALLED, "looks": (Seen(220.0, "wet"),)}),
        (plan(wrap_rule="stall-and-bark"), {"stalls": STALLED, "looks": (Seen(220.0, "set"),)}, {"looks": (Seen(220.0, "set"),)}),
    ],
)  # fmt: skip
def test_each_school_wraps_by_its_own_rule(rule, ready, not_ready) -> None:
    assert "wrap" in kinds(lane(plan=rule, **ready))
    assert "wrap" not in kinds(replace(lane(plan=rule), **not_ready))
    wrapped = lane(plan=rule, **ready)
    assert "wrap" not in kinds(replace(wrapped, marks=(*wrapped.marks, Mark(230.0, "wrap", "foil"))))


def test_never_is_never() -> None:
    assert "wrap" not in kinds(lane(value=80.0, stalls=STALLED, looks=(Seen(230.0, "set"),)))


def test_a_wrap_call_says_its_reason_its_school_and_what_other_wraps_would_do() -> None:
    options = (("go on as it is", 450.0), ("foil now", 395.0), ("never wrap it", 600.0))
    told = Told(238.0, (400.0, 450.0, 520.0), options, give_or_take={"foil now": 18.0})
    (call,) = [
        c for c in calls([lane(plan=plan(wrap_rule="temperature", wrap_at_c=66.0), told=told)], C) if c.kind == "wrap"
    ]
    assert call.ask == "Wrap A in foil?"
    assert "the rule 66 °C" in call.reason
    assert call.school == "At an internal temperature"
    assert "foil now: 55 min sooner, give or take 18 min" in call.effect
    assert "never wrap it: 2 h 30 min later" in call.effect
    assert call.do == "wrap:foil"


def test_a_bark_that_nobody_has_seen_is_to_be_looked_at() -> None:
    assert "bark" in kinds(lane(plan=plan(wrap_rule="stall-and-bark"), stalls=STALLED))
    assert "bark" not in kinds(
        lane(plan=plan(wrap_rule="stall-and-bark"), stalls=STALLED, looks=(Seen(225.0, "tacky"),))
    )


def test_spritz_is_due_by_the_plan_and_not_needed_on_a_wet_bark() -> None:
    sprayed = lane(plan=plan(spritz_every_min=45.0), marks=(Mark(0, "meat-on"), Mark(190.0, "spritz")))
    (call,) = [c for c in calls([sprayed], C) if c.kind == "spritz"]
    assert "50 min since the last" in call.reason
    (wet,) = [c for c in calls([replace(sprayed, looks=(Seen(220.0, "wet"),))], C) if c.kind == "spritz"]
    assert "needs none" in wet.reason
    assert "spritz" not in kinds(replace(sprayed, now_min=220.0))


def test_done_asks_for_the_probe_and_a_pull_only_when_nothing_drags() -> None:
    """A temperature band opens the question and the feel of a probe answers it (common practice, no source)."""
    warm = lane(value=93.5)
    assert "done" in kinds(warm)
    assert "pull" not in kinds(warm)
    firm = replace(
        warm, looks=(Seen(235.0, "set", "", (Felt("thick end", 92.0, "firm"), Felt("thin end", 96.0, "no-drag"))),)
    )
    (call,) = [c for c in calls([firm], C) if c.kind == "done"]
    assert "thick end still drags" in call.reason
    soft = replace(
        warm, looks=(Seen(235.0, "set", "", (Felt("thick end", 94.0, "no-drag"), Felt("thin end", 96.0, "no-drag"))),)
    )
    (pull,) = [c for c in calls([soft], C) if c.kind == "pull"]
    assert "no drag at thick end, thin end" in pull.reason
    assert "carry-over" in pull.effect
    assert "done" not in kinds(lane(value=80.0))


def test_temperature_and_time_rules_pull_without_the_feel() -> None:
    assert "pull" in kinds(lane(value=95.5, plan=Plan(pit_c=121.0, done_rule="temperature", done_at_c=95.0)))
    assert "pull" in kinds(lane(value=80.0, plan=Plan(pit_c=121.0, done_rule="time", done_at_min=242.0)))
    assert "pull" not in kinds(lane(value=80.0, plan=Plan(pit_c=121.0, done_rule="time", done_at_min=300.0)))


def test_a_rest_is_over_when_the_plan_says_so_and_sooner_when_it_is_no_longer_hot() -> None:
    marks = (Mark(0, "meat-on"), Mark(200.0, "pull"))
    resting = lane(marks=marks, plan=Plan(rest_min=60.0), told=Told(199.0, (None, None, None), (), 97.0, 300.0))
    assert "rest" not in kinds(resting)
    assert "rest" in kinds(replace(resting, now_min=262.0))
    (cold,) = calls([replace(resting, told=Told(199.0, (None, None, None), (), 97.0, 30.0))], C)
    assert "local food code decides" in cold.effect


def test_places_far_apart_are_turned() -> None:
    apart = lane(inner=(at(60.0, "thin end"), at(72.0, "thick end")))
    (call,) = [c for c in calls([apart], C) if c.kind == "rotate"]
    assert "thick end is 12 °C ahead of thin end" in call.reason
    assert "rotate" not in kinds(lane(inner=(at(68.0, "thin end"), at(72.0, "thick end"))))


def test_an_arm_that_is_ahead_is_to_be_held_raised_or_left() -> None:
    first = lane(told=Told(238.0, (300.0, 320.0, 350.0)), serve_min=560.0)
    options = (("go on as it is", 480.0), ("pit to 135 °C", 430.0))
    second = replace(lane(told=Told(238.0, (430.0, 480.0, 560.0), options), serve_min=560.0), letter="B")
    (call,) = [c for c in calls([first, second], C) if c.kind == "apart"]
    assert call.ask.startswith("A is 2 h 40 min ahead of B")
    assert "pit to 135 °C: 50 min sooner" in call.effect
    assert "rests differ" in call.effect
    assert "apart" not in kinds(first, replace(second, told=Told(238.0, (300.0, 340.0, 380.0))))


def test_a_departure_is_asked_about_with_why_it_matters() -> None:
    (call,) = asked_once([("B", "pit as run", "121 °C", "135 °C")])
    assert call.ask == "B left the plan: pit as run 135 °C, planned 121 °C. Was that meant?"
    assert "faster" in call.effect


def test_what_comes_next_is_in_order() -> None:
    planned = lane(
        plan=plan(wrap_rule="clock", wrap_at_min=300.0, spritz_every_min=45.0, load_h=6.0),
        told=Told(0, (1, 480.0, 2)),
        serve_min=600.0,
    )
    order = [d.what for d in due(planned)]
    assert order == ["spritz", "fuel", "wrap", "done, most likely", "serve"]
    assert [d.at_min for d in due(planned)] == sorted(d.at_min for d in due(planned))
