"""Drawing lots for a trial: pieces to arms, arms to cookers and places, kept with its seed to be repeated."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from bruvet.core.trial.allocation import CannotAllocate, Lot, allocate, latin_square, places_for, places_on
from bruvet.core.trial.terms import Factor
from bruvet.records.models import Arm, Cooker, Event, Look, Piece, Probe, Trial


def days_of(session: Session, trial: Trial) -> list[Trial]:
    """All cook days of a trial's question, its own included, in order."""
    first = trial.first_day_id or trial.id
    query = select(Trial).where(or_(Trial.id == first, Trial.first_day_id == first))
    return list(session.scalars(query.order_by(Trial.cook_date, Trial.id)))


def begun(session: Session, trial: Trial) -> bool:
    """Whether anything of the cook is on record, after which pieces stay where they are."""
    counts = [
        session.scalar(select(func.count()).select_from(model).where(model.trial_id == trial.id))
        for model in (Event, Look, Probe)
    ]
    return any(counts)


@dataclass(frozen=True)
class Draw:
    """How to draw.

    Attributes
    ----------
    places : names of the places on the grate; empty to leave them.
    cookers : share out the trial's cookers among the arms too, over its days.
    """

    seed: int
    matched: bool = True
    places: tuple[str, ...] = ()
    cookers: bool = False


def draw_lots(session: Session, trial: Trial, draw: Draw, who: str, now: datetime) -> None:
    """Draw, and keep what was drawn with its seed.

    Raises
    ------
    CannotAllocate
        When it cannot be done; the text says why, and nothing was changed.
    """
    if begun(session, trial):
        raise CannotAllocate("The cook is on record already, so its pieces stay in their arms; draw before the day.")
    pieces = [piece for arm in trial.arms for piece in arm.pieces]
    letters = [arm.letter for arm in trial.arms]
    days = days_of(session, trial)
    day = [one.id for one in days].index(trial.id)
    # The square over days is one for all of them, so its seed is the first day's.
    over_days = int(days[0].lots.get("seed", draw.seed)) if day else draw.seed
    to = _to_arms(trial, pieces, draw)
    stands: dict[str, Cooker | None] = {arm.letter: arm.cooker for arm in trial.arms}
    if draw.cookers:
        stands = _cookers(trial, letters, day, over_days)
    spots = _places(to, letters, draw, day, over_days)
    _carry_out(session, trial, to)
    for arm in trial.arms:
        arm.cooker = stands[arm.letter]
    for piece in pieces:
        piece.position = spots.get(str(piece.id), piece.position)
    trial.lots = {
        "by": "draw",
        "seed": draw.seed,
        "matched": draw.matched,
        "places": list(draw.places),
        "cookers": draw.cookers,
        "who": who,
        "at": now.isoformat(timespec="seconds"),
    }


def _to_arms(trial: Trial, pieces: Sequence[Piece], draw: Draw) -> dict[int, str]:
    """By piece, the arm drawn; as it stands where the cut itself is what is changed."""
    if Factor.CUT in (trial.factor, trial.factor2):
        return {piece.id: piece.arm.letter for piece in pieces}
    lots = [Lot(str(p.id), p.trimmed_kg or p.raw_kg, p.pair) for p in sorted(pieces, key=lambda p: p.id)]
    letters = [arm.letter for arm in trial.arms]
    return {int(share.lot): letters[share.arm] for share in allocate(lots, len(letters), draw.seed, draw.matched)}


def _places(to: dict[int, str], letters: Sequence[str], draw: Draw, day: int, over_days: int) -> dict[str, str]:
    """By piece, its place: by Latin square over days where places and arms are as many, else at random."""
    if not draw.places:
        return {}
    if len(to) == len(letters) == len(draw.places):
        by_arm = places_on(day, letters, draw.places, over_days)
        return {str(piece): by_arm[letter] for piece, letter in to.items()}
    return dict(places_for([str(piece) for piece in to], draw.places, draw.seed))


def _cookers(trial: Trial, letters: Sequence[str], day: int, seed: int) -> dict[str, Cooker | None]:
    known = list({arm.cooker.id: arm.cooker for arm in trial.arms if arm.cooker is not None}.values())
    if Factor.COOKER in (trial.factor, trial.factor2):
        raise CannotAllocate("The cooker is what is changed, so each arm keeps its own; draw the pieces only.")
    if len(known) != len(letters):
        raise CannotAllocate(
            f"{len(letters)} arms stand in {len(known)} cookers; to share them out over the days, name as many as arms."
        )
    known.sort(key=lambda cooker: cooker.id)
    row = latin_square(len(letters), seed)[day % len(letters)]
    return {letter: known[which] for letter, which in zip(letters, row, strict=True)}


def by_hand(session: Session, trial: Trial, to: dict[int, str], who: str, now: datetime) -> None:
    """Keep an allocation that a person made, marked as such.

    Raises
    ------
    CannotAllocate
        When the cook has begun and a piece would change arms, or an arm would be left without a piece.
    """
    pieces = [piece for arm in trial.arms for piece in arm.pieces]
    moves = any(to[piece.id] != piece.arm.letter for piece in pieces)
    if moves and begun(session, trial):
        raise CannotAllocate("The cook is on record already, so its pieces stay in their arms.")
    empty = [arm.letter for arm in trial.arms if arm.letter not in to.values()]
    if empty:
        raise CannotAllocate(f"Arm {empty[0]} would have no piece; give it one.")
    if moves:
        _carry_out(session, trial, to)
    trial.lots = {"by": "hand", "who": who, "at": now.isoformat(timespec="seconds")}


def _carry_out(session: Session, trial: Trial, to: dict[int, str]) -> None:
    """Put pieces into their arms. Numbers are unique in an arm, so all step aside first."""
    pieces = [piece for arm in trial.arms for piece in arm.pieces]
    arms: dict[str, Arm] = {arm.letter: arm for arm in trial.arms}
    for offset, piece in enumerate(pieces):
        piece.number = 1000 + offset
    session.flush()
    counts = dict.fromkeys(arms, 0)
    for piece in sorted(pieces, key=lambda p: p.id):
        letter = to[piece.id]
        counts[letter] += 1
        piece.number = counts[letter]
        if piece.arm is not arms[letter]:
            piece.arm = arms[letter]
    session.flush()
    for arm in trial.arms:
        session.expire(arm, ["pieces"])
