"""What a panel said, once its envelope has been opened: blind ballots by themselves, those who knew beside them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.stats import rankdata

from bruvet.core.tasting.differing import METHODS, PAIRED, Told, told
from bruvet.core.tasting.panel import TasterSays, least_panel
from bruvet.core.tasting.ranking import Ranked, ranked
from bruvet.core.tasting.scoring import (
    Camps,
    Mixed,
    Penalty,
    Scored,
    Step,
    camps,
    consistency,
    corrected,
    mixed,
    paired_step,
    penalty,
)
from bruvet.core.tasting.sets import RIGHTS, SCALES, TESTS
from bruvet.core.trial.power import tasters_needed
from bruvet.records.models import Ballot, Panel, Sample
from bruvet.work.panels import CannotTaste, given, steps_for

LIKED = 0.75


@dataclass(frozen=True)
class Attribute:
    """One scale: everybody's scores by arm, the steps from the first arm, the mixed model, corrected chances."""

    key: str
    name: str
    low: str
    high: str
    scores: tuple[Scored, ...]
    means: Mapping[str, float]
    steps: tuple[Step, ...]
    mixed: Mixed | None
    corrected: Mapping[str, float]


@dataclass(frozen=True)
class JustRight:
    """Just-about-right answers of one arm and attribute."""

    key: str
    name: str
    letter: str
    found: Penalty


@dataclass(frozen=True)
class Tested:
    """A test of two samples: what was asked, what it says, and for a choice how many took each arm."""

    test: str
    question: str
    found: Told
    counts: Mapping[str, int]
    undecided: int


@dataclass(frozen=True)
class Results:
    """Everything of one panel. `blind` and `knowing` count the ballots sent; late ones are with the knowing."""

    panel: Panel
    letters: tuple[str, ...]
    blind: int
    knowing: int
    late: int
    unsent: int
    attributes: tuple[Attribute, ...]
    just_right: tuple[JustRight, ...]
    tests: tuple[Tested, ...]
    ranking: Ranked | None
    camps: Camps | None
    disagree: tuple[str, ...]
    consistency: Mapping[str, float]
    remarks: tuple[tuple[str, str, str, str], ...]
    can_show: tuple[str, ...]


def results(panel: Panel) -> Results:
    """Sum a panel up.

    Raises
    ------
    CannotTaste
        Before its envelope was opened: until then nobody is told, not even here.
    """
    if panel.state != "opened":
        raise CannotTaste("The envelope is still shut. Open it first; it is kept who did and when.")
    sent = [ballot for ballot in panel.ballots if ballot.sent_at is not None]
    blind = [ballot for ballot in sent if not ballot.cooked and not ballot.late]
    arm_of = {sample.id: sample.arm.letter for sample in panel.samples}
    letters = tuple(sorted(set(arm_of.values())))
    scores = _scores(blind, arm_of)
    attributes = tuple(_attribute(key, scores.get(key, []), letters[0]) for key in panel.asks["scales"])
    overall = next((a for a in attributes if a.key == "overall"), None)
    return Results(
        panel,
        letters,
        len(blind),
        len(sent) - len(blind),
        sum(ballot.late for ballot in sent),
        len(panel.ballots) - len(sent),
        _hold(attributes),
        _just_right(panel, blind, arm_of),
        tuple(_tests(panel, blind, letters)),
        _ranking(blind, arm_of, letters),
        _camps(overall, letters),
        _disagree(panel, blind, letters),
        _consistent(scores),
        _remarks(sent, arm_of),
        _can_show(len(blind), letters),
    )


@dataclass(frozen=True)
class _Served:
    """One page of a ballot: what was served, and what was said of it by field."""

    ballot: Ballot
    step: Mapping[str, Any]
    said: Mapping[str, str]


def _served(ballots: Sequence[Ballot], *kinds: str) -> Iterator[_Served]:
    """Every page of these ballots, or those of some kinds."""
    for ballot in ballots:
        said = given(ballot)
        for page, step in enumerate(ballot.steps, 1):
            if not kinds or step["kind"] in kinds:
                mine = {key.split(":", 1)[1]: value for key, value in said.items() if key.startswith(f"{page}:")}
                yield _Served(ballot, step, mine)


def _scores(ballots: Sequence[Ballot], arm_of: Mapping[int, str]) -> dict[str, list[Scored]]:
    found: dict[str, list[Scored]] = {}
    for one in _served(ballots, "sample"):
        who = f"{one.ballot.number} {one.ballot.name}"
        for key in SCALES:
            if value := one.said.get(f"score-{key}"):
                score = Scored(who, arm_of[one.step["sample"]], one.step["position"], float(value))
                found.setdefault(key, []).append(score)
    return found


def _attribute(key: str, scores: Sequence[Scored], first: str) -> Attribute:
    scale = SCALES[key]
    arms = sorted({s.sample for s in scores})
    means = {arm: float(np.mean([s.value for s in scores if s.sample == arm])) for arm in arms}
    steps = [step for arm in arms if arm != first and (step := paired_step(scores, first, arm)) is not None]
    return Attribute(
        key, scale.name, scale.low, scale.high, tuple(scores), means, tuple(steps), mixed(scores, first), {}
    )


def _hold(attributes: Sequence[Attribute]) -> tuple[Attribute, ...]:
    """Chances corrected over all attributes and arms together (Holm)."""
    keys = [(a.key, s.sample) for a in attributes for s in a.steps if s.p is not None]
    chances = dict(zip(keys, corrected([s.p for a in attributes for s in a.steps if s.p is not None]), strict=True))
    return tuple(
        Attribute(**{**vars(a), "corrected": {arm: p for (key, arm), p in chances.items() if key == a.key}})
        for a in attributes
    )


def _just_right(panel: Panel, ballots: Sequence[Ballot], arm_of: Mapping[int, str]) -> tuple[JustRight, ...]:
    answers: dict[tuple[str, str], list[tuple[int, float | None]]] = {}
    for one in _served(ballots, "sample"):
        liking = one.said.get("score-overall")
        for key in panel.asks["rights"]:
            if value := one.said.get(f"right-{key}"):
                pair = (int(value), float(liking) if liking else None)
                answers.setdefault((key, arm_of[one.step["sample"]]), []).append(pair)
    return tuple(JustRight(key, RIGHTS[key].name, arm, penalty(found)) for (key, arm), found in sorted(answers.items()))


def _tests(panel: Panel, ballots: Sequence[Ballot], letters: Sequence[str]) -> list[Tested]:
    out = []
    arm_of = {sample.id: sample.arm.letter for sample in panel.samples}
    for test in panel.asks["tests"]:
        if test == "rank" or len(letters) != 2:
            continue
        chosen = [(one.step, one.said["choice"]) for one in _served(ballots, test) if one.said.get("choice")]
        if test in METHODS:
            right = sum(choice == step["right"] for step, choice in chosen)
            if chosen:
                out.append(Tested(test, TESTS[test], told(METHODS[test], len(chosen), right), {}, 0))
            continue
        counts = dict.fromkeys(letters, 0)
        for step, choice in chosen:
            if choice != "none":
                counts[arm_of[step["codes"][choice]]] += 1
        decided = sum(counts.values())
        if decided:
            found = told(PAIRED, decided, max(counts.values()), two_sided=True)
            out.append(Tested(test, TESTS[test], found, counts, len(chosen) - decided))
    return out


def _ranking(ballots: Sequence[Ballot], arm_of: Mapping[int, str], letters: Sequence[str]) -> Ranked | None:
    rows = []
    for one in _served(ballots, "rank"):
        places = {arm_of[s]: one.said.get(f"place-{code}") for code, s in one.step["codes"].items()}
        if all(places.get(letter) for letter in letters):
            rows.append(rankdata([float(places[letter] or 0) for letter in letters]))
    return ranked(np.array(rows)) if len(rows) > 1 and len(letters) > 1 else None


def _camps(overall: Attribute | None, letters: Sequence[str]) -> Camps | None:
    if overall is None or len(letters) != 2:
        return None
    by_person: dict[str, dict[str, list[float]]] = {}
    for one in overall.scores:
        by_person.setdefault(one.who, {}).setdefault(one.sample, []).append(one.value)
    steps = {
        who: float(np.mean(said[letters[1]]) - np.mean(said[letters[0]]))
        for who, said in by_person.items()
        if set(letters) <= set(said)
    }
    return camps(steps) if steps else None


def _disagree(panel: Panel, ballots: Sequence[Ballot], letters: Sequence[str]) -> tuple[str, ...]:
    """Where the first bite and the portion like different arms best, by the mean of `overall`."""
    amounts: dict[int, str] = {sample.id: sample.amount for sample in panel.samples}
    arm_of = {sample.id: sample.arm.letter for sample in panel.samples}
    found: dict[tuple[str, str], list[float]] = {}
    for one in _served(ballots, "sample"):
        if value := one.said.get("score-overall"):
            sample = one.step["sample"]
            found.setdefault((amounts[sample], arm_of[sample]), []).append(float(value))
    best = {}
    for amount in ("bite", "portion"):
        means = {arm: float(np.mean(found[amount, arm])) for arm in letters if (amount, arm) in found}
        if len(means) > 1:
            best[amount] = max(means, key=lambda arm: means[arm])
    if len(best) == 2 and best["bite"] != best["portion"]:
        return (f"The first bite likes {best['bite']} best, a whole portion {best['portion']}.",)
    return ()


def _consistent(scores: Mapping[str, Sequence[Scored]]) -> dict[str, float]:
    """By panellist, points between two servings of the same, mean over what was scored."""
    each = [consistency(found) for found in scores.values()]
    who = sorted({name for found in each for name in found}, key=lambda name: int(name.split(" ", 1)[0]))
    return {name: float(np.mean([found[name] for found in each if name in found])) for name in who}


def _remarks(ballots: Sequence[Ballot], arm_of: Mapping[int, str]) -> tuple[tuple[str, str, str, str], ...]:
    out = []
    for one in _served(ballots):
        if words := one.said.get("remark"):
            step = one.step
            arm = arm_of[step["sample"]] if step["kind"] == "sample" else ""
            out.append((one.ballot.name, arm, step.get("code", TESTS.get(step["kind"], "")), words))
    return tuple(out)


def _can_show(blind: int, letters: Sequence[str]) -> tuple[str, ...]:
    """What a panel of this size can and cannot show, and how many would settle it."""
    lines = []
    fewest = least_panel()
    if not blind:
        return ("No blind ballot is in, so nothing can be said about taste.",)
    if blind < fewest:
        who = "One taster" if blind == 1 else f"{blind} tasters"
        lines.append(
            f"{who} can say what they like, not what others would: even if all agree, chance alone does as much. "
            f"It takes {fewest} who all agree."
        )
    needed = tasters_needed(0.5, LIKED, two_sided=True)
    if len(letters) == 2 and needed is not None and blind < needed:
        lines.append(
            f"{needed} tasters would show a preference of three in four with a chance of 80 % (exact binomial, 5 %)."
        )
    return tuple(lines)


def tasters_of(panel: Panel) -> list[TasterSays]:
    """An opened panel's ballots as the verdict counts them: mean scores of 1 to 9 by arm, and what was preferred."""
    if panel.state != "opened":
        return []
    arm_of = {sample.id: sample.arm.letter for sample in panel.samples}
    out = []
    for ballot in panel.ballots:
        if ballot.sent_at is None:
            continue
        sums: dict[tuple[str, str], list[float]] = {}
        for key, scores in _scores([ballot], arm_of).items():
            for one in scores:
                sums.setdefault((one.sample, key), []).append(one.value)
        choices = [(page.step, page.said.get("choice", "none")) for page in _served([ballot], "prefer")]
        preferred = next((arm_of[step["codes"][code]] for step, code in choices if code != "none"), None)
        means = {key: round(float(np.mean(values))) for key, values in sums.items()}
        out.append(TasterSays(ballot.name, means, preferred, not ballot.cooked and not ballot.late))
    return out


def servings(panel: Panel) -> list[tuple[int, list[tuple[str, Sample]]]]:
    """Who gets which plate in which order: by panellist's number, codes and samples. For whoever carves only."""
    by_id = {sample.id: sample for sample in panel.samples}
    out = []
    for number in range(1, max(int(panel.asks["expected"]), len(panel.ballots)) + 1):
        row: list[tuple[str, Sample]] = []
        for step in steps_for(panel, number):
            if step["kind"] in ("sample", "warm"):
                row.append((step["code"], by_id[step["sample"]]))
            elif step["kind"] in ("triangle", "duo-trio"):
                if step["kind"] == "duo-trio":
                    row.append((step["reference"], by_id[step["reference_sample"]]))
                row += [(code, by_id[step["codes"][code]]) for code in step["shown"]]
        out.append((number, row))
    return out
