"""Five fixed words, and nothing shown that chance alone would show."""

from __future__ import annotations

import numpy as np
import pytest

from bruvet.core.tasting.liking import liking
from bruvet.core.tasting.panel import TasterSays
from bruvet.core.trial.estimates import Sample, estimates
from bruvet.core.verdict.answer import taste_answer, time_answer
from bruvet.core.verdict.strength import RULES, Strength, chance_of_time, strength


@pytest.mark.parametrize(
    ("chance", "alone", "one", "word"),
    [
        (0.01, True, False, Strength.SHOWN),
        (0.01, False, False, Strength.LIKELY),
        (0.01, True, True, Strength.LIKELY),
        (0.04, True, False, Strength.LIKELY),
        (0.01, False, True, Strength.HINTED),
        (0.04, False, False, Strength.HINTED),
        (0.25, True, False, Strength.HINTED),
        (0.5, True, False, Strength.NOT_SHOWN),
        (None, True, False, Strength.CANNOT_BE_TOLD),
    ],
)
def test_each_word_has_its_rule(chance, alone, one, word) -> None:
    assert strength(chance, 2, alone, one) is word
    assert RULES[word]


@pytest.mark.parametrize("arms", [2, 3, 4])
def test_a_hundred_null_trials_yield_no_more_than_five_shown(arms: int) -> None:
    """Five hundreds, as the verdict answers them: three like pieces an arm, a panel of twelve that chooses by coin."""
    draw = np.random.default_rng(17 + arms)
    letters = "ABCD"[:arms]
    names = {letter: letter for letter in letters}
    shown = 0
    for _ in range(500):
        times = draw.normal(480, 0.08 * 480, (arms, 3))
        samples = [Sample(arm, value) for arm, row in zip(letters, times, strict=True) for value in row]
        totals = dict(zip(letters, times.mean(axis=1), strict=True))
        found = estimates(samples)
        tasters = [
            TasterSays(
                str(n), {}, letters[draw.integers(2)] if arms == 2 else None, True, _ranked_by_coin(draw, letters)
            )
            for n in range(12)
        ]
        answers = [time_answer(one, "", "A", names, totals, 0.08, len(found) + 1, True) for one in found]
        answers.append(taste_answer(liking(letters, tasters), names, len(found) + 1, True, one_piece=False))
        shown += any(answer.strength is Strength.SHOWN for answer in answers)
    assert shown <= 25


def _ranked_by_coin(draw, letters: str) -> dict[str, float]:
    return {} if len(letters) == 2 else dict(zip(letters, draw.permutation(len(letters)) + 1.0, strict=True))


def test_one_piece_each_is_never_shown() -> None:
    (found,) = estimates([Sample("A", 300.0), Sample("B", 600.0)])
    chance = chance_of_time(found, 450, 0.08)
    assert chance is not None
    assert chance < 0.001
    assert strength(chance, 1, True, one_piece=True) is Strength.LIKELY


def test_a_difference_that_is_there_is_shown_when_pieces_carry_it() -> None:
    draw = np.random.default_rng(4)
    samples = [Sample("A", v) for v in draw.normal(400, 20, 5)] + [Sample("B", v) for v in draw.normal(560, 20, 5)]
    (found,) = estimates(samples)
    assert strength(chance_of_time(found, 480, 0.08), 2, True) is Strength.SHOWN
