"""The first ledger: every planted confounder is found, weighed and given a mend."""

from __future__ import annotations

import pytest

from bruvet.core.trial.differences import ArmFacts, differences
from bruvet.core.trial.fairness import Fairness, judge
from bruvet.core.units import Units

WORDS = {
    "cooker": "The drum", "pit target": "250 °F", "wrap": "Foil", "done rule": "Probe feel", "cut": "Pork collar",
    "grade": "club", "source": "Skerrow's", "bone": "out", "wood": "Pear", "rub": "Boathouse", "rest plan": "box, 1 h",
}  # fmt: skip
NUMBERS = {"weight": 2.0, "thickness": 88.0, "start": 4.0}


def judged(
    factor: str = "wrap",
    words: dict[str, str] | None = None,
    numbers: dict[str, float | None] | None = None,
    worth: dict[str, float] | None = None,
) -> Fairness:
    first = ArmFacts("A", WORDS, NUMBERS)
    second = ArmFacts("B", {**WORDS, "wrap": "Nothing", **(words or {})}, {**NUMBERS, **(numbers or {})})
    return judge(factor, differences(factor, [first, second], Units()), worth or {})


def test_only_the_factor_differs_and_it_is_fair() -> None:
    found = judged()
    assert found.level == "fair"
    assert found.rows == ()


@pytest.mark.parametrize(
    ("words", "row"),
    [
        ({"rub": "Sugar rub"}, "rub"), ({"wood": "Oak"}, "wood"), ({"cooker": "The brick pit"}, "cooker"),
        ({"pit target": "275 °F"}, "pit target"), ({"done rule": "Time"}, "done rule"), ({"cut": "Lamb shoulder"}, "cut"),
    ],
)  # fmt: skip
def test_a_second_change_cannot_answer_the_question(words: dict[str, str], row: str) -> None:
    """Temperature and rub; cooker and added wood: the verdict would name the wrong one (common practice, no source)."""
    found = judged(words=words)
    assert found.level == "cannot"
    assert row in found.sentence
    assert "because" in found.sentence
    assert found.rows[0].treatment
    assert found.rows[0].mend in found.sentence


@pytest.mark.parametrize(
    ("words", "numbers", "row"),
    [
        ({}, {"weight": 2.4}, "weight"), ({}, {"start": 9.0}, "start"), ({}, {"thickness": 100.0}, "thickness"),
        ({"grade": "prime"}, {}, "grade"), ({"rest plan": "counter, 15 min"}, {}, "rest plan"), ({"bone": "in"}, {}, "bone"),
    ],
)  # fmt: skip
def test_unequal_pieces_and_rests_are_reservations(words, numbers, row) -> None:
    found = judged(words=words, numbers=numbers)
    assert found.level == "reservations"
    assert row in found.sentence
    assert found.rows[0].mend


def test_minutes_by_the_twin_stand_with_their_row_once() -> None:
    found = judged(numbers={"weight": 2.5, "thickness": 100.0}, worth={"size": 48.0, "wrap": -120.0})
    minutes = [row.minutes for row in found.rows]
    assert minutes.count(48.0) == 1
    assert "worth about 48 min" in found.sentence


def test_what_is_not_known_is_to_be_measured() -> None:
    found = judged(numbers={"start": None})
    assert found.level == "reservations"
    assert "start not known for every arm" in found.sentence
    assert found.rows[0].mend == "measure it"


def test_swapping_the_arms_changes_nothing_but_the_letters() -> None:
    first, second = (
        ArmFacts("A", WORDS, NUMBERS),
        ArmFacts("B", {**WORDS, "rub": "Sugar rub"}, {**NUMBERS, "weight": 2.6}),
    )
    one = judge("wrap", differences("wrap", [first, second], Units()), {})
    other = judge(
        "wrap",
        differences(
            "wrap", [ArmFacts("A", second.words, second.numbers), ArmFacts("B", first.words, first.numbers)], Units()
        ),
        {},
    )
    assert one.level == other.level
    assert {row.row for row in one.rows} == {row.row for row in other.rows}
