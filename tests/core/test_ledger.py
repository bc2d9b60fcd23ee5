"""The ledger: every planted confounder is found, weighed and given a mend; unfair designs are named."""

from __future__ import annotations

from collections.abc import Mapping

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bruvet.core.trial.ledger import ArmFacts, Ledger, Question, differences, keep_ledger
from bruvet.core.trial.ledger_rows import FACTOR_ROWS, GROUPS, LEVEL_ROW, ROW, ROWS
from bruvet.core.trial.terms import Factor
from bruvet.core.units import Units

F = Units()
WORDS = {
    "cooker": "The drum", "wrap": "Foil", "wrap rule": "By the clock", "done rule": "Probe feel", "cut": "Pork collar",
    "grade": "club", "source": "piece 1", "bone": "out", "wood": "Pear", "rub": "Boathouse", "rest plan": "box, 1 h",
    "position": "middle", "finished in": "the same", "part tasted": "middle slices",
}  # fmt: skip
NUMBERS: dict[str, float | None] = {
    "weight": 2.0, "thickness": 88.0, "start": 4.0, "pit target": 121.0, "done temperature": 95.0, "rest": 60.0,
}  # fmt: skip


def arm(letter: str, words: Mapping[str, str] | None = None, **numbers: float | None) -> ArmFacts:
    known = {name.replace("_", " "): value for name, value in numbers.items()}
    return ArmFacts(letter, {**WORDS, **(words or {})}, {**NUMBERS, **known})


def kept(*arms: ArmFacts, factor: str = "wrap", **more: object) -> Ledger:
    return keep_ledger(Question((factor,), factor.capitalize()), arms, F, **more)  # type: ignore[arg-type]


BARE = {"wrap": "Nothing", "wrap rule": ""}


def test_only_the_factor_differs_and_it_is_fair() -> None:
    found = kept(arm("A"), arm("B", BARE))
    assert found.level == "fair"
    assert found.differing == ()
    assert found.line("wrap").state == "factor"
    assert found.line("weight").state == "same"
    assert found.line("membrane").state == "unknown"


def test_the_table_has_some_forty_rows_in_ten_groups_and_every_factor_has_its_rows() -> None:
    assert 40 <= len(ROWS) <= 60
    assert {row.group for row in ROWS} == set(GROUPS)
    assert len({row.name for row in ROWS}) == len(ROWS)
    for factor in Factor:
        assert FACTOR_ROWS[factor] <= set(ROW)
    assert set(LEVEL_ROW.values()) <= set(ROW)


@pytest.mark.parametrize(
    ("words", "numbers", "row"),
    [
        ({"rub": "Sugar rub"}, {}, "rub"), ({"wood": "Oak"}, {}, "wood"), ({"cooker": "The brick pit"}, {}, "cooker"),
        ({}, {"pit_target": 135.0}, "pit target"), ({"done rule": "Time"}, {}, "done rule"), ({"cut": "Lamb shoulder"}, {}, "cut"),
        ({"changed half-way": "pit to 275 °F"}, {}, "changed half-way"), ({"finished in": "The cabinet"}, {}, "finished in"),
    ],
)  # fmt: skip
def test_a_second_change_cannot_answer_the_question(words, numbers, row) -> None:
    """Temperature and rub; cooker and added wood; a plan changed half-way (common practice, no source)."""
    first = arm("A", {"changed half-way": "no"} if "changed half-way" in words else {})
    found = kept(first, arm("B", {**BARE, **words}, **numbers))
    assert found.level == "cannot"
    assert row in found.sentence
    assert "because" in found.sentence
    assert found.line(row).second_change
    assert ROW[row].mend in found.mends


@pytest.mark.parametrize(
    ("words", "numbers", "row"),
    [
        ({}, {"weight": 2.4}, "weight"), ({}, {"start": 9.0}, "start"), ({}, {"thickness": 100.0}, "thickness"),
        ({"grade": "prime"}, {}, "grade"), ({"rest plan": "counter, 15 min"}, {}, "rest plan"), ({"bone": "in"}, {}, "bone"),
        ({}, {"rest": 15.0}, "rest"), ({"position": "left"}, {}, "position"), ({"part tasted": "thin end"}, {}, "part tasted"),
        ({}, {"done_temperature": 90.0}, "done temperature"),
    ],
)  # fmt: skip
def test_unequal_pieces_places_rests_and_parts_are_reservations(words, numbers, row) -> None:
    found = kept(arm("A"), arm("B", {**BARE, **words}, **numbers))
    assert found.level == "reservations"
    assert row in found.sentence
    assert [line.row.name for line in found.differing] == [row]
    assert found.mends


def test_places_that_were_measured_and_read_alike_are_no_difference() -> None:
    """Grate temperature differs by 15 to 20 °F between places in one cooker (common practice, no source)."""

    def placed(second_c: float) -> Ledger:
        first = arm("A", {"position": "left"}, grate_at_its_place=121.0)
        return kept(first, arm("B", {**BARE, "position": "right"}, grate_at_its_place=second_c))

    assert placed(123.0).level == "fair"
    assert [line.row.name for line in placed(131.0).differing] == ["position", "grate at its place"]


def test_tolerances_can_be_set() -> None:
    arms = arm("A"), arm("B", BARE, weight=2.15)
    assert [line.row.name for line in kept(*arms).differing] == ["weight"]
    assert kept(*arms, tolerances={"weight": 0.10}).level == "fair"
    assert kept(arm("A"), arm("B", BARE, weight=2.05), tolerances={"weight": 0.01}).level == "reservations"


def test_minutes_by_the_twin_put_the_heaviest_first_in_the_sentence() -> None:
    arms = arm("A"), arm("B", BARE, weight=2.5, start=9.0)
    found = kept(*arms, minutes={"weight": {"B": 48.0}, "start": {"B": -12.0}, "wrap": {"B": 120.0}})
    assert found.sentence.index("weight (worth about 48 min)") < found.sentence.index("start (worth about 12 min)")
    assert dict(found.line("wrap").minutes) == {"B": 120.0}, "the factor's own worth stands in its row"


def test_sugar_matters_more_where_the_pit_burns_it() -> None:
    def sugared(pit_c: float) -> Ledger:
        first, second = ({"sugar in the rub": share, "pit target": pit_c} for share in (0.0, 0.4))
        return kept(ArmFacts("A", WORDS, NUMBERS | first), ArmFacts("B", {**WORDS, **BARE}, NUMBERS | second))

    assert sugared(107.0).line("sugar in the rub").taste == "some"
    assert sugared(150.0).line("sugar in the rub").taste == "much"
    assert "burns" in sugared(150.0).line("sugar in the rub").reason


def test_what_is_not_known_is_said_and_not_assumed_equal() -> None:
    found = kept(arm("A"), arm("B", BARE, start=None))
    assert found.level == "reservations"
    assert "start not known for every arm" in found.sentence
    assert "say or measure the start" in found.mends
    (named,) = differences(found)
    assert not named.known
    assert dict(named.values) == {"A": "39 °F", "B": "not known"}


def test_a_split_trial_needs_halves_of_the_same_pieces() -> None:
    split = Question(("wrap",), "Wrap", split=True)
    assert keep_ledger(split, [arm("A"), arm("B", BARE)], F).level == "fair"
    found = keep_ledger(split, [arm("A"), arm("B", {**BARE, "source": "piece 2"})], F)
    assert "halves of the same pieces" in found.sentence
    assert any("half of" in mend for mend in found.mends)


def test_a_departure_stands_beside_what_was_planned() -> None:
    second = ArmFacts("B", {**WORDS, **BARE, "wrap": "Paper"}, NUMBERS, {"wrap": "Nothing"})
    found = kept(arm("A"), second)
    assert found.departures == (("B", "wrap", "Nothing", "Paper"),)


def test_a_pit_that_missed_its_target_is_named_though_the_pit_is_the_factor() -> None:
    first = arm("A", pit_as_run=107.0, pit_against_its_target=0.0, pit_target=107.0)
    second = arm("B", pit_as_run=113.0, pit_against_its_target=-22.0)
    found = kept(first, second, factor="pit-temperature")
    assert [line.row.name for line in found.differing] == ["pit against its target"]
    assert found.line("pit against its target").cells[1].text == "40 °F under"


def test_arms_that_do_not_differ_in_the_factor_cannot_answer() -> None:
    found = kept(arm("A"), arm("B"))
    assert found.level == "cannot"
    assert "nothing is changed" in found.sentence


def crossed(*combinations: tuple[float, str]) -> Ledger:
    arms = [arm("ABCDEF"[i], {"wrap": wrap}, pit_target=pit) for i, (pit, wrap) in enumerate(combinations)]
    return keep_ledger(Question(("pit-temperature", "wrap"), "Pit temperature and wrap"), arms, F)


def test_two_factors_are_fair_when_crossed_and_not_when_they_change_together() -> None:
    assert crossed((107, "Foil"), (107, "Nothing"), (135, "Foil"), (135, "Nothing")).level == "fair"
    together = crossed((107, "Foil"), (135, "Nothing"))
    assert together.level == "cannot"
    assert "change together" in together.sentence
    missing = crossed((107, "Foil"), (107, "Nothing"), (135, "Foil"))
    assert missing.level == "reservations"
    assert "275 °F with Nothing" in missing.sentence
    assert missing.mends == ("add an arm with 275 °F with Nothing",)


@given(st.sampled_from([row.name for row in ROWS if row.kind == "words"]), st.permutations("AB"))
def test_swapping_the_arms_changes_nothing_but_the_letters(row: str, order) -> None:
    other = arm("B", {**BARE, row: "another thing"})
    one = kept(ArmFacts(order[0], arm("A").words, NUMBERS), ArmFacts(order[1], other.words, NUMBERS))
    two = kept(ArmFacts(order[0], other.words, NUMBERS), ArmFacts(order[1], arm("A").words, NUMBERS))
    assert one.level == two.level
    assert [line.state for line in one.lines] == [line.state for line in two.lines]
