"""What a panel may be asked: scales with words at both ends, starter sets by kind of meat, and which test fits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from .differing import least_right


@dataclass(frozen=True)
class Scale:
    """A scale of nine, with the words at its ends."""

    key: str
    name: str
    low: str
    high: str


@dataclass(frozen=True)
class Right:
    """A scale of five about what is right: much too little, too little, just right, too much, much too much."""

    key: str
    name: str


SCALES = {
    scale.key: scale
    for scale in (
        Scale("overall", "Overall", "would leave it", "would ask for more"),
        Scale("tenderness", "Tenderness", "tough", "very tender"),
        Scale("juiciness", "Juiciness", "dry", "very juicy"),
        Scale("smoke", "Smoke", "none", "very smoky"),
        Scale("bark", "Bark", "soft, pale", "firm, dark"),
        Scale("flavour", "Flavour of the meat", "faint", "full"),
        Scale("bite", "Bite from the bone", "clings", "falls off"),
        Scale("skin", "Skin", "rubbery", "crisp"),
    )
}
RIGHTS = {
    right.key: right
    for right in (
        Right("smoke", "Smoke"),
        Right("salt", "Salt"),
        Right("tenderness", "Tenderness"),
        Right("moisture", "Moisture"),
        Right("richness", "Richness"),
    )
}
OWN_QUESTIONS = 4


def own_scales(said: Sequence[Mapping[str, str]]) -> dict[str, Scale]:
    """Scales of a kitchen's own, by key, from what is kept of them."""
    return {one["key"]: Scale(one["key"], one["name"], one["low"], one["high"]) for one in said if one["low"]}


def own_rights(said: Sequence[Mapping[str, str]]) -> dict[str, Right]:
    """Questions of a kitchen's own about what is right, by key: those without words at their ends."""
    return {one["key"]: Right(one["key"], one["name"]) for one in said if not one["low"]}


RIGHT_WORDS = ("much too little", "too little", "just right", "too much", "much too much")
STARTERS = {
    "sliced": ("Sliced meat", ("overall", "tenderness", "juiciness", "smoke", "bark"), ("smoke", "salt", "moisture")),
    "pulled": ("Pulled meat", ("overall", "juiciness", "smoke", "flavour"), ("smoke", "salt", "moisture", "richness")),
    "ribs": ("Ribs", ("overall", "bite", "juiciness", "smoke", "bark"), ("smoke", "salt", "tenderness")),
    "poultry": ("Poultry", ("overall", "juiciness", "skin", "smoke", "flavour"), ("smoke", "salt", "moisture")),
}
# What each test answers; which one fits depends on the question first, and on the number of people then.
ANSWERS = {
    "prefer": "which is liked better",
    "smokier": "whether one thing about them differs, and which has more of it",
    "triangle": "whether there is any difference at all, whatever it is",
    "duo-trio": "the same, easier on the palate than the triangle with strong smoke, and in need of more people",
    "rank": "which of several is liked best",
}
TESTS = {
    "prefer": "Which do you prefer?",
    "smokier": "Which is smokier?",
    "triangle": "Two are the same: which one is different?",
    "duo-trio": "Which of the two is the same as the reference?",
    "rank": "Put them in order, best first",
}


@dataclass(frozen=True)
class Advice:
    """Whether a test fits, and why."""

    test: str
    fits: bool
    why: str


def advice(samples: int, people: int) -> tuple[Advice, ...]:
    """Which test fits the question and the number of people.

    Parameters
    ----------
    people : how many will taste.
    """
    out = []
    for test, guess, two_sided in (
        ("prefer", 0.5, True),
        ("smokier", 0.5, True),
        ("triangle", 1 / 3, False),
        ("duo-trio", 0.5, False),
    ):
        needed = least_right(people, guess, two_sided=two_sided)
        if samples != 2:
            out.append(Advice(test, False, "is for two samples"))
        elif needed is None:
            out.append(Advice(test, False, f"cannot show anything with {people}, even if all agree"))
        else:
            out.append(Advice(test, True, f"{needed} of {people} must {'agree' if two_sided else 'be right'}"))
    ranks = samples > 2 and people >= 4
    why = "for three samples and more, four people and more" if not ranks else "shows which differ, if any do"
    out.append(Advice("rank", ranks, why))
    return tuple(out)
