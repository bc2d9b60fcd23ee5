"""Stalls against curves with a known answer, built segment by segment (see planted.py)."""

import numpy as np
import pytest

from bruvet.core.curves.clean import clean
from bruvet.core.curves.slope import knee, rate_c_per_h
from bruvet.core.curves.stall import Mark, find_stalls
from core.planted import plant, smooth, told_apart

SEEDS = range(100, 124)


def look(curve):
    return find_stalls(curve.t_min, curve.meat_c, curve.t_min, curve.pit_c, curve.marks)


def varied(seed: int, **how):
    """A planted curve with the seed's own sampling and rounding: whole °C, whole °F or fine; 30 s to 5 min."""
    return plant(seed, quantum_c=(0.0, 5 / 9, 1.0)[seed % 3], step_min=(1.0, 0.5, 2.0, 5.0)[seed % 4], **how)


def found_share(stall, fault):
    onsets, ends, hit, total, false = [], [], 0, 0, 0
    for seed in SEEDS:
        curve = varied(seed, stall=stall, fault=fault)
        report = look(curve)
        used = []
        for onset, end, _ in curve.stalls:
            total += 1
            mine = [s for s in report.stalls if min(end, s.end_min) - max(onset, s.onset_min) > 0.5 * (end - onset)]
            if mine:
                hit += 1
                used.append(mine[0])
                onsets.append(abs(mine[0].onset_min - onset))
                ends.append(abs(mine[0].end_min - end))
        false += len([s for s in report.stalls if s not in used])
    return hit, total, onsets, ends, false


@pytest.mark.parametrize("stall", ["natural", "foil", "paper", "pit", "open"])
@pytest.mark.parametrize("fault", [None, "dead-fire", "lid", "gap", "out", "spikes"])
def test_true_stalls_are_found_where_they_were_planted(stall, fault) -> None:
    hit, total, onsets, ends, false = found_share(stall, fault)
    assert hit >= 0.95 * total - 1
    assert np.median(onsets) <= 10
    assert np.median(ends) <= 10
    assert false <= 1


@pytest.mark.parametrize("width", [8, 30])
def test_stalls_that_come_and_go_gently_are_found_too(width) -> None:
    onsets, ends, found, false = [], [], 0, 0
    for seed in range(500, 560):
        curve = smooth(seed, stall=True, width_min=width)
        onset, end, _ = curve.stalls[0]
        stalls = look(curve).stalls
        mine = [s for s in stalls if min(end, s.end_min) - max(onset, s.onset_min) > 0.5 * (end - onset)]
        found += bool(mine)
        false += len(stalls) - len(mine[:1])
        onsets += [abs(s.onset_min - onset) for s in mine[:1]]
        ends += [abs(s.end_min - end) for s in mine[:1]]
    assert found >= 57
    assert false <= 3
    assert np.median(onsets) <= 10
    assert np.median(ends) <= 10


def test_a_pace_that_only_eases_is_no_stall() -> None:
    assert sum(bool(look(smooth(seed, stall=False)).stalls) for seed in range(500, 600)) <= 2


@pytest.mark.parametrize("fault", [None, "dead-fire", "moved", "lid", "gap", "out", "spikes"])
def test_a_curve_without_a_stall_shows_none(fault) -> None:
    reports = [look(varied(seed, stall=None, fault=fault)) for seed in SEEDS]
    assert sum(len(r.stalls) for r in reports) == 0


def test_a_shower_that_cools_the_pit_is_rarely_taken_for_a_stall() -> None:
    reports = [look(varied(seed, stall=None, fault="rain")) for seed in SEEDS]
    assert sum(len(r.stalls) for r in reports) <= 2
    assert sum(any(n.why == "pit-fell" for n in r.not_stalls) for r in reports) >= 0.8 * len(SEEDS)


@pytest.mark.parametrize(("fault", "why"), [("dead-fire", "pit-fell"), ("moved", "probe-moved")])
def test_planted_faults_are_told_from_stalls(fault, why) -> None:
    told = 0
    for seed in SEEDS:
        curve = varied(seed, stall=None, fault=fault)
        told += told_apart(curve, look(curve), why)
    assert told >= 0.9 * len(SEEDS)


@pytest.mark.parametrize(
    ("stall", "kind"), [("foil", "wrap-ended"), ("pit", "pit-ended"), ("open", "open"), ("natural", "natural")]
)
def test_the_kind_says_what_ended_it(stall, kind) -> None:
    right = total = 0
    for seed in SEEDS:
        curve = plant(seed, stall=stall)
        if curve.stalls[0][2] == kind:
            total += 1
            right += any(s.kind == kind for s in look(curve).stalls)
    assert right >= 0.9 * total


def test_the_reason_is_a_sentence_that_names_the_cause() -> None:
    curve = plant(3, stall="foil")
    (stall,) = look(curve).stalls
    assert "foil" in stall.reason
    assert stall.reason.endswith(".")


def test_a_fast_hot_cook_shows_no_stall() -> None:
    """Common practice, no source: at 300 °F and more there is little or no stall."""
    t = np.arange(0, 260.0)
    meat = 4 + 90 * (1 - np.exp(-t / 120))
    assert not find_stalls(t, meat, t, np.full(len(t), 155.0)).stalls


def test_the_slow_approach_to_the_pit_is_no_stall() -> None:
    """Meat near the pit's temperature rises slowly because little heat is offered."""
    t = np.arange(0, 900.0)
    meat = 4 + (95 - 4) * (1 - np.exp(-t / 200))
    assert not find_stalls(t, meat, t, np.full(len(t), 98.0)).stalls


def test_without_a_pit_reading_the_reason_says_what_it_cannot_tell() -> None:
    curve = plant(5)
    (stall,) = find_stalls(curve.t_min, curve.meat_c).stalls
    assert "without a pit reading" in stall.reason


def test_no_readings_and_few_readings_are_no_stall() -> None:
    nothing = np.zeros(0)
    assert find_stalls(nothing, nothing).stalls == ()
    assert find_stalls(np.array([0.0, 1.0, np.nan]), np.array([4.0, np.nan, 5.0])).stalls == ()


def test_order_and_repeats_of_the_readings_do_not_matter() -> None:
    curve = plant(8)
    mixed = np.random.default_rng(0).permutation(len(curve.t_min))
    a = look(curve).stalls[0]
    b = find_stalls(curve.t_min[mixed], curve.meat_c[mixed], curve.t_min[mixed], curve.pit_c[mixed]).stalls[0]
    assert (a.onset_min, a.end_min) == (b.onset_min, b.end_min)


def test_nothing_after_the_pull_is_judged() -> None:
    """A piece that holds its temperature in the rest box is not stalling."""
    t = np.arange(0, 700.0)
    meat = np.where(t < 400, 4 + 66 * t / 400, 70.0)
    marks = [Mark(400, "pull")]
    assert find_stalls(t, meat, t, np.full(len(t), 120.0)).stalls
    assert not find_stalls(t, meat, t, np.full(len(t), 120.0), marks).stalls


def test_cleaning_leaves_a_clean_curve_alone() -> None:
    t = np.arange(0, 300.0)
    y = 4 + 0.2 * t
    cleaned = clean(t, y)
    np.testing.assert_allclose(cleaned.temp_c, y)
    assert not cleaned.jumps


def test_a_probe_that_was_out_is_taken_out_and_a_moved_one_is_a_jump() -> None:
    t = np.arange(0, 300.0)
    y = 4 + 0.2 * t
    out = np.where((t > 100) & (t < 110), 24.0 + 80, y)
    assert not clean(t, out).jumps
    assert clean(t, out).temp_c.max() < 70
    moved = np.where(t > 150, y - 9, y)
    (jump,) = clean(t, moved).jumps
    assert jump.at_min == pytest.approx(151, abs=2)
    assert jump.after_c - jump.before_c == pytest.approx(-9, abs=1.5)


def test_rate_of_a_straight_line_is_its_slope_whatever_the_sampling() -> None:
    rng = np.random.default_rng(1)
    t = np.sort(rng.uniform(0, 300, 200))
    np.testing.assert_allclose(rate_c_per_h(t, 5 + 0.1 * t, np.array([50.0, 150.0]), 40), [6.0, 6.0])


def test_the_knee_of_two_lines_is_where_they_meet() -> None:
    t = np.arange(0, 200.0)
    y = np.where(t < 90, 0.3 * t, 27 + 0.02 * (t - 90))
    bend = knee(t, y, 20, 180)
    assert bend.at_min == pytest.approx(90, abs=1)
    assert bend.low_min <= bend.at_min <= bend.high_min


def test_a_general_change_point_library_places_the_ends_no_better() -> None:
    """ruptures (PyPI), told how many breaks to find, as a rival on the same clean curves."""
    import ruptures

    ours, theirs = [], []
    for seed in range(6):
        curve = plant(seed)
        onset, end, _ = curve.stalls[0]
        stall = look(curve).stalls[0]
        ours += [abs(stall.onset_min - onset), abs(stall.end_min - end)]
        thin = slice(None, None, 5)
        breaks = ruptures.Dynp(model="clinear", min_size=6, jump=2).fit_predict(curve.meat_c[thin].reshape(-1, 1), 3)
        times = [curve.t_min[thin][min(b, len(curve.t_min[thin]) - 1)] for b in breaks[:-1]]
        theirs += [min(abs(time - onset) for time in times), min(abs(time - end) for time in times)]
    assert np.median(ours) <= np.median(theirs) + 1
