"""A day that works out: nothing before what it needs, every clash shown, and ready as often as was promised."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bruvet.core.schedule.day import CannotPlan, Wish, work_out
from bruvet.core.schedule.listing import ArmDay, burn_hours, burn_share
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


@settings(max_examples=150, deadline=None)
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


def test_forward_from_a_start_serves_when_the_slowest_is_surely_ready() -> None:
    arms = [arm("A", 400), arm("B", 600, seed=2)]
    begin = SERVE - timedelta(hours=12)
    day = work_out(arms, Wish(None, begin_at=begin), NOW)
    assert min(a.meat_on for a in day.arms) == pytest.approx(begin, abs=timedelta(minutes=5))
    assert day.assured >= 0.9
    assert day.serve_at.minute % 5 == 0
    backward = work_out(arms, Wish(day.serve_at), NOW)
    assert abs(backward.arms[1].meat_on - day.arms[1].meat_on) <= timedelta(minutes=5)
    with pytest.raises(CannotPlan, match="Say when"):
        work_out(arms, Wish(None), NOW)


def test_arms_for_different_times_are_put_on_apart_and_come_off_together() -> None:
    """Four, five and six hours: the times are the plan's own, not a forecast."""
    arms = [
        arm("ABC"[i], seed=i, done_min=np.full(200, hours * 60.0), rest_min=20.0) for i, hours in enumerate((4, 5, 6))
    ]
    day = work_out(arms, Wish(SERVE), NOW)
    pulls = [a.pull[1] for a in day.arms]
    assert max(pulls) - min(pulls) <= timedelta(minutes=5)
    ons = [a.meat_on for a in day.arms]
    assert [ons[0] - ons[1], ons[1] - ons[2]] == [timedelta(hours=1)] * 2


def test_a_typed_time_is_held_and_what_it_breaks_is_said() -> None:
    one = arm()
    free = work_out([one], Wish(SERVE), NOW)
    on = free.arms[0].meat_on
    later = work_out([one], Wish(SERVE, pins={"on A": on + timedelta(hours=2)}), NOW)
    assert later.arms[0].meat_on == on + timedelta(hours=2)
    assert later.assured < free.assured
    assert any("ready by serving on" in words for words in later.troubles)
    rub = next(t for t in free.tasks if t.key == "rub A")
    wrong = work_out([one], Wish(SERVE, pins={"rub A": on + timedelta(minutes=30)}), NOW)
    assert any("Meat on A would begin before rub" in words for words in wrong.troubles)
    early = work_out([one], Wish(SERVE, pins={"rub A": rub.at - timedelta(hours=1)}), NOW)
    assert next(t for t in early.tasks if t.key == "rub A").at == rub.at - timedelta(hours=1)


def test_sleep_is_kept_free_where_the_meat_allows_and_broken_where_it_does_not() -> None:
    long = arm(middle_min=900.0, kind="cabinet", wrap_min=None, spritz_every_min=45.0)
    plain = work_out([long], Wish(SERVE), NOW)
    on = plain.arms[0].meat_on
    night = (on + timedelta(minutes=170), on + timedelta(minutes=215))
    kept = work_out([long], Wish(SERVE, asleep=(night,)), NOW)
    assert any(night[0] <= t.at < night[1] for t in plain.tasks if t.key == "look A")
    assert not [t for t in kept.awake if t.key == "look A"], "the first look may be had before or after"
    all_day = (on, SERVE - timedelta(hours=5))
    assert any(t.name.startswith("Spritz") for t in work_out([long], Wish(SERVE, asleep=(all_day,)), NOW).awake)


def test_what_makes_the_quiet_longer_is_told_with_its_hours() -> None:
    day = work_out([arm(middle_min=700.0, kind="cabinet", wrap_min=None, spritz_every_min=45.0)], Wish(SERVE), NOW)
    now = (day.quiet[1] - day.quiet[0]).total_seconds() / 60
    named = dict(day.longer)
    assert named["without the spritz"] > now
    assert list(named.values()) == sorted(named.values(), reverse=True)


def test_a_frozen_piece_thaws_in_the_fridge_before_it_is_trimmed() -> None:
    """About 24 h in the fridge for each 4 to 5 lb (USDA FSIS; value from memory)."""
    day = work_out([arm(thaw_kg=4.5)], Wish(SERVE + timedelta(days=3)), NOW)
    thaw, trim = (next(t for t in day.tasks if t.key == f"{word} A") for word in ("thaw", "trim"))
    assert thaw.ends <= trim.at
    assert 40 <= (thaw.ends - thaw.at).total_seconds() / 3600 <= 62


def test_a_finish_in_another_cooker_lights_that_one_in_time() -> None:
    day = work_out(
        [arm(middle_min=500.0, move_min=240.0, move_to=("the cabinet", "cabinet", 135.0), kind="kettle")],
        Wish(SERVE),
        NOW,
    )
    move = next(t for t in day.tasks if t.key == "move A")
    heat = next(t for t in day.tasks if t.key == "preheat the cabinet")
    assert heat.ends <= move.at
    first = next(f for f in day.fires if f.kind == "kettle")
    assert abs(first.until - move.at) <= timedelta(minutes=20), "the first fire may go out after the move"


def test_burning_is_learned_from_weighed_fuel() -> None:
    """A pellet pit of 0.45 kg/h at 121 °C that took 5.4 kg in 10 h burns a fifth more than its kind."""
    assert burn_share("pellet", [(2.7, 5.0, 121.0), (2.7, 5.0, 121.0)]) == pytest.approx(1.2, rel=0.02)
    assert burn_share("pellet", []) is None
    assert burn_share("cabinet", [(1.0, 1.0, 121.0)]) is None
    hungry = burn_hours("pellet", 121.0, 20.0, 1.2)
    plain = burn_hours("pellet", 121.0, 20.0)
    assert hungry is not None
    assert plain is not None
    assert hungry == pytest.approx(plain / 1.2)


def test_hours_in_danger_are_a_caution_and_a_stricter_one_for_opened_meat() -> None:
    """4 to 60 °C within about 4 h, opened pieces with more care (common practice, no source)."""

    def said(minutes: float, opened: bool) -> bool:
        day = work_out([arm(danger_min=minutes, opened=opened)], Wish(SERVE), NOW)
        return any("between 4 and 60 °C" in words for words in day.cautions)

    assert said(300, False)
    assert not said(200, False)
    assert said(200, True)
