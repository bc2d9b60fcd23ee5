"""A day that works out: nothing before what it needs, every clash shown, and ready as often as was promised."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bruvet.core.schedule.day import ArmDay, CannotPlan, Wish, burn_hours, work_out
from bruvet.core.schedule.tasks import Task, longest_quiet, settle

NOW = datetime(2026, 11, 20, 8, tzinfo=UTC)
SERVE = datetime(2026, 11, 21, 18, tzinfo=UTC)


def arm(letter: str = "A", middle_min: float = 480.0, spread: float = 0.12, seed: int = 1, **more: object) -> ArmDay:
    done = middle_min * np.exp(spread * np.random.default_rng(seed).standard_normal(400))
    values: dict[str, object] = {
        "letter": letter, "cooker": f"cooker {letter}", "kind": "pellet", "pit_c": 121.0, "pieces": 1, "done_min": done,
        "wrap_min": (240.0, 280.0, 330.0), "wrap_in": "foil", "rest_min": 60.0, "rest_kind": "box", "safe_hold_min": 600.0,
    }  # fmt: skip
    return ArmDay(**{**values, **more})  # type: ignore[arg-type]


def no_task_before_its_needs(tasks: tuple[Task, ...]) -> bool:
    over = {t.key: t.ends for t in tasks if t.key}
    return all(t.at >= over[need] for t in tasks for need in t.after if need in over)


def test_every_arm_is_ready_by_serving_as_often_as_was_asked() -> None:
    """By 1,000 drawn days, pieces drawn one by one."""
    arms = [arm("A", 480, seed=1), arm("B", 620, 0.18, 2), arm("C", 300, 0.1, 3)]
    day = work_out(arms, Wish(SERVE, assurance=0.9), NOW)
    rng = np.random.default_rng(9)
    ready = np.ones(1000, dtype=bool)
    for one, times in zip(arms, day.arms, strict=True):
        drawn = rng.choice(one.done_min, 1000)
        room = (SERVE - timedelta(minutes=15 + one.rest_min) - times.meat_on).total_seconds() / 60
        ready &= drawn <= room
    assert ready.mean() >= 0.88
    assert day.assured == pytest.approx(ready.mean(), abs=0.03)


def test_arms_that_finish_together_start_apart_and_the_other_way_about() -> None:
    arms = [arm("A", 400), arm("B", 600, seed=2)]
    together = work_out(arms, Wish(SERVE), NOW)
    assert together.arms[1].meat_on < together.arms[0].meat_on
    apart = work_out(arms, Wish(SERVE, together="start"), NOW)
    assert apart.arms[0].meat_on == apart.arms[1].meat_on
    assert any("rest differs" in words for words in apart.cautions)


@settings(max_examples=40, deadline=None)
@given(
    middles=st.lists(st.floats(120, 900), min_size=1, max_size=5),
    hands=st.integers(1, 3),
    same=st.booleans(),
    kind=st.sampled_from(["pellet", "offset", "kettle", "cabinet"]),
    spritz=st.sampled_from([None, 30.0, 60.0]),
)
def test_no_task_comes_before_its_needs_and_no_clash_is_left_unshown(middles, hands, same, kind, spritz) -> None:
    arms = [
        arm("ABCDE"[i], m, seed=i, kind=kind, cooker="one" if same else f"c{i}", spritz_every_min=spritz)
        for i, m in enumerate(middles)
    ]
    day = work_out(arms, Wish(SERVE, hands=hands), NOW - timedelta(days=3))
    assert no_task_before_its_needs(day.tasks)
    assert list(day.tasks) == sorted(day.tasks, key=lambda t: (t.at, t.name, t.arms))
    shown = {id(t) for clash in day.clashes for t in clash.tasks}
    for task in day.tasks:
        if task.hands_min > 0:
            at_once = [t for t in day.tasks if t.hands_min > 0 and t.at <= task.at < t.hands_end]
            assert len(at_once) <= hands or all(id(t) in shown for t in at_once)
        assert task.early is None or task.early <= task.at or task.after
        assert task.late is None or task.at <= task.late
    assert day.tasks[-1].name == "Serve"


def test_two_wraps_at_once_are_moved_apart_by_one_pair_of_hands() -> None:
    at = SERVE
    one, two = (
        Task(f"Wrap {x}", at, 10, 10, x, early=at - timedelta(minutes=10), late=at + timedelta(minutes=15))
        for x in "AB"
    )
    moved, clashes = settle([one, two], 1)
    assert clashes == []
    assert moved[1].at >= moved[0].hands_end
    assert settle([one, two], 2)[0][0].at == settle([one, two], 2)[0][1].at


def test_what_cannot_be_moved_is_shown() -> None:
    fixed = [Task("Meat on", SERVE, 5, 5, x) for x in "AB"]
    _, clashes = settle(fixed, 1)
    assert len(clashes) >= 1
    assert {t.arms for t in clashes[0].tasks} == {"A", "B"}


def test_a_kettle_needs_fuel_through_a_long_day_and_a_cabinet_none() -> None:
    """Offset: about one split an hour; pellet burns near 0.45 kg an hour at 250 °F (common practice, no source)."""
    assert burn_hours("cabinet", 121.0, 20.0) is None
    offset, pellet = burn_hours("offset", 121.0, 20.0), burn_hours("pellet", 121.0, 20.0)
    assert offset is not None
    assert pellet is not None
    assert 0.8 < offset < 1.6
    assert pellet == pytest.approx(9.0 / 0.45, rel=0.05)
    assert burn_hours("pellet", 150.0, 20.0) < pellet
    kettle = work_out([arm("A", 700, kind="kettle", cooker="the kettle")], Wish(SERVE), NOW)
    fuel = [t for t in kettle.tasks if t.name == "Fuel on the kettle"]
    lit = next(t.at for t in kettle.tasks if t.key == "light the kettle")
    lasts = burn_hours("kettle", 121.0, 20.0)
    assert lasts is not None
    moments = [lit, *(t.at for t in fuel)]
    assert all((b - a).total_seconds() / 3600 < lasts for a, b in pairwise(moments))
    assert not [t for t in work_out([arm(kind="cabinet")], Wish(SERVE), NOW).tasks if t.name.startswith("Fuel")]


def test_a_wait_longer_than_the_rest_stays_hot_is_a_caution() -> None:
    day = work_out([arm(spread=0.3, safe_hold_min=90.0)], Wish(SERVE), NOW)
    assert any("hot holder" in words for words in day.cautions)


@pytest.mark.parametrize(
    ("arms", "wish", "says"),
    [
        ([arm()], Wish(NOW - timedelta(hours=1)), "in the past"),
        ([arm(middle_min=1800.0)], Wish(NOW + timedelta(hours=10)), "would have had to begin"),
        ([replace(arm(), done_min=np.array([300.0] * 50 + [np.inf] * 50))], Wish(SERVE), "too few for the assurance"),
    ],
)
def test_a_day_that_does_not_work_out_says_what_would(arms, wish, says) -> None:
    with pytest.raises(CannotPlan, match=says):
        work_out(arms, wish, NOW)


def test_the_longest_quiet_stretch_is_found() -> None:
    tasks = [
        Task("a", SERVE, 10, 10),
        Task("b", SERVE + timedelta(hours=2), 10, 10),
        Task("c", SERVE + timedelta(hours=3), 0, 0),
    ]
    low, high = longest_quiet(tasks, SERVE, SERVE + timedelta(hours=5))
    assert low == SERVE + timedelta(hours=2, minutes=10)
    assert high == SERVE + timedelta(hours=5)


def test_more_assurance_puts_the_meat_on_earlier() -> None:
    sure, less = (work_out([arm()], Wish(SERVE, assurance=share), NOW).arms[0].meat_on for share in (0.95, 0.6))
    assert sure < less
