"""Entries from the pit side: what phones logged, at their own times, each kept once however often it is sent."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.core.trial.terms import Bark, EventKind, Feel, WrapIn
from bruvet.core.units import Units, span_words
from bruvet.records.models import Arm, Event, Look, Spot, Trial

MOST_ENTRIES = 200
AHEAD = timedelta(minutes=10)
BACK = timedelta(days=3)
# Two entries of one thing this close together are likely one thing, logged by two people.
TWICE = timedelta(minutes=3)
UNDO_FOR = timedelta(minutes=20)
ID = re.compile(r"^[A-Za-z0-9-]{8,36}$")
MOST_SPOTS = 8


@dataclass(frozen=True)
class Kept:
    """An entry that is on record, by its id; `also` says who logged the same a moment before, if anybody did."""

    id: str
    words: str
    also: str = ""
    pulled: bool = False


@dataclass(frozen=True)
class NotKept:
    id: str
    why: str


class BadEntry(ValueError):
    """An entry that cannot be kept; the text says why and how to mend it."""


def take_entries(
    session: Session, trial: Trial, items: Sequence[Any], person_id: int | None, units: Units, now: datetime
) -> tuple[list[Kept], list[NotKept]]:
    """Keep entries, each by itself: what is wrong with one does not hold up the others.

    Parameters
    ----------
    items : sequence
        `{"id", "kind", "arms": ["A"], "at"}` and, by kind, `wrap_in`, `temp`, `minutes`, `amount`, `note`, `bark`,
        `colour`, `spots`. Temperatures and weights are in `units`. `id` is the sender's own, and makes sending again
        harmless.
    """
    kept, refused = [], []
    for item in items:
        name = str(item.get("id", ""))[:40] if isinstance(item, Mapping) else ""
        try:
            with session.begin_nested():
                kept.append(_take(session, trial, item, person_id, units, now))
        except BadEntry as error:
            refused.append(NotKept(name, str(error)))
    return kept, refused


def _take(session: Session, trial: Trial, item: Any, person_id: int | None, units: Units, now: datetime) -> Kept:
    if not isinstance(item, Mapping):
        raise BadEntry("An entry is an object with id, kind, arms and at.")
    name = item.get("id")
    if not isinstance(name, str) or not ID.fullmatch(name):
        raise BadEntry("id: give 8 to 36 letters, digits and hyphens.")
    try:
        kind = EventKind(str(item.get("kind")))
    except ValueError:
        known = ", ".join(k.value for k in EventKind)
        raise BadEntry(f"kind: '{str(item.get('kind'))[:20]}' is none of {known}.") from None
    at = _moment(item.get("at"), now)
    arms = _arms(trial, item.get("arms"))
    more = _details(kind, item, units)
    also = ""
    for arm in arms:
        client_id = f"{name}:{arm.letter}"
        if session.scalar(select(Event.id).where(Event.client_id == client_id)) is not None:
            continue
        twin = session.scalar(
            select(Event).where(
                Event.arm_id == arm.id, Event.kind == kind, Event.at.between(at - TWICE, at + TWICE),
                Event.created_by.is_distinct_from(person_id),
            )
        )  # fmt: skip
        if twin is not None:
            apart = span_words(abs((at - twin.at).total_seconds()) / 60)
            also = f"{kind.label} of {arm.letter} was logged by somebody else too, {apart} apart"
        session.add(
            Event(trial_id=trial.id, arm_id=arm.id, kind=kind, at=at, client_id=client_id, created_by=person_id, **more)
        )
        if kind == EventKind.LOOK:
            _look(session, trial, arm, item, at, client_id, units, person_id)
    session.flush()
    who = "".join(arm.letter for arm in arms)
    return Kept(name, f"{kind.label} {who}", also, kind == EventKind.PULL)


def _moment(said: Any, now: datetime) -> datetime:
    try:
        at = datetime.fromisoformat(said) if isinstance(said, str) else None
    except ValueError:
        at = None
    if at is None or at.tzinfo is None:
        raise BadEntry("at: give a time with its zone, as 2026-05-02T07:40:00Z.")
    at = at.astimezone(UTC)
    if at > now + AHEAD:
        raise BadEntry("at: that is still to come; is the phone's clock right?")
    if at < now - BACK:
        raise BadEntry("at: more than three days ago; enter it on the record.")
    return at


def _arms(trial: Trial, said: Any) -> list[Arm]:
    if not isinstance(said, list) or not said:
        raise BadEntry('arms: say which, as ["A"].')
    by_letter = {arm.letter: arm for arm in trial.arms}
    unknown = [str(letter)[:10] for letter in said if letter not in by_letter]
    if unknown:
        raise BadEntry(f"arms: there is no arm {unknown[0]}.")
    return [by_letter[letter] for letter in dict.fromkeys(said)]


def _number(item: Mapping[str, Any], name: str, low: float, high: float) -> float | None:
    value = item.get(name)
    if value is None or value == "":
        return None
    if (
        isinstance(value, bool)
        or not isinstance(value, int | float)
        or not math.isfinite(value)
        or not low <= value <= high
    ):
        raise BadEntry(f"{name}: give a number from {low:g} to {high:g}.")
    return float(value)


def _temp(item: Mapping[str, Any], name: str, low_c: float, high_c: float, units: Units) -> float | None:
    value = _number(item, name, round(units.temp_shown(low_c)), round(units.temp_shown(high_c)))
    return None if value is None else units.temp_stored(value)


def _text(item: Mapping[str, Any], name: str, most: int) -> str:
    value = item.get(name) or ""
    if not isinstance(value, str):
        raise BadEntry(f"{name}: give text.")
    clean = value.replace("\x00", "").strip()
    if len(clean) > most:
        raise BadEntry(f"{name}: at most {most} characters.")
    return clean


def _details(kind: EventKind, item: Mapping[str, Any], units: Units) -> dict[str, Any]:
    """What belongs to an entry of a kind, in stored units."""
    more: dict[str, Any] = {"note": _text(item, "note", 500)}
    if kind == EventKind.WRAP:
        wrap = item.get("wrap_in")
        if wrap not in {w.value for w in WrapIn} or wrap == WrapIn.NONE:
            raise BadEntry("wrap_in: say foil, paper or tray.")
        more["wrap_in"] = wrap
    if kind == EventKind.PIT_SET:
        more["temp_c"] = _temp(item, "temp", 30.0, 400.0, units)
        if more["temp_c"] is None:
            raise BadEntry("temp: say what the pit was set to.")
    if kind == EventKind.LID:
        more["minutes"] = _number(item, "minutes", 0, 240)
    if kind in (EventKind.FUEL, EventKind.WOOD):
        amount = _number(item, "amount", 0, 500)
        more["amount_kg"] = None if not amount else units.mass_stored(amount)
    return more


def _look(
    session: Session, trial: Trial, arm: Arm, item: Mapping[str, Any], at: datetime, client_id: str, units: Units,
    person_id: int | None,
) -> None:  # fmt: skip
    """What was seen and felt, kept as a look of the arm's first piece when anything was."""
    bark, colour = _text(item, "bark", 10), _text(item, "colour", 80)
    if bark and bark not in {b.value for b in Bark}:
        raise BadEntry(f"bark: say {', '.join(b.value for b in Bark)}.")
    pull_back = _number(item, "pull_back", 0, 100)
    said = item.get("spots") or []
    if not isinstance(said, list) or len(said) > MOST_SPOTS:
        raise BadEntry(f"spots: at most {MOST_SPOTS}.")
    spots = []
    for one in said:
        if not isinstance(one, Mapping):
            raise BadEntry("spots: each is an object with place, temp and feel.")
        feel = _text(one, "feel", 10)
        if feel and feel not in {f.value for f in Feel}:
            raise BadEntry(f"feel: say {', '.join(f.value for f in Feel)}.")
        temp_c = _temp(one, "temp", -5.0, 130.0, units)
        if temp_c is not None or feel:
            spots.append(Spot(place=_text(one, "place", 60) or "middle", temp_c=temp_c, feel=feel))
    if not (bark or colour or spots or pull_back is not None) or not arm.pieces:
        return
    session.add(
        Look(trial_id=trial.id, piece_id=arm.pieces[0].id, at=at, bark=bark, colour=colour, pull_back_mm=pull_back,
             spots=spots, client_id=client_id, created_by=person_id)
    )  # fmt: skip


def undo(session: Session, trial: Trial, name: str, now: datetime) -> str | None:
    """Take back an entry of the last twenty minutes, by its id; its earlier values stay in the revisions.

    Returns
    -------
    str or None
        What was taken back; None when there is nothing to undo.
    """
    if not ID.fullmatch(name):
        return None
    words = None
    for model in (Event, Look):
        rows = session.scalars(
            select(model).where(
                model.trial_id == trial.id, model.client_id.startswith(f"{name}:"), model.created_at > now - UNDO_FOR
            )
        )
        for row in rows.all():
            if isinstance(row, Event):
                words = EventKind(row.kind).label
            session.delete(row)
    session.flush()
    return words
