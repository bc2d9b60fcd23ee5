"""Cooks beside one another, and how sure a difference is."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.weightstats import CompareMeans, DescrStatsW

from bruvet.core.curves.align import anchor, lag, passing
from bruvet.core.curves.compare import (
    band_of,
    minus,
    pit_distribution,
    rate_by_temperature,
    stretch_by_temperature,
    stretch_by_time,
)
from bruvet.core.curves.findings import DEFINITIONS, rule_of
from bruvet.core.curves.heat import heat_measures, smoke_time
from bruvet.core.curves.measures import Cook, Wood, measure
from bruvet.core.curves.stall import Mark, StallReport
from bruvet.core.trial.estimates import Sample, estimates, said
from bruvet.core.units import Units, span_words
from core.planted import plant


def cook(minutes: float, name: str = "A1", marks: tuple[Mark, ...] = (), **more) -> Cook:
    """From 4 to 95 °C in a straight line, the pit a sine of 6 °C about 120."""
    t = np.arange(0, minutes + 1)
    pit = 120 + 6 * np.sin(2 * np.pi * t / 40)
    pulled = Mark(minutes, "pull")
    return Cook(name, name[0], t, 4 + 91 * t / minutes, t, pit, marks=(*marks, pulled), pit_target_c=120.0, **more)


def test_a_difference_is_what_it_was_made() -> None:
    found = minus(cook(480, "B1"), cook(360))
    at = found.x == 180
    assert found.y[at][0] == pytest.approx(91 * (180 / 480 - 180 / 360), abs=0.05)
    assert minus(cook(360), cook(360)).y == pytest.approx(0.0)


def test_rate_is_that_of_the_line() -> None:
    found = rate_by_temperature(cook(364))
    middle = found.y[(found.x > 15) & (found.x < 85)]
    np.testing.assert_allclose(middle, 91 / 364 * 60, rtol=0.01)


def test_what_a_moved_probe_leaps_over_is_passed_by_no_meat() -> None:
    """12 °C up within a minute: no rate, no lag and no stretch is told for the temperatures in between."""
    t = np.arange(0, 500.0)
    y = np.interp(t, [0, 500], [4, 80]) + 12.0 * (t >= 300)
    moved = Cook("A1", "A", t, y, marks=(Mark(0, "meat-on"), Mark(499, "pull")))
    plain = Cook("B1", "B", t, np.interp(t, [0, 500], [4, 80]), marks=moved.marks)
    assert len(moved.curve.jumps) == 1
    rate = rate_by_temperature(moved)
    over = (rate.x > 51) & (rate.x < 60)
    assert np.isnan(rate.y[over]).all()
    told = rate.y[np.isfinite(rate.y)]
    assert told.max() == pytest.approx(9.12, abs=0.3)
    behind = lag(plain, moved)
    assert np.isnan(behind.minutes[(behind.level_c > 51) & (behind.level_c < 60)]).all()
    assert stretch_by_temperature(moved, 40.0, 55.0) is None
    assert "moved" in measure(moved, (56.0,)).time_to[56.0].reason
    assert measure(plain, (56.0,)).time_to[56.0].value == pytest.approx(342, abs=1)
    assert heat_measures(moved).rate[10.0, 60.0].value is None


def test_a_pits_shares_add_up_and_follow_the_arcsine_law_of_a_sine() -> None:
    """The time a sine spends below a level is 1/2 + asin(level/size)/π (closed form)."""
    found = pit_distribution(cook(800))
    assert found.y.sum() == pytest.approx(1.0)
    below = found.y[found.x < 122].sum()
    assert below == pytest.approx(0.5 + np.arcsin(2 / 6) / np.pi, abs=0.02)


def test_a_stretch_says_the_same_by_time_and_by_temperature() -> None:
    one = cook(364)
    by_temp = stretch_by_temperature(one, 40.0, 70.0)
    assert by_temp is not None
    by_time = stretch_by_time(one, by_temp.low_min, by_temp.high_min)
    assert by_temp == by_time
    assert by_temp.minutes == pytest.approx(30 / 91 * 364, abs=0.1)
    assert by_temp.pit_mean_c == pytest.approx(120, abs=1.0)
    assert stretch_by_temperature(one, 40.0, 200.0) is None


def test_like_pieces_lie_within_their_band() -> None:
    cooks = [cook(m) for m in (340, 360, 380)]
    found = band_of(cooks)
    assert (found.low <= found.mean).all()
    assert (found.mean <= found.high).all()
    at = found.x == 200
    assert found.high[at][0] == pytest.approx(4 + 91 * 200 / 340, abs=0.1)


@settings(max_examples=40, deadline=None)
@given(fast=st.floats(300, 420), slow=st.floats(300, 600), level=st.floats(20, 90))
def test_alignment_and_lag_are_each_others_inverse(fast: float, slow: float, level: float) -> None:
    """Laid on a temperature, the lag there is nothing; and the lag is the difference of the two anchors."""
    one, other = cook(round(fast)), cook(round(slow), "B1")
    anchors = [anchor(c, StallReport(), "temp", level) for c in (one, other)]
    behind = lag(one, other, np.array([level])).minutes[0]
    assert behind == pytest.approx(anchors[1] - anchors[0], abs=1e-9)
    back = passing(other.curve.t_min - anchors[1], other.curve.temp_c, np.array([level]))[0]
    assert back == pytest.approx(0.0, abs=1e-6)


def test_the_definition_of_a_stall_is_a_choice_with_an_effect() -> None:
    curve = plant(5, stall="natural")

    def longest(key: str, rate: float | None = None) -> float:
        found = measure(
            Cook("A1", "A", curve.t_min, curve.meat_c, curve.t_min, curve.pit_c, stall_rule=rule_of(key, rate))
        )
        return max((s.length_min for s in found.stalls.stalls), default=0.0)

    assert set(DEFINITIONS) == {"both", "rate", "heat", "hand"}
    assert longest("rate", 6.0) >= longest("rate", 2.4)
    with pytest.raises(ValueError, match="no definition"):
        rule_of("moon")
    by_hand = measure(Cook("A1", "A", curve.t_min, curve.meat_c, stall_by_hand=(200.0, 260.0)))
    assert by_hand.stall_length.value == 60.0
    assert by_hand.stalls.stalls[0].kind == "by-hand"


def test_a_stall_says_how_deep_and_how_sure() -> None:
    curve = plant(5, stall="natural", stall_rate=0.0)
    (stall,) = measure(Cook("A1", "A", curve.t_min, curve.meat_c, curve.t_min, curve.pit_c)).stalls.stalls
    assert stall.depth is not None
    assert stall.depth > 0.85
    assert stall.rate_c_per_h == pytest.approx(0.0, abs=0.4)
    assert stall.onset_band[0] <= curve.stalls[0][0] <= stall.onset_band[1]
    assert stall.end_band[0] <= curve.stalls[0][1] <= stall.end_band[1]


def test_smoke_is_taken_while_bare_burning_and_moist() -> None:
    wrap = (Mark(200.0, "wrap", "foil"),)
    assert smoke_time(cook(360, marks=wrap)).reason == "no wood was noted"
    assert smoke_time(cook(360, marks=wrap, wood=Wood.PIECES)).value == pytest.approx(200, abs=1)
    set_at = {"bark_set_min": 150.0}
    assert smoke_time(cook(360, marks=wrap, wood=Wood.PIECES, **set_at)).value == pytest.approx(150, abs=1)
    chunk = (Mark(0.0, "wood"), *wrap)
    assert smoke_time(cook(360, marks=chunk, wood=Wood.PIECES, **set_at)).value == pytest.approx(45, abs=1)
    sprayed = (Mark(170.0, "spritz"), *wrap)
    assert smoke_time(cook(360, marks=sprayed, wood=Wood.FUEL, **set_at)).value == pytest.approx(165, abs=2)


def test_visits_fuel_and_cost_are_counted() -> None:
    marks = (Mark(100.0, "spritz"), Mark(160.0, "spritz"), Mark(200.0, "wrap", "paper"))
    found = heat_measures(cook(400, marks=marks, looks=(100.0, 250.0), fuel_kg=3.0, raw_kg=2.0, prices=(12.0, 1.5)))
    assert (found.sprays.value, found.looks.value) == (2, 2)
    assert found.wrapped_share.value == pytest.approx(0.5)
    assert found.cost.value == pytest.approx(2.0 * 12 + 3.0 * 1.5)
    assert not heat_measures(cook(400)).cost.known


# ---- estimates: Student (1908), additional hours of sleep; values from memory, confirmed by SciPy ----------------

SLEEP = (
    (0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0),
    (1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4),
)


def samples(paired: bool) -> list[Sample]:
    return [
        Sample(arm, value, pair=str(number) if paired else "")
        for arm, values in zip("AB", SLEEP, strict=True)
        for number, value in enumerate(values)
    ]


def test_halves_of_one_piece_are_held_against_each_other() -> None:
    """Published: mean of the differences 1.58, 95 % interval 0.70 to 2.46, p = 0.00283."""
    (found,) = estimates(samples(paired=True))
    assert (found.way, found.count) == ("pairs", 10)
    assert found.gap == pytest.approx(1.58)
    assert (found.low, found.high) == (pytest.approx(0.70, abs=0.005), pytest.approx(2.46, abs=0.005))
    assert found.p == pytest.approx(stats.ttest_rel(SLEEP[1], SLEEP[0]).pvalue)
    assert found.p == pytest.approx(0.00283, abs=1e-5)


def test_pieces_are_compared_by_welch() -> None:
    """Published: t = 1.8608 on 17.776 degrees of freedom, p = 0.0794, 95 % interval -0.205 to 3.365."""
    (found,) = estimates(samples(paired=False))
    low, high = CompareMeans(DescrStatsW(SLEEP[1]), DescrStatsW(SLEEP[0])).tconfint_diff(usevar="unequal")
    assert found.way == "pieces"
    assert (found.low, found.high) == (pytest.approx(low), pytest.approx(high))
    assert (found.low, found.high) == (pytest.approx(-0.205, abs=0.001), pytest.approx(3.365, abs=0.001))
    assert found.p == pytest.approx(0.0794, abs=1e-4)
    assert not found.clear


def test_days_are_blocks_and_two_arms_a_day_are_pairs_of_days() -> None:
    both = [
        Sample(arm, value, day=str(n))
        for arm, values in zip("AB", SLEEP, strict=True)
        for n, value in enumerate(values)
    ]
    (found,) = estimates(both)
    assert (found.way, found.count) == ("days", 10)
    assert (found.low, found.high) == (pytest.approx(0.70, abs=0.005), pytest.approx(2.46, abs=0.005))


def test_one_piece_each_claims_no_significance() -> None:
    (found,) = estimates([Sample("A", 480.0), Sample("B", 560.0)])
    assert (found.way, found.low, found.p) == ("one", None, None)
    words = said(found, "B", "A", span_words, usual=40.0)
    assert "1 h 20 min more than A" in words
    assert "proves nothing" in words
    assert "well beyond" not in words
    assert "cannot be told" in said(found, "B", "A", span_words)


def test_pieces_that_were_pulled_together_tell_nothing_of_chance() -> None:
    """One mark of the pull for an arm gives its pieces one time: that is no replication."""
    (found,) = estimates([Sample(arm, value) for arm, value in zip("AABB", (480.0, 480.0, 560.0, 560.0), strict=True)])
    assert (found.way, found.low, found.p) == ("shared", None, None)
    assert "one value between them" in said(found, "B", "A", span_words)


def test_an_interval_that_holds_zero_is_said_to_be_chance() -> None:
    found = estimates(samples(paired=False))[0]
    assert "may be chance" in said(found, "B", "A", "{:.1f} h".format)
    sure = estimates(samples(paired=True))[0]
    assert said(sure, "B", "A", "{:.1f} h".format) == (
        "B: 1.6 h more than A, and by 10 split pieces between 0.7 h and 2.5 h more: more than chance explains."
    )


@settings(max_examples=30, deadline=None)
@given(st.lists(st.floats(100, 900), min_size=4, max_size=10), st.floats(0.5, 2))
def test_units_change_no_estimate(values: list[float], ratio: float) -> None:
    arms = [Sample("AB"[n % 2], value) for n, value in enumerate(values)]
    scaled = [Sample(s.arm, s.value * ratio) for s in arms]
    (one,), (other,) = estimates(arms), estimates(scaled)
    assert other.gap == pytest.approx(one.gap * ratio)
    if one.p is not None and one.p > 1e-9:
        assert other.p == pytest.approx(one.p, rel=1e-6)
    assert measure(cook(360), units=Units("f", "lb")).total == measure(cook(360), units=Units("c", "kg")).total
