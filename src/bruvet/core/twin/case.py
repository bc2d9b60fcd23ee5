"""One piece of meat, one cooker, and what is to be done: the question that the twin is asked."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal, get_args

from bruvet.core.thermal.cooker import HABITS
from bruvet.core.thermal.cuts import CUTS
from bruvet.core.thermal.engine import WRAPS

RestKind = Literal["counter", "box", "hot-hold"]
LONGEST_MIN = 3000.0


class BadCase(ValueError):
    """A case that cannot be computed; `field` says where, the text what is allowed."""

    def __init__(self, field: str, message: str) -> None:
        super().__init__(f"{field}: {message}")
        self.field = field
        self.message = message


@dataclass(frozen=True)
class Rest:
    """Where a piece rests after it is pulled, and how long; `hold_c` is the hot holder's air."""

    kind: RestKind
    minutes: float
    hold_c: float = 66.0


@dataclass(frozen=True)
class Case:
    """A cook to be told ahead. Minutes count from meat on.

    Attributes
    ----------
    pit_c : pairs of (minute, °C), each from its minute on; the first holds from the beginning.
    wraps : pairs of (minute, wrap), `none` takes it off.
    wrap_at_c : internal °C and wrap, for a wrap that goes by temperature.
    spritz_min, lid_min : minutes at which it is sprayed, and at which the lid is opened for a look.
    readings : pairs of (minute, internal °C) so far.
    """

    cut: str
    mass_kg: float
    cooker: str = "pellet"
    thickness_mm: float | None = None
    start_c: float = 4.0
    pit_c: tuple[tuple[float, float], ...] = ((0.0, 121.0),)
    wraps: tuple[tuple[float, str], ...] = ()
    wrap_at_c: tuple[float, str] | None = None
    spritz_min: tuple[float, ...] = ()
    lid_min: tuple[float, ...] = ()
    rest: Rest | None = None
    air_c: float = 20.0
    air_rh: float = 0.5
    altitude_m: float = 0.0
    water_pan: bool = False
    until_c: float = 95.0
    readings: tuple[tuple[float, float], ...] = ()


def checked(case: Case) -> Case:
    """The case itself, when it can be computed.

    Raises
    ------
    BadCase
        Naming the first field that cannot be used, and what is allowed there.
    """
    _one_of("cut", case.cut, CUTS)
    _within("mass_kg", case.mass_kg, 0.05, 40, "kg")
    if case.thickness_mm is not None:
        _within("thickness_mm", case.thickness_mm, 8, 400, "mm, or null")
    _one_of("cooker", case.cooker, HABITS)
    _within("start_c", case.start_c, -1.5, 60, "°C (a frozen piece must be thawed first)")
    if not case.pit_c:
        raise BadCase("pit_c", "empty; give at least one step as [minute, °C]")
    _steps("pit_c", [at for at, _ in case.pit_c])
    for number, (_, temp_c) in enumerate(case.pit_c):
        _within(f"pit_c[{number}]", temp_c, 40, 250, "°C")
    _steps("wraps", [at for at, _ in case.wraps])
    for number, (_, wrap) in enumerate(case.wraps):
        _one_of(f"wraps[{number}]", wrap, WRAPS)
    if case.wrap_at_c is not None:
        _within("wrap_at_c", case.wrap_at_c[0], 20, 99, "°C")
        _one_of("wrap_at_c", case.wrap_at_c[1], WRAPS)
    for field, minutes in (("spritz_min", case.spritz_min), ("lid_min", case.lid_min)):
        for number, at in enumerate(minutes):
            _within(f"{field}[{number}]", at, 0, LONGEST_MIN, "minutes")
    if case.rest is not None:
        _one_of("rest.kind", case.rest.kind, get_args(RestKind))
        _within("rest.minutes", case.rest.minutes, 0, 1440, "minutes")
        _within("rest.hold_c", case.rest.hold_c, 40, 100, "°C")
    _within("air_c", case.air_c, -30, 50, "°C")
    _within("air_rh", case.air_rh, 0, 1, "as a share, 0.5 for 50 %")
    _within("altitude_m", case.altitude_m, -430, 5000, "m")
    _within("until_c", case.until_c, 30, 99, "°C")
    _steps("readings", [at for at, _ in case.readings])
    for number, (_, temp_c) in enumerate(case.readings):
        _within(f"readings[{number}]", temp_c, -5, 120, "°C")
    if case.start_c >= case.until_c:
        raise BadCase("until_c", f"{case.until_c:g} °C is not above start_c, {case.start_c:g} °C")
    return case


def _one_of(field: str, value: object, allowed: object) -> None:
    words = list(allowed)  # type: ignore[call-overload]
    if value not in words:
        shown = repr(value) if len(repr(value)) < 60 else repr(value)[:57] + "…"
        raise BadCase(field, f"{shown} is not known; allowed are {', '.join(words)}")


def _within(field: str, value: float, low: float, high: float, unit: str) -> None:
    if not math.isfinite(value) or not low <= value <= high:
        raise BadCase(field, f"{value:g} is out of range; allowed are {low:g} to {high:g} {unit}")


def _steps(field: str, minutes: list[float]) -> None:
    for number, at in enumerate(minutes):
        _within(f"{field}[{number}]", at, 0, LONGEST_MIN, "minutes since meat on")
        if number and at < minutes[number - 1]:
            raise BadCase(
                f"{field}[{number}]", f"minute {at:g} comes before minute {minutes[number - 1]:g}; order them"
            )
