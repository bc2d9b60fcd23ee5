"""What would it do if: other courses from a moment on, each as a case of its own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .case import Case
from .course import pit_set_later
from .forecast import GIVE_UP_MIN, Band, Forecast, told

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Option:
    """A course to try, by its name; what is None stays as it is.

    Attributes
    ----------
    wrap : wrap to put on (`none` takes it off), now, or when the probe reads `wrap_at_c`.
    pit_c : new setting, which the cooker follows with its own lag.
    cooker : kind of cooker to move to.
    later_min : meat on that much later; only for a cook that has not begun.
    """

    name: str
    wrap: str | None = None
    wrap_at_c: float | None = None
    pit_c: float | None = None
    cooker: str | None = None
    later_min: float = 0.0


@dataclass(frozen=True)
class Tried:
    """An option with its forecast, whose minutes count from its own meat on."""

    option: Option
    case: Case
    told: Forecast

    @property
    def done_min(self) -> Band | None:
        """When it is done, in minutes from when meat was to go on without any option."""
        done, later = self.told.done_min, self.option.later_min
        if done is None:
            return None
        return Band(*(None if bound is None else bound + later for bound in (done.p10, done.p50, done.p90)))


def taken(case: Case, option: Option, now_min: float) -> Case:
    """The case with an option taken at a minute; what was planned of the same thing for later is dropped."""
    if option.wrap is not None:
        kept = tuple((at, wrap) for at, wrap in case.wraps if at < now_min)
        if option.wrap_at_c is None:
            case = replace(case, wraps=(*kept, (now_min, option.wrap)), wrap_at_c=None)
        else:
            case = replace(case, wraps=kept, wrap_at_c=(option.wrap_at_c, option.wrap))
    if option.cooker is not None:
        case = replace(case, cooker=option.cooker)
    if option.pit_c is not None:
        case = pit_set_later(case, now_min, option.pit_c, GIVE_UP_MIN)
    return case


def what_if(case: Case, z: FloatArray, now_min: float, options: Sequence[Option]) -> list[Tried]:
    """Try options from a moment on, with the same draws for all, so that they differ by nothing else.

    Parameters
    ----------
    case : Case
        What was done, and is planned, without any of the options.
    z : array, shape (draws, dimensions)
        Draws that agree with the readings so far (`during.condition`).

    Raises
    ------
    ValueError
        When an option would put meat on later that is on already.
    """
    out = []
    for option in options:
        if option.later_min and now_min > 0:
            raise ValueError(f"{option.name}: meat that is on cannot go on later")
        other = taken(case, option, now_min)
        out.append(Tried(option, other, told(other, z, now_min, before=case if now_min > 0 else None)))
    return out
