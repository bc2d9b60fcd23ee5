"""Trials made of protocols, and protocols made of trials."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.core.trial.protocols import STARTER
from bruvet.core.trial.terms import ARM_LOOKS, Cut
from bruvet.records.models import Arm, Cooker, Piece, Protocol, Trial

TRIAL_FIELDS = ("question", "factor", "factor_other", "factor2", "kind", "held_same", "spritz_every_min")
ARM_FIELDS = tuple(c.key for c in Arm.__table__.columns if c.key not in ("id", "trial_id", "letter", "said"))
PIECE_FIELDS = ("number", "cut", "cut_other", "grade", "source", "bone", "opened", "thickness_mm", "pair", "position")
LETTERS = tuple(ARM_LOOKS)


def body_of(trial: Trial) -> dict[str, Any]:
    """What is kept of a trial as a protocol: its plan, and none of what happened."""
    return {
        "trial": {name: getattr(trial, name) for name in TRIAL_FIELDS},
        "arms": [
            {
                "arm": {name: getattr(arm, name) for name in ARM_FIELDS},
                "pieces": [{name: getattr(piece, name) for name in PIECE_FIELDS} for piece in arm.pieces],
            }
            for arm in trial.arms
        ],
    }


def trial_from(session: Session, key: str) -> Trial | None:
    """A trial, not yet kept, from a starter's key or from the number of a protocol of one's own."""
    if key in STARTER:
        starter = STARTER[key]
        body: Mapping[str, Any] = {
            "trial": starter.trial,
            "arms": [
                {"arm": arm, "pieces": [{"number": 1, "cut": starter.cut, **starter.pieces}]} for arm in starter.arms
            ],
        }
        return _made(session, body, starter.name)
    row = session.get(Protocol, int(key)) if key.isdecimal() and len(key) < 9 else None
    return None if row is None else _made(session, row.body, row.name)


def copied(session: Session, trial: Trial) -> Trial:
    """A trial with the same plan and none of what happened."""
    copy = _made(session, body_of(trial), trial.title)
    copy.tz, copy.temp_unit, copy.mass_unit, copy.hands = trial.tz, trial.temp_unit, trial.mass_unit, trial.hands
    copy.tolerances, copy.supplies = dict(trial.tolerances), dict(trial.supplies)
    return copy


def _made(session: Session, body: Mapping[str, Any], title: str) -> Trial:
    cookers = set(session.scalars(select(Cooker.id)))
    trial = Trial(title=title, **body["trial"])
    for letter, row in zip(LETTERS, body["arms"], strict=False):
        # A cooker that has been sold since is left blank.
        fields = {
            name: None if name in ("cooker_id", "move_to_id") and value not in cookers else value
            for name, value in row["arm"].items()
        }
        arm = Arm(letter=letter, **fields)
        arm.pieces = [Piece(**({"cut": Cut.OTHER.value} | piece)) for piece in row["pieces"]]
        trial.arms.append(arm)
    return trial
