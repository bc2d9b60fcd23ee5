"""Is the trial fair? What differs besides the factor, what it may be worth, and the cheapest way to mend it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from bruvet.core.units import span_words

from .differences import Difference

Level = Literal["fair", "reservations", "cannot"]

# Rows that are treatments: when one differs that is not the factor, two things were changed at once.
TREATMENTS = frozenset({"cooker", "pit target", "wrap", "done rule", "cut", "wood", "rub"})
MENDS = {
    "weight": "swap pieces so that the weights match, or trim the heavier one",
    "thickness": "trim or pick pieces of one thickness; it counts as its square",
    "start": "let both come from the same fridge, and on together",
    "cooker": "cook both in one cooker, or swap cookers on a second day",
    "pit target": "give both the same pit temperature",
    "wrap": "wrap both in the same, by the same rule",
    "done rule": "take both off by the same rule",
    "cut": "take the same cut for both",
    "wood": "the same wood, and as much of it",
    "rub": "one rub, mixed once and weighed for both",
    "rest plan": "rest both alike, as long",
    "grade": "buy one grade, or split one piece in two",
    "source": "buy from one animal, or split one piece in two",
    "bone": "both with the bone, or both without",
}
# The twin's groups of facts that stand behind a row.
GROUP_OF = {
    **{"weight": "size", "thickness": "size", "start": "start temperature", "cooker": "cooker", "pit target": "pit"},
    **{"wrap": "wrap", "cut": "cut"},
}
SMALL_MIN = 5.0


@dataclass(frozen=True)
class Reservation:
    """A row that differs: values by letter, minutes by the twin where it can tell, why it matters, how to mend it."""

    row: str
    values: tuple[tuple[str, str], ...]
    minutes: float | None
    effect: str
    mend: str
    treatment: bool


@dataclass(frozen=True)
class Fairness:
    level: Level
    sentence: str
    rows: tuple[Reservation, ...]


def judge(factor: str, differences: Sequence[Difference], worth: Mapping[str, float]) -> Fairness:
    """Sum up what differs between the arms.

    Parameters
    ----------
    factor : str
        The factor in words, for the sentence.
    differences : sequence of Difference
        Rows that differ or are not known, the factor's own left out.
    worth : mapping
        Minutes that each of the twin's groups of facts is worth between the arms (`twin.explain`).

    Returns
    -------
    Fairness
        `cannot` when a treatment besides the factor differs; `reservations` when only pieces, rest or unknown rows do.
    """
    told: set[str] = set()
    rows = []
    for difference in differences:
        group = GROUP_OF.get(difference.row)
        minutes = worth.get(group) if group is not None and group not in told and difference.known else None
        if minutes is not None and group is not None:
            told.add(group)
        treatment = difference.known and difference.row in TREATMENTS
        mend = MENDS.get(difference.row, "make it the same for all arms") if difference.known else "measure it"
        rows.append(Reservation(difference.row, difference.values, minutes, difference.effect, mend, treatment))
    rows.sort(key=lambda row: (not row.treatment, -abs(row.minutes or 0.0)))
    treatments = [row.row for row in rows if row.treatment]
    if treatments:
        differs = "differs" if len(treatments) == 1 else "differ"
        sentence = (
            f"This cannot answer the question, because {_listed(treatments)} {differs} as well as the {factor.lower()}."
            f" The cheapest mend: {rows[0].mend}."
        )
        return Fairness("cannot", sentence, tuple(rows))
    if rows:
        known = [_worded(row) for row in rows if row.mend != "measure it"]
        unknown = [row.row for row in rows if row.mend == "measure it"]
        parts = []
        if known:
            parts.append(_listed(known))
        if unknown:
            parts.append(f"{_listed(unknown)} not known for every arm")
        sentence = f"Fair with these reservations: {'; '.join(parts)}."
        return Fairness("reservations", sentence, tuple(rows))
    return Fairness("fair", "Fair: nothing that is known differs but what is meant to.", ())


def _worded(row: Reservation) -> str:
    if row.minutes is None or abs(row.minutes) < SMALL_MIN:
        return row.row
    return f"{row.row} (worth about {span_words(abs(row.minutes))})"


def _listed(words: Sequence[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
