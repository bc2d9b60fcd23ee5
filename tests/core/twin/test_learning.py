"""The twin learns: from readings of the cook under way, and from cooks on the shelf."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from bruvet.core.twin.case import Case
from bruvet.core.twin.draws import DIMENSIONS, INDEX, standard
from bruvet.core.twin.during import condition, knots, probe_at
from bruvet.core.twin.forecast import crossing, forecast, run_of
from bruvet.core.twin.learn import OF_COOKER, OF_CUT, Lesson, learn, lesson

COLLAR = Case("pork-collar", 2.0, "drum", thickness_mm=88.0, pit_c=((0.0, 121.0),), until_c=93.0)


def cooked(case: Case, rng: np.random.Generator, quirk: dict[str, float]) -> tuple[float, Case] | None:
    """A made-up real cook: a piece of its own on a cooker with quirks; minutes to done, and the case with readings."""
    z = np.zeros((1, len(DIMENSIONS)))
    for name, column in INDEX.items():
        own = 1.0 - {**OF_COOKER, **OF_CUT}.get(name, 0.0)
        z[0, column] = rng.normal() * np.sqrt(own) + quirk.get(name, 0.0)
    run = run_of(case, z)
    minutes = float(crossing(run.t_min, run.probe_c, case.until_c)[0])
    if not np.isfinite(minutes):
        return None
    stretch = float(np.exp(0.04 * rng.normal()))
    at = np.arange(0.0, minutes * stretch, 15.0)
    seen = probe_at(run, z, at / stretch)[:, 0] + rng.normal(0, 0.3, len(at))
    return minutes * stretch, replace(case, readings=tuple(zip(at.tolist(), seen.tolist(), strict=True)))


def test_five_cooks_halve_the_error_on_a_cooker_with_quirks() -> None:
    """A grate far hotter or cooler than its dial, and stronger or weaker heat than its kind; six such kitchens."""
    first, later, inside = [], [], []
    for kitchen in range(6):
        rng = np.random.default_rng(200 + kitchen)
        sign = (-1) ** kitchen
        quirk = {"heat": 2.0 * sign, "offset_c": 1.5 * sign}
        lessons: list[Lesson] = []
        for number in range(8):
            case = replace(
                COLLAR, thickness_mm=float(rng.uniform(80, 95)), pit_c=((0.0, float(rng.choice([115, 121, 130]))),)
            )
            real = cooked(case, rng, quirk)
            if real is None:
                continue
            minutes, with_readings = real
            done = forecast(case, prior=learn(lessons, "this drum", "pork-collar").draws(128), draws=128).done_min
            assert done is not None
            assert done.p50 is not None
            away = abs(np.log(done.p50 / minutes))
            if number == 0:
                first.append(away)
            if number >= 5:
                later.append(away)
                inside.append((done.p10 or 0) <= minutes <= (done.p90 or np.inf))
            lessons.append(lesson(with_readings, "this drum"))
    assert np.mean(later) < 0.5 * np.mean(first)
    assert 0.6 <= np.mean(inside) <= 1.0


def test_one_cook_moves_the_prior_little_and_ten_move_it_a_lot() -> None:
    rng = np.random.default_rng(5)
    real = cooked(COLLAR, rng, {"heat": 2.0})
    assert real is not None
    one = lesson(real[1], "drum")
    column = INDEX["heat"]
    after_one, after_ten = learn([one], "drum", "pork-collar"), learn([one] * 10, "drum", "pork-collar")
    assert 0 < after_one.mean[column] < after_ten.mean[column]
    assert after_ten.covariance[column, column] < after_one.covariance[column, column] < 1.0


def test_a_cook_on_another_cooker_tells_of_the_cut_only() -> None:
    rng = np.random.default_rng(6)
    real = cooked(COLLAR, rng, {"heft": 2.0, "heat": 1.0})
    assert real is not None
    learned = learn([lesson(real[1], "drum")], "cabinet", "pork-collar")
    assert abs(learned.mean[INDEX["heat"]]) < 1e-9
    assert abs(learned.mean[INDEX["heft"]]) > 0.05
    nothing = learn([lesson(real[1], "drum")], "cabinet", "lamb-shoulder")
    np.testing.assert_allclose(nothing.mean, 0.0, atol=1e-9)
    np.testing.assert_allclose(nothing.covariance, np.eye(len(DIMENSIONS)), atol=1e-9)


def test_an_empty_shelf_leaves_the_standard_draws() -> None:
    np.testing.assert_allclose(learn([], "drum", "pork-collar").draws(64), standard(64), atol=1e-9)


def test_readings_narrow_the_band_and_keep_the_truth_in_it() -> None:
    """Half-way through, over pieces drawn as the twin draws them."""
    before, after, inside, away = [], [], [], []
    for number in range(14):
        rng = np.random.default_rng(40 + number)
        quirk = {name: rng.normal() * np.sqrt(share) for name, share in {**OF_COOKER, **OF_CUT}.items()}
        real = cooked(COLLAR, rng, quirk)
        if real is None:
            continue
        minutes, with_readings = real
        half = tuple(row for row in with_readings.readings if row[0] <= minutes / 2)
        wide, close = forecast(COLLAR, draws=128).done_min, forecast(replace(COLLAR, readings=half), draws=128).done_min
        assert wide is not None
        assert close is not None
        assert close.p50 is not None
        before.append((wide.p90 or 2400) - (wide.p10 or 0))
        after.append((close.p90 or 2400) - (close.p10 or 0))
        inside.append((close.p10 or 0) <= minutes <= (close.p90 or np.inf))
        away.append(abs(np.log(close.p50 / minutes)))
    assert np.median(after) < 0.7 * np.median(before)
    assert np.mean(inside) >= 0.7
    assert np.median(away) < 0.1


def test_a_stall_is_not_taken_for_never() -> None:
    """Three hours of a flat curve, and the finish is still hours away and not given up."""
    case = Case("brisket-whole", 6.35, pit_c=((0.0, 110.0),), until_c=95.0)
    found = forecast(case, tuple(float(m) for m in range(30, 541, 30)), draws=32)
    flat = tuple((float(m), float(np.interp(m, found.t_min, found.typical_c))) for m in range(30, 360, 30))
    held = tuple((float(m), flat[-1][1] + 0.4) for m in range(360, 541, 30))
    done = forecast(replace(case, readings=(*flat, *held)), draws=128).done_min
    assert done is not None
    assert done.p50 is not None
    assert 600 < done.p50 < 1700


def test_a_finish_that_was_read_is_the_finish() -> None:
    readings = ((0.0, 4.0), (300.0, 80.0), (420.0, 92.0), (440.0, 94.0))
    done = forecast(replace(COLLAR, readings=readings), draws=32).done_min
    assert done is not None
    assert done.p10 == done.p90 == pytest.approx(430.0)


def test_while_no_reading_has_passed_the_mark_it_is_not_done() -> None:
    readings = ((60.0, 20.0), (300.0, 60.0), (600.0, 80.0))
    done = forecast(replace(COLLAR, readings=readings), draws=64).done_min
    assert done is not None
    assert done.p10 is not None
    assert done.p10 > 600


def test_readings_of_a_probe_in_the_air_do_not_break_the_twin() -> None:
    found = forecast(replace(COLLAR, readings=((20.0, 105.0), (120.0, 118.0), (180.0, 119.0))), draws=64)
    assert np.isfinite(found.p50_c).all()


def test_many_readings_are_merged_and_the_settling_probe_left_out() -> None:
    minutes, temps = knots([(float(m), m / 10) for m in range(600)])
    assert len(minutes) == 20
    assert minutes[0] >= 15
    np.testing.assert_allclose(temps, minutes / 10, atol=1.0)
    assert len(knots([(0.0, 4.0), (5.0, 6.0)])[0]) == 0
    z = standard(32)
    assert condition(replace(COLLAR, readings=((0.0, 4.0),)), z) is z
