"""What else differed between the arms, besides the factor: the first form of the ledger."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from bruvet.core.units import Units, span_words

# Which rows of the comparison are the factor itself, by factor.
FACTOR_ROWS: Mapping[str, frozenset[str]] = {
    "cooker": frozenset({"cooker", "pit as run", "pit swing"}),
    "pit-temperature": frozenset({"pit target", "pit as run", "pit swing"}),
    "wrap": frozenset({"wrap", "wrap time"}),
    "cook-time": frozenset({"done rule", "cook time"}),
    "cut": frozenset({"cut", "bone", "thickness"}),
    "wood": frozenset({"wood"}),
    "rub": frozenset({"rub"}),
    "rest": frozenset({"rest", "rest plan"}),
    "other": frozenset(),
}

WEIGHT_SHARE = 0.05
THICKNESS_MM = 6.0
START_C = 2.0
PIT_C = 4.0
SWING_C = 4.0
WRAP_MIN = 20.0
REST_MIN = 15.0


@dataclass(frozen=True)
class ArmFacts:
    """What is known of one arm: words as entered, numbers as means over its pieces; None when not known."""

    letter: str
    words: Mapping[str, str]
    numbers: Mapping[str, float | None]


@dataclass(frozen=True)
class Difference:
    """One row that differs, or that cannot be told. `values` by letter, worded; `effect` says why it matters."""

    row: str
    values: tuple[tuple[str, str], ...]
    effect: str
    known: bool = True


WORD_ROWS = {
    "cooker": "another cooker cooks with other air, moisture and smoke",
    "pit target": "a hotter pit is faster and dries the surface sooner",
    "wrap": "a wrap ends the stall and softens bark",
    "done rule": "pieces taken off by different rules are done differently",
    "cut": "another cut has another grain, fat and thickness",
    "grade": "more marbling eats juicier and more tender",
    "source": "another animal may simply be better",
    "bone": "bone and its side of the piece heat differently",
    "wood": "another wood, or another amount, is tasted as smoke",
    "rub": "another rub is tasted, and sugar darkens",
    "rest plan": "rest changes juice and tenderness",
}


def differences(
    factor: str, arms: Sequence[ArmFacts], units: Units, needed: Sequence[str] = ("weight", "start")
) -> tuple[Difference, ...]:
    """Rows in which the arms differ beyond tolerance, the factor's own rows left out; unknown ones last.

    Parameters
    ----------
    factor : str
        A `Factor` value.
    arms : sequence of ArmFacts
        `words` by the rows of `WORD_ROWS`; `numbers` by: weight (kg), thickness (mm), start (°C), pit as
        run (°C), pit against its target (°C), pit swing (°C), wrap time, rest, cook time (min).
    units : Units
    needed : sequence of str
        Number rows that are worth naming when some arm lacks them.
    """
    own = FACTOR_ROWS.get(factor, frozenset())
    out: list[Difference] = []
    for row, effect in WORD_ROWS.items():
        if row in own:
            continue
        said = [(arm.letter, arm.words.get(row, "").strip()) for arm in arms]
        if len({text.casefold() for _, text in said if text}) > 1:
            out.append(Difference(row, tuple((a, text or "not said") for a, text in said), effect))
    missing: list[Difference] = []
    for row, tolerance, relative, show, effect in _number_rows(units):
        if row in own:
            continue
        values = [(arm.letter, arm.numbers.get(row)) for arm in arms]
        known = [value for _, value in values if value is not None]
        worded = tuple((letter, show(value) if value is not None else "not known") for letter, value in values)
        if len(known) < len(values):
            if row in needed:
                missing.append(Difference(row, worded, "not known for every arm, so it cannot be ruled out", False))
            continue
        limit = tolerance * max(abs(v) for v in known) if relative else tolerance
        if max(known) - min(known) > limit + 1e-9:
            out.append(Difference(row, worded, effect))
    return tuple(out + missing)


def _number_rows(units: Units) -> tuple[tuple[str, float, bool, Callable[[float], str], str], ...]:
    """Row, tolerance, whether it is a share of the largest value, how a value is worded, why it matters."""
    return (
        ("weight", WEIGHT_SHARE, True, units.mass_text, "the bigger piece takes longer and is smokier"),
        (
            "thickness",
            THICKNESS_MM,
            False,
            units.length_text,
            "thickness sets the time more than weight does",
        ),
        ("start", START_C, False, lambda v: units.temp_text(v, 0), "a warmer start is a head start"),
        (
            "pit as run",
            PIT_C,
            False,
            lambda v: units.temp_text(v, 0),
            "a pit that ran hotter is faster, whatever was planned",
        ),
        (
            "pit against its target",
            PIT_C,
            False,
            lambda v: "on it" if abs(v) < 1.0 else f"{units.step_text(abs(v))} {'over' if v > 0 else 'under'}",
            "an arm whose pit missed its target did not get what was planned",
        ),
        (
            "pit swing",
            SWING_C,
            False,
            lambda v: "± " + units.step_text(v, 0),
            "a pit that swings cooks less evenly",
        ),
        (
            "wrap time",
            WRAP_MIN,
            False,
            lambda v: span_words(v) + " in",
            "an earlier wrap is faster and less smoky",
        ),
        ("rest", REST_MIN, False, span_words, "a longer rest eats juicier and softer"),
    )
