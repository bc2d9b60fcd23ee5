"""What is said of a curve: what was done to it, what a stall is taken to be, and what was found."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

Kind = Literal["natural", "wrap-ended", "pit-ended", "open", "by-hand"]
Why = Literal["pit-fell", "probe-moved", "lid", "other"]
WHY_WORDS: dict[Why, str] = {
    "pit-fell": "pit fell",
    "probe-moved": "probe moved",
    "lid": "lid open",
    "other": "no stall",
}


SHORTEST_DRAWN_MIN = 10.0


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
    """A stall. The bands are where onset and end may lie with 95 % confidence, None where that cannot be told.

    `rate_c_per_h` is the rise over the whole of it; `depth` the share of the rise that the heat on offer would have
    driven, and that did not come: 1 is a standstill, 0 no slowing at all.
    """

    onset_min: float
    end_min: float
    temp_c: float
    kind: Kind
    reason: str
    onset_band: tuple[float, float] | None = None
    end_band: tuple[float, float] | None = None
    rate_c_per_h: float | None = None
    depth: float | None = None

    @property
    def length_min(self) -> float:
        return self.end_min - self.onset_min


@dataclass(frozen=True)
class NotStall:
    onset_min: float
    end_min: float
    why: Why
    reason: str

    @property
    def word(self) -> str:
        """Why it is none, in two words for a chart."""
        return WHY_WORDS[self.why]


@dataclass(frozen=True)
class StallReport:
    """Stalls and flat stretches that are none, in order of time."""

    stalls: tuple[Stall, ...] = ()
    not_stalls: tuple[NotStall, ...] = ()

    @property
    def other_flats(self) -> tuple[NotStall, ...]:
        """Flat stretches that are no stall and long enough to be drawn."""
        return tuple(one for one in self.not_stalls if one.end_min - one.onset_min >= SHORTEST_DRAWN_MIN)


@dataclass(frozen=True)
class StallRule:
    """Bounds of the judgement; the defaults are the ones of docs/method.md."""

    flat_c_per_h: float = 3.4
    flat_share: float = 0.42
    whole_share: float = 0.36
    of_before: float = 0.62
    of_after: float = 0.8
    coldest_c: float = 54.0
    hottest_c: float = 84.0
    window_min: float = 24.0
    shortest_min: float = 24.0
    pit_share: float = 0.62
    dead_share: float = 0.4
    failed_share: float = 0.47
    cooler_share: float = 0.11
    wrap_reach_min: float = 75.0
    around_min: float = 240.0
    both_sides: bool = False

    @property
    def less_flat(self) -> StallRule | None:
        """The bounds for what is less flat but stands out more, between two rises that were seen; None without any."""
        if not math.isfinite(self.of_before):
            return None
        return replace(
            self, flat_share=0.6, whole_share=0.5, of_before=0.4, of_after=0.6, around_min=90.0, both_sides=True
        )


# What a stall is taken to be, in a person's words. By hand is no rule: the two times are told.
DEFINITIONS = {
    "both": "slow, and slow for the heat on offer",
    "rate": "slower than a set rate",
    "heat": "slow for the heat on offer",
    "hand": "by hand",
}
LOOSEST_C_PER_H = 8.0


def rule_of(definition: str, rate_c_per_h: float | None = None) -> StallRule:
    """The bounds of one of the `DEFINITIONS`; a rate replaces the usual 3.4 °C/h where the definition has one."""
    usual = StallRule()
    rate = usual.flat_c_per_h if rate_c_per_h is None else rate_c_per_h
    match definition:
        case "rate":
            return StallRule(rate, math.inf, math.inf, math.inf, math.inf)
        case "heat":
            return StallRule(flat_c_per_h=LOOSEST_C_PER_H)
        case "both" | "hand":
            return StallRule(flat_c_per_h=rate)
    raise ValueError(f"there is no definition of a stall called {definition}")
