"""Lots: uniform over seeds, matched, balanced, repeatable; days added up as blocks."""

from __future__ import annotations

from collections import Counter
from itertools import permutations

import numpy as np
import pandas as pd
import pytest
import statsmodels.formula.api as smf
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from bruvet.core.trial.allocation import CannotAllocate, Lot, allocate, latin_square, places_for, places_on
from bruvet.core.trial.blocks import Cooked, over_days


def lots(*kg: float | None, pair: str = "") -> list[Lot]:
    return [Lot(f"p{i}", mass, pair) for i, mass in enumerate(kg)]


@pytest.mark.parametrize("matched", [True, False])
def test_every_way_to_share_four_pieces_out_is_as_likely(matched: bool) -> None:
    """Chi-square over 3,000 seeds; two blocks of two have four ways, wholly at random there are six."""
    pieces = lots(2.0, 2.1, 3.0, 3.2)
    seen = Counter(
        tuple(sorted(s.lot for s in allocate(pieces, 2, seed, matched) if s.arm == 0)) for seed in range(3000)
    )
    assert len(seen) == (4 if matched else 6)
    assert stats.chisquare(list(seen.values())).pvalue > 1e-4


def test_matched_pieces_go_to_different_arms() -> None:
    for seed in range(50):
        shares = {s.lot: s for s in allocate(lots(1.0, 3.1, 1.05, 3.0, 2.0, 2.1), 2, seed)}
        for light, heavy in (("p0", "p2"), ("p1", "p3"), ("p4", "p5")):
            assert shares[light].arm != shares[heavy].arm
            assert shares[light].block == shares[heavy].block


def test_halves_of_one_piece_never_share_an_arm() -> None:
    halves = [Lot("a1", 1.0, "A"), Lot("a2", 2.0, "a"), Lot("b1", 1.5, "B"), Lot("b2", 1.1, "B")]
    for seed in range(30):
        arm = {s.lot: s.arm for s in allocate(halves, 2, seed)}
        assert arm["a1"] != arm["a2"]
        assert arm["b1"] != arm["b2"]


@given(st.lists(st.floats(0.2, 9.0), min_size=6, max_size=6), st.integers(0, 10_000), st.permutations(range(6)))
def test_the_same_seed_repeats_the_draw_and_a_swapped_label_changes_nothing_else(kg, seed, names) -> None:
    plain = allocate(lots(*kg), 3, seed)
    assert plain == allocate(lots(*kg), 3, seed)
    renamed = allocate([Lot(f"q{names[i]}", mass) for i, mass in enumerate(kg)], 3, seed)
    assert [(s.arm, s.block) for s in plain] == [(s.arm, s.block) for s in renamed]


@pytest.mark.parametrize(
    ("pieces", "arms", "says"),
    [
        (lots(1, 2, 3), 2, "add 1 or take 1 away"), ([], 2, "do not go evenly"),
        (lots(1, 2, 3, 4, 5, 6, pair="x"), 2, "split into 6, and there are 2 arms"),
    ],
)  # fmt: skip
def test_what_cannot_be_shared_out_says_what_would(pieces, arms, says) -> None:
    with pytest.raises(CannotAllocate, match=says):
        allocate(pieces, arms, 1)


@given(st.integers(2, 8), st.integers(0, 2**31 - 1))
def test_a_latin_square_has_each_once_in_each_row_and_column(size: int, seed: int) -> None:
    square = np.array(latin_square(size, seed))
    for line in (*square, *square.T):
        assert sorted(line) == list(range(size))


def test_all_latin_squares_of_order_three_come_up() -> None:
    """There are twelve (value from memory; counted here by brute force)."""
    rows = list(permutations(range(3)))
    all_of_them = {
        (a, b, c) for a in rows for b in rows for c in rows if all(len({a[i], b[i], c[i]}) == 3 for i in range(3))
    }
    assert {latin_square(3, seed) for seed in range(400)} == all_of_them


def test_over_as_many_days_as_arms_each_arm_stands_in_each_place_once() -> None:
    places = ["front", "middle", "back"]
    days = [places_on(day, "ABC", places, 5) for day in range(3)]
    for letter in "ABC":
        assert {day[letter] for day in days} == set(places)
    with pytest.raises(CannotAllocate, match="3 arms need 3 different places"):
        places_on(0, "ABC", ["left", "Left", "right"], 5)
    assert len(set(places_for(["x", "y"], ["1", "2", "3"], 4).values())) == 2
    with pytest.raises(CannotAllocate, match="need 2 different places"):
        places_for(["x", "y"], ["1"], 4)


def test_two_arms_over_days_are_the_paired_t_test() -> None:
    """SciPy's ttest_rel."""
    a, b = [300.0, 341.0, 280.0, 322.0], [331.0, 350.0, 318.0, 337.0]
    cooked = [
        Cooked(f"d{i}", arm, value)
        for i, pair in enumerate(zip(a, b, strict=True))
        for arm, value in zip("AB", pair, strict=True)
    ]
    (found,) = over_days(cooked)
    reference = stats.ttest_rel(b, a)
    interval = reference.confidence_interval(0.95)
    assert (found.estimate, found.low, found.high, found.p) == pytest.approx(
        (np.mean(b) - np.mean(a), interval.low, interval.high, reference.pvalue)
    )
    assert found.days == 4


@given(st.integers(0, 10_000))
def test_arms_and_days_with_gaps_agree_with_statsmodels(seed: int) -> None:
    """Ordinary least squares of statsmodels, days and arms as categories."""
    rng = np.random.default_rng(seed)
    cooked = [
        Cooked(f"d{day}", arm, float(300 + 20 * day + 9 * "ABC".index(arm) + rng.normal(0, 8)))
        for day in range(4)
        for arm in "ABC"
        if arm == "A" or day == 0 or rng.random() > 0.3
    ]
    frame = pd.DataFrame([(c.day, c.arm, c.value) for c in cooked], columns=["day", "arm", "value"])
    fit = smf.ols("value ~ C(day) + C(arm)", frame).fit()
    if not fit.df_resid:
        assert all(found.low is None for found in over_days(cooked))
        return
    for found in over_days(cooked):
        name = f"C(arm)[T.{found.arm}]"
        low, high = fit.conf_int().loc[name]
        assert (found.estimate, found.low, found.high) == pytest.approx((fit.params[name], low, high), rel=1e-6)


def test_one_day_has_an_estimate_and_no_interval() -> None:
    (found,) = over_days([Cooked("d", "A", 300.0), Cooked("d", "B", 340.0)])
    assert found.estimate == pytest.approx(40.0)
    assert (found.low, found.p) == (None, None)
    assert over_days([Cooked("d", "A", 1.0)]) == ()
    assert over_days([Cooked("d", "A", 1.0), Cooked("e", "B", 2.0)]) == (), "never cooked on one day"
