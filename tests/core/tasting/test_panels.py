"""Orders, codes and every test of a panel, held against published tables, worked examples and simulation."""

from __future__ import annotations

import numpy as np
import pandas as pd
import pytest
import statsmodels.formula.api as smf
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from bruvet.core.tasting.codes import TELLING, three_digits
from bruvet.core.tasting.differing import DUO_TRIO, METHODS, PAIRED, TRIANGLE, distance, least_right, told
from bruvet.core.tasting.orders import followings, imbalance, orders_for, positions, williams
from bruvet.core.tasting.ranking import in_order, ranked, ranked_some
from bruvet.core.tasting.scoring import Scored, camps, consistency, corrected, mixed, noise_of, paired_step, penalty
from bruvet.core.tasting.sets import advice

# ---- serving orders: checked by counting (Williams, 1949) -------------------------------------------------------------


@pytest.mark.parametrize("samples", range(2, 9))
def test_a_williams_square_is_balanced_for_position_and_for_what_came_before(samples: int) -> None:
    rows = williams(samples).tolist()
    assert len(rows) == (samples if samples % 2 == 0 else 2 * samples)
    assert len(np.unique(positions(rows, samples))) == 1
    follow = followings(rows, samples)
    assert len(np.unique(follow[~np.eye(samples, dtype=bool)])) == 1
    assert imbalance(rows, samples) == 0


@settings(max_examples=60, deadline=None)
@given(samples=st.integers(2, 6), people=st.integers(1, 40), seed=st.integers(0, 999))
def test_any_panel_is_as_even_as_its_numbers_allow(samples: int, people: int, seed: int) -> None:
    plan = orders_for(samples, people, seed)
    assert len(plan) == people
    assert all(sorted(order) == list(range(samples)) for order in plan)
    counts = positions(plan, samples)
    assert counts.max() - counts.min() <= 2
    assert plan == orders_for(samples, people, seed), "the same seed is the same plan"


@settings(max_examples=30, deadline=None)
@given(samples=st.integers(3, 6), people=st.integers(6, 30), seed=st.integers(0, 99))
def test_when_each_gets_only_some_every_sample_is_served_alike(samples: int, people: int, seed: int) -> None:
    plan = orders_for(samples, people, seed, each=samples - 1)
    assert all(len(set(order)) == samples - 1 for order in plan)
    served = positions(plan, samples).sum(axis=1)
    assert served.max() - served.min() <= 2


def test_whose_order_is_whose_is_drawn() -> None:
    firsts = [orders_for(2, 10, seed)[0] for seed in range(60)]
    assert 15 < sum(order == (0, 1) for order in firsts) < 45


def test_codes_say_nothing() -> None:
    codes = three_digits(200, 5)
    assert len(set(codes)) == 200
    assert all(len(code) == 3 and len(set(code)) == 3 and code not in TELLING for code in codes)
    assert three_digits(200, 6) != codes
    with pytest.raises(ValueError, match="more than there are"):
        three_digits(2000, 1)


# ---- binomial tests: ISO 4120, ISO 10399, ISO 5495 at 5 % (values from memory, confirmed by SciPy) -----------------


@pytest.mark.parametrize(("answers", "least"), [(6, 5), (12, 8), (18, 10), (24, 13), (30, 15)])
def test_triangle_table(answers: int, least: int) -> None:
    assert least_right(answers, 1 / 3) == least
    assert stats.binom.sf(least - 1, answers, 1 / 3) <= 0.05 < stats.binom.sf(least - 2, answers, 1 / 3)


@pytest.mark.parametrize(("answers", "least"), [(7, 7), (10, 9), (20, 15), (24, 17), (30, 20)])
def test_duo_trio_table(answers: int, least: int) -> None:
    assert least_right(answers, 0.5) == least


@pytest.mark.parametrize(("answers", "least"), [(6, 6), (10, 9), (20, 15), (30, 21)])
def test_paired_preference_table(answers: int, least: int) -> None:
    assert least_right(answers, 0.5, two_sided=True) == least


def test_too_few_answers_can_show_nothing() -> None:
    assert least_right(5, 0.5, two_sided=True) is None
    assert told(PAIRED, 5, 5, two_sided=True).needed is None
    assert not told(PAIRED, 5, 5, two_sided=True).shown
    with pytest.raises(ValueError, match="right answers"):
        told(PAIRED, 0, 0)


@settings(max_examples=25, deadline=None)
@given(answers=st.integers(1, 60), share=st.floats(0, 1))
def test_chance_and_interval_are_scipys(answers: int, share: float) -> None:
    right = round(answers * share)
    found = told(TRIANGLE, answers, right)
    exact = stats.binomtest(right, answers, 1 / 3, "greater")
    assert found.p == pytest.approx(exact.pvalue)
    span = stats.binomtest(right, answers).proportion_ci(0.95, "exact")
    assert (found.low, found.high) == (pytest.approx(span.low), pytest.approx(span.high))
    assert found.d_low <= found.d <= found.d_high


@pytest.mark.parametrize("d", [0.5, 1.0, 2.0])
def test_distance_is_what_simulated_tasters_have(d: float) -> None:
    """Thurstone's tasters, simulated: each serving is felt with noise of one, and the rule of each test is followed."""
    draw = np.random.default_rng(7)
    n = 200_000
    a1, a2, b = draw.normal(0, 1, n), draw.normal(0, 1, n), draw.normal(d, 1, n)
    far = (np.abs(b - a1) > np.abs(a1 - a2)) & (np.abs(b - a2) > np.abs(a1 - a2))
    assert TRIANGLE.right(d) == pytest.approx(far.mean(), abs=0.005)
    assert PAIRED.right(d) == pytest.approx((b > a1).mean(), abs=0.005)
    assert DUO_TRIO.right(d) == pytest.approx((np.abs(a1 - a2) < np.abs(a1 - b)).mean(), abs=0.005)
    for method in METHODS.values():
        assert distance(method, method.right(d)) == pytest.approx(d, abs=1e-4)


def test_published_distances() -> None:
    """Ennis (1993), values from memory: d' = 1 is 0.418 right in a triangle and 0.760 in a paired comparison."""
    assert TRIANGLE.right(1.0) == pytest.approx(0.418, abs=0.001)
    assert PAIRED.right(1.0) == pytest.approx(0.760, abs=0.001)
    assert TRIANGLE.right(0.0) == pytest.approx(1 / 3, abs=1e-6)


def test_two_thousand_panels_that_guess_are_shown_a_difference_no_more_than_one_in_twenty() -> None:
    draw = np.random.default_rng(3)
    for people in (8, 14, 24):
        for method, two_sided in ((PAIRED, True), (TRIANGLE, False), (DUO_TRIO, False)):
            right = draw.binomial(people, method.guess, 2000)
            right = np.maximum(right, people - right) if two_sided else right
            shown = sum(
                int((right == r).sum()) for r in np.unique(right) if told(method, people, int(r), two_sided).shown
            )
            shown /= 2000
            assert shown <= 0.05 + 3 * np.sqrt(0.05 * 0.95 / 2000)


# ---- ranking: Hollander and Wolfe's rounding of first base (published: 11.143 on 2, p = 0.003805) ------------------

BASES = np.array(
    [
        *[(5.40, 5.50, 5.55), (5.85, 5.70, 5.75), (5.20, 5.60, 5.50), (5.55, 5.50, 5.40), (5.90, 5.85, 5.70)],
        *[(5.45, 5.55, 5.60), (5.40, 5.40, 5.35), (5.45, 5.50, 5.35), (5.25, 5.15, 5.00), (5.85, 5.80, 5.70)],
        *[(5.25, 5.20, 5.10), (5.65, 5.55, 5.45), (5.60, 5.35, 5.45), (5.05, 5.00, 4.95), (5.50, 5.50, 5.40)],
        *[(5.45, 5.55, 5.50), (5.55, 5.55, 5.35), (5.45, 5.50, 5.55), (5.50, 5.45, 5.25), (5.65, 5.60, 5.40)],
        *[(5.70, 5.65, 5.55), (6.30, 6.30, 6.25)],
    ]
)


def test_friedman_is_the_published_and_scipys() -> None:
    found = ranked(np.apply_along_axis(stats.rankdata, 1, BASES))
    assert found.statistic == pytest.approx(11.143, abs=0.001)
    assert found.p == pytest.approx(0.003805, abs=1e-6)
    assert found.statistic == pytest.approx(stats.friedmanchisquare(*BASES.T).statistic)
    assert found.sums == (53.0, 47.0, 32.0)
    # ISO 8587: 1.96 √(22·3·4/6) = 13.0; the third is apart from both, the first two are not.
    assert found.least == pytest.approx(1.959964 * np.sqrt(22 * 3 * 4 / 6))
    assert found.pairs == ((0, 2), (1, 2))


def test_ranks_of_some_are_friedmans_where_all_got_all() -> None:
    """Skillings and Mack's test is Friedman's, in SciPy, on a whole table without ties."""
    draw = np.random.default_rng(8)
    table = draw.normal(size=(9, 4)) + np.arange(4) * 0.6
    found = ranked_some(table)
    assert found.statistic == pytest.approx(stats.friedmanchisquare(*table.T).statistic)
    assert found.means == pytest.approx((5 - stats.rankdata(table, axis=1)).mean(axis=0))


def test_ranks_of_some_by_hand() -> None:
    """Three panellists, two of three samples each, all for the first named: sums −2, 0 and 2 over the pairs' covariance."""
    nan = np.nan
    found = ranked_some(np.array([[9, 5, nan], [nan, 7, 3], [8, nan, 4]]))
    # Each pair is ranked 1 and 2, weight √(12/3) = 2, so ∓1 each: A −2, B 0, C +2; covariance 2 on the diagonal, −1 off it.
    assert found.statistic == pytest.approx(8 / 3)
    assert found.p == pytest.approx(stats.chi2.sf(8 / 3, 2))
    with pytest.raises(ValueError, match="compared"):
        ranked_some(np.array([[1, 2, nan, nan], [nan, nan, 3, 4]]))


def test_random_scores_of_some_are_shown_no_more_than_one_in_twenty() -> None:
    draw = np.random.default_rng(19)
    shown = planted = 0
    plan = orders_for(6, 18, 4, each=4)
    for number in range(1000):
        table = np.full((18, 6), np.nan)
        for row, order in zip(table, plan, strict=True):
            row[list(order)] = draw.normal(size=4)
        shown += ranked_some(table).p <= 0.05
        planted += number < 100 and ranked_some(table + 0.6 * np.arange(6)).p <= 0.05
    assert shown / 1000 <= 0.05 + 4 * np.sqrt(0.05 * 0.95 / 1000)
    assert planted > 80


def test_kendalls_w_by_hand() -> None:
    """Rank sums 5, 6, 7 of three judges: S = 2, W = 12·2 / (9·24) = 1/9; and 1 when all rank alike."""
    assert ranked(np.array([[1, 2, 3], [1, 2, 3], [3, 2, 1]], float)).agreement == pytest.approx(1 / 9)
    assert ranked(np.array([[1, 2, 3]] * 5, float)).agreement == pytest.approx(1.0)


def test_page_by_hand() -> None:
    """L is the sum of expected place times rank sum: 1·5 + 2·6 + 3·7 = 38."""
    found = in_order(np.array([[1, 2, 3], [1, 2, 3], [3, 2, 1]]), (0, 1, 2))
    assert found.statistic == 38
    assert in_order(np.array([[1, 2, 3]] * 6), (0, 1, 2)).p < 0.01
    assert in_order(np.array([[1, 2, 3]] * 6), (2, 1, 0)).p > 0.9


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 999))
def test_relabelling_samples_changes_nothing_but_labels(seed: int) -> None:
    ranks = np.array([np.random.default_rng([seed, n]).permutation(4) + 1 for n in range(9)], float)
    turn = [2, 0, 3, 1]
    one, other = ranked(ranks), ranked(ranks[:, turn])
    assert one.statistic == pytest.approx(other.statistic)
    assert [one.sums[i] for i in turn] == list(other.sums)


# ---- scores ------------------------------------------------------------------------------------------------------------


def panel(people: int, step: float, seed: int = 1, place: float = 0.0) -> list[Scored]:
    draw = np.random.default_rng(seed)
    out = []
    for n in range(people):
        level, order = draw.normal(5, 1), ("AB", "BA")[n % 2]
        for position, arm in enumerate(order, 1):
            out.append(
                Scored(str(n), arm, position, level + step * (arm == "B") + place * position + draw.normal(0, 0.7))
            )
    return out


def test_a_paired_step_is_scipys() -> None:
    scores = panel(12, 0.8)
    found = paired_step(scores, "A", "B")
    a, b = ([s.value for n in range(12) for s in scores if s.who == str(n) and s.sample == arm] for arm in "AB")
    assert found.p == pytest.approx(stats.ttest_rel(b, a).pvalue)
    assert paired_step(scores[:2], "A", "B").low is None
    assert paired_step(scores, "A", "C") is None


def test_the_mixed_model_is_statsmodels_own_formula() -> None:
    scores = panel(14, 1.0, place=0.3)
    frame = pd.DataFrame([{"who": s.who, "arm": s.sample, "place": s.position, "y": s.value} for s in scores])
    fit = smf.mixedlm("y ~ C(arm) + place", frame, groups="who").fit(reml=True)
    found = mixed(scores, "A")
    assert found.steps[0].mean == pytest.approx(fit.params["C(arm)[T.B]"], abs=1e-4)
    assert found.position == pytest.approx(fit.params["place"], abs=1e-4)
    assert found.steps[0].p == pytest.approx(fit.pvalues["C(arm)[T.B]"], abs=1e-3)
    assert mixed(panel(3, 1.0), "A") is None
    assert mixed([Scored(str(n), arm, 1, 5.0) for n in range(6) for arm in "AB"], "A") is None


def test_holm_by_hand() -> None:
    """0.005·4, 0.01·3, 0.03·2, and 0.04 raised to the one before it."""
    assert corrected([0.01, 0.04, 0.03, 0.005]) == pytest.approx([0.03, 0.06, 0.06, 0.02])
    assert corrected([]) == []


def test_penalties_are_what_being_off_costs() -> None:
    found = penalty([(0, 8.0), (0, 7.0), (0, 9.0), (1, 5.0), (2, 4.0), (1, 6.0), (-1, 7.0)])
    assert (found.little, found.right, found.much) == (1, 3, 3)
    assert found.drop_much == pytest.approx(3.0)
    assert found.drop_little is None
    assert found.p_much == pytest.approx(stats.ttest_ind([8, 7, 9], [5, 4, 6], equal_var=False).pvalue)


def test_camps_are_found_where_they_are_and_hardly_ever_where_they_are_not() -> None:
    draw = np.random.default_rng(11)
    split = {str(n): (3.0 if n % 2 else -3.0) + draw.normal(0, 0.6) for n in range(12)}
    assert camps(split).split
    assert len(camps(split).first) == 6
    alike = sum(camps({str(n): draw.normal(0.5, 1.2) for n in range(16)}).split for _ in range(400))
    assert alike <= 8
    assert not camps({}).split


def test_noise_is_what_repeats_say_once_six_tell() -> None:
    draw = np.random.default_rng(2)
    pairs = draw.normal(5, 0.8, (400, 2))
    scores = [Scored(str(n), "A", 1 + k, float(v)) for n, pair in enumerate(pairs) for k, v in enumerate(pair)]
    assert noise_of(scores) == pytest.approx(0.8 * np.sqrt(2), rel=0.1)
    assert noise_of(scores[:10]) == 1.2


def test_consistency_is_told_by_repeats_only() -> None:
    scores = [Scored("1", "A", 1, 7), Scored("1", "A", 3, 5), Scored("1", "B", 2, 4), Scored("2", "A", 1, 6)]
    assert consistency(scores) == {"1": 2.0}


def test_advice_says_what_a_number_of_people_can_show() -> None:
    by_test = {one.test: one for one in advice(2, 4)}
    assert not by_test["prefer"].fits
    assert "even if all agree" in by_test["prefer"].why
    assert by_test["triangle"].fits
    assert not by_test["rank"].fits
    assert {one.test: one for one in advice(3, 9)}["rank"].fits
