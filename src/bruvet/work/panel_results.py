"""What a panel said, once its envelope has been opened: blind ballots by themselves, those who knew beside them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.stats import rankdata

from bruvet.core.tasting.differing import METHODS, PAIRED, Told, told
from bruvet.core.tasting.panel import TasterSays, least_panel
from bruvet.core.tasting.ranking import Ranked, Trend, in_order, ranked
from bruvet.core.tasting.scoring import (
    Camps,
    Mixed,
    Penalty,
    Scored,
    Step,
    camps,
    consistency,
    corrected,
    mean_scores,
    mixed,
    noise_of,
    paired_step,
    penalty,
)
from bruvet.core.tasting.sets import TESTS, Scale
from bruvet.core.trial.power import tasters_needed
from bruvet.records.tasting import Ballot, Panel, Sample
from bruvet.work.panels import CannotTaste, given, name_of, rights_of, said_on, scales_of, steps_for

FloatArray = NDArray[np.float64]
LIKED = 0.75
AMOUNTS = {"bite": "first bite", "portion": "a portion"}
# Samples further apart than this were not served alike (common practice, no source).
WARMTH_C, CUT_MIN = 5.0, 10.0


@dataclass(frozen=True)
class Attribute:
    """One scale, after a bite or a portion: scores by sample, steps from the first, mixed model, corrected chances."""

    key: str
    amount: str
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
    """Just-about-right answers of one sample and attribute."""

    key: str
    name: str
    sample: str
    found: Penalty


@dataclass(frozen=True)
class Tested:
    """A test of two samples: what was asked, what it says, and for a choice how many took each."""

    test: str
    question: str
    found: Told
    counts: Mapping[str, int]
    undecided: int


@dataclass(frozen=True)
class Results:
    """Everything of one panel. `blind` and `knowing` count the ballots sent; late ones are with the knowing.

    `samples` are named by their arm's letter, and by their part where several are tasted.
    """

    panel: Panel
    samples: tuple[str, ...]
    blind: int
    knowing: int
    late: int
    unsent: int
    attributes: tuple[Attribute, ...]
    just_right: tuple[JustRight, ...]
    tests: tuple[Tested, ...]
    ranking: Ranked | None
    trend: Trend | None
    camps: Camps | None
    disagree: tuple[str, ...]
    served: tuple[str, ...]
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
    name = {sample.id: name_of(sample) for sample in panel.samples}
    samples = tuple(sorted(set(name.values())))
    scores = _scores(panel, blind, name)
    amounts = list(dict.fromkeys(sample.amount for sample in panel.samples))
    some = bool(panel.asks.get("at_most"))
    attributes = tuple(
        _attribute(scale, amount if len(amounts) > 1 else "", scores.get((scale.key, amount), []), samples[0], some)
        for amount in amounts
        for scale in scales_of(panel).values()
    )
    overall = next((a for a in reversed(attributes) if a.key == "overall"), None)
    tests = tuple(_tests(panel, blind, name, samples))
    ranks = _ranks(blind, name, samples)
    expected = [samples.index(letter) for letter in panel.asks.get("expected_order", []) if letter in samples]
    return Results(
        panel,
        samples,
        len(blind),
        len(sent) - len(blind),
        sum(ballot.late for ballot in sent),
        len(panel.ballots) - len(sent),
        _hold(attributes),
        _just_right(panel, blind, name),
        tests,
        None if ranks is None else ranked(ranks),
        in_order(ranks, tuple(expected)) if ranks is not None and len(expected) == len(samples) > 2 else None,
        _camps(overall, samples),
        _disagree(scores, samples),
        _served_alike(panel),
        _consistent(scores),
        _remarks(sent, name),
        _can_show(len(blind), samples, tests),
    )


@dataclass(frozen=True)
class Served:
    """One page of a ballot: what was served, and what was said of it by field."""

    ballot: Ballot
    step: Mapping[str, Any]
    said: Mapping[str, str]


def served(ballots: Sequence[Ballot], *kinds: str) -> Iterator[Served]:
    """Every page of these ballots, or those of some kinds."""
    for ballot in ballots:
        said = given(ballot)
        for page, step in enumerate(ballot.steps, 1):
            if not kinds or step["kind"] in kinds:
                yield Served(ballot, step, said_on(said, page))


def _scores(panel: Panel, ballots: Sequence[Ballot], name: Mapping[int, str]) -> dict[tuple[str, str], list[Scored]]:
    """Scores by scale and amount."""
    found: dict[tuple[str, str], list[Scored]] = {}
    scales = scales_of(panel)
    for one in served(ballots, "sample"):
        who = f"{one.ballot.number} {one.ballot.name}"
        for key in scales:
            if value := one.said.get(f"score-{key}"):
                score = Scored(who, name[one.step["sample"]], one.step["position"], float(value))
                found.setdefault((key, one.step["amount"]), []).append(score)
    return found


def _attribute(scale: Scale, amount: str, scores: Sequence[Scored], first: str, some: bool) -> Attribute:
    """Steps within panellists; by the mixed model where each got only some of the samples."""
    tasted = sorted({s.sample for s in scores})
    means = {sample: float(np.mean([s.value for s in scores if s.sample == sample])) for sample in tasted}
    steps = [step for one in tasted if one != first and (step := paired_step(scores, first, one)) is not None]
    model = mixed(scores, first)
    if some and model is not None:
        steps = list(model.steps)
    named = scale.name + (f", {AMOUNTS[amount]}" if amount else "")
    return Attribute(scale.key, amount, named, scale.low, scale.high, tuple(scores), means, tuple(steps), model, {})


def _hold(attributes: Sequence[Attribute]) -> tuple[Attribute, ...]:
    """Chances corrected over all attributes, amounts and samples together (Holm)."""
    keys = [(a.name, s.sample) for a in attributes for s in a.steps if s.p is not None]
    chances = dict(zip(keys, corrected([s.p for a in attributes for s in a.steps if s.p is not None]), strict=True))
    return tuple(
        Attribute(**{**vars(a), "corrected": {sample: p for (named, sample), p in chances.items() if named == a.name}})
        for a in attributes
    )


def _just_right(panel: Panel, ballots: Sequence[Ballot], name: Mapping[int, str]) -> tuple[JustRight, ...]:
    answers: dict[tuple[str, str], list[tuple[int, float | None]]] = {}
    rights = rights_of(panel)
    for one in served(ballots, "sample"):
        if one.step.get("repeat"):
            continue
        liking = one.said.get("score-overall")
        for key in rights:
            if value := one.said.get(f"right-{key}"):
                pair = (int(value), float(liking) if liking else None)
                answers.setdefault((key, name[one.step["sample"]]), []).append(pair)
    return tuple(
        JustRight(key, rights[key].name, sample, penalty(found)) for (key, sample), found in sorted(answers.items())
    )


def _tests(
    panel: Panel, ballots: Sequence[Ballot], name: Mapping[int, str], samples: Sequence[str]
) -> Iterator[Tested]:
    for test in panel.asks["tests"]:
        if test == "rank" or len(samples) != 2:
            continue
        chosen = [(one.step, one.said["choice"]) for one in served(ballots, test) if one.said.get("choice")]
        if test in METHODS:
            right = sum(choice == step["right"] for step, choice in chosen)
            if chosen:
                yield Tested(test, TESTS[test], told(METHODS[test], len(chosen), right), {}, 0)
            continue
        counts = dict.fromkeys(samples, 0)
        for step, choice in chosen:
            if choice != "none":
                counts[name[step["codes"][choice]]] += 1
        decided = sum(counts.values())
        if decided:
            found = told(PAIRED, decided, max(counts.values()), two_sided=True)
            yield Tested(test, TESTS[test], found, counts, len(chosen) - decided)


def _ranks(ballots: Sequence[Ballot], name: Mapping[int, str], samples: Sequence[str]) -> FloatArray | None:
    """Everybody's whole rankings, shape (panellists, samples), like places as mid-ranks; None where fewer than two."""
    rows = []
    for one in served(ballots, "rank"):
        places = {name[s]: one.said.get(f"place-{code}") for code, s in one.step["codes"].items()}
        if all(places.get(sample) for sample in samples):
            rows.append(rankdata([float(places[sample] or 0) for sample in samples]))
    return np.array(rows) if len(rows) > 1 and len(samples) > 1 else None


def _camps(overall: Attribute | None, samples: Sequence[str]) -> Camps | None:
    if overall is None or len(samples) != 2:
        return None
    mean = mean_scores(overall.scores)
    whole = {who for who, _ in mean if all((who, sample) in mean for sample in samples)}
    steps = {who: mean[who, samples[1]] - mean[who, samples[0]] for who in sorted(whole)}
    return camps(steps, noise_of(overall.scores)) if steps else None


def _disagree(scores: Mapping[tuple[str, str], Sequence[Scored]], samples: Sequence[str]) -> tuple[str, ...]:
    """Where liking moves from the first bite to a whole portion, within panellists, and where the best one changes."""
    bite, portion = (mean_scores(scores.get(("overall", amount), ())) for amount in ("bite", "portion"))
    if not bite or not portion:
        return ()
    lines = []
    best = []
    for found in (bite, portion):
        means = {one: np.mean([v for (_, sample), v in found.items() if sample == one] or [0.0]) for one in samples}
        best.append(max(means, key=lambda sample: means[sample]))
    if best[0] != best[1]:
        lines.append(f"The first bite likes {best[0]} best, a whole portion {best[1]}.")
    moved = [Scored(*key, 0, portion[key] - value) for key, value in bite.items() if key in portion]
    for sample in samples[1:]:
        step = paired_step(moved, samples[0], sample)
        if step is not None and step.low is not None and step.high is not None and (step.low > 0 or step.high < 0):
            way = "gains" if step.mean > 0 else "loses"
            low, high = sorted((abs(step.low), abs(step.high)))
            lines.append(
                f"From the first bite to the portion {sample} {way} {abs(step.mean):.1f} points against {samples[0]} "
                f"(95 % from {low:.1f} to {high:.1f})."
            )
    return tuple(lines)


def _served_alike(panel: Panel) -> tuple[str, ...]:
    """Where samples of one amount went out unlike one another in warmth or in time since cutting."""
    lines = []
    for amount in dict.fromkeys(sample.amount for sample in panel.samples):
        mine = [sample for sample in panel.samples if sample.amount == amount]
        warm = [sample.served_c for sample in mine if sample.served_c is not None]
        cut = [sample.since_cut_min for sample in mine if sample.since_cut_min is not None]
        if len(warm) > 1 and max(warm) - min(warm) > WARMTH_C:
            lines.append("The samples were not equally warm; warmth is tasted as juiciness and tenderness.")
        if len(cut) > 1 and max(cut) - min(cut) > CUT_MIN:
            lines.append("They had not been cut equally long; cut meat dries and cools.")
    return tuple(dict.fromkeys(lines))


def _consistent(scores: Mapping[tuple[str, str], Sequence[Scored]]) -> dict[str, float]:
    """By panellist, points between two servings of the same, mean over what was scored."""
    each = [consistency(found) for found in scores.values()]
    who = sorted({name for found in each for name in found}, key=lambda name: int(name.split(" ", 1)[0]))
    return {name: float(np.mean([found[name] for found in each if name in found])) for name in who}


def _remarks(ballots: Sequence[Ballot], named: Mapping[int, str]) -> tuple[tuple[str, str, str, str], ...]:
    out = []
    for one in served(ballots):
        if words := one.said.get("remark"):
            step = one.step
            sample = named[step["sample"]] if step["kind"] == "sample" else ""
            out.append((one.ballot.name, sample, step.get("code", TESTS.get(step["kind"], "")), words))
    return tuple(out)


def _can_show(blind: int, samples: Sequence[str], tests: Sequence[Tested]) -> tuple[str, ...]:
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
    shown = any(one.test == "prefer" and one.found.shown for one in tests)
    if len(samples) == 2 and needed is not None and blind < needed and not shown:
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
        for (key, _), scores in _scores(panel, [ballot], arm_of).items():
            for one in scores:
                sums.setdefault((one.sample, key), []).append(one.value)
        choices = [(page.step, page.said.get("choice", "none")) for page in served([ballot], "prefer")]
        preferred = next((arm_of[step["codes"][code]] for step, code in choices if code != "none"), None)
        means = {key: float(np.mean(values)) for key, values in sums.items()}
        placed: dict[str, list[float]] = {}
        for page in served([ballot], "rank"):
            for code, sample in page.step["codes"].items():
                if place := page.said.get(f"place-{code}"):
                    placed.setdefault(arm_of[sample], []).append(float(place))
        ranks = {arm: float(np.mean(places)) for arm, places in placed.items()}
        out.append(TasterSays(ballot.name, means, preferred, not ballot.cooked and not ballot.late, ranks))
    return out


def servings(panel: Panel) -> list[tuple[int, list[tuple[str, Sample]]]]:
    """Who gets which plate in which order: by panellist's number, codes and samples. For whoever carves only."""
    by_id = {sample.id: sample for sample in panel.samples}
    begun = {ballot.number: ballot.steps for ballot in panel.ballots}
    out = []
    for number in sorted({*range(1, int(panel.asks["expected"]) + 1), *begun}):
        row: list[tuple[str, Sample]] = []
        for step in begun.get(number) or steps_for(panel, number):
            if step["kind"] in ("sample", "warm"):
                row.append((step["code"], by_id[step["sample"]]))
            elif step["kind"] in ("triangle", "duo-trio"):
                if step["kind"] == "duo-trio":
                    row.append((step["reference"], by_id[step["reference_sample"]]))
                row += [(code, by_id[step["codes"][code]]) for code in step["shown"]]
        out.append((number, row))
    return out
