"""Temperatures, temperature differences, masses and spans, between what is stored and what is shown.

Stored are °C, kg, mm and minutes. A difference or a rate is a size of step and never gets the 32 °F of
a temperature. Exact factors: 1 °F step = 5/9 °C; 1 lb = 0.45359237 kg (international pound, 1959).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

Number = TypeVar("Number", float, NDArray[np.float64])
TempUnit = Literal["c", "f"]
MassUnit = Literal["kg", "lb"]

KG_PER_LB = 0.45359237
MM_PER_IN = 25.4


def c_from_f(temp_f: Number) -> Number:
    """Temperature in °C of a temperature in °F."""
    return (temp_f - 32.0) / 1.8


def f_from_c(temp_c: Number) -> Number:
    """Temperature in °F of a temperature in °C."""
    return temp_c * 1.8 + 32.0


def step_c_from_f(step_f: Number) -> Number:
    """Difference (or rate) in °C of a difference in °F."""
    return step_f / 1.8


def step_f_from_c(step_c: Number) -> Number:
    """Difference (or rate) in °F of a difference in °C."""
    return step_c * 1.8


@dataclass(frozen=True)
class Units:
    """The units a person reads and types: `temp` is "c" or "f", `mass` is "kg" or "lb"."""

    temp: TempUnit = "f"
    mass: MassUnit = "lb"

    @property
    def degree(self) -> str:
        return "°F" if self.temp == "f" else "°C"

    @property
    def length(self) -> str:
        return "in" if self.mass == "lb" else "mm"

    def temp_shown(self, temp_c: Number) -> Number:
        return f_from_c(temp_c) if self.temp == "f" else temp_c

    def temp_stored(self, shown: Number) -> Number:
        return c_from_f(shown) if self.temp == "f" else shown

    def step_shown(self, step_c: Number) -> Number:
        return step_f_from_c(step_c) if self.temp == "f" else step_c

    def mass_shown(self, mass_kg: float) -> float:
        return mass_kg / KG_PER_LB if self.mass == "lb" else mass_kg

    def mass_stored(self, shown: float) -> float:
        return shown * KG_PER_LB if self.mass == "lb" else shown

    def length_shown(self, length_mm: float) -> float:
        return length_mm / MM_PER_IN if self.mass == "lb" else length_mm

    def length_stored(self, shown: float) -> float:
        return shown * MM_PER_IN if self.mass == "lb" else shown

    def temp_text(self, temp_c: float | None, digits: int = 0) -> str:
        return "–" if temp_c is None else f"{_plain(self.temp_shown(temp_c), digits)} {self.degree}"

    def step_text(self, step_c: float | None, digits: int = 0) -> str:
        return "–" if step_c is None else f"{_plain(self.step_shown(step_c), digits)} {self.degree}"

    def mass_text(self, mass_kg: float | None, digits: int = 2) -> str:
        return "–" if mass_kg is None else f"{_plain(self.mass_shown(mass_kg), digits)} {self.mass}"

    def length_text(self, length_mm: float | None) -> str:
        if length_mm is None:
            return "–"
        return f"{_plain(self.length_shown(length_mm), 1 if self.mass == 'lb' else 0)} {self.length}"


def _plain(value: float, digits: int) -> str:
    text = f"{value:.{digits}f}"
    return text.lstrip("-") if float(text) == 0 else text.replace("-", "−")


def span_text(minutes: float | None) -> str:
    """A length of time as `h:mm`, with a minus sign when negative; a dash when unknown."""
    if minutes is None:
        return "–"
    whole = round(abs(minutes))
    sign = "−" if minutes < 0 and whole else ""
    return f"{sign}{whole // 60}:{whole % 60:02d}"


def span_words(minutes: float) -> str:
    """A length of time in words: `45 min`, `2 h`, `3 h 20 min`."""
    whole = round(abs(minutes))
    hours, rest = divmod(whole, 60)
    if not hours:
        return f"{rest} min"
    return f"{hours} h {rest} min" if rest else f"{hours} h"
