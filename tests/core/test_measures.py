"""Figures of a cook against values worked out by hand."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bruvet.core.curves.clean import clean
from bruvet.core.curves.measures import Cook, measure, time_to
from bruvet.core.curves.stall import Mark


def ramp(**more) -> Cook:
    """A piece that rises from 4 to 94 °C in 450 min at 0.2 °C a minute, in a pit that alternates 110 and 130."""
    t = np.arange(0, 451.0)
    pit = np.where(t % 20 < 10, 110.0, 130.0)
    values = {"t_min": t, "temp_c": 4 + 0.2 * t, "pit_t_min": t, "pit_c": pit, "pit_target_c": 120.0}
    return Cook(name="A1", letter="A", **(values | more))


def test_times_to_temperatures_are_on_the_line() -> None:
    times = measure(ramp(), (60.0, 90.0)).time_to
    assert times[60.0].value == pytest.approx(280.0)
    assert times[90.0].value == pytest.approx(430.0)


@given(st.floats(5, 93))
def test_time_to_is_the_inverse_of_the_curve(temp: float) -> None:
    cook = ramp()
    reached = time_to(clean(cook.t_min, cook.temp_c), temp).value
    assert reached is not None
    assert 4 + 0.2 * reached == pytest.approx(temp, abs=1e-6)


def test_what_cannot_be_known_says_why() -> None:
    figures = measure(ramp(temp_c=np.full(451, 50.0)), (60.0, 40.0))
    assert figures.time_to[60.0].value is None
    assert figures.time_to[60.0].reason == "not reached in the readings"
    assert figures.time_to[40.0].reason == "already above it at the first reading"
    assert figures.total.reason == "no pull was marked"
    assert figures.per_kg.value is None
    empty = measure(Cook("A1", "A"))
    assert empty.highest.reason == "no internal readings"
    assert empty.pit_mean.reason == "no pit readings"


def test_a_gap_over_the_crossing_is_not_guessed_across() -> None:
    cook = ramp()
    kept = (cook.t_min < 250) | (cook.t_min > 300)
    figures = measure(Cook("A1", "A", cook.t_min[kept], cook.temp_c[kept]), (60.0,))
    assert figures.time_to[60.0].reason == "no readings when it was passed"


def test_pit_mean_spread_and_share_in_band() -> None:
    figures = measure(ramp())
    assert figures.pit_mean.value == pytest.approx(120.0, abs=0.5)
    assert figures.pit_spread.value == pytest.approx(10.0, abs=0.2)
    assert figures.pit_in_band.value == 0.0
    assert measure(ramp(pit_target_c=110.0)).pit_in_band.value == pytest.approx(0.5, abs=0.02)
    assert measure(ramp(pit_target_c=None)).pit_in_band.reason == "the arm has no pit target"


def test_uneven_sampling_does_not_weigh_the_pit_mean() -> None:
    """Ten minutes at 100 °C read every second weigh no more than ten minutes at 120 °C read every minute."""
    t = np.concatenate([np.arange(0, 10, 1 / 60), np.arange(10, 20.0)])
    pit = np.where(t < 10, 100.0, 120.0)
    figures = measure(Cook("A1", "A", pit_t_min=t, pit_c=pit))
    assert figures.pit_mean.value == pytest.approx(110.0, abs=0.6)


def test_a_new_pit_setting_moves_the_target() -> None:
    t = np.arange(0, 200.0)
    pit = np.where(t < 100, 110.0, 140.0)
    cook = Cook("A1", "A", t, 4 + 0.2 * t, t, pit, (Mark(100, "pit-set", "", 140.0),), pit_target_c=110.0)
    assert measure(cook).pit_in_band.value == pytest.approx(1.0)


def test_wrap_rest_total_and_rate_per_weight() -> None:
    marks = (Mark(0, "meat-on"), Mark(200, "wrap", "foil"), Mark(300, "unwrap"), Mark(350, "wrap", "paper"), Mark(430, "pull"), Mark(435, "rest-start"), Mark(495, "rest-end"))  # fmt: skip
    figures = measure(ramp(marks=marks, trimmed_kg=2.0, raw_kg=2.4, cooked_kg=1.3))
    assert figures.wrap_at.value == 200
    assert figures.wrapped.value == 180
    assert figures.total.value == 430
    assert figures.per_kg.value == 215
    assert figures.rest.value == 60
    assert figures.cooked_yield.value == pytest.approx(0.65)


def test_a_rest_that_ends_before_it_starts_is_said_to_be_wrong() -> None:
    marks = (Mark(430, "pull"), Mark(435, "rest-start"), Mark(400, "rest-end"))
    assert measure(ramp(marks=marks)).rest.reason == "the rest ends before it starts"
