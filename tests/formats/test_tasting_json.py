"""What `./bruvet panel` reads and says."""

from __future__ import annotations

import json

import pytest
from scipy import stats

from bruvet.formats.tasting_json import BadTasting, what_it_shows


def told(**said) -> dict:
    return what_it_shows(json.dumps(said).encode())


@pytest.mark.parametrize(
    ("method", "answers", "needed"),
    # ISO 4120 and ISO 10399, 5 %; values from memory, confirmed by SciPy's exact binomial.
    [("triangle", 12, 8), ("triangle", 24, 13), ("duo-trio", 20, 15), ("duo-trio", 32, 22)],
)
def test_tests_of_two_equal_the_published_tables(method, answers, needed) -> None:
    (found,) = told(tests=[{"method": method, "answers": answers, "right": needed}])["tests"]
    assert (found["needed"], found["shown"]) == (needed, True)
    guess = 1 / 3 if method == "triangle" else 0.5
    assert found["p"] == pytest.approx(stats.binomtest(needed, answers, guess, alternative="greater").pvalue)


def test_ranks_are_scipys_friedman_and_page() -> None:
    ranks = [[1, 2, 3], [1, 3, 2], [1, 2, 3], [2, 1, 3], [1, 2, 3]]
    found = told(ranks=ranks, expected=[0, 1, 2])["ranks"]
    assert found["p"] == pytest.approx(stats.friedmanchisquare(*zip(*ranks, strict=True)).pvalue)
    assert found["page"]["p"] == pytest.approx(stats.page_trend_test(ranks, ranked=True).pvalue)


def test_scores_have_the_paired_interval_and_corrected_chances() -> None:
    a, b = [5, 6, 7, 5, 6, 4], [7, 7, 8, 6, 8, 5]
    rows = [
        {"who": str(n), "sample": sample, "position": 1 + (sample == "B"), "value": value}
        for sample, values in (("A", a), ("B", b))
        for n, value in enumerate(values)
    ]
    found = told(scores={"overall": rows, "bark": rows})["scores"]["overall"]
    (step,) = found["steps"]
    interval = stats.ttest_rel(b, a).confidence_interval(0.95)
    assert (step["low"], step["high"]) == pytest.approx((interval.low, interval.high))
    assert step["p_corrected"] == pytest.approx(min(1, 2 * step["p"])), "Holm over two alike"


def test_orders_and_just_right_are_told() -> None:
    found = told(orders={"samples": 4, "panellists": 8}, just_right=[{"off": 1, "liking": 4}, {"off": 0, "liking": 7}])
    assert sorted(found["orders"][0]) == [0, 1, 2, 3]
    assert (found["just_right"]["much"], found["just_right"]["right"]) == (1, 1)


@pytest.mark.parametrize(
    ("said", "words"),
    [
        (b"[]", "an object is wanted"),
        (b"{", "no JSON"),
        (b"\xff", "no JSON"),
        (b"{}", "nothing to judge"),
        (b'{"frobs": 1}', "'frobs' is not known"),
        (b'{"tests": [{"method": "guess", "answers": 3, "right": 1}]}', "tests, 1: method is one of"),
        (b'{"tests": [{"method": "paired", "answers": 3, "right": 4}]}', "tests, 1, right: a whole number from 0 to 3"),
        (b'{"tests": [{"method": "paired", "answers": 1e99, "right": 4}]}', "answers: a whole number"),
        (b'{"tests": [{"method": "triangle", "answers": 9, "right": 4, "two_sided": true}]}', "two_sided"),
        (b'{"ranks": [[1, 2], [2, 2]]}', "ranks, row 2"),
        (b'{"ranks": [[1, 2], [1, 2, 3]]}', "as many ranks"),
        (b'{"ranks": [[1, 2]]}', "two panellists"),
        (b'{"ranks": [[1, 2], [1, 2]], "expected": [0, 1]}', "of three or more"),
        (b'{"expected": [0, 1, 2]}', "nothing to judge"),
        (b'{"scores": {"x": [{"who": 1, "sample": "A", "value": 3}]}}', "who and sample are wanted"),
        (b'{"scores": {"x": [{"who": "a", "sample": "A", "value": NaN}]}}', "a number is wanted"),
        (b'{"just_right": [{"off": 3}]}', "from -2 to 2"),
        (b'{"orders": {"samples": 99, "panellists": 3}}', "from 2 to 12"),
    ],
)
def test_what_cannot_be_read_is_said_with_its_place(said, words) -> None:
    with pytest.raises(BadTasting, match=words.replace("(", r"\(")):
        what_it_shows(said)
