"""What is said of a curve: what was done to it, what a stall is taken to be, and what was found."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

Kind = Literal["natural", "wrap-ended", "pit-ended", "open"]
Why = Literal["pit-fell", "probe-moved", "lid", "other"]


@dataclass(frozen=True)
class Mark:
    """Something done: `kind` is an event kind, `detail` the wrap or the note, `temp_c` a pit setting."""

    at_min: float
    kind: str
    detail: str = ""
    temp_c: float | None = None


def first_mark(marks: Sequence[Mark], *kinds: str) -> float | None:
    """Minute of the earliest mark of any of these kinds; None when there is none."""
    return min((mark.at_min for mark in marks if mark.kind in kinds), default=None)


@dataclass(frozen=True)
class Stall:
    onset_min: float
    end_min: float
    temp_c: float
    kind: Kind
    reason: str

    @property
    def length_min(self) -> float:
        return self.end_min - self.onset_min


@dataclass(frozen=True)
class NotStall:
    onset_min: float
    end_min: float
    why: Why
    reason: str


@dataclass(frozen=True)
class StallReport:
    """Stalls and flat stretches that are none, in order of time."""

    stalls: tuple[Stall, ...] = ()
    not_stalls: tuple[NotStall, ...] = ()


@dataclass(frozen=True)
class StallRule:
    """Bounds of the judgement; the defaults are the ones of docs/method.md."""

    flat_c_per_h: float = 3.4
    flat_share: float = 0.42
    whole_share: float = 0.36
    coldest_c: float = 54.0
    hottest_c: float = 84.0
    window_min: float = 24.0
    shortest_min: float = 24.0
    pit_share: float = 0.62
    wrap_reach_min: float = 75.0
