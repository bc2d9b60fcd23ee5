"""The ledger: everything that could differ between the arms, how much it matters, and what that makes of the trial."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from bruvet.core.units import Units, span_words

from .ledger_rows import FACTOR_ROWS, LEVEL_ROW, ROWS, Grade, Row

State = Literal["factor", "same", "differs", "unknown"]
Level = Literal["fair", "reservations", "cannot"]

SMALL_MIN = 5.0
# From here on sugar in a rub burns before the meat is done (common practice, no source).
SUGAR_BURNS_C = 135.0
HINTS = 3


@dataclass(frozen=True)
class ArmFacts:
    """What is known of one arm: words as entered, numbers as means over its pieces; None when not known.

    Attributes
    ----------
    words, numbers : by the names of `ROWS`.
    planned : rows in which the cook left the protocol, with what was planned, worded.
    """

    letter: str
    words: Mapping[str, str]
    numbers: Mapping[str, float | None]
    planned: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Difference:
    """One row that differs, or that cannot be told. `values` by letter, worded; `effect` says why it matters."""

    row: str
    values: tuple[tuple[str, str], ...]
    effect: str
    known: bool = True


@dataclass(frozen=True)
class Cell:
    """What one arm has in one row; empty text when it is not known. `planned` is set where the cook left the plan."""

    letter: str
    text: str
    planned: str = ""


@dataclass(frozen=True)
class Line:
    """One row of the ledger.

    Attributes
    ----------
    minutes : by letter, minutes that swapping just this value into the first arm would add, by the twin.
    taste, reason : how much the difference is usually tasted, and why it matters.
    """

    row: Row
    state: State
    cells: tuple[Cell, ...]
    minutes: tuple[tuple[str, float], ...] = ()
    taste: Grade = ""
    reason: str = ""

    @property
    def second_change(self) -> bool:
        return self.state == "differs" and self.row.treatment

    @property
    def most_minutes(self) -> float:
        return max((abs(value) for _, value in self.minutes), default=0.0)


@dataclass(frozen=True)
class Question:
    """What the trial is meant to change: one factor or two crossed, in stored words and in a person's."""

    factors: tuple[str, ...]
    named: str
    split: bool = False

    @property
    def rows(self) -> frozenset[str]:
        return frozenset().union(*(FACTOR_ROWS.get(factor, frozenset()) for factor in self.factors))


@dataclass(frozen=True)
class Ledger:
    """The whole table, and the sentence that sums it up with the cheapest mends."""

    lines: tuple[Line, ...]
    level: Level
    sentence: str
    mends: tuple[str, ...]

    def line(self, name: str) -> Line:
        return next(line for line in self.lines if line.row.name == name)

    @property
    def differing(self) -> tuple[Line, ...]:
        return tuple(line for line in self.lines if line.state == "differs")

    @property
    def open_rows(self) -> tuple[Line, ...]:
        """Rows worth naming that are not known for every arm."""
        return tuple(line for line in self.lines if line.state == "unknown" and line.row.wanted)

    @property
    def departures(self) -> tuple[tuple[str, str, str, str], ...]:
        """Letter, row, what was planned, what was done."""
        return tuple(
            (cell.letter, line.row.name, cell.planned, cell.text)
            for line in self.lines
            for cell in line.cells
            if cell.planned
        )


def keep_ledger(
    question: Question,
    arms: Sequence[ArmFacts],
    units: Units,
    tolerances: Mapping[str, float] | None = None,
    minutes: Mapping[str, Mapping[str, float]] | None = None,
) -> Ledger:
    """Fill the ledger from what is known, and sum it up.

    Parameters
    ----------
    question : Question
    arms : sequence of ArmFacts
    units : Units
    tolerances : mapping, optional
        By row, how far apart values may be and still count as the same, in stored units or as a share.
    minutes : mapping, optional
        By row, then letter: minutes by the twin of swapping that value into the first arm.
    """
    tolerances, minutes = tolerances or {}, minutes or {}
    own = question.rows
    lines = []
    for row in ROWS:
        row = replace(row, tolerance=tolerances[row.name]) if row.name in tolerances else row
        state, cells = _compared(row, arms, units)
        if row.name in own:
            state = "factor"
        worth = tuple(minutes.get(row.name, {}).items()) if state in ("differs", "factor") else ()
        lines.append(Line(row, state, cells, worth, *_graded(row, state, arms)))
    return _summed_up(question, arms, tuple(_measured_places(lines)))


def _measured_places(lines: Sequence[Line]) -> list[Line]:
    """Places that were measured and read alike are no difference, wherever they are."""
    grate = next(line for line in lines if line.row.name == "grate at its place")
    return [
        replace(line, state="same", reason="the places read alike")
        if line.row.name == "position" and line.state in ("differs", "unknown") and grate.state == "same"
        else line
        for line in lines
    ]


def differences(ledger: Ledger) -> tuple[Difference, ...]:
    """What the verdict names: second changes, other rows that differ, then those worth knowing that are not known."""
    lines = sorted(ledger.differing, key=lambda line: not line.row.treatment)
    out = [Difference(line.row.name, _values(line), line.reason or line.row.effect) for line in lines]
    unknown = "not known for every arm, so it cannot be ruled out"
    return (*out, *(Difference(line.row.name, _values(line), unknown, False) for line in ledger.open_rows))


def _values(line: Line) -> tuple[tuple[str, str], ...]:
    return tuple((cell.letter, cell.text or "not known") for cell in line.cells)


def _compared(row: Row, arms: Sequence[ArmFacts], units: Units) -> tuple[State, tuple[Cell, ...]]:
    if row.kind == "words":
        texts = [arm.words.get(row.name, "").strip() for arm in arms]
        apart = len({text.casefold() for text in texts if text}) > 1
        # A thing that is said of one arm only is as a rule not done to the others; that is for a person to say.
    else:
        show = shown(row, units)
        values = [arm.numbers.get(row.name) for arm in arms]
        texts = ["" if value is None else show(value) for value in values]
        known = [value for value in values if value is not None]
        limit = row.tolerance * max((abs(v) for v in known), default=0.0) if row.relative else row.tolerance
        apart = len(known) > 1 and max(known) - min(known) > limit + 1e-9
    cells = tuple(Cell(a.letter, text, a.planned.get(row.name, "")) for a, text in zip(arms, texts, strict=True))
    if apart:
        return "differs", cells
    return ("same" if all(texts) else "unknown"), cells


def shown(row: Row, units: Units) -> Callable[[float], str]:
    """How a number of a row is worded."""

    def off_target(value: float) -> str:
        return "on it" if abs(value) < 1.0 else f"{units.step_text(abs(value))} {'over' if value > 0 else 'under'}"

    ways: Mapping[str, Callable[[float], str]] = {
        "mass": units.mass_text,
        "length": units.length_text,
        "temp": lambda value: units.temp_text(value, 0),
        "step": off_target,
        "swing": lambda value: "± " + units.step_text(value, 0),
        "span": lambda value: span_words(value) + (" in" if row.name == "wrap time" else ""),
        "count": lambda value: f"{value:g}",
        "share": lambda value: f"{value:.0%}",
        "rate": lambda value: f"{value:g} g/kg",
    }
    return ways[row.kind]


def _graded(row: Row, state: State, arms: Sequence[ArmFacts]) -> tuple[Grade, str]:
    """How much a difference is tasted, and the reason; sugar matters more where the pit burns it."""
    if state != "differs":
        return "", ""
    if row.name == "sugar in the rub":
        sugared = [a for a in arms if (a.numbers.get(row.name) or 0.0) > 0]
        if any((a.numbers.get("pit target") or 0.0) >= SUGAR_BURNS_C for a in sugared):
            return "much", "sugar burns in a pit this hot, and burnt sugar is bitter"
    return row.taste, row.effect


# ---- the sentence ---------------------------------------------------------------------------------------


def _summed_up(question: Question, arms: Sequence[ArmFacts], lines: tuple[Line, ...]) -> Ledger:
    found = Ledger(lines, "fair", "", ())
    second = sorted((line for line in found.differing if line.row.treatment), key=lambda line: -line.most_minutes)
    others = sorted((line for line in found.differing if not line.row.treatment), key=_weight)
    mends = tuple(dict.fromkeys(line.row.mend for line in (*second, *others)))
    design = _design(question, arms, lines)
    if design is not None and design[0] == "cannot":
        return Ledger(lines, "cannot", f"This cannot answer the question, because {design[1]}", (design[2], *mends))
    if second:
        differs = "differs" if len(second) == 1 else "differ"
        sentence = (
            f"This cannot answer the question, because {listed([line.row.name for line in second])} {differs} as well "
            f"as the {question.named.lower()}. The cheapest mend: {second[0].row.mend}."
        )
        return Ledger(lines, "cannot", sentence, mends)
    unknown = found.open_rows
    parts = [listed([_worded(line) for line in others])] if others else []
    if design is not None:
        parts.append(design[1].rstrip("."))
        mends = (*mends, design[2])
    if unknown:
        parts.append(f"{listed([line.row.name for line in unknown])} not known for every arm")
        mends = (*mends, *(f"say or measure the {line.row.name}" for line in unknown))
    if parts:
        return Ledger(lines, "reservations", f"Fair with these reservations: {'; '.join(parts)}.", mends)
    return Ledger(lines, "fair", "Fair: nothing that is known differs but what is meant to.", ())


def _weight(line: Line) -> tuple[float, int]:
    """What matters most comes first: by minutes, then by taste."""
    return -line.most_minutes, -("", "little", "some", "much").index(line.taste)


def _worded(line: Line) -> str:
    if line.most_minutes < SMALL_MIN:
        return line.row.name
    return f"{line.row.name} (worth about {span_words(line.most_minutes)})"


def _design(question: Question, arms: Sequence[ArmFacts], lines: Iterable[Line]) -> tuple[Level, str, str] | None:
    """What is wrong with the factors themselves: level, why, how to mend it; None when nothing is."""
    texts = {line.row.name: {cell.letter: cell.text for cell in line.cells} for line in lines}
    sources = set(texts["source"].values())
    if question.split and (len(sources) > 1 or not all(text.startswith("piece ") for text in sources)):
        why = "the arms do not hold halves of the same pieces, as a split trial means to"
        return "reservations", why, "say under Lots which piece each is half of"
    levels = []
    for factor in question.factors:
        row = LEVEL_ROW.get(factor)
        said = [texts[row][arm.letter] for arm in arms] if row else []
        if row is None or not all(said):
            continue
        if len({text.casefold() for text in said}) == 1:
            why = f"the {row} is {said[0]} in every arm: nothing is changed."
            return "cannot", why, f"give the arms different values of {row}"
        levels.append((row, [text.casefold() for text in said], said))
    if len(question.factors) < 2 or len(levels) < 2:
        return None
    return _crossing(levels[0], levels[1])


def _crossing(
    first: tuple[str, list[str], list[str]], second: tuple[str, list[str], list[str]]
) -> tuple[Level, str, str] | None:
    """Whether two factors can be told apart: every level of one with every level of the other."""
    pairs = set(zip(first[1], second[1], strict=True))
    ones, others = set(first[1]), set(second[1])
    if len(pairs) == len(ones) == len(others):
        why = f"{first[0]} and {second[0]} change together: every arm that differs in one differs in the other."
        return "cannot", why, f"cook every {first[0]} with every {second[0]}"
    named = dict(zip(first[1], first[2], strict=True)), dict(zip(second[1], second[2], strict=True))
    missing = [f"{named[0][a]} with {named[1][b]}" for a in sorted(ones) for b in sorted(others) if (a, b) not in pairs]
    if not missing:
        return None
    why = f"no arm has {listed(missing[:HINTS])}, so whether the two act together cannot be seen"
    return "reservations", why, f"add an arm with {missing[0]}"


def listed(words: Sequence[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
