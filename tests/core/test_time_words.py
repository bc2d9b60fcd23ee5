"""Times as people type them, and the phases that events make."""

from datetime import UTC, date, datetime, timedelta

import pytest

from bruvet.core.curves.stall import Mark
from bruvet.core.trial.phases import phases, planned
from bruvet.core.trial.when import BadTime, read_when

ZERO = datetime(2026, 5, 2, 21, 15, tzinfo=UTC)
DAY = date(2026, 5, 2)


@pytest.mark.parametrize(
    ("text", "minutes"),
    [
        ("+3:20", 200), ("3h20", 200), ("3 h 20 min", 200), ("200 min", 200), ("+0:00", 0), ("-0:10", -10), ("45m", 45), ("2 h", 120),
        ("23:15", 120), ("00:15", 180), ("12:15 am", 180), ("11:15 PM", 120), ("2026-05-03 01:00", 225), ("21:15:30", 0.5), ("1 am", 225),
        ("20:45", -30),
    ],
)  # fmt: skip
def test_clock_and_elapsed_are_both_understood(text: str, minutes: float) -> None:
    assert read_when(text, ZERO, DAY, "UTC") == ZERO + timedelta(minutes=minutes)


def test_a_clock_time_is_in_the_trials_zone_and_on_its_date_before_there_is_a_zero() -> None:
    assert read_when("07:40", None, DAY, "Europe/Lisbon") == datetime(2026, 5, 2, 6, 40, tzinfo=UTC)


@pytest.mark.parametrize(
    "text", ["", "soon", "25:00", "13:75", "0:61 pm", "+3:75", "2026-02-30 10:00", "14", "99999999999999"]
)
def test_what_is_no_time_says_how_to_write_one(text: str) -> None:
    with pytest.raises(BadTime):
        read_when(text, ZERO, DAY, "UTC")


def test_an_elapsed_time_needs_a_zero() -> None:
    with pytest.raises(BadTime, match="meat-on"):
        read_when("+1:00", None, DAY, "UTC")


def test_phases_follow_the_marks() -> None:
    marks = [
        Mark(0, "meat-on"),
        Mark(200, "wrap", "foil"),
        Mark(300, "unwrap"),
        Mark(360, "pull"),
        Mark(365, "rest-start"),
        Mark(425, "rest-end"),
    ]
    found = [(p.kind, p.start_min, p.end_min) for p in phases(marks, 500)]
    assert found == [("bare", 0, 200), ("foil", 200, 300), ("bare", 300, 360), ("rest", 365, 425)]
    assert [p.kind for p in phases([Mark(0, "meat-on")], 90)] == ["bare"]


def test_a_plan_without_a_finish_draws_nothing_it_does_not_know() -> None:
    assert planned("foil", 200, None, 60) == ()
    assert [(p.kind, p.end_min) for p in planned("foil", 200, 400, 60)] == [("bare", 200), ("foil", 400), ("rest", 460)]
    assert [p.kind for p in planned("paper", None, 400, None)] == ["cook"]
