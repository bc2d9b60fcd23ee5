"""Why one cook took longer than another: what each known difference is worth, adding up to the whole."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from .case import Case
from .draws import standard
from .forecast import GIVE_UP_MIN, Band, band, crossing, run_of

FloatArray = NDArray[np.float64]

# What is swapped together, in the words of the trade.
GROUPS: dict[str, tuple[str, ...]] = {
    "weight and thickness": ("mass_kg", "thickness_mm"),
    "cut": ("cut",),
    "start temperature": ("start_c",),
    "cooker": ("cooker", "water_pan"),
    "pit": ("pit_c",),
    "wrap": ("wraps", "wrap_at_c"),
    "looks and spritz": ("lid_min", "spritz_min"),
    "weather and altitude": ("air_c", "air_rh", "altitude_m"),
    "done temperature": ("until_c",),
}
# A pit's parts, each of which can differ by itself; less than this many °C in the mean is no difference.
PIT_PARTS = ("pit as planned", "pit as run against as planned", "lid openings")
ALIKE_C = 0.5
FIELDS: dict[str, tuple[str, ...]] = {
    **GROUPS,
    "spritz": ("spritz_min",),
    **{part: (part,) for part in PIT_PARTS},
}
MINOR = ("start temperature", "looks and spritz", "spritz", "weather and altitude", "done temperature")
MOST_GROUPS = 6
DRAWS = 24

Steps = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class PitRun:
    """One cook's pit three ways, as steps of (minute, °C): as planned, as run without the lid's dips, and as run."""

    planned: Steps
    calm: Steps
    run: Steps

    def parts(self, minutes: FloatArray) -> FloatArray:
        """What adds up to the pit as run, shape (3, minutes): the plan, what the fire did to it, what the lid did."""
        planned, calm, run = (_at(steps, minutes) for steps in (self.planned, self.calm, self.run))
        return np.array([planned, calm - planned, run - calm])


@dataclass(frozen=True)
class Share:
    """Minutes that one difference adds to the second cook, most likely and between 10 and 90 % of the draws."""

    what: str
    minutes: float
    band: Band


@dataclass(frozen=True)
class Explained:
    """The second cook's time less the first's.

    Attributes
    ----------
    parts : largest first; their minutes add up to `modelled_min`.
    unexplained_min : what was observed and no known difference accounts for; None when nothing was observed.
    """

    modelled_min: float
    parts: tuple[Share, ...]
    unexplained_min: float | None
    unexplained_band: Band | None = None


def groups_of(first: Case, second: Case, pits: tuple[PitRun, PitRun] | None = None) -> dict[str, tuple[str, ...]]:
    """Groups of fields in which two cases differ; beyond six, what matters least usually goes together."""
    names = differing(first, second)
    if pits is not None:
        names = [name for name in names if name not in ("pit", "looks and spritz")]
        names += [part for part, differs in zip(PIT_PARTS, _pits_differ(*pits), strict=True) if differs]
        if first.spritz_min != second.spritz_min:
            names.append("spritz")
    if len(names) <= MOST_GROUPS:
        return {name: FIELDS[name] for name in names}
    kept = [name for name in names if name not in MINOR][: MOST_GROUPS - 1]
    rest = [name for name in names if name not in kept]
    together = tuple(field for name in rest for field in FIELDS[name])
    return {**{name: FIELDS[name] for name in kept}, f"{', '.join(rest[:-1])} and {rest[-1]}": together}


def differing(first: Case, second: Case) -> list[str]:
    """Names of the groups in which two cases differ."""
    return [name for name, fields in GROUPS.items() if any(getattr(first, f) != getattr(second, f) for f in fields)]


def _at(steps: Steps, minutes: FloatArray) -> FloatArray:
    """Value of a step function at each minute; the first before it begins."""
    at, value = np.array(steps).T
    return np.asarray(value[np.clip(np.searchsorted(at, minutes, side="right") - 1, 0, None)])


def _pits_differ(first: PitRun, second: PitRun) -> tuple[bool, ...]:
    last = min(first.run[-1][0], second.run[-1][0]) + 1.0
    minutes = np.arange(0.0, max(last, 15.0), 5.0)
    return tuple(np.abs(first.parts(minutes) - second.parts(minutes)).mean(axis=1) > ALIKE_C)


def explain(
    first: Case, second: Case, observed_min: float | None = None, pits: tuple[PitRun, PitRun] | None = None
) -> Explained:
    """Split the difference in total time between two cooks.

    Parameters
    ----------
    first, second : Case
        As they were done; readings are not used.
    observed_min : float, optional
        The second's total time less the first's, as logged.
    pits : two of PitRun, optional
        Both pits as planned and as run, so that the plan, the fire and the lid are told apart.

    Notes
    -----
    Shapley values: each difference's worth is its mean effect over all orders in which the differences could be made
    one after another, so the parts add up and no order is favoured. A few draws, the same for all, give the bands. A
    draw that is never done counts as forty hours.
    """
    groups = groups_of(first, second, pits)
    names = list(groups)
    z = standard(DRAWS)
    worth = {
        frozenset(chosen): _total(_mixed(first, second, groups, chosen, pits), z)
        for size in range(len(names) + 1)
        for chosen in combinations(names, size)
    }
    parts = []
    for name in names:
        others = [other for other in names if other != name]
        share = np.zeros(len(z))
        for size in range(len(others) + 1):
            weight = math.factorial(size) * math.factorial(len(others) - size) / math.factorial(len(names))
            for chosen in combinations(others, size):
                share += weight * (worth[frozenset({*chosen, name})] - worth[frozenset(chosen)])
        parts.append(Share(name, float(share.mean()), band(share)))
    wholes = worth[frozenset(names)] - worth[frozenset()]
    whole = float(wholes.mean())
    parts.sort(key=lambda part: -abs(part.minutes))
    if observed_min is None:
        return Explained(whole, tuple(parts), None)
    return Explained(whole, tuple(parts), observed_min - whole, band(observed_min - wholes))


def _mixed(
    first: Case,
    second: Case,
    groups: dict[str, tuple[str, ...]],
    chosen: tuple[str, ...],
    pits: tuple[PitRun, PitRun] | None,
) -> Case:
    """The first case with some groups taken from the second."""
    fields = {field for name in chosen for field in groups[name]}
    changed = {field: getattr(second, field) for field in fields if field not in PIT_PARTS}
    if pits is not None:
        changed["pit_c"] = _mixed_pit(pits, fields)
    return replace(first, **changed) if changed else first


def _mixed_pit(pits: tuple[PitRun, PitRun], taken: set[str]) -> Steps:
    """A pit whose plan, fire and lid each come from the one or the other; the last step goes on for ever."""
    minutes = np.unique([at for pit in pits for steps in (pit.planned, pit.calm, pit.run) for at, _ in steps])
    parts = [pit.parts(minutes) for pit in pits]
    level = sum(parts[name in taken][row] for row, name in enumerate(PIT_PARTS))
    return tuple((float(at), float(np.clip(value, 40.0, 250.0))) for at, value in zip(minutes, level, strict=True))


def _total(case: Case, z: FloatArray) -> FloatArray:
    run = run_of(case, z)
    return np.minimum(crossing(run.t_min, run.probe_c, case.until_c), GIVE_UP_MIN)
