"""How curves are laid on one another: which minute of each arm stands at zero, and what the axis counts."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from flask import request
from numpy.typing import NDArray

from bruvet.core.curves.align import anchor
from bruvet.core.curves.findings import first_mark
from bruvet.web.access import units
from bruvet.work.analysis import TrialFacts

FloatArray = NDArray[np.float64]
USUAL_LEVEL_C = 71.0
# What curves can be laid on one another by, as it stands in the address.
ALIGNED = {
    "meat-on": "meat on",
    "clock": "the clock",
    "wrap": "the wrap",
    "stall": "the stall's onset",
    "pull": "the pull",
    "temp": "a temperature",
    "share": "share of the cook",
}


@dataclass(frozen=True)
class Lay:
    """By arm's letter, the minute that is laid on zero, and how many units of the axis a minute is."""

    way: str = "meat-on"
    shift_min: Mapping[str, float] = field(default_factory=dict)
    scale: Mapping[str, float] = field(default_factory=dict)

    @property
    def by_share(self) -> bool:
        return self.way == "share"

    def x(self, letter: str, minutes: FloatArray) -> FloatArray:
        """Where minutes after an arm's meat on stand on the axis."""
        return np.asarray((minutes - self.shift_min.get(letter, 0.0)) * self.scale.get(letter, 1.0))

    def at(self, letter: str, minute: float) -> float:
        return float(self.x(letter, np.array([minute]))[0])

    def minute(self, letter: str, x: float) -> float:
        """An arm's minute at a place of the axis."""
        return x / self.scale.get(letter, 1.0) + self.shift_min.get(letter, 0.0)


def asked_way() -> str:
    way = request.args.get("align", "meat-on")
    return way if way in ALIGNED else "meat-on"


def asked_lay(facts: TrialFacts) -> Lay:
    """The lay that the address asks for; arms to which it did not happen stay at meat on."""
    way = asked_way()
    if way == "meat-on":
        return Lay()
    if way == "clock":
        zeros = {arm.letter: zero for arm in facts.trial.arms if (zero := facts.arm_zero(arm)) is not None}
        first = min(zeros.values(), default=None)
        shifts = {letter: -(zero - first).total_seconds() / 60 for letter, zero in zeros.items()} if first else {}
        return Lay(way, shifts)
    first_pieces = {arm.letter: arm.pieces[0].id for arm in facts.trial.arms if arm.pieces}
    if way == "share":
        ends = {letter: first_mark(facts.cooks[piece].marks, "pull") for letter, piece in first_pieces.items()}
        return Lay(way, {}, {letter: 100.0 / end for letter, end in ends.items() if end})
    level = request.args.get("level", type=float)
    level_c = units().temp_stored(level) if level is not None and math.isfinite(level) else USUAL_LEVEL_C
    found = {
        letter: at
        for letter, piece in first_pieces.items()
        if (at := anchor(facts.cooks[piece], facts.measures[piece].stalls, way, level_c)) is not None
    }
    return Lay(way, found)
