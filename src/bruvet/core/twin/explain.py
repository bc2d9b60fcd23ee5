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
    "size": ("mass_kg", "thickness_mm"),
    "cut": ("cut",),
    "start temperature": ("start_c",),
    "cooker": ("cooker", "water_pan"),
    "pit": ("pit_c",),
    "wrap": ("wraps", "wrap_at_c"),
    "looks and spritz": ("lid_min", "spritz_min"),
    "weather and altitude": ("air_c", "air_rh", "altitude_m"),
    "done temperature": ("until_c",),
}
MINOR = ("start temperature", "looks and spritz", "weather and altitude", "done temperature")
MOST_GROUPS = 5
DRAWS = 24


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


def groups_of(first: Case, second: Case) -> dict[str, tuple[str, ...]]:
    """Groups of fields in which two cases differ; beyond five, what matters least usually goes together."""
    names = differing(first, second)
    if len(names) <= MOST_GROUPS:
        return {name: GROUPS[name] for name in names}
    kept = [name for name in names if name not in MINOR][: MOST_GROUPS - 1]
    rest = [name for name in names if name not in kept]
    together = tuple(field for name in rest for field in GROUPS[name])
    return {**{name: GROUPS[name] for name in kept}, f"{', '.join(rest[:-1])} and {rest[-1]}": together}


def differing(first: Case, second: Case) -> list[str]:
    """Names of the groups in which two cases differ."""
    return [name for name, fields in GROUPS.items() if any(getattr(first, f) != getattr(second, f) for f in fields)]


def explain(first: Case, second: Case, observed_min: float | None = None) -> Explained:
    """Split the difference in total time between two cooks.

    Parameters
    ----------
    first, second : Case
        As they were done; readings are not used.
    observed_min : float, optional
        The second's total time less the first's, as logged.

    Notes
    -----
    Shapley values: each difference's worth is its mean effect over all orders in which the differences could be made
    one after another, so the parts add up and no order is favoured. A few draws, the same for all, give the bands. A
    draw that is never done counts as forty hours.
    """
    groups = groups_of(first, second)
    names = list(groups)
    z = standard(DRAWS)
    worth = {
        frozenset(chosen): _total(_mixed(first, second, groups, chosen), z)
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
    whole = float((worth[frozenset(names)] - worth[frozenset()]).mean())
    rest = None if observed_min is None else observed_min - whole
    return Explained(whole, tuple(sorted(parts, key=lambda part: -abs(part.minutes))), rest)


def _mixed(first: Case, second: Case, groups: dict[str, tuple[str, ...]], chosen: tuple[str, ...]) -> Case:
    """The first case with some groups taken from the second."""
    changed = {field: getattr(second, field) for name in chosen for field in groups[name]}
    return replace(first, **changed) if changed else first


def _total(case: Case, z: FloatArray) -> FloatArray:
    run = run_of(case, z)
    return np.minimum(crossing(run.t_min, run.probe_c, case.until_c), GIVE_UP_MIN)
