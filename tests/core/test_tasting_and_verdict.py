"""Tasting figures against published tables, and sentences that say no more than the data carry."""

import numpy as np
import pytest
from scipy import stats

from bruvet.core.curves.measures import Cook, measure
from bruvet.core.curves.stall import Mark
from bruvet.core.safety import cautions
from bruvet.core.tasting.panel import TasterSays, least_agreeing, least_panel, preference, summarise
from bruvet.core.units import Units
from bruvet.core.verdict.compose import ArmResult, compose

F = Units("f", "lb")


def test_least_agreeing_answers_equal_the_table_of_iso_5495() -> None:
    """ISO 5495, two-sided paired test, alpha 0.05; value from memory, confirmed by SciPy's exact binomial."""
    table = {6: 6, 7: 7, 8: 8, 9: 8, 10: 9, 12: 10, 15: 12, 20: 15, 24: 18, 30: 21, 40: 27, 50: 33}
    for tasters, least in table.items():
        assert least_agreeing(tasters) == least
        assert stats.binomtest(least, tasters).pvalue <= 0.05 < stats.binomtest(least - 1, tasters).pvalue
    assert least_agreeing(5) is None
    assert least_panel() == 6


def test_preference_counts_leave_out_the_undecided() -> None:
    tasters = [TasterSays(str(i), {}, "B") for i in range(7)] + [TasterSays("x", {}, "A"), TasterSays("y", {}, None)]
    found = preference("AB", tasters)
    assert found.counts == {"A": 1, "B": 7}
    assert found.undecided == 1
    assert found.p_value == pytest.approx(stats.binomtest(1, 8).pvalue)
    assert found.needed == 8


def test_steps_within_tasters_have_the_interval_of_the_paired_t_test() -> None:
    a, b = [6, 5, 7, 6, 5], [7, 7, 8, 6, 7]
    tasters = [
        TasterSays(str(i), {("A", "bark"): x, ("B", "bark"): y}) for i, (x, y) in enumerate(zip(a, b, strict=True))
    ]
    (row,) = summarise("AB", ["bark", "smoke"], tasters)
    interval = stats.ttest_rel(b, a).confidence_interval(0.95)
    assert row.mean_step == pytest.approx(np.mean(b) - np.mean(a))
    assert (row.step_low, row.step_high) == pytest.approx((interval.low, interval.high))
    assert summarise("AB", ["bark"], tasters[:2])[0].step_low is None


def result(letter, pull, target=120.0) -> ArmResult:
    t = np.arange(0, pull + 1.0)
    marks = (Mark(0, "meat-on"), Mark(pull, "pull"))
    cook = Cook(
        f"{letter}1",
        letter,
        t,
        4 + 90 * t / pull,
        t,
        np.full(len(t), 120.0),
        marks,
        pit_target_c=target,
        trimmed_kg=2.0,
    )
    return ArmResult(letter, letter, (measure(cook),), target)


def words(*arms, liked=None, tasters=0, others=()) -> str:
    verdict = compose("Wrap", arms, (), liked, tasters, 0, others, (), F)
    return " ".join([*verdict.answer, *(line for _, lines in verdict.sections for line in lines)])


class TestVerdict:
    def test_a_large_gap_is_said_with_its_size(self) -> None:
        assert "A was 2 h faster than B: 5 h against 7 h, 29% less." in words(result("A", 300), result("B", 420))

    def test_a_small_gap_is_not_made_into_a_difference(self) -> None:
        assert "no more than two like pieces commonly differ" in words(result("A", 400), result("B", 415))

    def test_relabelling_the_arms_changes_nothing_but_labels(self) -> None:
        one = words(result("A", 300), result("B", 420))
        other = words(result("B", 300), result("A", 420))
        swapped = other.translate(str.maketrans("AB", "BA"))
        assert sorted(one.split(". ")) == sorted(swapped.split(". "))

    def test_nothing_known_is_said_plainly(self) -> None:
        empty = ArmResult("A", "A", (measure(Cook("A1", "A")),))
        text = words(empty, ArmResult("B", "B", (measure(Cook("B1", "B")),)))
        assert "not enough in the record" in text
        assert "Nobody's tasting was entered" in text

    def test_one_piece_an_arm_never_claims_significance(self) -> None:
        text = words(result("A", 300), result("B", 420))
        assert "cannot be told apart by arithmetic" in text
        assert "significan" not in text

    @pytest.mark.parametrize(
        ("counts", "says"),
        [
            ((1, 7), "7 of 8 tasters preferred B, but chance alone does as much in 7% of such panels."),
            ((1, 10), "The tasters preferred B: 10 of 11, and chance alone does as much in 1% of such panels."),
            ((3, 3), "The tasters were evenly divided."),
        ],
    )
    def test_a_preference_is_said_with_what_chance_gives(self, counts, says) -> None:
        tasters = [TasterSays(f"{a}{i}", {}, a) for a, n in zip("AB", counts, strict=True) for i in range(n)]
        liked = preference("AB", tasters)
        assert says in words(result("A", 300), result("B", 310), liked=liked, tasters=sum(counts))

    def test_the_parts_of_the_gap_add_up_to_the_whole(self) -> None:
        arms = (result("A", 300), result("B", 420))
        verdict = compose("Wrap", arms, (), None, 0, 0, (), (), F)
        where = dict(verdict.sections)["Where the time went"]
        minutes = []
        for line in where:
            value = line.split("lost ")[1].rstrip(".")
            hours, _, rest = value.partition(" h")
            minutes.append(int(hours) * 60 + int(rest.split()[0]) if rest else int(value.split()[0]))
        assert sum(minutes) == pytest.approx(120, abs=3)


class TestCautions:
    def cook(self, minutes_to_60, top=94.0, opened=False, cut="pork-shoulder"):
        t = np.arange(0, 700.0)
        cook = Cook("A1", "A", t, np.minimum(4 + 56 * t / minutes_to_60, top))
        return cautions(cook, measure(cook), cut, opened, F)

    def test_more_than_four_hours_to_140_is_named_and_more_strictly_when_opened(self) -> None:
        assert self.cook(200) == ()
        assert "about 4 h" in self.cook(300)[0]
        assert "matters more" in self.cook(300, opened=True)[0]

    def test_poultry_below_165_is_named(self) -> None:
        """USDA FSIS safe minimum temperature for poultry, 165 °F."""
        assert any("165" in line for line in self.cook(150, top=72.0, cut="turkey-thigh"))
        assert self.cook(150, top=76.0, cut="turkey-thigh") == ()
