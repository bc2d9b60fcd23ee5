"""A tasting told in JSON, and what it shows, for `./bruvet panel`; docs/api.md describes both."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from bruvet.core.tasting.differing import METHODS, told
from bruvet.core.tasting.orders import orders_for
from bruvet.core.tasting.ranking import in_order, ranked
from bruvet.core.tasting.scoring import Scored, corrected, mixed, paired_step, penalty

MOST_ANSWERS, MOST_SAMPLES, MOST_PANELLISTS, MOST_ATTRIBUTES = 100_000, 12, 1000, 40


class BadTasting(ValueError):
    """A document that cannot be read; the text says where, and what was wanted."""


def what_it_shows(content: bytes) -> dict[str, Any]:
    """Read a tasting and judge every part that it has.

    Raises
    ------
    BadTasting
    """
    try:
        said = json.loads(content)
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise BadTasting(f"this is no JSON: {error}") from None
    if not isinstance(said, dict):
        raise BadTasting("an object is wanted")
    known: dict[str, Callable[[Any], Any]] = {
        "tests": _tests,
        "ranks": _ranks,
        "scores": _scores,
        "just_right": _just_right,
        "orders": _orders,
    }
    for name in said:
        if name not in (*known, "expected"):
            raise BadTasting(f"{str(name)[:40]!r} is not known; there are {', '.join(known)} and expected")
    if not any(name in said for name in known):
        raise BadTasting(f"nothing to judge: give one of {', '.join(known)}")
    if "expected" in said and "ranks" not in said:
        raise BadTasting("expected: an order is tested on ranks; give them too")
    out = {name: judge(said[name]) for name, judge in known.items() if name in said}
    if "expected" in said:
        out["ranks"]["page"] = _page(_table(said["ranks"]), said["expected"])
    return out


def _whole(where: str, value: Any, low: int, high: int) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or not low <= value <= high:
        raise BadTasting(f"{where}: a whole number from {low} to {high} is wanted, this is {str(value)[:20]!r}")
    return value


def _number(where: str, value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
        raise BadTasting(f"{where}: a number is wanted, this is {str(value)[:20]!r}")
    return float(value)


def _object(where: str, value: Any, known: tuple[str, ...]) -> Mapping[str, Any]:
    if not isinstance(value, dict):
        raise BadTasting(f"{where}: an object is wanted")
    for name in value:
        if name not in known:
            raise BadTasting(f"{where}: {str(name)[:40]!r} is not known; there are {', '.join(known)}")
    return value


def _list(where: str, value: Any, most: int) -> list[Any]:
    if not isinstance(value, list) or not 1 <= len(value) <= most:
        raise BadTasting(f"{where}: a list of 1 to {most} is wanted")
    return value


def _tests(said: Any) -> list[dict[str, Any]]:
    out = []
    for number, one in enumerate(_list("tests", said, 1000), 1):
        where = f"tests, {number}"
        test = _object(where, one, ("method", "answers", "right", "two_sided", "level"))
        if test.get("method") not in METHODS:
            raise BadTasting(f"{where}: method is one of {', '.join(METHODS)}")
        answers = _whole(f"{where}, answers", test.get("answers"), 1, MOST_ANSWERS)
        right = _whole(f"{where}, right", test.get("right"), 0, answers)
        two_sided = test.get("two_sided", False)
        if not isinstance(two_sided, bool) or (two_sided and test["method"] != "paired"):
            raise BadTasting(f"{where}: two_sided is true or false, and true only for paired")
        level = _number(f"{where}, level", test.get("level", 0.05))
        if not 0 < level < 0.5:
            raise BadTasting(f"{where}: level is between 0 and 0.5")
        found = told(METHODS[test["method"]], answers, right, two_sided, level)
        out.append({**vars(found), "shown": found.shown})
    return out


def _table(said: Any) -> np.ndarray:
    rows = _list("ranks", said, MOST_PANELLISTS)
    table = [
        [_number(f"ranks, row {n}", v) for v in _list(f"ranks, row {n}", row, 40)] for n, row in enumerate(rows, 1)
    ]
    if len({len(row) for row in table}) > 1:
        raise BadTasting("ranks: every row takes as many ranks")
    found = np.array(table)
    samples = found.shape[1]
    if len(found) < 2 or samples < 2:
        raise BadTasting("ranks: two panellists and two samples are the least")
    whole = samples * (samples + 1) / 2
    for number, row in enumerate(found, 1):
        if abs(row.sum() - whole) > 1e-9 or row.min() < 1 or row.max() > samples:
            raise BadTasting(f"ranks, row {number}: ranks from 1 to {samples} are wanted, like ones as their mean")
    return found


def _ranks(said: Any) -> dict[str, Any]:
    found = ranked(_table(said))
    return {**vars(found), "shown": found.shown(), "pairs": [list(pair) for pair in found.pairs]}


def _page(table: np.ndarray, said: Any) -> dict[str, float]:
    samples = table.shape[1]
    order = tuple(_whole("expected", one, 0, samples - 1) for one in _list("expected", said, samples))
    if sorted(order) != list(range(samples)) or samples < 3:
        raise BadTasting("expected: every sample once, counted from 0, best first, of three or more")
    return vars(in_order(table, order))


def _scores(said: Any) -> dict[str, Any]:
    if not isinstance(said, dict) or not 1 <= len(said) <= MOST_ATTRIBUTES:
        raise BadTasting(f"scores: 1 to {MOST_ATTRIBUTES} attributes by name are wanted")
    out: dict[str, Any] = {}
    chances: list[tuple[str, int, float]] = []
    for name, rows in said.items():
        scores = [
            _score(f"scores, {name}, {n}", one) for n, one in enumerate(_list(f"scores, {name}", rows, MOST_ANSWERS), 1)
        ]
        samples = sorted({s.sample for s in scores})
        steps = [step for one in samples[1:] if (step := paired_step(scores, samples[0], one)) is not None]
        model = mixed(scores, samples[0])
        out[name] = {
            "first": samples[0],
            "means": {one: float(np.mean([s.value for s in scores if s.sample == one])) for one in samples},
            "steps": [dict(vars(step)) for step in steps],
            "mixed": None if model is None else {**vars(model), "steps": [vars(step) for step in model.steps]},
        }
        chances += [(name, n, step.p) for n, step in enumerate(steps) if step.p is not None]
    for (name, n, _), p in zip(chances, corrected([p for *_, p in chances]), strict=True):
        out[name]["steps"][n]["p_corrected"] = p
    return out


def _score(where: str, said: Any) -> Scored:
    one = _object(where, said, ("who", "sample", "position", "value"))
    if not all(isinstance(one.get(name), str) and one[name] for name in ("who", "sample")):
        raise BadTasting(f"{where}: who and sample are wanted, as text")
    position = _whole(f"{where}, position", one.get("position", 1), 1, 1000)
    return Scored(one["who"], one["sample"], position, _number(f"{where}, value", one.get("value")))


def _just_right(said: Any) -> dict[str, Any]:
    rows = []
    for number, one in enumerate(_list("just_right", said, MOST_ANSWERS), 1):
        answer = _object(f"just_right, {number}", one, ("off", "liking"))
        liking = answer.get("liking")
        off = _whole(f"just_right, {number}, off", answer.get("off"), -2, 2)
        rows.append((off, None if liking is None else _number(f"just_right, {number}, liking", liking)))
    found = penalty(rows)
    return {**vars(found), "total": found.total}


def _orders(said: Any) -> list[list[int]]:
    one = _object("orders", said, ("samples", "panellists", "seed"))
    samples = _whole("orders, samples", one.get("samples"), 2, MOST_SAMPLES)
    panellists = _whole("orders, panellists", one.get("panellists"), 1, MOST_PANELLISTS)
    return [
        list(row) for row in orders_for(samples, panellists, _whole("orders, seed", one.get("seed", 0), 0, 2**31 - 1))
    ]
