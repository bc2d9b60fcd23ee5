"""What could differ between arms: the rows of the ledger, why each matters, and the cheapest way to mend it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

Kind = Literal["words", "mass", "length", "temp", "step", "swing", "span", "count", "share", "rate"]
Grade = Literal["", "little", "some", "much"]
GROUPS = (
    "piece",
    "preparation",
    "cooker and place",
    "fire",
    "handling",
    "wrap",
    "finish",
    "rest",
    "cutting",
    "tasting",
)


@dataclass(frozen=True)
class Row:
    """One thing that could differ.

    Attributes
    ----------
    kind : what a value is: words, or a number of kg, mm, °C, degrees apart, minutes, a count, a share, or g/kg.
    tolerance : values no further apart than this are the same; with `relative`, a share of the largest.
    effect, mend : why it matters, and the cheapest way to make it the same.
    taste : how much a difference is usually tasted (common practice, no source).
    twin : fields of a twin's case in which it shows, so that the twin can tell its minutes.
    treatment : something done to the meat: when it differs and is not the factor, two things were changed at once.
    wanted : worth naming when it is not known for every arm.
    typed : a person says it on the ledger itself; other rows come from the plan and the record.
    """

    name: str
    group: str
    kind: Kind
    effect: str
    mend: str
    taste: Grade = ""
    tolerance: float = 0.0
    relative: bool = False
    twin: tuple[str, ...] = ()
    treatment: bool = False
    wanted: bool = False
    typed: bool = False


def _piece() -> tuple[Row, ...]:
    group = "piece"
    return (
        Row(
            "cut",
            group,
            "words",
            "another cut has another grain, fat and thickness",
            "take the same cut for both",
            "much",
            twin=("cut",),
            treatment=True,
        ),
        Row(
            "grade",
            group,
            "words",
            "more marbling eats juicier and more tender",
            "buy one grade, or split one piece in two",
            "some",
        ),
        Row(
            "source",
            group,
            "words",
            "another animal may simply be better",
            "buy from one animal, or split one piece in two",
            "some",
        ),
        Row(
            "weight",
            group,
            "mass",
            "the bigger piece takes longer and is smokier",
            "swap pieces so that the weights match, or trim the heavier one",
            "little",
            0.05,
            True,
            ("mass_kg",),
            wanted=True,
        ),
        Row(
            "thickness",
            group,
            "length",
            "thickness sets the time more than weight does",
            "trim or pick pieces of one thickness; it counts as its square",
            "little",
            6.0,
            twin=("thickness_mm",),
        ),
        Row(
            "bone",
            group,
            "words",
            "bone and its side of the piece heat differently",
            "both with the bone, or both without",
            "little",
        ),
        Row(
            "opened",
            group,
            "words",
            "an injected or needled piece is juicier, and its surface is inside",
            "open all of them alike, or none",
            "some",
        ),
        Row(
            "fresh or frozen",
            group,
            "words",
            "frozen meat loses more juice",
            "all fresh, or all frozen as long",
            "some",
            typed=True,
        ),
    )


def _preparation() -> tuple[Row, ...]:
    group = "preparation"
    return (
        Row(
            "fat left on",
            group,
            "length",
            "fat shields a side and bastes it",
            "trim all to one thickness, 6 mm (1/4 in)",
            "some",
            3.0,
            typed=True,
        ),
        Row(
            "membrane",
            group,
            "words",
            "a membrane keeps rub and smoke off a side",
            "off all, or on all",
            "some",
            typed=True,
        ),
        Row("binder", group, "words", "a binder holds more rub", "one binder, or none", "little", typed=True),
        Row(
            "rub",
            group,
            "words",
            "another rub is tasted, and sugar darkens",
            "one rub, mixed once and weighed for both",
            "much",
            treatment=True,
        ),
        Row(
            "rub, how much",
            group,
            "rate",
            "more rub is saltier and makes more bark",
            "weigh the rub for each piece",
            "some",
            0.1,
            True,
            typed=True,
        ),
        Row(
            "sugar in the rub", group, "share", "sugar darkens, and burns in a hot pit", "one rub for all", "some", 0.03
        ),
        Row(
            "rub left on",
            group,
            "span",
            "salt goes deeper with time",
            "rub all at one time",
            "little",
            45.0,
            typed=True,
        ),
        Row(
            "injection",
            group,
            "words",
            "what is injected is tasted",
            "inject all with the same, by weight",
            "much",
            typed=True,
        ),
        Row(
            "start",
            group,
            "temp",
            "a warmer start is a head start",
            "let both come from the same fridge, and on together",
            "",
            2.0,
            twin=("start_c",),
            wanted=True,
        ),
    )


def _cooker() -> tuple[Row, ...]:
    group = "cooker and place"
    return (
        Row(
            "cooker",
            group,
            "words",
            "another cooker cooks with other air, moisture and smoke",
            "cook both in one cooker, or swap cookers on a second day",
            "much",
            twin=("cooker",),
            treatment=True,
        ),
        Row(
            "position",
            group,
            "words",
            "places on one grate differ by 8 to 11 °C (15 to 20 °F)",
            "measure the grate at each place, draw lots for the places, or swap them on a second day",
            "little",
            wanted=True,
        ),
        Row(
            "grate at its place",
            group,
            "temp",
            "a hotter place is a hotter pit",
            "move to places that read alike",
            "some",
            5.0,
            typed=True,
        ),
        Row(
            "orientation",
            group,
            "words",
            "the side toward the heat gets more of it",
            "turn all the same way",
            "little",
            typed=True,
        ),
        Row(
            "water pan",
            group,
            "words",
            "a pan damps the air, and slows drying",
            "a pan in all, or in none",
            "some",
            twin=("water_pan",),
            typed=True,
        ),
    )


def _fire() -> tuple[Row, ...]:
    group = "fire"
    return (
        Row(
            "pit target",
            group,
            "temp",
            "a hotter pit is faster and dries the surface sooner",
            "give both the same pit temperature",
            "some",
            2.0,
            twin=("pit_c",),
            treatment=True,
        ),
        Row(
            "pit as run",
            group,
            "temp",
            "a pit that ran hotter is faster, whatever was planned",
            "run it again with the pit held",
            "some",
            4.0,
            twin=("pit_c",),
        ),
        Row(
            "pit against its target",
            group,
            "step",
            "an arm whose pit missed its target did not get what was planned",
            "run it again with the pit held",
            "",
            4.0,
        ),
        Row(
            "pit swing",
            group,
            "swing",
            "a pit that swings cooks less evenly",
            "steady the fire, smaller splits, more often",
            "",
            4.0,
        ),
        Row(
            "fuel",
            group,
            "words",
            "charcoal, splits and pellets smoke differently",
            "one fuel from one bag",
            "some",
            typed=True,
        ),
        Row(
            "wood",
            group,
            "words",
            "another wood, or another amount, is tasted as smoke",
            "the same wood, and as much of it",
            "much",
            treatment=True,
        ),
        Row(
            "smoke seen",
            group,
            "words",
            "white smoke is bitter, thin smoke is not",
            "wait for thin smoke before meat goes on",
            "much",
            typed=True,
        ),
        Row(
            "shelter",
            group,
            "words",
            "wind and rain cool one side",
            "stand the cookers side by side, lee of the wind",
            "",
            typed=True,
        ),
    )


def _handling() -> tuple[Row, ...]:
    group = "handling"
    return (
        Row("looks", group, "count", "every look costs heat", "open all lids as often", "", 1.0, twin=("lid_min",)),
        Row(
            "spritz",
            group,
            "count",
            "spritz cools the surface and keeps it tacky for smoke",
            "spritz all, or none",
            "some",
            1.0,
            twin=("spritz_min",),
        ),
        Row(
            "spritz with",
            group,
            "words",
            "vinegar and sugar are tasted, and colour the bark",
            "one bottle for all",
            "some",
        ),
        Row(
            "turned or moved",
            group,
            "count",
            "a turned piece cooks more evenly",
            "turn all at the same times",
            "little",
            0.0,
        ),
        Row(
            "changed half-way",
            group,
            "words",
            "an arm whose plan was changed tests something else",
            "keep to the plan, or change all arms alike",
            "some",
            treatment=True,
        ),
    )


def _wrap_and_finish() -> tuple[Row, ...]:
    wrap, finish = "wrap", "finish"
    return (
        Row(
            "wrap",
            wrap,
            "words",
            "a wrap ends the stall and softens bark",
            "wrap both in the same, by the same rule",
            "much",
            twin=("wraps", "wrap_at_c"),
            treatment=True,
        ),
        Row(
            "wrap rule",
            wrap,
            "words",
            "another rule wraps at another moment",
            "wrap both by the same rule",
            "little",
            twin=("wraps", "wrap_at_c"),
            treatment=True,
        ),
        Row(
            "wrap time",
            wrap,
            "span",
            "an earlier wrap is faster and less smoky",
            "wrap by one rule, and note when",
            "some",
            20.0,
        ),
        Row(
            "wrapped at",
            wrap,
            "temp",
            "wrapped cooler is less bark",
            "wrap by one rule, and note the temperature",
            "some",
            4.0,
        ),
        Row(
            "added in the wrap",
            wrap,
            "words",
            "stock, butter or juice is tasted",
            "the same in all, or nothing",
            "some",
            typed=True,
        ),
        Row(
            "done rule",
            finish,
            "words",
            "pieces taken off by different rules are done differently",
            "take both off by the same rule",
            "some",
            treatment=True,
        ),
        Row(
            "done temperature",
            finish,
            "temp",
            "taken off cooler is firmer",
            "one temperature to stop at",
            "some",
            2.0,
            twin=("until_c",),
        ),
        Row("cook time planned", finish, "span", "longer on is softer", "the same time for all", "some", 10.0),
        Row(
            "pulled at",
            finish,
            "temp",
            "taken off cooler is firmer",
            "take all off at one temperature and feel",
            "some",
            2.5,
        ),
        Row(
            "finished in",
            finish,
            "words",
            "another cooker for the last hours is another cook",
            "finish all in the same",
            "some",
            treatment=True,
        ),
    )


def _table() -> tuple[Row, ...]:
    rest, cutting, tasting = "rest", "cutting", "tasting"
    return (
        Row("rest plan", rest, "words", "rest changes juice and tenderness", "rest both alike, as long", "some"),
        Row("rest", rest, "span", "a longer rest eats juicier and softer", "cut all after the same rest", "some", 15.0),
        Row(
            "cut at",
            rest,
            "temp",
            "cooler slices are firmer and taste of less",
            "cut all at one temperature",
            "some",
            4.0,
            typed=True,
        ),
        Row(
            "how it is cut",
            cutting,
            "words",
            "thin slices are more tender than thick; pulled is not sliced",
            "one knife, one hand, one thickness",
            "some",
            typed=True,
        ),
        Row(
            "part tasted",
            cutting,
            "words",
            "flat and point, thick and thin end are different meat",
            "the same part of each",
            "much",
            typed=True,
        ),
        Row(
            "minutes since cutting",
            cutting,
            "span",
            "cut meat dries and cools",
            "cut all just before serving",
            "some",
            5.0,
            typed=True,
        ),
        Row(
            "served at",
            tasting,
            "temp",
            "cold against hot is no comparison",
            "keep all hot until the plates go out",
            "much",
            5.0,
            typed=True,
        ),
        Row(
            "served with",
            tasting,
            "words",
            "sauce hides the difference",
            "the same beside all, or nothing",
            "much",
            typed=True,
        ),
        Row(
            "shown as",
            tasting,
            "words",
            "a better-looking plate tastes better",
            "same plates, same size of bite",
            "some",
            typed=True,
        ),
    )


ROWS: tuple[Row, ...] = (
    *_piece(),
    *_preparation(),
    *_cooker(),
    *_fire(),
    *_handling(),
    *_wrap_and_finish(),
    *_table(),
)
ROW = {row.name: row for row in ROWS}

# Which rows are the factor itself, by factor.
FACTOR_ROWS: Mapping[str, frozenset[str]] = {
    "cooker": frozenset(
        {"cooker", "pit as run", "pit swing", "pit against its target", "position", "grate at its place", "fuel"}
    ),
    "pit-temperature": frozenset({"pit target", "pit as run", "pit swing", "grate at its place"}),
    "wrap": frozenset({"wrap", "wrap rule", "wrap time", "wrapped at"}),
    "cook-time": frozenset({"done rule", "cook time planned", "done temperature", "pulled at"}),
    "cut": frozenset({"cut", "bone", "thickness"}),
    "wood": frozenset({"wood", "smoke seen"}),
    "rub": frozenset({"rub", "sugar in the rub"}),
    "rest": frozenset({"rest", "rest plan", "cut at"}),
    # Everything that a cook decides is the cook's; the meat, how it is cut and how it is served is not.
    "cook": frozenset(row.name for row in ROWS if row.group not in ("piece", "cutting", "tasting")),
    "other": frozenset(),
}
# The row in which each factor's levels are read off the plan.
LEVEL_ROW: Mapping[str, str] = {
    "cooker": "cooker",
    "pit-temperature": "pit target",
    "wrap": "wrap",
    "cook-time": "cook time planned",
    "cut": "cut",
    "wood": "wood",
    "rub": "rub",
    "rest": "rest plan",
}
