"""The trial's form: from records to fields as text, and from fields back to records."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date
from zoneinfo import ZoneInfo

from sqlalchemy import func, or_, select, update
from sqlalchemy.orm import Session

from bruvet.core.trial.terms import (
    ARM_LOOKS,
    MAX_ARMS,
    MIN_ARMS,
    Cut,
    DoneRule,
    Factor,
    RestKind,
    TrialKind,
    WrapIn,
    WrapRule,
)
from bruvet.core.units import Units, span_text
from bruvet.records.models import Arm, Cooker, Event, Look, Piece, Probe, Score, Trial
from bruvet.web.reader import Reader

LETTERS = tuple(ARM_LOOKS)
MAX_PIECES = 12

BLANK_ARM = {
    "wrap_rule": WrapRule.NEVER.value,
    "wrap_in": WrapIn.NONE.value,
    "done_rule": DoneRule.FEEL.value,
    "rest_kind": RestKind.BOX.value,
}


def blank(units: Units, today: date, tz: str) -> dict[str, str]:
    """The form of a new trial: two arms, one piece each."""
    form = {"cook_date": today.isoformat(), "tz": tz, "arms": "A B", "pieces": "0 1", "factor": ""}
    for letter in "AB":
        form |= {f"{letter}-{name}": value for name, value in BLANK_ARM.items()}
    form |= {"p0-arm": "A", "p1-arm": "B"}
    return form


def from_trial(trial: Trial, units: Units) -> dict[str, str]:
    """The form of a trial that is on record."""

    def temp(value: float | None) -> str:
        return "" if value is None else f"{units.temp_shown(value):.1f}".removesuffix(".0")

    def mass(value: float | None) -> str:
        return "" if value is None else f"{units.mass_shown(value):.3f}".rstrip("0").rstrip(".")

    def length(value: float | None) -> str:
        return "" if value is None else f"{units.length_shown(value):.2f}".rstrip("0").rstrip(".")

    def span(value: float | None) -> str:
        return "" if value is None else span_text(value)

    form = {
        "title": trial.title,
        "question": trial.question,
        "factor": trial.factor,
        "factor_other": trial.factor_other,
        "kind": trial.kind or TrialKind.ONE_FACTOR,
        "factor2": trial.factor2 or "",
        "held_same": trial.held_same,
        "note": trial.note,
        "cook_date": trial.cook_date.isoformat(),
        "tz": trial.tz,
        "arms": " ".join(arm.letter for arm in trial.arms),
    }
    numbers: list[str] = []
    for arm in trial.arms:
        form |= {
            f"{arm.letter}-label": arm.label,
            f"{arm.letter}-cooker": str(arm.cooker_id or ""),
            f"{arm.letter}-pit_target": temp(arm.pit_target_c),
            f"{arm.letter}-wrap_rule": arm.wrap_rule,
            f"{arm.letter}-wrap_in": arm.wrap_in,
            f"{arm.letter}-wrap_at": temp(arm.wrap_at_c),
            f"{arm.letter}-wrap_after": span(arm.wrap_at_min),
            f"{arm.letter}-done_rule": arm.done_rule,
            f"{arm.letter}-done_at": temp(arm.done_at_c),
            f"{arm.letter}-done_after": span(arm.done_at_min),
            f"{arm.letter}-rest_kind": arm.rest_kind,
            f"{arm.letter}-rest": span(arm.rest_min),
            f"{arm.letter}-wood": arm.wood,
            f"{arm.letter}-rub": arm.rub,
            f"{arm.letter}-move_to": str(arm.move_to_id or ""),
            f"{arm.letter}-move_at": temp(arm.move_at_c),
            f"{arm.letter}-move_after": span(arm.move_at_min),
            f"{arm.letter}-move_pit": temp(arm.move_pit_c),
        }
        for piece in arm.pieces:
            key = f"p{len(numbers)}"
            form |= {
                f"{key}-id": str(piece.id),
                f"{key}-arm": arm.letter,
                f"{key}-cut": piece.cut,
                f"{key}-cut_other": piece.cut_other,
                f"{key}-grade": piece.grade,
                f"{key}-source": piece.source,
                f"{key}-raw": mass(piece.raw_kg),
                f"{key}-trimmed": mass(piece.trimmed_kg),
                f"{key}-cooked": mass(piece.cooked_kg),
                f"{key}-thickness": length(piece.thickness_mm),
                f"{key}-bone": piece.bone,
                f"{key}-opened": "on" if piece.opened else "",
                f"{key}-start": temp(piece.start_c),
            }
            numbers.append(str(len(numbers)))
    form["pieces"] = " ".join(numbers)
    return form


def letters_in(form: Mapping[str, str]) -> list[str]:
    return [letter for letter in dict.fromkeys(form.get("arms", "").split()) if letter in LETTERS]


def pieces_in(form: Mapping[str, str]) -> list[str]:
    found = [n for n in dict.fromkeys(form.get("pieces", "").split()) if re.fullmatch(r"\d{1,3}", n)]
    return found[: MAX_ARMS * MAX_PIECES]


def changed(form: dict[str, str], do: str) -> dict[str, str]:
    """The form after one of its own buttons: an arm or a piece more or less, everything typed kept."""
    letters, pieces = letters_in(form), pieces_in(form)
    verb, _, what = do.partition(":")
    if verb == "add-arm" and len(letters) < MAX_ARMS:
        letter = next(letter for letter in LETTERS if letter not in letters)
        last = letters[-1] if letters else ""
        copied = {
            k.replace(f"{last}-", f"{letter}-", 1): v for k, v in form.items() if last and k.startswith(f"{last}-")
        }
        form |= _blank_arm(letter) | copied | {f"{letter}-label": ""}
        letters = sorted([*letters, letter])
        pieces, form = _one_more(form, pieces, letter)
    elif verb == "drop-arm" and len(letters) > MIN_ARMS and what in letters:
        letters.remove(what)
        pieces = [n for n in pieces if form.get(f"p{n}-arm") != what]
    elif verb == "add-piece" and what in letters:
        pieces, form = _one_more(form, pieces, what)
    elif verb == "drop-piece" and what in pieces:
        pieces.remove(what)
    return form | {"arms": " ".join(letters), "pieces": " ".join(pieces)}


def _blank_arm(letter: str) -> dict[str, str]:
    return {f"{letter}-{name}": value for name, value in BLANK_ARM.items()}


def _one_more(form: dict[str, str], pieces: list[str], letter: str) -> tuple[list[str], dict[str, str]]:
    """One more piece, like the last one but for its weights and temperature."""
    number = str(max((int(n) for n in pieces), default=-1) + 1)
    last = pieces[-1] if pieces else None
    kept = ("cut", "cut_other", "grade", "source", "bone", "opened")
    copied = {f"p{number}-{name}": form.get(f"p{last}-{name}", "") for name in kept} if last is not None else {}
    return [*pieces, number], form | copied | {f"p{number}-arm": letter, f"p{number}-id": ""}


def save(session: Session, trial: Trial, form: Mapping[str, str], units: Units) -> dict[str, str]:
    """Carry the form into the trial's records. Returns errors by field; with any, nothing was changed."""
    read = Reader(form, units)
    letters, pieces = letters_in(form), pieces_in(form)
    if not MIN_ARMS <= len(letters) <= MAX_ARMS:
        read.fail("arms", f"A trial has {MIN_ARMS} to {MAX_ARMS} arms.")
    title = read.text("title", "Title", 120, required=True)
    question = read.text("question", "The question", 500, required=True)
    # Where several cooks meet, it is the cook that is changed.
    teams = Factor.COOK.value if form.get("kind") == TrialKind.TEAMS else None
    factor = teams or read.choice("factor", "What is changed", [f.value for f in Factor])
    kind = read.choice("kind", "How it is laid out", [k.value for k in TrialKind], TrialKind.ONE_FACTOR)
    factor2 = read.choice("factor2", "The second thing changed", ["", *(f.value for f in Factor)], "")
    if kind == TrialKind.CROSSED and factor2 in ("", factor):
        read.fail("factor2", "Two things crossed: choose the second one, another than the first.")
    factor_other = read.text("factor_other", "What is changed, in words", 120, required=factor == Factor.OTHER)
    held_same = read.text("held_same", "What is held the same", 4000)
    note = read.text("note", "Notes", 8000)
    cook_date = read.day("cook_date", "The date of the cook")
    tz = read.text("tz", "Time zone", 60, required=True)
    try:
        ZoneInfo(tz or "UTC")
    except (KeyError, ValueError, OSError):
        read.fail("tz", f"'{tz}' is no time zone; choose one such as Europe/Lisbon.")
    cookers = {str(row) for row in session.scalars(select(Cooker.id))}
    arm_values = {letter: _arm_values(read, letter, cookers) for letter in letters}
    piece_values = [(n, *_piece_values(read, n, letters)) for n in pieces]
    _check_kind(read, kind, arm_values)
    for letter in letters:
        mine = [n for n, owner, _ in piece_values if owner == letter]
        if not mine:
            read.fail(f"{letter}-label", f"Arm {letter} has no piece of meat: add one, or remove the arm.")
        if len(mine) > MAX_PIECES:
            read.fail(f"{letter}-label", f"Arm {letter} has more than {MAX_PIECES} pieces.")
    leaving = _leaving(session, trial, letters, {form.get(f"p{n}-id", "") for n in pieces})
    if leaving and not read.flag("confirm_leaving"):
        read.fail("confirm_leaving", f"{leaving} would go with what you removed. Tick the box below to let it go.")
    if read.errors:
        return read.errors
    trial.title, trial.question, trial.factor, trial.factor_other = title, question, factor, factor_other
    trial.held_same, trial.note, trial.tz = held_same, note, tz
    trial.kind, trial.factor2 = kind, factor2 if kind == TrialKind.CROSSED else ""
    assert cook_date is not None
    trial.cook_date = cook_date
    trial.temp_unit, trial.mass_unit = units.temp, units.mass
    session.add(trial)
    arms = {arm.letter: arm for arm in trial.arms}
    for letter in [letter for letter in arms if letter not in letters]:
        trial.arms.remove(arms.pop(letter))
    for letter, values in arm_values.items():
        if letter not in arms:
            arms[letter] = Arm(letter=letter)
            trial.arms.append(arms[letter])
        for name, value in values.items():
            setattr(arms[letter], name, value)
    _save_pieces(session, arms, form, piece_values)
    return {}


def _check_kind(read: Reader, kind: str, arms: Mapping[str, Mapping[str, object]]) -> None:
    """What each kind of trial needs of its arms."""
    for letter, values in arms.items():
        if kind == TrialKind.LENGTHS and values["done_at_min"] is None:
            read.fail(f"{letter}-done_after", f"Arm {letter} needs its time on, since times are what is compared.")
        if values["move_to_id"] is not None and values["move_at_c"] is None and values["move_at_min"] is None:
            read.fail(
                f"{letter}-move_after", f"Arm {letter} moves to another cooker: say after how long, or at what inside."
            )
    named = [str(values["label"]).casefold() for values in arms.values()]
    if kind == TrialKind.TEAMS and ("" in named or len(set(named)) < len(named)):
        read.fail(f"{min(arms, default='A')}-label", "Give every arm its cook's or team's name, each another.")
    if kind == TrialKind.MOVED and not any(values["move_to_id"] for values in arms.values()):
        read.fail(f"{min(arms, default='A')}-move_to", "No arm is finished elsewhere yet: say where, and when.")


def _leaving(session: Session, trial: Trial, letters: list[str], kept_pieces: set[str]) -> str:
    """What is on record of arms and pieces that the form no longer has, in words; empty when nothing is."""
    if trial.id is None:
        return ""
    arms = [arm.id for arm in trial.arms if arm.letter not in letters]
    pieces = [piece.id for arm in trial.arms for piece in arm.pieces if str(piece.id) not in kept_pieces]

    def count(model: type[Probe | Event]) -> int:
        gone = or_(model.arm_id.in_(arms), model.piece_id.in_(pieces))
        return session.scalar(select(func.count()).select_from(model).where(gone)) or 0

    found = {
        "probes with readings": count(Probe),
        "events": count(Event),
        "looks": session.scalar(select(func.count()).select_from(Look).where(Look.piece_id.in_(pieces))) or 0,
        "scores": session.scalar(select(func.count()).select_from(Score).where(Score.arm_id.in_(arms))) or 0,
    }
    return ", ".join(f"{number} {what}" for what, number in found.items() if number)


def _save_pieces(
    session: Session, arms: dict[str, Arm], form: Mapping[str, str], values: list[tuple[str, str, dict[str, object]]]
) -> None:
    known = {str(piece.id): piece for arm in arms.values() for piece in arm.pieces}
    kept: set[Piece] = set()
    plan: list[tuple[Piece, Arm]] = []
    for number, letter, fields in values:
        piece = known.get(form.get(f"p{number}-id", "")) or Piece(cut=Cut.OTHER.value)
        for name, value in fields.items():
            setattr(piece, name, value)
        kept.add(piece)
        plan.append((piece, arms[letter]))
    for arm in arms.values():
        for piece in list(arm.pieces):
            if piece not in kept:
                arm.pieces.remove(piece)
    # Numbers are unique in an arm: move everybody out of the way before they take their places.
    session.flush()
    for offset, piece in enumerate(p for p, _ in plan if p.id is not None):
        piece.number = 1000 + offset
    session.flush()
    counts: dict[str, int] = {}
    for piece, arm in plan:
        counts[arm.letter] = counts.get(arm.letter, 0) + 1
        piece.number = counts[arm.letter]
        if piece not in arm.pieces:
            arm.pieces.append(piece)
            if piece.id is not None:
                # What was measured in a piece, and done to it, moves with it.
                for model in (Probe, Event):
                    session.execute(update(model).where(model.piece_id == piece.id).values(arm_id=arm.id))


def _arm_values(read: Reader, letter: str, cookers: set[str]) -> dict[str, object]:
    def name(field: str) -> str:
        return f"{letter}-{field}"

    of = f"of arm {letter}"
    cooker = read.form.get(name("cooker"), "").strip()
    if cooker and cooker not in cookers:
        read.fail(name("cooker"), f"The cooker {of} is not one of yours.")
        cooker = ""
    wrap_rule = read.choice(name("wrap_rule"), f"the wrap rule {of}", [r.value for r in WrapRule], WrapRule.NEVER)
    wrap_in = read.choice(name("wrap_in"), f"the wrap {of}", [w.value for w in WrapIn], WrapIn.NONE)
    if wrap_rule != WrapRule.NEVER and wrap_in == WrapIn.NONE:
        read.fail(name("wrap_in"), f"Arm {letter} is to be wrapped: say in what, or choose never.")
    move_to = read.form.get(name("move_to"), "").strip()
    if move_to and move_to not in cookers:
        read.fail(name("move_to"), f"The finishing cooker {of} is not one of yours.")
        move_to = ""
    if move_to and move_to == cooker:
        read.fail(name("move_to"), f"Arm {letter} is in that cooker already; choose another or none.")
    return {
        "move_to_id": int(move_to) if move_to else None,
        "move_at_c": read.temp(name("move_at"), f"The temperature {of} to move at", 20.0, 110.0),
        "move_at_min": read.span_min(name("move_after"), f"The time {of} to move after"),
        "move_pit_c": read.temp(name("move_pit"), f"The finishing pit {of}", 40.0, 400.0),
        "label": read.text(name("label"), f"The name {of}", 80),
        "cooker_id": int(cooker) if cooker else None,
        "pit_target_c": read.temp(name("pit_target"), f"The pit target {of}", 40.0, 400.0),
        "wrap_rule": wrap_rule,
        "wrap_in": wrap_in if wrap_rule != WrapRule.NEVER else WrapIn.NONE.value,
        "wrap_at_c": read.temp(name("wrap_at"), f"The wrap temperature {of}", 20.0, 110.0),
        "wrap_at_min": read.span_min(name("wrap_after"), f"The wrap time {of}"),
        "done_rule": read.choice(name("done_rule"), f"the done rule {of}", [d.value for d in DoneRule], DoneRule.FEEL),
        "done_at_c": read.temp(name("done_at"), f"The done temperature {of}", 40.0, 115.0),
        "done_at_min": read.span_min(name("done_after"), f"The cook time {of}"),
        "rest_kind": read.choice(name("rest_kind"), f"the rest {of}", [r.value for r in RestKind], RestKind.BOX),
        "rest_min": read.span_min(name("rest"), f"The rest {of}"),
        "wood": read.text(name("wood"), f"The wood {of}", 120),
        "rub": read.text(name("rub"), f"The rub {of}", 200),
    }


def _piece_values(read: Reader, number: str, letters: list[str]) -> tuple[str, dict[str, object]]:
    def name(field: str) -> str:
        return f"p{number}-{field}"

    letter = read.choice(name("arm"), "the arm of a piece", letters or ["A"])
    of = f"of a piece in arm {letter}"
    cut = read.choice(name("cut"), f"the cut {of}", [c.value for c in Cut])
    raw, trimmed = (
        read.mass(name("raw"), f"The raw weight {of}"),
        read.mass(name("trimmed"), f"The trimmed weight {of}"),
    )
    cooked = read.mass(name("cooked"), f"The cooked weight {of}")
    if raw is not None and trimmed is not None and trimmed > raw + 1e-9:
        read.fail(name("trimmed"), f"The trimmed weight {of} is more than its raw weight.")
    return letter, {
        "cut": cut,
        "cut_other": read.text(name("cut_other"), f"The cut {of}", 80, required=cut == Cut.OTHER),
        "grade": read.text(name("grade"), f"The grade {of}", 80),
        "source": read.text(name("source"), f"The source {of}", 120),
        "raw_kg": raw,
        "trimmed_kg": trimmed,
        "cooked_kg": cooked,
        "thickness_mm": read.length(name("thickness"), f"The thickness {of}"),
        "bone": read.choice(name("bone"), f"the bone {of}", ["", "in", "out"], ""),
        "opened": read.flag(name("opened")),
        "start_c": read.temp(name("start"), f"The start temperature {of}", -5.0, 40.0),
    }
