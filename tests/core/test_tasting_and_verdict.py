"""Tasting figures against published tables, and sentences that say no more than the data carry."""

import numpy as np
import pytest
from scipy import stats

from bruvet.core.curves.measures import Cook, measure
from bruvet.core.curves.stall import Mark
from bruvet.core.safety import cautions
from bruvet.core.tasting.liking import liking
from bruvet.core.tasting.panel import TasterSays, least_agreeing, least_panel, preference, summarise
from bruvet.core.trial.estimates import Sample, estimates, said
from bruvet.core.trial.ledger import ArmFacts, Question, keep_ledger
from bruvet.core.trial.power import USUAL_SPREAD
from bruvet.core.units import Units, span_words
from bruvet.core.verdict.answer import no_time, taste_answer, time_answer
from bruvet.core.verdict.compose import ArmResult, Tasted, Verdict, compose
from bruvet.core.verdict.hands import hands_on_min
from bruvet.core.verdict.strength import Strength

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


def verdict(*arms, tasters=(), numbers=None) -> Verdict:
    """A verdict on these arms, as the program puts it together."""
    letters = [arm.letter for arm in arms]
    names = {letter: letter for letter in letters}
    totals = {arm.letter: total for arm in arms if (total := arm.mean("total")) is not None}
    facts = [ArmFacts(letter, {"wrap": f"way {letter}"}, (numbers or {}).get(letter, {})) for letter in letters]
    ledger = keep_ledger(Question(("wrap",), "Wrap"), facts, F)
    rows = estimates([Sample(letter, total) for letter, total in totals.items()])
    blind = [t for t in tasters if t.blind]
    knowing = [t for t in tasters if not t.blind]
    first, alone = min(totals, default=""), not ledger.differing
    answers = [
        time_answer(e, said(e, e.arm, first, span_words, None), first, names, totals, USUAL_SPREAD, 2, alone)
        for e in rows
    ] or [no_time()]
    answers.append(taste_answer(liking(letters, blind), names, 2, alone, True))
    tasted = Tasted(
        len(blind),
        len(knowing),
        preference(letters, blind) if blind else None,
        preference(letters, knowing) if knowing else None,
    )
    return compose("Wrap", arms, answers, tasted, ledger, F)


def words(*arms, tasters=(), numbers=None) -> str:
    found = verdict(*arms, tasters=tasters, numbers=numbers)
    said_of = [one.headline + " " + one.sentence for one in found.answers]
    return " ".join([*said_of, found.credit, *(line for _, lines in found.sections for line in lines)])


def panel_of(counts, blind=True):
    return [TasterSays(f"{a}{i}", {}, a, blind) for a, n in zip("AB", counts, strict=True) for i in range(n)]


class TestVerdict:
    def test_a_large_gap_is_said_with_its_size(self) -> None:
        assert "A was 2 h faster than B: 5 h against 7 h, 29% less." in words(result("A", 300), result("B", 420))

    def test_a_small_gap_is_not_made_into_a_difference(self) -> None:
        assert "no more than two like pieces commonly differ" in words(result("A", 400), result("B", 415))

    def test_relabelling_the_arms_changes_nothing_but_labels(self) -> None:
        """Only the order of sentences and counts may differ, and the sign of a step taken the other way."""
        tasters = panel_of((2, 9))
        swap = str.maketrans("AB", "BA")
        turned = [TasterSays(t.name, {}, (t.preferred or "").translate(swap), t.blind) for t in tasters]
        one = verdict(result("A", 300), result("B", 420), tasters=tasters)
        other = verdict(result("B", 300), result("A", 420), tasters=turned)
        assert [(a.headline, a.strength, a.chance) for a in one.headlines] == [
            (b.headline.translate(swap), b.strength, b.chance) for b in other.headlines
        ]
        for title, lines in one.sections:
            again = [line.translate(swap) for line in dict(other.sections)[title]]
            assert sorted(w for line in lines for w in line.split()) == sorted(
                w for line in again for w in line.split()
            )

    def test_nothing_known_is_said_plainly(self) -> None:
        empty = ArmResult("A", "A", (measure(Cook("A1", "A")),))
        text = words(empty, ArmResult("B", "B", (measure(Cook("B1", "B")),)))
        assert "No two totals are known." in text
        assert "Nobody's tasting was entered" in text

    def test_one_piece_an_arm_never_claims_significance(self) -> None:
        text = words(result("A", 300), result("B", 420))
        assert "cannot be told apart by arithmetic" in text
        assert "significan" not in text

    @pytest.mark.parametrize(
        ("counts", "says", "word"),
        [
            (
                (1, 7),
                "7 of 8 blind tasters preferred B. Chance alone does as much in 7% of such panels.",
                Strength.HINTED,
            ),
            ((1, 11), "11 of 12 blind tasters preferred B. Chance alone does as much in 0.6% of", Strength.LIKELY),
            ((3, 3), "The tasters were evenly divided.", Strength.NOT_SHOWN),
            ((0, 3), "So few can show nothing; it takes 6 who all agree.", Strength.CANNOT_BE_TOLD),
        ],
    )
    def test_a_preference_is_said_with_what_chance_gives(self, counts, says, word) -> None:
        arms = (result("A", 300), result("B", 310))
        tasters = panel_of(counts)
        assert says in words(*arms, tasters=tasters)
        assert verdict(*arms, tasters=tasters).answers[-1].strength is word

    def test_those_who_knew_are_not_counted(self) -> None:
        text = words(result("A", 300), result("B", 310), tasters=[*panel_of((9, 0), blind=False), *panel_of((1, 11))])
        assert "11 of 12 blind tasters preferred B" in text
        assert "Preferred by those who knew which was which: 9 for A and 0 for B. It is not counted." in text

    def test_what_else_differed_takes_the_credit_away(self) -> None:
        lesser = {"A": {"weight": 2.0}, "B": {"weight": 2.6}}
        second = {"A": {"pit target": 110.0}, "B": {"pit target": 135.0}}
        arms = (result("A", 300), result("B", 420))
        assert "Before this is put down to the wrap: the arms also differed in weight." in words(*arms, numbers=lesser)
        assert "How much of it is the wrap cannot be told: the arms also differed in pit target." in words(
            *arms, numbers=second
        )
        assert verdict(*arms).answers[0].strength is Strength.LIKELY
        assert verdict(*arms, numbers=lesser).answers[0].strength is Strength.HINTED

    def test_the_answer_is_at_most_two_sentences_with_one_of_five_words(self) -> None:
        found = verdict(result("A", 300), result("B", 420), result("C", 500), tasters=panel_of((1, 11)))
        assert [one.about.split(",")[0] for one in found.headlines] == ["time"]
        assert all(one.strength in Strength for one in found.headlines)

    def test_the_parts_of_the_gap_add_up_to_the_whole(self) -> None:
        arms = (result("A", 300), result("B", 420))
        where = dict(verdict(*arms).sections)["Where the time went"]
        minutes = []
        for line in where:
            value = line.split("lost ")[1].rstrip(".")
            hours, _, rest = value.partition(" h")
            minutes.append(int(hours) * 60 + int(rest.split()[0]) if rest else int(value.split()[0]))
        assert sum(minutes) == pytest.approx(120, abs=3)


class TestLiking:
    def test_several_are_judged_by_ranks_and_name_whom_the_best_beats(self) -> None:
        """Friedman in SciPy; the least difference of rank sums by ISO 8587."""
        rows = [{"A": 1.0, "B": 2.0 + (n % 2), "C": 3.0 - (n % 2)} for n in range(12)]
        found = liking("ABC", [TasterSays(str(n), {}, None, True, row) for n, row in enumerate(rows)])
        assert found is not None
        table = np.array([[row[a] for a in "ABC"] for row in rows])
        assert found.p == pytest.approx(stats.friedmanchisquare(*table.T).pvalue)
        assert (found.top, set(found.beats)) == ("A", {"B", "C"})

    def test_overall_scores_stand_in_where_nobody_was_asked_outright(self) -> None:
        tasters = [TasterSays(str(n), {("A", "overall"): 5.0, ("B", "overall"): 6.5}, None, True) for n in range(8)]
        found = liking("AB", tasters)
        assert found is not None
        assert (found.top, found.panellists, found.by_scores) == ("B", 8, True)
        assert "scored B higher" in taste_answer(found, {"A": "A", "B": "B"}, 1, True, False).headline

    def test_nobody_who_compared_anything_gives_no_answer(self) -> None:
        assert liking("AB", [TasterSays("x", {("A", "bark"): 5.0}, None, True)]) is None
        assert liking("ABC", []) is None


def test_hands_count_each_thing_done_and_a_lid_only_by_itself() -> None:
    marks = (Mark(0, "meat-on"), Mark(100, "lid"), Mark(101, "spritz"), Mark(200, "lid"), Mark(300, "wrap"))
    assert hands_on_min(marks) == 5 + 2 + 2 + 6
    assert hands_on_min(marks, (200.5,)) == 5 + 2 + 4 + 6
    assert hands_on_min(()) == 0


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
