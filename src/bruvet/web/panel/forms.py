"""The form that makes a blind panel: what is tasted, what is asked, and how."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from bruvet.core.tasting.sets import OWN_QUESTIONS, RIGHTS, SCALES, STARTERS, TESTS
from bruvet.records.models import Trial
from bruvet.records.tasting import QuestionSet
from bruvet.web.reader import Reader
from bruvet.work.panels import Asked

FEWEST, MOST = 1, 120
OF_A_PAIR = {"prefer", "smokier", "triangle", "duo-trio"}
AMOUNTS = {"both": ("bite", "portion"), "portion": ("portion",), "bite": ("bite",)}


def read_panel(reader: Reader, trial: Trial, sets: Sequence[QuestionSet]) -> Asked:
    """What the form asks for; it holds only where the reader has no errors."""
    form = reader.form
    expected = int(reader.number("expected", "How many will taste", FEWEST, MOST) or 4)
    arms = [arm for arm in trial.arms if form.get(f"arm-{arm.id}")]
    if len(arms) < 2:
        reader.fail("arms", "Choose two arms or more to taste.")
    parts = tuple(
        dict.fromkeys(part.strip() for part in reader.text("part", "The part", 120).split(",") if part.strip())
    )
    if any(len(part) > 60 for part in parts):
        reader.fail("part", "A part may have 60 characters at most.")
    if len(arms) * max(len(parts), 1) > 8:
        reader.fail("part", "More than eight samples are more than anybody can taste; choose fewer arms or parts.")
    scales, rights, own = _questions(reader, sets)
    tests = [key for key in TESTS if form.get(f"test-{key}")]
    samples = len(arms) * max(len(parts), 1)
    if samples > 2 and set(tests) & OF_A_PAIR:
        reader.fail("tests", "Tests of a pair are for two samples; with more, put them in order.")
    at_most = int(reader.number("at_most", "How many samples each tastes", 2, 8) or 0)
    if 0 < at_most < samples and tests:
        reader.fail("at_most", "Who gets only some of the samples cannot compare them all; ask for scores alone.")
    if not scales and not rights and not tests:
        reader.fail("tests", "Choose something to ask: a starter set, scales, or a test.")
    return Asked(
        # The trial's own title would tell panellists what is compared.
        title=reader.text("title", "What the tasting is called", 80) or "Tasting",
        arm_ids=tuple(arm.id for arm in arms),
        amounts=AMOUNTS.get(form.get("amount", ""), ("bite",)),
        parts=parts or ("",),
        scales=scales,
        rights=rights,
        tests=tuple(tests),
        expected=expected,
        warm_up=reader.flag("warm_up"),
        repeat=reader.flag("repeat"),
        own_codes=reader.flag("own_codes"),
        pause_s=int(reader.number("pause_s", "The pause", 0, 600) or 0),
        notice=reader.text("notice", "What may be in the samples", 2000, required=True),
        pieces={
            arm.id: piece.id for arm in arms for piece in arm.pieces if form.get(f"piece-{arm.id}") == str(piece.id)
        },
        own=own,
        expected_order=_expected_order(reader, [arm.letter for arm in arms], len(parts), tests),
        at_most=at_most if at_most < samples else 0,
        paper=int(reader.number("paper", "How many of them on paper", 0, expected) or 0),
    )


def _questions(
    reader: Reader, sets: Sequence[QuestionSet]
) -> tuple[tuple[str, ...], tuple[str, ...], tuple[Mapping[str, str], ...]]:
    """Scales, what is right, and own questions: those of the chosen set and those ticked or written beside it."""
    form = reader.form
    chosen = form.get("starter", "")
    mine = next((one.body for one in sets if f"set-{one.id}" == chosen), None)
    first: Sequence[str] = ()
    second: Sequence[str] = ()
    own: list[Mapping[str, str]] = []
    if chosen in STARTERS:
        _, first, second = STARTERS[chosen]
    elif mine is not None:
        first, second, own = mine["scales"], mine["rights"], list(mine["own"])
    elif chosen:
        reader.fail("starter", "That set of questions is gone; choose another.")
    for number in range(1, OWN_QUESTIONS + 1):
        name = reader.text(f"own-{number}-name", f"Own question {number}", 40)
        low = reader.text(f"own-{number}-low", f"The word at the low end of own question {number}", 40)
        high = reader.text(f"own-{number}-high", f"The word at the high end of own question {number}", 40)
        if (low or high) and not (name and low and high):
            reader.fail(
                f"own-{number}-name",
                f"Own question {number} takes its name and the words at both ends, or its name alone.",
            )
        elif name:
            if any(one["name"].casefold() == name.casefold() for one in own):
                reader.fail(f"own-{number}-name", f"'{name}' is asked already.")
            own.append({"key": f"own{len(own) + 1}", "name": name, "low": low, "high": high})
    if len(own) > 2 * OWN_QUESTIONS:
        reader.fail("own-1-name", f"{2 * OWN_QUESTIONS} questions of one's own are the most a panel asks.")
    scales = [key for key in SCALES if key in first or form.get(f"scale-{key}")]
    rights = [key for key in RIGHTS if key in second or form.get(f"right-{key}")]
    return (
        (*scales, *(one["key"] for one in own if one["low"])),
        (*rights, *(one["key"] for one in own if not one["low"])),
        tuple(own),
    )


def _expected_order(reader: Reader, letters: Sequence[str], parts: int, tests: Sequence[str]) -> tuple[str, ...]:
    said = reader.text("expected_order", "The order you expect", 40).upper()
    order = tuple(word for word in said.replace(",", " ").replace(">", " ").split() if word)
    if not order:
        return ()
    if "rank" not in tests or len(letters) < 3 or parts > 1:
        reader.fail(
            "expected_order", "An expected order is tested where three arms or more are put in order; tick that test."
        )
    elif sorted(order) != sorted(letters):
        reader.fail("expected_order", f"Name each arm once, best first, as {', '.join(letters)}.")
    return order


def set_body(asked: Asked) -> dict[str, object]:
    """What of a panel's questions is kept as a set, to be asked again."""
    own = [dict(one) for one in asked.own]
    keys = {one["key"] for one in own}
    return {
        "scales": [key for key in asked.scales if key not in keys],
        "rights": [key for key in asked.rights if key not in keys],
        "own": own,
    }
