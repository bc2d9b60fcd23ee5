"""Panels of the sizes that are advised find what is planted as often as is stated."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from bruvet.core.tasting.differing import DUO_TRIO, TRIANGLE, least_right
from bruvet.core.tasting.liking import liking
from bruvet.core.tasting.panel import TasterSays
from bruvet.core.tasting.ranking import ranked
from bruvet.core.trial.power import tasters_needed

PANELS = 2000


@pytest.mark.parametrize("liked", [0.65, 0.75, 0.85])
def test_a_planted_preference_is_found_at_the_stated_power(liked: float) -> None:
    """Two thousand panels of the size that is said to show it in four of five."""
    people = tasters_needed(0.5, liked, two_sided=True)
    assert people is not None
    draw = np.random.default_rng(int(100 * liked))
    counts = draw.binomial(people, liked, PANELS)
    needed = least_right(people, 0.5, two_sided=True)
    shown = float(np.mean(counts >= needed))
    exact = float(stats.binom.sf(needed - 1, people, liked))
    assert exact >= 0.8
    assert shown == pytest.approx(exact, abs=4 * np.sqrt(exact * (1 - exact) / PANELS))


@pytest.mark.parametrize("method", [TRIANGLE, DUO_TRIO], ids=lambda m: m.name)
def test_a_planted_difference_is_found_as_often_as_its_distance_says(method) -> None:
    draw = np.random.default_rng(11)
    right = method.right(1.5)
    needed = least_right(30, method.guess)
    shown = float(np.mean(draw.binomial(30, right, PANELS) >= needed))
    exact = float(stats.binom.sf(needed - 1, 30, right))
    assert shown == pytest.approx(exact, abs=4 * np.sqrt(exact * (1 - exact) / PANELS))


def test_random_rankings_are_shown_no_more_than_one_in_twenty_and_planted_ones_mostly() -> None:
    draw = np.random.default_rng(23)
    by_chance = planted = 0
    for _ in range(PANELS):
        taste = draw.normal(size=(12, 4))
        by_chance += ranked(stats.rankdata(taste, axis=1)).shown()
        planted += ranked(stats.rankdata(taste - 1.2 * np.arange(4), axis=1)).shown()
    assert by_chance / PANELS <= 0.05 + 4 * np.sqrt(0.05 * 0.95 / PANELS)
    assert planted / PANELS > 0.95


def test_who_guesses_at_random_shows_no_liking_more_than_one_in_twenty() -> None:
    draw = np.random.default_rng(31)
    shown = 0
    for _ in range(PANELS):
        tasters = [TasterSays(str(n), {}, "AB"[draw.integers(2)], True) for n in range(13)]
        found = liking("AB", tasters)
        shown += found is not None and found.p is not None and found.p <= 0.05
    assert shown / PANELS <= 0.05
